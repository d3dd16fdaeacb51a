package live_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

// site is an old site: what it answers by path, and what was asked.
func site(t *testing.T, pages map[string]string, more http.HandlerFunc) (live.Vantage,
	func() []string) {
	t.Helper()
	var lock sync.Mutex
	var asked []string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		lock.Lock()
		asked = append(asked, r.URL.RequestURI())
		lock.Unlock()
		if page, is := pages[r.URL.Path]; is {
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte(page))
			return
		}
		more(w, r)
	}))
	t.Cleanup(server.Close)
	at := netip.MustParseAddrPort(strings.TrimPrefix(server.URL, "http://"))
	return live.Vantage{
			Points: []live.Point{
				{Host: web.MustParseHost("old.example"), Address: at.Addr(), To: at.Port()}}},
		func() []string {
			lock.Lock()
			defer lock.Unlock()
			all := slices.Clone(asked)
			slices.Sort(all)
			return all
		}
}

func crawls(t *testing.T, ctx context.Context, v live.Vantage, f *old.Frontier) (met map[string]int,
	err error) {
	t.Helper()
	w, openErr := live.New(v)
	require.NoError(t, openErr)
	t.Cleanup(w.Close)
	f.Doors = func(d web.Door) bool { return d.Host.String() == "old.example" }
	f.Add(web.MustParseURL("http://old.example/"), 0)
	met = map[string]int{}
	c := live.Crawling{
		Web:      w,
		Frontier: f,
		Agent:    "upperpath",
		Parallel: 8,
		Met: func(at old.Place, got live.Crawled, err error) {
			met[at.URL.RequestURI()] = got.Status
		},
	}
	return met, c.Run(ctx)
}

func TestACrawlMeetsWhatIsLinkedAndNothingElse(t *testing.T) {
	later := sync.Once{}
	v, asked := site(t, map[string]string{
		"/": `<base href="/sub/"><a href=page.html>1</a><a href="page.html#top">2</a><a href="/moved?utm_source=x">3</a>
			<a href="https://else.example/">4</a><img src=/logo.png><a href=/photo.jpg>5</a><a href="mailto:a@old.example">6</a>
			<link rel=stylesheet href=/style.css><link rel=next href=/second><a href="/private/x">7</a><a href=/busy>8</a>
			<iframe src=/frame></iframe><a href="/leaflet.pdf">9</a><area href=/map><a href="javascript:void(0)">`,
		"/sub/page.html": `<a href="deep/">d</a><a href="/">home</a><!-- <a href=/hidden> -->`,
		"/sub/deep/":     `<a href=../page.html>`,
		"/robots.txt":    "User-agent: *\nDisallow: /private/\n",
		"/target":        "<a href=/from-target>",
	}, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/moved":
			http.Redirect(w, r, "/target", http.StatusMovedPermanently)
		case "/busy":
			said := false
			later.Do(func() {
				said = true
				w.Header().Set("Retry-After", "0")
				w.WriteHeader(http.StatusServiceUnavailable)
			})
			if !said {
				_, _ = w.Write([]byte("now"))
			}
		case "/leaflet.pdf":
			w.Header().Set("Content-Type", "application/pdf")
			_, _ = w.Write([]byte(`<a href=/not-a-page>`))
		default:
			http.NotFound(w, r)
		}
	})
	f := old.NewFrontier(old.DefaultLeaveOut())
	f.Depth, f.Pages, f.PerFolder = 5, 100, 50
	met, err := crawls(t, context.Background(), v, f)
	require.NoError(t, err)
	assert.Equal(t,
		map[string]int{"/": 200, "/sub/page.html": 200, "/sub/deep/": 200, "/moved": 301, "/target": 200,
			"/from-target": 404, "/second": 404, "/busy": 200, "/frame": 404, "/leaflet.pdf": 200,
			"/map": 404}, met)
	assert.Equal(t, []int{1, 1}, []int{f.Barred, f.Strangers})
	assert.NotContains(t, strings.Join(asked(), " "), "private")
	assert.NotContains(t, strings.Join(asked(), " "), "jpg")
	assert.NotContains(t, strings.Join(asked(), " "), "utm")
}

func TestACrawlOfASiteWithoutEndEnds(t *testing.T) {
	v, asked := site(t, nil, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		for i := range 20 {
			fmt.Fprintf(
				w,
				`<a href="%s/%c">x</a><a href="/day/%d/%d">y</a>`,
				strings.TrimSuffix(r.URL.Path, "/"),
				'a'+i,
				i,
				len(r.URL.Path),
			)
		}
	})
	f := old.NewFrontier(old.LeaveOut{})
	f.Depth, f.Pages, f.PerFolder = 100, 300, 30
	met, err := crawls(t, context.Background(), v, f)
	require.NoError(t, err)
	assert.Len(t, met, 300)
	assert.Len(t, asked(), 301, "each once, and robots.txt")
	assert.Positive(t, f.TooMany)
}

func TestACrawlIsKeptOutWhereNobodyCouldReadRobots(t *testing.T) {
	v,
		_ := site(t, nil, func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusInternalServerError)
	})
	f := old.NewFrontier(old.LeaveOut{})
	f.Depth, f.Pages, f.PerFolder = 5, 10, 10
	met, err := crawls(t, context.Background(), v, f)
	require.NoError(t, err)
	assert.Empty(t, met)
	assert.Equal(t, 1, f.Barred)
}

func TestACrawlThatIsCutOffEndsAtOnce(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	v, _ := site(t, nil, func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/a5") {
			cancel()
		}
		w.Header().Set("Content-Type", "text/html")
		for i := range 30 {
			fmt.Fprintf(w, `<a href="/a%d">x</a>`, i)
		}
	})
	f := old.NewFrontier(old.LeaveOut{})
	f.Depth, f.Pages, f.PerFolder = 5, 1000, 1000
	met, err := crawls(t, ctx, v, f)
	assert.True(t, errors.Is(err, context.Canceled))
	assert.NotEmpty(t, met)
}

func TestALargeRobotsIsReadToItsBound(t *testing.T) {
	v, _ := site(t, map[string]string{
		"/robots.txt": "User-agent: *\nDisallow: /private\n" +
			strings.Repeat("# nothing at all\n", 60_000),
		"/": "<a href=/private/x><a href=/open>", "/open": "here", "/private/x": "no",
	}, http.NotFound)
	f := old.NewFrontier(old.LeaveOut{})
	f.Depth, f.Pages, f.PerFolder = 5, 10, 10
	met, err := crawls(t, context.Background(), v, f)
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"/": 200, "/open": 200}, met)
	assert.Equal(t, 1, f.Barred)
}
