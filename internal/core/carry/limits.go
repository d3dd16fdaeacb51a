package carry

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Limits adds a finding wherever a carrier cannot do what its door asks, and returns the doors
// concerned.
func Limits(w *predict.Prediction) (act.Found, map[web.Door]bool) {
	l := limits{web: w, beyond: map[web.Door]bool{}}
	for _, d := range w.Domains() {
		for _, h := range d.Hosts() {
			if c := d.Carry[h]; c != nil {
				l.host(d, h, c)
				l.star(h, c)
			}
			if c := d.Served[h]; c != nil && d.Through[h] == nil {
				l.site(d, h, c)
			}
			if c := d.Through[h]; c != nil {
				l.edge(d, h, c)
			}
		}
	}
	for _, s := range l.shared {
		subject := s.carrier.Name
		if len(s.subjects) == 1 {
			subject = s.subjects[0]
		}
		l.Find(finding.BeyondCarrier, subject, s.facts(s.carrier.Name, s.subjects),
			map[string]any{"by": string(s.carrier.By)})
	}
	return l.Found, l.beyond
}

// star adds a finding where a wildcard is to be carried by somebody who takes names one by one, or
// who cannot prove it to its issuer before it points there (RFC 8555 section 7.1.3).
func (l *limits) star(h web.Host, c *estate.Carrier) {
	if !h.IsStar() {
		return
	}
	var facts fact.Facts
	switch {
	case !c.By.Row().Configured:
		facts = fact.StarOneByOne{Host: h.String(), Carrier: c.Name}
	case c.TLS && c.Certificate == estate.After:
		facts = fact.StarUnproved{Host: h.String(), Carrier: c.Name}
	default:
		return
	}
	doors := web.Doors(h.Typed())
	l.at(c, h, h.String(), facts, doors[:]...)
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
	carrier  *estate.Carrier
	what     string // tells the limits of a carrier apart
	facts    func(carrier string, subjects []string) fact.Facts
	subjects []string
}

// share adds a host or door that meets a limit.
func (l *limits) share(
	c *estate.Carrier,
	subject, what string,
	facts func(carrier string, subjects []string) fact.Facts,
	concerned ...web.Door,
) {
	i := slices.IndexFunc(l.shared, func(s shared) bool { return s.carrier == c && s.what == what })
	if i < 0 {
		i = len(l.shared)
		l.shared = append(l.shared, shared{carrier: c, what: what, facts: facts})
	}
	l.shared[i].subjects = append(l.shared[i].subjects, subject)
	for _, d := range concerned {
		l.beyond[d] = true
	}
}

// site adds a finding wherever whoever serves the site cannot do so at a host.
func (l *limits) site(d *estate.Domain, h web.Host, c *estate.Carrier) {
	add := func(facts fact.Facts) {
		l.Find(finding.BeyondCarrier, h.String(), facts,
			map[string]any{"by": string(c.By), "host": h.String()})
	}
	if c.ApexOnly && !h.IsApex() {
		add(
			fact.SiteApexOnly{Carrier: c.Name, Host: h.String()},
		)
	}
	if !c.TLS {
		add(fact.SiteNoTLS{Carrier: c.Name, Host: h.String()})
	}
	if h.IsApex() && len(c.Addresses) == 0 && !d.ApexAlias {
		add(
			fact.SiteAliasAtApex{Carrier: c.Name, Alias: c.Alias.String(), Host: h.String()},
		)
	}
}

// host adds a finding wherever a carrier cannot do what a host asks of it.
func (l *limits) host(d *estate.Domain, h web.Host, c *estate.Carrier) {
	doors := web.Doors(h)
	if c.ApexOnly && !h.IsApex() {
		l.share(c, h.String(), "apexes", func(carrier string, subjects []string) fact.Facts {
			return fact.ApexOnly{Carrier: carrier, Subjects: subjects}
		}, doors[:]...)
		return
	}
	if !c.TLS {
		l.share(c, doors[1].String(), "tls", func(carrier string, subjects []string) fact.Facts {
			return fact.SpeaksNoTLS{Carrier: carrier, Subjects: subjects}
		}, doors[1])
	}
	if c.Frames {
		l.share(c, h.String(), "frames", func(carrier string, subjects []string) fact.Facts {
			return fact.ShowsInFrame{Carrier: carrier, Subjects: subjects}
		}, doors[:]...)
		return
	}
	l.edge(d, h, c)
	if c.TLS && c.By.Row().Configured && c.Certificate == estate.After &&
		!slices.ContainsFunc(l.web.Estate.Policy.Exempt, func(path string) bool {
			return strings.HasPrefix(acmePath, path)
		}) {
		l.Findings = append(l.Findings, finding.New(finding.WellKnownTaken, c.Name,
			fact.TokensRedirected{Carrier: c.Name, Path: acmePath}))
	}
	if !c.KeepsPath && d.Fallback == estate.SamePath {
		l.share(c, h.String(), "path", func(carrier string, subjects []string) fact.Facts {
			return fact.DropsPath{Carrier: carrier, Subjects: subjects}
		}, doors[:]...)
	}
	if h.IsApex() && len(c.Addresses) == 0 && !d.ApexAlias {
		l.at(c, h, h.String(), fact.AliasAtApex{Carrier: c.Name, Alias: c.Alias.String(),
			Host: h.String()})
	}
	l.rules(d, h, c)
	if c.Behind == "" {
		l.patterns(d, h, c)
	}
}

// edge adds a finding wherever an edge network is to carry a host of a zone that it does not hold,
// or where nobody says what stands behind it.
func (l *limits) edge(d *estate.Domain, h web.Host, c *estate.Carrier) {
	if !c.By.Row().TakesZone || len(c.NameServers) == 0 {
		return
	}
	if to := web.Names(d.MovesTo()); !slices.Equal(to, web.Names(c.NameServers)) {
		l.share(c, h.String(), "servers "+strings.Join(to, " "),
			func(carrier string, subjects []string) fact.Facts {
				return fact.EdgeElsewhere{Carrier: carrier, Subjects: subjects, Servers: to,
					Own: web.Names(c.NameServers)}
			})
	}
	site := l.web.Estate.Site.Addresses
	if of := l.web.Estate.SiteOf(h); of != nil {
		site = of.Addresses
	}
	if (c.BehindSite || d.Through[h] == c && c.Behind == "") && c.IsAll(site) &&
		len(d.OriginOf(h.String())) == 0 {
		l.Find(finding.ProviderBound, h.String(), fact.OriginIsEdge{Carrier: c.Name, Host: h.String()})
		l.Findings[len(l.Findings)-1] = l.Findings[len(l.Findings)-1].As(finding.Error)
	}
}

// acmePath is where certificate authorities look for a token by http (RFC 8555 section 8.3).
const acmePath = "/.well-known/acme-challenge/"

// at adds a finding about a host that a carrier cannot carry as is asked, and the doors concerned.
func (l *limits) at(c *estate.Carrier, h web.Host, subject string, facts fact.Facts,
	concerned ...web.Door) {
	l.Find(finding.BeyondCarrier, subject, facts,
		map[string]any{"by": string(c.By), "host": h.String()})
	for _, d := range concerned {
		l.beyond[d] = true
	}
}

// rules adds a finding wherever a carrier cannot hold the rules of a host.
func (l *limits) rules(d *estate.Domain, h web.Host, c *estate.Carrier) {
	doors := web.Doors(h)
	kind, host := c.By.Row(), h.String()
	if c.HoldsRules && !kind.OneTarget && !kind.ExactOnly {
		return // it holds whatever there is; there may be a million
	}
	rules, patterns := held(l.web.Rules, doors)
	var facts fact.Facts
	switch {
	case kind.OwnSteps && !c.HoldsRules && !l.web.Estate.SiteAt(c):
		facts = fact.PrimaryElsewhere{Carrier: c.Name, Host: host,
			Canonical: l.web.Estate.Canonical.Host.String()}
	case kind.OneTarget && rules > 0:
		facts = fact.OnePlaceOnly{Carrier: c.Name, Host: host, Rules: rules}
	case !kind.OneTarget && !c.HoldsRules && rules > 0:
		facts = fact.WholeHostsOnly{Carrier: c.Name, Host: host, Rules: rules}
	case !kind.OneTarget && !c.HoldsRules && (d.Fallback != estate.SamePath ||
		d.LeadsTo != l.web.Estate.Canonical.URL("/", "")):
		facts = fact.SamePathOnly{Carrier: c.Name, Host: host, LeadsTo: d.LeadsTo.String()}
	}
	if facts != nil {
		l.at(c, h, host, facts, doors[:]...)
	}
	if kind.ExactOnly && patterns > 0 {
		l.at(c, h, host, fact.LinePerURL{Carrier: c.Name, Host: host, Patterns: patterns}, doors[:]...)
	}
}

// patterns adds a finding wherever a carrier cannot say by patterns what the rules say.
func (l *limits) patterns(d *estate.Domain, h web.Host, c *estate.Carrier) {
	doors, host := web.Doors(h), h.String()
	if !c.By.Row().Stars {
		if c.PatternsAtMost < 0 {
			return
		}
		if _, patterns := held(l.web.Rules, doors); patterns > c.PatternsAtMost {
			l.at(c, h, host, fact.PatternsOfHost{Carrier: c.Name, Host: host, Most: c.PatternsAtMost,
				Patterns: patterns}, doors[:]...)
		}
		return
	}
	first := h == CarriedBy(l.web.Estate, d, c)[0]
	if keys := careless(d.Paths); first && keys != "" {
		l.at(c, h, host, fact.StarsToTheLetter{Domain: d.Name.String(), Keys: keys, Carrier: c.Name})
	}
	for _, e := range entriesOf(l.web.Rules, h) {
		if len(e.Rule.Old.Query) > 0 {
			l.at(c, h, e.Rule.Place(), fact.StarsAskNothing{Rule: e.Rule.Place(),
				Old: e.Rule.Old.String(), Carrier: c.Name})
		}
	}
	stars := starsOf(l.web, d, c)
	if first && c.PatternsAtMost >= 0 && len(stars) > c.PatternsAtMost {
		l.at(c, h, host, fact.PatternsOfDomain{Carrier: c.Name, Domain: d.Name.String(),
			Most: c.PatternsAtMost, Patterns: len(stars)})
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
