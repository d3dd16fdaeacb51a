package servers

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/problem"
)

// FuzzQuoted writes values as words of both servers' configuration, and reads them again as those servers do: one word,
// and the same. test/peers hands such names to the servers themselves.
func FuzzQuoted(f *testing.F) {
	for _, s := range []string{"/c \"$x\\", "a;b{c}", "'", "\\\"", "\\\\", "#", "${HOME}", "%{X}", ""} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if strings.ContainsFunc(s, problem.Hostile) {
			return
		}
		p := nginxParser{text: "x " + quote(s) + " end;", line: 1}
		all, err := p.block(0)
		require.Nil(t, err)
		require.Len(t, all, 1)
		require.Equal(t, []string{"x", s, "end"}, all[0].words)
		words := splitWords("x " + apacheQuote(s) + " end")
		require.Len(t, words, 3, "%q", apacheQuote(s))
		require.Equal(t, s, strings.ReplaceAll(words[1], `\\`, `\`), "%q", apacheQuote(s))
		require.NotContains(t, commentSafe(s+"\n"+s), "\n")
	})
}
