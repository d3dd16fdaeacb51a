package carry

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// Limits adds a finding wherever a carrier cannot do what its door asks, and returns the doors
// concerned.
func Limits(w *predict.Prediction) (act.Found, map[web.Door]bool) {
	l := limits{web: w, beyond: map[web.Door]bool{}}
	for _, d := range w.Domains() {
		for _, h := range d.Hosts() {
			if c := d.Carry[h]; c != nil {
				l.host(d, h, c)
			}
			if c := d.Served[h]; c != nil && d.Through[h] == nil {
				l.site(d, h, c)
			}
		}
	}
	for _, s := range l.shared {
		subject := s.carrier.Name
		if len(s.subjects) == 1 {
			subject = s.subjects[0]
		}
		l.Find(finding.BeyondCarrier, subject, fmt.Sprintf(s.says, listedURLs(s.subjects)), s.fix,
			map[string]any{"carrier": s.carrier.Name, "by": string(s.carrier.By), "hosts": s.subjects})
	}
	return l.Found, l.beyond
}

// limits gathers what carriers cannot do.
type limits struct {
	act.Found
	web    *predict.Prediction
	beyond map[web.Door]bool
	shared []shared
}

// shared is a limit of a carrier that several of its hosts or doors meet, which is one finding.
type shared struct {
	carrier   *estate.Carrier
	says, fix string // says has a place for the list of those
	subjects  []string
}

// share adds a host or door that meets a limit.
func (l *limits) share(c *estate.Carrier, subject, says, fix string, concerned ...web.Door) {
	i := slices.IndexFunc(l.shared, func(s shared) bool { return s.carrier == c && s.says == says })
	if i < 0 {
		i = len(l.shared)
		l.shared = append(l.shared, shared{carrier: c, says: says, fix: fix})
	}
	l.shared[i].subjects = append(l.shared[i].subjects, subject)
	for _, d := range concerned {
		l.beyond[d] = true
	}
}

// site adds a finding wherever whoever serves the site cannot do so at a host.
func (l *limits) site(d *estate.Domain, h web.Host, c *estate.Carrier) {
	add := func(says, fix string) {
		l.Find(
			finding.BeyondCarrier,
			h.String(),
			says,
			fix,
			map[string]any{"carrier": c.Name, "by": string(c.By), "host": h.String()},
		)
	}
	if c.ApexOnly && !h.IsApex() {
		add(
			fmt.Sprintf("%s takes apexes only and cannot serve the site at %s.", c.Name, h),
			"Let another carrier serve the site.",
		)
	}
	if !c.TLS {
		add(fmt.Sprintf("%s does not speak TLS, and the site is to be served at https://%s.", c.Name, h),
			"Let a carrier serve the site that speaks TLS.")
	}
	if h.IsApex() && len(c.Addresses) == 0 && !d.ApexAlias {
		add(
			fmt.Sprintf(
				"%s is reached by the alias %s only, which cannot stand at the apex %s, where the site is.",
				c.Name,
				c.Alias,
				h,
			),
			fmt.Sprintf(
				"Ask %s for addresses and add them to the carrier, write apex-alias: yes if the zone's "+
					"provider offers that, or "+
					"let the site be at https://www.%s.",
				c.Name,
				h,
			),
		)
	}
}

// host adds a finding wherever a carrier cannot do what a host asks of it, and says what a visitor
// meets there.
func (l *limits) host(d *estate.Domain, h web.Host, c *estate.Carrier) {
	doors := web.Doors(h)
	add := func(subject, says, fix string, concerned ...web.Door) {
		l.Find(
			finding.BeyondCarrier,
			subject,
			says,
			fix,
			map[string]any{"carrier": c.Name, "by": string(c.By), "host": h.String()},
		)
		for _, d := range concerned {
			l.beyond[d] = true
		}
	}
	name := strings.ReplaceAll(c.Name, "%", "%%")
	if c.ApexOnly && !h.IsApex() {
		l.share(
			c,
			h.String(),
			name+" takes apexes only and cannot carry %s; visitors find no site there.",
			fmt.Sprintf(
				"Give hosts that are not an apex to another carrier, such as carrier: {apex: %s, www: NAME}.",
				c.Name,
			),
			doors[:]...)
		return
	}
	if !c.TLS {
		l.share(
			c,
			doors[1].String(),
			name+
				" does not speak TLS, so that nobody answers at %s; browsers try https first, and say that "+
				"the site refused to connect.",
			"Give these hosts to a carrier that speaks TLS.",
			doors[1],
		)
	}
	if c.Frames {
		l.share(
			c,
			h.String(),
			name+
				" shows the site in a frame under %s instead of redirecting: every page has that one "+
				"address, and "+
				"search engines and links stay with the old name.",
			fmt.Sprintf("Switch the frame (masking) off at %s, or give these hosts to another carrier.",
				c.Name),
			doors[:]...)
		return
	}
	if !c.KeepsPath && d.Fallback == estate.SamePath {
		l.share(
			c,
			h.String(),
			name+
				" drops the path, and %s should keep it (fallback: same-path); every old link ends at the "+
				"start.",
			"Give these hosts to a carrier that keeps the path, or settle for fallback: home.",
			doors[:]...)
	}
	if h.IsApex() && len(c.Addresses) == 0 && !d.ApexAlias {
		add(
			h.String(),
			fmt.Sprintf("%s is reached by the alias %s only, which cannot stand at the apex %s.", c.Name,
				c.Alias, h),
			fmt.Sprintf(
				"Ask %s for addresses and add them to the carrier, write apex-alias: yes if the zone's "+
					"provider offers that, or "+
					"give the apex to another one.",
				c.Name,
			),
		)
	}
	l.rules(d, h, c, add)
}

func (l *limits) rules(
	d *estate.Domain,
	h web.Host,
	c *estate.Carrier,
	add func(subject, says, fix string, concerned ...web.Door),
) {
	doors := web.Doors(h)
	rules, patterns := held(l.web.Rules, doors)
	kind := c.By.Row()
	switch {
	case kind.OneTarget && rules > 0:
		add(
			h.String(),
			fmt.Sprintf("%s forwards everything to one place and cannot hold the %d rules of %s.", c.Name,
				rules, h),
			fmt.Sprintf("Give %s to a carrier that looks at paths.", h),
			doors[:]...)
	case !kind.OneTarget && !c.HoldsRules && rules > 0:
		add(
			h.String(),
			fmt.Sprintf("%s redirects whole hosts and cannot hold the %d rules of %s.", c.Name, rules, h),
			fmt.Sprintf(
				"Give %s to a carrier that looks at paths, or set the rules up on the site behind it "+
					"(site.rules).",
				h,
			),
			doors[:]...)
	case !kind.OneTarget && !c.HoldsRules && (d.Fallback != estate.SamePath ||
		d.LeadsTo != l.web.Estate.Canonical.URL("/", "")):
		add(
			h.String(),
			fmt.Sprintf(
				"%s redirects %s to the same path of the canonical site; it cannot lead it to %s.",
				c.Name,
				h,
				d.LeadsTo,
			),
			fmt.Sprintf("Give %s to another carrier, or let it lead to / with fallback: same-path.", h),
			doors[:]...)
	}
	if kind.ExactOnly && patterns > 0 {
		add(
			h.String(),
			fmt.Sprintf("%s holds a line for each old URL, and %d of the rules of %s stand for many.",
				c.Name, patterns, h),
			"Write these rules out, URL by URL, or give the host to a server.",
			doors[:]...)
	}
	if c.Behind != "" {
		return
	}
	if kind.Stars && h == CarriedBy(l.web.Estate, d, c)[0] {
		if keys := careless(d.Paths); keys != "" {
			add(
				h.String(),
				fmt.Sprintf("%s says %s, and patterns with stars compare paths to the letter.", d.Name, keys),
				fmt.Sprintf(
					"Write a rule for each way in which the paths were written, use the finer language of %s "+
						"if it has one, or "+
						"give the domain to a server.",
					c.Name,
				),
			)
		}
		for _, e := range entriesOf(l.web.Rules, h) {
			if len(e.Rule.Old.Query) > 0 {
				add(
					e.Rule.Place(),
					fmt.Sprintf(
						"%s asks for a parameter of the query (%s), and patterns with stars cannot.",
						e.Rule.Place(),
						e.Rule.Old,
					),
					fmt.Sprintf("Use the finer language of %s if it has one, or give the host to a server.",
						c.Name),
				)
			}
		}
	}
	if !kind.Stars {
		if c.PatternsAtMost >= 0 && patterns > c.PatternsAtMost {
			add(
				h.String(),
				fmt.Sprintf(
					"%s takes at most %s, and the rules of %s hold %d.",
					c.Name,
					wording.Count(c.PatternsAtMost, "pattern"),
					h,
					patterns,
				),
				"Write fewer rules with captures, or choose another carrier.",
				doors[:]...)
		}
		return
	}
	if stars := starsOf(l.web, d, c); c.PatternsAtMost >= 0 && len(stars) > c.PatternsAtMost {
		if h == CarriedBy(l.web.Estate, d, c)[0] {
			add(
				h.String(),
				fmt.Sprintf(
					"%s takes at most %s, and %s needs %d there, that for everything else included.",
					c.Name,
					wording.Count(c.PatternsAtMost, "pattern"),
					d.Name,
					len(stars),
				),
				"Write fewer rules, take a larger plan there, or choose another carrier.",
			)
		}
	}
}

// careless names the keys of a domain whose old site did not care, "" for none.
func careless(m rule.Mode) string {
	var keys []string
	if m.IgnoreCase {
		keys = append(keys, "ignore-case: yes")
	}
	if m.EitherSlash {
		keys = append(keys, "slash: either")
	}
	if len(m.Index) > 0 {
		keys = append(keys, "index: ["+strings.Join(m.Index, ", ")+"]")
	}
	return strings.Join(keys, ", ")
}

// held counts the rules and, among them, the patterns that the busier door of a host must hold.
func held(table *rule.Table, doors [2]web.Door) (rules, patterns int) {
	for _, d := range doors {
		entries := table.On(d)
		n := 0
		for _, e := range entries {
			if _, exact := e.Rule.Old.Exact(); !exact {
				n++
			}
		}
		rules, patterns = max(rules, len(entries)), max(patterns, n)
	}
	return rules, patterns
}
