// Package browser opens the pages that the built program writes in a real browser.
package browser

import (
	"bytes"
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// made is a folder with the demo and the pages that are looked at.
var made = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "upperpath-browser-")
	if err != nil {
		return "", err
	}
	for _, args := range [][]string{
		{"go", "build", "-o", filepath.Join(dir, "upperpath"), "../.."},
		{filepath.Join(dir, "upperpath"), "demo", "--dir", filepath.Join(dir, "museums")},
	} {
		cmd := exec.Command(args[0], args[1:]...)
		cmd.Env = append(os.Environ(), "UPPERPATH_CLOCK=2026-11-01T12:00:00Z", "TZ=UTC")
		if out, err := cmd.CombinedOutput(); err != nil {
			return "", &exec.Error{Name: strings.Join(args, " "), Err: errors(string(out), err)}
		}
	}
	return dir, nil
})

type said struct {
	text string
	err  error
}

func (s said) Error() string { return s.err.Error() + ": " + s.text }

func errors(text string, err error) error { return said{text, err} }

func TestMain(m *testing.M) {
	code := m.Run()
	if dir, err := made(); err == nil {
		_ = os.RemoveAll(dir)
	}
	os.Exit(code)
}

// written gives a page that a command of the program writes to standard output.
func written(t *testing.T, args ...string) string {
	t.Helper()
	dir, err := made()
	require.NoError(t, err)
	cmd := exec.Command(filepath.Join(dir, "upperpath"), args...)
	cmd.Dir = filepath.Join(dir, "museums")
	cmd.Env = append(os.Environ(), "UPPERPATH_CLOCK=2026-11-01T12:00:00Z", "TZ=UTC")
	out, err := cmd.Output()
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "page.html")
	require.NoError(t, os.WriteFile(path, out, 0o600))
	return path
}

func reportPage(t *testing.T) string {
	t.Helper()
	dir, err := made()
	require.NoError(t, err)
	return filepath.Join(dir, "museums", "report.html")
}

// open opens a page in a browser of its own; what its console says is gathered.
func open(t *testing.T, path string, more ...chromedp.Action) (context.Context, *[]string) {
	t.Helper()
	program := ""
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome"} {
		if found, err := exec.LookPath(name); err == nil {
			program = found
			break
		}
	}
	if program == "" {
		t.Skip("no Chromium on this machine")
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(program),
		chromedp.NoSandbox,
		chromedp.Flag("disable-gpu", true), chromedp.WindowSize(1280, 800),
		chromedp.WSURLReadTimeout(2*time.Minute))
	ctx, cancel := chromedp.NewExecAllocator(t.Context(), options...)
	t.Cleanup(cancel)
	ctx, cancel = chromedp.NewContext(ctx)
	t.Cleanup(cancel)
	ctx, cancel = context.WithTimeout(ctx, 9*time.Minute) // what hangs ends before the test does
	t.Cleanup(cancel)
	var lock sync.Mutex
	var console []string
	chromedp.ListenTarget(ctx, func(event any) {
		lock.Lock()
		defer lock.Unlock()
		switch e := event.(type) {
		case *runtime.EventConsoleAPICalled:
			console = append(console, string(e.Type))
		case *runtime.EventExceptionThrown:
			console = append(console, e.ExceptionDetails.Error())
		}
	})
	actions := append(more, chromedp.Navigate("file://"+path), chromedp.WaitReady("main"))
	require.NoError(t, chromedp.Run(ctx, actions...))
	return ctx, &console
}

func evaluate[T any](t *testing.T, ctx context.Context, script string) T {
	t.Helper()
	var v T
	require.NoError(t, chromedp.Run(ctx, chromedp.Evaluate(script, &v)), script)
	return v
}

const shownFindings = `[...document.querySelectorAll(".finding")].filter(f => f.checkVisibility()).length`

func TestThePageForTheClientIsFiltered(t *testing.T) {
	ctx, console := open(t, reportPage(t))
	all := evaluate[int](t, ctx, shownFindings)
	require.Greater(t, all, 10)
	require.NoError(
		t,
		chromedp.Run(ctx, chromedp.Focus(`.filter input`, chromedp.ByQuery),
			chromedp.KeyEvent("ferryhouse")),
	)
	some := evaluate[int](t, ctx, shownFindings)
	assert.Less(t, some, all)
	assert.Positive(t, some)
	assert.Regexp(
		t,
		`^[0-9]+ of [0-9]+ shown$`,
		evaluate[string](t, ctx, `document.querySelector(".filter [role=status]").textContent`),
	)
	require.NoError(t,
		chromedp.Run(ctx, chromedp.KeyEvent(strings.Repeat(kb.Backspace, len("ferryhouse")))))
	assert.Equal(t, all, evaluate[int](t, ctx, shownFindings))
	assert.Empty(t, *console)
}

const firstColumn = `[...document.querySelectorAll("table[data-order] tbody tr")].slice(0, 8).map(r => ` +
	`r.cells[0].textContent)`

// TestTablesAreSortedByKeyboardAlone reaches the head of a table with the tab key, and sorts by it
// both ways.
func TestTablesAreSortedByKeyboardAlone(t *testing.T) {
	ctx, console := open(t, reportPage(t))
	before := evaluate[[]string](t, ctx, firstColumn)
	focused := `document.activeElement.closest("th") !== null`
	for range 20 {
		require.NoError(t, chromedp.Run(ctx, chromedp.KeyEvent(kb.Tab)))
		if evaluate[bool](t, ctx, focused) {
			break
		}
	}
	require.True(t, evaluate[bool](t, ctx, focused), "the tab key leads to the head of a table")
	assert.NotEqual(
		t,
		"none",
		evaluate[string](t, ctx, `getComputedStyle(document.activeElement).outlineStyle`),
		"focus is seen",
	)
	require.NoError(t, chromedp.Run(ctx, chromedp.KeyEvent(kb.Enter)))
	up := evaluate[[]string](t, ctx, firstColumn)
	assert.NotEqual(t, before, up)
	assert.Equal(
		t,
		"ascending",
		evaluate[string](t, ctx, `document.activeElement.closest("th").getAttribute("aria-sort")`),
	)
	require.NoError(t, chromedp.Run(ctx, chromedp.KeyEvent(kb.Enter)))
	assert.NotEqual(t, up, evaluate[[]string](t, ctx, firstColumn))
	assert.Empty(t, *console)
}

// TestThePageIsPrintedOnAFewSheets prints on A4 and Letter.
func TestThePageIsPrintedOnAFewSheets(t *testing.T) {
	ctx, console := open(t, reportPage(t))
	for name, size := range map[string][2]float64{"A4": {8.27, 11.69}, "Letter": {8.5, 11}} {
		var pdf []byte
		require.NoError(t, chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) error {
			var err error
			pdf, _, err = page.PrintToPDF().WithPaperWidth(size[0]).WithPaperHeight(
				size[1]).WithPrintBackground(true).Do(ctx)
			return err
		})))
		sheets := len(regexp.MustCompile(`/Type\s*/Page[^s]`).FindAll(pdf, -1))
		assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF")))
		assert.Positive(t, sheets, name)
		assert.LessOrEqual(t, sheets, 10, name)
	}
	assert.Empty(t, *console)
}

// contrast gives the texts whose contrast with what is behind them is below 4.5 to 1 (WCAG 2.2,
// 1.4.3), in the page and in its drawings.
const contrast = `(() => {
  const parse = c => { const m = c.match(/[\d.]+/g).map(Number); return m.length < 4 ? [...m, 1] : m; };
  const light = ([r, g, b]) => { const f = v => { v /= 255; return v <= .03928 ? v / 12.92 : ((v + .055) / 1.055) ** 2.4; };
    return .2126 * f(r) + .7152 * f(g) + .0722 * f(b); };
  const ratio = (a, b) => { const [x, y] = [light(a), light(b)]; return (Math.max(x, y) + .05) / (Math.min(x, y) + .05); };
  const behind = e => { for (; e; e = e.parentElement) { const c = parse(getComputedStyle(e).backgroundColor); if (c[3] > .5) return c; }
    return [255, 255, 255, 1]; };
  const inDrawing = t => { let paper = behind(t.ownerSVGElement.parentElement); const at = t.getBoundingClientRect();
    for (const p of t.ownerSVGElement.querySelectorAll("polygon")) { if (p === t || (p.compareDocumentPosition(t) & 4) === 0) continue;
      const b = p.getBoundingClientRect(); const x = at.left + at.width / 2, y = at.top + at.height / 2;
      if (b.left <= x && x <= b.right && b.top <= y && y <= b.bottom) paper = parse(getComputedStyle(p).fill); }
    return paper; };
  document.querySelectorAll("details").forEach(d => d.open = true);
  const wrong = [];
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walk.nextNode()) {
    const e = walk.currentNode.parentElement;
    if (!walk.currentNode.textContent.trim() || ["SCRIPT", "STYLE", "title"].includes(e.tagName) || !e.checkVisibility() ||
        e.closest(".unseen-words")) continue;
    const svg = e instanceof SVGElement;
    const r = ratio(parse(svg ? getComputedStyle(e).fill : getComputedStyle(e).color), svg ? inDrawing(e) : behind(e));
    if (r < 4.5) wrong.push(r.toFixed(2) + " " + e.tagName + "." + (e.getAttribute("class") || "") + ": " + walk.currentNode.textContent.trim().slice(0, 40));
  }
  return wrong.slice(0, 20);
})()`

func TestEveryTextCanBeRead(t *testing.T) {
	pages := map[string]string{"report": reportPage(t),
		"runbook": written(t, "runbook", "--format", "html"),
		"plan":    written(t, "plan", "--format", "html")}
	for name, path := range pages {
		ctx, console := open(t, path)
		for _, scheme := range []string{"light", "dark"} {
			require.NoError(t, chromedp.Run(ctx,
				emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{
					{Name: "prefers-color-scheme", Value: scheme},
				})))
			assert.Empty(t, evaluate[[]string](t, ctx, contrast), "%s, %s", name, scheme)
			assert.Empty(t, *console)
		}
	}
}

// TestAPhoneShowsThePage has a window as narrow as a phone's: the page itself does not scroll
// sideways.
func TestAPhoneShowsThePage(t *testing.T) {
	ctx, _ := open(t, reportPage(t), chromedp.EmulateViewport(360, 740))
	assert.LessOrEqual(t, evaluate[int](t, ctx, `document.documentElement.scrollWidth`), 360)
}

// TestAScreenReaderHasWordsForEverything looks at what is there beside what is seen.
func TestAScreenReaderHasWordsForEverything(t *testing.T) {
	ctx, _ := open(t, reportPage(t))
	assert.Zero(
		t,
		evaluate[int](t, ctx,
			`[...document.querySelectorAll("svg")].filter(s => !s.getAttribute("aria-label")).length`),
	)
	assert.Zero(
		t,
		evaluate[int](t, ctx,
			`[...document.querySelectorAll("input")].filter(i => !i.closest("label")).length`),
	)
	assert.Zero(t,
		evaluate[int](t, ctx,
			`[...document.querySelectorAll("th")].filter(h => h.scope !== "col").length`))
	assert.Equal(t, 1, evaluate[int](t, ctx, `document.querySelectorAll("h1").length`))
	assert.Equal(t, "en", evaluate[string](t, ctx, `document.documentElement.lang`))
}

// TestThePageReadsWithoutItsScript takes the script out: everything is there, and the folded part
// opens.
func TestThePageReadsWithoutItsScript(t *testing.T) {
	whole, err := os.ReadFile(reportPage(t))
	require.NoError(t, err)
	bare := regexp.MustCompile(`(?s)<script>.*?</script>`).ReplaceAll(whole, nil)
	require.Less(t, len(bare), len(whole))
	path := filepath.Join(t.TempDir(), "page.html")
	require.NoError(t, os.WriteFile(path, bare, 0o600))
	ctx, console := open(t, path)
	text := evaluate[string](t, ctx, `document.querySelector("main").innerText`)
	require.NoError(t, chromedp.Run(ctx, chromedp.Click("summary", chromedp.ByQuery)))
	for _, part := range []string{"Your domains", "What to do", "Risks, and until when",
		"What was found",
		"redirect loop"} {
		assert.Contains(t, text, part)
	}
	after := evaluate[string](t, ctx, `document.querySelector("main").innerText`)
	assert.Greater(t, len(after), len(text), "the folded part opens")
	assert.Empty(t, *console)
}

// TestTheRunbookIsTicked prints boxes that can be ticked on the screen too.
func TestTheRunbookIsTicked(t *testing.T) {
	ctx, console := open(t, written(t, "runbook", "--format", "html"))
	boxes := evaluate[int](t, ctx, `document.querySelectorAll("input[type=checkbox]").length`)
	assert.Greater(t, boxes, 15)
	require.NoError(t, chromedp.Run(ctx, chromedp.Click("input[type=checkbox]", chromedp.ByQuery)))
	assert.Equal(t, 1,
		evaluate[int](t, ctx, `document.querySelectorAll("input[type=checkbox]:checked").length`))
	assert.Empty(t, *console)
}
