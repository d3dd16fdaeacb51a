package estate

import (
	"fmt"
	"net/netip"
	"slices"

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
		"What the site serves by itself, sending http to https.",
	},
	{
		"site",
		"also",
		"list of hosts",
		nil,
		"",
		"[northmoor.platform.example]",
		"Other names at which the same site answers: they must redirect too.",
	},
	{"site", "addresses", "addresses", nil, "", "[203.0.113.10, 2001:db8:10::10]",
		"Where the site lives."},
	{"site", "alias", "host", nil, "", "sites.platform.example", "Where the site lives, as a name."},
	{
		"site",
		"pages",
		"list of paths",
		nil,
		"",
		"[pages.txt, crawl.csv]",
		"The pages that exist: lists of URLs or paths, sitemaps, the tables that a crawl gives; one " +
			"file or several.",
	},
	{"site", "rules", "path", nil, "", "site-rules.csv", "What the site redirects by itself."},
	{"site", "issuer", "text", nil, "", "ca.example",
		"Who issues its certificates, as CAA records name it."},
	{
		"site",
		"carrier",
		"text",
		nil,
		"",
		"platform",
		"The carrier that serves the site, whose claims, limits and sheets then hold for the site's " +
			"hosts too.",
	},
}

// Site is the canonical site and where it lives.
type Site struct {
	Hosts     []web.Host // what the site itself serves
	Also      []web.Host // other names at which the same site is reachable
	Addresses []netip.Addr
	Alias     web.Host
	Carrier   *Carrier // who serves it; nil: nobody says
	Pages     []string // files with the pages that exist; nil: nobody says
	Rules     string   // file with what the site redirects by itself
	Issuer    string
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

// siteBehind asks where the site answers, which an edge network in front of it has to be told where
// it holds the zone.
func (b *builder) siteBehind(n *Node, c *Carrier) {
	s := b.estate.Site
	if len(s.Addresses) > 0 || !s.Alias.IsZero() || len(c.NameServers) == 0 || b.undecided {
		return
	}
	b.fail(
		n,
		fmt.Sprintf("the site is behind %s, and nobody says where it answers", c.Name),
		"site: with addresses: or alias:",
		"write down the site's own addresses, or its platform as site.carrier:",
	)
}
