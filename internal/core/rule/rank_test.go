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

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

func TestRanksDecideWhereTwoRulesTie(t *testing.T) {
	tab := table(
		t,
		"old.example/a?x=1,/1,,,2",
		"old.example/a?y=2,/2,,,1",
		"old.example/a?z=3,/3",
		"old.example/a?w={n:digits},/4,,,-5",
		"old.example/a?w={v},/5,,,-9",
		"old.example/{p}/x/,/6,,,1",
		"old.example/x/{p}/,/7,,,1",
		"old.example/{p}/y/,/8,,, 0 ",
		"old.example/y/{p}/,/9,,,2",
	)
	for u, want := range map[string]string{
		"http://old.example/a?x=1&y=2&w=7": "3 https://www.northmoor.example/2?x=1&w=7",
		"http://old.example/a?x=1&w=7":     "2 https://www.northmoor.example/1?w=7",
		"http://old.example/a?w=7":         "5 https://www.northmoor.example/4",
		"http://old.example/a?w=seven":     "6 https://www.northmoor.example/5",
		"http://old.example/y/y/":          "9 https://www.northmoor.example/8",
	} {
		assert.Equal(t, want, found(tab, u), u)
	}
	var got []string
	for _, tie := range tab.Ties() {
		got = append(got, fmt.Sprintf("%d %d %s", tie.First.Line, tie.Second.Line, tie.Witness))
	}
	assert.Equal(t, []string{"2 4 https://old.example/a?x=1&z=3", "3 4 https://old.example/a?y=2&z=3",
		"7 8 https://old.example/x/x/"}, got, "one without a rank ties, and so do equal ranks")
	all := tab.Candidates(web.MustParseURL("http://old.example/a?x=1&y=2&w=7"))
	require.Len(t, all, 4)
	assert.Equal(t, fact.WinsRank{Rank: 1, Other: 2}, Why(all[0], all[1]))
	assert.Equal(t, fact.WinsLiterals{}, Why(all[0], all[2]))
	assert.Equal(t, fact.WinsNumbers{}, Why(all[2], all[3]))
	_, faults := Parse([]Row{{Line: 2, Old: "old.example/a", New: "/", Rank: "1.5"},
		{Line: 3, Old: "old.example/a", New: "/", Rank: "first"},
		{Line: 4, Old: "old.example/a", New: "/", Rank: "99999999999"}}, scope)
	require.Len(t, faults, 3)
	for _, f := range faults {
		assert.Equal(t, "rank", f.Field)
		assert.Equal(t, fact.RankWord{}, f.Fault)
	}
}

// plainly reads from the text of a rule how specific it is, as its documentation says it.
func plainly(r *Rule) []int {
	path, query, asks := strings.Cut(r.Old.String(), "?")
	path = strings.TrimPrefix(strings.TrimPrefix(path, "http://"), "https://")
	path = path[strings.IndexByte(path, '/'):]
	text := regexp.MustCompile(`\{[^}]*\}`).ReplaceAllString(path, "")
	text = regexp.MustCompile(`%..`).ReplaceAllString(text, "%")
	is := []int{0, len(text), -strings.Count(path, "{+"), strings.Count(path, ":digits}"), 0, 0, 0}
	if !strings.Contains(path, "{") {
		is[0] = 1
	}
	for _, c := range strings.Split(query, "&") {
		switch {
		case !asks:
		case !strings.Contains(c, "{"):
			is[4]++
		case strings.Count(c, "{") == strings.Count(c, ":digits}"):
			is[5]++
		default:
			is[6]++
		}
	}
	return append(is, strings.Count(r.Old.String(), "://"))
}

// own is 1 for a rule that names the host of a URL itself.
func own(r *Rule, u web.URL) int {
	if r.Old.Host == u.Host() {
		return 1
	}
	return 0
}

// TestTheMostSpecificRuleByAPlainReading lets a reader of texts say which rules may win.
func TestTheMostSpecificRuleByAPlainReading(t *testing.T) {
	random := rand.New(rand.NewPCG(34, 1))
	byRank, byQuery := 0, 0
	for range 200 / slower {
		lines := ranked(random, asksMuch(random, 60+random.IntN(200)))
		tab := table(t, lines...)
		for range 100 {
			u := web.MustParseURL([]string{"http", "https"}[random.IntN(2)] + "://" +
				[]string{"", "www."}[random.IntN(2)] + "old.example" +
				[]string{"/index.php", "/7", "/a/b/x/c", "/ax21", "/s-1/2.html"}[random.IntN(5)] + "?id=" +
				fmt.Sprint(random.IntN(14)) + "&page=" + fmt.Sprint(random.IntN(14)) + "&lang=1")
			all := tab.Candidates(u)
			m, ok := tab.Lookup(u)
			require.Equal(t, len(all) > 0, ok)
			for _, other := range all {
				if other.Rule == m.Rule {
					continue
				}
				x := append(plainly(m.Rule), own(m.Rule, u))
				y := append(plainly(other.Rule), own(other.Rule, u))
				c := slices.Compare(x, y)
				require.GreaterOrEqual(t, c, 0, "%s: %s, %s", u, m.Rule.Old, other.Rule.Old)
				if c == 0 && m.Rule.Ranked && other.Rule.Ranked {
					require.LessOrEqual(t, m.Rule.Rank, other.Rule.Rank, "%s", u)
					byRank++
				}
				if c > 0 && slices.Equal(x[:4], y[:4]) {
					byQuery++
				}
			}
		}
	}
	assert.Greater(t, byRank, 100/slower)
	assert.Greater(t, byQuery, 2000/slower)
}

// ranked gives some lines a rank.
func ranked(random *rand.Rand, lines []string) []string {
	for i := range lines {
		if random.IntN(3) == 0 {
			lines[i] += fmt.Sprintf(",,,%d", random.IntN(4))
		}
	}
	return lines
}
