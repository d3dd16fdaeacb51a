package estate

import (
	"net/netip"
	"net/url"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

var registryKeys = []Key{
	{"registry", "address", "URL", nil, "", "http://rdap.registry.example/"},
	{
		"registry",
		"bootstrap",
		"path",
		nil,
		"",
		"dns.json",
	},
}

var vantageKeys = []Key{
	{
		"vantages",
		"resolvers",
		"list of text",
		nil,
		"the system's",
		`["192.0.2.53", "192.0.2.54:5353"]`,
	},
	{"vantages", "proxy", "URL", nil, "", "socks5://127.0.0.1:5380"},
	{"vantages", "trust", "path", nil, "the system's", "stage/ca.pem"},
	{"vantages", "timeout", "time", nil, "10s", "2s"},
}

// Registry says where registrations are asked for (RDAP): one base address, or a bootstrap file
// (RFC 9224).
type Registry struct {
	Address   string
	Bootstrap string // file, relative to the estate file
}

// Vantage is a place to look from. The zero value is the system's own.
type Vantage struct {
	Resolvers []string // HOST:PORT
	Proxy     string   // socks5://HOST:PORT
	Trust     string   // PEM file, relative to the file that names it
	Timeout   time.Duration
}

// ReadVantage makes a vantage of the tree of a vantage file.
func ReadVantage(root *Node) (Vantage, problem.List) {
	var r reader
	r.plain(root)
	v := r.vantage(root)
	return v, r.faults
}

func (b *builder) registry(n *Node) {
	r := &b.estate.Registry
	b.mapping(n, "registry",
		field{"address", func(n *Node) {
			r.Address = b.text(n, "registry: address")
			if _, err := web.ParseURL(r.Address); err != nil {
				b.fail(
					n,
					fact.RegistryURL{},
				)
			}
		}},
		field{"bootstrap", func(n *Node) { r.Bootstrap = b.text(n, "registry: bootstrap") }},
	)
}

func (b *builder) vantages(n *Node) {
	if n.Kind != Mapping {
		b.fail(n, fact.VantagesShape{Kind: n.Kind.String()})
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
				r.fail(n, fact.BadProxy{})
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
			r.fail(i, fact.NotResolver{})
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
