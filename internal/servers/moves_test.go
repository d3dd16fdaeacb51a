package servers

import (
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/rule"
)

// TestEveryNumberOfSignsIsExchanged plays the rounds with expressions of another engine.
func TestEveryNumberOfSignsIsExchanged(t *testing.T) {
	for into, all := range exchanges {
		for _, x := range all {
			for n := range x.most() + 2 {
				text := strings.Repeat("a"+x.sign, n) + "z"
				for _, round := range x.rounds {
					is := regexp.MustCompile(x.splits(round, func(int) string { return "(" }))
					then := x.joins(round, x.instead, func(i int) string { return fmt.Sprintf("${%d}", i+1) })
					text = is.ReplaceAllString(text, then)
				}
				left := strings.Count(text, x.sign)
				assert.Equal(t, max(0, n-x.most()), left, "%s: %d of %s: %s", into, n, x.sign, text)
				assert.Equal(t, n-left, strings.Count(text, x.instead))
			}
		}
	}
}

// TestWhatIsLeftToTheOthersIsSaid: more than there are rounds for.
func TestWhatIsLeftToTheOthersIsSaid(t *testing.T) {
	for line, want := range map[string]string{
		"/p?q={q}|/{q}/": "{q} moves from the query into the path; a query with more than 39 + or 7 ? " +
			`or 7 \ is left to other rules, such as one with `,
		"/p/{x}/{n:digits}|/?id={n}&x={x}": "{x} moves from the path into the query; a path with more " +
			"than 7 & or 7 = or 39 + is left to other rules, such as one with a&a&a&a&a&a&a&a&a",
		"/p/{n:digits}|/?id={n}":   "",
		"/p/{x}?a={y}|/{x}/?b={y}": "",
	} {
		old, to, _ := strings.Cut(line, "|")
		row := rule.Row{Line: 2, Old: "old.example" + old, New: to}
		rules, faults := rule.Parse([]rule.Row{row}, rule.Scope{})
		require.Empty(t, faults)
		note := movesNote(rules[0])
		assert.True(t, strings.HasPrefix(note, want) && (want != "" || note == ""), note)
	}
}
