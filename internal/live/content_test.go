package live_test

import (
	"bytes"
	"compress/gzip"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

// TestRobotsCountAsTheirStandardSays asks for a robots.txt in every state (RFC 9309 section 2.3.1).
func TestRobotsCountAsTheirStandardSays(t *testing.T) {
	text := "User-agent: *\nDisallow: /a\n"
	v, _ := site(t, nil, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/said/robots.txt":
			_, _ = w.Write([]byte(text))
		case "/packed/robots.txt":
			var b bytes.Buffer
			z := gzip.NewWriter(&b)
			_, _ = z.Write([]byte(text))
			_ = z.Close()
			w.Header().Set("Content-Encoding", "gzip")
			_, _ = w.Write(b.Bytes())
		case "/1/robots.txt", "/2/robots.txt", "/3/robots.txt", "/4/robots.txt", "/5/robots.txt",
			"/6/robots.txt":
			if r.URL.Path == "/1/robots.txt" {
				http.Redirect(w, r, "/said/robots.txt", http.StatusMovedPermanently)
				return
			}
			http.Redirect(w, r, "/"+string(r.URL.Path[1]-1)+"/robots.txt", http.StatusFound)
		case "/ring/robots.txt":
			http.Redirect(w, r, "/ring/robots.txt", http.StatusFound)
		case "/busy/robots.txt":
			w.WriteHeader(http.StatusTooManyRequests)
		case "/locked/robots.txt":
			w.WriteHeader(http.StatusUnauthorized)
		case "/broken/robots.txt":
			w.WriteHeader(http.StatusInternalServerError)
		case "/long/robots.txt":
			_, _ = w.Write([]byte(strings.Repeat("# nothing\n", 60_000) + text))
		case "/cut/robots.txt":
			w.Header().Set("Content-Length", "1000")
			_, _ = w.Write([]byte(text))
		default:
			w.WriteHeader(http.StatusNotFound)
		}
	})
	w, err := live.New(v)
	require.NoError(t, err)
	t.Cleanup(w.Close)
	for path, want := range map[string]string{
		"said": "bars", "packed": "bars", "5": "bars", "6": "allows", "ring": "allows",
		"nothing": "allows", "busy": "unseen", "locked": "unseen", "broken": "bars", "long": "allows",
		"cut": "unseen",
	} {
		r := w.Robots(t.Context(), web.MustParseURL("http://old.example/"+path+"/robots.txt"))
		got := "unseen"
		if r.Says != nil {
			got = "allows"
			if _, bars := r.Says.Bars("/a/b"); bars {
				got = "bars"
			}
		} else {
			assert.NotEmpty(t, r.Why)
		}
		assert.Equal(t, want, got, path)
	}
	r := w.Robots(t.Context(), web.MustParseURL("http://none.invalid/robots.txt"))
	assert.Nil(t, r.Says)
}

// TestPagesAreReadForWhatTheyName crawls a page that names an old host in every way, and near
// misses.
func TestPagesAreReadForWhatTheyName(t *testing.T) {
	page := `<!doctype html><title>A</title>
<link rel="alternate" hreflang="nl" href="http://gone.example/nl/">
<link rel="alternate" type="application/rss+xml" href="//gone.example/feed.xml">
<link rel="canonical" href="http://gone.example/a">
<link rel="icon" href="http://gone.example/icon.png">
<meta property="og:image" content="http://gone.example/o.png">
<a href="http://gone.example/a">1</a><a href="http://gone.example/a">again</a><a href="/b">2</a>
<img src="http://gone.example/i.png" srcset="http://gone.example/i2.png 2x, /j.png 3x">
<form action="http://gone.example/find"></form><script src="http://gone.example/s.js"></script>
<!-- <a href="http://gone.example/comment"> -->
<script>"<a href='http://gone.example/text'>"</script>
<a data-href="http://gone.example/data" href="http://gone.example.other/">3</a>
<video poster="http://gone.example/v.png"></video>`
	v, _ := site(t, map[string]string{"/": page, "/b": "<title>B</title>"},
		func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(http.StatusNotFound) })
	w, err := live.New(v)
	require.NoError(t, err)
	t.Cleanup(w.Close)
	f := old.NewFrontier(old.DefaultLeaveOut())
	f.Depth, f.Pages, f.PerFolder = 3, 10, 10
	f.Doors = func(d web.Door) bool { return d.Host.String() == "old.example" }
	f.Add(web.MustParseURL("http://old.example/"), 0)
	met := map[string]live.Crawled{}
	c := live.Crawling{Web: w, Frontier: f, Agent: "upperpath", Parallel: 4,
		Notes: func(h web.Host) bool { return h.String() == "gone.example" },
		Met: func(at old.Place, got live.Crawled, err error) {
			require.NoError(t, err)
			met[at.URL.RequestURI()] = got
		}}
	require.NoError(t, c.Run(t.Context()))
	require.Contains(t, met, "/b")
	got := met["/"]
	var said []string
	for _, l := range got.Page.Links {
		said = append(said, strings.Join([]string{l.Element, l.URL, strings.Repeat("|", l.Line)}, " "))
	}
	assert.Equal(t, []string{
		"hreflang http://gone.example/nl/ ||", "feed http://gone.example/feed.xml |||",
		"link icon http://gone.example/icon.png |||||", "og:image http://gone.example/o.png ||||||",
		"a http://gone.example/a |||||||", "img http://gone.example/i.png ||||||||",
		"img http://gone.example/i2.png ||||||||", "form http://gone.example/find |||||||||",
		"script http://gone.example/s.js |||||||||", "video http://gone.example/v.png |||||||||||||",
	}, said)
	assert.Equal(t, "http://gone.example/a", got.Page.Canonical)
	require.Len(t, got.Feeds, 1)
	assert.Equal(t, "http://gone.example/feed.xml", got.Feeds[0].String())
	assert.Equal(t, "text/html", got.Page.Kind)
}
