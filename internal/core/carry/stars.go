package carry

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// Star is a rule as most forms of edge networks want it.
type Star struct {
	world.Star
	Line  int      // of the rule; 0 for what happens where none matches
	Rule  string   // in the rule language
	Takes []string // the hosts that it takes
	Wider string   // a URL that it takes although the rule does not; "" where there is none
}

// starsOf gives the patterns that an edge network has to hold for the hosts of a domain that it
// carries, in their order.
func starsOf(w *predict.Prediction, d *estate.Domain, c *estate.Carrier) []Star {
	var hosts []web.Host
	for _, h := range d.Hosts() {
		if d.Carry[h] == c {
			hosts = append(hosts, h)
		}
	}
	if len(hosts) == 2 && len(d.Needed) == 0 && hosts[0] == d.Name && hosts[1] == d.Name.WWW() &&
		sameRules(w.Rules, hosts[0], hosts[1]) {
		return starsFor(w, d, "*", hosts)
	}
	var all []Star
	for _, h := range hosts {
		all = append(all, starsFor(w, d, "", []web.Host{h})...)
	}
	return all
}

// sameRules reports whether the same rules hold on two hosts.
func sameRules(table *rule.Table, a, b web.Host) bool {
	rules := func(h web.Host) []*rule.Rule {
		var all []*rule.Rule
		for _, e := range entriesOf(table, h) {
			all = append(all, e.Rule)
		}
		return all
	}
	return slices.Equal(rules(a), rules(b))
}

// entriesOf gives the rules on both doors of a host, those that name a scheme included.
func entriesOf(table *rule.Table, h web.Host) []rule.Entry {
	doors := web.Doors(h)
	all := table.On(doors[1])
	for _, e := range table.On(doors[0]) {
		if !slices.ContainsFunc(all, func(o rule.Entry) bool { return o.Rule == e.Rule }) {
			all = slices.Insert(all, 0, e)
		}
	}
	return all
}

// starsFor makes the patterns of one host, or with a star before it of an apex and its www.
func starsFor(w *predict.Prediction, d *estate.Domain, lead string, hosts []web.Host) []Star {
	host := lead + hosts[0].String()
	var takes []string
	for _, h := range hosts {
		takes = append(takes, h.String())
	}
	var stars []Star
	for _, e := range entriesOf(w.Rules, hosts[0]) {
		if len(e.Rule.Old.Query) > 0 {
			continue // no star looks at a query; limits says so
		}
		s := Star{
			Star: world.Star{
				Old:    host + starPath(e.Rule.Old.Parts),
				Status: cmp.Or(e.Rule.Status, w.Estate.Policy.Status),
				Drops:  e.Rule.DropQuery,
			},
			Line:  e.Rule.Line,
			Rule:  e.Rule.Old.String(),
			Takes: takes,
		}
		if e.Rule.Old.Scheme != "" {
			s.Old = string(e.Rule.Old.Scheme) + "://" + s.Old
		}
		if e.Rule.Status != rule.Gone {
			s.New = starTarget(w.Estate.Canonical, e.Rule, len(lead))
		}
		s.Wider = widerThan(w, e.Rule, s, hosts[0])
		stars = append(stars, s)
	}
	return append(stars, fallbackStars(w.Estate.Policy.Status, d, host, takes, len(lead))...)
}

func starPath(parts []rule.Part) string {
	var b strings.Builder
	for _, part := range parts {
		if part.IsCapture() {
			b.WriteByte('*')
		} else {
			b.WriteString(part.Literal)
		}
	}
	return b.String()
}

// starTarget writes a target with numbers for captures; before counts the stars in front of the
// path.
func starTarget(canonical web.Door, r *rule.Rule, before int) string {
	number := map[string]int{}
	for _, part := range r.Old.Parts {
		if part.IsCapture() {
			number[part.Name] = before + len(number) + 1
		}
	}
	door := r.New.Door
	if door.Host.IsZero() {
		door = canonical
	}
	to := door.String()
	if len(r.New.Host) > 0 {
		to = string(r.New.Scheme) + "://"
		for _, part := range r.New.Host {
			if part.IsCapture() {
				to += fmt.Sprintf("$%d", number[part.Name])
			} else {
				to += part.Literal
			}
		}
	}
	for _, part := range r.New.Parts {
		if part.IsCapture() {
			to += fmt.Sprintf("$%d", number[part.Name])
		} else {
			to += part.Literal
		}
	}
	for i, part := range r.New.Query {
		if i == 0 {
			to += "?"
		}
		if part.IsCapture() {
			to += fmt.Sprintf("$%d", number[part.Name])
		} else {
			to += part.Literal
		}
	}
	if r.New.Fragment != "" {
		to += "#" + r.New.Fragment
	}
	return to
}

func fallbackStars(status int, d *estate.Domain, host string, takes []string, before int) []Star {
	home := d.LeadsTo
	star := func(path, to, rule string) Star {
		return Star{Star: world.Star{Old: host + path, New: to, Status: status}, Takes: takes, Rule: rule}
	}
	root, rest := star("/", home.String(), "the root"), star("/*", "", "everything else")
	switch d.Fallback {
	case estate.Gone:
		rest.Status = rule.Gone
		return []Star{root, rest}
	case estate.Home:
		rest.New = home.String()
		return []Star{rest}
	}
	rest.New = home.Door().URL(strings.TrimSuffix(home.Path(), "/")+"/", home.Query()).String()
	path, query, asked := strings.Cut(rest.New, "?")
	rest.New = fmt.Sprintf("%s$%d", path, before+1)
	if asked {
		rest.New += "?" + query
	}
	if strings.HasSuffix(home.Path(), "/") {
		return []Star{rest}
	}
	return []Star{root, rest}
}

// widerThan gives a URL that the star form takes although the rule does not: a star takes slashes
// and letters where {name} or {name:digits} does not. "" where there is none.
func widerThan(w *predict.Prediction, r *rule.Rule, s Star, h web.Host) string {
	path := ""
	for i, part := range r.Old.Parts {
		switch {
		case !part.IsCapture():
			path += part.Literal
		case part.Rest || i == 0:
			path += "x"
		default:
			path += "a/b"
		}
	}
	if strings.Count(path, "a/b") == 0 || !strings.HasPrefix(path, "/") {
		return ""
	}
	u := web.Doors(h)[1].URL(path, "")
	if _, fits := s.Match(u); !fits || w.Intended(u).Location == byStars(u, []Star{s}).Location {
		return ""
	}
	return u.String()
}

// byStars gives what patterns with stars answer.
func byStars(u web.URL, stars []Star) chain.Answer {
	for _, s := range stars {
		taken, fits := s.Match(u)
		switch {
		case !fits:
		case s.New == "":
			return chain.Answer{URL: u, Status: s.Status}
		default:
			return chain.Answer{URL: u, Status: s.Status, Location: s.Location(u, taken)}
		}
	}
	return chain.Answer{URL: u, Status: 404}
}

// checkStars follows the probes of a domain's doors and the examples of its rules through the star
// patterns, and gives a finding where they answer otherwise than the plan.
func checkStars(w *predict.Prediction, d *estate.Domain, c *estate.Carrier, stars []Star,
	asks []web.URL) []finding.Finding {
	for _, u := range asks {
		if d.Carry[u.Host()] != c || w.Treatment(u.Door()).Exempts(u) {
			continue
		}
		typed, planned := byStars(u, stars), w.Intended(u)
		if w.Estate.Policy.Upgrade == estate.SameHostFirst && u.Scheme() == web.HTTP {
			continue // the network's own switch does that
		}
		if typed.Status == planned.Status && SameURL(u, typed.Location, planned.Location) {
			continue
		}
		return []finding.Finding{
			finding.New(
				finding.BeyondCarrier,
				u.Host().String(),
				fact.StarsMislead{Carrier: c.Name, URL: u.String(), Host: u.Host().String(),
					Typed:   cmp.Or(typed.Location, fmt.Sprint(typed.Status)),
					Planned: cmp.Or(planned.Location, fmt.Sprint(planned.Status))},
			),
		}
	}
	return nil
}

func SameURL(base web.URL, a, b string) bool {
	if a == b {
		return true
	}
	x, _, errX := base.Resolve(a)
	y, _, errY := base.Resolve(b)
	return errX == nil && errY == nil && x.Key() == y.Key()
}
