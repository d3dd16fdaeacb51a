package cutover

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

const (
	site = "canonical: https://www.n.example\n" +
		"site: {hosts: [www.n.example], addresses: [203.0.113.10]}\n"
	gw   = "  gw: {by: server, addresses: [203.0.113.20]}\n"
	rest = "defaults: {carrier: gw, records-at: Registrar A, registrar: Registrar A}\n" +
		"domains:\n  - {name: n.example}\n"
	edges = "  e1: {by: edge, addresses: [198.51.100.80], name-servers: [ns1.one.example, " +
		"ns2.one.example]}\n" +
		"  e2: {by: edge, addresses: [198.51.100.90], name-servers: [ns1.two.example, " +
		"ns2.two.example], " +
		"behind: gw}\n"
	apexAndWWW = "old.example. A 192.0.2.1;www.old.example. CNAME old.example."
	atEdge     = "old.example. A 198.51.100.80;www.old.example. A 198.51.100.80;" +
		"shop.old.example. A 198.51.100.80"
)

// caseOf makes an estate of carriers, domains, and lines of old.example and two.example.
func caseOf(head, carriers, domains, old, two string) Estate {
	e := Estate{File: head + "carriers:\n" + gw + carriers + rest + domains,
		Zones: map[string][]string{
			"n.example":   {"n.example. A 203.0.113.20", "www.n.example. A 203.0.113.10"},
			"old.example": strings.Split(old, ";"),
		}}
	if two != "" {
		e.Zones["two.example"] = strings.Split(two, ";")
	}
	return e
}

// told gives what a plan says: its errors and warnings as "code subject", and its steps with what
// is typed in them.
func told(p *plan.Plan) string {
	var b strings.Builder
	for _, f := range p.Findings {
		fmt.Fprintf(&b, "%s %s %s: %s\n", f.Severity, f.Code, f.Subject, f.Says)
	}
	for i, task := range p.Tasks() {
		fmt.Fprintf(&b, "step %d kind %d at %s, wait %d\n", i+1, task.Step.Kind, task.Place,
			task.Step.Wait)
		for _, l := range task.Lines {
			fmt.Fprintf(&b, "  %s %s %s %d %s>%s\n", l.Do, l.Name, l.Type, l.TTL, l.Was, l.Value)
		}
		for _, e := range task.Entries {
			fmt.Fprintf(&b, "  %s %s %s", e.Action, e.Kind, e.Domain)
			for _, f := range e.Fields {
				fmt.Fprintf(&b, " %s=%s", f.Name, f.Value+f.Holds)
			}
			b.WriteByte('\n')
		}
	}
	return b.String()
}

// TestEachCaseGetsItsStepOrItsFinding has estates in which the plan once held, though nobody was
// told to type something, or something was lost on the way.
func TestEachCaseGetsItsStepOrItsFinding(t *testing.T) {
	t.Parallel()
	edge := func(behind string) string {
		return "  edge: {by: edge, addresses: [198.51.100.80], behind: " + behind + "}\n"
	}
	plat := "  plat: {by: platform, alias: sites.plat.example, addresses: [198.51.100.60]}\n"
	old := "  - {name: old.example"
	for name, c := range map[string]struct {
		e        Estate
		servers  []string // of old.example today
		has, not []string
		red      bool
		order    []act.StepKind
		ds       []survey.DS
	}{
		"a platform behind an edge is told": {
			e: caseOf(site, plat+edge("plat"), old+", carrier: edge}\n", apexAndWWW, ""),
			has: []string{"add host old.example host=old.example",
				"add pattern old.example pattern=old.example/* target=https://www.n.example/$1"},
		},
		"a server behind an edge gets its file and certificate": {
			e: caseOf(site, "  hid: {by: server, addresses: [203.0.113.30]}\n"+edge("hid"),
				old+", carrier: edge}\n", apexAndWWW, ""),
			has: []string{"add configuration  redirects=hid",
				"certificate for=old.example, www.old.example"},
		},
		"mail by an alias of an alias": {
			e: caseOf(site, "", old+"}\n", apexAndWWW+";mail.old.example. CNAME www.old.example.;"+
				"old.example. MX 10 mail.old.example.;old.example. TXT \"v=spf1 a:www.old.example -all\"", ""),
			has: []string{"add mail.old.example A 3600 >192.0.2.1", "v=spf1 ip4:192.0.2.1 -all"},
		},
		"mail to www, which follows the apex": {
			e:   caseOf(site, "", old+"}\n", apexAndWWW+";old.example. MX 10 www.old.example.", ""),
			has: []string{"replace old.example MX 3600 10 www.old.example>10 mail.old.example"},
		},
		"what a domain that is left refers to": {
			e: caseOf(site, "", old+"}\n  - {name: two.example, state: leave}\n", apexAndWWW,
				"two.example. A 192.0.2.2;two.example. MX 10 www.old.example.;"+
					"two.example. TXT \"v=spf1 a:old.example -all\""),
			has: []string{"error mail-tied two.example"}, red: true,
		},
		"every usual mail name taken": {
			e: caseOf(site, "", old+"}\n", "old.example. A 192.0.2.1;old.example. MX 10 old.example."+
				";mail.old.example. A 192.0.2.7;mx.old.example. A 192.0.2.7", ""),
			has: []string{"10 mail2.old.example"}, not: []string{"mail-old", "mail-mail"},
		},
		"a wildcard that answers for www": {
			e: caseOf(site, "", old+", needed: {click: the mail service}}\n",
				"old.example. A 192.0.2.1;*.old.example. A 192.0.2.9", ""),
			has: []string{"lower *.old.example A 300 >192.0.2.9", "raise *.old.example A 3600 >192.0.2.9"},
		},
		"a record that names itself to browsers is lowered and waited for": {
			e:   caseOf(site, "", old+"}\n", apexAndWWW+";old.example. HTTPS 1 . ipv4hint=192.0.2.1", ""),
			has: []string{"lower old.example HTTPS 300"},
		},
		"leaving an edge network, with nobody knowing what is behind it": {
			e: caseOf(site, edges, old+", name-servers: [ns1.reg.example, ns2.reg.example]}\n", atEdge,
				""),
			servers: []string{"ns1.one.example", "ns2.one.example"},
			has:     []string{"error provider-bound old.example", "error provider-bound shop.old.example"},
			red:     true,
		},
		"leaving an edge network whose origin is known": {
			e: caseOf(site, edges, old+", origin: {apex: 192.0.2.1, www: 192.0.2.1, shop: 192.0.2.3}, "+
				"name-servers: [ns1.reg.example, ns2.reg.example]}\n", atEdge, ""),
			servers: []string{"ns1.one.example", "ns2.one.example"},
			has:     []string{"replace old.example A 300 192.0.2.1>203.0.113.20"},
			not:     []string{"198.51.100.80"},
		},
		"from one edge network to another": {
			e:       caseOf(site, edges, old+", carrier: e2}\n", atEdge, ""),
			servers: []string{"ns1.one.example", "ns2.one.example"},
			has:     []string{"error provider-bound www.old.example"}, red: true,
		},
		"from one edge network to another, with its origin": {
			e:       caseOf(site, edges, old+", carrier: e2, origin: 192.0.2.1}\n", atEdge, ""),
			servers: []string{"ns1.one.example", "ns2.one.example"},
			has:     []string{"replace old.example A 300 192.0.2.1>203.0.113.20"},
		},
		"an edge network whose zone is at others": {
			e: caseOf(site, edges, old+", carrier: e2, name-servers: [ns1.reg.example, ns2.reg.example]}\n",
				apexAndWWW, ""),
			has: []string{"error beyond-carrier e2"}, red: true,
		},
		"the site's addresses are the edge's own": {
			e: caseOf(strings.Replace(site, "203.0.113.10", "198.51.100.95", 1),
				"  front: {by: edge, addresses: [198.51.100.95], name-servers: [ns1.f.example, "+
					"ns2.f.example], "+
					"behind: site}\n", old+", carrier: front}\n", apexAndWWW, ""),
			has: []string{"error provider-bound old.example"}, red: true,
		},
		"a platform that redirects before the records": {
			e: caseOf(site, "  plat: {by: platform, alias: sites.plat.example, addresses: [198.51.100.60], "+
				"steps: [claim, redirect, records, certificate]}\n",
				old+", carrier: plat}\n", apexAndWWW, ""),
			order: []act.StepKind{act.ClaimHosts, act.ChoosePrimaries, act.MakeChanges,
				act.IssueCertificates, act.AuditDoors},
		},
		"a form with TLS has its certificate later": {
			e: caseOf(site,
				"  form: {by: form, addresses: [198.51.100.34], tls: yes, keeps: [path, query]}\n",
				old+", carrier: {apex: form, www: gw}}\n", apexAndWWW, ""),
			has: []string{fmt.Sprintf("kind %d", act.IssueCertificates),
				fmt.Sprintf("kind %d", act.LeaveAliases)},
		},
		"a platform at which the site does not live": {
			e:   caseOf(site, plat, old+", carrier: plat}\n", apexAndWWW, ""),
			has: []string{"add pattern old.example pattern=www.old.example/*"},
			not: []string{"add primary"},
		},
		"a platform without rules at which the site does not live": {
			e: caseOf(site, strings.Replace(plat, "platform,", "platform, rules: no,", 1),
				old+", carrier: plat}\n", apexAndWWW, ""),
			has: []string{"error beyond-carrier old.example"}, not: []string{"add primary"}, red: true,
		},
		"a TLSA record that pins the old certificate": {
			e: caseOf(site, "", old+"}\n", apexAndWWW+
				";_443._tcp.old.example. TLSA 3 1 1 "+strings.Repeat("ab", 32), ""),
			has: []string{"error certificate-pinned _443._tcp.old.example"}, red: true,
		},
		"a TLSA record to which an alias leads": {
			e: caseOf(site, "", old+"}\n", apexAndWWW+
				";_443._tcp.old.example. CNAME _dane.old.example.;_dane.old.example. TLSA 3 1 1 "+
				strings.Repeat("ab", 32), ""),
			has: []string{"error certificate-pinned _dane.old.example"}, red: true,
		},
		"a TLSA record that is to be there for both certificates": {
			e: caseOf(site, "", old+", wanted: [{name: _443._tcp, type: TLSA, value: 3 1 1 "+
				strings.Repeat("cd", 32)+"}]}\n", apexAndWWW+
				";_443._tcp.old.example. TLSA 3 1 1 "+strings.Repeat("ab", 32), ""),
			has:   []string{"warning certificate-pinned _443._tcp.old.example"},
			order: []act.StepKind{act.UntieMail, act.GetCertificates, act.MakeChanges},
		},
		"CAA records that bar the issuer until they change": {
			e: caseOf(site, "  ca: {by: server, addresses: [203.0.113.40], issuer: new.example}\n",
				old+", carrier: ca, wanted: [{name: '@', type: CAA, value: '0 issue \"new.example\"'}]}\n",
				apexAndWWW+";old.example. CAA 0 issue \"was.example\"", ""),
			has: []string{"error issuer-barred old.example"}, red: true,
		},
		"a name to be proved that is an alias": {
			e: caseOf(site, "", old+"}\n", apexAndWWW+
				";_acme-challenge.old.example. CNAME proofs.host.example.", ""),
			has: []string{"proof by DNS (TXT)=proofs.host.example"},
			not: []string{"alias-conflict"},
		},
		"a certificate that can be had only later": {
			e: caseOf(site, "  late: {by: server, addresses: [203.0.113.40], certificate: after}\n",
				old+", carrier: late}\n", apexAndWWW, ""),
			order: []act.StepKind{act.MakeChanges, act.IssueCertificates, act.AuditDoors},
		},
		"certificates that a redirect keeps from being issued": {
			e: caseOf(site+"policy: {exempt: []}\n",
				"  late: {by: server, addresses: [203.0.113.40], certificate: after}\n",
				old+", carrier: late}\n", apexAndWWW, ""),
			has: []string{"warning well-known-taken late"},
		},
		"a DS record that goes before the name servers do": {
			e: caseOf(site, "", old+", name-servers: [ns1.reg.example, ns2.reg.example]}\n", apexAndWWW,
				""),
			ds:    []survey.DS{{Text: "1 13 2 AB", Matched: true}},
			order: []act.StepKind{act.RemoveDS, act.ChangeNameServers, act.LeaveOld, act.MakeChanges},
			has:   []string{"remove ds old.example DS=1 13 2 AB"},
			red:   true, // until it is gone
		},
		"short TTLs stay short": {
			e: caseOf(site, "", old+"}\n", "old.example. 600 A 192.0.2.1;www.old.example. 120 A 192.0.2.1",
				""),
			has: []string{"raise old.example A 600", "replace www.old.example A 120 "},
			not: []string{"raise www.old.example"},
		},
	} {
		t.Run(name, func(t *testing.T) {
			in := c.e.Input(t)
			for i := range in.Survey.Domains {
				if d := &in.Survey.Domains[i]; d.Name == "old.example" && c.servers != nil {
					d.Parent.Servers = c.servers
				} else if d.Name == "old.example" {
					d.Parent.DS = c.ds
				}
			}
			p := plan.Make(in)
			says := told(p)
			if os.Getenv("SHOW") != "" {
				fmt.Println("=====", name, "\n"+says)
			}
			for _, want := range c.has {
				assert.Contains(t, says, want)
			}
			for _, bad := range c.not {
				assert.NotContains(t, says, bad)
			}
			at := -1
			for _, kind := range c.order {
				i := slices.IndexFunc(p.Steps, func(s act.Step) bool { return s.Kind == kind })
				assert.Greater(t, i, at, "step %d: %s", kind, says)
				at = i
			}
			assert.Equal(t, c.red, len(errorsOf(p)) > 0, "%v", errorsOf(p))
		})
	}
}

// TestAnOldTTLIsNotForgotten surveys an estate before and after its TTLs were lowered: some still
// hold the answers of before, and so it is waited for them.
func TestAnOldTTLIsNotForgotten(t *testing.T) {
	t.Parallel()
	made := func(ttl string) plan.Input {
		lines := strings.ReplaceAll("old.example. TTL A 192.0.2.1;www.old.example. TTL A 192.0.2.1;"+
			"old.example. TTL MX 10 mx.post.example.", "TTL", ttl)
		return caseOf(site, "", "  - {name: old.example, wanted: [{name: \"@\", type: MX, "+
			"value: 5 mx.new.example}]}\n", lines, "").Input(t)
	}
	in, before := made("300"), made("86400")
	before.Survey.Started = in.Survey.Started.Add(-time.Hour)
	require.Nil(t, stepOf(plan.Make(in), act.OutlastTTLs), "nobody saw that it was longer")
	in.Past = []*survey.Survey{in.Survey, before.Survey}
	p := plan.Make(in)
	assert.Empty(t, errorsOf(p))
	s := stepOf(p, act.OutlastTTLs)
	require.NotNil(t, s, told(p))
	assert.Equal(t, 82800, s.Wait, "a day from the last moment at which it may have been given")
	assert.Equal(t,
		"Wait 23 hours before anything changes: the TTL of old.example A was 86400 s until "+
			"2026-11-24 23:00 UTC.", doc.Unmarked(words.Step(*s)))
	_, wants := p.Awaited()
	for _, w := range wants {
		if w.Name == "old.example" && (w.Type == "MX" || w.Type == "A") {
			assert.Equal(t, 82800, w.Lasts, "%s %s", w.Name, w.Type)
		}
	}
	// an answer that is gone, of a zone that has changed since
	in = made("300")
	gone := made("86400")
	for i := range gone.Survey.Domains {
		for j, s := range gone.Survey.Domains[i].Records {
			if s.Name == "www.old.example" && s.Type == "A" {
				gone.Survey.Domains[i].Records[j].Values = []string{"192.0.2.200"}
			}
		}
	}
	gone.Survey.Started = in.Survey.Started.Add(-time.Hour)
	in.Past = []*survey.Survey{in.Survey, gone.Survey}
	w := world.New(world.Input{Estate: in.Estate, Survey: in.Survey, Earlier: in.Past, Now: in.Now})
	assert.Equal(t, []string{"192.0.2.1", "192.0.2.200"}, w.Held("www.old.example").Ends)
	w.Wait(82800)
	assert.Equal(t, []string{"192.0.2.1"}, w.Held("www.old.example").Ends)
}

func stepOf(p *plan.Plan, kind act.StepKind) *act.Step {
	for i := range p.Steps {
		if p.Steps[i].Kind == kind {
			return &p.Steps[i]
		}
	}
	return nil
}
