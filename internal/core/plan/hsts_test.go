package plan_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/words"
)

// TestHSTSThatLocksVisitorsOut has a host whose https door asks browsers to remember https, and
// carriers with which they could not come in any more: for good, or until a certificate is there.
func TestHSTSThatLocksVisitorsOut(t *testing.T) {
	const year = "max-age=31536000"
	const zone = "old.example\n@ A 198.51.100.9\nwww A 198.51.100.9\n@ MX 0 ."
	for name, c := range map[string]struct {
		carrier, header string
		host            string // that sends it
		preload         []plan.Preloaded
		finds           string // subjects, in order
		says            string
	}{
		"to a server with its certificate": {"gateway", year, "old.example", nil, "", ""},
		"to a form": {"form", year, "old.example", nil, "old.example",
			"does not speak TLS"},
		"to a form, for hosts below too": {"form", year + "; includeSubDomains", "old.example", nil,
			"old.example www.old.example", "shut out"},
		"to a form, www alone": {"form", year, "www.old.example", nil, "www.old.example",
			""},
		"to a form, and nothing was sent":   {"form", "", "old.example", nil, "", ""},
		"to a form, and it is taken back":   {"form", "max-age=0", "old.example", nil, "", ""},
		"to a form, and nobody can read it": {"form", "for a year", "old.example", nil, "", ""},
		"to a certificate that comes after": {"platform", year, "old.example", nil, "old.example",
			"once the name points there"},
		"built into browsers": {"form", "", "old.example", []plan.Preloaded{{
			Host: web.MustParseHost("old.example"), Below: true}}, "old.example www.old.example",
			"Browsers come with old.example"},
		"built in, without what is below": {"form", "", "old.example", []plan.Preloaded{{
			Host: web.MustParseHost("old.example")}}, "old.example", ""},
	} {
		t.Run(name, func(t *testing.T) {
			v := seen(t, zone)
			ch := met("https://"+c.host+"/", chain.Root, "198.51.100.9:443", 200, "", "")
			ch.Hops[0].TLS = &chain.TLS{}
			if c.header != "" {
				ch.Hops[0].Headers = &chain.Headers{HSTS: c.header}
			}
			v.Domains[0].Chains = []chain.Chain{ch}
			p := planEdited(t, "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, "+
				"carrier: "+c.carrier+"}\n", [2]string{", apex-only: yes", ""}, v,
				func(in *plan.Input) { in.Preloaded = c.preload })
			all := found(p, "hsts-trap")
			var subjects []string
			for _, f := range p.Findings {
				if f.Code.String() == "hsts-trap" {
					subjects = append(subjects, f.Subject)
					assert.Equal(t, finding.Error, f.Severity)
				}
			}
			assert.Equal(t, c.finds, strings.Join(subjects, " "), "%v", all)
			if c.says != "" {
				assert.Contains(t, strings.Join(all, "\n"), c.says)
			}
		})
	}
}

// TestWhoAnswersForItsOwnCertificates: a carrier that gets them itself answers what an authority
// asks, whatever else it redirects; a server of one's own has to leave that path alone.
func TestWhoAnswersForItsOwnCertificates(t *testing.T) {
	for carrier, exempt := range map[string]bool{"gateway": true, "platform": false, "edge": false} {
		p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, "+
			"carrier: "+carrier+"}\n", nil)
		u := web.MustParseURL("http://old.example" + chain.WellKnownPath)
		assert.Equal(t, exempt, p.Exempt(u), carrier)
	}
}

// TestThePolicyOfHSTS has steps in the policy, hosts below that a server carries, and what they
// would be shut out from.
func TestThePolicyOfHSTS(t *testing.T) {
	const zone = "old.example\n@ A 198.51.100.9\nwww A 198.51.100.9\nintranet A 192.0.2.99\n@ MX 0 ."
	for name, c := range map[string]struct {
		policy, domain string
		finds          string
		notes          string
	}{
		"nothing": {"hops: 1", "carrier: gateway", "", ""},
		"one step": {"hsts: {max-age: 300}", "carrier: gateway",
			"", ""},
		"steps to come": {"hsts: [{max-age: 300}, {max-age: 31536000, from: 2090-02-03}]",
			"carrier: gateway", "", "max-age=31536000 from 2090-02-03 on"},
		"hosts below of which nobody knows": {"hsts: {max-age: 300, below: yes}", "carrier: gateway",
			"warning old.example intranet.old.example", ""},
		"a needed host": {"hsts: {max-age: 300, below: yes}",
			"carrier: gateway, needed: {intranet: the staff, click: the mail service}",
			"warning old.example click.old.example, intranet.old.example", ""},
		"a form below a server": {"hsts: {max-age: 300, below: yes}",
			"carrier: {apex: gateway, www: form}", "error www.old.example; " +
				"warning old.example intranet.old.example", ""},
		"a form beside": {"hsts: {max-age: 300, below: yes}",
			"carrier: {apex: form, www: gateway}", "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			p := planEdited(t, "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, "+
				c.domain+"}\npolicy: {"+c.policy+"}\n", [2]string{", apex-only: yes", ""}, seen(t, zone))
			var all, notes []string
			for _, f := range p.Findings {
				switch facts := f.Facts().(type) {
				case fact.PolicyLocksOut:
					all = append(all, string(f.Severity)+" "+facts.Host)
				case fact.PolicyCovers:
					all = append(all, string(f.Severity)+" "+facts.By+" "+strings.Join(facts.Hosts, ", "))
				}
			}
			for _, n := range p.Notes {
				if n.Notice == act.HSTSGoesOn {
					notes = append(notes, words.Note(n))
				}
			}
			assert.Equal(t, c.finds, strings.Join(all, "; "))
			if c.notes == "" {
				assert.Empty(t, notes)
			} else {
				assert.Contains(t, strings.Join(notes, "\n"), c.notes)
			}
		})
	}
}

// TestThePolicyHoldsAsTimeGoesOn asks which header a door sends on which day.
func TestThePolicyHoldsAsTimeGoesOn(t *testing.T) {
	for day, want := range map[string]string{
		"2026-11-01": "", "2026-12-01": "max-age=300", "2027-01-07": "max-age=300",
		"2027-01-08": "max-age=31536000; includeSubDomains; preload", "2030-01-01": "max-age=0",
	} {
		at, err := time.Parse(time.DateOnly, day)
		assert.NoError(t, err)
		p := planEdited(t, "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, "+
			"carrier: {apex: gateway, www: form}}\npolicy:\n  hsts:\n"+
			"    - {max-age: 300, from: 2026-12-01}\n"+
			"    - {max-age: 31536000, below: yes, preload: yes, from: 2027-01-08}\n"+
			"    - {max-age: 0, from: 2030-01-01}\n", [2]string{", apex-only: yes", ""}, nil,
			func(in *plan.Input) { in.Now = at })
		assert.Equal(t, want, p.HSTS(web.MustParseURL("https://old.example/").Door()), day)
		assert.Empty(t, p.HSTS(web.MustParseURL("http://old.example/").Door()), day)
		assert.Empty(t, p.HSTS(web.MustParseURL("https://www.old.example/").Door()), day)
		assert.Empty(t, p.HSTS(web.MustParseURL("https://www.n.example/").Door()), day)
	}
}
