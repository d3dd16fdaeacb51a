package estate

import (
	"cmp"
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// Read makes an estate of the tree of an estate file. Everything that is wrong comes back, with
// line and column; the estate counts only where the list is empty.
func Read(root *Node) (*Estate, problem.List) { return read(root, false) }

// ReadUndecided makes an estate of which nobody has decided yet who carries its doors: for looking
// at what is there.
func ReadUndecided(root *Node) (*Estate, problem.List) { return read(root, true) }

func read(root *Node, undecided bool) (*Estate, problem.List) {
	b := builder{undecided: undecided, estate: &Estate{
		Policy: Policy{Hops: 1, Status: 301, Upgrade: Direct,
			Exempt: []string{"/.well-known/acme-challenge/"}},
		Vantages: map[string]Vantage{}, byName: map[web.Host]*Domain{},
	}, claimed: map[web.Host]string{}, behind: map[*Carrier]*Node{}}
	b.plain(root)
	b.estateFile(root)
	return b.estate, b.faults
}

// ReadVantage makes a vantage of the tree of a vantage file.
func ReadVantage(root *Node) (Vantage, problem.List) {
	var r reader
	r.plain(root)
	v := r.vantage(root)
	return v, r.faults
}

type builder struct {
	reader
	estate   *Estate
	defaults domainDefaults
	claimed  map[web.Host]string // host to who claims it
	behind   map[*Carrier]*Node

	siteCarrier *Node
	undecided   bool // who carries what may be left open
}

// domainDefaults is what holds for every domain that does not say otherwise.
type domainDefaults struct {
	carrier string  // who carries the doors
	byLabel *Node   // who does, host by host; nil where one carrier does, or nobody says
	entries []Entry // everything else, as it is written
	used    map[string]bool
}

func (b *builder) estateFile(root *Node) {
	e := b.estate
	var canonical, site, carriers, defaults, domains *Node
	keep := func(to **Node) func(*Node) { return func(n *Node) { *to = n } }
	b.mapping(root, "the estate file",
		field{"canonical", keep(&canonical)},
		field{"contact", func(n *Node) { e.Contact = b.text(n, "contact") }},
		field{"site", keep(&site)},
		field{"carriers", keep(&carriers)},
		field{"defaults", keep(&defaults)},
		field{"domains", keep(&domains)},
		field{"rules", func(n *Node) { e.Rules = b.text(n, "rules") }},
		field{"policy", b.policy},
		field{"vantages", b.vantages},
		field{"resolvers", func(n *Node) { b.estate.Resolvers = b.resolvers(n) }},
		field{"selectors", func(n *Node) {
			b.list(n, "selectors", func(i *Node) {
				e.Selectors = append(e.Selectors, b.text(i, "a selector"))
			})
		}},
		field{"registry", b.registry},
	)
	if root == nil || root.Kind != Mapping {
		if root == nil || root.Kind == Empty {
			b.fail(
				root,
				"the estate file is empty",
				"canonical: and domains:",
				"start from the list of domains; this program makes an estate file of it",
			)
		}
		return
	}
	b.canonical(root, canonical)
	b.site(site)
	b.carriers(carriers)
	b.serveSite()
	b.checkBehind()
	b.readDefaults(defaults)
	if domains == nil || domains.Kind == Empty || domains.Kind == List && len(domains.Items) == 0 {
		b.fail(
			cmp.Or(domains, root),
			"there are no domains",
			"domains: with a list",
			"add a line such as - name: lacemill-museum.example",
		)
		return
	}
	b.list(domains, "domains", b.domain)
	b.unusedDefaults()
}

func (b *builder) canonical(root, n *Node) {
	if n == nil {
		b.fail(
			root,
			"there is no canonical site",
			"canonical: https://www.northmoor.example",
			"name the scheme and host where everything must arrive",
		)
		return
	}
	u, err := web.ParseURL(b.text(n, "canonical"))
	switch {
	case err != nil:
		remedy := ""
		if _, hostErr := web.ParseHost(n.Text); hostErr == nil {
			remedy = "write https://" + n.Text
		}
		b.fail(n, "the canonical site is not a URL",
			"scheme and host such as https://www.northmoor.example", remedy)
	case u.Scheme() != web.HTTPS:
		b.fail(n, "the canonical site speaks http", "https", "write https://"+u.Host().String())
	case u.RequestURI() != "/":
		b.fail(n, "the canonical site is one page", "scheme and host alone", "write "+u.Door().String())
	default:
		if _, err := web.ParseHost(u.Host().String()); err != nil {
			b.fail(n, "the canonical site has no host name",
				"https and a host name such as https://www.northmoor.example", "")
			return
		}
		b.estate.Canonical = u.Door()
	}
}

func (b *builder) site(n *Node) {
	s := &b.estate.Site
	var hosts, alias *Node
	b.mapping(
		n,
		"site",
		field{"carrier", func(n *Node) { b.siteCarrier = n }},
		field{"hosts", func(n *Node) { hosts = n; s.Hosts = b.hosts(n, "a host of the site") }},
		field{
			"also",
			func(n *Node) {
				s.Also = b.hosts(n, "a further name of the site")
				b.claimAll(n, s.Also, "site.also")
			},
		},
		field{"addresses", func(n *Node) { s.Addresses = b.addresses(n, "site.addresses") }},
		field{"alias", func(n *Node) { alias = n; s.Alias = b.host(n, "site.alias") }},
		field{"pages", func(n *Node) { s.Pages = b.texts(n, "site.pages") }},
		field{"rules", func(n *Node) { s.Rules = b.text(n, "site.rules") }},
		field{"issuer", func(n *Node) { s.Issuer = b.text(n, "site.issuer") }},
	)
	c := b.estate.Canonical.Host
	if hosts == nil && !c.IsZero() {
		s.Hosts = []web.Host{c}
	}
	if hosts != nil && !c.IsZero() && !slices.Contains(s.Hosts, c) {
		b.fail(hosts, "the site does not serve the canonical host", c.String()+" among site.hosts",
			"add it")
	}
	b.claimAll(hosts, s.Hosts, "site.hosts")
	if !s.Alias.IsZero() && slices.Contains(s.Hosts, s.Alias) {
		b.fail(
			alias,
			"this is an alias to itself: the site serves that host",
			"the name at which the site's platform answers, such as sites.platform.example",
			"ask the platform for it, or write addresses: instead",
		)
	}
}

// serveSite finds who serves the site, and takes its addresses and alias for the site's, which may
// not be others.
func (b *builder) serveSite() {
	if b.siteCarrier == nil {
		return
	}
	c := b.findCarrier(b.siteCarrier, b.text(b.siteCarrier, "site.carrier"))
	if c == nil {
		return
	}
	if !c.By.Row().Serves {
		b.fail(b.siteCarrier, fmt.Sprintf("%s is %s, which serves no site", c.Name, c.By.Row().Title),
			"a carrier that is by: "+kindsThat(func(r Row) bool { return r.Serves }),
			"an edge network in front of the site goes under carrier: of its domain")
		return
	}
	s := &b.estate.Site
	others := !s.Alias.IsZero() && s.Alias != c.Alias ||
		slices.ContainsFunc(s.Addresses, func(a netip.Addr) bool {
			return !slices.Contains(c.Addresses, a)
		})
	if others {
		b.fail(b.siteCarrier,
			fmt.Sprintf("the site has other addresses, or another alias, than its carrier %s", c.Name),
			"the same", "write them down at the carrier alone")
	}
	s.Carrier, s.Addresses, s.Alias = c, c.Addresses, c.Alias
}

func (b *builder) claimAll(n *Node, hosts []web.Host, by string) {
	for i, h := range hosts {
		at := n
		if n != nil && n.Kind == List && len(n.Items) == len(hosts) {
			at = n.Items[i]
		}
		b.claim(at, h, by)
	}
}

func (b *builder) claim(n *Node, h web.Host, by string) {
	if other, taken := b.claimed[h]; taken {
		b.fail(
			n,
			fmt.Sprintf("the host %s is already claimed by %s", h, other),
			"each host once",
			"take it out of one of them",
		)
		return
	}
	b.claimed[h] = by
}

func (b *builder) carriers(n *Node) {
	if n == nil || n.Kind == Empty {
		return
	}
	if n.Kind != Mapping {
		b.fail(
			n,
			"carriers is "+n.Kind.String(),
			"a mapping from a name to a carrier",
			"write gateway: {by: server, addresses: [203.0.113.20]}",
		)
		return
	}
	for _, e := range n.Entries {
		if b.estate.Carrier(e.Key.Text) != nil {
			b.fail(e.Key, "two carriers have one name", "a name of its own for each", "rename one")
			continue
		}
		b.estate.Carriers = append(b.estate.Carriers, b.carrier(e.Key, e.Value))
	}
}

// software settles what a server runs: nothing is written for carriers of other kinds.
func (b *builder) software(c *Carrier, what string, said *Node) {
	switch kind := c.By.Row(); {
	case kind.Configured:
		c.Software = cmp.Or(c.Software, software[0])
	case said != nil && c.By != "":
		b.fail(
			said,
			what+" is "+kind.Title+", for which no configuration is written",
			"software: on a carrier that is by: "+kindsThat(func(r Row) bool { return r.Configured }),
			"drop it",
		)
	}
}

func (b *builder) carrier(key, n *Node) *Carrier {
	c := &Carrier{Name: key.Text, PatternsAtMost: -1, HostsAtMost: -1, RulesAtMost: -1}
	var keeps, tls, rules, steps, behind, runs *Node
	what := "carrier " + key.Text
	b.mapping(n, what,
		field{"by", func(n *Node) {
			c.By = CarrierKind(b.oneOf(n, what+": by", kindNames()...))
		}},
		field{"addresses", func(n *Node) { c.Addresses = b.addresses(n, what+": addresses") }},
		field{"alias", func(n *Node) { c.Alias = b.host(n, what+": alias") }},
		field{"certificate", func(n *Node) {
			c.Certificate = When(b.oneOf(n, what+": certificate", string(Before), string(After),
				string(ByHand)))
		}},
		field{"tls", func(n *Node) { tls = n }},
		field{"keeps", func(n *Node) { keeps = n }},
		field{"apex-only", func(n *Node) { c.ApexOnly = b.boolean(n, what+": apex-only") }},
		field{"name-servers", func(n *Node) { c.NameServers = b.hosts(n, what+": name-servers") }},
		field{"origin", func(n *Node) { c.Origin = b.oneOf(n, what+": origin", PlainOrigin, TLSOrigin) }},
		field{"behind", func(n *Node) { behind = n; c.Behind = b.text(n, what+": behind") }},
		field{"patterns-at-most", func(n *Node) {
			c.PatternsAtMost = b.number(n, what+": patterns-at-most", 0)
		}},
		field{"hosts-at-most", func(n *Node) { c.HostsAtMost = b.number(n, what+": hosts-at-most", 1) }},
		field{"rules-at-most", func(n *Node) { c.RulesAtMost = b.number(n, what+": rules-at-most", 0) }},
		field{"rules", func(n *Node) { rules = n }},
		field{"frames", func(n *Node) { c.Frames = b.boolean(n, what+": frames") }},
		field{"issuer", func(n *Node) { c.Issuer = b.text(n, what+": issuer") }},
		field{"software", func(n *Node) {
			runs, c.Software = n, b.oneOf(n, what+": software", software...)
		}},
		field{"steps", func(n *Node) { steps = n }},
		field{"wanted", func(n *Node) { b.list(n, what+": wanted", func(w *Node) { b.wantedBy(c, w) }) }},
	)
	kind := c.By.Row()
	if c.Certificate == "" {
		c.Certificate = cmp.Or(kind.Holds, Before)
	}
	b.software(c, what, runs)
	c.HoldsRules = kind.HoldsRules
	if rules != nil {
		c.HoldsRules = b.boolean(rules, what+": rules")
		if c.HoldsRules && kind.OneTarget {
			b.fail(
				rules,
				what+" is "+kind.Title+", which forwards to one place",
				"no rules there",
				"drop it, or give the hosts to a carrier that looks at paths",
			)
		}
	}
	b.steps(c, steps)
	if behind != nil {
		b.behind[c] = behind
		if !kind.PassesOn {
			b.fail(
				behind,
				what+" is not an edge network, so nothing can be behind it",
				"behind: on a carrier that is by: "+kindsThat(func(r Row) bool { return r.PassesOn }),
				"drop it",
			)
		}
	}
	c.TLS = kind.TLS
	if tls != nil {
		c.TLS = b.boolean(tls, what+": tls")
	}
	c.KeepsPath, c.KeepsQuery = kind.KeepsPath, kind.KeepsQuery
	if keeps != nil {
		c.KeepsPath, c.KeepsQuery = false, false
		b.list(keeps, what+": keeps", func(i *Node) {
			switch b.oneOf(i, what+": keeps", "path", "query") {
			case "path":
				c.KeepsPath = true
			case "query":
				c.KeepsQuery = true
			}
		})
	}
	if c.By == "" &&
		(n.Kind != Mapping ||
			!slices.ContainsFunc(n.Entries, func(e Entry) bool { return e.Key.Text == "by" })) {
		b.fail(key, what+" does not say what it is", "by: "+anyKind(), "")
	}
	if len(c.Addresses) == 0 && c.Alias.IsZero() && !b.undecided {
		b.fail(
			key,
			what+" has neither addresses nor an alias",
			"addresses: [203.0.113.20] or alias: sites.platform.example",
			"write down where it answers; the provider's page or the server's owner can tell",
		)
	}
	return c
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
			b.fail(e.Key, "no domain has a host "+label,
				"apex, www, or a host that some domain has under hosts:", "")
		}
	}
}

func (b *builder) fallback(n *Node, what string) Fallback {
	return Fallback(b.oneOf(n, what, string(SamePath), string(Home), string(Gone)))
}

func (b *builder) findCarrier(n *Node, name string) *Carrier {
	if c := b.estate.Carrier(name); c != nil {
		return c
	}
	var names []string
	for _, c := range b.estate.Carriers {
		names = append(names, c.Name)
	}
	remedy := "add it under carriers:"
	if near := problem.Nearest(name, names); near != "" {
		remedy = "did you mean " + near + "?"
	}
	b.fail(n, fmt.Sprintf("no carrier is called %s", name), "a name from carriers:", remedy)
	return nil
}

// domainNodes is what of a domain is read once its name is known.
type domainNodes struct{ name, leadsTo, carrier, hosts, wanted, needed *Node }

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
			b.fail(n, "a domain has no name", "name: lacemill-museum.example", "")
		}
		return
	}
	if !b.domainName(d, name) {
		return
	}
	d.LeadsTo = b.leadsTo(to.leadsTo)
	b.further(d, to.hosts)
	b.needed(d, to.needed)
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
			fmt.Sprintf("%s is a public suffix, under which others register", d.Name),
			"a domain that the client owns",
			"write the name below it",
		)
	case apex != d.Name:
		b.fail(
			n,
			fmt.Sprintf("%s is a host below the domain %s", d.Name, apex),
			"a registrable domain",
			fmt.Sprintf("write name: %s; further hosts go under hosts:", apex),
		)
	case b.estate.byName[d.Name] != nil:
		b.fail(n, "the domain appears twice", "each domain once", "drop one of them")
	default:
		return true
	}
	return false
}

// indexName reads the name of a file that stands for its folder.
func (b *builder) indexName(d *Domain, n *Node) {
	name := b.text(n, "index")
	if name == "" || strings.ContainsAny(name, "/?#{}*% ") {
		b.fail(n, "this is not a file name", "a name such as index.html", "")
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
			"leads-to is neither a path nor a URL",
			"a path on the canonical site such as /lacemill/, or a whole URL",
			"put / before a path or https:// before a host",
		)
		return home
	case u.Scheme() != web.HTTPS:
		b.fail(n, "leads-to speaks http", "https",
			"write "+u.At(web.Door{Scheme: web.HTTPS, Host: u.Host()}).String())
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
		switch {
		case err != nil || label == "":
			b.fail(i, "this is not a host below "+d.Name.String(),
				"a label such as shop, or a whole name below the domain", "")
		case h == d.Name.WWW() || label == d.Name.String():
			b.fail(i, "apex and www are there without being named", "further hosts such as shop", "drop it")
		default:
			d.Further = append(d.Further, h)
		}
	})
}

// needed reads the hosts that somebody else needs: who does, and where they have to be.
func (b *builder) needed(d *Domain, n *Node) {
	if n == nil || n.Kind == Empty {
		return
	}
	if n.Kind != Mapping {
		b.fail(
			n,
			"needed is "+n.Kind.String(),
			"a mapping from a host to who needs it",
			"write needed: {click: the mail service}",
		)
		return
	}
	for _, e := range n.Entries {
		h, ok := b.neededHost(d, e.Key)
		if !ok {
			continue
		}
		one := Needed{Host: h}
		if e.Value.Kind == Mapping {
			b.mapping(e.Value, "a needed host",
				field{"by", func(n *Node) { one.By = b.text(n, "needed: by") }},
				field{"to", func(n *Node) {
					one.To = strings.ToLower(strings.TrimSuffix(b.text(n, "needed: to"), "."))
				}},
			)
		} else {
			one.By = b.text(e.Value, "needed")
		}
		switch {
		case one.By == "":
			b.fail(e.Key, "nothing says who needs "+h.String(), "a name such as the mail service", "")
		case slices.Contains(d.Further, h):
			b.fail(e.Key, h.String()+" is among hosts: too, which are redirected", "one or the other",
				"take it out of hosts:")
		case b.estate.Serves(h):
			b.fail(e.Key, h.String()+" is a host that the site serves", "a host that somebody else needs",
				"drop it")
		}
		d.Needed = append(d.Needed, one)
	}
}

func (b *builder) neededHost(d *Domain, n *Node) (web.Host, bool) {
	switch n.Text {
	case "apex", "@":
		return d.Name, true
	case "www":
		return d.Name.WWW(), true
	}
	label := strings.TrimSuffix(strings.TrimSuffix(n.Text, "."), "."+d.Name.String())
	h, err := d.Name.Child(label)
	if err != nil || label == "" {
		b.fail(n, "this is not a host below "+d.Name.String(), "a label such as click, or apex or www",
			"")
		return h, false
	}
	return h, true
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
			"several carriers claim the doors of "+d.Name.String(),
			"one carrier for all its doors, or one a host",
			"write carrier: {apex: NAME, www: NAME}",
		)
	default:
		b.fail(n, "carrier is "+n.Kind.String(), "a name, or {apex: NAME, www: NAME}", "")
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
				fmt.Sprintf("nobody carries %s", h),
				"carrier: with a name from carriers:",
				"name one here or under defaults:",
			)
			return
		}
		d.Carry[h] = c
		if c != nil && c.Alias == h {
			b.fail(
				cmp.Or(n, name),
				fmt.Sprintf("%s would be an alias to itself: that is the alias of carrier %s", h, c.Name),
				"a carrier that lives at another name",
				"correct the carrier's alias",
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
	case named && c != nil && c != b.estate.Site.Carrier:
		b.fail(n, fmt.Sprintf("the site serves %s itself, and %s is named as its carrier", h, c.Name),
			"an edge network in front of the site, or nobody",
			"who serves the site is written as site.carrier: "+c.Name)
	}
	if b.estate.Site.Carrier != nil {
		d.Served[h] = b.estate.Site.Carrier
	}
}

func (b *builder) policy(n *Node) {
	p := &b.estate.Policy
	b.mapping(n, "policy",
		field{"hops", func(n *Node) { p.Hops = b.number(n, "policy: hops", 1) }},
		field{"status", func(n *Node) {
			p.Status = b.number(n, "policy: status", 301)
			if p.Status != 301 && p.Status != 308 && p.Status != 302 && p.Status != 307 {
				b.fail(n, "no redirect has this status", "301 or 308, or 302 or 307 for a trial", "")
			}
		}},
		field{"upgrade", func(n *Node) {
			p.Upgrade = b.oneOf(n, "policy: upgrade", Direct, SameHostFirst)
		}},
		field{"exempt", func(n *Node) {
			p.Exempt = nil
			b.list(n, "policy: exempt", func(i *Node) {
				path := b.text(i, "policy: exempt")
				if !strings.HasPrefix(path, "/") || path == "/" || strings.ContainsAny(path, "{}*?#") {
					b.fail(
						i,
						"this is not a path that can be exempt",
						"the beginning of a path such as /.well-known/acme-challenge/",
						"",
					)
					return
				}
				p.Exempt = append(p.Exempt, web.NormalPath(web.RemoveDotSegments(path)))
			})
		}},
	)
}

func (b *builder) registry(n *Node) {
	r := &b.estate.Registry
	b.mapping(n, "registry",
		field{"address", func(n *Node) {
			r.Address = b.text(n, "registry: address")
			if _, err := web.ParseURL(r.Address); err != nil {
				b.fail(
					n,
					"the registry's address is not a URL",
					"the base address of an RDAP service such as https://rdap.registry.example/",
					"",
				)
			}
		}},
		field{"bootstrap", func(n *Node) { r.Bootstrap = b.text(n, "registry: bootstrap") }},
	)
}

func (b *builder) vantages(n *Node) {
	if n.Kind != Mapping {
		b.fail(n, "vantages is "+n.Kind.String(), "a mapping from a name to a vantage", "")
		return
	}
	for _, e := range n.Entries {
		b.estate.Vantages[e.Key.Text] = b.vantage(e.Value)
	}
}

func (r *reader) vantage(n *Node) Vantage {
	var v Vantage
	r.mapping(n, "a vantage",
		field{"resolvers", func(n *Node) { v.Resolvers = r.resolvers(n) }},
		field{"proxy", func(n *Node) {
			v.Proxy = r.text(n, "proxy")
			if !ValidProxy(v.Proxy) {
				r.fail(n, "this proxy cannot be used", "socks5://HOST:PORT", "")
			}
		}},
		field{"trust", func(n *Node) { v.Trust = r.text(n, "trust") }},
		field{"timeout", func(n *Node) { v.Timeout = r.duration(n, "timeout") }},
	)
	return v
}

func (r *reader) resolvers(n *Node) []string {
	var all []string
	r.list(n, "resolvers", func(i *Node) {
		if addr, ok := ResolverAddress(r.text(i, "a resolver")); ok {
			all = append(all, addr)
		} else {
			r.fail(i, "this is not a resolver",
				"an IP address, with or without a port, such as 192.0.2.53:53", "")
		}
	})
	return all
}

// ResolverAddress gives the address and port of a resolver; the port is 53 where none is named.
func ResolverAddress(s string) (string, bool) {
	if a, err := netip.ParseAddr(s); err == nil {
		return netip.AddrPortFrom(a, 53).String(), true
	}
	ap, err := netip.ParseAddrPort(s)
	return ap.String(), err == nil && ap.Port() != 0
}

// ValidProxy reports whether this is a SOCKS5 proxy's URL.
func ValidProxy(s string) bool {
	u, err := url.Parse(s)
	return err == nil && u.Scheme == "socks5" && u.Port() != "" && u.Hostname() != "" && u.User == nil
}
