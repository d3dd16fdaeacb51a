package plan_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
)

// TestTheAddressOfBeforeByWhateverNames: a host that leads to the previous carrier by its own
// addresses, or by an alias of somebody else's, and to a carrier that is known by its alias alone.
func TestTheAddressOfBeforeByWhateverNames(t *testing.T) {
	const before, platform = "192.0.2.40", "198.51.100.60"
	for name, c := range map[string]struct {
		zone, carrier string
		aliases       []string // by which www was met at before
		others        bool     // another host was met at the platform by its alias
		address       string
		is            bool
	}{
		"by address": {"www A " + before, "gateway", nil, false, before, true},
		"by alias in the zone": {"www CNAME web\nweb A " + before, "gateway", []string{"web.old.example"},
			false, before, true},
		"by alias of others": {"www CNAME x.hoster.example.", "gateway", []string{"x.hoster.example"},
			false, before, true},
		"an address that nobody saw": {"www A " + before, "gateway", nil, false, "192.0.2.41", false},
		"the carrier's own":          {"www A " + before, "gateway", nil, false, "203.0.113.20", false},
		"to a carrier by alias": {"www CNAME x.hoster.example.", "platform", []string{"x.hoster.example"},
			true, before, true},
		"to a carrier by alias, whose addresses nobody saw": {"www CNAME x.hoster.example.", "platform",
			[]string{"x.hoster.example"}, false, before, false},
		"an address of the alias that the estate does not name": {"www A 198.51.100.61", "rotating", nil,
			true, "198.51.100.61", false},
		"that leads there already": {"www CNAME sites.platform.example.", "platform",
			[]string{"sites.platform.example"}, true, platform, false},
	} {
		t.Run(name, func(t *testing.T) {
			v := seen(t, "old.example\n@ A 192.0.2.99\n"+c.zone)
			ch := met("https://www.old.example/", chain.Root, before+":443", 200, "", "")
			if c.address == platform {
				ch.Hops[0].Address = platform + ":443"
			}
			ch.Hops[0].Aliases = c.aliases
			v.Domains[0].Chains = []chain.Chain{ch}
			if c.others {
				at := platform
				if c.carrier == "rotating" {
					at = c.address
				}
				other := met("https://shop.old.example/", chain.Root, at+":443", 200, "", "")
				other.Hops[0].Aliases = []string{"sites.platform.example"}
				v.Domains[0].Chains = append(v.Domains[0].Chains, other)
			}
			p := planEdited(t, "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, "+
				"carrier: {apex: gateway, www: "+c.carrier+"}}\n",
				[2]string{"defaults:", "  rotating: {by: platform, alias: sites.platform.example, " +
					"addresses: [198.51.100.60]}\ndefaults:"}, v, func(*plan.Input) {})
			got := p.Clues().Before(web.MustParseHost("www.old.example"), netip.MustParseAddr(c.address))
			assert.Equal(t, c.is, got)
		})
	}
}
