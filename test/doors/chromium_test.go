package doors

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	chromium "github.com/chromedp/cdproto/page"
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

// fresh opens a window of the browser that remembers nothing.
func fresh(t *testing.T, root context.Context) context.Context {
	t.Helper()
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
	require.NoError(t, err)
	ctx, cancel := chromedp.NewContext(root, chromedp.WithTargetID(id))
	t.Cleanup(cancel)
	ctx, cancel = context.WithTimeout(ctx, 2*time.Minute)
	t.Cleanup(cancel)
	return ctx
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
			"net::ERR_EMPTY|net::ERR_INVALID"
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

// TestABrowserMeetsTheSameAtEachDoor has Chromium go through every door: it arrives where the
// program says, is stopped where the program says, and shows no page where there is none. Where it
// does otherwise, the door says why.
func TestABrowserMeetsTheSameAtEachDoor(t *testing.T) {
	w := play(t, all())
	root := browser(t, w)
	for _, d := range w.doors {
		t.Run(d.what, func(t *testing.T) {
			if d.ours != "" {
				t.Skip("otherwise, since " + d.ours)
			}
			c := w.met(t, d)
			ctx := fresh(t, root)
			if d.then != nil {
				d.later.Store(false)
				_, err := visit(ctx, d.ask)
				require.NoError(t, err)
				d.later.Store(true)
			}
			said, err := visit(ctx, d.ask)
			require.NoError(t, err)
			want := expects(&c)
			if want != "" {
				assert.True(t, begins(said, want), "it says %q; expected %s", said, want)
				return
			}
			if !assert.Empty(t, said, "a page is expected") {
				return
			}
			at, err := settles(ctx, c.Arrival)
			require.NoError(t, err, "arrives at %s, not at %s", at, c.Arrival)
			if last := c.Last(); last.Framed != "" {
				var inside string
				require.NoError(t, chromedp.Run(ctx,
					chromedp.Evaluate(`document.querySelector("frame,iframe").src`, &inside)))
				assert.Equal(t, last.Framed, inside)
			}
		})
	}
}
