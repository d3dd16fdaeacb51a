package rule

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/web"
)

var canonical = web.MustParseURL("https://www.northmoor.example").Door()

var scope = Scope{
	Holds: func(h web.Host) bool {
		apex, _ := h.Apex()
		return strings.HasPrefix(apex.String(), "old") || apex.String() == "northmoor.example"
	},
	Serves: func(h web.Host) bool { return h.String() == "www.northmoor.example" },
	Known:  []string{"old.example", "www.old.example"},
}

func table(t *testing.T, lines ...string) *Table {
	t.Helper()
	rules, faults := Parse(rows(lines), scope)
	require.Empty(t, faults)
	return Compile(rules, scope)
}

func rows(lines []string) []Row {
	var rows []Row
	for i, l := range lines {
		f := append(strings.Split(l, ","), "", "", "", "")
		rows = append(rows,
			Row{Line: i + 2, Old: f[0], New: f[1], Status: f[2], Query: f[3], Rank: f[4]})
	}
	return rows
}

func TestLookupAndLocation(t *testing.T) {
	tab := table(t,
		"old.example/opening.html,/visit/",
		"old.example/archive/{+rest},/collections/{+rest}",
		"old.example/archive/{year}/index.html,/collections/year-{year}/",
		"old.example/item-{id:digits}.html,/objects/{id}/",
		"old.example/item-{name}.html,/objects/by-name/{name}",
		"old.example/search,/find?all=yes",
		"old.example/plain,/plain,302,drop",
		"old.example/away,https://partner.example/x#top",
		"old.example/gone.html,,410",
		"old.example/caf%c3%a9/{+r},/cafe/{+r}",
		"https://old.example/secure,/s",
		"old.example/{a}-{b}/x,/two/{b}/{a}",
	)
	for in, want := range map[string]string{
		"http://old.example/opening.html":            "2 https://www.northmoor.example/visit/",
		"https://www.old.example/opening.html?x=1&y": "2 https://www.northmoor.example/visit/?x=1&y",
		"http://old.example/%6fpening.html":          "2 https://www.northmoor.example/visit/",
		"http://old.example/archive/":                "3 https://www.northmoor.example/collections/",
		"http://old.example/archive/a//b%2fc": "3 https://www.northmoor.example/collections/" +
			"a//b%2fc",
		"http://old.example/archive": "",
		"http://old.example/archive/1998/index.html": "4 https://www.northmoor.example/collections/" +
			"year-1998/",
		"http://old.example/archive/19%2f98/index.html": "4 https://www.northmoor.example/collections/" +
			"year-19%2f98/",
		"http://old.example/archive/1998/x/index.html": "3 https://www.northmoor.example/collections/" +
			"1998/x/index.html",
		"http://old.example/item-12.html": "5 https://www.northmoor.example/objects/12/",
		"http://old.example/item-12a.html": "6 https://www.northmoor.example/objects/" +
			"by-name/12a",
		"http://old.example/search?q=lace&all=no&p=2": "7 https://www.northmoor.example/" +
			"find?all=yes&q=lace&p=2",
		"http://old.example/plain?x=1":   "8 https://www.northmoor.example/plain",
		"http://old.example/away?x=1":    "9 https://partner.example/x?x=1#top",
		"http://old.example/gone.html?x": "10 ",
		"http://old.example/café/%0d%0aSet-Cookie:x": "11 https://www.northmoor.example/cafe/" +
			"%0d%0aSet-Cookie:x",
		"http://old.example/secure":         "",
		"https://old.example/secure":        "12 https://www.northmoor.example/s",
		"http://old.example/a-b-c/x":        "13 https://www.northmoor.example/two/b-c/a",
		"http://old.example/Opening.html":   "",
		"http://other.example/opening.html": "",
	} {
		m, ok := tab.Lookup(web.MustParseURL(in))
		got := ""
		if ok {
			got = fmt.Sprintf("%d %s", m.Rule.Line, m.Location(canonical))
		}
		assert.Equal(t, want, got, in)
	}
}

func TestMostSpecificRuleWins(t *testing.T) {
	better := [][2]string{
		{"old.example/abc,/1", "old.example/abc{+r},/2"},              // exact before pattern
		{"old.example/abc/{+r},/1", "old.example/a{x}/{y},/2"},        // more literal octets
		{"old.example/ab/{x},/1", "old.example/ab/{+x},/2"},           // fewer {+}
		{"old.example/ab/{x:digits},/1", "old.example/ab/{x},/2"},     // more digits
		{"http://old.example/abc/{+x},/1", "old.example/abc/{+x},/2"}, // scheme named
		{"www.old.example/abc/{+x},/1", "old.example/abc/{+x},/2"},    // host named itself
	}
	u := map[string]string{"old.example/abc,/1": "http://www.old.example/abc"}
	for _, pair := range better {
		at := u[pair[0]]
		if at == "" {
			at = strings.NewReplacer("old.example/ab/{x},/1", "http://www.old.example/ab/7",
				"old.example/ab/{x:digits},/1",
				"http://www.old.example/ab/7").
				Replace(pair[0])
			if !strings.HasPrefix(at, "http://www") {
				at = "http://www.old.example/abc/7"
			}
		}
		for _, order := range [][]string{{pair[0], pair[1]}, {pair[1], pair[0]}} {
			m, ok := table(t, order...).Lookup(web.MustParseURL(at))
			require.True(t, ok, at)
			assert.Equal(t, "/1", m.Rule.New.String(), "%v at %s", order, at)
		}
	}
}

func TestApexRuleHoldsForWWWUnlessTheSiteServesIt(t *testing.T) {
	tab := table(t, "northmoor.example/x,/y", "old.example/x,/y", "shop.old.example/x,/z")
	_, ok := tab.Lookup(web.MustParseURL("https://www.northmoor.example/x"))
	assert.False(t, ok)
	_, ok = tab.Lookup(web.MustParseURL("https://www.old.example/x"))
	assert.True(t, ok)
	_, ok = tab.Lookup(web.MustParseURL("https://www.shop.old.example/x"))
	assert.False(t, ok)
	assert.Len(t, tab.On(web.Door{Scheme: web.HTTP, Host: web.MustParseHost("www.old.example")}), 1)
}

func TestParseSaysWhatIsWrongAndWhere(t *testing.T) {
	for line, want := range map[string][]string{
		"old.example/a/*,/b": {"bare *", "{+rest}",
			"\n    old.example/a/*\n                  ^"},
		"old.example/*/a,/b":                 {"write {name}"},
		"old.example/{a}{b},/b":              {"next to each other"},
		"old.example/{+a}/b/{c},/b":          {"is not at the end"},
		"old.example/{a}/{a},/b":             {"the same name"},
		"old.example/{a,/b":                  {"not closed"},
		"old.example/a},/b":                  {"not opened"},
		"old.example/{1a},/b":                {"not a valid name for a capture"},
		"old.example/{a:hex},/b":             {"not a kind of capture"},
		"{h}.old.example/a,/b":               {"host of old"},
		"old.example:80/a,/b":                {"port"},
		"olt.example/a,/b":                   {"did you mean old.example"},
		"/a,/b":                              {"names no host"},
		"old.example/a#b,/b":                 {"fragment"},
		"old.example/a?=c,/b":                {"names no parameter"},
		"old.example/a?b=1&b=2,/b":           {"appears twice"},
		"old.example/a?{b}=1,/b":             {"stand in a parameter's name"},
		"old.example/{x}?b={x},/b":           {"the same name"},
		"old.example/a?b={+x}y,/b":           {"is not at the end"},
		"old.example/a/../b,/b":              {"dot segments", "write /b"},
		"ftp://old.example/a,/b":             {"neither http nor https"},
		"old.example/a,b":                    {"put / before a path"},
		"old.example/a,/b/{x}":               {"has no capture {x}"},
		"old.example/{+x},/b/{x}":            {"write {+x}"},
		"old.example/a,https://{x}.example/": {"has no capture {x}"},
		"old.example/{x},https://{x}/":       {"not followed by a domain"},
		"old.example/{x},https://a.{x}/":     {"not followed by a domain"},
		"old.example/{x},/b?y={z}":           {"has no capture {z}"},
		"old.example/{x},/b#{x}":             {"fragment"},
		"old.example/a,/b,300":               {"301, 302, 307, 308 or 410"},
		"old.example/a,/b,,perhaps":          {"keep or drop"},
		"old.example/a,":                     {"leads nowhere"},
		"old.example/a,/b,410":               {"gone"},
		",/b":                                {"old is empty"},
	} {
		rules, faults := Parse(rows([]string{line}), scope)
		require.NotEmpty(t, faults, line)
		assert.Empty(t, rules, line)
		assert.Equal(t, 2, faults[0].Line)
		for _, w := range want {
			assert.Contains(t, strings.ToLower(faults.Error()), strings.ToLower(w), line)
		}
	}
}

func TestTiesShowAURLThatBothTake(t *testing.T) {
	tab := table(t,
		"old.example/a/{x},/1",
		"old.example/{y}/b,/2",
		"old.example/c,/3",
		"old.example/c,/4",
		"old.example/c,/3",
		"old.example/d/{x:digits},/5",
		"old.example/e/{x:digits},/6",
	)
	ties := tab.Ties()
	require.Len(t, ties, 2, "the last line says what the third says, which stands for both")
	assert.Equal(t, "https://old.example/a/b", ties[0].Witness.String())
	assert.Equal(t, []int{2, 3}, []int{ties[0].First.Line, ties[0].Second.Line})
	assert.Equal(t, "https://old.example/c", ties[1].Witness.String())
	dups := tab.Duplicates()
	require.Len(t, dups, 1)
	assert.Equal(t, 6, dups[0][1].Line)
}

func TestOverlapEqualsTryingAllPaths(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	pieces := []string{"a", "/", "0", "{x}", "{y:digits}"}
	var texts []string
	var grow func(string, int)
	grow = func(s string, n int) {
		texts = append(texts, s)
		if n > 0 {
			for _, c := range []string{"a", "/", "0", "b"} {
				grow(s+c, n-1)
			}
		}
	}
	grow("/", 5)
	pattern := func() []Part {
		for {
			s := "old.example/"
			for range random.IntN(4) {
				s += pieces[random.IntN(len(pieces))]
			}
			if random.IntN(2) == 0 {
				s += "{+r}" + []string{"", "a", "/", "/b", "0b"}[random.IntN(5)]
			}
			if rs, faults := Parse([]Row{{Old: s, New: "/"}}, scope); len(faults) == 0 {
				return rs[0].Old.Parts
			}
		}
	}
	for range 400 {
		a, b := pattern(), pattern()
		want := ""
		for _, text := range texts {
			if takesAll(a, text) && takesAll(b, text) && (want == "" || len(text) < len(want)) {
				want = text
			}
		}
		got, ok := Overlap(a, b)
		label := partsText(a) + " and " + partsText(b)
		if want == "" {
			assert.True(t, !ok || len(got) > 6, "%s: %q", label, got)
			continue
		}
		require.True(t, ok, label)
		assert.Len(t, got, len(want), "%s: the witness %q is a shortest one", label, got)
		assert.True(t, takesAll(a, got) && takesAll(b, got), "%s: both take the witness %q", label, got)
	}
}

func TestExampleIsWonByItsRule(t *testing.T) {
	tab := table(
		t,
		"old.example/a/{x}/{n:digits},/1",
		"old.example/a/{+x},/2",
		"http://old.example/a/example/x,/3",
		"http://old.example/a/{+y},/4",
	)
	for _, r := range tab.Rules() {
		u, ok := tab.Example(r)
		require.True(t, ok, r.Old.String())
		m, _ := tab.Lookup(u)
		assert.Equal(t, r.Line, m.Rule.Line, u.String())
	}
}

func TestManyCapturesDoNotTakeForever(t *testing.T) {
	tab := table(t, "old.example/"+"{a}-{b}-{c}-{d}-{e}-{f}-{g}-{h}/end,/x")
	_, ok := tab.Lookup(web.MustParseURL("http://old.example/" + strings.Repeat("x-", 2000)))
	assert.False(t, ok)
}

func FuzzParse(f *testing.F) {
	f.Add("old.example/a/{x}/{+r}", "/b/{x}/{+r}", "http://old.example/a/1/2")
	f.Add("old.example/*", "/b", "http://old.example/a")
	f.Add("old.example/%zz{a:digits}", "https://x.example/{a}#f", "http://old.example/%25zz1")
	f.Fuzz(func(t *testing.T, old, target, url string) {
		rules, faults := Parse([]Row{{Line: 1, Old: old, New: target}}, scope)
		if len(faults) > 0 {
			require.NotEmpty(t, faults.Error())
			return
		}
		again, faults := Parse([]Row{{Line: 1, Old: rules[0].Old.String(), New: target}}, scope)
		require.Empty(t, faults, "a pattern reads back: %s", rules[0].Old)
		require.Equal(t, rules[0].Old, again[0].Old)
		u, err := web.ParseURL(url)
		if err != nil {
			return
		}
		if m, ok := Compile(rules, scope).Lookup(u); ok {
			to, _, err := u.Resolve(m.Location(canonical))
			require.NoError(t, err)
			require.False(t, to.IsZero())
		}
	})
}
