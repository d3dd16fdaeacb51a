package survey

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

var now = time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)

// domain makes a domain a.example of lines such as "www CNAME target.".
func domain(lines ...string) Domain {
	d := Domain{Name: "a.example", Source: Transfer}
	for _, l := range lines {
		f := strings.SplitN(l, " ", 3)
		name := "a.example"
		if f[0] != "@" {
			name = f[0] + "." + name
		}
		if i := slices.IndexFunc(d.Records, func(s record.Set) bool {
			return s.Name == name && s.Type == f[1]
		}); i >= 0 {
			d.Records[i].Values = append(d.Records[i].Values, f[2])
			continue
		}
		d.Records = append(d.Records, record.Set{Name: name, Type: f[1], TTL: 60, Values: []string{f[2]}})
	}
	return d
}

func judged(ds ...Domain) []string {
	s := &Survey{Domains: ds}
	var all []string
	for _, f := range (Judge{Now: now, Estate: []string{"a.example", "b.example", "n.example"},
		Stays: "n.example"}).All(s) {
		all = append(all, f.Code.String()+" "+f.Subject)
	}
	return all
}

func TestOddRecords(t *testing.T) {
	for name, c := range map[string]struct {
		lines []string
		want  []string
	}{
		"all is well": {
			[]string{
				"@ A 192.0.2.1", "www CNAME a.example.", "@ MX 10 mx.mail.example.",
				`@ TXT "v=spf1 include:_spf.mail.example -all"`,
				`_dmarc TXT "v=DMARC1; p=none; rua=mailto:x@n.example"`,
				`k1._domainkey TXT "v=DKIM1; p=x"`,
			},
			nil,
		},
		"alias at the apex": {[]string{"@ CNAME x.example."}, []string{"alias-conflict a.example"}},
		"alias with others": {
			[]string{"www CNAME x.example.", "www A 192.0.2.1"}, []string{"alias-conflict www.a.example"},
		},
		"two aliases": {
			[]string{"www CNAME x.example.", "www CNAME y.example."},
			[]string{"alias-conflict www.a.example"},
		},
		"doubled": {[]string{"www.a.example A 192.0.2.1"},
			[]string{"doubled-name www.a.example.a.example"}},
		"doubled target": {[]string{"www CNAME x.a.example.a.example."},
			[]string{"doubled-name www.a.example"}},
		"near miss": {
			[]string{"wwww A 192.0.2.1", "www.www A 192.0.2.1"},
			[]string{"doubled-name www.www.a.example", "doubled-name wwww.a.example"},
		},
		"two SPF": {
			[]string{`@ TXT "v=spf1 -all"`, `@ TXT "v=spf1 mx -all"`}, []string{"mail-malformed a.example"},
		},
		"DMARC at the apex": {[]string{`@ TXT "v=DMARC1; p=none"`}, []string{"mail-malformed a.example"}},
		"DKIM in place":     {[]string{`x.y._domainkey TXT "v=DKIM1; p="`}, nil},
		"MX on the web": {[]string{"@ A 192.0.2.1", "@ MX 10 a.example."},
			[]string{"mail-tied a.example"}},
		"MX with an address of its own, though the same": {
			[]string{"www A 192.0.2.1", "mail A 192.0.2.1", "@ MX 10 mail.a.example."},
			nil,
		},
		"MX by an alias to the web": {
			[]string{"www A 192.0.2.1", "mail CNAME www.a.example.", "@ MX 10 mail.a.example."},
			[]string{"mail-tied a.example", "mail-broken a.example"},
		},
		"MX of its own": {[]string{"www A 192.0.2.1", "mail A 192.0.2.2", "@ MX 10 mail.a.example."},
			nil},
		"implicit MX": {[]string{"@ A 192.0.2.1", `_dmarc TXT "v=DMARC1; p=none"`},
			[]string{"mail-tied a.example"}},
		"no mail at all": {[]string{"@ A 192.0.2.1", `@ TXT "v=spf1 -all"`}, nil},
		"SPF by address": {
			[]string{"@ A 192.0.2.1", "@ MX 10 mx.mail.example.", `@ TXT "v=spf1 a ~all"`},
			[]string{"mail-tied a.example"},
		},
		"refers to another": {
			[]string{"@ MX 10 mail.b.example.", `@ TXT "v=spf1 include:b.example -all"`,
				"shop CNAME www.b.example."},
			[]string{"depended-on b.example", "depended-on b.example", "depended-on b.example"},
		},
		"refers to what stays": {[]string{"shop CNAME www.n.example."}, nil},
	} {
		assert.Equal(t, c.want, judged(domain(c.lines...)), name)
	}
}

func TestDelegation(t *testing.T) {
	server := func(name string, state State, serial uint32, by ...string) Server {
		return Server{Name: name, Address: "192.0.2.53:53", State: state, Serial: serial, By: by,
			Says: "it says so"}
	}
	d := domain("@ A 192.0.2.1")
	d.Parent = Parent{Zone: "example", DS: []DS{{Text: "1 13 2 AB"}}}
	d.Servers = []Server{
		server("ns1", Answers, 1, "parent", "zone"),
		server("ns2", Answers, 2, "parent"),
		server("ns3", Lame, 0, "zone"),
		server("ns4", Silent, 0, "zone"),
	}
	assert.Equal(
		t,
		[]string{
			"stale-ds a.example",
			"split-answers a.example",
			"split-answers a.example",
			"split-answers a.example",
			"split-answers a.example",
		},
		judged(d),
	)
	d.Parent.DS[0].Matched = true
	d.Servers = d.Servers[:1]
	assert.Empty(t, judged(d))
}

func TestADifferenceSaysWhoSaysWhatAndForHowLong(t *testing.T) {
	d := domain("www A 192.0.2.2")
	d.Differences = []Difference{{Name: "www.a.example", Type: "A", Voices: []Voice{
		{
			Who:    "ns1.example",
			Values: []string{"192.0.2.2"},
		}, {Who: "the resolver 127.0.0.1:53", Resolver: true, Values: []string{"192.0.2.1"}, TTL: 5400}}}}
	f := Judge{Now: now}.All(&Survey{Domains: []Domain{d}})
	assert.Equal(t, fact.VoicesDiffer{About: "www.a.example A", Says: []fact.Facts{
		fact.Voice{Who: "ns1.example", Values: []string{"192.0.2.2"}},
		fact.Voice{Who: "the resolver 127.0.0.1:53", Values: []string{"192.0.2.1"}, TTL: 5400},
	}, Advice: fact.JustWait{TTL: 5400}}, f[0].Facts())
}

func TestUnclaimedAliases(t *testing.T) {
	d := domain("www CNAME sites.platform.example.", "old CNAME gone.platform.example.")
	d.Aliases = []AliasEnd{
		{Name: "www.a.example", Target: "sites.platform.example", Exists: true},
		{Name: "old.a.example", Target: "gone.platform.example"},
	}
	u := web.MustParseURL("http://www.a.example/")
	d.Chains = []chain.Chain{
		{Entry: u, Probe: chain.Root, Arrival: u, End: chain.Page,
			Hops: []chain.Answer{{URL: u, Status: 404}}},
	}
	assert.Equal(t, []string{"dangling-alias old.a.example", "dangling-alias www.a.example"},
		judged(d))
	d.Chains[0].Hops[0].Status = 200
	assert.Equal(t, []string{"dangling-alias old.a.example"}, judged(d))
}

func TestRegistration(t *testing.T) {
	soon, late := now.AddDate(0, 0, 20), now.AddDate(1, 0, 0)
	d := domain("@ A 192.0.2.1")
	d.Registration = &Registration{Ends: &soon, Status: []string{"active", "client hold"}}
	assert.Equal(t, []string{"on-hold a.example", "registration-ends a.example"}, judged(d))
	d.Registration = &Registration{Ends: &late, Status: []string{"active", "client update prohibited"}}
	assert.Empty(t, judged(d))
}

func TestRobotsThatBarEverything(t *testing.T) {
	for text, want := range map[string]string{
		"User-agent: *\nDisallow: /\n":                               "Disallow: /",
		"user-agent: *\nDISALLOW:/ # all":                            "Disallow: /",
		"User-agent: bot\nUser-agent: *\nDisallow: /\n":              "Disallow: /",
		"User-agent: bot\nDisallow: /\n\nUser-agent: *\nDisallow:\n": "",
		"User-agent: *\nDisallow: /private/\n":                       "",
		"User-agent: *\nAllow: /\nUser-agent: bot\nDisallow: /\n":    "",
		"<html>": "",
	} {
		assert.Equal(t, want, Bars(text), text)
	}
}

func TestTextPutsStringsTogether(t *testing.T) {
	assert.Equal(t, "v=spf1 include:a -all", record.Unquote(`"v=spf1 incl" "ude:a -all"`))
	assert.Equal(t, "a\"b\x07", record.Unquote(`"a\"b\007"`))
}

func TestOddFactsDoNotMistakeAnAliasOutOfTheZoneForNothing(t *testing.T) {
	d := domain("@ A 192.0.2.1", "www CNAME shared-host.example.")
	assert.Empty(t, d.Odd())
	d = domain("@ A 192.0.2.1", "@ A 192.0.2.2")
	assert.Len(t, d.Odd(), 2)
}
