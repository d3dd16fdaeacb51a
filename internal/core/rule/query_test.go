package rule

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

// asksMuch makes lines that ask for parameters, many of one path.
func asksMuch(random *rand.Rand, n int) []string {
	paths := []string{
		"/index.php", "/INDEX.php", "/{x}.php", "/a/{+r}", "/{d:digits}", "/s-{x}/{+r}.html",
		"/a/b/{x}/c", "/a/b/{x}/d",
		"/a{x}1", "/a{x}21",
	}
	value := func() string {
		return []string{
			"=" + fmt.Sprint(random.IntN(12)), "=" + fmt.Sprint(random.IntN(12)), "", "={v%d}",
			"={v%d:digits}", "={+v%d}", "=1{v%d}",
		}[random.IntN(7)]
	}
	var lines []string
	for i := range n {
		var query []string
		for k, key := range []string{"id", "page", "lang"} {
			if random.IntN(5) < 3-k {
				v := value()
				if strings.Contains(v, "%d") {
					v = fmt.Sprintf(v, k)
				}
				query = append(query, key+v)
			}
		}
		old := []string{"", "", "http://"}[random.IntN(3)] + []string{"", "", "www."}[random.IntN(3)] +
			"old.example" + paths[random.IntN(len(paths))]
		if len(query) > 0 {
			old += "?" + strings.Join(query, "&")
		}
		lines = append(lines, fmt.Sprintf("%s,/%d", old, i))
	}
	return lines
}

// TestManyRulesOfOnePathAreFoundAsByTryingEach compares look-ups by the query with trying every
// rule.
func TestManyRulesOfOnePathAreFoundAsByTryingEach(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	for round := range 40 {
		tab := modes(t, Mode{IgnoreCase: round%2 == 1}, asksMuch(random, 10+random.IntN(200))...)
		for range 300 {
			u := []string{"http://", "https://"}[random.IntN(2)] + []string{"", "www."}[random.IntN(2)] +
				"old.example" +
				[]string{"/index.php", "/i.php", "/a/b", "/7", "/s-x/y.html", "/a/b/x/c",
					"/index%2Ephp"}[random.IntN(7)]
			sign := "?"
			for range random.IntN(5) * random.IntN(6) { // some of them long
				u += sign + []string{"id", "page", "lang", "i%64", "x", ""}[random.IntN(6)] +
					[]string{"", "=", "=1x", "=%31", fmt.Sprint("=", random.IntN(12))}[random.IntN(5)]
				sign = "&"
			}
			all := tab.Candidates(web.MustParseURL(u))
			m, ok := tab.Find(u)
			require.Equal(t, len(all) > 0, ok, u)
			if ok {
				i := slices.IndexFunc(all, func(e Entry) bool { return e.Rule == m.Rule })
				require.GreaterOrEqual(t, i, 0, "%s: %s does not take it", u, m.Rule.Old)
				require.Zero(t, Compare(all[0], all[i]), "%s: %s instead of %s", u, m.Rule.Old, all[0].Rule.Old)
			}
		}
	}
}

// TestExactRulesThatAQueryMayAskFor compares what is left out with what certainly takes nothing.
func TestExactRulesThatAQueryMayAskFor(t *testing.T) {
	random := rand.New(rand.NewPCG(15, 6))
	door := web.Door{Scheme: web.HTTPS, Host: web.MustParseHost("old.example")}
	for range 40 {
		tab := modes(t, Mode{}, asksMuch(random, 900)...)
		all := tab.ExactAt(door, "/index.php")
		for _, query := range []string{"", "id=3", "id=3&page=2", "lang", "page=1x&lang=7", "id=&page="} {
			asks, faults := Parse([]Row{{Old: "old.example/index.php?" + query, New: "/"}}, scope)
			if query == "" {
				asks, faults = Parse([]Row{{Old: "old.example/index.php", New: "/"}}, scope)
			}
			require.Empty(t, faults)
			may := tab.ExactAsking(door, "/index.php", asks[0].Old.Query)
			var want []Entry
			for _, e := range all {
				if conditionsHold(e.Rule.Old.Query, query) {
					want = append(want, e)
				}
			}
			assert.Subset(t, may, want)
			assert.True(t, slices.IsSortedFunc(may, Compare))
			assert.Less(t, len(may), len(all))
		}
	}
}

// TestTiesEqualComparingAllPairs compares what is parted first with comparing each rule with each.
func TestTiesEqualComparingAllPairs(t *testing.T) {
	random := rand.New(rand.NewPCG(25, 6))
	found := 0
	for round := range 150 {
		mode := Mode{IgnoreCase: round%2 == 1, EitherSlash: round%3 == 1}
		tab := modes(t, mode, ranked(random, asksMuch(random, 5+random.IntN(120)))...)
		got := map[*Rule][]*Rule{}
		for _, tie := range tab.Ties() {
			got[tie.Second] = append(got[tie.Second], tie.First)
		}
		again := tab.repeated()
		rules := tab.Rules()
		for i, b := range rules {
			var want []*Rule
			for _, a := range rules[:i] {
				x, exactX := a.Old.Exact()
				y, exactY := b.Old.Exact()
				apart := exactX != exactY || exactX && mode.path(x) != mode.path(y)
				if again[a] != nil || again[b] != nil || apart || a.Old.Host != b.Old.Host ||
					a.Old.Scheme != b.Old.Scheme ||
					specificity(Entry{Rule: a}) != specificity(Entry{Rule: b}) ||
					a.Ranked && b.Ranked && a.Rank != b.Rank {
					continue
				}
				if _, meet := tab.meet(a, b); meet {
					want = append(want, a)
				}
			}
			require.Len(t, got[b], min(mostTies, len(want)), "%s", b.Old)
			require.Subset(t, want, got[b])
			found += len(want)
		}
	}
	assert.Greater(t, found, 1000)
}

// FuzzRulesOfOnePath compares look-ups by the query with trying every rule, and ties with comparing
// all pairs.
func FuzzRulesOfOnePath(f *testing.F) {
	f.Add("id=1|id=2|id={n}|page=a&id=1||lang|x=1{y}", "id=1&page=a&id=2")
	f.Add("a={+r}|a=|a=%41|a=A|b=1&a=1", "%61=A")
	f.Fuzz(func(t *testing.T, asks, query string) {
		var all []string
		for i, q := range strings.Split(asks, "|") {
			if strings.ContainsAny(q, ",\n\r\"") || i > 60 {
				return
			}
			line := "old.example/p"
			if q != "" {
				line += "?" + q
			}
			all = append(all, line+",/to")
		}
		rules, faults := Parse(rows(all), scope)
		if len(faults) > 0 {
			return
		}
		u, err := web.ParseURL("http://old.example/p?" + query)
		if err != nil {
			return
		}
		tab := Compile(rules, scope)
		want := tab.Candidates(u)
		m, ok := tab.Lookup(u)
		require.Equal(t, len(want) > 0, ok)
		if ok {
			require.Zero(t, Compare(want[0], Entry{Rule: m.Rule}))
			require.True(t, conditionsHold(m.Rule.Old.Query, u.Query()))
		}
		for _, tie := range tab.Ties() {
			require.True(t, conditionsHold(tie.First.Old.Query, tie.Witness.Query()), "%s", tie.Witness)
			require.True(t, conditionsHold(tie.Second.Old.Query, tie.Witness.Query()), "%s", tie.Witness)
		}
	})
}

// TestPlacesInHostsAndNames has faults of captures where only their column tells which one is
// meant.
func TestPlacesInHostsAndNames(t *testing.T) {
	_, faults := Parse([]Row{{Line: 2, Old: "old.example/{shop}", New: "https://{shop}/x"}}, Scope{})
	require.Len(t, faults, 1)
	assert.Equal(t, fact.NewHostOpen{}, faults[0].Fault)
	lines := strings.Split(fmt.Sprint(faults[0]), "\n")
	require.Len(t, lines, 3)
	assert.Equal(t, strings.Index(lines[1], "{shop}"), strings.Index(lines[2], "^"), lines)
	for name, fits := range map[string]bool{"a": true, "a1": true, "a-b_c": true, "A9": true,
		"1a": false,
		"a!": false, "a b": false, "-a": false, "": false, "a.": false, "a:": false, "a/": false} {
		assert.Equal(t, fits, isName(name), name)
	}
}

// TestConditionsThatBothHoldOfAnEmptyValue: a parameter without a value meets whatever may be
// empty.
func TestConditionsThatBothHoldOfAnEmptyValue(t *testing.T) {
	rest, text := []Part{{Name: "r", Rest: true}}, []Part{{Literal: "a"}}
	for name, c := range map[string]struct {
		a, b []Part
		want bool
	}{
		"both empty":         {nil, nil, true},
		"empty and anything": {nil, rest, true},
		"anything and empty": {rest, nil, true},
		"empty and a text":   {nil, text, false},
		"empty and more":     {nil, append(slices.Clone(text), rest...), false},
		"empty, one segment": {nil, []Part{{Name: "x"}}, false},
	} {
		_, meet := overlapValues(c.a, c.b)
		assert.Equal(t, c.want, meet, name)
	}
}

// TestARowThatHoldsSomethingHostileIsNoRule, whatever else it says.
func TestARowThatHoldsSomethingHostileIsNoRule(t *testing.T) {
	rules, faults := Parse([]Row{{Line: 2, Old: "old.example/a", New: "/b", Note: "x\u202ey"},
		{Line: 3, Old: "old.example/c", New: "/d"}}, Scope{})
	require.Len(t, faults, 1)
	assert.Equal(t, 2, faults[0].Line)
	for _, r := range rules {
		assert.Equal(t, 3, r.Line)
	}
}
