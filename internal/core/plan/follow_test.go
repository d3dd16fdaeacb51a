package plan_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

const oldAndTwo = "domains:\n  - {name: n.example, state: leave}\n" +
	"  - {name: old.example, carrier: four}\n" +
	"  - {name: two.example, carrier: four}\n"

// TestWhatFollowsADoorIsLedRight has what hangs on doors in the ways that people build it: nothing
// is lost, and what is typed for that is told.
func TestWhatFollowsADoorIsLedRight(t *testing.T) {
	const two = "two.example\n@ A 192.0.2.5\nwww A 192.0.2.5\n@ MX 0 ."
	for name, c := range map[string]struct {
		domains, old, two string
		// changes of old.example beside its doors, or of two.example where they say so
		want []string
	}{
		"an MX through a www that stays an alias of the apex": {"",
			"@ A 192.0.2.1\nwww CNAME @\n@ MX 10 www", "",
			[]string{"add mail A  > 192.0.2.1", "replace  MX 10 www.old.example > 10 mail.old.example"}},
		"an SPF term through it": {"",
			"@ A 192.0.2.1\nwww CNAME @\n@ MX 10 mx.x.example.\n@ TXT \"v=spf1 a:www.old.example -all\"",
			"", []string{`replace  TXT "v=spf1 a:www.old.example -all" > "v=spf1 ip4:192.0.2.1 -all"`}},
		"both from another zone": {"", "@ A 192.0.2.1\nwww CNAME @\n@ MX 0 .",
			"two.example\n@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 10 www.old.example.\n" +
				"@ TXT \"v=spf1 a:www.old.example -all\"",
			[]string{"add mail A  > 192.0.2.1", "replace  MX 10 www.old.example > 10 mail.two.example",
				`replace  TXT "v=spf1 a:www.old.example -all" > "v=spf1 ip4:192.0.2.1 -all"`}},
		"through a www that only a wildcard answered": {"",
			"@ A 192.0.2.1\n* A 192.0.2.7\n@ MX 10 www\n@ TXT \"v=spf1 a:www.old.example -all\"",
			"", []string{"add mail A  > 192.0.2.7", "replace  MX 10 www.old.example > 10 mail.old.example",
				`replace  TXT "v=spf1 a:www.old.example -all" > "v=spf1 ip4:192.0.2.7 -all"`}},
		"aliases of aliases": {"",
			"@ A 192.0.2.1\nwww CNAME @\nrelay CNAME www\nmail CNAME relay\n@ MX 10 mail", "",
			[]string{"add mail A  > 192.0.2.1", "add relay A  > 192.0.2.1",
				"remove mail CNAME relay.old.example >",
				"remove relay CNAME www.old.example >"}},
		"every usual mail name is taken": {"",
			"@ A 192.0.2.1\nwww CNAME @\n@ MX 10 @\nmail A 192.0.2.2\nmx A 192.0.2.3\n" +
				"mail2 A 192.0.2.4\nmx2 A 192.0.2.6", "",
			[]string{"add mail3 A  > 192.0.2.1", "replace  MX 10 old.example > 10 mail3.old.example"}},
		"an MX into a domain that stays": {"  - {name: three.example, state: leave}\n",
			"@ A 192.0.2.1\nwww CNAME @\n@ MX 10 mail.three.example.", "", nil},
		"needed hosts that only a wildcard answers": {"needed", "@ A 192.0.2.1\n* CNAME @\n@ MX 0 .", "",
			[]string{"add * A  > 192.0.2.1", "add click A  > 192.0.2.1", "remove * CNAME old.example >"}},
		"an alias that is no door": {"", "@ A 192.0.2.1\nwww CNAME @\nblog CNAME www\n@ MX 0 .", "",
			[]string{"add blog A  > 192.0.2.1", "remove blog CNAME www.old.example >"}},
		"no term of SPF twice": {"",
			"@ A 192.0.2.1\nwww CNAME @\n@ MX 0 .\n" +
				"@ TXT \"v=spf1 a a:www.old.example +a ip4:192.0.2.1 -all\"", "",
			[]string{`replace  TXT "v=spf1 a a:www.old.example +a ip4:192.0.2.1 -all" > "v=spf1 ip4:192.0.2.1 -all"`}},
		"an MX that leads nowhere, to a www that is made": {"",
			"@ A 203.0.113.40\n@ MX 10 mx.x.example.\n@ MX 20 www", "",
			[]string{"replace  MX 10 mx.x.example|20 www.old.example > 10 mx.x.example"}},
	} {
		t.Run(name, func(t *testing.T) {
			domains := oldAndTwo + c.domains
			if c.domains == "needed" {
				domains = strings.Replace(
					oldAndTwo,
					"old.example, carrier: four",
					"old.example, carrier: four, needed: {click: x}",
					1,
				)
			}
			of := "old.example"
			zones := []string{"old.example\n" + c.old, two}
			if c.two != "" {
				zones[1], of = c.two, "two.example"
			}
			if strings.Contains(c.domains, "three") {
				zones = append(zones, "three.example\n@ A 192.0.2.9\nmail A 192.0.2.9")
			}
			p := planFor(t, domains, seen(t, zones...))
			assert.Zero(t, finding.Count(p.Findings, finding.Error), subjects(p))
			var got []string
			for _, line := range changes(zoneOf(t, p, of)) {
				door := strings.HasPrefix(line, "remove www ") || strings.Contains(line, "203.0.113.40")
				if !door {
					got = append(got, line)
				}
			}
			assert.ElementsMatch(t, c.want, got)
		})
	}
}

// TestWhatFollowsFromAnotherWaveIsUntiedToo moves one domain alone, on which the mail of another
// one hangs.
func TestWhatFollowsFromAnotherWaveIsUntiedToo(t *testing.T) {
	zones := []string{"old.example\n@ A 192.0.2.1\nwww CNAME @\n@ MX 0 .",
		"two.example\n@ A 192.0.2.5\nwww CNAME www.old.example.\n@ MX 10 www.old.example."}
	for name, domains := range map[string]string{
		"of another wave": strings.Replace(oldAndTwo, "two.example,", "two.example, wave: 2,", 1),
		"moved already":   strings.Replace(oldAndTwo, "two.example,", "two.example, state: moved,", 1),
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(t, domains, seen(t, zones...), func(in *plan.Input) {
				only, err := plan.Select(in.Estate, "old.example")
				require.NoError(t, err)
				in.Only = only
			})
			assert.Zero(t, finding.Count(p.Findings, finding.Error), subjects(p))
			z := zoneOf(t, p, "two.example")
			assert.True(t, z.Guest)
			assert.Subset(t, changes(z), []string{"replace  MX 10 www.old.example > 10 mail.two.example",
				"add www A  > 192.0.2.1"}, "its own door waits for its turn where it is")
			i := slices.IndexFunc(p.Steps, func(s act.Step) bool { return s.Kind == act.UntieMail })
			require.GreaterOrEqual(t, i, 0)
			assert.Contains(t, p.Steps[i].Zones, "two.example")
		})
	}
	left := strings.Replace(oldAndTwo, "two.example, carrier: four", "two.example, state: leave", 1)
	p := planFor(t, left, seen(t, zones...))
	assert.Contains(
		t,
		strings.Join(found(p, "mail-tied"), "\n"),
		"Mail for two.example ends at 192.0.2.1 today",
		"nothing is typed in a domain that is to be left: that is an error",
	)
	assert.Contains(
		t,
		strings.Join(found(p, "depended-on"), "\n"),
		"The CNAME record of www.two.example refers to www.old.example",
	)
	zones[1] += "\n@ TXT \"v=spf1 a:www.old.example -all\""
	p = planFor(t, left, seen(t, zones...))
	assert.Contains(t, strings.Join(found(p, "mail-tied"), "\n"), "The SPF record of two.example "+
		"allows 192.0.2.1 today, but no longer once this is typed: replace @ A 192.0.2.1 by")
}

// TestWhatLeavesAnAliasLeavesItFirst parts an apex and its www, which followed it.
func TestWhatLeavesAnAliasLeavesItFirst(t *testing.T) {
	const apart = "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, carrier: {apex: four, www: certified}}\n"
	p := planFor(
		t,
		apart,
		seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\nmail CNAME @\nwebmail CNAME @\n@ MX 10 mail"),
	)
	assert.Zero(t, finding.Count(p.Findings, finding.Error), subjects(p))
	assert.Equal(t, []string{
		"remove mail CNAME old.example >", "add mail A  > 192.0.2.1",
		"remove webmail CNAME old.example >", "add webmail A  > 192.0.2.1",
		"remove www CNAME old.example >", "add www A  > 203.0.113.41",
		"replace  A 192.0.2.1 > 203.0.113.40",
	}, changes(zoneOf(t, p, "old.example")), "pairs side by side, www before the apex")
}

// TestAServerBehindAnEdgeIsTold has its file, its sheet and its certificate.
func TestAServerBehindAnEdgeIsTold(t *testing.T) {
	for carrier, certificates := range map[string]int{"securely": 1, "plainly": 0} {
		p := planFor(
			t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: "+carrier+"}\n",
			seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\n@ MX 0 ."),
		)
		four := carried(t, p, "four")
		assert.Equal(t, []string{"old.example", "www.old.example"}, four.Hosts)
		count := map[world.EntryKind]int{}
		for _, e := range four.Entries {
			count[e.Kind]++
		}
		assert.Equal(t, 1, count[world.Config], carrier)
		assert.Equal(
			t,
			certificates,
			count[world.CertEntry],
			"none where the edge asks by http: %s",
			carrier,
		)
		assert.Len(t, p.Web.Held("four"), 4)
	}
}

// TestAPlatformBehindAnEdgeIsTold claims the hosts there, though no name ever points to it.
func TestAPlatformBehindAnEdgeIsTold(t *testing.T) {
	edit := [2]string{
		"  four:",
		"  funnel: {by: edge, addresses: [198.51.100.85], behind: aliased}\n  four:",
	}
	domains := "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, carrier: funnel}\n"
	p := planEdited(t, domains, edit, seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\n@ MX 0 ."))
	assert.Zero(t, finding.Count(p.Findings, finding.Error), subjects(p))
	assert.Equal(t, []string{"old.example", "www.old.example"}, typedAs(p, world.HostEntry))
	assert.Len(t, typedAs(p, world.Primary), 2, "one for the site's other name")
}

// TestADoorReachesOnlyWhomItWasToldToReach takes a host out of what carriers are told.
func TestADoorReachesOnlyWhomItWasToldToReach(t *testing.T) {
	p := planFor(t, oldAndTwo, seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\n@ MX 0 ."))
	require.Equal(t, proof.Proved, proof.Prove(p.Web, nil).Verdict)
	sheets := p.Sheets()
	for i := range sheets {
		sheets[i].Entries = slices.DeleteFunc(sheets[i].Entries, func(e act.Entry) bool {
			return sheets[i].Place == "four" && e.Kind == world.Config
		})
	}
	w, broken := p.As(p.With(sheets))
	assert.NotEmpty(t, broken)
	a := w.Answer(t.Context(), chain.Ask{URL: web.MustParseURL("https://www.old.example/")})
	assert.Equal(t, chain.BadAnswer, a.Refusal)
	assert.Equal(t, "four", w.Untold(web.MustParseHost("www.old.example")))
	made := proof.Prove(w, nil)
	assert.Equal(t, proof.Refuted, made.Verdict)
	assert.Equal(t, "http://old.example", made.Findings[0].Subject)
}

// TestSheetsThatTellNobody drops what tells carriers of hosts: the plan says who was not told, and
// of what.
func TestSheetsThatTellNobody(t *testing.T) {
	const domains = "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, carrier: {apex: four, www: aliased}}\n"
	p := planFor(t, domains, seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\n@ MX 0 ."))
	sheets := p.Sheets()
	require.Empty(t, p.Play(p.With(sheets)))
	for i := range sheets {
		if sheets[i].Place == "aliased" {
			sheets[i].Entries = slices.DeleteFunc(
				sheets[i].Entries,
				func(e act.Entry) bool { return e.Kind == world.HostEntry },
			)
		}
	}
	var said []string
	for _, f := range p.Play(p.With(sheets)) {
		said = append(said, f.Subject+": "+f.Says.String())
	}
	assert.Equal(t, []string{
		"aliased: A row of a sheet cannot be typed as it is: aliased takes this for www.old.example " +
			"only " +
			"after the claim.",
		"old.example at aliased: No sheet tells aliased to get the certificate for www.old.example.",
		"www.old.example: www.old.example leads to aliased, which does not know it yet, once this is " +
			"typed: replace www CNAME " +
			"old.example by other.platform.example in old.example.",
	}, said)
}
