package old_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
)

func TestRobotsSayWhatMayBeAskedFor(t *testing.T) {
	// The examples of RFC 9309 sections 2.2.2, 2.2.3 and 5.1, and what is beside them.
	text := "\ufeffUser-Agent: *\nDisallow: *.gif$\nDisallow: /example/\nAllow: /publications/\n\n" +
		"User-Agent: foobot\nDisallow:/\nAllow:/example/page.html\nAllow:/example/allowed.gif\n\n" +
		"User-Agent: barbot\nUser-Agent: bazbot\nDisallow: /example/page.html\nCrawl-delay: 2\n\n" +
		"User-Agent: quxbot\n"
	for name, want := range map[string]map[string]bool{
		"foobot": {"/": false, "/example/page.html": true, "/example/allowed.gif": true, "/a.gif": false},
		"barbot": {"/": true, "/example/page.html": false, "/example/page.html?x": false, "/a.gif": true},
		"BazBot": {"/example/page.html": false},
		"quxbot": {"/example/page.html": true},
		"other": {"/": true, "/a.gif": false, "/a.gif?x": true, "/example/x": false,
			"/publications/": true},
	} {
		r := old.ParseRobots(text, name)
		for uri, allowed := range want {
			assert.Equal(t, allowed, r.Allows(uri), "%s %s", name, uri)
		}
	}
	assert.Equal(t, 2*time.Second, old.ParseRobots(text, "bazbot").Delay)
	assert.True(
		t,
		old.ParseRobots("User-agent: *\nDisallow: /p\nAllow: /page\n", "x").Allows("/page"),
		"the longest decides",
	)
	assert.True(
		t,
		old.ParseRobots("User-agent: *\nDisallow: /a\nAllow: /a\n", "x").Allows("/a"),
		"of two the one that allows",
	)
	assert.True(t, old.ParseRobots("User-agent: *\nDisallow:\n", "x").Allows("/a"))
	assert.False(t,
		old.ParseRobots("User-agent: *\nDisallow: /*/private*/x$\n", "x").Allows("/a/private-1/x"))
	assert.True(t,
		old.ParseRobots("User-agent: *\nDisallow: /*/private*/x$\n", "x").Allows("/a/private-1/xy"))
	assert.False(t, old.Barred().Allows("/"))
	assert.True(t, old.ParseRobots("no robots.txt at all <html>", "x").Allows("/"))
}

func TestEveryCrawlEnds(t *testing.T) {
	f := old.NewFrontier(old.DefaultLeaveOut())
	f.Depth, f.Pages, f.PerFolder = 3, 50, 10
	f.Doors = func(d web.Door) bool { return d.Host.String() == "old.example" }
	add := func(u string, depth int) { f.Add(web.MustParseURL(u), depth) }
	add("http://old.example/", 0)
	add("http://old.example/?utm_source=x", 1)
	add("http://OLD.example:80/", 1)
	add("http://old.example/a.png", 1)
	add("http://else.example/", 1)
	add("http://old.example/deep", 4)
	add("http://old.example/a/a/a/a/", 1)
	assert.Equal(t, []int{1, 1, 1, 1}, []int{f.Waiting(), f.Strangers, f.TooDeep, f.TooMany})
	for day := range 100 {
		add(fmt.Sprintf("http://old.example/calendar/2026/%d?view=%d", day, day), 1)
	}
	assert.Equal(t, 11, f.Waiting(), "a calendar without end has one shape")
	for page := range 100 {
		add(fmt.Sprintf("http://old.example/page-%s",
			string(rune('a'+page%26))+string(rune('a'+page/26))), 1)
	}
	assert.Equal(t, 50, f.Waiting())
	first, ok := f.Next()
	assert.True(t, ok)
	assert.Equal(t, "http://old.example/", first.URL.String(), "the nearest first")
	for ok {
		_, ok = f.Next()
	}
	add("http://old.example/one-more", 1)
	_, ok = f.Next()
	assert.False(t, ok, "what was taken counts")
}

func TestRobotsAreComparedInNormalForm(t *testing.T) {
	// The table of RFC 9309 section 2.2.2, and what follows from it.
	for _, c := range []struct {
		rule, uri string
		fits      bool
	}{
		{"/foo/bar?baz=quz", "/foo/bar?baz=quz", true},
		{"/foo/bar?baz=https://foo.bar", "/foo/bar?baz=https%3A%2F%2Ffoo.bar", false},
		{"/foo/bar/\u30c4", "/foo/bar/%E3%83%84", true},
		{"/foo/bar/%e3%83%84", "/foo/bar/%E3%83%84", true},
		{"/foo/bar/%62%61%7A", "/foo/bar/baz", true},
		{"/path/file-with-a-%2A.html", "/path/file-with-a-*.html", true},
		{"/path/file-with-a-%2A.html", "/path/file-with-a-x.html", false},
		{"/path/foo-%24", "/path/foo-$", true},
		{"/a$b", "/a$b", true},
		{"/caf\u00e9*$", "/caf%C3%A9/x", true},
		{"/a%2fb", "/a%2Fb", true},
		{"/a%2fb", "/a/b", false},
		{"/p?q=\u00e9", "/p?q=%c3%A9", true},
	} {
		r := old.ParseRobots("User-agent: *\nDisallow: "+c.rule, "x")
		assert.Equal(t, !c.fits, r.Allows(c.uri), "%s and %s", c.rule, c.uri)
	}
}

func TestRobotsAreReadByLinesAndToABound(t *testing.T) {
	for _, text := range []string{
		"User-agent: *\rDisallow: /a\r", "User-agent: *\r\nDisallow: /a\r\n",
		"User-agent: upperpath/2.0 (x)\nDisallow: /a",
		"User-agent: *\n\n\nDisallow: /a # with a note", "user-agent : *\n disallow : /a",
	} {
		r := old.ParseRobots(text, "upperpath")
		assert.False(t, r.Allows("/a"), "%q", text)
		assert.True(t, r.Allows("/b"), "%q", text)
	}
	many := strings.Builder{}
	many.WriteString("User-agent: *\n")
	for i := range 20_000 {
		fmt.Fprintf(&many, "Disallow: /page-%05d$\n", i)
	}
	last := old.ParseRobots(many.String(), "x")
	assert.False(t, last.Allows("/page-19999"), "a rule behind many others counts")
	padded := "User-agent: *\n" + strings.Repeat("# nothing\n", old.MostRobots/10) + "Disallow: /\n"
	assert.True(t, old.ParseRobots(padded, "x").Allows("/"), "behind the bound nothing counts")
}

func TestWhatIsTooDeepOrTooManyIsNotKept(t *testing.T) {
	f := old.NewFrontier(old.LeaveOut{})
	f.Depth, f.Pages, f.PerFolder = 1, 100, 100
	long := strings.Repeat("x", 1900)
	peak := func() uint64 {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	before := peak()
	for i := range 20_000 {
		f.Add(web.MustParseURL(fmt.Sprintf("http://old.example/%s/%x", long, i)), 2)
		f.Add(web.MustParseURL(fmt.Sprintf("http://old.example/%x/%s", i, long)), 1)
	}
	assert.Equal(t, 20_000, f.TooDeep)
	assert.Equal(t, 19_900, f.TooMany)
	assert.Less(t, int(peak()-before), 2<<20, "a hundred URLs are kept")
	runtime.KeepAlive(f)
}
