package estate

import (
	"cmp"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/scope"
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
		Vantages: map[string]Vantage{}, byName: map[web.Host]*Domain{}, Keep: scope.DefaultKeep,
	}, claimed: map[web.Host]string{}, behind: map[*Carrier]*Node{}}
	b.plain(root)
	b.estateFile(root)
	return b.estate, b.faults
}

type builder struct {
	reader
	estate   *Estate
	defaults domainDefaults
	claimed  map[web.Host]string // host to who claims it
	behind   map[*Carrier]*Node

	siteCarrier  *Node
	siteCarriers []siteCarrier // of further sites
	undecided    bool          // who carries what may be left open
}

func (b *builder) estateFile(root *Node) {
	e := b.estate
	var canonical, site, further, carriers, defaults, domains *Node
	keep := func(to **Node) func(*Node) { return func(n *Node) { *to = n } }
	b.mapping(root, "the estate file",
		field{"canonical", keep(&canonical)},
		field{"contact", func(n *Node) { e.Contact = b.text(n, "contact") }},
		field{"site", keep(&site)},
		field{"further-sites", keep(&further)},
		field{"elsewhere", b.elsewhere},
		field{"carriers", keep(&carriers)},
		field{"defaults", keep(&defaults)},
		field{"domains", keep(&domains)},
		field{"rules", func(n *Node) { e.Rules = b.text(n, "rules") }},
		field{"policy", b.policy},
		field{"vantages", b.vantages},
		field{"places", b.places},
		field{"resolvers", func(n *Node) { b.estate.Resolvers = b.resolvers(n) }},
		field{"selectors", func(n *Node) {
			b.list(n, "selectors", func(i *Node) {
				e.Selectors = append(e.Selectors, b.text(i, "a selector"))
			})
		}},
		field{"registry", b.registry},
		field{"accept", func(n *Node) { b.list(n, "accept", b.accept) }},
		field{"keep", b.keep},
		field{"time-zone", func(n *Node) { e.TimeZone = b.text(n, "time-zone") }},
		field{"from", func(n *Node) { e.From = b.text(n, "from") }},
		field{"as-written", func(n *Node) { e.AsWritten = b.texts(n, "as-written") }},
	)
	if root == nil || root.Kind != Mapping {
		if root == nil || root.Kind == Empty {
			b.fail(
				root,
				fact.EstateEmpty{},
			)
		}
		return
	}
	b.estate.Canonical = b.canonical(root, canonical)
	b.site(site)
	if further != nil && further.Kind != Empty {
		b.list(further, "further-sites", b.furtherSite)
	}
	b.carriers(carriers)
	b.serveSite()
	b.checkBehind()
	b.readDefaults(defaults)
	if domains == nil || domains.Kind == Empty || domains.Kind == List && len(domains.Items) == 0 {
		b.fail(
			cmp.Or(domains, root),
			fact.NoDomains{},
		)
		return
	}
	b.list(domains, "domains", b.domain)
	b.unusedDefaults()
}
