package estate

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

var domainKeys = []Key{
	{"domains", "name", "host", nil, "", "lacemill-museum.example"},
	{
		"domains",
		"leads-to",
		"path",
		nil,
		"/",
		"/lacemill/",
	},
	{
		"domains",
		"carrier",
		"text",
		nil,
		"the only carrier",
		"{apex: registrar, www: gateway}",
	},
	{"domains", "hosts", "list of hosts", nil, "", "[shop]"},
	{
		"domains",
		"needed",
		"needed",
		nil,
		"",
		"{click: the mail service}",
	},
	{
		"domains",
		"fallback",
		"text",
		[]string{"same-path", "home", "gone"},
		"same-path",
		"home",
	},
	{
		"domains",
		"mail",
		"text",
		[]string{"keep", "none"},
		"keep",
		"none",
	},
	{"domains", "wave", "number", nil, "1", "2"},
	{
		"domains",
		"state",
		"text",
		[]string{string(Planned), string(Moved), string(Leave)},
		"planned",
		"moved",
	},
	{"domains", "renews", "date", nil, "", "2027-03-01"},
	{"domains", "registrar", "text", nil, "", "Registrar A"},
	{"domains", "records-at", "text", nil, "", "Registrar A"},
	{
		"domains",
		"records-from",
		"text",
		nil,
		"records-at",
		"Old host",
	},
	{
		"domains",
		"wanted",
		"list of wanted",
		nil,
		"",
		`[{name: _check, type: TXT, value: "proof=4711"}]`,
	},
	{"domains", "apex-alias", "yes or no", nil, "no", "yes"},
	{
		"domains",
		"name-servers",
		"list of hosts",
		nil,
		"",
		"[ns1.registrar-a.example, ns2.registrar-a.example]",
	},
	{
		"domains",
		"origin",
		"origin",
		nil,
		"",
		"{apex: 192.0.2.10, shop: shops.host.example}",
	},
	{"domains", "ignore-case", "yes or no", nil, "no", "yes"},
	{
		"domains",
		"slash",
		"text",
		[]string{"exact", "either"},
		"exact",
		"either",
	},
	{"domains", "index", "list of text", nil, "", "[index.html]"},
	{
		"domains",
		"note",
		"text",
		nil,
		"",
		"bought with the merger",
	},
}

// Fallback says what happens where no rule matches.
type Fallback string

// The fallbacks.
const (
	SamePath Fallback = "same-path" // the same path below leads-to
	Home     Fallback = "home"      // leads-to
	Gone     Fallback = "gone"      // 410
)

// State says how far a domain is.
type State string

// The states. A domain that is to be left is not planned and not audited.
const (
	Planned State = "planned"
	Moved   State = "moved"
	Leave   State = "leave"
)

// Domain is one registrable domain of the estate.
type Domain struct {
	Name     web.Host
	LeadsTo  web.URL
	Fallback Fallback
	// who carries the doors of a host; the site's own hosts have none
	Carry       map[web.Host]*Carrier
	Further     []web.Host // hosts beside apex and www
	Needed      []Needed   // hosts that somebody else needs, which are left alone
	Mail        string     // keep or none
	Wave        int
	State       State
	Renews      time.Time
	Registrar   string
	RecordsAt   string // where the records are typed from the move on
	RecordsFrom string // where they are typed today; "" where nobody says
	Wanted      []Wanted
	Note        string
	Line        int // in the estate file

	Through   map[web.Host]*Carrier // the edge in front of a host that the site serves
	Served    map[web.Host]*Carrier // who serves a host of the site, where somebody says
	Paths     rule.Mode             // how its old site compared paths
	ApexAlias bool                  // the zone's provider offers an alias at the apex
	// to which the zone is to move, or where it stays; none: nobody says
	NameServers []web.Host
	// what stands behind an edge network that holds the zone today, by host: addresses, or one name;
	// "" for all hosts that are not named
	Origin map[string][]string
}

// OriginOf gives what stands behind the edge network that answers at a name today: addresses, or a
// name; nothing where nobody says.
func (d *Domain) OriginOf(name string) []string {
	if own, said := d.Origin[name]; said {
		return own
	}
	return d.Origin[""]
}

// MovesTo returns the name servers that the zone should have: the domain's own, or those of an edge
// that carries one of its hosts; none where nobody says.
func (d *Domain) MovesTo() []web.Host {
	if len(d.NameServers) > 0 {
		return d.NameServers
	}
	if c := d.Edge(); c != nil {
		return c.NameServers
	}
	return nil
}

// AnsweredBy reports whether a carrier answers at a host: it carries it, stands in front of the
// site there, or serves the site there.
func (d *Domain) AnsweredBy(h web.Host, c *Carrier) bool {
	return c != nil && (d.Carry[h] == c || d.Through[h] == c || d.Served[h] == c)
}

// Edge returns the edge network that takes the zone over, nil where none does.
func (d *Domain) Edge() *Carrier {
	for _, h := range d.Hosts() {
		for _, c := range []*Carrier{d.Carry[h], d.Through[h]} {
			if c != nil && c.By.Row().TakesZone && len(c.NameServers) > 0 {
				return c
			}
		}
	}
	return nil
}

// Hosts returns apex, www and the further hosts, but for those that somebody else needs.
func (d *Domain) Hosts() []web.Host {
	all := append([]web.Host{d.Name, d.Name.WWW()}, d.Further...)
	return slices.DeleteFunc(all, func(h web.Host) bool { return d.NeededBy(h) != "" })
}

// Star gives the wildcard of a domain that redirects; the zero value where none does.
func (d *Domain) Star() web.Host {
	if star := d.Name.Star(); slices.Contains(d.Further, star) {
		return star
	}
	return web.Host{}
}

// domainDefaults is what holds for every domain that does not say otherwise.
type domainDefaults struct {
	carrier string  // who carries the doors
	byLabel *Node   // who does, host by host; nil where one carrier does, or nobody says
	entries []Entry // everything else, as it is written
	used    map[string]bool
}

func (b *builder) readDefaults(n *Node) {
	d := &b.defaults
	d.used = map[string]bool{}
	known := b.domainFields(&Domain{}, &domainNodes{})
	for i, f := range known {
		known[i].take = func(v *Node) { d.entries = append(d.entries, Entry{&Node{Text: f.key}, v}) }
		if f.key == "carrier" {
			known[i].take = b.defaultCarrier
		}
	}
	known = slices.DeleteFunc(known, func(f field) bool { return f.key == "name" })
	b.mapping(n, "defaults", known...)
	if d.carrier == "" && len(b.estate.Carriers) == 1 {
		d.carrier = b.estate.Carriers[0].Name
	}
}

func (b *builder) defaultCarrier(n *Node) {
	if n.Kind == Mapping {
		b.defaults.byLabel = n
		return
	}
	if b.defaults.carrier = b.text(n, "defaults: carrier"); b.defaults.carrier != "" {
		b.findCarrier(n, b.defaults.carrier)
	}
}

// withDefaults adds to what a domain says what holds for all of them.
func (b *builder) withDefaults(n *Node) *Node {
	whole := *n
	whole.Entries = slices.Clone(n.Entries)
	for _, e := range b.defaults.entries {
		if !slices.ContainsFunc(n.Entries, func(own Entry) bool { return own.Key.Text == e.Key.Text }) {
			whole.Entries = append(whole.Entries, e)
		}
	}
	return &whole
}

// carryByDefault gives who carries which hosts of a domain where it says nothing itself.
func (b *builder) carryByDefault(d *Domain) map[string]*Carrier {
	byLabel := map[string]*Carrier{}
	if b.defaults.byLabel == nil {
		return byLabel
	}
	for _, e := range b.defaults.byLabel.Entries {
		c := b.findCarrier(e.Value, b.text(e.Value, "defaults: carrier"))
		for _, h := range d.Hosts() {
			if label := d.label(h); label == e.Key.Text {
				b.defaults.used[label] = true
				if !b.estate.Serves(h) {
					byLabel[label] = c
				}
			}
		}
	}
	return byLabel
}

// unusedDefaults says where a default is for a host that no domain has.
func (b *builder) unusedDefaults() {
	if b.defaults.byLabel == nil {
		return
	}
	for _, e := range b.defaults.byLabel.Entries {
		if label := e.Key.Text; !b.defaults.used[label] && label != "apex" && label != "www" {
			b.fail(e.Key, fact.NoSuchLabel{Label: label})
		}
	}
}

func (b *builder) fallback(n *Node, what string) Fallback {
	return Fallback(b.oneOf(n, what, string(SamePath), string(Home), string(Gone)))
}

// domainNodes is what of a domain is read once its name is known.
type domainNodes struct{ name, leadsTo, carrier, hosts, wanted, needed, origin *Node }

// domainFields gives the keys of a domain, which are those of defaults too, apart from its name.
func (b *builder) domainFields(d *Domain, to *domainNodes) []field {
	return []field{
		{"name", func(n *Node) { to.name = n }},
		{"leads-to", func(n *Node) { to.leadsTo = n }},
		{"carrier", func(n *Node) { to.carrier = n }},
		{"hosts", func(n *Node) { to.hosts = n }},
		{"needed", func(n *Node) { to.needed = n }},
		{"fallback", func(n *Node) { d.Fallback = b.fallback(n, "fallback") }},
		{"mail", func(n *Node) { d.Mail = b.oneOf(n, "mail", "keep", "none") }},
		{"wave", func(n *Node) { d.Wave = b.number(n, "wave", 1) }},
		{"state", func(n *Node) {
			d.State = State(b.oneOf(n, "state", string(Planned), string(Moved), string(Leave)))
		}},
		{"renews", func(n *Node) { d.Renews = b.date(n, "renews") }},
		{"registrar", func(n *Node) { d.Registrar = b.text(n, "registrar") }},
		{"records-at", func(n *Node) { d.RecordsAt = b.text(n, "records-at") }},
		{"records-from", func(n *Node) { d.RecordsFrom = b.text(n, "records-from") }},
		{"wanted", func(n *Node) { to.wanted = n }},
		{"apex-alias", func(n *Node) { d.ApexAlias = b.boolean(n, "apex-alias") }},
		{"name-servers", func(n *Node) { d.NameServers = b.hosts(n, "name-servers") }},
		{"origin", func(n *Node) { to.origin = n }},
		{"ignore-case", func(n *Node) { d.Paths.IgnoreCase = b.boolean(n, "ignore-case") }},
		{"slash", func(n *Node) {
			d.Paths.EitherSlash = b.oneOf(n, "slash", "exact", "either") == "either"
		}},
		{"index", func(n *Node) { b.list(n, "index", func(i *Node) { b.indexName(d, i) }) }},
		{"note", func(n *Node) { d.Note = b.text(n, "note") }},
	}
}

func (b *builder) domain(n *Node) {
	d := &Domain{
		Carry:    map[web.Host]*Carrier{},
		Through:  map[web.Host]*Carrier{},
		Served:   map[web.Host]*Carrier{},
		Fallback: SamePath,
		Mail:     "keep",
		Wave:     1,
		State:    Planned,
		Line:     n.Line,
	}
	var to domainNodes
	if n.Kind == Scalar {
		n = &Node{Line: n.Line, Column: n.Column, Kind: Mapping,
			Entries: []Entry{{&Node{Text: "name"}, n}}}
	}
	b.mapping(b.withDefaults(n), "a domain", b.domainFields(d, &to)...)
	name := to.name
	if name == nil {
		if n.Kind == Mapping {
			b.fail(n, fact.DomainNameless{})
		}
		return
	}
	if !b.domainName(d, name) {
		return
	}
	d.LeadsTo = b.leadsTo(to.leadsTo)
	main, _ := b.estate.Canonical.Host.Apex()
	if to.leadsTo == nil && d.Name != main { // the domain of a further site leads there
		for _, s := range b.estate.Further {
			if home, ok := s.Canonical.Host.Apex(); ok && home == d.Name {
				d.LeadsTo = s.Canonical.URL("/", "")
			}
		}
	}
	b.further(d, to.hosts)
	b.needed(d, to.needed)
	b.origin(d, to.origin)
	for _, h := range d.Hosts() {
		if !b.estate.Serves(h) {
			b.claim(name, h, "domain "+d.Name.String())
		}
	}
	b.carry(d, name, to.carrier)
	b.allWanted(d, to.wanted)
	b.estate.Domains = append(b.estate.Domains, d)
	b.estate.byName[d.Name] = d
}

func (b *builder) domainName(d *Domain, n *Node) bool {
	d.Name = b.host(n, "a domain's name")
	if d.Name.IsZero() {
		return false
	}
	apex, ok := d.Name.Apex()
	switch {
	case !ok:
		b.fail(
			n,
			fact.PublicSuffix{Name: d.Name.String()},
		)
	case apex != d.Name:
		b.fail(
			n,
			fact.HostNotDomain{Name: d.Name.String(), Apex: apex.String()},
		)
	case b.estate.byName[d.Name] != nil:
		b.fail(n, fact.DomainTwice{})
	default:
		return true
	}
	return false
}

// indexName reads the name of a file that stands for its folder.
func (b *builder) indexName(d *Domain, n *Node) {
	name := b.text(n, "index")
	if name == "" || strings.ContainsAny(name, "/?#{}*% ") {
		b.fail(n, fact.FileName{})
		return
	}
	d.Paths.Index = append(d.Paths.Index, name)
}

func (b *builder) leadsTo(n *Node) web.URL {
	home := b.estate.Canonical.URL("/", "")
	if n == nil || b.estate.Canonical.IsZero() {
		return home
	}
	s := b.text(n, "leads-to")
	if strings.HasPrefix(s, "/") {
		path, query, _ := strings.Cut(s, "?")
		return b.estate.Canonical.URL(path, query)
	}
	u, err := web.ParseURL(s)
	switch {
	case err != nil:
		b.fail(
			n,
			fact.LeadsToNeither{},
		)
		return home
	case u.Scheme() != web.HTTPS:
		b.fail(n, fact.LeadsToHTTP{URL: u.At(web.Door{Scheme: web.HTTPS, Host: u.Host()}).String()})
	}
	return u
}

func (b *builder) further(d *Domain, n *Node) {
	if n == nil {
		return
	}
	b.list(n, "hosts", func(i *Node) {
		label := b.text(i, "a further host")
		label = strings.TrimSuffix(strings.TrimSuffix(label, "."), "."+d.Name.String())
		h, err := d.Name.Child(label)
		if label == "*" {
			h, err = d.Name.Star(), nil
		}
		switch {
		case err != nil || label == "":
			b.fail(i, fact.HostOutside{Domain: d.Name.String()})
		case h == d.Name.WWW() || label == d.Name.String():
			b.fail(i, fact.HostThereAnyway{})
		default:
			d.Further = append(d.Further, h)
		}
	})
}

// origin reads what stands behind an edge network today: for all hosts, or host by host.
func (b *builder) origin(d *Domain, n *Node) {
	if n == nil || n.Kind == Empty {
		return
	}
	d.Origin = map[string][]string{}
	if n.Kind != Mapping {
		d.Origin[""] = b.origins(n)
		return
	}
	for _, e := range n.Entries {
		name := d.Name.String()
		switch label := strings.TrimSuffix(e.Key.Text, "."+d.Name.String()); label {
		case "apex", "@", name:
		default:
			h, err := d.Name.Child(label)
			if err != nil {
				b.fail(e.Key, fact.HostOutside{Domain: d.Name.String()})
				continue
			}
			name = h.String()
		}
		d.Origin[name] = b.origins(e.Value)
	}
}

// origins reads addresses, or one name.
func (b *builder) origins(n *Node) []string {
	var all []string
	b.list(n, "origin", func(i *Node) {
		text := strings.TrimSuffix(b.text(i, "origin"), ".")
		if a, err := netip.ParseAddr(text); err == nil {
			all = append(all, a.Unmap().String())
			return
		}
		if h := b.host(i, "origin"); !h.IsZero() {
			if len(all) > 0 || n.Kind == List && len(n.Items) > 1 {
				b.fail(i, fact.OriginMixed{})
			}
			all = append(all, h.String())
		}
	})
	return all
}

// label names a host of a domain as carrier: does.
func (d *Domain) label(h web.Host) string {
	if h == d.Name {
		return "apex"
	}
	return strings.TrimSuffix(h.String(), "."+d.Name.String())
}

// carry finds who carries the doors of each host that the site does not serve itself.
func (b *builder) carry(d *Domain, name, n *Node) {
	byLabel := b.carryByDefault(d)
	fallback := b.defaults.carrier
	switch {
	case n == nil:
	case n.Kind == Scalar:
		clear(byLabel)
		fallback = n.Text
		b.findCarrier(n, n.Text)
	case n.Kind == Mapping:
		fields := []field{{"apex", nil}, {"www", nil}} // understood even where somebody else needs them
		for _, h := range d.Further {
			fields = append(fields, field{d.label(h), nil})
		}
		for i, f := range fields {
			fields[i].take = func(n *Node) { byLabel[f.key] = b.findCarrier(n, b.text(n, "carrier")) }
		}
		b.mapping(n, "carrier", fields...)
	case n.Kind == List && len(n.Items) > 1:
		b.fail(
			n,
			fact.CarriersClaim{Domain: d.Name.String()},
		)
	default:
		b.fail(n, fact.CarrierShape{Kind: n.Kind.String()})
	}
	for _, h := range d.Hosts() {
		if b.estate.Serves(h) {
			b.served(d, h, n, byLabel)
			continue
		}
		c, named := byLabel[d.label(h)]
		if !named {
			c = b.estate.Carrier(fallback)
		}
		if c == nil && !named && fallback == "" && b.undecided {
			continue
		}
		if c == nil && !named && fallback == "" {
			b.fail(
				cmp.Or(n, name),
				fact.NobodyCarries{Host: h.String()},
			)
			return
		}
		d.Carry[h] = c
		if c != nil && c.Alias == h {
			b.fail(
				cmp.Or(n, name),
				fact.CarrierAliasItself{Host: h.String(), Carrier: c.Name},
			)
		}
	}
}

// served finds who answers at a host that the site serves: the edge in front of it, which the
// domain's own line names for it, or else whoever serves the site.
func (b *builder) served(d *Domain, h web.Host, n *Node, byLabel map[string]*Carrier) {
	c, named := byLabel[d.label(h)]
	if n != nil && n.Kind == Scalar {
		c = b.estate.Carrier(n.Text)
	}
	switch {
	case c != nil && c.By.Row().PassesOn:
		d.Through[h] = c
		b.siteBehind(n, c)
	case named && c != nil && c != b.estate.SiteOf(h).Carrier:
		b.fail(n, fact.SiteServesItself{Host: h.String(), Carrier: c.Name})
	}
	if by := b.estate.SiteOf(h).Carrier; by != nil {
		d.Served[h] = by
	}
}
