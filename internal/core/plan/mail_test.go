package plan_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
)

// found gives the findings about a code: subject and what they say.
func found(p *plan.Plan, code string) []string {
	var all []string
	for _, f := range p.Findings {
		if f.Code.String() == code {
			all = append(all, f.Subject+": "+f.Says.String()+" "+f.Fix.String())
		}
	}
	return all
}

func TestMailSurvives(t *testing.T) {
	for name, c := range map[string]struct {
		mail, zone string
		want       []string // changes other than of the web
		code, says string
	}{
		"an MX on the apex": {"keep", "@ A 192.0.2.1\n@ MX 10 @\nwww A 203.0.113.40",
			[]string{"add mail A  > 192.0.2.1", "replace  MX 10 old.example > 10 mail.old.example"},
			"mail-tied",
			"mail.old.example A 192.0.2.1; MX 10 mail.old.example"},
		"an MX on www, where mail is taken": {"keep",
			"@ A 203.0.113.40\nwww A 192.0.2.1\nmail A 192.0.2.99\n@ MX 5 www",
			[]string{"add mx A  > 192.0.2.1", "replace  MX 5 www.old.example > 5 mx.old.example"},
			"mail-tied",
			"mx.old.example A 192.0.2.1"},
		"a mail name with today's address": {"keep",
			"@ A 192.0.2.1\nwww A 203.0.113.40\nmail A 192.0.2.1\n@ MX 5 @\n" +
				"@ MX 9 mx.other.example.",
			[]string{"replace  MX 5 old.example|9 mx.other.example > 5 mail.old.example|9 mx.other.example"},
			"mail-tied",
			"MX 5 mail.old.example"},
		"an MX on an alias that goes": {"keep",
			"@ A 203.0.113.40\nwww CNAME host.other.example.\n@ MX 5 www",
			[]string{"replace  MX 5 www.old.example > 5 host.other.example"}, "mail-tied",
			"MX 5 host.other.example"},
		"no MX at all, but signs of mail": {"keep",
			"@ A 192.0.2.1\n@ TXT \"v=spf1 ip4:192.0.2.7 -all\"\nwww A 203.0.113.40",
			[]string{"add  MX  > 10 mail.old.example", "add mail A  > 192.0.2.1"}, "mail-tied", "RFC 5321"},
		"a sender policy that follows the web": {"keep",
			"@ A 192.0.2.1\n@ AAAA 2001:db8::1\n@ MX 5 mx.other.example.\n" +
				"@ TXT \"v=spf1 ?a include:x.example -all\"\n@ TXT other\nwww A 203.0.113.40",
			[]string{"replace  TXT \"other\"|\"v=spf1 ?a include:x.example -all\" > \"other\"|\"v=spf1 " +
				"?ip4:192.0.2.1 " +
				"?ip6:2001:db8::1 include:x.example -all\""}, "mail-tied", "v=spf1 ?ip4:192.0.2.1"},
		"mail that hangs on nothing": {
			"keep", "@ A 192.0.2.1\n@ MX 5 mx.other.example.\nwww A 203.0.113.40", nil, "", "",
		},
		"mail: none where mail arrives": {
			"none", "@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 5 mx.other.example.", nil, "mail-lost",
			"MX 5 mx.other.example",
		},
		"mail: none where mail is signed": {
			"none", "@ A 203.0.113.40\nwww A 203.0.113.40\nk._domainkey TXT \"v=DKIM1; p=abc\"", nil,
			"mail-lost",
			"a DKIM key at k._domainkey.old.example",
		},
		"mail: none where mail is allowed": {
			"none", "@ A 203.0.113.40\nwww A 203.0.113.40\n@ TXT \"v=spf1 mx -all\"", nil, "mail-lost",
			"v=spf1 mx -all",
		},
		"mail: none and a revoked key": {"none",
			"@ A 203.0.113.40\nwww A 203.0.113.40\nk._domainkey TXT \"v=DKIM1; p=\"",
			[]string{"add  MX  > 0 .", "add  TXT  > \"v=spf1 -all\"",
				"add _dmarc TXT  > \"v=DMARC1; p=reject\""}, "", ""},
		"mail: none, said already": {
			"none",
			"@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 0 .\n@ TXT \"v=spf1 -all\"\n" +
				"_dmarc TXT \"v=DMARC1; p=reject\"",
			nil, "", "",
		},
		"nothing says anything": {"keep", "@ A 203.0.113.40\nwww A 203.0.113.40", nil, "mail-spoofable",
			"mail: none"},
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(
				t,
				"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four, mail: "+
					c.mail+"}\n",
				seen(t, "old.example\n"+c.zone),
			)
			var got []string
			for _, line := range changes(zoneOf(t, p, "old.example")) {
				if !strings.Contains(line, "203.0.113.40") && !strings.HasPrefix(line, "remove ") {
					got = append(got, line)
				}
			}
			assert.ElementsMatch(t, c.want, got)
			if c.code == "" {
				assert.Empty(t, subjects(p))
				return
			}
			assert.Contains(t, strings.Join(found(p, c.code), "\n"), c.says)
			z := zoneOf(t, p, "old.example")
			for _, ch := range z.Changes {
				if ch.Action == act.Add && strings.HasPrefix(ch.Name, "m") {
					assert.Equal(t, 1, ch.Step, "mail gets its name before anything else")
				}
			}
		})
	}
}

func TestWhatCannotStandBesideAnAliasIsNamed(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: {apex: four, www: platform}}\n",
		seen(
			t,
			"old.example\n@ A 203.0.113.40\nwww A 192.0.2.1\nwww TXT proof\nwww MX 5 mx.other.example.\n"+
				"@ MX 5 mx.other.example.",
		),
	)
	assert.Equal(t, []string{"record-lost www.old.example", "mail-lost www.old.example"}, subjects(p))
	assert.Contains(t, changes(zoneOf(t, p, "old.example")), `remove www TXT "proof" >`)
}

func TestWhatRefersToANameThatChanges(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n"+
			"  - {name: two.example, carrier: four}\n",
		seen(
			t,
			"old.example\n@ A 192.0.2.1\nwww A 203.0.113.40\nblog CNAME @\n@ MX 5 mx.other.example.",
			"two.example\n@ A 203.0.113.40\nwww CNAME old.example.\n@ MX 5 old.example.",
		),
	)
	all := found(p, "depended-on")
	assert.Len(t, all, 1, all)
	assert.Contains(t, all[0], "blog.old.example follows old.example")
	assert.Contains(t, changes(zoneOf(t, p, "old.example")), "add blog A  > 192.0.2.1",
		"it stays where it is")
	assert.Contains(t, changes(zoneOf(t, p, "two.example")),
		"replace  MX 5 old.example > 5 mail.two.example",
		"mail gets a name in its own zone")
	assert.Zero(t, finding.Count(p.Findings, finding.Error), subjects(p))
}

// TestMailIsUntiedFromWhatItFollows has mail behind aliases, and senders by names with prefixes,
// behind aliases and in another zone.
func TestMailIsUntiedFromWhatItFollows(t *testing.T) {
	for name, c := range map[string]struct {
		zone string
		want []string
	}{
		"an alias of the apex": {
			"@ A 192.0.2.1\nmail CNAME @\nimap CNAME mail\n@ MX 5 mail\nwww A 203.0.113.40",
			[]string{"remove imap CNAME mail.old.example >", "add imap A  > 192.0.2.1",
				"remove mail CNAME old.example >",
				"add mail A  > 192.0.2.1"}},
		"an alias that follows an alias": {
			"@ A 203.0.113.40\nwww CNAME host.other.example.\nmail CNAME www\n@ MX 5 mail",
			[]string{"replace mail CNAME www.old.example > host.other.example"}},
		"an alias of another zone": {
			"@ A 203.0.113.40\nwww A 203.0.113.40\nmail CNAME www.two.example.\n@ MX 5 " +
				"mx.other.example.",
			[]string{"remove mail CNAME www.two.example >", "add mail A  > 192.0.2.5"}},
		"a key that is an alias": {
			"@ A 192.0.2.1\nwww A 203.0.113.40\n@ MX 5 mx.other.example.\nk._domainkey CNAME @", nil},
		"a term with a prefix": {
			"@ A 192.0.2.1\n@ AAAA 2001:db8::1\nwww A 203.0.113.40\n@ MX 5 mx.other.example.\n" +
				"@ TXT \"v=spf1 a/24//64 -all\"", []string{
				`replace  TXT "v=spf1 a/24//64 -all" > "v=spf1 ip4:192.0.2.1/24 ip6:2001:db8::1/64 -all"`}},
		"a term behind an alias": {
			"@ A 192.0.2.1\nwww A 203.0.113.40\nout CNAME @\n@ MX 5 mx.other.example.\n" +
				"@ TXT \"v=spf1 a:out.old.example ~all\"", []string{
				"remove out CNAME old.example >", "add out A  > 192.0.2.1"}},
		"a term of another zone": {"@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 5 mx.other.example.\n" +
			"@ TXT \"v=spf1 a:www.two.example ~all\"", []string{
			`replace  TXT "v=spf1 a:www.two.example ~all" > "v=spf1 ip4:192.0.2.5 ~all"`}},
		"a record below the apex": {"@ A 192.0.2.1\nwww A 203.0.113.40\n@ MX 5 mx.other.example.\n" +
			"news TXT \"v=spf1 a:old.example ~all\"", []string{
			`replace news TXT "v=spf1 a:old.example ~all" > "v=spf1 ip4:192.0.2.1 ~all"`}},
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(
				t,
				"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n"+
					"  - {name: two.example, carrier: four}\n",
				seen(t, "old.example\n"+c.zone, "two.example\n@ A 192.0.2.5\nwww A 192.0.2.5\n@ MX 0 ."),
			)
			var got []string
			for _, line := range changes(zoneOf(t, p, "old.example")) {
				door := strings.HasPrefix(line, "remove www ") || strings.HasPrefix(line, "remove  AAAA")
				if !door && !strings.Contains(line, "203.0.113.40") {
					got = append(got, line)
				}
			}
			assert.ElementsMatch(t, c.want, got)
			for _, says := range found(p, "depended-on") {
				assert.NotContains(t, says, "mail.old.example", "what is untied depends on nothing")
			}
			if len(c.want) == 0 {
				return
			}
			assert.NotEmpty(t, found(p, "mail-tied"))
			i := slices.IndexFunc(p.Steps, func(s act.Step) bool { return s.Kind == act.UntieMail })
			j := slices.IndexFunc(p.Steps, func(s act.Step) bool { return s.Kind == act.MakeChanges })
			require.GreaterOrEqual(t, i, 0, "a step of its own, which is waited for")
			assert.Less(t, i, j)
			assert.Equal(t, len(c.want), p.Steps[i].Count)
			assert.Equal(t, 3600, p.Steps[i].Wait)
		})
	}
}

// TestWantedPoliciesAreJoined wants SPF and DMARC where there are others.
func TestWantedPoliciesAreJoined(t *testing.T) {
	for name, c := range map[string]struct{ wanted, zone, want, code string }{
		"SPF": {`{name: "@", type: TXT, value: "v=spf1 include:x.example -all"}`,
			"@ TXT \"v=spf1 mx ~all\"\n@ TXT proof",
			`replace  TXT "proof"|"v=spf1 mx ~all" > "proof"|"v=spf1 mx include:x.example ~all"`, ""},
		"SPF that is there already": {`{name: "@", type: TXT, value: "v=spf1 include:x.example -all"}`,
			"@ TXT \"v=spf1 mx include:x.example ~all\"", "", ""},
		"two that are wanted": {`{name: "@", type: TXT, value: "v=spf1 include:x.example -all"}, ` +
			`{name: "@", type: TXT, value: "v=spf1 include:y.example ~all"}`, "",
			`add  TXT  > "v=spf1 include:x.example include:y.example -all"`, ""},
		"where reports go": {
			`{name: _dmarc, type: TXT, value: "v=DMARC1; p=none; rua=mailto:x@x.example"}`,
			`_dmarc TXT "v=DMARC1; p=none; rua=mailto:y@y.example"`,
			`replace _dmarc TXT "v=DMARC1; p=none; rua=mailto:y@y.example" > ` +
				`"v=DMARC1; p=none; rua=mailto:y@y.example,mailto:x@x.example"`, ""},
		"two policies": {`{name: _dmarc, type: TXT, value: "v=DMARC1; p=reject"}`,
			`_dmarc TXT "v=DMARC1; p=none"`, "",
			"mail-malformed"},
	} {
		t.Run(name, func(t *testing.T) {
			p := planFor(
				t,
				"domains:\n  - {name: n.example, state: leave}\n"+
					"  - {name: old.example, carrier: four, wanted: ["+c.wanted+"]}\n",
				seen(t, "old.example\n@ A 203.0.113.40\nwww A 203.0.113.40\n@ MX 5 mx.other.example.\n"+c.zone),
			)
			assert.Equal(t, c.want, strings.Join(changes(zoneOf(t, p, "old.example")), "\n"))
			assert.Equal(t, c.code != "", len(found(p, "mail-malformed")) == 1, subjects(p))
		})
	}
}

func TestAPolicyThatIsJoinedIsUntiedToo(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: four, wanted: [{name: \"@\", "+
			"type: TXT, "+
			"value: \"v=spf1 include:mail.example -all\"}]}\n",
		seen(
			t,
			"old.example\n@ A 192.0.2.30\nwww A 203.0.113.40\n@ MX 10 mx.other.example.\n"+
				"@ TXT \"v=spf1 a/24 -all\"\n@ TXT "+
				"\"proof\"",
		),
	)
	const text = `"v=spf1 ip4:192.0.2.30/24 include:mail.example -all"`
	var untied []string
	for _, c := range zoneOf(t, p, "old.example").Changes {
		if c.Step > 0 && c.Type == "TXT" {
			untied = append(untied, c.After...)
			assert.True(t, c.UntiesMail(), "it comes before the web moves, and is waited for")
		}
	}
	slices.Sort(untied)
	assert.Equal(t, []string{`"proof"`, text}, untied, "one change does both")
	assert.Contains(t, strings.Join(found(p, "mail-tied"), ""), "TXT "+text,
		"the finding says what the change says")
}
