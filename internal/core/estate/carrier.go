package estate

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

var carrierKeys = []Key{
	{"carriers", "by", "text", kindNames(), "", "server"},
	{
		"carriers",
		"addresses",
		"addresses",
		nil,
		"",
		"[203.0.113.20]",
	},
	{
		"carriers",
		"alias",
		"host",
		nil,
		"",
		"sites.platform.example",
	},
	{
		"carriers",
		"certificate",
		"text",
		[]string{string(Before), string(After), string(ByHand)},
		"",
		"after",
	},
	{
		"carriers",
		"software",
		"text",
		software,
		software[0],
		software[1],
	},
	{"carriers", "challenges", "text", nil, "", `"127.0.0.1:8008"`},
	{"carriers", "place", "text", nil, "", "/etc/nginx/museums"},
	{"carriers", "tls", "yes or no", nil, "", "no"},
	{
		"carriers",
		"keeps",
		"list of text",
		[]string{"path", "query"},
		"",
		"[path]",
	},
	{"carriers", "apex-only", "yes or no", nil, "no", "yes"},
	{
		"carriers",
		"name-servers",
		"list of hosts",
		nil,
		"",
		"[ns1.edge.example, ns2.edge.example]",
	},
	{
		"carriers",
		"origin",
		"text",
		[]string{PlainOrigin, TLSOrigin},
		TLSOrigin,
		"plain",
	},
	{"carriers", "behind", "text", nil, "", "gateway"},
	{"carriers", "patterns-at-most", "number", nil, "", "3"},
	{"carriers", "hosts-at-most", "number", nil, "", "5"},
	{"carriers", "rules-at-most", "number", nil, "", "500"},
	{
		"carriers",
		"rules",
		"yes or no",
		nil,
		"",
		"no",
	},
	{
		"carriers",
		"frames",
		"yes or no",
		nil,
		"no",
		"yes",
	},
	{"carriers", "issuer", "text", nil, "", "ca.example"},
	{
		"carriers",
		"steps",
		"list of text",
		[]string{string(Claim), string(Issue), string(Point), string(Redirect)},
		"[claim, certificate, records, redirect]",
		"[claim, records, certificate, redirect]",
	},
	{
		"carriers",
		"wanted",
		"list of wanted",
		nil,
		"",
		`[{name: _claim, type: TXT, value: "claim=museums"}]`,
	},
}

// When says when a carrier can hold the certificate of a name.
type When string

// The moments: before the name points to the carrier, after it, or when somebody puts it there.
const (
	Before When = "before"
	After  When = "after"
	ByHand When = "by-hand"
)

// How an edge network speaks to what is behind it.
const (
	PlainOrigin = "plain"
	TLSOrigin   = "tls"
)

// Carrier is whoever answers a door with a redirect, with its limits.
type Carrier struct {
	Name        string
	By          CarrierKind
	Addresses   []netip.Addr
	Alias       web.Host
	Certificate When
	TLS         bool
	KeepsPath   bool
	KeepsQuery  bool
	ApexOnly    bool
	NameServers []web.Host
	Origin      string // plain: it speaks http to what is behind it
	// an edge: the carrier to which it passes everything on; "" for nobody
	Behind         string
	BehindSite     bool          // an edge: what it lets through goes to the site
	PatternsAtMost int           // -1: no limit
	HostsAtMost    int           // -1: no limit
	RulesAtMost    int           // of all its hosts together; -1: no limit
	HoldsRules     bool          // it can look at paths and lead each elsewhere
	Frames         bool          // it shows the target in a frame instead of redirecting
	Issuer         string        // who issues its certificates (CAA); "" where nobody says
	Steps          []CarrierStep // what is done there, in the order in which it accepts it
	Wanted         []Wanted
	Software       string // of a server whose redirects are written as a configuration file
	Place          string // of such a server: the folder in which its files will lie
	Challenges     string // of such a server: the address and port that answer exempt paths
}

// IsAll reports whether all of some addresses are the carrier's own, and there are any.
func (c *Carrier) IsAll(addresses []netip.Addr) bool {
	return len(addresses) > 0 && !slices.ContainsFunc(addresses, func(a netip.Addr) bool {
		return !slices.Contains(c.Addresses, a)
	})
}

func (b *builder) carriers(n *Node) {
	if n == nil || n.Kind == Empty {
		return
	}
	if n.Kind != Mapping {
		b.fail(
			n,
			fact.CarriersShape{Kind: n.Kind.String()},
		)
		return
	}
	for _, e := range n.Entries {
		if b.estate.Carrier(e.Key.Text) != nil {
			b.fail(e.Key, fact.CarrierTwice{})
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
			fact.NoConfiguration{What: what, Title: kind.Title,
				Kinds: kindsThat(func(r Row) bool { return r.Configured })},
		)
	}
}

func (b *builder) carrier(key, n *Node) *Carrier {
	c := &Carrier{Name: key.Text, PatternsAtMost: -1, HostsAtMost: -1, RulesAtMost: -1}
	var keeps, tls, rules, steps, behind, runs, challenges, place *Node
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
		field{"place", func(n *Node) {
			if place, c.Place = n, b.text(n, what+": place"); !strings.HasPrefix(c.Place, "/") {
				b.fail(n, fact.NotPlace{})
			}
		}},
		field{"challenges", func(n *Node) {
			challenges, c.Challenges = n, b.text(n, what+": challenges")
			if at, err := netip.ParseAddrPort(c.Challenges); err != nil || at.Port() == 0 {
				b.fail(n, fact.NotAddressPort{})
			}
		}},
		field{"steps", func(n *Node) { steps = n }},
		field{"wanted", func(n *Node) { b.list(n, what+": wanted", func(w *Node) { b.wantedBy(c, w) }) }},
	)
	kind := c.By.Row()
	said := c.Certificate
	if c.Certificate == "" {
		c.Certificate = cmp.Or(kind.Holds, Before)
	}
	b.software(c, what, runs)
	b.software(c, what, challenges)
	b.software(c, what, place)
	c.HoldsRules = kind.HoldsRules
	if rules != nil {
		c.HoldsRules = b.boolean(rules, what+": rules")
		if c.HoldsRules && kind.OneTarget {
			b.fail(
				rules,
				fact.FormWithRules{What: what, Title: kind.Title},
			)
		}
	}
	b.steps(c, steps)
	if point, issue := slices.Index(c.Steps, Point), slices.Index(c.Steps, Issue); steps != nil &&
		point >= 0 && issue > point && said == "" {
		c.Certificate = After
	}
	if behind != nil {
		b.behind[c] = behind
		if !kind.PassesOn {
			b.fail(
				behind,
				fact.NothingBehind{What: what, Kinds: kindsThat(func(r Row) bool { return r.PassesOn })},
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
		b.fail(key, fact.CarrierKindless{What: what, Kinds: anyKind()})
	}
	if len(c.Addresses) == 0 && c.Alias.IsZero() && !b.undecided {
		b.fail(
			key,
			fact.CarrierNowhere{What: what},
		)
	}
	return c
}

func (b *builder) findCarrier(n *Node, name string) *Carrier {
	if c := b.estate.Carrier(name); c != nil {
		return c
	}
	var names []string
	for _, c := range b.estate.Carriers {
		names = append(names, c.Name)
	}
	b.fail(n, fact.CarrierUnknown{Name: name, Near: problem.Nearest(name, names)})
	return nil
}

func (b *builder) wantedBy(c *Carrier, n *Node) {
	if w, ok := b.wantedIn("", n); ok {
		w.By = c.Name
		c.Wanted = append(c.Wanted, w)
	}
}

// checkBehind checks what is behind edge networks.
func (b *builder) checkBehind() {
	for c, n := range b.behind {
		if c.Behind == "site" && b.estate.Carrier("site") == nil {
			c.Behind, c.BehindSite = "", true
			b.siteBehind(n, c)
			continue
		}
		other := b.findCarrier(n, c.Behind)
		if other != nil && (other == c || other.By.Row().PassesOn) {
			b.fail(n, fact.EdgeBehindEdge{})
		}
	}
}

// steps reads the order in which a platform accepts what it is told.
func (b *builder) steps(c *Carrier, n *Node) {
	c.Steps = stepsOf(c.By.Row(), c.Certificate)
	if n == nil {
		return
	}
	if !c.By.Row().OwnSteps {
		b.fail(
			n,
			fact.StepsElsewhere{Name: c.Name, Kinds: kindsThat(
				func(r Row) bool { return r.OwnSteps },
			)},
		)
		return
	}
	c.Steps = nil
	b.list(n, "steps", func(i *Node) {
		s := CarrierStep(b.oneOf(i, "steps", string(Claim), string(Point), string(Issue),
			string(Redirect)))
		if slices.Contains(c.Steps, s) {
			b.fail(i, fact.StepTwice{})
		}
		c.Steps = append(c.Steps, s)
	})
}
