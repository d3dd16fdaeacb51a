package carry_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/files"
)

func carriedBy(in plan.Input, name string) *carry.Carried {
	p := plan.Make(in)
	for i := range p.Carriers {
		if p.Carriers[i].Name == name {
			return &p.Carriers[i]
		}
	}
	return nil
}

// TestWhatACarrierCannotDoIsSaidInWords has each limit, and the least of those that are numbers.
func TestWhatACarrierCannotDoIsSaidInWords(t *testing.T) {
	for keys, want := range map[string]string{
		"by: server":                                      "",
		"by: server, rules-at-most: 0":                    "at most 0 rules",
		"by: server, hosts-at-most: 1":                    "at most 1 host",
		"by: edge, patterns-at-most: 0, hosts-at-most: 2": "at most 0 patterns, at most 2 hosts",
		"by: server, keeps: query, tls: no, apex-only: yes": "no TLS: https doors do not answer, " +
			"drops the path, apexes only",
		"by: form": "no TLS: https doors do not answer, drops the path, drops the query",
		"by: service, rules: no": "holds no rules, gets its certificates only after the names point " +
			"to it",
	} {
		k := carriedBy(inputOf("  c: {"+keys+", addresses: [198.51.100.4]}\n",
			"{name: old.example, carrier: c, fallback: home}"), "c")
		require.NotNil(t, k, keys)
		assert.Equal(t, want, strings.Join(texts(k.Limits), ", "), keys)
	}
}

// TestACarrierIsListedForWhatItCarriesOrWantsTyped: one that carries nothing, and asks for nothing,
// is not.
func TestACarrierIsListedForWhatItCarriesOrWantsTyped(t *testing.T) {
	in := inputOf("  g: {by: server, addresses: [203.0.113.20]}\n"+
		"  idle: {by: server, addresses: [203.0.113.21]}\n  e: {by: edge, addresses: [198.51.100.9], "+
		"patterns-at-most: 0}\n",
		"{name: old.example, hosts: [shop], carrier: {apex: g, www: g, shop: e}}")
	assert.Nil(t, carriedBy(in, "idle"))
	assert.Equal(t, []string{"old.example", "www.old.example"}, carriedBy(in, "g").Hosts)
	assert.Equal(t, []string{"shop.old.example"}, carriedBy(in, "e").Hosts, "one host alone")

	// A form that takes apexes only has nothing typed for the www that it is to carry: that is a
	// limit.
	in = inputOf("  g: {by: server, addresses: [203.0.113.20]}\n"+
		"  form: {by: form, addresses: [198.51.100.4], apex-only: yes}\n",
		"{name: old.example, carrier: {apex: g, www: form}}")
	www := carriedBy(in, "form")
	require.NotNil(t, www)
	assert.Equal(t, []string{"www.old.example"}, www.Hosts)
	assert.Empty(t, www.Entries)

	// A form that lost its only host has one forwarding to delete, and carries nothing.
	in = inputOf("  g: {by: server, addresses: [203.0.113.20]}\n"+
		"  form: {by: form, addresses: [198.51.100.4]}\n", "{name: old.example, carrier: g}")
	in.Survey = &survey.Survey{Domains: []survey.Domain{{Name: "old.example", Source: survey.File,
		Records: []record.Set{
			{Name: "old.example", Type: "A", TTL: 300, Values: []string{"198.51.100.4"}}}}}}
	form := carriedBy(in, "form")
	require.NotNil(t, form)
	assert.Empty(t, form.Hosts)
	require.Len(t, form.Entries, 1)
	assert.Equal(t, act.Remove, form.Entries[0].Action)
}

func TestWhoAsksForARecord(t *testing.T) {
	c := &estate.Carrier{Name: "c"}
	d := &estate.Domain{Wanted: []estate.Wanted{{Name: "_a.old.example", Type: "TXT", By: "c"}}}
	for _, r := range []struct {
		carrier, name, kind string
		want                bool
	}{
		{"c", "_a.old.example", "TXT", true},
		{"d", "_a.old.example", "TXT", false},
		{"c", "_b.old.example", "TXT", false},
		{"c", "_a.old.example", "CNAME", false},
		{"d", "_b.old.example", "TXT", false},
	} {
		c.Name = r.carrier
		assert.Equal(t, r.want, carry.AsksFor(c, d, zone.Record{Name: r.name, Type: r.kind}),
			fmt.Sprint(r))
	}
}

// TestPatternsWithStarsAskForNoParameter: an edge network cannot hold a rule that does.
func TestPatternsWithStarsAskForNoParameter(t *testing.T) {
	in := inputOf("  e: {by: edge, addresses: [198.51.100.9]}\n", "{name: old.example, carrier: e}")
	rules, faults := rule.Parse([]rule.Row{{Line: 2, Old: "old.example/a", New: "/b"},
		{Line: 3, Old: "old.example/i?id=7", New: "/seven"}}, files.RuleScope(in.Estate))
	require.NoError(t, faults.Err())
	in.Rules = rules
	found, _ := carry.Limits(in.Web())
	var said []string
	for _, f := range found.Findings {
		said = append(said, f.Says.String())
	}
	text := strings.Join(said, "\n")
	assert.Contains(t, text,
		"asks for a query parameter (old.example/i?id=7), which patterns with stars")
	assert.NotContains(t, text, "line 2")
}

func texts(all []fact.Sentence) []string {
	said := make([]string, len(all))
	for i, s := range all {
		said[i] = s.String()
	}
	return said
}
