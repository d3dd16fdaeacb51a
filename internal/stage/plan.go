package stage

import (
	"cmp"
	"context"
	"fmt"
	"net/netip"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
)

// Where the stage puts what the estate does not place: the site where it names no address, and
// hosts outside the estate.
var (
	siteStandIn    = netip.MustParseAddr("192.0.2.254")
	outsideStandIn = netip.MustParseAddr("192.0.2.253")
)

// FromPlan makes the scene that stands after a plan was carried out: its records, its certificates,
// and at every address what the carrier there answers for the hosts that it carries, and for no
// others.
func FromPlan(p *plan.Plan) (Scene, error) {
	b := planScene{
		plan:    p,
		loose:   Zone{Origin: "."},
		scene:   Scene{Endpoints: map[netip.AddrPort]*Endpoint{}},
		carried: map[netip.Addr]map[web.Host]bool{},
	}
	e := p.Estate
	site := e.Site.Addresses
	if len(site) == 0 {
		site = []netip.Addr{siteStandIn}
	}
	for _, z := range p.Zones {
		if err := b.zone(z); err != nil {
			return Scene{}, err
		}
	}
	placed := map[web.Host]bool{}
	place := func(h web.Host, addresses []netip.Addr) {
		if !h.IsZero() && !placed[h] {
			placed[h] = true
			b.addresses(h, addresses)
		}
	}
	for _, h := range e.Site.Also {
		place(h, site)
	}
	place(e.Site.Alias, site)
	for _, c := range e.Carriers {
		place(c.Alias, aliasHome(c))
	}
	for _, h := range e.Site.Hosts {
		if e.DomainOf(h) == nil || len(e.Site.Addresses) == 0 && e.Site.Alias.IsZero() {
			place(h, site)
		}
		b.carries(b.siteHome(h, site), h)
	}
	for _, h := range e.Site.Also {
		b.carries(site, h)
	}
	for _, d := range p.Domains() {
		for h, c := range d.Carry {
			b.carries(aliasHome(c), h)
		}
	}
	for _, h := range b.outside() {
		place(h, []netip.Addr{outsideStandIn})
		b.carries([]netip.Addr{outsideStandIn}, h)
	}
	b.endpoints(site)
	b.scene.Zones = append(b.zones, b.loose)
	return b.scene, nil
}

// siteHome gives where a host of the site is met: at the site, or at the edge network in front of
// it.
func (b *planScene) siteHome(h web.Host, site []netip.Addr) []netip.Addr {
	if d := b.plan.Estate.DomainOf(h); d != nil && d.Through[h] != nil {
		return aliasHome(d.Through[h])
	}
	return site
}

// aliasHome gives the addresses of a carrier; one that names only an alias gets the stand-in.
func aliasHome(c *estate.Carrier) []netip.Addr {
	if len(c.Addresses) == 0 {
		return []netip.Addr{outsideStandIn}
	}
	return c.Addresses
}

type planScene struct {
	plan    *plan.Plan
	scene   Scene
	zones   []Zone
	loose   Zone // records of names outside the estate's zones
	carried map[netip.Addr]map[web.Host]bool
}

func (b *planScene) zone(z zone.Zone) error {
	zone := Zone{Origin: z.Name + "."}
	var apexAliases []string // the world sees the addresses
	lines := []string{
		fmt.Sprintf("%s. 3600 IN SOA ns.stage.example. hostmaster.stage.example. 1 7200 3600 1209600 300",
			z.Name),
	}
	for _, r := range z.Records {
		if r.Type == record.Alias {
			apexAliases = append(apexAliases, r.Name)
			continue
		}
		for _, v := range r.Set().Values {
			lines = append(lines, fmt.Sprintf("%s. %d IN %s %s", r.Name, r.TTL, r.Type, v))
		}
	}
	for _, l := range lines {
		rr, err := dns.NewRR(l)
		if err != nil {
			return fmt.Errorf("putting the record %q on the stage: %w", l, err)
		}
		zone.Records = append(zone.Records, rr)
	}
	b.zones = append(b.zones, zone)
	for _, name := range apexAliases {
		h, err := web.ParseHost(name)
		if err != nil {
			return fmt.Errorf("putting the alias of %s on the stage: %w", name, err)
		}
		home := b.plan.Estate.Site.Addresses
		if d := b.plan.Estate.DomainOf(h); d != nil && d.Carry[h] != nil {
			home = aliasHome(d.Carry[h])
		}
		b.addresses(h, home)
	}
	return nil
}

// addresses puts a host's addresses into the zone that holds it, or among the loose names.
func (b *planScene) addresses(h web.Host, addresses []netip.Addr) {
	to := &b.loose
	for i := range b.zones {
		if dns.IsSubDomain(b.zones[i].Origin, h.String()+".") {
			to = &b.zones[i]
		}
	}
	for _, a := range addresses {
		kind := "A"
		if a.Is6() {
			kind = "AAAA"
		}
		if rr, err := dns.NewRR(fmt.Sprintf("%s. 3600 IN %s %s", h, kind, a)); err == nil {
			to.Records = append(to.Records, rr)
		}
	}
}

func (b *planScene) carries(addresses []netip.Addr, h web.Host) {
	for _, a := range addresses {
		if b.carried[a] == nil {
			b.carried[a] = map[web.Host]bool{}
		}
		b.carried[a][h] = true
	}
}

// outside gives the hosts outside the estate to which the plan leads.
func (b *planScene) outside() []web.Host {
	var hosts []web.Host
	seen := map[web.Host]bool{}
	for _, ask := range b.plan.Asks(true) {
		h := b.plan.Goal(ask.URL).Target.Host()
		if !h.IsZero() && !seen[h] && !b.plan.Estate.Holds(h) {
			hosts = append(hosts, h)
		}
		seen[h] = true
	}
	return hosts
}

// endpoints puts http and https at every address where somebody is carried.
func (b *planScene) endpoints(site []netip.Addr) {
	plain := map[netip.Addr]bool{}
	for _, c := range b.plan.Estate.Carriers {
		for _, a := range aliasHome(c) {
			plain[a] = !c.TLS
		}
	}
	certificates := b.certificates(site)
	for a, hosts := range b.carried {
		answer := func(u web.URL) Reply {
			if !hosts[u.Host()] {
				return Reply{Status: 421}
			}
			answer := b.plan.Web.Answer(context.Background(), chain.Ask{URL: u})
			reply := Reply{Status: cmp.Or(answer.Status, 421), Location: answer.Location}
			// what the site itself sends is its own business
			if u.Scheme() == web.HTTPS && reply.Status == 200 {
				reply.Headers = map[string]string{"Strict-Transport-Security": "max-age=31536000"}
			}
			return reply
		}
		b.scene.Endpoints[netip.AddrPortFrom(a, 80)] = &Endpoint{Answer: answer}
		if !plain[a] {
			b.scene.Endpoints[netip.AddrPortFrom(a, 443)] = &Endpoint{Answer: answer,
				Certificates: certificates[a]}
		}
	}
}

// certificates gives what the plan says that each address holds.
func (b *planScene) certificates(site []netip.Addr) map[netip.Addr][]Certificate {
	held := map[netip.Addr][]Certificate{}
	for _, c := range b.plan.Certificates {
		addresses := site
		if carrier := b.plan.Estate.Carrier(c.Carrier); carrier != nil && c.Domain != "" {
			addresses = aliasHome(carrier)
		}
		for _, a := range addresses {
			held[a] = append(held[a], Certificate{Names: c.Names})
		}
	}
	for h := range b.carried[outsideStandIn] {
		held[outsideStandIn] = append(held[outsideStandIn], Certificate{Names: []string{h.String()}})
	}
	return held
}
