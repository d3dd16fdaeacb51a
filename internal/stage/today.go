package stage

import (
	"net/netip"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// FromSurvey makes the scene of today, as the survey of a plan saw it: the records of the zones,
// and at every address what each host answered there first. What nobody saw answers with a page:
// how a door answers today matters less than whether it still does.
//
// Names outside of the estate are where the plan puts them: the site and the carriers are there.
func FromSurvey(p *plan.Plan) (Scene, error) {
	b := &todayScene{plan: p, scene: Scene{Endpoints: map[netip.AddrPort]*Endpoint{}},
		answers: map[web.Door]Reply{}, loose: map[string]bool{}, refused: map[string]bool{}}
	typed, err := TypedOf(p)
	if err != nil {
		return b.scene, err
	}
	planned, err := sceneOf(p, typed)
	v := p.Seen()
	if err != nil || v == nil {
		return b.scene, err
	}
	for i := range v.Domains {
		d := &v.Domains[i]
		if !d.Seen() || p.Estate.DomainOf(web.MustParseHost(d.Name)) == nil {
			continue
		}
		z := Zone{Origin: dns.Fqdn(d.Name)}
		for _, s := range d.Records {
			if record.IsSigning(s.Type) {
				continue // the stage signs nothing anew that it has no key for
			}
			z.Records = append(z.Records, recordsOf(s)...)
		}
		b.scene.Zones = append(b.scene.Zones, z)
		for _, c := range d.Chains {
			b.saw(c)
		}
	}
	b.outside(planned.loose)
	for _, z := range b.scene.Zones {
		for _, rr := range z.Records {
			if a, is := addressOf(rr); is {
				b.listen(a)
			}
		}
	}
	return b.scene, nil
}

type todayScene struct {
	plan    *plan.Plan
	scene   Scene
	answers map[web.Door]Reply
	loose   map[string]bool
	refused map[string]bool       // hosts whose certificate browsers refuse today
	at      map[string]netip.Addr // where aliases of hosts were seen to end
}

func recordsOf(s record.Set) []dns.RR {
	var all []dns.RR
	for _, v := range s.Values {
		rr, err := dns.NewRR(dns.Fqdn(s.Name) + " 300 IN " + s.Type + " " + v)
		if err == nil && rr != nil {
			rr.Header().Ttl = uint32(max(0, s.TTL))
			all = append(all, rr)
		}
	}
	return all
}

func addressOf(rr dns.RR) (netip.Addr, bool) {
	switch rr := rr.(type) {
	case *dns.A:
		return netip.AddrFromSlice(rr.A.To4())
	case *dns.AAAA:
		return netip.AddrFromSlice(rr.AAAA.To16())
	}
	return netip.Addr{}, false
}

// saw notes how a door answered, and where its aliases ended.
func (b *todayScene) saw(c chain.Chain) {
	if c.Probe != chain.Root || len(c.Hops) == 0 {
		return
	}
	first := c.Hops[0]
	if first.TLS != nil && len(first.TLS.Faults) > 0 {
		b.refused[c.Entry.Host().String()] = true
	}
	if first.Refusal == "" && first.Status > 0 {
		b.answers[c.Entry.Door()] = Reply{Status: first.Status, Location: first.Location}
	}
	at, err := netip.ParseAddrPort(first.Address)
	if err != nil {
		return
	}
	if b.at == nil {
		b.at = map[string]netip.Addr{}
	}
	for _, alias := range first.Aliases {
		b.at[dns.Fqdn(strings.ToLower(alias))] = at.Addr()
	}
}

// outside adds names outside of the estate: those of the plan, and those to which aliases lead,
// where they were seen to end.
func (b *todayScene) outside(loose Zone) {
	for _, rr := range loose.Records {
		b.loose[rr.Header().Name] = true
	}
	for _, z := range b.scene.Zones {
		for _, rr := range z.Records {
			alias, is := rr.(*dns.CNAME)
			if !is || b.loose[alias.Target] || slices.ContainsFunc(b.scene.Zones, func(z Zone) bool {
				return dns.IsSubDomain(z.Origin, alias.Target)
			}) {
				continue
			}
			b.loose[alias.Target] = true
			at, seen := b.at[strings.ToLower(alias.Target)]
			if !seen {
				at = outsideStandIn
			}
			loose.Records = append(loose.Records,
				addressRecord(strings.TrimSuffix(alias.Target, "."), at))
		}
	}
	b.scene.Zones = append(b.scene.Zones, loose)
}

// listen has an address answer as its hosts were seen to.
func (b *todayScene) listen(a netip.Addr) {
	answer := func(u web.URL) Reply {
		if reply, seen := b.answers[u.Door()]; seen {
			return reply
		}
		d := b.plan.Estate.DomainOf(u.Host())
		if b.plan.Web.IsSite(u.Host()) || d != nil && d.State == estate.Moved {
			if a := b.plan.Web.Treatment(u.Door()).Answer(u); a.Status != 0 {
				return Reply{Status: a.Status, Location: a.Location} // nothing of the plan changes it
			}
		}
		return Reply{Status: 200, Title: "As it is today"}
	}
	b.scene.Endpoints[netip.AddrPortFrom(a, 80)] = &Endpoint{Answer: answer}
	var names []string
	for _, d := range b.plan.Doors {
		if host := d.Door.Host.String(); !b.refused[host] {
			names = append(names, host)
		}
	}
	slices.Sort(names)
	names = slices.Compact(names)
	if len(names) == 0 {
		names = []string{"today.stage.example"}
	}
	b.scene.Endpoints[netip.AddrPortFrom(a, 443)] = &Endpoint{Answer: answer,
		Certificates: []Certificate{{Names: names}}}
}
