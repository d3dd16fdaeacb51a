package pair

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

var canonical = web.MustParseURL("https://www.new.example/").Door()

func nothing(web.URL) (web.URL, bool, bool) { return web.URL{}, false, false }

// wanted reads pairs: "/old /new", "/old -" for gone.
func wantedOf(t testing.TB, lines ...string) []Wanted {
	t.Helper()
	var all []Wanted
	for i, line := range lines {
		old, to, _ := strings.Cut(line, " ")
		w := Wanted{Old: web.MustParseURL("https://www.old.example" + old), Weight: 1, Line: i + 2}
		if to != "-" {
			w.New = canonical.URL(to, "")
			if path, query, asks := strings.Cut(to, "?"); asks {
				w.New = canonical.URL(path, query)
			}
		}
		all = append(all, w)
	}
	return all
}

func rowsOf(t *Table) []string {
	var all []string
	for _, m := range t.Rules {
		all = append(all, strings.TrimSpace(m.Row.Old+" "+m.Row.New+" "+m.Row.Status))
	}
	return all
}

// leadsAll checks by looking each pair up that the table leads it where it was decided.
func leadsAll(t testing.TB, made *Table, all []Wanted) {
	t.Helper()
	var rules []*rule.Rule
	for _, m := range made.Rules {
		rules = append(rules, m.Rule)
	}
	table := rule.Compile(rules, rule.Scope{})
	require.Empty(t, table.Ties())
	skip := map[int]bool{}
	for _, some := range [][]int{made.Overruled, made.Twice, made.Unsaid} {
		for _, i := range some {
			skip[i] = true
		}
	}
	for i, w := range all {
		if skip[i] {
			continue
		}
		m, ok := table.Lookup(w.Old)
		require.True(t, ok, "%s", w.Old)
		if w.New.IsZero() {
			require.Equal(t, rule.Gone, m.Rule.Status, "%s", w.Old)
			continue
		}
		require.Equal(t, w.New.String(), m.Location(canonical), "%s by %s", w.Old, m.Rule.Old)
	}
}

func TestRulesOfPairs(t *testing.T) {
	for name, c := range map[string]struct{ pairs, want []string }{
		"a folder that moved": {
			[]string{"/news/a.html /stories/a/", "/news/b.html /stories/b/", "/news/c.html /stories/c/"},
			[]string{"old.example/news/{page}.html /stories/{page}/"},
		},
		"one that deviates": {
			[]string{"/news/a.html /stories/a/", "/news/b.html /stories/b/", "/news/c.html /visit/"},
			[]string{"old.example/news/{page}.html /stories/{page}/", "old.example/news/c.html /visit/"},
		},
		"a date that was dropped": {
			[]string{"/2019/03/lace /stories/lace/", "/2020/11/slate /stories/slate/",
				"/2021/01/boats /stories/boats/"},
			[]string{"old.example/{n:digits}/{m:digits}/{page} /stories/{page}/"},
		},
		"an id that was dropped": {
			[]string{"/a/4711-red-kettle.php /shop/red-kettle", "/a/12-blue-pot.php /shop/blue-pot",
				"/a/99-pan.php /shop/pan"},
			[]string{"old.example/a/{n:digits}-{page}.php /shop/{page}"},
		},
		"an id that was kept alone": {
			[]string{"/a/item-4711.php /object/4711/", "/a/item-12.php /object/12/"},
			[]string{"old.example/a/item-{n:digits}.php /object/{n}/"},
		},
		"all of a folder to one page, and gone": {
			[]string{"/s/a /learn/", "/s/b/c /learn/", "/s/d /learn/", "/g/x -", "/g/y/z -", "/g/w -"},
			[]string{"old.example/g/{+rest}  410", "old.example/s/{+rest} /learn/"},
		},
		"parameters": {
			[]string{"/index.php?page=about /about/", "/index.php?page=team /team/",
				"/index.php?page=x&id=3 /x/3/", "/index.php?page=y&id=4 /y/4/", "/index.php?page=q /z/"},
			[]string{"old.example/index.php?page={page} /{page}/", "old.example/index.php?page=q /z/",
				"old.example/index.php?page=x&id=3 /x/3/", "old.example/index.php?page=y&id=4 /y/4/"},
		},
		"nothing in common": {
			[]string{"/a.html /x/", "/b.html /y/"},
			[]string{"old.example/a.html /x/", "old.example/b.html /y/"},
		},
	} {
		all := wantedOf(t, c.pairs...)
		made, err := Rules(context.Background(), all, nil, Base{Leads: nothing, Canonical: canonical})
		require.NoError(t, err)
		leadsAll(t, made, all)
		assert.ElementsMatch(t, c.want, rowsOf(made), name)
	}
}

// TestNoPatternTakesFromARuleMadeByHand: whatever a rule made by hand takes it takes still, and
// nothing ties with it.
func TestNoPatternTakesFromARuleMadeByHand(t *testing.T) {
	all := wantedOf(t, "/news/a.html /stories/a/", "/news/b.html /stories/b/",
		"/news/c.html /stories/c/", "/old/d.html /stories/d/", "/old/e.html /stories/e/")
	urls := []string{"/news/print.html", "/news/p.html", "/news/x-p.html", "/old/p.html", "/n/p.html",
		"/news/print/", "/x/y.html"}
	for _, old := range []string{"old.example/{x}/print.html", "old.example/{x}/p.html",
		"www.old.example/n{x}/{y}.html", "old.example/{+r}p.html", "old.example/news/print.html",
		"old.example/news/{x}-p.html", "old.example/ol{x}/{y}.html", "two.example/{x}/print.html"} {
		hand, faults := rule.Parse([]rule.Row{{Line: 1, Old: old, New: "/hand/"}}, rule.Scope{})
		require.Empty(t, faults)
		alone := rule.Compile(hand, rule.Scope{})
		made, err := Rules(context.Background(), all, nil, Base{Canonical: canonical, Hand: hand,
			Leads: func(u web.URL) (web.URL, bool, bool) {
				_, taken := alone.Lookup(u)
				return web.URL{}, false, taken
			}})
		require.NoError(t, err)
		rules := hand
		for i, m := range made.Rules {
			m.Rule.Line = i + 2
			rules = append(rules, m.Rule)
		}
		together := rule.Compile(rules, rule.Scope{})
		require.Empty(t, together.Ties(), old)
		for _, path := range urls {
			for _, host := range []string{"http://old.example", "https://www.old.example"} {
				u := web.MustParseURL(host + path)
				if _, taken := alone.Lookup(u); taken {
					m, _ := together.Lookup(u)
					assert.Equal(t, 1, m.Rule.Line, "%s by %s, beside %s", u, m.Rule.Old, old)
				}
			}
		}
	}
}

// TestRulesAreHardlyMoreThanThoseOfAKnownTable makes pairs of known tables.
func TestRulesAreHardlyMoreThanThoseOfAKnownTable(t *testing.T) {
	random := rand.New(rand.NewPCG(34, 3))
	most := 0.0
	for range 12 {
		known, all := knownTable(t, random, 1200)
		start := time.Now()
		made, err := Rules(context.Background(), all, nil, Base{Leads: nothing, Canonical: canonical})
		require.NoError(t, err)
		took := time.Since(start)
		leadsAll(t, made, all)
		if share := float64(len(made.Rules)) / float64(known); share > 1.2 {
			t.Logf(
				"%d rules of %d, %s\n%s",
				len(made.Rules),
				known,
				took,
				strings.Join(rowsOf(made), "\n"),
			)
		}
		most = max(most, float64(len(made.Rules))/float64(known))
	}
	assert.LessOrEqual(t, most, 1.2)
}

// knownTable makes a table of patterns and exceptions, and pairs that it leads.
func knownTable(t testing.TB, r *rand.Rand, n int) (rules int, all []Wanted) {
	var lines []string
	kinds := []string{
		"old.example/S/{x}.html|/T/{x}/", "old.example/S/{+x}|/T/{+x}",
		"old.example/S/{n:digits}-{x}|/T/{x}",
		"old.example/S/{a:digits}/{b:digits}/{x}|/T/{x}/", "old.example/S/{x}-{n:digits}.htm|/T/{x}",
		"old.example/S.php?id={n:digits}|/T/{n}/", "old.example/S.php?page={x}|/T/{x}",
		"old.example/S/{+x}|/T/", "old.example/S/item-{x}.aspx|/T/{x}",
		"old.example/S/{x}/index.php|/T/{x}/",
		"old.example/S/{y}/{x}/|/T/{y}-S/{x}", "old.example/S/{+x}|",
	}
	word := func() string {
		s := syllables[r.IntN(len(syllables))] + syllables[r.IntN(len(syllables))]
		if r.IntN(2) == 0 {
			s += "-" + nouns[r.IntN(len(nouns))]
		}
		return s
	}
	patterns := 4 + r.IntN(12)
	for k := range patterns {
		kind := kinds[r.IntN(len(kinds))]
		kind = strings.ReplaceAll(
			kind,
			"S",
			fmt.Sprintf("%s%d", sectionsOf[r.IntN(len(sectionsOf))], k),
		)
		lines = append(
			lines,
			strings.ReplaceAll(kind, "T", fmt.Sprintf("%s-%d", oneOf(r, nouns...), k)),
		)
	}
	var parsed []*rule.Rule
	for i, line := range lines {
		old, to, _ := strings.Cut(line, "|")
		row := rule.Row{Line: i, Old: old, New: to}
		if to == "" {
			row.Status = "410"
		}
		made, faults := rule.Parse([]rule.Row{row}, rule.Scope{})
		require.Empty(t, faults)
		parsed = append(parsed, made...)
	}
	table := rule.Compile(parsed, rule.Scope{})
	used := map[string]bool{}
	counts := map[int]int{}
	for len(all) < n {
		k := r.IntN(len(lines))
		old, _, _ := strings.Cut(lines[k], "|")
		for strings.Contains(old, "{") {
			begin, end := strings.IndexByte(old, '{'), strings.IndexByte(old, '}')
			value := word()
			switch name := old[begin : end+1]; {
			case strings.Contains(name, "digits"):
				value = fmt.Sprint(1 + r.IntN(9000))
			case strings.HasPrefix(name, "{+"):
				for range r.IntN(3) {
					value += "/" + word()
				}
			}
			old = old[:begin] + value + old[end+1:]
		}
		u := web.MustParseURL("https://www." + old)
		if used[u.Key()] {
			continue
		}
		used[u.Key()] = true
		m, ok := table.Lookup(u)
		require.True(t, ok)
		w := Wanted{Old: u, Weight: 1}
		if m.Rule.Status != rule.Gone {
			w.New = web.MustParseURL(m.Location(canonical))
		}
		if r.IntN(200) == 0 { // an exception
			w.New = canonical.URL("/"+word()+"-"+word()+"/", "")
			rules++
		}
		counts[m.Place]++
		all = append(all, w)
	}
	return rules + len(counts), all
}

// TestManyPairs measures rules of many pairs, with MANY and a number.
func TestManyPairs(t *testing.T) {
	var n int
	if _, err := fmt.Sscan(os.Getenv("MANY"), &n); err != nil {
		t.Skip("measures rules of many pairs, with MANY and a number")
	}
	known, all := knownTable(t, rand.New(rand.NewPCG(1, 2)), n)
	start := time.Now()
	made, err := Rules(context.Background(), all, nil, Base{Leads: nothing, Canonical: canonical})
	fmt.Println(len(all), known, len(made.Rules), time.Since(start), err)
}
