package servers

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/problem"
)

// FuzzListen looks whether what is taken can stand in a configuration file.
func FuzzListen(f *testing.F) {
	f.Add("http=127.0.0.1:8080")
	f.Add("https=[::1]:443")
	f.Add("http=*:80")
	f.Fuzz(func(t *testing.T, value string) {
		o, err := ParseListen([]string{value})
		if err != nil {
			return
		}
		for _, at := range append(o.HTTP, o.HTTPS...) {
			if strings.ContainsAny(at, " \t\r\n;{}\"'\\$#<>") ||
				!regexp.MustCompile(`.:[1-9][0-9]{0,4}$|.:0+[1-9]`).MatchString(at) {
				t.Fatalf("%q", at)
			}
		}
	})
}

// FuzzQuoted writes values as words of both servers' configuration, and reads them again as those
// servers do: one word, and the same. test/peers hands such names to the servers themselves.
func FuzzQuoted(f *testing.F) {
	for _, s := range []string{"/c \"$x\\", "a;b{c}", "'", "\\\"", "\\\\", "#", "${HOME}", "%{X}",
		""} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if strings.ContainsFunc(s, problem.Hostile) {
			return
		}
		require.Equal(t, s, unquoted(t, quote(s), true), "%q", quote(s))
		require.Equal(t, s, unquoted(t, apacheQuote(s), false), "%q", apacheQuote(s))
		require.NotContains(t, commentSafe(s+"\n"+s), "\n")
	})
}

// unquoted reads a quoted word as nginx and Apache do (ngx_conf_read_token, ap_getword_conf): it
// ends at the first quote that no backslash precedes; a backslash takes the next character with it,
// and nginx knows \n, \r and \t.
func unquoted(t *testing.T, word string, named bool) string {
	t.Helper()
	require.True(t, len(word) >= 2 && word[0] == '"' && word[len(word)-1] == '"', "%q", word)
	var b strings.Builder
	inside := word[1 : len(word)-1]
	for i := 0; i < len(inside); i++ {
		require.NotEqual(t, byte('"'), inside[i], "the word %q ends early", word)
		if inside[i] != '\\' {
			b.WriteByte(inside[i])
			continue
		}
		i++
		require.Less(t, i, len(inside), "the word %q does not end", word)
		if c := strings.IndexByte("nrt", inside[i]); named && c >= 0 {
			b.WriteByte("\n\r\t"[c])
		} else {
			b.WriteByte(inside[i])
		}
	}
	return b.String()
}
