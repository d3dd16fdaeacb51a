package servers

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/rule"
)

// TestPartsFindWhatTryingAllFinds parts patterns at random by how their paths begin: a path meets,
// in the tables of its longest beginning, the same pattern first as when all are tried.
func TestPartsFindWhatTryingAllFinds(t *testing.T) {
	random := rand.New(rand.NewPCG(11, 2))
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	found, several := 0, 0
	for round := range 150 {
		var rules strings.Builder
		for range 3 + random.IntN(20) {
			path := ""
			for i := range 1 + random.IntN(3) {
				path += "/" + pick("a", "ab", "abc", "b", "shop", "{x%d}", "a-{x%d}", "{x%d}-c")
				path = strings.ReplaceAll(path, "%d", fmt.Sprint(i))
			}
			fmt.Fprintf(&rules, "old.example%s%s,/t\n", path, pick("", "/{+rest}", "/"))
		}
		doors := load(t, txtar.Parse([]byte(`
-- upperpath.yaml --
canonical: https://www.n.example
carriers: {gateway: {by: server, addresses: [203.0.113.20]}}
domains: [old.example]
rules: rules.csv
-- rules.csv --
old,new
`+rules.String())))
		var patterns []rule.Entry
		takes := map[*rule.Rule]*regexp.Regexp{}
		for _, e := range held(doors[0]) {
			if _, exact := e.Rule.Old.Exact(); !exact {
				patterns = append(patterns, e)
				text := variantRegexp(e.Rule, e.Rule.Old.Parts, normalSpelling)
				takes[e.Rule] = regexp.MustCompile("^" +
					strings.ReplaceAll(text, "(?<!%)(?<!%[0-9A-Fa-f])", "") + "$")
			}
		}
		first := func(all []rule.Entry, path string) *rule.Rule {
			for _, e := range all {
				if takes[e.Rule].MatchString(path) {
					return e.Rule
				}
			}
			return nil
		}
		p := partsOf(patterns, 1+random.IntN(4), func(r *rule.Rule) string {
			return headsOf(r, doors[0].Paths, false)[0].text
		})
		if len(p.tables) > 1 {
			several++
		}
		for range 100 {
			path := ""
			for range 1 + random.IntN(4) {
				path += "/" + pick("a", "ab", "abc", "b", "shop", "a-1", "1-c", "", "x")
			}
			var got *rule.Rule
			if len(p.begins) == 0 {
				got = first(p.tables[0], path)
			} else {
				longest := beginning{}
				for _, b := range p.begins {
					if strings.HasPrefix(path, b.prefix) && len(b.prefix) > len(longest.prefix) {
						longest = b
					}
				}
				last := 0
				for i, n := range longest.tables { // tables are tried in their own order
					require.Greater(t, n, last, "round %d: table %d", round, i)
					if last = n; got == nil {
						got = first(p.tables[n-1], path)
					}
				}
			}
			want := first(patterns, path)
			require.Same(t, want, got, "round %d, %s\n%s", round, path, rules.String())
			if want != nil {
				found++
			}
		}
	}
	assert.Greater(t, found, 3000)
	assert.Greater(t, several, 100)
}

// TestCaddyAsksForTheFirstValueOfAParameter compares an expression that knows no "not this" with
// what the core reads, in queries at random.
func TestCaddyAsksForTheFirstValueOfAParameter(t *testing.T) {
	random := rand.New(rand.NewPCG(12, 2))
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	hits := 0
	for _, key := range []string{"id", "p", "page", "a%20b", "%C3%A9", "x%5B0%5D", "cat.id"} {
		e := regexp.MustCompile(
			`^(?:` + otherKey(key) + `&)*` + literalRegexp(key) + `(?:=([^&]*))?(?:&|$)`,
		)
		for range 20_000 {
			var all []string
			for range 1 + random.IntN(4) {
				k := pick(
					"id",
					"i%64",
					"%69d",
					"i",
					"idx",
					"Id",
					"p",
					"%70",
					"page",
					"pag%65",
					"pa",
					"",
					"a%20b",
					"a b"[:1]+"%20"+"b",
					"a+b",
					"%c3%a9",
					"%C3%A9",
					"%C3",
					"x[0]",
					"x%5b0%5D",
					"cat.id",
					"cat%2Eid",
					"cat%2eid",
					"catxid",
					"%",
					"%6",
					"x%5",
				)
				all = append(all, k+pick("", "=", "=1", "=id", "=%26"))
			}
			query := strings.Join(all, "&")
			want, there := rule.Parameter(query, key)
			m := e.FindStringSubmatch(query)
			require.Equal(t, there, m != nil, "%s in %s\n%s", key, query, e)
			if there {
				hits++
				require.Equal(t, want, m[1], "%s in %s", key, query)
			}
		}
	}
	assert.Greater(t, hits, 10_000)
}

// TestCaddyIsTrustedWithSomeHundredRules says beyond-carrier where there are more.
func TestCaddyIsTrustedWithSomeHundredRules(t *testing.T) {
	w, known := WriterOf("caddy")
	require.True(t, known)
	for n, findings := range map[int]int{mostCaddyRules: 0, mostCaddyRules + 1: 1} {
		var rules strings.Builder
		for i := range n {
			fmt.Fprintf(&rules, "old.example/a%d,/b%d\n", i, i)
		}
		doors := load(t, txtar.Parse([]byte(`
-- upperpath.yaml --
canonical: https://www.n.example
carriers: {gateway: {by: server, addresses: [203.0.113.20]}}
domains: [old.example]
rules: rules.csv
-- rules.csv --
old,new
`+rules.String())))
		out, err := w.Write(doors, Options{})
		require.NoError(t, err)
		require.Len(t, out.Findings, findings)
		if findings > 0 {
			assert.Contains(t, out.Findings[0].Says.String(), "301 rules of old.example")
		}
	}
}
