package robots_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/robots"
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
		r := robots.Parse(text, name)
		for uri, allowed := range want {
			assert.Equal(t, allowed, r.Allows(uri), "%s %s", name, uri)
		}
	}
	assert.Equal(t, 2*time.Second, robots.Parse(text, "bazbot").Delay)
	assert.True(
		t,
		robots.Parse("User-agent: *\nDisallow: /p\nAllow: /page\n", "x").Allows("/page"),
		"the longest decides",
	)
	assert.True(
		t,
		robots.Parse("User-agent: *\nDisallow: /a\nAllow: /a\n", "x").Allows("/a"),
		"of two the one that allows",
	)
	assert.True(t, robots.Parse("User-agent: *\nDisallow:\n", "x").Allows("/a"))
	assert.False(t,
		robots.Parse("User-agent: *\nDisallow: /*/private*/x$\n", "x").Allows("/a/private-1/x"))
	assert.True(t,
		robots.Parse("User-agent: *\nDisallow: /*/private*/x$\n", "x").Allows("/a/private-1/xy"))
	assert.False(t, robots.Barred().Allows("/"))
	assert.True(t, robots.Parse("no robots.txt at all <html>", "x").Allows("/"))
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
		r := robots.Parse("User-agent: *\nDisallow: "+c.rule, "x")
		assert.Equal(t, !c.fits, r.Allows(c.uri), "%s and %s", c.rule, c.uri)
	}
}

func TestRobotsAreReadByLinesAndToABound(t *testing.T) {
	for _, text := range []string{
		"User-agent: *\rDisallow: /a\r", "User-agent: *\r\nDisallow: /a\r\n",
		"User-agent: upperpath/2.0 (x)\nDisallow: /a",
		"User-agent: *\n\n\nDisallow: /a # with a note", "user-agent : *\n disallow : /a",
	} {
		r := robots.Parse(text, "upperpath")
		assert.False(t, r.Allows("/a"), "%q", text)
		assert.True(t, r.Allows("/b"), "%q", text)
	}
	many := strings.Builder{}
	many.WriteString("User-agent: *\n")
	for i := range 20_000 {
		fmt.Fprintf(&many, "Disallow: /page-%05d$\n", i)
	}
	last := robots.Parse(many.String(), "x")
	assert.False(t, last.Allows("/page-19999"), "a rule behind many others counts")
	padded := "User-agent: *\n" + strings.Repeat("# nothing\n", robots.MostRead/10) + "Disallow: /\n"
	assert.True(t, robots.Parse(padded, "x").Allows("/"), "behind the bound nothing counts")
}

func TestADelayEndsTheListOfThoseItIsFor(t *testing.T) {
	r := robots.Parse("User-agent: ours\nCrawl-delay: 5\nUser-agent: *\nDisallow: /\n", "ours")
	assert.True(t, r.Allows("/a"))
	assert.Equal(t, 5*time.Second, r.Delay)
	assert.False(t, robots.Parse("User-agent: ours\nCrawl-delay: 5\nUser-agent: *\nDisallow: /\n",
		"theirs").Allows("/a"))
}

// TestSearchEnginesAreToldApart has rules for everybody and for engines by their names.
func TestSearchEnginesAreToldApart(t *testing.T) {
	all := robots.ParseAll("Sitemap: https://a.example/map.xml\nUser-agent: *\nDisallow: /shop/\n" +
		"User-agent: Bingbot/2.0\nDisallow: /news/\nUser-agent: googlebot\nUser-agent: ours\n" +
		"Disallow:\nsitemap: /other.xml\nSitemap: /other.xml\n")
	assert.Equal(t, []string{"https://a.example/map.xml", "/other.xml"}, all.Sitemaps)
	b, is := all.Bars("/shop/x")
	assert.True(t, is)
	assert.Equal(t, robots.Barring{Line: "Disallow: /shop/", Everybody: true,
		Except: []string{"googlebot", "bingbot"}}, b)
	b, is = all.Bars("/news/1?a")
	assert.True(t, is)
	assert.Equal(t, robots.Barring{Line: "Disallow: /news/", Named: []string{"bingbot"}}, b)
	_, is = all.Bars("/visit/")
	assert.False(t, is)
	_, is = robots.BarredAll().Bars("/visit/")
	assert.True(t, is)
	_, is = robots.ParseAll("<html>User-agent: *</html>").Bars("/")
	assert.False(t, is)
}

func TestALineThatBarsEverything(t *testing.T) {
	for text, want := range map[string]string{
		"User-agent: *\nDisallow: /\n":                "Disallow: /",
		"User-agent: *\nDisallow: /*":                 "Disallow: /*",
		"User-agent: *\nDisallow: /\nAllow: /public/": "",
		"User-agent: *\nDisallow: /$":                 "",
		"User-agent: x\nDisallow: /\nUser-agent: *\n": "",
	} {
		assert.Equal(t, want, robots.Parse(text, "*").BarsAll(), text)
	}
}
