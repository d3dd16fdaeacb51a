package plan

import (
	"iter"
	"net/netip"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Clues gives what estate and survey know about who answers, for finding the cause of a fault.
func (p *Plan) Clues() chain.Clues {
	places := map[netip.Addr]chain.Place{}
	for _, s := range p.Estate.Sites() {
		for _, a := range s.Addresses {
			places[a] = chain.Place{Carrier: "the site", Kind: "site"}
		}
	}
	for _, c := range p.Estate.Carriers {
		for _, a := range c.Addresses {
			places[a] = chain.Place{Carrier: c.Name, Kind: string(c.By), ByHTTP: c.Origin == "plain"}
		}
	}
	return chain.Clues{
		Place: func(a netip.Addr) (chain.Place, bool) {
			place, known := places[a]
			return place, known
		},
		Alias: func(name string) (chain.Place, bool) {
			for _, c := range p.Estate.Carriers {
				if !c.Alias.IsZero() && c.Alias.String() == name {
					return chain.Place{Carrier: c.Name, Kind: string(c.By), ByHTTP: c.Origin == "plain"}, true
				}
			}
			return chain.Place{}, false
		},
		Since:  p.ledSince,
		DSGone: p.dsGone,
		Before: func(h web.Host, a netip.Addr) bool { return p.wasBefore(h, a) },
	}
}

// Seeing gives the plan's clues with what a survey saw just now.
func (p *Plan) Seeing(v *survey.Survey) chain.Clues {
	seen := *p
	seen.input.Past = append([]*survey.Survey{v}, p.input.Past...)
	return seen.Clues()
}

// dsGone gives until when resolvers may hold a DS record of a host's domain, at the latest, which
// the survey that looked last saw gone, and one before it saw there.
func (p *Plan) dsGone(h web.Host) (until time.Time, gone bool) {
	d := p.Estate.DomainOf(h)
	if d == nil {
		return until, false
	}
	for _, s := range p.input.Past {
		at := slices.IndexFunc(s.Domains, func(one survey.Domain) bool {
			return one.Name == d.Name.String()
		})
		if at < 0 || s.Domains[at].Parent.Server == "" {
			continue
		}
		seen := &s.Domains[at]
		if len(seen.Parent.DS) > 0 {
			return until, gone
		}
		looked := seen.Looked
		if looked.IsZero() {
			looked = s.Started
		}
		until, gone = looked.Add(seen.Parent.Held()), true
	}
	return until, false // nobody saw one
}

// ledSince gives since when, at the latest, a host leads to a carrier, as far as surveys are kept:
// the first of those that all saw it lead there.
func (p *Plan) ledSince(h web.Host, carrier string) (since time.Time, some bool) {
	d, c := p.Estate.DomainOf(h), p.Estate.Carrier(carrier)
	if d == nil || c == nil {
		return since, false
	}
	for _, s := range p.input.Past {
		seen := s.Of(d.Name.String())
		if seen == nil || !seen.Seen() {
			continue
		}
		if !leadsTo(seen, h, c) {
			break
		}
		if since, some = seen.Looked, true; since.IsZero() {
			since = s.Started
		}
	}
	return since, some
}

// leadsTo reports whether a host was seen to lead to a carrier, by address or alias.
func leadsTo(seen *survey.Domain, h web.Host, c *estate.Carrier) bool {
	return byAlias(seen, h, c) || slices.ContainsFunc(c.Addresses, func(a netip.Addr) bool {
		return slices.Contains(seen.Addresses(h.String()), a.String()) || metAt(seen, h, a)
	})
}

// byAlias reports whether a host was seen to lead to a carrier by its alias, within the zone or
// through others.
func byAlias(seen *survey.Domain, h web.Host, c *estate.Carrier) bool {
	if c.Alias.IsZero() {
		return false
	}
	alias, is := record.Find(seen.Records, h.String(), "CNAME")
	if is && record.Target("CNAME", alias.Values[0]) == c.Alias.String() {
		return true
	}
	for hop := range hopsAt(seen, h) {
		if slices.Contains(hop.Aliases, c.Alias.String()) {
			return true
		}
	}
	return false
}

// hopsAt yields what a survey met at a host.
func hopsAt(seen *survey.Domain, h web.Host) iter.Seq[*chain.Answer] {
	return func(yield func(*chain.Answer) bool) {
		for i := range seen.Chains {
			for j := range seen.Chains[i].Hops {
				if hop := &seen.Chains[i].Hops[j]; hop.URL.Host() == h && !yield(hop) {
					return
				}
			}
		}
	}
}

// metAt reports whether a survey met a host at an address, whatever names led there.
func metAt(seen *survey.Domain, h web.Host, a netip.Addr) bool {
	for hop := range hopsAt(seen, h) {
		if at, err := netip.ParseAddrPort(hop.Address); err == nil && at.Addr() == a ||
			slices.Contains(hop.Found, a) {
			return true
		}
	}
	return false
}

// Elsewhere reports whether a host is nobody's business here: it is outside the estate, or of a
// domain that is left as it is.
func (p *Plan) Elsewhere(h web.Host) bool {
	d := p.Estate.DomainOf(h)
	return !p.Estate.Holds(h) || slices.Contains(p.Estate.Elsewhere, h) ||
		d != nil && d.State == estate.Leave && !p.Estate.Serves(h)
}

// wasBefore reports whether a survey saw a host at an address from which the plan leads it away, by
// records of its zone or through the aliases of others.
func (p *Plan) wasBefore(h web.Host, a netip.Addr) bool {
	d := p.Estate.DomainOf(h)
	if d == nil || d.State == estate.Leave || p.Estate.Serves(h) {
		return false
	}
	c := d.Carry[h]
	if c == nil || slices.Contains(c.Addresses, a) {
		return false
	}
	// an alias may lead to more addresses than the estate names
	if is, known := p.ofAlias(c, a); is || !known && len(c.Addresses) == 0 {
		return false
	}
	for _, s := range []*survey.Survey{p.input.Survey, p.input.Earlier} {
		seen := s.Of(d.Name.String())
		if seen != nil && !byAlias(seen, h, c) &&
			(slices.Contains(seen.Addresses(h.String()), a.String()) || metAt(seen, h, a)) {
			return true
		}
	}
	return false
}

// ofAlias reports whether an address is one of a carrier's alias, going by hosts that the survey
// saw lead there, and whether it saw any.
func (p *Plan) ofAlias(c *estate.Carrier, a netip.Addr) (is, known bool) {
	if c.Alias.IsZero() || p.input.Survey == nil {
		return false, false
	}
	for i := range p.input.Survey.Domains {
		for _, ch := range p.input.Survey.Domains[i].Chains {
			for _, hop := range ch.Hops {
				if !slices.Contains(hop.Aliases, c.Alias.String()) {
					continue
				}
				at, err := netip.ParseAddrPort(hop.Address)
				if err == nil && at.Addr() == a || slices.Contains(hop.Found, a) {
					return true, true
				}
				known = known || err == nil
			}
		}
	}
	return false, known
}
