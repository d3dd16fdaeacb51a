package rule

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/web"
)

// found says which line takes a URL and where it leads.
func found(tab *Table, u string) string {
	m, ok := tab.Find(u)
	if !ok {
		return ""
	}
	return strings.TrimSpace(fmt.Sprintf("%d %s", m.Rule.Line, m.Location(canonical)))
}

func TestConditionsOnTheQuery(t *testing.T) {
	tab := table(t,
		"old.example/index.php?page=about,/about/",
		"old.example/index.php?page=news&id={n:digits},/news/{n}/",
		"old.example/index.php?page={p},/pages/{p}/",
		"old.example/index.php,/",
		"old.example/show/{x}?lang=de,/de/{x}",
		"old.example/show/{x},/en/{x}",
		"old.example/find?q={+q},/search/{+q}?from=old",
		"old.example/empty?x,/x",
		"old.example/tag/{t},/tags?name={t}",
		"old.example/branch/{b},https://{b}.northmoor.example/",
		"old.example/go?to={t},/a?b={t},,drop",
	)
	for u, want := range map[string]string{
		"http://old.example/index.php?page=about": "2 https://www.northmoor.example/about/",
		"http://old.example/index.php?x=1&page=about&y": "2 https://www.northmoor.example/about/" +
			"?x=1&y",
		"http://old.example/index.php?p%61ge=ab%6fut": "2 https://www.northmoor.example/about/",
		"http://old.example/index.php?page=news&id=12&z=3": "3 https://www.northmoor.example/news/12/" +
			"?z=3",
		"http://old.example/index.php?id=12&page=news": "3 https://www.northmoor.example/news/12/",
		"http://old.example/index.php?page=news&id=1x": "4 https://www.northmoor.example/pages/" +
			"news/?id=1x",
		"http://old.example/index.php?page=a+b": "4 https://www.northmoor.example/pages/" +
			"a%20b/",
		"http://old.example/index.php?page=x&page=about": "4 https://www.northmoor.example/pages/x/",
		"http://old.example/index.php?page=":             "5 https://www.northmoor.example/?page=",
		"http://old.example/index.php":                   "5 https://www.northmoor.example/",
		"https://www.old.example/show/a%2Fb?lang=de":     "6 https://www.northmoor.example/de/a%2Fb",
		"https://www.old.example/show/a?lang=fr": "7 https://www.northmoor.example/en/" +
			"a?lang=fr",
		"http://old.example/find?q=a/b?c": "8 https://www.northmoor.example/search/a/" +
			"b%3Fc?from=old",
		"http://old.example/find?q=": "8 https://www.northmoor.example/search/" +
			"?from=old",
		"http://old.example/empty?x=":  "9 https://www.northmoor.example/x",
		"http://old.example/empty?x=1": "",
		"http://old.example/tag/a&b=c+d%20": "10 https://www.northmoor.example/" +
			"tags?name=a%26b%3Dc%2Bd%20",
		"http://old.example/branch/Quarry-2":        "11 https://quarry-2.northmoor.example/",
		"http://old.example/branch/evil.example%2F": "",
		"http://old.example/branch/a@b":             "",
		"http://old.example/go?to=x&y=z":            "12 https://www.northmoor.example/a?b=x",
		"https://old.example:8443/index.php":        "",
		"HTTP://OLD.example/index.php":              "5 https://www.northmoor.example/",
		"http://old.example/./a/../index.php#x":     "5 https://www.northmoor.example/",
		"http://old.example./index.php":             "5 https://www.northmoor.example/",
		"no URL":                                    "",
	} {
		assert.Equal(t, want, found(tab, u), u)
	}
	assert.Equal(t, "old.example/index.php?id={n:digits}&page=news", tab.Rules()[1].Old.String())
	for _, r := range tab.Rules() {
		u, ok := tab.Example(r)
		require.True(t, ok, r.Old.String())
		m, _ := tab.Lookup(u)
		assert.Equal(t, r.Line, m.Rule.Line)
	}
}

func TestTiesOfConditions(t *testing.T) {
	tab := table(
		t,
		"old.example/a?x=1,/1",
		"old.example/a?y=2,/2",
		"old.example/a?x=3,/3",
		"old.example/a?x={v},/4",
		"old.example/b?x={v:digits},/5",
		"old.example/b?x={w},/6",
		"old.example/b?x=q,/7",
	)
	var got []string
	for _, tie := range tab.Ties() {
		got = append(got, fmt.Sprintf("%d %d %s", tie.First.Line, tie.Second.Line, tie.Witness))
	}
	assert.Equal(t, []string{
		"2 3 https://old.example/a?x=1&y=2", "3 4 https://old.example/a?y=2&x=3",
	}, got)
}

// modes makes a table whose hosts do not care.
func modes(t *testing.T, mode Mode, lines ...string) *Table {
	t.Helper()
	s := scope
	s.Mode = func(web.Host) Mode { return mode }
	rules, faults := Parse(rows(lines), s)
	require.Empty(t, faults)
	return Compile(rules, s)
}

func TestSitesThatDidNotCare(t *testing.T) {
	lines := []string{
		"old.example/About/,/1",
		"old.example/shop/{item}.html,/2/{item}",
		"old.example/docs/{+r},/3/{+r}",
		"old.example/,/4",
		"old.example/news/{n}/,/5/{n}",
	}
	tab := modes(t, Mode{IgnoreCase: true}, lines...)
	for u, want := range map[string]string{
		"http://old.example/ABOUT/": "2 https://www.northmoor.example/1", "http://old.example/about": "",
		"http://old.example/Shop/Red%2fCup.HTML": "3 https://www.northmoor.example/2/Red%2fCup",
		"http://old.example/DOCS/A/b":            "4 https://www.northmoor.example/3/A/b",
	} {
		assert.Equal(t, want, found(tab, u), u)
	}
	tab = modes(t, Mode{EitherSlash: true}, lines...)
	for u, want := range map[string]string{
		"http://old.example/About":  "2 https://www.northmoor.example/1",
		"http://old.example/About/": "2 https://www.northmoor.example/1", "http://old.example/about/": "",
		"http://old.example/shop/a.html/": "3 https://www.northmoor.example/2/a",
		"http://old.example/docs":         "4 https://www.northmoor.example/3/",
		"http://old.example/docs/a/":      "4 https://www.northmoor.example/3/a/",
		"http://old.example/":             "5 https://www.northmoor.example/4",
		"http://old.example/news/7":       "6 https://www.northmoor.example/5/7",
		"http://old.example/news/7/":      "6 https://www.northmoor.example/5/7",
	} {
		assert.Equal(t, want, found(tab, u), u)
	}
	tab = modes(t,
		Mode{Index: []string{"index.html", "index.php"}, EitherSlash: true, IgnoreCase: true}, lines...)
	for u, want := range map[string]string{
		"http://old.example/about/Index.php":   "2 https://www.northmoor.example/1",
		"http://old.example/index.html":        "5 https://www.northmoor.example/4",
		"http://old.example/news/7/index.html": "6 https://www.northmoor.example/5/7",
		"http://old.example/docs/index.php":    "4 https://www.northmoor.example/3/index.php",
		"http://old.example/aboutindex.php":    "",
	} {
		assert.Equal(t, want, found(tab, u), u)
	}
}

// randomTable makes rules over a small alphabet, and the URLs over it.
func randomTable(random *rand.Rand, n int) []string {
	pieces := []string{"a", "b", "/", "0", "{x}", "{y:digits}", "%2F", "A"}
	var lines []string
	for len(lines) < n {
		old := []string{"", "", "", "http://", "www."}[random.IntN(5)] + "old.example/"
		for range random.IntN(5) {
			old += pieces[random.IntN(len(pieces))]
		}
		switch random.IntN(8) {
		case 0:
			old += "{+r}"
		case 2:
			old += "{+r}" + []string{"a", "0", "/", "/b0", "%2Fb", "/a/", "A"}[random.IntN(7)]
		case 1:
			old = strings.TrimSuffix(old, "/") + "/{z}/{+r}"
		}
		if random.IntN(5) == 0 {
			old += "?q=" + []string{"a", "{v}", "{v:digits}"}[random.IntN(3)]
		}
		if _, faults := Parse([]Row{{Old: old, New: "/"}}, scope); len(faults) == 0 {
			lines = append(lines, old+",/")
		}
	}
	return lines
}

func written(tab *Table) string {
	var all []string
	for _, r := range tab.Rules() {
		all = append(all, r.Old.String())
	}
	return strings.Join(all, "  ")
}

func TestTheIndexEqualsTryingEveryRule(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 8))
	letters := []string{"a", "b", "/", "0", "%2F", "%61", "A", "//", "c"}
	for round := range 300 {
		mode := []Mode{
			{}, {}, {IgnoreCase: true}, {EitherSlash: true},
			{Index: []string{"a"}, EitherSlash: true, IgnoreCase: true},
			{Index: []string{"a", "b0"}}, {Index: []string{"b"}, EitherSlash: true},
		}[round%7]
		tab := modes(t, mode, randomTable(random, 1+random.IntN(14))...)
		for range 200 {
			u := []string{"http://", "https://"}[random.IntN(2)] + []string{"", "www."}[random.IntN(2)] +
				"old.example/"
			for range random.IntN(7) {
				u += letters[random.IntN(len(letters))]
			}
			u += []string{"", "?q=a", "?q=0", "?x=1&q=b"}[random.IntN(4)]
			all := tab.Candidates(web.MustParseURL(u))
			m, ok := tab.Find(u)
			n, same := tab.Lookup(web.MustParseURL(u))
			require.Equal(t, len(all) > 0, ok, "%s: %v in %v", u, mode, written(tab))
			require.Equal(t, ok, same)
			if !ok {
				continue
			}
			require.Equal(t, m.Rule, n.Rule, u)
			require.Zero(
				t,
				Compare(
					all[0],
					Entry{m.Rule,
						slices.ContainsFunc(all, func(e Entry) bool { return e.Rule == m.Rule && e.Inherited })},
				),
				"%s: %s instead of %s",
				u,
				m.Rule.Old,
				all[0].Rule.Old,
			)
		}
	}
}

func TestLookingUpMakesNothing(t *testing.T) {
	tab := table(
		t,
		"old.example/opening.html,/visit/",
		"old.example/a/{x}/{+rest},/b/{x}/{+rest}",
		"old.example/item-{id:digits}.html,/i/{id}",
	)
	for _, u := range []string{"https://www.old.example/opening.html",
		"http://old.example/%6fpening.html?x=1",
		"https://old.example/a/b/c/d?e", "http://old.example/item-%31.html",
		"http://old.example/nothing"} {
		assert.Zero(t, testing.AllocsPerRun(100, func() { tab.Index.Find(u) }), u)
	}
}

// TestVariantsAreExactlyWhatAPatternTakes tries every short path.
func TestVariantsAreExactlyWhatAPatternTakes(t *testing.T) {
	random := rand.New(rand.NewPCG(9, 9))
	var paths []string
	var grow func(string, int)
	grow = func(s string, n int) {
		paths = append(paths, s)
		if n > 0 {
			for _, c := range []string{"a", "b", "/", "0", "A"} {
				grow(s+c, n-1)
			}
		}
	}
	grow("/", 4)
	for range 300 {
		mode := Mode{IgnoreCase: random.IntN(3) == 0, EitherSlash: random.IntN(2) == 0}
		if random.IntN(2) == 0 {
			mode.Index = []string{"a", "b0"}
		}
		tab := modes(t, mode, randomTable(random, 1)...)
		old := tab.Rules()[0].Old
		variants := mode.Variants(old.Parts)
		for _, path := range paths {
			folded := path
			if mode.IgnoreCase {
				folded = strings.ToLower(path)
			}
			in := slices.ContainsFunc(variants, func(v Variant) bool {
				return takesAll(v.Parts, folded) &&
					!slices.ContainsFunc(v.Not, func(end string) bool { return strings.HasSuffix(folded, end) })
			})
			require.Equal(t, takesPath(old, mode, folded), in, "%s on %s: %v %v", old, path, mode, variants)
		}
	}
}

func TestARestMayStandBeforeALiteralEnding(t *testing.T) {
	tab := table(t, "old.example/{+path}.php,/{+path}/",
		"old.example/shop/{id:digits}-{+name}.html,/shop/{id}/{+name}",
		"old.example/{+dir}/index.php,/{+dir}/", "old.example/{+path}0,/zero/{+path}",
		"old.example/x/{+all},/y/{+all}")
	for u, want := range map[string]string{
		"http://old.example/a.php":                "2 https://www.northmoor.example/a/",
		"http://old.example/a/b/c.php?d=e":        "2 https://www.northmoor.example/a/b/c/?d=e",
		"http://old.example/a.php/b.php":          "2 https://www.northmoor.example/a.php/b/",
		"http://old.example/.php":                 "2 https://www.northmoor.example//",
		"http://old.example/a.ph%70":              "2 https://www.northmoor.example/a/",
		"http://old.example/a.php/":               "",
		"http://old.example/a.PHP":                "",
		"http://old.example/a/b/index.php":        "4 https://www.northmoor.example/a/b/",
		"http://old.example/index.php":            "2 https://www.northmoor.example/index/",
		"http://old.example/shop/7-a/b-c.html":    "3 https://www.northmoor.example/shop/7/a/b-c",
		"http://old.example/shop/7-.html":         "3 https://www.northmoor.example/shop/7/",
		"http://old.example/a%20":                 "",
		"http://old.example/a%C3%B80":             "5 https://www.northmoor.example/zero/a%C3%B8",
		"http://old.example/x/b.php":              "2 https://www.northmoor.example/x/b/",
		"http://old.example/x/b.html":             "6 https://www.northmoor.example/y/b.html",
		"http://old.example/caf%C3%A9/b%2fc.php":  "2 https://www.northmoor.example/caf%C3%A9/b%2fc/",
		"http://old.example/%2e%2e/q/./r/..a.php": "2 https://www.northmoor.example/q/r/..a/",
	} {
		assert.Equal(t, want, found(tab, u), u)
	}
}

// Regular expressions of another engine say what a rest before an ending takes.
func TestRestsBeforeEndingsEqualExpressions(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 9))
	pieces := []string{"a", "/", "0", "%20", "%2F", "b", ".", "%", "2"}
	write := func(n int) string {
		s := ""
		for range random.IntN(n) {
			s += pieces[random.IntN(7)]
		}
		return s
	}
	unit := `(?:%[0-9A-F]{2}|[^%])`
	taken := 0
	for range 3_000 {
		begin, end, path := "/"+write(3), write(4), "/"+write(9)
		if end == "" || web.NormalPath(end) != end || web.NormalPath(path) != path {
			continue
		}
		parts := []Part{{Literal: begin}, {Name: "r", Rest: true}, {Literal: end}}
		is := regexp.MustCompile("^" + regexp.QuoteMeta(begin) + "(" + unit + "*)" +
			regexp.QuoteMeta(end) + "$")
		want := is.FindStringSubmatch(path)
		require.Equal(t, want != nil, takesAll(parts, path), "%s: %s", partsText(parts), path)
		if p := program(parts); p != "" {
			require.Equal(t, want != nil, run(p, path), "%s: %s", partsText(parts), path)
		}
		if want != nil {
			spans := make([]span, 3)
			m := matcher{parts: parts, text: path, spans: spans}
			require.True(t, m.from(0, 0))
			require.Equal(t, want[1], path[spans[1].from:spans[1].to])
			taken++
		}
	}
	require.Greater(t, taken, 30)
}
