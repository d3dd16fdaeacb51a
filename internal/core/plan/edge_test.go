package plan_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// edged plans old.example through an edge network that takes its zone, with what is behind it.
func edged(t *testing.T, behind, zone, domain string) *plan.Plan {
	t.Helper()
	carriers := "  front: {by: edge, addresses: [198.51.100.90, \"2001:db8::90\"], name-servers: " +
		"[ns1.front.example], " +
		"" + behind +
		"}\n  hosting: {by: platform, alias: sites.hosting.example}\n  gateway:"
	d := "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: front" +
		domain + "}\n"
	return planEdited(t, d, [2]string{"  gateway:", carriers}, seen(t, "old.example\n"+zone))
}

// typedAtPage gives the lines of a zone's sheet, a line each.
func typedAtPage(t *testing.T, p *plan.Plan, place string) []string {
	t.Helper()
	var all []string
	for _, s := range p.Sheets() {
		if s.Place != place {
			continue
		}
		for _, l := range s.Lines {
			if l.Do != act.Lower && l.Do != act.Raise {
				all = append(all, strings.Join(strings.Fields(strings.Join(
					[]string{string(l.Do), l.Label, l.Type, l.Was, l.Value}, " ")), " "))
			}
		}
	}
	return all
}

func TestWhatIsBehindAnEdgeIsTypedAsItIs(t *testing.T) {
	for name, c := range map[string]struct {
		behind, zone, domain string
		want                 []string
	}{
		"nothing is behind it": {
			"origin: tls", "@ A 192.0.2.7", "",
			[]string{"add www A 192.0.2.1", "add www AAAA 100::1", "replace @ A 192.0.2.7 192.0.2.1",
				"add @ AAAA 100::1"},
		},
		"a server without IPv6 gets no second record": {
			"behind: four", "@ A 192.0.2.7\n@ AAAA 2001:db8::7", "",
			[]string{"add www A 203.0.113.40", "remove @ AAAA 2001:db8::7",
				"replace @ A 192.0.2.7 203.0.113.40"},
		},
		"a platform that lives at an alias": {
			"behind: hosting", "@ A 192.0.2.7\n@ MX 10 mx.other.example.", "",
			[]string{"add www CNAME sites.hosting.example", "remove @ A 192.0.2.7",
				"add @ CNAME sites.hosting.example"},
		},
	} {
		t.Run(name, func(t *testing.T) {
			p := edged(t, c.behind, c.zone, c.domain)
			got := typedAtPage(t, p, "front")
			slices.Sort(got)
			slices.Sort(c.want)
			assert.Equal(t, c.want, got)
		})
	}
}

func TestAnAliasBehindAnEdgeCannotStandBesideAnything(t *testing.T) {
	p := edged(t, "behind: hosting", "@ A 192.0.2.7\nwww A 192.0.2.7\nwww TXT abc", "")
	assert.Contains(
		t,
		strings.Join(found(p, "alias-conflict"), ""),
		"www.old.example has records that cannot stand together (CNAME, TXT)",
	)

	p = edged(t, "behind: hosting", "@ A 192.0.2.7\n@ SOA ns. h. 1 2 3 4 5\nwww A 192.0.2.7", "")
	z := zoneOf(t, p, "old.example")
	lost := p.Lost(&z)
	require.Len(t, lost, 1, "no zone file says an alias at the apex")
	assert.Contains(t, lost[0].Says.String(), "sites.hosting.example")
	sets, err := p.File(&z)
	require.NoError(t, err)
	for _, s := range sets {
		assert.False(t, s.Name == "old.example" && (s.Type == "A" || s.Type == "CNAME"), "%v", s)
	}
}

func TestHowAnEdgeAsksWhatIsBehindIt(t *testing.T) {
	origin := func(behind string) []string {
		var all []string
		for _, e := range carried(t, edged(t, behind, "@ A 192.0.2.7", ""), "front").Entries {
			if e.Kind == world.OriginEntry {
				all = append(all,
					e.Fields[0].Value+": "+e.Fields[1].Value+". "+doc.Unmarked(words.Because(e.Reasons)))
			}
		}
		return all
	}
	assert.Empty(t, origin("tls: yes"), "nothing is behind it")
	assert.Equal(
		t,
		[]string{"four: as visitors ask; by https its certificate is checked. The origin needs a " +
			"certificate for these " +
			"names too, " +
			"or visitors get an error page of the network."},
		origin("behind: four"),
	)
	plain := origin("behind: site, origin: plain")
	require.Len(t, plain, 1)
	assert.True(t, strings.HasPrefix(plain[0], "the site: http. "), plain[0])
	assert.Contains(t, plain[0], "redirect loop")
}

func TestAnEdgeBeforeTheSite(t *testing.T) {
	p := edged(t, "behind: site", "@ A 192.0.2.7", "")
	assert.Equal(t, []string{"*old.example/* > https://www.n.example/$2 301"}, patterns(p, "front"),
		"it redirects by itself, whatever is behind it")
	for _, l := range typedAtPage(t, p, "front") {
		assert.NotContains(t, l, "192.0.2.1")
		assert.NotContains(t, l, "100::1")
	}
}

func TestExactPatternsAndStarsBeforeNames(t *testing.T) {
	p := starred(t, "{name: old.example, carrier: wide}", "old.example/b.html,/shop/\n")
	c := carried(t, p, "wide")
	assert.Contains(t, doc.Unmarked(words.Because(c.Entries[1].Reasons)),
		"type *old.example/b.html?* too")
	assert.NotContains(t, doc.Unmarked(words.Because(c.Entries[1].Reasons)), "anyold.example")
	assert.Contains(t, doc.Unmarked(words.Because(c.Entries[2].Reasons)), "anyold.example")
	assert.NotContains(t, doc.Unmarked(words.Because(c.Entries[2].Reasons)), "?*")
}

func TestAPlatformBehindAnEdgeHasToKnowItsHost(t *testing.T) {
	p := planEdited(t, "domains:\n  - {name: n.example, carrier: front}\n", [2]string{
		"site: {also: [n.platform.example], addresses: [203.0.113.10, \"2001:db8::10\"], issuer: " +
			"ca.example}\ncarriers:\n",
		"site: {carrier: hosting}\ncarriers:\n" +
			"  hosting: {by: platform, alias: sites.hosting.example, certificate: after}\n" +
			"  front: {by: edge, addresses: [198.51.100.90], name-servers: [ns1.front.example], behind: " +
			"site}\n",
	}, seen(t, "n.example\n@ A 192.0.2.7\nwww A 192.0.2.7"))
	require.Equal(t, []string{"add host | host=www.n.example"}, entries(carried(t, p, "hosting")),
		"its records lead to the edge, and no certificate can be had by them")
	assert.Contains(t, typedAtPage(t, p, "front"), "add www CNAME sites.hosting.example")
}

func TestAZoneThatAnEdgeHoldsAlreadyIsTypedThere(t *testing.T) {
	v := seen(t, "old.example\n@ A 198.51.100.83")
	v.Domains[0].Parent.Servers = []string{"ns2.net.example", "ns1.net.example"}
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: net, records-at: Registrar A}\n",
		v,
	)
	z := zoneOf(t, p, "old.example")
	assert.Nil(t, z.Move)
	assert.Equal(
		t,
		[]string{"net", "net", "net"},
		[]string{z.RecordsAt, z.Present, z.Next},
		"it was seen there, whatever is written down",
	)
}

func TestAnExportOfTheNetworksPageIsWhatIsThere(t *testing.T) {
	exported := func(behind, server, zone string) *plan.Plan {
		v := seen(t, "old.example\n"+zone)
		v.Domains[0].Parent.Servers = []string{server}
		return planEdited(t, "domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: front}\n", [2]string{"  gateway:",
			"  front: {by: edge, addresses: [198.51.100.90, \"2001:db8::90\"], name-servers: " +
				"[ns1.front.example], " + behind +
				"}\n  hosting: {by: platform, alias: sites.hosting.example}\n  gateway:"}, v)
	}
	asked := "@ CNAME sites.hosting.example.\nwww CNAME sites.hosting.example.\n@ MX 10 mx.o.example."
	p := exported("behind: hosting", "ns1.front.example", asked)
	assert.Empty(t, typedAtPage(t, p, "front"), "what the plan itself asks for is there")
	assert.NotContains(t, subjects(p), "alias-conflict old.example")
	assert.True(t, slices.ContainsFunc(p.Notes, func(n act.Note) bool {
		return n.Notice == act.ThroughUnseen && slices.Equal(n.Names,
			[]string{"old.example", "www.old.example"})
	}), "no file says which names go through the network")

	p = exported("behind: hosting", "ns1.front.example",
		"@ CNAME other.example.\nwww CNAME sites.hosting.example.")
	assert.Equal(t, []string{"remove @ CNAME other.example", "add @ CNAME sites.hosting.example"},
		typedAtPage(t, p, "front"), "something else stands behind it")

	p = exported("origin: tls", "ns1.front.example", "@ CNAME other.example.\nwww A 192.0.2.9")
	assert.Empty(t, typedAtPage(t, p, "front"), "the network answers by itself")

	p = exported("behind: hosting", "ns1.other.example", asked)
	assert.NotEmpty(t, typedAtPage(t, p, "front"), "the zone is elsewhere")
}
