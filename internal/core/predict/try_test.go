package predict_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
			Rule: 2, Old: "old.example/a/{x}", Status: 301, Location: "https://www.n.example/b/1", Assumed: predict.PagesUnknown,
			Rivals: []predict.Rival{{Line: 3, Old: "old.example/{+r}", Why: "3 octets of its path are text, 1 of the other's"}},
		},
		// https first: no rule is asked
		"http://old.example/a/1": {Status: 301, Location: "https://old.example/a/1", Assumed: predict.PagesUnknown},
		// a form knows no rules
		"https://typed.example/a":    {Status: 301, Location: "https://www.n.example/a", Assumed: predict.PagesUnknown},
		"http://old.example/x/1":     {Status: 404}, // exempt
		"https://www.n.example/a/1":  {Status: 200, Assumed: predict.PagesUnknown},
		"https://else.test/whatever": {Status: 200, Assumed: predict.OutsideEstate},
		"https://n.example:8443/":    {Status: 200, Assumed: predict.OutsideEstate}, // a URL with a port is no door
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
