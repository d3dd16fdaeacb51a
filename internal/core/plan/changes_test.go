package plan_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/words"
)

// today is when these plans are made.
var today = time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC)

// seen makes a survey of zones, each a line with its name and then its records as a zone file has
// them.
func seen(t *testing.T, zones ...string) *survey.Survey {
	t.Helper()
	v := &survey.Survey{Started: today.Add(-24 * time.Hour)}
	for _, z := range zones {
		name, records, _ := strings.Cut(z, "\n")
		path := filepath.Join(t.TempDir(), name+".zone")
		text := "$ORIGIN " + name +
			".\n$TTL 3600\n@ 3600 IN SOA ns.old.example. host.old.example. 7 7200 3600 1209600 " +
			"900\n@ IN NS ns.old.example.\n" + records + "\n"
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		_, rrs, err := files.ReadZone(path, name)
		require.NoError(t, err)
		v.Domains = append(v.Domains, live.FileDomain(web.MustParseHost(name), rrs))
	}
	return v
}

// planFor makes a plan of estate lines and zones; change may add to its input.
func planFor(t *testing.T, domains string, v *survey.Survey,
	change ...func(*plan.Input)) *plan.Plan {
	t.Helper()
	return planEdited(t, domains, [2]string{}, v, change...)
}

// planEdited plans as planFor does, with further carriers.
func planEdited(
	t *testing.T,
	domains string,
	edit [2]string,
	v *survey.Survey,
	change ...func(*plan.Input),
) *plan.Plan {
	t.Helper()
	path := filepath.Join(t.TempDir(), "upperpath.yaml")
	text := strings.NewReplacer(", rules: site.csv, pages: pages.txt", "", "rules: rules.csv\n", "",
		"defaults:",
		moreCarriers+"defaults:").
		Replace(head) +
		domains
	if edit[0] != "" {
		text = strings.Replace(text, edit[0], edit[1], 1)
	}
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	e, err := files.ReadEstate(path)
	require.NoError(t, err)
	in := plan.Input{Estate: e.Estate, Survey: v, Now: today}
	for _, c := range change {
		c(&in)
	}
	return plan.Make(in)
}

// changes gives what is to do in a zone, a line a change: step action name type before -> after.
func changes(z zone.Zone) []string {
	var all []string
	for _, c := range z.Changes {
		if c.Step > 0 {
			all = append(
				all,
				strings.TrimSpace(
					fmt.Sprintf(
						"%s %s %s %s > %s",
						c.Action,
						strings.TrimSuffix(strings.TrimSuffix(c.Name, z.Name), "."),
						c.Type,
						strings.Join(c.Before, "|"),
						strings.Join(c.After, "|"),
					),
				),
			)
		}
	}
	return all
}

func zoneOf(t *testing.T, p *plan.Plan, name string) zone.Zone {
	t.Helper()
	for _, z := range p.Zones {
		if z.Name == name {
			return z
		}
	}
	t.Fatal("no zone " + name)
	return zone.Zone{}
}

func reasons(z zone.Zone) string {
	var all []string
	for _, c := range z.Changes {
		all = append(all, c.Name+" "+c.Type+": "+doc.Unmarked(words.Because(c.Reasons)))
	}
	return strings.Join(all, "\n")
}

func TestWhatIsToChange(t *testing.T) {
	for name, c := range map[string]struct {
		domain, zone string
		want         []string
		says         string // in some reason
	}{
		"parking addresses go": {"old.example", "@ A 192.0.2.1\n@ A 192.0.2.2\nwww A 192.0.2.1",
			[]string{
				"replace  A 192.0.2.1|192.0.2.2 > 203.0.113.20|203.0.113.21", "add  AAAA  > 2001:db8::20",
				"replace www A 192.0.2.1 > 203.0.113.20|203.0.113.21", "add www AAAA  > 2001:db8::20",
			},
			"Both previous addresses go"},
		"a www that was never created": {"old.example",
			"@ A 203.0.113.20\n@ A 203.0.113.21\n@ AAAA 2001:db8::20",
			[]string{"add www A  > 203.0.113.20|203.0.113.21", "add www AAAA  > 2001:db8::20"},
			"www.old.example was never created"},
		"only some of the addresses": {"old.example",
			"@ A 203.0.113.20\n@ AAAA 2001:db8::20\nwww A 203.0.113.20\n" +
				"www A 203.0.113.21\nwww AAAA 2001:db8::20",
			[]string{"replace  A 203.0.113.20 > 203.0.113.20|203.0.113.21"},
			"Only 1 of the 2 addresses of gateway exist"},
		"an old address beside the new": {"old.example",
			"@ A 203.0.113.20\n@ A 203.0.113.21\n@ A 192.0.2.9\n" +
				"@ AAAA 2001:db8::20\nwww A 203.0.113.20\nwww A 203.0.113.21\nwww AAAA 2001:db8::20",
			[]string{"replace  A 192.0.2.9|203.0.113.20|203.0.113.21 > 203.0.113.20|203.0.113.21"},
			"192.0.2.9 would be left over"},
		"one alias replaced by another": {"{name: old.example, carrier: {apex: four, www: platform}}",
			"@ A 203.0.113.40\nwww CNAME parking.example.",
			[]string{"replace www CNAME parking.example > sites.platform.example"},
			"One alias is replaced by the other"},
		"addresses give way to an alias": {"{name: old.example, carrier: {apex: four, www: platform}}",
			"@ A 203.0.113.40\nwww A 192.0.2.1\nwww AAAA 2001:db8::1",
			[]string{"remove www A 192.0.2.1 >", "remove www AAAA 2001:db8::1 >",
				"add www CNAME  > sites.platform.example"},
			"Claim www.old.example at platform first"},
		"an alias gives way to addresses": {"{name: old.example, carrier: four}",
			"@ A 203.0.113.40\nwww CNAME parking.example.",
			[]string{"remove www CNAME parking.example >", "add www A  > 203.0.113.40"},
			"An alias stands alone"},
		"an AAAA that nobody thought of": {"{name: old.example, carrier: four}",
			"@ A 192.0.2.1\n@ AAAA 2001:db8::1\n" +
				"www A 203.0.113.40",
			[]string{"remove  AAAA 2001:db8::1 >", "replace  A 192.0.2.1 > 203.0.113.40"},
			"leads all visitors with IPv6 to the previous machine"},
		"never without any address": {"{name: old.example, carrier: four}",
			"@ AAAA 2001:db8::1\nwww A 203.0.113.40",
			[]string{"add  A  > 203.0.113.40", "remove  AAAA 2001:db8::1 >"},
			"leads all visitors with IPv6 to the previous machine"},
		"hints of an HTTPS record": {"{name: old.example, carrier: four}",
			"@ A 203.0.113.40\n@ HTTPS 1 . alpn=h2 " +
				"ipv4hint=192.0.2.1\nwww A 203.0.113.40\nwww HTTPS 1 . alpn=h2",
			[]string{"remove  HTTPS 1 . alpn=\"h2\" ipv4hint=\"192.0.2.1\" >"}, "RFC 9460"},
		"a wildcard that hides a missing name": {"{name: old.example, carrier: four}",
			"@ A 192.0.2.1\n* A 192.0.2.1",
			[]string{"add www A  > 203.0.113.40", "replace  A 192.0.2.1 > 203.0.113.40"},
			"*.old.example A: It hid that www.old.example did not exist, which is created now. It stays"},
		"a wildcard that a name below hides": {"{name: old.example, hosts: [a.b], carrier: four}",
			"@ A 203.0.113.40\n" +
				"www A 203.0.113.40\n* A 192.0.2.1\nx.b TXT y",
			[]string{"add a.b A  > 203.0.113.40"}, "a.b.old.example was never created; it leads to four"},
		"a wildcard below which the name lies": {"{name: old.example, hosts: [a.b], carrier: four}",
			"@ A 203.0.113.40\n" +
				"www A 203.0.113.40\n* A 192.0.2.1",
			[]string{"add a.b A  > 203.0.113.40"},
			"the wildcard *.old.example answered for it and hid that"},
		"the carrier's own alias": {"{name: old.example, carrier: {apex: four, www: aliased}}",
			"@ A 203.0.113.40\n" +
				"www CNAME other.platform.example.\n", nil,
			"www.old.example CNAME: It already leads to aliased."},
		"a wildcard that leads elsewhere stays": {
			"{name: old.example, carrier: four}", "@ A 192.0.2.1\nwww A 203.0.113.40\n* A 192.0.2.99",
			[]string{"replace  A 192.0.2.1 > 203.0.113.40"}, "",
		},
		"an alias at the apex": {
			"{name: old.example, apex-alias: yes, carrier: {apex: aliased, www: four}}",
			"@ A 192.0.2.1\nwww A 203.0.113.40",
			[]string{"remove  A 192.0.2.1 >", "add  ALIAS  > other.platform.example"},
			"sends some visitors elsewhere"},
		"an alias at the apex that is there": {
			"{name: old.example, apex-alias: yes, carrier: {apex: aliased, www: four}}",
			"@ A 198.51.100.61\nwww A 203.0.113.40", nil, "already gives the addresses of aliased",
		},
		"an address where something stands beside": {
			"{name: old.example, carrier: {apex: four, www: aliased}}",
			"@ A 203.0.113.40\nwww CNAME parking.example.\nwww TXT proof",
			[]string{"remove www CNAME parking.example >", "add www A  > 198.51.100.61"}, ""},
		"a forward at a form": {
			"{name: old.example, carrier: four}", "@ A 198.51.100.34\nwww A 203.0.113.40",
			[]string{"replace  A 198.51.100.34 > 203.0.113.40"},
			"delete the forwarding there, because a door can have only one carrier",
		},
		"mail of an alias": {
			"{name: old.example, carrier: four}",
			"@ A 203.0.113.40\n@ MX 10 mx.mail.example.\nwww A 203.0.113.40\n_dmarc TXT v=DMARC1", nil,
			"Mail: it stays as it is.",
		},
		"wanted records": {
			"{name: old.example, carrier: four, wanted: [{name: _a.old.example., type: TXT, value: x}, " +
				"{name: _b, type: TXT, value: [\"one \", two]}, {name: '@', type: TXT, value: " +
				"'\"proof=1\"'}, {name: c, type: " +
				"cname, value: Target.Example}]}", "@ A 203.0.113.40\n@ TXT \"old\"\nwww A 203.0.113.40",
			[]string{"add c CNAME  > target.example", "add _a TXT  > \"x\"", "add _b TXT  > \"one two\"",
				"replace  TXT \"old\" > \"old\"|\"proof=1\""},
			"It is added to the present values"},
		"wanted until a day": {
			"{name: old.example, carrier: four, wanted: [{name: _a, type: TXT, value: x, until: " +
				"2026-11-25}, {name: _b, type: TXT, value: y, until: 2026-11-26}]}",
			"@ A 203.0.113.40\nwww A 203.0.113.40\n" +
				"_a TXT x\n_a TXT z\n_b TXT y",
			[]string{"replace _a TXT \"x\"|\"z\" > \"z\""}, "It was wanted until 2026-11-25."},
		"no mail": {"{name: old.example, carrier: four, mail: none}",
			"@ A 203.0.113.40\nwww A 203.0.113.40\n@ TXT hello",
			[]string{"add  MX  > 0 .", "add _dmarc TXT  > \"v=DMARC1; p=reject\"",
				"replace  TXT \"hello\" > \"hello\"|\"v=spf1 -all\""}, "RFC 7505"},
		"a www that follows its apex": {
			"{name: old.example, carrier: four}", "@ A 192.0.2.1\nwww CNAME @",
			[]string{"replace  A 192.0.2.1 > 203.0.113.40"}, "It follows old.example, which leads to four.",
		},
		"a machine that is still needed": {
			"{name: old.example, carrier: four}",
			"@ A 192.0.2.1\nwww CNAME @\nmail A 192.0.2.1\nftp A 192.0.2.1",
			[]string{"replace  A 192.0.2.1 > 203.0.113.40"}, "needs the machine at 192.0.2.1",
		},
		"placeholders at an edge": {
			"{name: old.example, carrier: net}", "@ A 192.0.2.1",
			[]string{"add www A  > 198.51.100.80", "replace  A 192.0.2.1 > 198.51.100.80"}, "",
		},
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n  - "+c.domain+"\n",
				seen(t, "old.example\n"+c.zone))
			z := zoneOf(t, p, "old.example")
			assert.Equal(t, c.want, changes(z))
			assert.Contains(t, reasons(z), c.says)
		})
	}
}

const moreCarriers = `  four: {by: server, addresses: [203.0.113.40]}
  certified: {by: server, addresses: [203.0.113.41], issuer: ca.example}
  aliased: {by: platform, alias: other.platform.example, addresses: [198.51.100.61]}
  told:
    {by: platform, alias: told.platform.example, addresses: [198.51.100.62], certificate: after,
      rules: no, hosts-at-most: 1, wanted: [{name: _claim, type: TXT, value: abc}]}
  net: {by: edge, addresses: [198.51.100.80], name-servers: [ns1.net.example, ns2.net.example]}
  plainly: {by: edge, addresses: [198.51.100.81], origin: plain, behind: four}
  securely: {by: edge, addresses: [198.51.100.82], origin: tls, behind: four}
  framer: {by: form, addresses: [198.51.100.36], tls: yes, keeps: [path, query], frames: yes}
`

// TestWhatNobodyAnsweredAboutIsNeitherThereNorGone plans a zone whose server gave no answer about
// www and MX.
func TestWhatNobodyAnsweredAboutIsNeitherThereNorGone(t *testing.T) {
	before := seen(t,
		"old.example\n@ A 192.0.2.1\n@ MX 10 mx.other.example.\nwww CNAME shop.other.example.")
	planned := func(missed ...survey.Missed) *plan.Plan {
		now := seen(t, "old.example\n@ A 192.0.2.1")
		now.Domains[0].Missed = missed
		return planFor(t, "domains: [n.example, old.example]\n", now, func(in *plan.Input) {
			in.Earlier = before
		})
	}
	codes := func(p *plan.Plan) string {
		var all []string
		for _, f := range p.Findings {
			all = append(all, f.Code.String()+" "+f.Subject)
		}
		return strings.Join(all, "\n")
	}
	www := func(p *plan.Plan) act.Why {
		for _, z := range p.Zones {
			for _, c := range z.Changes {
				if c.Name == "www.old.example" && c.Action == act.Add && c.Type == "A" {
					return c.Reasons[0].Why
				}
			}
		}
		return 0
	}
	gone := planned()
	assert.Contains(t, codes(gone), "mail-lost old.example MX", "it was answered that there is none")
	assert.Equal(t, act.NeverCreated, www(gone))
	missed := []survey.Missed{{Name: "old.example", Type: "MX", By: "ns", Why: "it says SERVFAIL"}}
	for _, kind := range []string{"A", "AAAA", "CNAME"} {
		missed = append(missed,
			survey.Missed{Name: "www.old.example", Type: kind, By: "ns", Why: "it says SERVFAIL"})
	}
	unseen := planned(missed...)
	assert.NotContains(t, codes(unseen), "-lost")
	assert.Equal(t, act.NobodyAnswered, www(unseen))
	i := slices.IndexFunc(unseen.Notes, func(n act.Note) bool { return n.Notice == act.NotAnswered })
	require.GreaterOrEqual(t, i, 0)
	assert.Contains(t, unseen.Notes[i].Values, "old.example MX")
	assert.Contains(t, doc.Unmarked(words.Note(unseen.Notes[i])),
		"Nobody answered about old.example MX")
}

// TestAnAliasThatLeadsToTheRightPlaceIsKept has a host at an alias of somebody's whose addresses
// the estate file gives.
func TestAnAliasThatLeadsToTheRightPlaceIsKept(t *testing.T) {
	planned := func(met string) []string {
		v := seen(t,
			"old.example\n@ A 203.0.113.40\nwww CNAME lb.other.example.\n@ MX 0 .\n@ TXT \"v=spf1 -all\"")
		u := web.MustParseURL("http://www.old.example/")
		v.Domains[0].Chains = []chain.Chain{{Entry: u, Probe: chain.Root, Hops: []chain.Answer{
			{URL: u, Status: 301, Address: met, Aliases: []string{"lb.other.example"}}}}}
		p := planFor(t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n", v)
		return changes(zoneOf(t, p, "old.example"))
	}
	assert.Empty(t, planned("203.0.113.40:80"))
	assert.Equal(t, []string{"remove www CNAME lb.other.example >", "add www A  > 203.0.113.40"},
		planned("192.0.2.9:80"))
}

// TestNothingIsPlannedThatCannotStandTogether wants records beside aliases, and has some there.
func TestNothingIsPlannedThatCannotStandTogether(t *testing.T) {
	for name, c := range map[string]struct {
		domain, zone string
		want         []string
		found        string
	}{
		"a text at a name that becomes an alias": {
			"{name: old.example, carrier: {apex: four, www: platform}, wanted: [{name: www, type: TXT, " +
				"value: x}]}",
			"@ A 203.0.113.40", []string{"add www CNAME  > sites.platform.example"},
			"alias-conflict www.old.example",
		},
		"a text where addresses can stand": {
			"{name: old.example, carrier: {apex: four, www: aliased}, wanted: [{name: www, type: TXT, " +
				"value: x}]}",
			"@ A 203.0.113.40", []string{`add www TXT  > "x"`, "add www A  > 198.51.100.61"}, "",
		},
		"an alias beside a text": {
			"{name: old.example, carrier: four, wanted: [{name: s, type: CNAME, value: x.example}]}",
			"@ A 203.0.113.40\nwww A 203.0.113.40\ns TXT y", nil, "alias-conflict s.old.example",
		},
		"a text beside an alias that is there": {
			"{name: old.example, carrier: four, wanted: [{name: s, type: TXT, value: x}]}",
			"@ A 203.0.113.40\nwww A 203.0.113.40\ns CNAME y.example.", nil, "alias-conflict s.old.example",
		},
		"both there": {
			"{name: old.example, carrier: four}",
			"@ A 203.0.113.40\nwww A 203.0.113.40\ns CNAME y.example.\ns TXT x", nil,
			"alias-conflict s.old.example",
		},
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n  - "+c.domain+"\n",
				seen(t, "old.example\n@ MX 0 .\n"+c.zone))
			assert.Equal(t, c.want, changes(zoneOf(t, p, "old.example")))
			conflicts := slices.DeleteFunc(subjects(p), func(s string) bool {
				return !strings.HasPrefix(s, "alias-conflict")
			})
			assert.Equal(t, c.found, strings.Join(conflicts, "\n"))
		})
	}
}

// TestWhatIsDelegatedIsNotChanged has www delegated to other name servers.
func TestWhatIsDelegatedIsNotChanged(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: four, wanted: [{name: a.www, "+
			"type: TXT, value: x}]}\n",
		seen(t, "old.example\n@ A 192.0.2.1\n@ MX 0 .\nwww NS ns.other.example."),
	)
	assert.Equal(t, []string{"replace  A 192.0.2.1 > 203.0.113.40"},
		changes(zoneOf(t, p, "old.example")))
	assert.Equal(t, []string{"cut-off a.www.old.example", "cut-off www.old.example"}, subjects(p))
}

func TestWhatIsWantedBesideAnAliasComesAfterItIsGone(t *testing.T) {
	for name, zone := range map[string]string{
		"an alias that leads elsewhere":   "@ A 203.0.113.40\nwww CNAME shop.other.example.",
		"an alias that would be as good":  "@ A 203.0.113.40\nwww CNAME @",
		"an alias that is its carrier's":  "@ A 203.0.113.40\nwww CNAME old.example.",
		"an alias in the way of more too": "@ A 192.0.2.30\nwww CNAME shop.other.example.",
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(t,
				"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four, "+
					"wanted: [{name: www, type: TXT, value: abc}]}\n", seen(t, "old.example\n"+zone))
			var order []string
			for _, c := range zoneOf(t, p, "old.example").Changes {
				if c.Step > 0 && c.Name == "www.old.example" {
					order = append(order, string(c.Action)+" "+c.Type)
				}
			}
			assert.Equal(t, []string{"remove CNAME", "add A", "add TXT"}, order)
			assert.Empty(t, found(p, "alias-conflict"))
		})
	}
}

func TestADomainForWhichMailIsAskedForIsNotWithoutMail(t *testing.T) {
	spoofable := func(wanted string) []string {
		return found(planFor(t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four, "+
				"wanted: ["+wanted+"]}\n", seen(t, "old.example\n@ A 203.0.113.40\nwww A 203.0.113.40")),
			"mail-spoofable")
	}
	assert.Len(t, spoofable(""), 1)
	assert.Len(t, spoofable("{name: shop, type: MX, value: 5 mx.other.example.}"), 1,
		"that is another name's mail")
	assert.Empty(t, spoofable("{name: \"@\", type: MX, value: 5 mx.other.example.}"))
	assert.Empty(t, spoofable("{name: \"@\", type: TXT, value: v=spf1 -all}"))
}

func TestMailNoneStandsInsteadOfWhatSaysLess(t *testing.T) {
	domain := "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, mail: none}\n"
	p := planFor(t, domain, seen(t, "old.example\n@ A 192.0.2.7\n@ MX 0 .\n@ TXT \"v=spf1 ~all\"\n"+
		"_dmarc TXT \"v=DMARC1; p=none; rua=mailto:x@n.example\""))
	assert.Empty(t, subjects(p), "who says nothing but ~all names nobody")
	all := strings.Join(changes(zoneOf(t, p, "old.example")), "\n")
	assert.Contains(t, all, `v=spf1 -all`)
	assert.Contains(t, all, `v=DMARC1; p=reject; rua=mailto:x@n.example`)

	p = planFor(t, domain, seen(t, "old.example\n@ A 192.0.2.7\n* MX 10 mx.o.example."))
	assert.Equal(t, []string{"mail-lost old.example"}, subjects(p), "a wildcard receives mail")
	p = planFor(t, domain, seen(t, "old.example\n@ A 192.0.2.7\n@ TXT \"v=spf1 ip4:192.0.2.9 ~all\""))
	assert.Equal(t, []string{"mail-lost old.example"}, subjects(p))
}

func TestOneOfAKindIsKeptAtAName(t *testing.T) {
	wanted := func(record string) string {
		return "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, wanted: [" +
			record +
			"]}\n"
	}
	for record, there := range map[string]string{
		`{name: s._domainkey, type: TXT, value: "v=DKIM1; p=BBBB"}`:            `s._domainkey TXT "k=rsa; p=AAAA"`,
		`{name: _smtp._tls, type: TXT, value: "v=TLSRPTv1; rua=mailto:b@x.y"}`: `_smtp._tls TXT "v=TLSRPTv1; rua=mailto:a@x.y"`,
		`{name: _mta-sts, type: TXT, value: "v=STSv1; id=2"}`:                  `_mta-sts TXT "v=STSv1; id=1"`,
		`{name: default._bimi, type: TXT, value: "v=BIMI1; l=b"}`:              `default._bimi TXT "v=BIMI1; l=a"`,
		`{name: "@", type: TXT, value: "v=spf1 ?all"}`:                         `@ TXT "v=spf1 -all"`,
	} {
		p := planFor(t, wanted(record), seen(t, "old.example\n@ A 192.0.2.7\n"+there))
		assert.Len(t, found(p, "mail-malformed"), 1, record)
	}
	p := planFor(t, wanted(`{name: "@", type: MX, value: 10 mx.new.example.}`),
		seen(t, "old.example\n@ A 192.0.2.7\n@ MX 10 mx.before.example."))
	assert.Contains(t, found(p, "mail-malformed")[0], "by chance")
	p = planFor(t, wanted(`{name: "@", type: TXT, value: "v=spf1 a:x -all"}`), seen(t,
		"old.example\n@ A 192.0.2.7"))
	assert.Contains(t, found(p, "mail-malformed")[0], "does not end as the name of a domain does")
}

func TestWhateverRefersToADoorIsUntied(t *testing.T) {
	p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example}\n",
		seen(t, "old.example\n@ A 192.0.2.7\nwww A 192.0.2.7\n_sip._tls SRV 10 5 5061 www.old.example.\n"+
			"sub NS www.old.example.\n@ TXT \"v=spf1 a:%{d} exists:%{i}.old.example -all\""))
	all := strings.Join(changes(zoneOf(t, p, "old.example")), "\n")
	for _, want := range []string{"sip", "ns", "v=spf1 ip4:192.0.2.7 exists:%{i}.old.example -all"} {
		assert.Contains(t, all, want)
	}
	assert.Empty(t, slices.DeleteFunc(slices.Clone(p.Findings), func(f finding.Finding) bool {
		return f.Severity != finding.Error
	}))
	assert.Contains(t, strings.Join(found(p, "mail-tied"), "\n"), "depends on who sends")
}

func TestWhatKeepsACertificateFromBeingIssuedIsNamed(t *testing.T) {
	domain := "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example}\n"
	for value, want := range map[string]string{"128 tbs \"x\"": "tbs, which is marked as critical",
		"192 policy \"x\"": "policy, which is marked as critical", "0 tbs \"x\"": "",
		"128 iodef \"mailto:x@n.example\"": ""} {
		p := planFor(t, domain, seen(t, "old.example\n@ A 192.0.2.7\n@ CAA "+value))
		said := strings.Join(found(p, "issuer-barred"), "\n")
		if want == "" {
			assert.Empty(t, said, value)
			continue
		}
		assert.Contains(t, said, want)
	}
}

func TestASignedZoneMovesOnlyWhereTheDSWasLookedFor(t *testing.T) {
	domain := "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, name-servers: [ns1.next.example]}\n"
	signed := "old.example\n@ NS ns1.host.example.\n@ A 192.0.2.7\n" +
		"@ DNSKEY 257 3 13 mdsswUyr3DPW132mOi8V9xESWE8jTo0dxCjjnopKl+GqJxpVXckHAeF+" +
		"KkxLbxILfDLUT0rAK9iUzy1L53eKGQ=="
	p := planFor(t, domain, seen(t, signed))
	assert.Contains(t, strings.Join(found(p, "moved-unseen"), "\n"),
		"nobody saw whether the zone above")
	v := seen(t, signed)
	v.Domains[0].Parent = survey.Parent{Zone: "example", Server: "a.example",
		Servers: []string{"ns1.host.example"}}
	assert.Empty(t, found(planFor(t, domain, v), "moved-unseen"))
}

func TestWhatThePlanAskedForIsNotUnplanned(t *testing.T) {
	domain := "domains:\n  - {name: n.example, state: leave}\n" +
		"  - {name: old.example, needed: {shop: {by: the shop, to: shops.host.example}}}\n"
	before := "old.example\n@ A 192.0.2.7\nwww A 192.0.2.7\n@ MX 10 www.old.example.\n" +
		"@ TXT \"v=spf1 a:www.old.example -all\"\n_sip._tls SRV 1 1 5061 www.old.example.\nshop A " +
		"192.0.2.8"
	asked := "old.example\n@ A 203.0.113.20\n@ A 203.0.113.21\n@ AAAA 2001:db8::20\nwww A " +
		"203.0.113.20\n" +
		"www A 203.0.113.21\nwww AAAA 2001:db8::20\nmail A 192.0.2.7\nsip A 192.0.2.7\n" +
		"@ MX 10 mail.old.example.\n@ TXT \"v=spf1 ip4:192.0.2.7 -all\"\n" +
		"_sip._tls SRV 1 1 5061 sip.old.example.\nshop CNAME shops.host.example."
	earlier := func(in *plan.Input) { in.Earlier = seen(t, before) }
	p := planFor(t, domain, seen(t, asked), earlier)
	assert.Empty(t, found(p, "unplanned-change"))
	assert.Empty(t, found(p, "record-lost"))
	p = planFor(t, domain, seen(t, strings.Replace(asked, "ip4:192.0.2.7", "ip4:192.0.2.99", 1)),
		earlier)
	assert.Len(t, found(p, "unplanned-change"), 1, "somebody else typed another one")
	p = planFor(t, domain, seen(t, strings.Replace(asked, "@ MX 10 mail",
		"@ MX 20 other.example.\n@ MX 10 mail",
		1)), earlier)
	assert.Len(t, found(p, "unplanned-change"), 1)

	// what nobody had asked about before did not come since
	further := strings.Replace(domain, "{name: old.example,",
		"{name: old.example, hosts: [archive],", 1)
	partial := func(in *plan.Input) {
		in.Earlier = seen(t, before)
		in.Earlier.Domains[0].Partial = true
	}
	v := seen(t, before+"\narchive TXT \"x\"")
	v.Domains[0].Partial = true
	assert.Empty(t, found(planFor(t, further, v, partial), "unplanned-change"))
}
