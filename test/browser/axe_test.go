package browser

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// axe gives the rules of axe-core as a script; the test is skipped where test/install-peers.sh
// could not fetch them.
func axe(t *testing.T) string {
	t.Helper()
	cache, err := os.UserCacheDir()
	require.NoError(t, err)
	script, err := os.ReadFile(filepath.Join(cache, "upperpath-tests", "axe-4.14.1.min.js"))
	if err != nil {
		t.Skip("axe-core is not on this machine: make peers fetches it")
	}
	return string(script)
}

// broken names the rules of WCAG 2.2, A and AA, and of good practice that a page breaks, with the
// first element that does. What colours say is the same on a phone, and all else in the dark.
func broken(dark, phone bool) string {
	which := `runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]`
	switch {
	case dark:
		which = `runOnly: {type: "rule", values: ["color-contrast"]}`
	case phone:
		which += `, rules: {"color-contrast": {enabled: false}}`
	}
	return `axe.run(document, {` + which + `}).then(r => r.violations.map(v => v.id + ": " +
		v.nodes.length + ", " + v.nodes[0].html))`
}

// TestNoPageBreaksARuleOfAccess has axe-core look at every kind of page, light, dark and on a
// phone.
func TestNoPageBreaksARuleOfAccess(t *testing.T) {
	script := axe(t)
	pages := map[string]string{"report": reportPage(t)}
	for name, args := range map[string][]string{
		"runbook":   {"runbook"},
		"back":      {"runbook", "--back", "3"},
		"plan":      {"plan"},
		"faulty":    {"plan", "--estate", "faulty/upperpath.yaml", "--fail-on", "never"},
		"prove":     {"prove"},
		"cover":     {"cover", "--fail-on", "never"},
		"inventory": {"inventory"},
		"survey":    {"survey", "--show", "1", "--fail-on", "never"},
		"audits":    {"report", "--list"},
		"audit":     {"report", "--number", "1", "--fail-on", "never"},
		"rehearsal": {"rehearse"},
	} {
		pages[name] = written(t, append(args, "--format", "html")...)
	}
	sheets := t.TempDir()
	written(t, "write", "sheet", "--format", "html", "--out", sheets)
	for _, name := range []string{"edge", "registrar-a", "platform", "gateway"} {
		pages["sheet of "+name] = filepath.Join(sheets, name+".html")
	}
	ctx, _ := open(t, pages["report"])
	for name, path := range pages {
		require.NoError(t, chromedp.Run(ctx, chromedp.Navigate("file://"+path),
			chromedp.WaitReady("main"), chromedp.Evaluate(script+";0", nil)))
		for _, as := range []struct {
			name  string
			wide  int64
			media string
		}{{"light", 1280, "light"}, {"dark", 1280, "dark"}, {"phone", 360, "light"}} {
			var found []string
			require.NoError(t, chromedp.Run(ctx, chromedp.EmulateViewport(as.wide, 800),
				emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{
					{Name: "prefers-color-scheme", Value: as.media},
				}), chromedp.Evaluate(broken(as.media == "dark", as.wide < 600), &found, awaited)))
			assert.Empty(t, found, "%s, %s", name, as.name)
		}
	}
}

// awaited has what a script promises be waited for.
func awaited(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
