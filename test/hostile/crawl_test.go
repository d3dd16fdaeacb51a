package hostile

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestACrawlOfEverLongerListsStaysSmall follows pages that each link to 5,000 others, fresh and
// long, and to other ports, other schemes and places that are not the site's.
func TestACrawlOfEverLongerListsStaysSmall(t *testing.T) {
	var pages, strange atomic.Int64
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		strange.Add(1)
	}))
	defer other.Close()
	_, port, _ := strings.Cut(strings.TrimPrefix(other.URL, "http://"), ":")
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			http.NotFound(w, r)
			return
		}
		n := pages.Add(1)
		w.Header().Set("Content-Type", "text/html")
		long := strings.Repeat("x", 1500)
		fmt.Fprintf(w, `<a href="http://old.example:%s/">p</a><a href="file:///etc/passwd">f</a>`, port)
		for i := range 5000 {
			fmt.Fprintf(w, `<a href="/%x-%x/%s">x</a>`, n*7919, i, long)
		}
	}))
	defer server.Close()
	folder := estateFolder(t)
	at := strings.TrimPrefix(server.URL, "http://")
	code, said, peak := measured(t, folder, "gather", "--crawl", "old.example", "--point",
		"old.example:80="+at, "--point",
		"old.example:"+port+"="+strings.TrimPrefix(other.URL, "http://"), "--most-pages", "80", "--rate",
		"100000",
		"--per-host", "8", "--to", "made.csv", "--timeout", "20s")
	assert.Zero(t, code, said)
	assert.LessOrEqual(t, pages.Load(), int64(81))
	assert.Zero(t, strange.Load(), "other ports are not asked")
	assert.Contains(t, strings.Join(strings.Fields(said), " "), "to other ports of its hosts")
	assertPeak(t, peak, 200<<20)
}
