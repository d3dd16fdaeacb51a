package doors

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	chromium "github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// browser starts Chromium so that it sees the stage as the world: through its proxy, trusting its
// authority.
func browser(t *testing.T, w *world) context.Context {
	t.Helper()
	program, err := exec.LookPath("chromium")
	if err != nil {
		t.Skip("no Chromium on this machine")
	}
	certutil, err := exec.LookPath("certutil")
	if err != nil {
		t.Skip("no certutil on this machine, by which Chromium learns to trust the stage")
	}
	home, err := os.MkdirTemp("", "upperpath-chromium-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(home) })
	database := filepath.Join(home, ".pki", "nssdb")
	require.NoError(t, os.MkdirAll(database, 0o700))
	trust := filepath.Join(home, "ca.pem")
	require.NoError(t, os.WriteFile(trust, w.stage.Trust(), 0o600))
	for _, args := range [][]string{
		{"-N", "-d", "sql:" + database, "--empty-password"},
		{"-A", "-d", "sql:" + database, "-t", "C,,", "-n", "stage", "-i", trust},
	} {
		out, err := exec.Command(certutil, args...).CombinedOutput()
		require.NoError(t, err, string(out))
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(program),
		chromedp.NoSandbox,
		chromedp.Flag("disable-gpu", true), chromedp.WSURLReadTimeout(2*time.Minute),
		chromedp.Env("HOME="+home),
		chromedp.Flag("proxy-server", "socks5://"+w.stage.Vantage().Proxy),
		chromedp.Flag("disable-features",
			"HttpsUpgrades,HttpsFirstBalancedMode,HttpsFirstBalancedModeAutoEnable"))
	ctx, cancel := chromedp.NewExecAllocator(t.Context(), options...)
	t.Cleanup(cancel)
	ctx, cancel = chromedp.NewContext(ctx)
	t.Cleanup(cancel)
	require.NoError(t, chromedp.Run(ctx))
	return ctx
}

// fresh opens a window of the browser that remembers nothing; what comes back closes it.
func fresh(root context.Context) (context.Context, func(), error) {
	var id target.ID
	var memory cdp.BrowserContextID
	err := chromedp.Run(root, chromedp.ActionFunc(func(ctx context.Context) error {
		ctx = cdp.WithExecutor(ctx, chromedp.FromContext(ctx).Browser)
		var err error
		if memory, err = target.CreateBrowserContext().WithDisposeOnDetach(true).Do(ctx); err != nil {
			return err
		}
		id, err = target.CreateTarget("about:blank").WithBrowserContextID(memory).WithNewWindow(true).Do(
			ctx)
		return err
	}))
	if err != nil {
		return nil, nil, err
	}
	ctx, cancel := chromedp.NewContext(root, chromedp.WithTargetID(id))
	ctx, over := context.WithTimeout(ctx, 2*time.Minute)
	return ctx, func() { over(); cancel() }, nil
}

// visit has the browser go to a URL in a context, and returns the error that it shows, "" where it
// shows a page.
func visit(ctx context.Context, u string) (string, error) {
	said := ""
	err := chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) error {
		_, _, text, _, err := chromium.Navigate(u).Do(ctx)
		said = text
		return err
	}))
	return said, err
}

// settles waits until the browser shows a URL, as long as it takes within half a minute.
func settles(ctx context.Context, want web.URL) (string, error) {
	at := ""
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); time.Sleep(
		20 * time.Millisecond) {
		if err := chromedp.Run(ctx, chromedp.Evaluate("location.href", &at)); err != nil {
			continue // it is between two pages
		}
		if u, err := web.ParseURL(at); err == nil && u.Same(want) {
			return at, nil
		}
	}
	return at, fmt.Errorf("it shows %s", at)
}

// stays waits until a page is loaded, and what it does in some time is done, and gives where the
// browser is then.
func stays(ctx context.Context, want web.URL) (string, error) {
	at := ""
	err := chromedp.Run(ctx, chromedp.Evaluate(`new Promise(done => {
		const later = () => setTimeout(() => done(location.href), 400);
		document.readyState == "complete" ? later() : addEventListener("load", later);
	})`, &at, awaited))
	if err != nil {
		return at, err
	}
	if u, err := web.ParseURL(at); err != nil || !u.Same(want) {
		return at, fmt.Errorf("it shows %s", at)
	}
	return at, nil
}

// awaited has what a script promises be waited for.
func awaited(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }

// expects gives what a browser shows by what the program says: the beginning of its error, or ""
// for a page.
func expects(c *chain.Chain) string {
	switch {
	case c.StoppedAt != nil:
		return "net::ERR_CERT_|net::ERR_SSL_"
	case c.End == chain.Loop || c.End == chain.Limit:
		return "net::ERR_TOO_MANY_REDIRECTS"
	case c.End == chain.BadLocation:
		return "net::ERR_"
	case c.Last().Refusal == chain.TLSFailed:
		return "net::ERR_SSL_|net::ERR_CONNECTION_CLOSED"
	case c.End == chain.NoAnswer:
		return "net::ERR_SOCKS|net::ERR_NAME|net::ERR_CONNECTION|net::ERR_ADDRESS|" +
			"net::ERR_EMPTY|net::ERR_INVALID|net::ERR_UNSAFE_PORT|net::ERR_CONTENT_DECODING"
	}
	return ""
}

func begins(text, anyOf string) bool {
	for prefix := range strings.SplitSeq(anyOf, "|") {
		if strings.HasPrefix(text, prefix) {
			return true
		}
	}
	return false
}

// visited is what a browser made of a door.
type visited struct {
	said    string // the error that it shows
	at      string // where it is
	wrong   error  // it is not where it should be
	inside  string // what it shows in a frame
	stopped error  // the browser itself failed
}

// sees has a browser go to a door, of which the program says what a chain shows.
func (w *world) sees(root context.Context, d *door, c *chain.Chain) (v visited) {
	ctx, closes, err := fresh(root)
	if err != nil {
		return visited{stopped: err}
	}
	defer closes()
	if d.then != nil {
		d.later.Store(false)
		if _, v.stopped = visit(ctx, d.ask); v.stopped != nil {
			return v
		}
		d.later.Store(true)
	}
	if v.said, v.stopped = visit(ctx, d.ask); v.stopped != nil || v.said != "" || d.may || d.empty {
		return v
	}
	if d.blank {
		v.stopped = chromedp.Run(ctx, chromedp.Evaluate(`new Promise(done => setTimeout(() => done(
			location.href + document.title + (document.body ? document.body.innerText : "")), 400))`,
			&v.inside, awaited))
		return v
	}
	if v.at, v.wrong = settles(ctx, c.Arrival); v.wrong == nil && d.waits {
		v.at, v.wrong = stays(ctx, c.Arrival)
	}
	if c.Last().Framed != "" {
		v.stopped = chromedp.Run(ctx,
			chromedp.Evaluate(`document.querySelector("frame,iframe").src`, &v.inside))
	}
	return v
}

// TestABrowserMeetsTheSameAtEachDoor has Chromium go through every door: it arrives where the
// program says, is stopped where the program says, and shows no page where there is none. Where it
// does otherwise, the door says why.
func TestABrowserMeetsTheSameAtEachDoor(t *testing.T) {
	w := play(t, all())
	root := browser(t, w)
	met, seen := make([]chain.Chain, len(w.doors)), make([]visited, len(w.doors))
	var crew sync.WaitGroup
	next := make(chan int)
	for range 2 { // half of what it does is to wait
		crew.Go(func() {
			for i := range next {
				seen[i] = w.sees(root, w.doors[i], &met[i])
			}
		})
	}
	for i, d := range w.doors {
		if d.ours == "" {
			met[i] = w.met(t, d)
			next <- i
		}
	}
	close(next)
	crew.Wait()
	for i, d := range w.doors {
		t.Run(d.what, func(t *testing.T) {
			if d.ours != "" {
				t.Skip("otherwise, since " + d.ours)
			}
			c, v := &met[i], &seen[i]
			require.NoError(t, v.stopped)
			want := expects(c)
			switch {
			case d.blank:
				assert.Equal(t, d.ask, v.inside, "it stays at a page with nothing in it")
			case d.empty:
				assert.Equal(t, "net::ERR_ABORTED", v.said, "nothing is shown")
			case want != "":
				assert.True(t, begins(v.said, want), "it says %q; expected %s", v.said, want)
			case d.may: // wherever it is: nobody called the door clean
				assert.NotEmpty(t, c.Findings)
			default:
				assert.Empty(t, v.said, "a page is expected")
				assert.NoError(t, v.wrong, "it is at %s, not at %s", v.at, c.Arrival)
				assert.Equal(t, c.Last().Framed, v.inside)
			}
		})
	}
}

// TestABrowserMeetsTheSameAtEachAddress has Chromium go through the doors of several addresses once
// more, by the second of each: what the program says of that address, asked by itself, is what the
// browser meets there.
func TestABrowserMeetsTheSameAtEachAddress(t *testing.T) {
	both, w := play(t, all()), playAt(t, all(), true)
	root := browser(t, w)
	tried := 0
	for i, d := range w.doors {
		if d.second == nil || d.closed || d.ours != "" {
			continue
		}
		tried++
		t.Run(d.what, func(t *testing.T) {
			c := chain.Follow(t.Context(), both.web, chain.Ask{
				URL: web.MustParseURL(both.doors[i].ask), Address: both.doors[i].other}, d.probe)
			chain.Judge{Now: time.Now()}.Chain(&c, chain.Goal{})
			v := w.sees(root, d, &c)
			require.NoError(t, v.stopped)
			if want := expects(&c); want != "" {
				assert.True(t, begins(v.said, want), "it says %q; expected %s", v.said, want)
				return
			}
			assert.Empty(t, v.said, "a page is expected")
			assert.NoError(t, v.wrong, "it is at %s, not at %s", v.at, c.Arrival)
		})
	}
	assert.GreaterOrEqual(t, tried, 4)
}
