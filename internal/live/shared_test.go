package live_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

func TestWhatManyLeadToIsAskedOnce(t *testing.T) {
	var lock sync.Mutex
	asked := map[string]int{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		lock.Lock()
		asked[r.URL.Path]++
		lock.Unlock()
		switch {
		case strings.HasPrefix(r.URL.Path, "/old/"):
			http.Redirect(w, r, fmt.Sprintf("/page/%c", r.URL.Path[len(r.URL.Path)-1]),
				http.StatusMovedPermanently)
		case r.URL.Path == "/page/9":
			w.WriteHeader(http.StatusServiceUnavailable) // not an answer that is one for all
		default:
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte("<title>" + r.URL.Path + "</title>"))
		}
	}))
	defer server.Close()
	at := netip.MustParseAddrPort(strings.TrimPrefix(server.URL, "http://"))
	open := func(share bool) *live.Client {
		w,
			err := live.New(live.Vantage{
			Points: []live.Point{{Host: web.MustParseHost("old.example"), Address: at.Addr(),
				To: at.Port()}}})
		require.NoError(t, err)
		t.Cleanup(w.Close)
		if share {
			w.Share()
		}
		return w
	}
	const each = 30
	follow := func(w *live.Client) (shared int) {
		clear(asked)
		entries := func(yield func(chain.Entry) bool) {
			for i := range 10 * each {
				u := web.MustParseURL(fmt.Sprintf("http://old.example/old/%d", i))
				if !yield(chain.Entry{Ask: chain.Ask{URL: u}, Probe: chain.Asked, Number: i}) {
					return
				}
			}
		}
		n := 0
		require.NoError(t, chain.Run(context.Background(), w, entries, 16, func(c chain.Chain) {
			last := c.Last()
			require.Equal(t, n, c.Number)
			require.Len(t, c.Hops, 2)
			if page := fmt.Sprintf("/page/%d", n%10); page == "/page/9" {
				require.Equal(t, 503, last.Status)
				require.False(t, last.Shared)
			} else {
				require.Equal(t, page, last.Page.Title)
			}
			if last.Shared {
				shared++
			}
			n++
		}))
		require.Equal(t, 10*each, n)
		return shared
	}
	assert.Equal(t, 9*(each-1), follow(open(true)))
	for path, n := range asked {
		switch {
		case path == "/page/9": // once more while nobody knew that it stays busy
			assert.GreaterOrEqual(t, n, each)
			assert.LessOrEqual(t, n, each+16)
		default:
			assert.Equal(t, 1, n, path)
		}
	}
	assert.Zero(t, follow(open(false)))
	assert.Equal(t, each, asked["/page/1"])
}

// An entry is asked itself, even where others have led there; and a question that was sent is never
// shared.
func TestEntriesAreAskedThemselves(t *testing.T) {
	asked := 0
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		asked++
	}))
	defer server.Close()
	at := netip.MustParseAddrPort(strings.TrimPrefix(server.URL, "http://"))
	w, err := live.New(live.Vantage{
		Points: []live.Point{{Host: web.MustParseHost("old.example"), Address: at.Addr(),
			To: at.Port()}}})
	require.NoError(t, err)
	defer w.Close()
	w.Share()
	u := web.MustParseURL("http://old.example/")
	for _, ask := range []chain.Ask{{URL: u, Onward: true}, {URL: u},
		{URL: u, Method: "POST", Onward: true},
		{URL: u, Onward: true, Cookies: w.NewCookies()}} {
		assert.False(t, w.Answer(context.Background(), ask).Shared)
	}
	assert.Equal(t, 4, asked)
	assert.True(t, w.Answer(context.Background(), chain.Ask{URL: u, Onward: true}).Shared)
	assert.Equal(t, 4, asked)
}
