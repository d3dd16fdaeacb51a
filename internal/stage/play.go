package stage

import (
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// Player plays a cutover: a stage that begins as it is today, and on which steps of a plan are
// carried out one by one.
type Player struct {
	*Stage
	plan     *plan.Plan
	now      Scene
	replaced map[netip.Addr]*atomic.Bool // whether what answers at an address is as planned
}

// Play starts a stage that plays a scene of today, and that can become what a plan makes of it.
// Resolvers remember nothing there: time does not pass by itself on a stage. An error comes back
// where the plan cannot be played or the stage cannot start.
func Play(today Scene, p *plan.Plan) (*Player, error) {
	planned, err := FromPlan(p)
	if err != nil {
		return nil, err
	}
	player := &Player{plan: p, now: today, replaced: map[netip.Addr]*atomic.Bool{}}
	player.now.Remember = false
	endpoints := map[netip.AddrPort]*Endpoint{}
	for at, e := range today.Endpoints {
		endpoints[at] = e
	}
	for at, later := range planned.Endpoints {
		before := today.Endpoints[at]
		flag := player.replaced[at.Addr()]
		if flag == nil {
			flag = &atomic.Bool{}
			player.replaced[at.Addr()] = flag
		}
		both := &Endpoint{Certificates: later.Certificates}
		if before != nil {
			both.Certificates = slices.Concat(before.Certificates, later.Certificates)
		}
		both.Visit = func(u web.URL, r *http.Request) Reply {
			switch {
			case flag.Load():
				return later.reply(u, r)
			case before != nil:
				return before.reply(u, r)
			}
			return Reply{Status: 404, Title: "Nothing is here yet"}
		}
		endpoints[at] = both
	}
	player.now.Endpoints = endpoints
	player.Stage, err = Start(player.now)
	return player, err
}

// Do carries a task out on the stage: types its records, changes delegations, puts redirects in
// place. What is done at a provider and seen by nobody changes nothing here. An error comes back
// where a record cannot be read.
func (p *Player) Do(t plan.Task) error {
	switch t.Step.Kind {
	case act.RemoveStaleDS, act.RemoveDS:
		for _, zone := range t.Zones {
			p.edit(func(rr dns.RR) bool { return isSet(rr, zone, dns.TypeDS) }, nil)
		}
	case act.ChangeNameServers, act.DelegateZones:
		for _, z := range t.Zones {
			if err := p.delegate(z, t.Step.Servers); err != nil {
				return err
			}
		}
	case act.PlaceRedirects, act.ChoosePrimaries:
		p.replace(t.Place)
	}
	for _, l := range t.Lines {
		if err := p.line(l); err != nil {
			return err
		}
	}
	p.SetNames(p.now)
	return nil
}

// replace has the addresses of a carrier, or of the site, answer as planned.
func (p *Player) replace(place string) {
	addresses := p.plan.Estate.Site.Addresses
	if c := p.plan.Estate.Carrier(place); c != nil {
		addresses = c.Addresses
	}
	for _, a := range addresses {
		if flag := p.replaced[a]; flag != nil {
			flag.Store(true)
		}
	}
}

func isSet(rr dns.RR, name string, kind uint16) bool {
	return strings.EqualFold(rr.Header().Name, dns.Fqdn(name)) && rr.Header().Rrtype == kind
}

// edit takes records away from every zone, and adds others to those zones to which they belong.
func (p *Player) edit(goes func(dns.RR) bool, comes []dns.RR) {
	change := func(all []Zone) []Zone {
		changed := make([]Zone, len(all))
		for i, z := range all {
			records := slices.DeleteFunc(slices.Clone(z.Records), goes)
			for _, rr := range comes {
				if belongs(rr, z, all) {
					records = append(records, rr)
				}
			}
			changed[i] = Zone{z.Origin, records}
		}
		return changed
	}
	p.now.Zones = change(p.now.Zones)
	servers := map[netip.Addr]*NameServer{}
	for a, n := range p.now.NameServers {
		c := *n
		c.Zones = change(n.Zones)
		servers[a] = &c
	}
	p.now.NameServers = servers
}

// belongs reports whether a record stands in a zone: in that whose name is the longest around it,
// and a delegation in the one above.
func belongs(rr dns.RR, z Zone, all []Zone) bool {
	name := rr.Header().Name
	longest := ""
	for _, o := range all {
		delegates := rr.Header().Rrtype == dns.TypeNS && strings.EqualFold(o.Origin, name)
		if dns.IsSubDomain(o.Origin, name) && len(o.Origin) > len(longest) && !delegates {
			longest = o.Origin
		}
	}
	return strings.EqualFold(z.Origin, longest)
}

// delegate has the parent zone name other servers for a zone, and the zone name them itself.
func (p *Player) delegate(zone string, servers []string) error {
	var above []dns.RR
	for _, s := range servers {
		rr, err := dns.NewRR(fmt.Sprintf("%s 3600 IN NS %s", dns.Fqdn(zone), dns.Fqdn(s)))
		if err != nil {
			return fmt.Errorf("playing the name servers of %s: %w", zone, err)
		}
		above = append(above, rr)
	}
	p.edit(func(rr dns.RR) bool { return isSet(rr, zone, dns.TypeNS) }, above)
	within := func(all []Zone) {
		for i := range all {
			if strings.EqualFold(all[i].Origin, dns.Fqdn(zone)) {
				all[i].Records = append(all[i].Records, above...)
			}
		}
	}
	within(p.now.Zones)
	for _, n := range p.now.NameServers {
		within(n.Zones)
	}
	return nil
}

// line types one record.
func (p *Player) line(l plan.Line) error {
	kind, value := l.Type, l.Dotted
	values := []string{value}
	if kind == record.Alias { // the provider answers with addresses
		kind, values = "A", nil
		for _, d := range p.plan.Doors {
			if d.Door.Host.String() != l.Name || values != nil {
				continue
			}
			if c := p.plan.Estate.Carrier(d.Carrier); c != nil {
				for _, a := range c.Addresses {
					if a.Is4() {
						values = append(values, a.String())
					}
				}
			}
		}
	}
	if l.Value == "" {
		values = nil
	}
	var comes []dns.RR
	for _, v := range values {
		rr, err := dns.NewRR(fmt.Sprintf("%s %d IN %s %s", dns.Fqdn(l.Name), l.TTL, kind, v))
		if err != nil {
			return fmt.Errorf("playing %s %s: %w", l.Name, l.Type, err)
		}
		comes = append(comes, rr)
	}
	goes := func(dns.RR) bool { return false }
	switch was := record.Dotted(l.Type, l.Was); {
	case l.Do == act.Lower || l.Do == act.Raise:
		goes = func(rr dns.RR) bool {
			return slices.ContainsFunc(comes, func(c dns.RR) bool { return dns.IsDuplicate(c, rr) })
		}
	case l.Was != "":
		goes = func(rr dns.RR) bool {
			old, err := dns.NewRR(fmt.Sprintf("%s 0 IN %s %s", dns.Fqdn(l.Name), l.Type, was))
			return err == nil && old != nil && dns.IsDuplicate(old, rr)
		}
	}
	p.edit(goes, comes)
	return nil
}
