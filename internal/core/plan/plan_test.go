package plan_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/words"
)

const head = `canonical: https://www.n.example
site: {also: [n.platform.example], addresses: [203.0.113.10, "2001:db8::10"], issuer: ca.example, rules: site.csv, pages: pages.txt}
rules: rules.csv
carriers:
  gateway: {by: server, addresses: [203.0.113.20, 203.0.113.21, "2001:db8::20"]}
  form: {by: form, addresses: [198.51.100.34], apex-only: yes}
  broad: {by: form, addresses: [198.51.100.35], tls: yes, keeps: [path]}
  platform: {by: platform, alias: sites.platform.example, certificate: after}
  edge: {by: edge, addresses: [198.51.100.80], patterns-at-most: 1}
  wide: {by: edge, addresses: [198.51.100.83]}
defaults: {carrier: gateway}
`

func makePlan(t *testing.T, domains, rules string) *plan.Plan {
	t.Helper()
	folder := t.TempDir()
	for name, text := range map[string]string{
		"upperpath.yaml": head + domains, "rules.csv": "old,new,status\n" + rules,
		"site.csv":  "old,new\nwww.n.example/shop,/shop/\n",
		"pages.txt": "/shop/\n/visit/\n/mill/\n/upper\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(folder, "upperpath.yaml"))
	require.NoError(t, err)
	return plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules,
		Pages: e.Pages})
}

func answer(p *plan.Plan, u string) string {
	a := p.Web.Answer(context.Background(), chain.Ask{URL: web.MustParseURL(u)})
	if a.Refusal != "" {
		return string(a.Refusal)
	}
	return strings.TrimSpace(
		strings.Join(
			[]string{map[int]string{200: "200", 301: "301", 302: "302", 404: "404", 410: "410"}[a.Status],
				a.Location},
			" ",
		),
	)
}

func TestPredictedAnswers(t *testing.T) {
	p := makePlan(t, `domains:
  - n.example
  - {name: mill.example, leads-to: /mill/}
  - {name: home.example, fallback: home, leads-to: "/mill/?from=home"}
  - {name: gone.example, fallback: gone}
  - {name: form.example, carrier: {apex: form, www: form}}
  - {name: broad.example, carrier: broad}
  - {name: left.example, state: leave}
  - {name: away.example, leads-to: "https://partner.example/x"}
policy: {exempt: [/.well-known/acme-challenge/]}
`, "mill.example/old.html,/visit/\nmill.example/trial,/visit/,302\nmill.example/dead,,410\nbroad.example/x,/visit/\n")
	for u, want := range map[string]string{
		"https://www.n.example/visit/":                     "200",
		"https://www.n.example/nothing":                    "404",
		"https://www.n.example/visit/?x=1":                 "200",
		"https://www.n.example/shop":                       "301 https://www.n.example/shop/",
		"http://www.n.example/a?b":                         "301 https://www.n.example/a?b",
		"https://n.platform.example/a":                     "301 https://www.n.example/a",
		"http://n.example/a?b":                             "301 https://www.n.example/a?b",
		"http://mill.example/":                             "301 https://www.n.example/mill/",
		"https://www.mill.example/a/b?c":                   "301 https://www.n.example/mill/a/b?c",
		"http://mill.example/old.html?q":                   "301 https://www.n.example/visit/?q",
		"http://mill.example/trial":                        "302 https://www.n.example/visit/",
		"http://mill.example/dead":                         "410",
		"http://mill.example/.well-known/acme-challenge/x": "404",
		"https://mill.example/.well-known/acme-challenge/x": "301 https://www.n.example/mill/" +
			".well-known/acme-challenge/x",
		"http://home.example/deep?from=x&y=1": "301 https://www.n.example/mill/" +
			"?from=home&y=1",
		"http://gone.example/deep":    "410",
		"http://gone.example/":        "301 https://www.n.example/",
		"http://form.example/deep?x":  "301 https://www.n.example/",
		"https://form.example/":       "refused",
		"http://www.form.example/":    "no-address",
		"http://broad.example/x?y":    "301 https://www.n.example/x",
		"http://other.mill.example/":  "200", // nobody has looked
		"http://left.example/":        "200",
		"http://away.example/y":       "301 https://partner.example/x/y",
		"https://partner.example/x/y": "200",
	} {
		assert.Equal(t, want, answer(p, u), u)
	}
}

func subjects(p *plan.Plan) []string {
	var all []string
	for _, f := range p.Findings {
		all = append(all, f.Code.String()+" "+f.Subject)
	}
	return all
}

func TestACleanPlanHasNoFindings(t *testing.T) {
	p := makePlan(
		t,
		"domains:\n  - n.example\n  - {name: mill.example, leads-to: /mill/, hosts: [shop]}\n",
		"mill.example/old.html,/visit/\nmill.example/new/{+rest},/mill/{+rest}\n",
	)
	assert.Empty(t, p.Findings, subjects(p))
	assert.Len(t, p.Doors, 2*(2+3+1))
	require.Len(t, p.Rules, 2)
	assert.Equal(t, "https://mill.example/old.html", p.Rules[0].Example)
	assert.Equal(t, []string{"gateway"}, p.Rules[0].Carriers)
	assert.Equal(
		t,
		[]predict.Hop{
			{URL: "https://mill.example/old.html", Status: 301},
			{URL: "https://www.n.example/visit/", Status: 200},
		},
		p.ChainOf(&p.Rules[0]),
	)
}

func TestDeadTargetsAndChainsOfRulesAreFound(t *testing.T) {
	p := makePlan(
		t,
		"domains: [n.example, mill.example]\n",
		"mill.example/a,/nowhere\nmill.example/b,https://n.example/visit/\n"+
			"mill.example/l,http://mill.example/l\n"+
			"mill.example/plain,http://www.n.example/visit/\n",
	)
	assert.Equal(t, []string{
		"loop http://mill.example", "downgrade https://mill.example",
		"dead-end https://www.n.example/nowhere", "extra-hop https://mill.example",
	}, subjects(p))
}

func TestCarriersThatCannotAreNamedOnce(t *testing.T) {
	p := makePlan(t, `domains:
  - n.example
  - {name: form.example, carrier: form}
  - {name: edge.example, carrier: edge}
  - {name: plat.example, carrier: platform}
`, "form.example/x,/visit/\nedge.example/{a}/bb,/visit/\nedge.example/c/{a},/visit/\nwww.n.example/y,/visit/\n")
	assert.Equal(t, []string{
		"beyond-carrier edge.example",
		"beyond-carrier form.example",
		"beyond-carrier form.example",
		"beyond-carrier https://form.example",
		"beyond-carrier plat.example",
		"beyond-carrier rules line 5",
		"beyond-carrier www.form.example",
	}, subjects(p))
}

func TestTiesAndDuplicates(t *testing.T) {
	p := makePlan(
		t,
		"domains: [n.example, mill.example]\n",
		"mill.example/a/{x},/visit/\nmill.example/{y}/b,/shop/\nmill.example/d,/visit/\n"+
			"mill.example/d,/visit/\n",
	)
	require.NotEmpty(t, p.Findings)
	assert.Equal(t, finding.Tie, p.Findings[0].Code)
	assert.Contains(t, p.Findings[0].Says.String(), "https://mill.example/a/b")
	assert.Contains(t, doc.Unmarked(words.Note(p.Notes[0])), "Line 5")
}

func TestRecordsAndCertificates(t *testing.T) {
	p := makePlan(t,
		"domains:\n  - n.example\n  - {name: plat.example, carrier: {www: platform}, hosts: [shop]}\n",
		"")
	require.Len(t, p.Zones, 2)
	assert.Equal(t, []zone.Record{
		{Name: "n.example", Type: "A", TTL: 3600, Values: []string{"203.0.113.20", "203.0.113.21"}},
		{Name: "n.example", Type: "AAAA", TTL: 3600, Values: []string{"2001:db8::20"}},
		{Name: "www.n.example", Type: "A", TTL: 3600, Values: []string{"203.0.113.10"}},
		{Name: "www.n.example", Type: "AAAA", TTL: 3600, Values: []string{"2001:db8::10"}},
	}, p.Zones[0].Records)
	assert.Equal(
		t,
		zone.Record{Name: "www.plat.example", Type: "CNAME", TTL: 3600,
			Values: []string{"sites.platform.example"}},
		p.Zones[1].Records[2],
	)
	require.True(t, p.Certificates[2].Gap, "visitors meet a warning")
	p.Certificates[2].Gap = false
	assert.Equal(t, []carry.Certificate{
		{
			Carrier: "gateway",
			Domain:  "n.example",
			Names:   []string{"n.example"},
			When:    "before",
			ByDNS:   []string{"_acme-challenge.n.example"},
		},
		{
			Carrier: "gateway",
			Domain:  "plat.example",
			Names:   []string{"plat.example", "shop.plat.example"},
			When:    "before",
			ByDNS:   []string{"_acme-challenge.plat.example", "_acme-challenge.shop.plat.example"},
		},
		{Carrier: "platform", Domain: "plat.example", Names: []string{"www.plat.example"}, When: "after"},
		{Carrier: "site", Names: []string{"www.n.example", "n.platform.example"}, When: "before",
			Issuer: "ca.example"},
	}, p.Certificates)
}

func TestSameHostFirstAllowsOneHopMoreForHTTP(t *testing.T) {
	p := makePlan(
		t,
		"domains: [n.example, {name: gone.example, fallback: gone}]\n"+
			"policy: {upgrade: same-host-first}\n",
		"gone.example/x,,410\n",
	)
	assert.Empty(t, p.Findings)
	assert.Equal(t, "301 https://n.example/x", answer(p, "http://n.example/x"))
	assert.Equal(t, 2, p.Goal(web.MustParseURL("http://n.example/x")).Hops)
	assert.Equal(t, 1, p.Goal(web.MustParseURL("https://n.example/x")).Hops)
	assert.Equal(t, 1, p.Goal(web.MustParseURL("http://www.n.example/x")).Hops)
}

func TestSelect(t *testing.T) {
	p := makePlan(t, "domains:\n  - n.example\n  - {name: mill.example, wave: 2}\n",
		"mill.example/a,/visit/\n")
	for only, want := range map[string]int{"": 2, "wave:2": 1, "mill.example": 1} {
		f, err := plan.Select(p.Estate, only)
		require.NoError(t, err)
		part := plan.Make(plan.Input{Estate: p.Estate, Only: f})
		assert.Len(t, part.Zones, want, only)
	}
	for _, only := range []string{"wave:9", "other.example", "https://x/"} {
		_, err := plan.Select(p.Estate, only)
		assert.Error(t, err, only)
	}
}

func TestWhatAPlanAsks(t *testing.T) {
	p := makePlan(t, "domains: [n.example]\n", "n.example/a,/visit/\n")
	assert.Len(t, p.Asks(false), 3*6)
	asks := p.Asks(true)
	assert.Equal(t, chain.ByRule, asks[len(asks)-1].Probe)
}

// said gives things in the words of reports, a line each.
func said[T any](all []T, words func(T) string) string {
	var lines []string
	for _, one := range all {
		lines = append(lines, words(one))
	}
	return strings.Join(lines, "\n")
}

// sheetsText gives the sheets of a plan as pages.
func sheetsText(t *testing.T, p *plan.Plan) string {
	t.Helper()
	var b strings.Builder
	for _, s := range report.Sheets(p) {
		require.NoError(t, doc.Write(&b, "md", s.Doc, doc.Style{}))
	}
	return b.String()
}

func notes(p *plan.Plan) string {
	return said(p.Notes, func(x act.Note) string { return doc.Unmarked(words.Note(x)) })
}

func moveOrder(z zone.Zone) string {
	return said(plan.StepsOfMove(&z), func(x act.Step) string { return doc.Unmarked(words.Step(x)) })
}
