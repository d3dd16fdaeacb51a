package estate

import (
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

var policyKeys = []Key{
	{"policy", "hops", "number", nil, "1", "1"},
	{
		"policy",
		"status",
		"number",
		[]string{"301", "302", "307", "308"},
		"301",
		"308",
	},
	{
		"policy",
		"upgrade",
		"text",
		[]string{Direct, SameHostFirst},
		Direct,
		"same-host-first",
	},
	{
		"policy",
		"exempt",
		"list of paths",
		nil,
		"[/.well-known/acme-challenge/]",
		"[/.well-known/acme-challenge/]",
	},
}

// The ways from http to https.
const (
	Direct        = "direct"
	SameHostFirst = "same-host-first"
)

// Policy is what holds for all redirects.
type Policy struct {
	Hops    int
	Status  int
	Upgrade string // direct or same-host-first
	Exempt  []string
}

func (b *builder) policy(n *Node) {
	p := &b.estate.Policy
	b.mapping(n, "policy",
		field{"hops", func(n *Node) { p.Hops = b.number(n, "policy: hops", 1) }},
		field{"status", func(n *Node) {
			p.Status = b.number(n, "policy: status", 301)
			if p.Status != 301 && p.Status != 308 && p.Status != 302 && p.Status != 307 {
				b.fail(n, fact.PolicyStatus{})
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
						fact.NotExempt{},
					)
					return
				}
				p.Exempt = append(p.Exempt, web.NormalPath(web.RemoveDotSegments(path)))
			})
		}},
	)
}
