package stage

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/files"
)

// Where the stage puts what the estate does not place: the site where it names no address, and
// hosts outside the estate.
var (
	siteStandIn    = netip.MustParseAddr("192.0.2.254")
	outsideStandIn = netip.MustParseAddr("192.0.2.253")
)

// Typed is what people typed, as it stands in the files that they typed from.
type Typed struct {
	Zones map[string][]byte // zone files by zone
	Rows  []world.Row       // of sheets, each with its place
}

// TypedOf gives what a plan has people type: its zone files, and the rows of its sheets.
func TypedOf(p *plan.Plan) (Typed, error) {
	t := Typed{Zones: map[string][]byte{}, Rows: p.Rows(p.Sheets())}
	for i := range p.Zones {
		z := &p.Zones[i]
		sets, err := p.File(z)
		if err != nil {
			continue // nobody has seen it: its records are those that are typed
		}
		text, err := files.ZoneText(z.Name, sets, "", files.Marks{})
		if err != nil {
			return t, fmt.Errorf("writing the zone %s for the stage: %w", z.Name, err)
		}
		t.Zones[z.Name] = text
	}
	return t, nil
}

// FromPlan makes the scene that stands after a plan was carried out, from what it has people type.
func FromPlan(p *plan.Plan) (Scene, error) {
	t, err := TypedOf(p)
	if err != nil {
		return Scene{}, err
	}
	return FromTyped(p, t)
}

// FromTyped makes the scene that stands once something is typed: the records of the zone files, and
// at every address what the carrier there answers for the hosts that it was told of, and for no
// others, with the certificates that it was told to get. Of the plan it takes where carriers are.
// An error comes back where a zone cannot be read.
func FromTyped(p *plan.Plan, t Typed) (Scene, error) {
	b, err := sceneOf(p, t)
	if err != nil {
		return Scene{}, err
	}
	return b.scene, nil
}

func sceneOf(p *plan.Plan, t Typed) (*planScene, error) {
	b := &planScene{plan: p, loose: Zone{Origin: "."}, told: p.Told(t.Rows),
		scene: Scene{Endpoints: map[netip.AddrPort]*Endpoint{}}, who: map[netip.Addr][]string{}}
	e := p.Estate
	for _, z := range p.Zones {
		if err := b.zone(z.Name, t); err != nil {
			return nil, err
		}
	}
	placed := map[web.Host]bool{}
	place := func(h web.Host, addresses []netip.Addr) {
		if !h.IsZero() && !placed[h] {
			placed[h] = true
			b.addresses(h, addresses)
		}
	}
	for _, s := range e.Sites() {
		for _, h := range s.Also {
			place(h, b.siteHome(s))
		}
		place(s.Alias, b.siteHome(s))
	}
	for _, c := range e.Carriers {
		place(c.Alias, aliasHome(c))
	}
	for _, s := range e.Sites() {
		for _, h := range s.Hosts {
			if e.DomainOf(h) == nil || len(s.Addresses) == 0 && s.Alias.IsZero() && len(b.found(h)) == 0 {
				b.clear(h)
				place(h, b.siteHome(s))
			}
		}
	}
	b.outsiders = b.outside()
	for _, h := range b.outsiders {
		b.clear(h)
		place(h, []netip.Addr{outsideStandIn})
	}
	b.endpoints()
	b.scene.Zones = append(b.zones, b.loose)
	return b, nil
}

// aliasHome gives the addresses of a carrier; one that names only an alias gets the stand-in.
func aliasHome(c *estate.Carrier) []netip.Addr {
	if len(c.Addresses) == 0 {
		return []netip.Addr{outsideStandIn}
	}
	return c.Addresses
}

type planScene struct {
	plan      *plan.Plan
	told      predict.Typed
	scene     Scene
	zones     []Zone
	loose     Zone // records of names outside the estate's zones
	outsiders []web.Host
	who       map[netip.Addr][]string // carriers and the site, by address; "" for hosts outside
}

// zone reads the file of a zone. Without one its records are the rows that are typed. What the
// provider does with a row that no zone file can hold is played: an alias at the apex, a name that
// an edge network answers with its own addresses.
func (b *planScene) zone(name string, t Typed) error {
	text := t.Zones[name]
	if text == nil {
		text = fromRows(name, t.Rows)
	}
	_, records, err := files.ZoneOf(name+".zone", text, name)
	if err != nil {
		return fmt.Errorf("putting the zone %s on the stage: %w", name, err)
	}
	zone := Zone{Origin: name + ".", Records: records}
	for _, r := range t.Rows {
		if r.Zone != name || r.Value == "" || r.Through == "" && r.Type != record.Alias ||
			!slices.Contains([]world.Action{world.Add, world.Replace}, r.Do) {
			continue
		}
		owner, err := record.Name(r.Label, name)
		if err != nil {
			continue // nobody can type it
		}
		leads := b.homeOf(r.Value)
		if c := b.plan.Estate.Carrier(r.Through); c != nil {
			leads = aliasHome(c)
		}
		zone.Records = slices.DeleteFunc(zone.Records, func(rr dns.RR) bool {
			return strings.EqualFold(rr.Header().Name, owner+".") &&
				record.LeadsToAddress(dns.TypeToString[rr.Header().Rrtype])
		})
		for _, a := range leads {
			zone.Records = append(zone.Records, addressRecord(owner, a))
		}
	}
	b.zones = append(b.zones, zone)
	return nil
}

// siteHome gives the addresses of a site: those that the estate names, or else those at which its
// hosts stand already; one that nobody knows has a stand-in.
func (b *planScene) siteHome(s *estate.Site) []netip.Addr {
	if len(s.Addresses) > 0 {
		return s.Addresses
	}
	var all []netip.Addr
	for _, h := range s.Hosts {
		for _, a := range b.found(h) {
			if !slices.Contains(all, a) {
				all = append(all, a)
			}
		}
	}
	if len(all) == 0 {
		return []netip.Addr{siteStandIn}
	}
	return all
}

// found gives the addresses of a host as they stand in the zones of the estate.
func (b *planScene) found(h web.Host) []netip.Addr {
	var all []netip.Addr
	for _, z := range b.zones {
		for _, rr := range z.Records {
			if !strings.EqualFold(rr.Header().Name, h.String()+".") {
				continue
			}
			var at netip.Addr
			switch rr := rr.(type) {
			case *dns.A:
				at, _ = netip.AddrFromSlice(rr.A.To4())
			case *dns.AAAA:
				at, _ = netip.AddrFromSlice(rr.AAAA)
			}
			if at.IsValid() {
				all = append(all, at)
			}
		}
	}
	return all
}

// homeOf gives the addresses at which an alias ends.
func (b *planScene) homeOf(alias string) []netip.Addr {
	alias = strings.TrimSuffix(alias, ".")
	for _, c := range b.plan.Estate.Carriers {
		if c.Alias.String() == alias {
			return aliasHome(c)
		}
	}
	for _, s := range b.plan.Estate.Sites() {
		if s.Alias.String() == alias {
			return b.siteHome(s)
		}
	}
	return []netip.Addr{outsideStandIn}
}

// fromRows writes a zone that holds the rows that are typed in it.
func fromRows(name string, rows []world.Row) []byte {
	text := fmt.Sprintf("%s. 3600 IN SOA ns.stage.example. hostmaster.stage.example. 1 7200 3600 "+
		"1209600 300\n%[1]s. 3600 IN NS ns.stage.example.\n", name)
	for _, r := range rows {
		if r.Zone != name || r.Value == "" || r.Type == record.Alias ||
			!slices.Contains([]world.Action{world.Add, world.Replace}, r.Do) {
			continue
		}
		owner, err := record.Name(r.Label, name)
		value, wrong := record.Value(r.Type, r.Value)
		if err == nil && wrong == nil {
			text += fmt.Sprintf("%s. %d IN %s %s\n", owner, r.TTL, r.Type, value)
		}
	}
	return []byte(text)
}

func addressRecord(name string, a netip.Addr) dns.RR {
	header := dns.RR_Header{Name: name + ".", Class: dns.ClassINET, Ttl: 3600, Rrtype: dns.TypeA}
	if a.Is4() {
		return &dns.A{Hdr: header, A: a.AsSlice()}
	}
	header.Rrtype = dns.TypeAAAA
	return &dns.AAAA{Hdr: header, AAAA: a.AsSlice()}
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
		to.Records = append(to.Records, addressRecord(h.String(), a))
	}
}

// clear takes the records away that lead a host of the estate to somebody outside.
func (b *planScene) clear(h web.Host) {
	for i := range b.zones {
		b.zones[i].Records = slices.DeleteFunc(b.zones[i].Records, func(rr dns.RR) bool {
			return strings.EqualFold(rr.Header().Name, h.String()+".") &&
				record.LeadsToAddress(dns.TypeToString[rr.Header().Rrtype])
		})
	}
}

// outside gives the hosts to which the plan leads and that nobody of the estate carries: those
// outside of it, and those that answer as they do today.
func (b *planScene) outside() []web.Host {
	var hosts []web.Host
	seen := map[web.Host]bool{}
	for _, ask := range b.plan.Asks(true) {
		h := b.plan.Goal(ask.URL).Target.Host()
		lives := func() bool {
			return b.plan.Web.Treatment(web.Door{Scheme: web.HTTPS, Host: h}).Does == predict.Outside
		}
		if !h.IsZero() && !seen[h] && (!b.plan.Estate.Holds(h) || lives()) {
			hosts = append(hosts, h)
		}
		seen[h] = true
	}
	return hosts
}

// endpoints puts http and https at every address where somebody is: what answers there is what
// those who are there were told.
func (b *planScene) endpoints() {
	who := b.who
	secure := map[netip.Addr]bool{}
	held := map[netip.Addr][]Certificate{}
	put := func(name string, at []netip.Addr, tls bool, certified []string) {
		for _, a := range at {
			who[a] = append(who[a], name)
			secure[a] = secure[a] || tls
			if len(certified) > 0 {
				held[a] = append(held[a], Certificate{Names: certified})
			}
		}
	}
	for _, c := range b.plan.Estate.Carriers {
		put(c.Name, aliasHome(c), c.TLS, b.certified(c))
	}
	for _, c := range b.plan.Certificates {
		if c.Domain != "" {
			continue
		}
		for _, s := range b.plan.Estate.Sites() {
			if h, err := web.ParseHost(c.Names[0]); err == nil && (slices.Contains(s.Hosts, h) ||
				slices.Contains(s.Also, h)) {
				put(predict.SiteName, b.siteHome(s), true, c.Names)
			}
		}
	}
	for a, names := range who {
		b.listen(a, secure[a], held[a], names...)
	}
	if len(b.outsiders) > 0 {
		for _, h := range b.outsiders {
			held[outsideStandIn] = append(held[outsideStandIn], Certificate{Names: []string{h.String()}})
		}
		who[outsideStandIn] = append(who[outsideStandIn], "")
		b.listen(outsideStandIn, true, held[outsideStandIn], who[outsideStandIn]...)
	}
}

// certified gives the hosts for which a carrier holds a certificate: those for which it was told to
// get one; where it has no page for that, all of which it was told.
func (b *planScene) certified(c *estate.Carrier) []string {
	all := b.told.State.Holds(c.Name)
	if slices.Contains(c.Steps, estate.Issue) || !c.TLS {
		return all
	}
	for _, d := range b.plan.Domains() {
		for _, h := range d.Hosts() {
			if b.told.State.Knows(c.Name, h) && !slices.Contains(all, h.String()) {
				all = append(all, h.String())
			}
		}
	}
	return all
}

// listen has an address answer for those who are there; "" stands for hosts outside the estate.
func (b *planScene) listen(a netip.Addr, tls bool, held []Certificate, who ...string) {
	answer := func(u web.URL) Reply {
		if reply, told := b.reply(b.told, u, who); told {
			return reply
		}
		return Reply{Status: 421}
	}
	b.scene.Endpoints[netip.AddrPortFrom(a, 80)] = &Endpoint{Answer: answer}
	if tls && len(held) > 0 {
		b.scene.Endpoints[netip.AddrPortFrom(a, 443)] = &Endpoint{Answer: answer, Certificates: held}
	} else if tls {
		b.scene.Endpoints[netip.AddrPortFrom(a, 443)] = &Endpoint{Answer: answer,
			Certificates: []Certificate{{Names: []string{"nobody.stage.example"}}}}
	}
}

// reply gives what those at an address answer, as they were told; false where none was told of the
// host.
func (b *planScene) reply(told predict.Typed, u web.URL, who []string) (Reply, bool) {
	if slices.Contains(who, "") && slices.Contains(b.outsiders, u.Host()) {
		return Reply{Status: 200}, true
	}
	for _, name := range who {
		if name == "" || name == predict.SiteName && !b.plan.Web.IsSite(u.Host()) {
			continue
		}
		d := b.plan.Meant().At(told, name, u.Door())
		if d.Does == predict.Refuses || d.Does == predict.Outside && !b.plan.Web.IsSite(u.Host()) {
			continue
		}
		a := d.Answer(u)
		reply := Reply{Status: a.Status, Location: a.Location}
		if a.Headers != nil {
			reply.Headers = map[string]string{}
			for name, text := range map[string]string{"Strict-Transport-Security": a.Headers.HSTS,
				"Cache-Control": a.Headers.Cache} {
				if text != "" {
					reply.Headers[name] = text
				}
			}
		}
		// what the site itself sends is its own business
		if u.Scheme() == web.HTTPS && reply.Status == 200 {
			reply.Headers = map[string]string{"Strict-Transport-Security": "max-age=31536000"}
		}
		if reply.Status != 0 {
			return reply, true
		}
	}
	return Reply{}, false
}
