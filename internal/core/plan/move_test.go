package plan_test

import (
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

const wholeMoved = "@ A 203.0.113.20\n@ A 203.0.113.21\n@ AAAA 2001:db8::20\nwww CNAME @\n" +
	"@ MX 5 mx.other.example."

func TestWhatCountsAsMovedIsChecked(t *testing.T) {
	for zone, want := range map[string][]string{
		wholeMoved: nil,
		strings.Replace(wholeMoved, "@ A 203.0.113.21\n", "", 1): {
			"missing-address old.example A",
		},
		wholeMoved + "\n@ A 192.0.2.1": {
			"leftover-address old.example A",
		},
		strings.Replace(wholeMoved, "@ AAAA 2001:db8::20\n", "", 1): {
			"missing-address old.example AAAA",
		},
		strings.Replace(wholeMoved, "@ A 203.0.113.20\n@ A 203.0.113.21\n", "@ A 192.0.2.1\n",
			1): {"wrong-target old.example A"},
		strings.Replace(wholeMoved, "www CNAME @", "www CNAME parking.example.", 1): {
			"wrong-target www.old.example A", "wrong-target www.old.example AAAA",
		},
		strings.Replace(wholeMoved, "www CNAME @\n", "", 1): {
			"missing-address www.old.example A", "missing-address www.old.example AAAA",
		},
	} {
		p := planFor(
			t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, state: moved}\n",
			seen(t, "old.example\n"+zone),
		)
		assert.Equal(t, want, subjects(p), zone)
	}
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, state: moved, wanted: [{name: _a, type: "+
			"TXT, value: x}]}\n",
		seen(t, "old.example\n"+wholeMoved),
	)
	assert.Equal(t, []string{"record-lost _a.old.example TXT"}, subjects(p))
}

func TestWhatCameAndWentSinceIsSaid(t *testing.T) {
	earlier := seen(
		t,
		"old.example\n@ A 192.0.2.1\nwww CNAME @\n@ MX 5 mx.other.example.\n@ TXT \"v=spf1 -all\"\n"+
			"shop A 192.0.2.3\n"+
			"kept TXT one\n_dmarc TXT v=DMARC1",
	)
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: four, wanted: [{name: _a, type: "+
			"TXT, value: x}]}\n",
		seen(
			t,
			"old.example\n@ A 203.0.113.40\nwww CNAME @\n@ MX 5 mx.other.example.\n"+
				"@ TXT \"v=spf1 -all\"\nkept TXT two\n"+
				"new TXT x\n_a TXT x",
		),
		func(in *plan.Input) { in.Earlier = earlier },
	)
	assert.Equal(
		t,
		[]string{
			"record-lost shop.old.example A",
			"mail-lost _dmarc.old.example TXT",
			"unplanned-change kept.old.example TXT",
			"unplanned-change new.old.example TXT",
		},
		subjects(p),
	)

	earlier.Domains[0].Partial = true
	p = planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n",
		seen(
			t,
			"old.example\n@ A 203.0.113.40\nwww CNAME @\n@ MX 5 mx.other.example.\n"+
				"@ TXT \"v=spf1 -all\"\nkept TXT one\n"+
				"new TXT x\n@ TXT came\n_dmarc TXT v=DMARC1\nshop A 192.0.2.3",
		),
		func(in *plan.Input) { in.Earlier = earlier },
	)
	assert.Equal(
		t,
		[]string{"unplanned-change old.example TXT"},
		subjects(p),
		"what nobody asked for before may have been there",
	)
}

// TestWhatMeansTheSameIsNoLoss has names led to where they ended, mail to the same machines, and a
// sender more: only that is a change which nobody planned.
func TestWhatMeansTheSameIsNoLoss(t *testing.T) {
	const file = "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, carrier: four}\n"
	earlier := seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\nmail CNAME @\n@ MX 10 www\n"+
		"@ TXT \"v=spf1 a ~all\"")
	again := func(spf string) *plan.Plan {
		return planFor(t, file, seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\nmail A 192.0.2.1\n"+
			"@ MX 10 mail\n@ TXT \""+spf+"\""),
			func(in *plan.Input) { in.Earlier = earlier })
	}
	for _, code := range []string{"record-lost", "mail-lost", "unplanned-change"} {
		assert.Empty(t, found(again("v=spf1 ip4:192.0.2.1 ~all"), code))
	}
	assert.NotEmpty(t, found(again("v=spf1 ip4:192.0.2.1 ip4:192.0.2.99 ~all"), "unplanned-change"),
		"a sender more is a change")
	assert.NotEmpty(t, found(again("v=spf1 ~all"), "unplanned-change"), "a sender fewer too")
}

// TestAWantedPolicyThatWasThereIsEvidence has a domain without MX whose SPF record is wanted too:
// its mail is untied if that was there before, and if nobody has looked before.
func TestAWantedPolicyThatWasThereIsEvidence(t *testing.T) {
	const file = "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, carrier: four, wanted: [{name: \"@\", type: TXT, " +
		"value: \"v=spf1 a ~all\"}]}\n"
	const with = "old.example\n@ A 192.0.2.1\nwww CNAME @\n@ TXT \"v=spf1 a ~all\""
	for earlier, tied := range map[string]bool{
		"": true, with: true, "old.example\n@ A 192.0.2.1\nwww CNAME @": false,
	} {
		p := planFor(t, file, seen(t, with), func(in *plan.Input) {
			if earlier != "" {
				in.Earlier = seen(t, earlier)
			}
		})
		untied := false
		for _, c := range zoneOf(t, p, "old.example").Changes {
			untied = untied || c.Step > 0 && c.Type == "MX"
		}
		assert.Equal(t, tied, untied, "earlier: %q", earlier)
	}
}

// moving gives a survey of a zone that moves, with what the new server says.
func moving(t *testing.T, there string, change func(*survey.Domain)) *survey.Survey {
	t.Helper()
	const zone = "@ A 192.0.2.1\nwww CNAME @\n@ MX 5 mx.other.example.\nk TXT one"
	v := seen(t, "old.example\n"+zone)
	d := &v.Domains[0]
	d.Parent = survey.Parent{Zone: "example", Servers: []string{"ns.old.example"}, TTL: 86400}
	d.Coming = []survey.Coming{
		{
			Server:  survey.Server{Name: "ns.new.example", Address: "192.0.2.53:53", State: survey.Answers},
			Records: seen(t, "old.example\n"+there).Domains[0].Records,
		},
	}
	if change != nil {
		change(d)
	}
	return v
}

const moves = "domains:\n  - {name: n.example, state: leave}\n" +
	"  - {name: old.example, carrier: four, name-servers: " +
	"ns.new.example}\n"

func TestAZoneThatMoves(t *testing.T) {
	p := planFor(t, moves,
		moving(t, "@ A 192.0.2.1\nwww CNAME @\n@ MX 5 MX.other.example.\nk TXT one", nil))
	assert.Empty(t, subjects(p), "what says what the old servers say agrees")
	m := zoneOf(t, p, "old.example").Move
	require.NotNil(t, m)
	assert.True(t, m.Ready)
	assert.Equal(t, 86400, m.OldLives)
	assert.Contains(t, moveOrder(zoneOf(t, p, "old.example")),
		"at the previous name servers for 1 day")

	p = planFor(t, moves,
		moving(t, "@ A 203.0.113.40\nwww CNAME @\n@ MX 5 mx.other.example.\nk TXT one", nil))
	assert.True(t, zoneOf(t, p, "old.example").Move.Ready, "what says what the plan wants agrees too")

	p = planFor(t, moves, moving(t, "@ A 192.0.2.9\nwww CNAME @\nk TXT two", nil))
	assert.Equal(
		t,
		[]string{"mail-lost old.example MX", "zone-differs k.old.example TXT",
			"zone-differs old.example A"},
		subjects(p),
	)
	assert.False(t, zoneOf(t, p, "old.example").Move.Ready)
	assert.Contains(
		t,
		found(p, "zone-differs")[1],
		"says 192.0.2.9 for old.example A, where the plan wants 203.0.113.40; the present ones say "+
			"192.0.2.1",
	)

	p = planFor(
		t,
		moves,
		moving(t, "", func(d *survey.Domain) {
			d.Coming[0].State, d.Coming[0].Says = survey.Lame, "it says REFUSED"
		}),
	)
	assert.Equal(t, []string{"zone-differs old.example"}, subjects(p))

	p = planFor(t, moves, moving(t, "", func(d *survey.Domain) { d.Coming = nil }))
	assert.Empty(t, subjects(p))
	assert.False(t, zoneOf(t, p, "old.example").Move.Ready)
	assert.Contains(t, notes(p), "have not been asked yet")
}

func TestADSThatWouldBeLeftBehind(t *testing.T) {
	same := "@ A 192.0.2.1\nwww CNAME @\n@ MX 5 mx.other.example.\nk TXT one"
	signed := func(d *survey.Domain) { d.Parent.DS = []survey.DS{{Text: "1 13 2 AA", Matched: true}} }
	p := planFor(t, moves, moving(t, same, signed))
	assert.Equal(t, []string{"stale-ds old.example"}, subjects(p))
	order := moveOrder(zoneOf(t, p, "old.example"))
	assert.Less(
		t,
		strings.Index(order, "remove the DS record of old.example, and wait 1 day"),
		strings.Index(order, "change the name servers"),
	)
	assert.Less(t, strings.Index(order, "change the name servers"),
		strings.Index(order, "publish the next DS"))
	p = planFor(t, moves,
		moving(t, same, func(d *survey.Domain) { signed(d); d.Coming[0].Keys = true }))
	assert.Empty(t, subjects(p), "the new servers hold the key")
}

func TestWhatWorksOnlyOnTheOldServers(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, fallback: home, apex-alias: yes, carrier: "+
			"{apex: broad, www: four}, name-servers: ns.new.example}\n",
		moving(t, "@ A 192.0.2.1\nwww CNAME @\n@ MX 5 mx.other.example.\nk TXT one", nil),
	)
	assert.Contains(t, found(p, "beyond-carrier")[0], "only on its own provider's name servers")
	assert.Equal(
		t,
		[]zone.Loss{
			{Kind: zone.LosesForwarding, Host: "old.example", Carrier: "broad"},
			{Kind: zone.LosesAlias, Host: "old.example"},
		},
		zoneOf(t, p, "old.example").Move.Loses,
	)
}

func TestTTLsAreLedAroundTheChange(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n",
		seen(t, "old.example\n@ 14400 A 192.0.2.1\n@ 60 AAAA 2001:db8::1\n@ MX 5 mx.other.example."),
	)
	z := zoneOf(t, p, "old.example")
	assert.Equal(t, []zone.TTL{
		{Name: "old.example", Type: "AAAA", Seen: 60, LowerTo: 60, WaitAfter: 60, RaiseTo: 3600},
		{Name: "old.example", Type: "A", Seen: 14400, LowerTo: 300, LowerBefore: 14400, WaitAfter: 300,
			RaiseTo: 3600},
	}, z.TTLs)
	assert.Equal(t, 900, z.AbsentFor, "the smaller of the SOA's TTL and its last field")
	for _, c := range z.Changes {
		if c.Name == "www.old.example" {
			assert.Equal(t, 3600, c.TTL, "a new name")
		}
		if c.Name == "old.example" && c.Action == act.Replace {
			assert.Equal(t, 300, c.TTL, "short while it can still be taken back")
		}
	}
	order := said(p.Steps, func(x act.Step) string { return doc.Unmarked(words.Step(x)) })
	assert.Contains(t, order,
		"Then wait 4 hours before the move: the TTL of old.example A is 14400 s.")
	assert.Contains(t, order, "Wait 15 minutes")
	assert.Equal(t, "1 day 2 hours", wording.DurationText(26*3600+5))
	assert.Equal(t, "1 second", wording.DurationText(1))
}

func TestTheZoneAfterTheChanges(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: net, mail: none, apex-alias: "+
			"yes}\n  - unseen.example\n",
		seen(t, "old.example\n@ A 192.0.2.1\n@ AAAA 2001:db8::1\n* A 192.0.2.1\nk TXT one"),
	)
	z := zoneOf(t, p, "old.example")
	sets, err := p.File(&z)
	require.NoError(t, err)
	var got []string
	for _, s := range sets {
		got = append(
			got,
			strings.TrimSuffix(strings.TrimSuffix(s.Name, "old.example"), ".")+" "+s.Type+" "+
				strings.Join(s.Values, "|"),
		)
	}
	assert.ElementsMatch(t, []string{
		" SOA ns1.net.example. host.old.example. 8 7200 3600 1209600 900",
		" NS ns1.net.example.|ns2.net.example.",
		" A 192.0.2.1", "www A 192.0.2.1", "* A 192.0.2.1", "k TXT \"one\"", " MX 0 .",
		` TXT "v=spf1 -all"`,
		`_dmarc TXT "v=DMARC1; p=reject"`,
	}, got, "placeholders are typed at an edge network, and nothing else is lost")
	unseen := zoneOf(t, p, "unseen.example")
	_, err = p.File(&unseen)
	assert.ErrorContains(t, err, "no survey has seen the zone unseen.example")
}

func TestAWantedRecordGoesWithTheCertificate(t *testing.T) {
	const domain = "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, carrier: four, wanted: " +
		"[{name: _a, type: TXT, value: x, until: certificate}]}\n"
	v := seen(t,
		"old.example\n@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 5 mx.other.example.\n_a TXT x")
	assert.Empty(t, changes(zoneOf(t, planFor(t, domain, v), "old.example")),
		"nobody has seen a certificate")
	for _, host := range []string{"old.example", "www.old.example"} {
		v.Domains[0].Chains = append(v.Domains[0].Chains, secured(host, "203.0.113.40:443", nil))
	}
	assert.Equal(t, []string{`remove _a TXT "x" >`},
		changes(zoneOf(t, planFor(t, domain, v), "old.example")))
	v.Domains[0].Chains[1] = secured("www.old.example", "203.0.113.40:443",
		[]finding.Code{finding.Expired})
	assert.Empty(t, changes(zoneOf(t, planFor(t, domain, v), "old.example")))
	v.Domains[0].Chains[1] = secured("www.old.example", "192.0.2.9:443", nil)
	assert.Empty(t, changes(zoneOf(t, planFor(t, domain, v), "old.example")),
		"a certificate elsewhere is none")
}

func TestLatestJoinsSurveys(t *testing.T) {
	first, second := seen(t, "a.example\n@ A 192.0.2.1", "b.example\n@ A 192.0.2.2"),
		seen(t, "a.example\n@ A 192.0.2.3")
	second.Started = first.Started.Add(time.Hour)
	last, before := survey.Latest([]*survey.Survey{second, first})
	newest, ok := record.Find(last.Of("a.example").Records, "a.example", "A")
	assert.True(t, ok)
	assert.Equal(t, []string{"192.0.2.3"}, newest.Values)
	assert.Equal(t, first.Started, last.Of("b.example").Looked)
	assert.NotNil(t, before.Of("a.example"))
	assert.Nil(t, before.Of("b.example"))
	none, _ := survey.Latest(nil)
	assert.Nil(t, none.Of("a.example"))
}

// TestANewServerThatDoesNotAnswerIsNotSaidToLackAnything has the new server fail at MX.
func TestANewServerThatDoesNotAnswerIsNotSaidToLackAnything(t *testing.T) {
	p := planFor(t, moves, moving(t, "@ A 192.0.2.1\nwww CNAME @\nk TXT one", func(d *survey.Domain) {
		d.Coming[0].Missed = []survey.Missed{
			{Name: "old.example", Type: "MX", By: "ns.new.example", Why: "it says SERVFAIL"}}
	}))
	assert.Empty(t, subjects(p))
	assert.False(t, zoneOf(t, p, "old.example").Move.Ready, "it is not known to be ready either")
	i := slices.IndexFunc(p.Notes, func(n act.Note) bool { return n.Notice == act.ServerSilent })
	require.GreaterOrEqual(t, i, 0)
	assert.Contains(t, doc.Unmarked(words.Note(p.Notes[i])), "did not answer about old.example MX")
}

// TestWhatAProviderDoesBesideItsServers is said where a zone leaves it: its mail may end with them.
func TestWhatAProviderDoesBesideItsServers(t *testing.T) {
	for mx, bound := range map[string]bool{"mx.provider.example.": true, "mx.other.example.": false} {
		v := moving(t, "@ A 192.0.2.1\nwww CNAME @\n@ MX 5 "+mx+"\nk TXT one", func(d *survey.Domain) {
			d.Parent.Servers = []string{"ns1.provider.example"}
			for i, s := range d.Records {
				if s.Type == "MX" {
					d.Records[i].Values = []string{"5 " + mx}
				}
			}
		})
		assert.Equal(t, bound, len(found(planFor(t, moves, v), "provider-bound")) > 0, mx)
	}
}

// TestWhereAHostWasBefore tells an address that a survey saw, and from which the plan leads a host
// away, from all others.
func TestWhereAHostWasBefore(t *testing.T) {
	p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n"+
		"  - {name: old.example, carrier: four}\n  - {name: left.example, state: leave}\n",
		seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @", "left.example\n@ A 192.0.2.1"))
	for host, want := range map[string]map[string]bool{
		"old.example":  {"192.0.2.1": true, "192.0.2.2": false, "203.0.113.40": false},
		"left.example": {"192.0.2.1": false}, "else.example": {"192.0.2.1": false},
	} {
		for a, was := range want {
			assert.Equal(t, was, p.Clues().Before(web.MustParseHost(host), netip.MustParseAddr(a)),
				host+" "+a)
		}
	}
}
