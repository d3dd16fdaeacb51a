package proof

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

func TestTheFirstOctetOfAText(t *testing.T) {
	for text, want := range map[string]string{"%2F": "%2F", "%2Fa": "%2F", "a": "a", "ab": "a",
		"%": "%", "%2": "%"} {
		assert.Equal(t, want, first(text), text)
	}
}

// TestABoundCountsWhatACondionLeavesOver has a set of queries of which a condition takes a part;
// the rest takes more hops, and so many may be needed.
func TestABoundCountsWhatAConditionLeavesOver(t *testing.T) {
	w, p := prove(t, "domains: [n.example, old.example]\n",
		"old.example/i?p={v},https://old.example/j?id={v}",
		"old.example/j?id=1{x},/ok", "old.example/j,https://old.example/k", "old.example/k,/ok")
	u := web.MustParseURL("https://old.example/i?p=2")
	c := chain.Follow(t.Context(), w, chain.Ask{URL: u}, chain.Asked)
	require.Equal(t, chain.Page, c.End)
	assert.GreaterOrEqual(t, p.Bound, c.Redirects(), "%s takes more hops than were proved", u)
	assert.Equal(t, 3, c.Redirects())
}

// TestHowManyTargetsWereCompared counts those that are one page, and those that captures make.
func TestHowManyTargetsWereCompared(t *testing.T) {
	for rule, want := range map[string][2]int{
		"old.example/a,/visit/":                              {1, 0},
		"old.example/a/{x},/visit/{x}":                       {0, 1},
		"old.example/{x}/a,https://{x}.n.example/visit/":     {0, 1},
		"old.example/{x}/a,https://else.example/visit/":      {0, 0},
		"old.example/{x}/a,https://www.n.example/visit/?k=1": {1, 0},
	} {
		in := made(head+"domains: [n.example, old.example]\n", []string{rule}, nil)
		read, ok := in.Read(t)
		require.True(t, ok, rule)
		read.Pages = []web.URL{web.MustParseURL("https://www.n.example/visit/")}
		p := Prove(read.Web(), nil)
		assert.Equal(t, want, [2]int{p.Pages.Checked, p.Pages.Captured}, rule)
	}
}

// TestRulesOfACarrierThatDropsPaths have none that it can hold, however it asks.
func TestRulesOfACarrierThatDropsPaths(t *testing.T) {
	for keeps, fails := range map[string]bool{"[path, query]": false, "[query]": true,
		"[path]": false} {
		in := made("domains: [n.example, {name: old.example, carrier: c}]\n",
			[]string{"old.example/a,/rule"}, nil)
		in.Estate = "canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\ncarriers:\n" +
			"  c: {by: server, addresses: [203.0.113.21], keeps: " + keeps + "}\n" +
			"defaults: {carrier: c}\nrules: rules.csv\n" +
			"domains: [n.example, {name: old.example, fallback: home}]\n"
		read, ok := in.Read(t)
		require.True(t, ok, in.String())
		p := Prove(read.Web(), nil)
		assert.Equal(t, fails, unheld(p), "%s: %v", keeps, said(p))
	}
}

// unheld reports whether a proof says of a rule that its carrier cannot hold it.
func unheld(p *Proof) bool {
	return slices.ContainsFunc(p.Findings, func(f finding.Finding) bool {
		_, cannot := f.Facts().(fact.CarrierCannot)
		return f.Code == finding.BeyondCarrier && cannot
	})
}

// TestARuleOfOneSchemeBehindAnEdgeThatAsksByHTTP takes what was asked by https too: that matters
// only where it leads elsewhere than was meant.
func TestARuleOfOneSchemeBehindAnEdgeThatAsksByHTTP(t *testing.T) {
	for target, wrong := range map[string]bool{"/a": false, "/b": true} {
		_, p := prove(t, "domains: [n.example, {name: old.example, carrier: edge}]\n",
			"http://old.example/a,"+target)
		assert.Equal(t, wrong, unheld(p), "%s: %v", target, said(p))
	}
}

// TestOnWhichDoorsARuleIsAsked: a www is taken along with its apex, and with no other host.
func TestOnWhichDoorsARuleIsAsked(t *testing.T) {
	w, _ := prove(t, "domains: [n.example, {name: old.example, hosts: [shop, www.shop]}]\n",
		"old.example/a,/b", "shop.old.example/a,/b")
	v := newProver(w)
	for i, want := range []string{"https://old.example https://www.old.example http://old.example " +
		"http://www.old.example", "https://shop.old.example http://shop.old.example"} {
		var doors []string
		for _, d := range v.asks(w.Rules.Rules()[i]).doors {
			doors = append(doors, d.String())
		}
		assert.Equal(t, want, strings.Join(doors, " "))
	}
}

// crowd is so many rules that take parts of https://old.example/q... that the search gives up.
func crowd(rules ...string) []string {
	for _, letter := range "abcdefghijklmnop" {
		rules = append(rules, fmt.Sprintf("https://old.example/q{x}%c{+y},/1", letter))
	}
	return rules
}

// TestAWitnessOfARuleIsTakenByIt: where a search gives up, what another rule does is none.
func TestAWitnessOfARuleIsTakenByIt(t *testing.T) {
	_, p := prove(t, "domains: [n.example, old.example, two.example]\n",
		crowd("old.example/q{+r},http://two.example/b", "https://old.example/q{+s},/0",
			"https://old.example/q7,http://two.example/b", "https://old.example/qx,http://two.example/b")...)
	for _, f := range p.Findings {
		if f.Code == finding.Downgrade {
			assert.NotContains(t, f.Says.String(), "line 2", f.Says.String())
		}
	}
	assert.Contains(t, strings.Join(said(p), "\n"), "undecided rules line 2")
}

// TestWhatCannotBeSolvedIsGuessed has exempt paths beside a rule's, where values that fit both the
// rule and what is wanted are found by trying alone: then it is decided.
func TestWhatCannotBeSolvedIsGuessed(t *testing.T) {
	in, ok := made(`canonical: https://n.example
site: {rules: site.csv, also: [n.platform.example]}
carriers:
  g: {by: server, addresses: [203.0.113.20]}
  edge: {by: edge, addresses: [198.51.100.80], origin: plain, behind: g}
defaults: {carrier: g}
rules: rules.csv
domains:
  - n.example
  - {name: old.example, index: [a, b0], fallback: gone}
  - {name: two.example, index: [a, b0], fallback: gone, carrier: edge}
policy: {exempt: [/0/], upgrade: same-host-first, status: 308}
`, []string{"old.example/.{+r}/,https://two.example//?p=a&q=1,,",
		"www.n.example/{x}/{+r},https://www.n.example/b"}, []string{"n.example/a?p=1,/b"}).Read(t)
	require.True(t, ok)
	for _, f := range Prove(in.Web(), nil).Findings {
		assert.NotEqual(t, finding.Undecided, f.Code, "%v", f)
	}
}
