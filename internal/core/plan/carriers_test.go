package plan_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// secured makes the chain of an https door with a certificate.
func secured(host, address string, faults []finding.Code) chain.Chain {
	u := web.MustParseURL("https://" + host + "/")
	return chain.Chain{
		Entry: u,
		Probe: chain.Root,
		Hops:  []chain.Answer{{URL: u, Address: address, Status: 301, TLS: &chain.TLS{Faults: faults}}},
	}
}

func carried(t *testing.T, p *plan.Plan, name string) carry.Carried {
	t.Helper()
	for _, c := range p.Carriers {
		if c.Name == name {
			return c
		}
	}
	t.Fatal("nothing is typed at " + name)
	return carry.Carried{}
}

// entries gives what is typed at a carrier, a line an entry.
func entries(c carry.Carried) []string {
	var all []string
	for _, e := range c.Entries {
		line := string(e.Action) + " " + string(e.Kind)
		for _, f := range e.Fields {
			line += " | " + f.Name + "=" + f.Value
		}
		all = append(all, line)
	}
	return all
}

func TestWhatIsTypedAtAForm(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - n.example\n"+
			"  - {name: old.example, leads-to: /mill/, fallback: home, carrier: {apex: broad, www: "+
			"four}}\n  - {name: away.example, carrier: four}\n",
		seen(t, "old.example\n@ A 198.51.100.35\nwww A 203.0.113.40",
			"away.example\n@ A 198.51.100.34\nwww A 203.0.113.40"),
	)
	c := carried(t, p, "broad")
	assert.Equal(
		t,
		[]string{
			"add forward | from=old.example | to=https://www.n.example/mill/ | kind=permanent (301) | " +
				"frame or masking=no | " +
				"path=drop",
		},
		entries(c),
	)
	assert.Equal(
		t,
		"Type the destination in full. With http:// it costs one more hop, and a visitor who came by "+
			"https is led over "+
			"plain http; without www it costs one more hop.",
		doc.Unmarked(words.Because(c.Entries[0].Reasons)),
	)
	assert.Equal(t, []fact.Sentence{fact.Of(fact.CannotQuery{}, fact.Says),
		fact.Of(fact.CertificateLate{}, fact.Says)}, c.Limits)
	assert.Equal(
		t,
		[]string{"remove forward | from=away.example"},
		entries(carried(t, p, "form")),
		"one door, one carrier",
	)
}

func TestWhatIsToldToAPlatform(t *testing.T) {
	p := planFor(t, "domains:\n  - n.example\n  - {name: old.example, carrier: told}\n", nil)
	assert.Equal(t, []string{"beyond-carrier told"}, subjects(p))
	assert.Contains(t, p.Findings[0].Says.String(), "at most 1 host, and 2 are planned there")
	assert.Equal(t, []string{
		"add host | host=old.example", "add host | host=www.old.example",
		"add records | old.example A=198.51.100.62 | www.old.example CNAME=told.platform.example | " +
			"_claim.old.example TXT=abc",
		"add certificate | certificate for=old.example",
		"add certificate | certificate for=www.old.example",
		"add primary | primary=www.n.example | redirected to it=old.example, www.old.example",
	}, entries(carried(t, p, "told")))
	primary := carried(t, p, "told").Entries[5]
	assert.Contains(t, doc.Unmarked(words.Because(primary.Reasons)),
		"only once the certificates have been issued")
	assert.Equal(t, "301 https://www.n.example/a?b", answer(p, "https://old.example/a?b"))
	assert.Equal(
		t,
		[]string{"add primary | primary=www.n.example | redirected to it=n.platform.example"},
		entries(carried(t, p, "site")),
		"its free name has to redirect too",
	)

	p = planFor(
		t,
		"domains:\n  - n.example\n"+
			"  - {name: old.example, leads-to: /mill/, carrier: {apex: told, www: four}}\n",
		nil,
	)
	assert.Equal(
		t,
		[]string{"beyond-carrier old.example"},
		subjects(p),
		"a platform that redirects whole hosts leads to no page",
	)
	assert.Equal(t, "301 https://www.n.example/a", answer(p, "https://old.example/a"))
}

func TestAnEdgeThatSpeaksPlainHTTPIsALoop(t *testing.T) {
	p := planFor(t, "domains:\n  - {name: n.example, carrier: {apex: four, www: plainly}}\n", nil)
	require.NotEmpty(t, p.Findings)
	assert.Equal(t, finding.Loop, p.Findings[0].Code)
	assert.Equal(t, "301 https://www.n.example/x", answer(p, "https://www.n.example/x"))
	z := zoneOf(t, p, "n.example")
	assert.Contains(
		t,
		z.Records,
		zone.Record{Name: "www.n.example", Type: "A", TTL: 3600, Values: []string{"198.51.100.81"}},
		"the door leads to the edge",
	)

	p = planFor(t, "domains:\n  - n.example\n  - {name: old.example, carrier: plainly}\n", nil)
	assert.Empty(t, subjects(p), "what is behind it leads straight to the site")
	p = planFor(
		t,
		"domains:\n  - n.example\n  - {name: old.example, carrier: plainly}\n"+
			"policy: {upgrade: same-host-first}\n",
		nil,
	)
	assert.Contains(t, subjects(p), "loop https://old.example")
	p = planFor(
		t,
		"domains:\n  - n.example\n  - {name: old.example, carrier: securely}\n"+
			"policy: {upgrade: same-host-first}\n",
		nil,
	)
	assert.Empty(t, subjects(p))
	assert.Equal(t, "four", p.Certificates[2].Carrier,
		"what is asked over TLS needs a certificate too")
	assert.Equal(t, []string{"old.example", "www.old.example"}, p.Certificates[2].Names)
}

func TestAFormThatFrames(t *testing.T) {
	p := planFor(t,
		"domains:\n  - n.example\n  - {name: old.example, carrier: {apex: framer, www: four}}\n", nil)
	assert.Equal(t, []string{"beyond-carrier old.example"}, subjects(p))
	assert.Equal(t, "200", answer(p, "https://old.example/a"))
}

// starred makes a plan whose rules an edge network holds.
func starred(t *testing.T, domain, rules string) *plan.Plan {
	t.Helper()
	return makePlan(t, "domains:\n  - n.example\n  - "+domain+"\npolicy: {exempt: []}\n", rules)
}

func patterns(p *plan.Plan, name string) []string {
	var all []string
	for _, c := range p.Carriers {
		for _, e := range c.Entries {
			if c.Name == name && e.Kind == world.Pattern {
				all = append(all, e.Fields[0].Value+" > "+e.Fields[1].Value+" "+e.Fields[2].Value)
			}
		}
	}
	return all
}

func TestPatternsWithStars(t *testing.T) {
	p := starred(
		t,
		"{name: old.example, carrier: wide, leads-to: /mill/}",
		"old.example/a/{x}/{+rest},/visit/{+rest}?x=1,302\nold.example/b.html,/shop/,\n",
	)
	assert.Equal(t, []string{
		"*old.example/b.html > https://www.n.example/shop/ 301",
		"*old.example/a/*/* > https://www.n.example/visit/$3?x=1 302",
		"*old.example/* > https://www.n.example/mill/$2 301",
	}, patterns(p, "wide"))
	c := carried(t, p, "wide")
	assert.Equal(t, []string{"old.example", "www.old.example"}, c.Entries[1].Star.Takes)
	assert.Contains(t, doc.Unmarked(words.Because(c.Entries[2].Reasons)),
		"what follows in the path starts at $2")

	p = starred(
		t,
		"{name: old.example, carrier: wide, hosts: [shop], leads-to: \"/mill?x=1\", fallback: same-path}",
		"shop.old.example/{id:digits},/visit/{id}\n",
	)
	assert.Equal(t, []string{
		"old.example/ > https://www.n.example/mill?x=1 301",
		"old.example/* > https://www.n.example/mill/$1?x=1 301",
		"www.old.example/ > https://www.n.example/mill?x=1 301",
		"www.old.example/* > https://www.n.example/mill/$1?x=1 301",
		"shop.old.example/* > https://www.n.example/visit/$1 301",
		"shop.old.example/ > https://www.n.example/mill?x=1 301",
		"shop.old.example/* > https://www.n.example/mill/$1?x=1 301",
	}, patterns(p, "wide"))
	assert.Equal(
		t,
		"https://shop.old.example/a/b",
		carried(t, p, "wide").Entries[5].Star.Wider,
		"a star takes slashes and letters too",
	)
	assert.Contains(
		t,
		strings.Join(found(p, "beyond-carrier"), ""),
		"Typed with stars, the patterns of shop.old.example at wide send http://shop.old.example/",
	)

	p = starred(t, "{name: old.example, carrier: wide, fallback: gone}",
		"http://old.example/a,/visit/\n")
	assert.Equal(
		t,
		[]string{
			"http://*old.example/a > https://www.n.example/visit/ 301",
			"*old.example/ > https://www.n.example/ 301",
			"*old.example/* > no target 410 (gone)",
		},
		patterns(p, "wide"),
	)
}

func TestPatternsAnswerWhatThePlanPredicts(t *testing.T) {
	p := starred(
		t,
		"{name: old.example, carrier: wide, leads-to: /mill/}",
		"old.example/{x}/list,/visit/{x}\nold.example/q,/shop/\nold.example/deep/{+r},/visit/{+r}\n",
	)
	assert.Empty(t, found(p, "beyond-carrier"), "every probe and example goes where the rules lead it")
	assert.Len(t, patterns(p, "wide"), 4)
}

func TestWhoMayIssue(t *testing.T) {
	for name, c := range map[string]struct {
		zone string
		want []string
		may  []string
	}{
		"nobody restricts it": {"", nil, nil},
		"the issuer may":      {"@ CAA 0 issue \"ca.example\"", nil, []string{"ca.example"}},
		"another one may": {
			"@ CAA 0 issue \"other.example\"", []string{"issuer-barred old.example"},
			[]string{"other.example"},
		},
		"nobody may": {
			"@ CAA 0 issue \";\"", []string{"issuer-barred old.example"}, nil,
		},
		"only wildcards are limited": {"@ CAA 0 issuewild \"other.example\"", nil, nil},
		"the nearest records count": {
			"@ CAA 0 issue \"other.example\"\nwww CAA 0 issue \"CA.example\"",
			[]string{"issuer-barred old.example"},
			[]string{"other.example", "CA.example"},
		},
		"a critical word that is new": {
			"@ CAA 128 newword \"x\"\n@ CAA 0 issue \"ca.example\"",
			[]string{"issuer-barred old.example"}, []string{"ca.example"},
		},
		"a word that need not be read": {"@ CAA 0 newword \"x\"\n@ CAA 0 issue \"ca.example\"", nil,
			[]string{"ca.example"}},
	} {
		p := planFor(
			t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: certified}\n",
			seen(t, "old.example\n@ A 203.0.113.41\nwww A 203.0.113.41\n@ MX 5 mx.other.example.\n"+c.zone),
		)
		assert.Equal(t, c.want, subjects(p), name)
		assert.Equal(t, c.may, p.Certificates[0].MayIssue, name)
	}
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: certified}\n",
		seen(
			t,
			"old.example\n@ A 203.0.113.41\nwww A 203.0.113.41\n"+
				"@ CAA 0 issue \"ca.example; validationmethods=dns-01; "+
				"accounturi=https://ca.example/7\"",
		),
	)
	assert.Equal(
		t,
		[]string{"ca.example: validationmethods=dns-01; accounturi=https://ca.example/7"},
		p.Certificates[0].Limits,
	)
	p = planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n",
		seen(t, "old.example\n@ A 203.0.113.40\nwww A 203.0.113.40\n@ CAA 0 issue \"ca.example\""),
	)
	assert.Contains(t, notes(p), "does not say who issues those of four")
}

func TestAnAddressBesideADoorIsLeftOver(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: {apex: four, www: platform}, "+
			"wanted: [{name: www, type: A, value: 192.0.2.9}, {name: '@', type: A, value: 203.0.113.40}]}\n",
		seen(t,
			"old.example\n@ A 203.0.113.40\nwww CNAME sites.platform.example.\n@ MX 5 mx.other.example."),
	)
	assert.Equal(t, []string{"leftover-address www.old.example"}, subjects(p))
	assert.Contains(t, p.Findings[0].Says.String(), "Visitors get one or the other by chance")
	assert.Empty(t, changes(zoneOf(t, p, "old.example")))

	p = planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: net, wanted: [{name: www, type: "+
			"A, value: 192.0.2.9}]}\n",
		nil,
	)
	assert.Equal(t,
		[]string{"bad-answer http://www.old.example", "bad-answer https://www.old.example"},
		subjects(p), "nobody has seen the zone, and the address is typed all the same")
	v := seen(t, "old.example\n@ A 192.0.2.8\nwww A 198.51.100.80")
	v.Domains[0].Parent.Servers = []string{"ns1.net.example", "ns2.net.example"}
	p = planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: net, wanted: [{name: www, type: "+
			"A, value: 192.0.2.9}]}\n",
		v,
	)
	assert.Contains(t, found(p, "leftover-address")[0],
		"192.0.2.9 bypasses it: no pattern for this host would work")
	assert.Contains(
		t,
		reasons(zoneOf(t, p, "old.example")),
		"Until then it bypasses net, and no pattern for this host works.",
	)
}

func TestConsider(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - n.example\n  - {name: old.example, leads-to: /mill/}\n"+
			"  - {name: done.example, state: moved}\n",
		nil,
	)
	in := plan.Input{
		Estate: p.Estate,
		Now:    today,
		Survey: &survey.Survey{
			Domains: []survey.Domain{{Name: "n.example", Source: survey.File, Chains: []chain.Chain{
				{
					Entry: web.MustParseURL("https://n.example/"),
					Probe: chain.Root,
					Hops: []chain.Answer{
						{URL: web.MustParseURL("https://n.example/"), Status: 301,
							Location: "https://www.n.example/"},
					},
				}}}}},
	}
	c, err := plan.Consider(in, []string{"gateway", "broad", "platform"})
	require.NoError(t, err)
	require.Len(t, c.Choices, 3)
	assert.Equal(t, []int{0, 0}, []int{len(c.Choices[0].Open), c.Choices[0].Faults})
	assert.NotEmpty(t, c.Choices[2].Faults, "an alias cannot stand at an apex")
	assert.Greater(t, c.Choices[2].Late, 0)
	assert.Equal(t, p.Canonical, c.Choices[0].Canonical)

	c, err = plan.Consider(in, []string{"www", "apex"})
	require.NoError(t, err)
	assert.Equal(t, "https://n.example", c.Choices[1].Canonical)
	assert.Empty(t, c.Choices[1].Open)
	assert.Empty(t, c.Choices[0].Remembered)
	require.Len(t, c.Choices[1].Remembered, 1)
	assert.Contains(t, c.Choices[1].Remembered[0].String(),
		"https://n.example/ answers 301 to https://www.n.example/ today")
	assert.Equal(t, "https://www.n.example", p.Estate.Canonical.String(), "the estate itself stays")
	for _, wrong := range []string{"nobody", "gateway,www"} {
		_, err = plan.Consider(in, strings.Split(wrong, ","))
		assert.Error(t, err, wrong)
	}
}

func TestOneWaveAtATime(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: one.example, carrier: four, state: moved}\n"+
			"  - {name: two.example, carrier: four, wave: 2}\n",
		seen(
			t,
			"one.example\n@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 5 mx.other.example.",
			"two.example\n@ A 192.0.2.1\n@ MX 5 mx.other.example.",
		),
	)
	assert.Empty(t, changes(zoneOf(t, p, "one.example")), "what earlier waves did is taken as done")
	sheets := p.Sheets()
	require.NotEmpty(t, sheets)
	for _, l := range sheets[0].Lines {
		assert.Equal(t, "two.example", l.Zone)
	}
	for _, e := range carried(t, p, "four").Entries {
		assert.NotEqual(t, "one.example", e.Domain)
	}
	only, err := plan.Select(p.Estate, "wave:2")
	require.NoError(t, err)
	part := plan.Make(plan.Input{Estate: p.Estate, Only: only})
	require.Len(t, part.Zones, 1)

	half := seen(
		t,
		"one.example\n@ A 192.0.2.1\nwww A 203.0.113.40\n@ MX 5 mx.other.example.",
		"two.example\n@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 5 mx.other.example.",
	)
	part = plan.Make(plan.Input{Estate: p.Estate, Only: only, Wave: 2, Survey: half})
	assert.Equal(t, []string{"wrong-target one.example A"}, subjects(part),
		"what an earlier wave moved is checked")
	require.Len(t, part.Zones, 1, "and not planned again")
	assert.Contains(t, part.Asks(false),
		plan.ToAsk{URL: web.MustParseURL("https://www.one.example/"), Probe: chain.Root})
}

func TestStarsCompareToTheLetter(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - n.example\n"+
			"  - {name: old.example, carrier: wide, ignore-case: yes, index: index.php}\n"+
			"  - {name: exact.example, carrier: wide}\n"+
			"  - {name: own.example, carrier: four, slash: either}\n",
		nil,
	)
	assert.Equal(t, []string{"beyond-carrier old.example"}, subjects(p))
	assert.Equal(
		t,
		fact.StarsToTheLetter{Domain: "old.example", Carrier: "wide",
			Keys: "ignore-case: yes, index: [index.php]"},
		p.Findings[0].Facts(),
	)
}

// TestALimitIsOneFindingForAllItsDoors has a form without TLS carry five domains.
func TestALimitIsOneFindingForAllItsDoors(t *testing.T) {
	domains := "domains:\n  - {name: n.example, state: leave}\n"
	for _, name := range []string{"a", "b", "c", "d", "e"} {
		domains += "  - {name: " + name +
			".example, fallback: home, carrier: {apex: form, www: gateway}}\n"
	}
	p := planFor(t, domains, nil)
	assert.Equal(t, []string{"beyond-carrier form", "query-lost http://a.example"}, subjects(p))
	assert.Contains(t, found(p, "beyond-carrier")[0],
		"https://a.example, https://b.example, https://c.example and 2 more")
}

// TestAFormElsewhere has a form that works on its provider's own name servers, of which the zone
// has others.
func TestAFormElsewhere(t *testing.T) {
	own := func(in *plan.Input) {
		in.Estate.Carrier("broad").NameServers = []web.Host{web.MustParseHost("ns1.registrar.example")}
	}
	at := func(server string) []string {
		v := seen(t, "old.example\n@ A 198.51.100.35\nwww A 198.51.100.35\n@ MX 0 .")
		v.Domains[0].Parent = survey.Parent{Zone: "example", Server: "p", Servers: []string{server},
			TTL: 3600}
		p := planFor(t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: broad}\n", v,
			own)
		return found(p, "beyond-carrier")
	}
	assert.Empty(t, at("ns1.registrar.example"))
	assert.Contains(
		t,
		at("ns.other.example")[0],
		"broad is to forward old.example, www.old.example, but does so only on its own name servers "+
			"(ns1.registrar.example). "+
			"The zone is at ns.other.example.",
	)
}

// TestTheOrderOfAPlatformIsKept has one that takes a host only once its records point there, and
// redirects last.
func TestTheOrderOfAPlatformIsKept(t *testing.T) {
	order := func(steps ...estate.CarrierStep) []act.StepKind {
		p := planFor(t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: aliased}\n",
			seen(t, "old.example\n@ A 192.0.2.1\nwww A 192.0.2.1\n@ MX 0 ."),
			func(in *plan.Input) {
				if steps != nil {
					in.Estate.Carrier("aliased").Steps = steps
				}
			})
		var kinds []act.StepKind
		for _, s := range p.Steps {
			kinds = append(kinds, s.Kind)
		}
		return kinds
	}
	usual := order()
	assert.Less(t, slices.Index(usual, act.ClaimHosts), slices.Index(usual, act.MakeChanges))
	assert.Less(t, slices.Index(usual, act.MakeChanges), slices.Index(usual, act.ChoosePrimaries),
		"redirects last")
	assert.NotContains(t, usual, act.PlaceRedirects)
	late := order(estate.Point, estate.Claim, estate.Issue, estate.Redirect)
	assert.NotContains(t, late, act.ClaimHosts)
	assert.Less(t, slices.Index(late, act.MakeChanges), slices.Index(late, act.ClaimAfter))
	assert.Less(t, slices.Index(late, act.ClaimAfter), slices.Index(late, act.ChoosePrimaries))
}

func TestAChoiceIsConsideredOnce(t *testing.T) {
	p := planFor(t,
		"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n", nil)
	_, err := plan.Consider(plan.Input{Estate: p.Estate}, []string{"four", "gateway", " four"})
	assert.ErrorContains(t, err, "four appears twice")
}
