package plan_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/words"
)

// carriedAt makes a plan of one domain at a carrier, with rules.
func carriedAt(t *testing.T, carrier, domain, zone, rules string) *plan.Plan {
	t.Helper()
	dir := t.TempDir()
	path := filepath.Join(dir, "upperpath.yaml")
	require.NoError(t,
		os.WriteFile(path, []byte("canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\n"+
			"rules: rules.csv\ncarriers: {c: {"+carrier+"}}\ndomains:\n  - {name: old.example"+domain+"}\n"),
			0o600))
	require.NoError(t,
		os.WriteFile(filepath.Join(dir, "rules.csv"), []byte("old,new,status\n"+rules), 0o600))
	e, err := files.ReadEstate(path)
	require.NoError(t, err)
	return plan.Make(
		plan.Input{Estate: e.Estate, Rules: e.Rules, Survey: seen(t, "old.example\n@ MX 0 .\n"+zone),
			Now: today},
	)
}

func typedAs(p *plan.Plan, kind world.EntryKind) []string {
	var all []string
	for _, c := range p.Carriers {
		for _, e := range c.Entries {
			if e.Kind != kind {
				continue
			}
			var fields []string
			for _, f := range e.Fields {
				fields = append(fields, f.Value)
			}
			all = append(all, strings.Join(fields, " | "))
		}
	}
	return all
}

// TestAHostedRedirectService has one that takes lines of a source and a complete destination.
func TestAHostedRedirectService(t *testing.T) {
	const at = "by: service, alias: hosts.links.example, addresses: [198.51.100.90]"
	const zone = "@ A 198.51.100.90\nwww CNAME hosts.links.example."
	p := carriedAt(t, at, "", zone, "old.example/a,/visit/,\nold.example/gone,,410\n")
	assert.Equal(t, []string{
		"old.example/a | https://www.n.example/visit/ | permanent (301) | does not matter | keep",
		"old.example/gone | no target | 410 (gone) | does not matter | keep",
		"old.example | https://www.n.example/ | permanent (301) | keep | keep",
		"www.old.example/a | https://www.n.example/visit/ | permanent (301) | does not matter | keep",
		"www.old.example/gone | no target | 410 (gone) | does " +
			"not matter | keep",
		"www.old.example | https://www.n.example/ | permanent (301) | keep | keep",
	}, typedAs(p, world.SourceEntry))
	assert.Empty(t, subjects(p))
	assert.Equal(t, "after", p.Certificates[0].When,
		"its certificate comes after the name points there")
	assert.True(t, p.Certificates[0].Gap)

	p = carriedAt(
		t,
		strings.Replace(at, "alias:", "rules-at-most: 3, hosts-at-most: 1, alias:", 1),
		"",
		zone,
		"old.example/a,/visit/,\n",
	)
	assert.Contains(t, strings.Join(found(p, "beyond-carrier"), "\n"),
		"c takes at most 3 rules, and 4 are planned there")
	assert.Contains(t, strings.Join(found(p, "beyond-carrier"), "\n"), "c takes at most 1 host")
	p = carriedAt(t, at, "", zone, "old.example/{x}/b,/visit/,\n")
	assert.Contains(t, strings.Join(found(p, "beyond-carrier"), "\n"),
		"holds a line for each old URL, and 1 rule of old.example stands")
	p = carriedAt(
		t,
		strings.Replace(at, "alias:", "keeps: [], alias:", 1),
		", fallback: home, leads-to: /visit/",
		zone,
		"",
	)
	assert.Equal(
		t,
		"old.example | https://www.n.example/visit/ | permanent (301) | drop | drop",
		typedAs(p, world.SourceEntry)[0],
	)
}

// TestAHostingAccountWithParkedDomains has one that shows its main site until something redirects.
func TestAHostingAccountWithParkedDomains(t *testing.T) {
	const at = "by: account, addresses: [198.51.100.95], issuer: ca.example"
	p := carriedAt(t, at, ", fallback: home, leads-to: /visit/", "@ A 192.0.2.1\nwww A 192.0.2.1", "")
	assert.Empty(t, subjects(p), "each domain has a destination of its own")
	assert.Equal(t, []string{
		"http://old.example | https://www.n.example/visit/ | permanent (301) | drop",
		"https://old.example | https://www.n.example/visit/ | permanent (301) | drop",
		"http://www.old.example | https://www.n.example/visit/ | permanent (301) | drop",
		"https://www.old.example | https://www.n.example/visit/ | permanent (301) | drop",
	}, typedAs(p, world.DoorEntry), "http and https apart")
	assert.Equal(t, []string{"old.example", "www.old.example"}, typedAs(p, world.HostEntry))
	order := said(p.Steps, func(x act.Step) string { return doc.Unmarked(words.Step(x)) })
	claim, records := strings.Index(order, "Claim old.example"),
		strings.Index(order, "Make the 2 changes")
	assert.True(t, 0 <= claim && claim < records, "a domain is added before its records point there")
	assert.Less(t, strings.Index(order, "Put the redirects in place: the sheets for c"), records)
	text := strings.Join(strings.Fields(sheetsText(t, p)), " ")
	assert.Contains(t, text, "a name that it does not know")
	assert.Contains(t, text, "Until this is set, the main site of c shows here under the old name")

	p = carriedAt(t, at, "", "@ A 198.51.100.95\nwww A 198.51.100.95\n@ CAA 0 issue \"other.example\"",
		"")
	assert.Equal(t, []string{"issuer-barred old.example"}, subjects(p))
	p = carriedAt(t, at, "", "@ A 198.51.100.95\nwww A 198.51.100.95", "old.example/a,/visit/,\n")
	assert.Contains(
		t,
		strings.Join(found(p, "beyond-carrier"), "\n"),
		"forwards everything to one place and cannot hold the rule of",
	)
}

// TestEveryKindHasItsEntries keeps the table of kinds whole: each step of each kind is one that
// plan knows.
func TestEveryKindHasItsEntries(t *testing.T) {
	for _, row := range estate.Kinds() {
		assert.NotEmpty(t, row.Title, row.Kind)
		assert.NotEmpty(t, row.Page, row.Kind)
		for _, step := range row.Steps {
			assert.True(t, carry.Knows(step), "%s: %s", row.Kind, step)
		}
	}
}

// TestWhatIsTypedAtLimitedCarriersIsWhatThePlanPredicts plays the sheets of carriers with limits
// and policies of their own: what a carrier drops by itself, or does with a status of its own, is
// no mistake of the sheet.
func TestWhatIsTypedAtLimitedCarriersIsWhatThePlanPredicts(t *testing.T) {
	for name, c := range map[string]struct{ at, more, domain string }{
		"an edge that drops the query": {"by: edge, addresses: [198.51.100.80], keeps: [path]", "",
			""},
		"an edge that drops the path": {"by: edge, addresses: [198.51.100.80], keeps: [query]",
			"", ", fallback: home"},
		"a platform with a status of its own": {"by: platform, addresses: [198.51.100.60]",
			"policy: {status: 308}\n", ""},
		"a platform that leads to a section": {"by: platform, addresses: [198.51.100.60]", "",
			", leads-to: /mill/"},
		"a form that keeps paths, for home": {
			"by: form, addresses: [198.51.100.34], tls: yes, keeps: [path]", "", ", fallback: home"},
		"an account": {"by: account, addresses: [198.51.100.90]", "",
			", leads-to: /mill/"},
		"a service": {"by: service, addresses: [198.51.100.90]",
			"policy: {status: 302}\n", ", leads-to: /mill/"},
		"https first": {"by: edge, addresses: [198.51.100.80]",
			"policy: {upgrade: same-host-first, hops: 2}\n", ""},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			path := filepath.Join(dir, "upperpath.yaml")
			text := "canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\n" + c.more +
				"carriers: {c: {" + c.at +
				"}}\ndomains:\n  - {name: old.example, carrier: c" + c.domain + "}\n"
			require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
			e, err := files.ReadEstate(path)
			require.NoError(t, err)
			p := plan.Make(plan.Input{Estate: e.Estate,
				Survey: seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\n@ MX 0 ."), Now: today})
			assert.Empty(t, p.Broken)
			assert.NotZero(t, p.Played.Rows)
		})
	}
}
