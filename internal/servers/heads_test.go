package servers

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// walk goes through branches as a server does, and gives the first pattern that takes a path, and
// how many it met.
func walk(b *branch, path string, takes func(*rule.Rule, string) bool) (first *rule.Rule, met int) {
	down := []*branch{}
	for b != nil {
		down = append(down, b)
		expression := fmt.Sprintf(`^(?:/[^/]*){%d}`, b.cut.segments)
		if b.cut.octets > 0 {
			expression = fmt.Sprintf(`^(?s).{%d}`, b.cut.octets)
		}
		b = b.below[strings.ToLower(regexp.MustCompile(expression).FindString(path))]
	}
	for _, b := range slices.Backward(down) {
		for _, e := range b.patterns {
			met++
			if takes(e.Rule, path) {
				return e.Rule, met
			}
		}
	}
	return nil, met
}

// TestBranchesFindWhatTryingAllFinds makes tables of patterns at random, and compares what their
// branches find with what trying one pattern after the other finds, for paths at random.
func TestBranchesFindWhatTryingAllFinds(t *testing.T) {
	const seed = 17
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 0))
	pick := func(from ...string) string { return from[random.IntN(len(from))] }
	found := 0
	for round := range 150 {
		var rules strings.Builder
		for range 5 + random.IntN(40) {
			path := ""
			for range 1 + random.IntN(3) {
				path += "/" +
					pick("a", "ab", "abc", "A", "b", "caf%C3%A9", "a-{x:digits}", "a{x}", "{x}", "ab{x}c", "")
			}
			for strings.Count(path, "{x") > 1 {
				path = strings.Replace(path, "{x", "{y", 1)
				path = strings.Replace(path, "{y", fmt.Sprintf("{z%d", strings.Count(path, "{z")), 1)
			}
			fmt.Fprintf(&rules, "old.example%s%s,/t\n", path, pick("", "", "/{+rest}", "/"))
		}
		mode := pick("{name: old.example}", "{name: old.example, ignore-case: yes}",
			"{name: old.example, slash: either}",
			"{name: old.example, slash: either, ignore-case: yes, index: [index.php]}")
		doors := load(t, txtar.Parse([]byte(`
-- upperpath.yaml --
canonical: https://www.n.example
carriers: {gateway: {by: server, addresses: [203.0.113.20]}}
domains: [`+mode+`]
rules: rules.csv
-- rules.csv --
old,new
`+rules.String())))
		d := doors[0]
		var patterns []rule.Entry
		for _, e := range held(d) {
			if _, exact := e.Rule.Old.Exact(); !exact {
				patterns = append(patterns, e)
			}
		}
		expressions := map[*rule.Rule][]*regexp.Regexp{}
		for _, e := range patterns {
			for _, v := range d.Paths.Variants(e.Rule.Old.Parts) {
				if len(v.Not) == 0 { // Go has no (?!
					text := "^" + variantRegexp(e.Rule, v.Parts, normalSpelling) + "$"
					// nor this, and no path here needs it
					text = strings.ReplaceAll(text, "(?<!%)(?<!%[0-9A-Fa-f])", "")
					if d.Paths.IgnoreCase {
						text = "(?i)" + text
					}
					expressions[e.Rule] = append(expressions[e.Rule], regexp.MustCompile(text))
				}
			}
		}
		takes := func(r *rule.Rule, path string) bool {
			return slices.ContainsFunc(expressions[r], func(e *regexp.Regexp) bool {
				return e.MatchString(path)
			})
		}
		tree := branchesOf(patterns, 1+random.IntN(4), func(r *rule.Rule) []head {
			return headsOf(r, d.Paths, false)
		})
		for range 200 {
			path := ""
			for range 1 + random.IntN(4) {
				path += "/" +
					pick("a", "ab", "abc", "A", "AB", "b", "caf%C3%A9", "a-12", "a-x", "abxc", "", "index.php")
			}
			var want *rule.Rule
			if i := slices.IndexFunc(patterns, func(e rule.Entry) bool { return takes(e.Rule, path) }); i >=
				0 {
				want = patterns[i].Rule
				found++
			}
			got, _ := walk(tree, path, takes)
			require.Same(t, want, got, "round %d, %s, %s\n%s", round, mode, path, rules.String())
		}
	}
	assert.Greater(t, found, 5000)
}

// TestAPathMeetsFewPatterns shows tables whose patterns differ in one place only, wherever it is.
func TestAPathMeetsFewPatterns(t *testing.T) {
	for _, form := range []string{"/section-%d/{x}", "/shop/cat-%d/{+rest}", "/de/shop/%d/x/{+rest}",
		"/p-%04d-{x}",
		"/a/%04d-{x}/b"} {
		var patterns []rule.Entry
		for i := range 1000 {
			begin, _, _ := strings.Cut(fmt.Sprintf(form, i), "{")
			old := rule.Pattern{Parts: []rule.Part{{Literal: begin}, {Name: "x"}}}
			patterns = append(patterns, rule.Entry{Rule: &rule.Rule{Old: old, Line: i}})
		}
		tree := branchesOf(patterns, 3, func(r *rule.Rule) []head {
			return headsOf(r, rule.Mode{}, false)
		})
		for i := range 1000 {
			path := strings.NewReplacer("{x}", "y", "{+rest}", "y/z").Replace(fmt.Sprintf(form, i))
			_, met := walk(tree, path, func(*rule.Rule, string) bool { return false })
			require.LessOrEqual(t, met, 4, path)
		}
	}
}

func TestHeadsOfVariants(t *testing.T) {
	parts := []rule.Part{{Literal: "/Caf%C3%A9/"}, {Name: "rest", Rest: true}}
	r := &rule.Rule{Old: rule.Pattern{Parts: parts}}
	assert.Equal(t, []head{{"/Café/", false}}, headsOf(r, rule.Mode{}, true))
	assert.Equal(t, []head{{"/Caf%C3%A9/", false}, {"/Caf%C3%A9", true}},
		headsOf(r, rule.Mode{EitherSlash: true}, false))
	key, fixed := cut{segments: 1}.keyOf(headsOf(r, rule.Mode{EitherSlash: true}, false))
	assert.True(t, fixed)
	assert.Equal(t, lowerASCII(web.NormalPath("/Caf%C3%A9")), key)
	_, fixed = cut{segments: 1}.keyOf([]head{{"/caf", false}})
	assert.False(t, fixed, "the segment may go on")
	_, fixed = cut{segments: 2}.keyOf([]head{{"/a/", true}, {"/a/index.php", true}})
	assert.False(t, fixed, "an index file is another second segment")
	_, fixed = cut{octets: 7}.keyOf([]head{{"/abcdefgh", false}, {"/abcde", true}})
	assert.False(t, fixed)
}
