package predict_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
)

func TestTryingSaysWhatIsReallyAsked(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"upperpath.yaml": `canonical: https://www.n.example
carriers:
  g: {by: server, addresses: [203.0.113.20]}
  form: {by: form, addresses: [198.51.100.34], tls: yes, keeps: [path]}
defaults: {carrier: g}
domains: [n.example, old.example, {name: typed.example, carrier: form}]
rules: rules.csv
policy: {upgrade: same-host-first, exempt: [/x/]}
`, "rules.csv": "old,new\nold.example/a/{x},/b/{x}\nold.example/{+r},/c/{+r}\ntyped.example/a,/d\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	p := predict.New(predict.Input{Estate: e.Estate, Rules: e.Rules})
	for u, want := range map[string]predict.Try{
		"https://old.example/a/1": {
			Rule: 2, Old: "old.example/a/{x}", Status: 301, Location: "https://www.n.example/b/1",
			Assumed: predict.PagesUnknown,
			Rivals: []predict.Rival{
				{Line: 3, Old: "old.example/{+r}",
					Why: fact.Of(fact.WinsText{Octets: 3, Other: 1}, fact.Says)}},
		},
		// https first: no rule is asked
		"http://old.example/a/1": {Status: 301, Location: "https://old.example/a/1",
			Assumed: predict.PagesUnknown},
		// a form knows no rules
		"https://typed.example/a": {Status: 301, Location: "https://www.n.example/a",
			Assumed: predict.PagesUnknown},
		"http://old.example/x/1":     {Status: 404}, // exempt
		"https://www.n.example/a/1":  {Status: 200, Assumed: predict.PagesUnknown},
		"https://else.test/whatever": {Status: 200, Assumed: predict.OutsideEstate},
		// a URL with a port is no door
		"https://n.example:8443/": {Status: 200, Assumed: predict.OutsideEstate},
	} {
		got := p.Try(web.MustParseURL(u))
		assert.NotEmpty(t, got.Chain)
		assert.Equal(t, "page", got.End)
		if want.Rivals == nil {
			want.Rivals = []predict.Rival{}
		}
		want.URL, want.Chain, want.End = u, got.Chain, got.End
		assert.Equal(t, want, got, u)
	}
}

// worldOf makes a predicted web of an estate file and its rules.
func worldOf(t *testing.T, estate, rules string, pages ...string) *predict.Prediction {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{"upperpath.yaml": estate, "rules.csv": rules} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	in := predict.Input{Estate: e.Estate, Rules: e.Rules}
	for _, u := range pages {
		in.Pages = append(in.Pages, web.MustParseURL(u))
	}
	return predict.New(in)
}

const plainEstate = `canonical: https://www.n.example
carriers: {g: {by: server, addresses: [203.0.113.20]}}
defaults: {carrier: g}
domains: [n.example, old.example]
rules: rules.csv
`

func TestPagesThatAreListedAreThereAndNoOthers(t *testing.T) {
	p := worldOf(t, plainEstate, "old,new\n", "https://www.n.example/a",
		"https://www.n.example/shop?id=1")
	assert.True(t, p.KnowsPages())
	for u, status := range map[string]int{
		"https://www.n.example/a": 200, "https://www.n.example/a?from=x": 200,
		"https://www.n.example/%61": 200,
		"https://www.n.example/b":   404, "https://www.n.example/": 200, // a site has a home page
		"https://www.n.example/shop?id=1": 200,
		"https://www.n.example/shop?id=2": 404,
		"https://www.n.example/shop":      404,
	} {
		assert.Equal(t, status, p.Intended(web.MustParseURL(u)).Status, u)
	}
	assert.Equal(t, 200,
		worldOf(t, plainEstate, "old,new\n").Intended(web.MustParseURL("https://www.n.example/b")).Status,
		"where nobody lists them, every page counts as there")
}

func TestGoalsAllowAHopMoreWhereHTTPSComesFirst(t *testing.T) {
	direct := worldOf(t, plainEstate+"policy: {hops: 1}\n", "old,new,status\nold.example/gone,,410\n")
	first := worldOf(t, plainEstate+"policy: {hops: 1, upgrade: same-host-first}\n",
		"old,new,status\nold.example/gone,,410\n")
	for u, want := range map[string][2]int{
		"http://old.example/a":       {1, 2},
		"https://old.example/a":      {1, 1},
		"http://www.n.example/a":     {1, 1}, // the site itself
		"https://www.n.example/a":    {0, 0}, // it is there
		"http://old.example/gone":    {0, 1},
		"https://old.example/gone":   {0, 0},
		"http://elsewhere.test/page": {0, 0},
	} {
		for i, p := range []*predict.Prediction{direct, first} {
			assert.Equal(t, want[i], p.Goal(web.MustParseURL(u)).Hops, "%s %d", u, i)
		}
	}
	assert.True(t, direct.Goal(web.MustParseURL("http://old.example/gone")).Gone)
}
