package estate

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

var carrierKeys = []Key{
	{"carriers", "by", "text", kindNames(), "", "server", "What it is. It has to be there."},
	{
		"carriers",
		"addresses",
		"addresses",
		nil,
		"",
		"[203.0.113.20]",
		"Where it answers; all of them form one record set.",
	},
	{
		"carriers",
		"alias",
		"host",
		nil,
		"",
		"sites.platform.example",
		"Where it answers, as a name. Addresses or an alias have to be there.",
	},
	{
		"carriers",
		"certificate",
		"text",
		[]string{string(Before), string(After), string(ByHand)},
		"before; of a redirect service and an account: after",
		"after",
		"Whether it can hold a certificate before a name points to it.",
	},
	{
		"carriers",
		"software",
		"text",
		software,
		software[0],
		software[1],
		"What a server of your own runs: which configuration is written for it.",
	},
	{"carriers", "tls", "yes or no", nil, "yes; of a form: no", "no", "Whether it answers https."},
	{
		"carriers",
		"keeps",
		"list of text",
		[]string{"path", "query"},
		"[path, query]; of a form: []",
		"[path]",
		"What it hands on.",
	},
	{"carriers", "apex-only", "yes or no", nil, "no", "yes", "It takes no www and no further host."},
	{
		"carriers",
		"name-servers",
		"list of hosts",
		nil,
		"",
		"[ns1.edge.example, ns2.edge.example]",
		"The name servers that a zone must have for it to work.",
	},
	{
		"carriers",
		"origin",
		"text",
		[]string{PlainOrigin, TLSOrigin},
		TLSOrigin,
		"plain",
		"How an edge network asks its origin.",
	},
	{"carriers", "behind", "text", nil, "", "gateway",
		"Which carrier answers behind an edge network, or site."},
	{"carriers", "patterns-at-most", "number", nil, "", "3",
		"How many patterns with stars it takes."},
	{"carriers", "hosts-at-most", "number", nil, "", "5", "How many hosts it takes."},
	{"carriers", "rules-at-most", "number", nil, "", "500", "How many rules it takes."},
	{
		"carriers",
		"rules",
		"yes or no",
		nil,
		"yes, where its kind can",
		"no",
		"Whether it looks at paths, or leads whole hosts only.",
	},
	{
		"carriers",
		"frames",
		"yes or no",
		nil,
		"no",
		"yes",
		"A form that shows the target in a frame instead of redirecting.",
	},
	{"carriers", "issuer", "text", nil, "", "ca.example",
		"Who issues its certificates, as CAA records name it."},
	{
		"carriers",
		"steps",
		"list of text",
		[]string{string(Claim), string(Issue), string(Point), string(Redirect)},
		"[claim, certificate, records, redirect]",
		"[claim, records, certificate, redirect]",
		"The order in which a platform accepts things.",
	},
	{
		"carriers",
		"wanted",
		"list of wanted",
		nil,
		"",
		`[{name: _claim, type: TXT, value: "claim=museums"}]`,
		"Records that it asks for at each domain that it carries.",
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
			b.fail(n, "an edge network is behind an edge network", "a server or platform",
				"name what answers in the end")
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
			"carrier "+c.Name+" has steps, which only a carrier that is by: "+kindsThat(
				func(r Row) bool { return r.OwnSteps },
			)+" has",
			"no steps here",
			"drop it",
		)
		return
	}
	c.Steps = nil
	b.list(n, "steps", func(i *Node) {
		s := CarrierStep(b.oneOf(i, "steps", string(Claim), string(Point), string(Issue),
			string(Redirect)))
		if slices.Contains(c.Steps, s) {
			b.fail(i, "the step appears twice", "each step once", "drop one of them")
		}
		c.Steps = append(c.Steps, s)
	})
}
