package plan

import (
	"net/netip"
	"slices"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Clues gives what estate and survey know about who answers, for finding the cause of a fault.
func (p *Plan) Clues() chain.Clues {
	places := map[netip.Addr]chain.Place{}
	for _, a := range p.Estate.Site.Addresses {
		places[a] = chain.Place{Carrier: "the site", Kind: "site"}
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
		Before: func(h web.Host, a netip.Addr) bool { return p.wasBefore(h, a) },
	}
}

// wasBefore reports whether a survey saw a host at an address from which the plan leads it away.
func (p *Plan) wasBefore(h web.Host, a netip.Addr) bool {
	d := p.Estate.DomainOf(h)
	if d == nil || d.State == estate.Leave || p.Estate.Serves(h) {
		return false
	}
	c := d.Carry[h]
	if c == nil || len(c.Addresses) == 0 || slices.Contains(c.Addresses, a) {
		return false
	}
	for _, s := range []*survey.Survey{p.input.Survey, p.input.Earlier} {
		if seen := s.Of(d.Name.String()); seen != nil &&
			slices.Contains(seen.Addresses(h.String()), a.String()) {
			return true
		}
	}
	return false
}
