package estate

import (
	"net/netip"
	"slices"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

var siteKeys = []Key{
	{
		"site",
		"hosts",
		"list of hosts",
		nil,
		"the canonical host",
		"[www.northmoor.example]",
	},
	{
		"site",
		"also",
		"list of hosts",
		nil,
		"",
		"[northmoor.platform.example]",
	},
	{"site", "addresses", "addresses", nil, "", "[203.0.113.10, 2001:db8:10::10]"},
	{"site", "alias", "host", nil, "", "sites.platform.example"},
	{
		"site",
		"pages",
		"list of paths",
		nil,
		"",
		"[pages.txt, crawl.csv]",
	},
	{"site", "rules", "path", nil, "", "site-rules.csv"},
	{"site", "issuer", "text", nil, "", "ca.example"},
	{
		"site",
		"carrier",
		"text",
		nil,
		"",
		"platform",
	},
}

// Site is the canonical site and where it lives.
type Site struct {
	Canonical web.Door   // of a further one; of the first it is the estate's
	Hosts     []web.Host // what the site itself serves
	Also      []web.Host // other names at which the same site is reachable
	Addresses []netip.Addr
	Alias     web.Host
	Carrier   *Carrier // who serves it; nil: nobody says
	Pages     []string // files with the pages that exist; nil: nobody says
	Rules     string   // file with what the site redirects by itself
	Issuer    string
}

func (b *builder) canonical(root, n *Node) web.Door {
	if n == nil && b.undecided { // before anything is chosen
		return web.Door{}
	}
	if n == nil {
		b.fail(
			root,
			fact.NoCanonical{},
		)
		return web.Door{}
	}
	u, err := web.ParseURL(b.text(n, "canonical"))
	switch {
	case err != nil:
		host := ""
		if _, hostErr := web.ParseHost(n.Text); hostErr == nil {
			host = n.Text
		}
		b.fail(n, fact.CanonicalNotURL{Host: host})
	case u.Scheme() != web.HTTPS:
		b.fail(n, fact.CanonicalHTTP{Host: u.Host().String()})
	case u.RequestURI() != "/":
		b.fail(n, fact.CanonicalPage{Door: u.Door().String()})
	default:
		if _, err := web.ParseHost(u.Host().String()); err != nil {
			b.fail(n, fact.CanonicalNoHost{})
			return web.Door{}
		}
		return u.Door()
	}
	return web.Door{}
}

// furtherSite reads a further canonical site: its canonical door, and the keys of site.
func (b *builder) furtherSite(n *Node) {
	if n.Kind != Mapping {
		b.fail(n, fact.FurtherShape{})
		return
	}
	canonical := &Node{}
	rest := *n
	rest.Entries = nil
	for _, e := range n.Entries {
		if e.Key.Text == "canonical" {
			canonical = e.Value
			continue
		}
		rest.Entries = append(rest.Entries, e)
	}
	s := Site{}
	if canonical.Kind == Empty && canonical.Line == 0 {
		b.fail(n, fact.FurtherShape{})
		return
	}
	s.Canonical = b.canonical(n, canonical)
	b.siteKeys(&rest, &s, s.Canonical.Host, "further-sites")
	b.estate.Further = append(b.estate.Further, s)
}

func (b *builder) site(n *Node) {
	b.siteKeys(n, &b.estate.Site, b.estate.Canonical.Host, "site")
}

// siteKeys reads the keys of a site whose canonical host is known.
func (b *builder) siteKeys(n *Node, s *Site, c web.Host, what string) {
	var hosts, alias *Node
	b.mapping(
		n,
		"site",
		field{"carrier", func(n *Node) {
			if s == &b.estate.Site {
				b.siteCarrier = n
				return
			}
			b.siteCarriers = append(b.siteCarriers, siteCarrier{len(b.estate.Further), n})
		}},
		field{"hosts", func(n *Node) { hosts = n; s.Hosts = b.hosts(n, "site.hosts") }},
		field{
			"also",
			func(n *Node) {
				s.Also = b.hosts(n, "site.also")
				b.claimAll(n, s.Also, what+".also")
			},
		},
		field{"addresses", func(n *Node) { s.Addresses = b.addresses(n, "site.addresses") }},
		field{"alias", func(n *Node) { alias = n; s.Alias = b.host(n, "site.alias") }},
		field{"pages", func(n *Node) { s.Pages = b.texts(n, "site.pages") }},
		field{"rules", func(n *Node) { s.Rules = b.text(n, "site.rules") }},
		field{"issuer", func(n *Node) { s.Issuer = b.text(n, "site.issuer") }},
	)
	if hosts == nil && !c.IsZero() {
		s.Hosts = []web.Host{c}
	}
	if hosts != nil && !c.IsZero() && !slices.Contains(s.Hosts, c) {
		b.fail(hosts, fact.SiteWithoutCanonical{Host: c.String()})
	}
	b.claimAll(hosts, s.Hosts, what+".hosts")
	if !s.Alias.IsZero() && slices.Contains(s.Hosts, s.Alias) {
		b.fail(
			alias,
			fact.SiteAliasItself{},
		)
	}
}

// serveSite finds who serves the site, and takes its addresses and alias for the site's, which may
// not be others.
func (b *builder) serveSite() {
	if b.siteCarrier != nil {
		b.serve(&b.estate.Site, b.siteCarrier)
	}
	for _, s := range b.siteCarriers {
		b.serve(&b.estate.Further[s.site], s.at)
	}
}

// siteCarrier is who serves a further site.
type siteCarrier struct {
	site int
	at   *Node
}

func (b *builder) serve(s *Site, at *Node) {
	c := b.findCarrier(at, b.text(at, "site.carrier"))
	if c == nil {
		return
	}
	if !c.By.Row().Serves {
		b.fail(at,
			fact.CarrierNoSite{Carrier: c.Name, Title: c.By.Row().Title,
				Kinds: kindsThat(func(r Row) bool { return r.Serves })})
		return
	}
	others := !s.Alias.IsZero() && s.Alias != c.Alias ||
		slices.ContainsFunc(s.Addresses, func(a netip.Addr) bool {
			return !slices.Contains(c.Addresses, a)
		})
	if others {
		b.fail(at,
			fact.SiteTwoPlaces{Carrier: c.Name})
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
			fact.HostClaimed{Host: h.String(), By: other},
		)
		return
	}
	b.claimed[h] = by
}

// SiteAt reports whether the site is at a carrier: somebody says so, or it is at its addresses, its
// alias, or a name beside that.
func (e *Estate) SiteAt(c *Carrier) bool {
	return slices.ContainsFunc(e.Sites(), func(s *Site) bool { return s.at(c) })
}

func (s *Site) at(c *Carrier) bool {
	if s.Carrier == c || !c.Alias.IsZero() && s.Alias == c.Alias ||
		slices.ContainsFunc(s.Addresses, func(a netip.Addr) bool {
			return slices.Contains(c.Addresses, a)
		}) {
		return true
	}
	home, known := c.Alias.Apex()
	return known && slices.ContainsFunc(s.Also, func(h web.Host) bool {
		apex, ok := h.Apex()
		return ok && apex == home
	})
}

// siteBehind asks where the site answers, which an edge network in front of it has to be told where
// it holds the zone.
func (b *builder) siteBehind(n *Node, c *Carrier) {
	s := b.estate.Site
	if len(s.Addresses) > 0 || !s.Alias.IsZero() || len(c.NameServers) == 0 || b.undecided {
		return
	}
	b.fail(
		n,
		fact.SiteBehindNowhere{Carrier: c.Name},
	)
}

// elsewhere reads the sites that are nobody's business here: hosts, or URLs of which the host
// counts.
func (b *builder) elsewhere(n *Node) {
	b.list(n, "elsewhere", func(i *Node) {
		text := b.text(i, "elsewhere")
		h, err := web.ParseHost(text)
		if u, urlErr := web.ParseURL(text); urlErr == nil {
			h, err = u.Host(), nil
		}
		if err != nil {
			b.fail(i, fact.ElsewhereShape{})
			return
		}
		b.estate.Elsewhere = append(b.estate.Elsewhere, h)
	})
}
