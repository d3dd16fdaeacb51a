package report

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

var odd = []string{
	"=1+2",
	"@x",
	"-x",
	"+x",
	"\t=x",
	"\r=x",
	"'x",
	"a,b;c\"d",
	"\x1b[2J\u202e",
	"<script>x</script>",
	"&lt;",
	"`",
	"\u2028",
	"",
}

// FuzzCSV writes cells, and reads the table with a parser of CSV: each comes back, and none is a formula.
func FuzzCSV(f *testing.F) {
	for _, s := range odd {
		f.Add(s, s)
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		if !utf8.ValidString(a + b) {
			return
		}
		a, b = scrubbed(a), scrubbed(b)
		r := csv.NewReader(bytes.NewReader(csvText([]string{"one", "two"}, [][]string{{a, b}, {"last", ""}})))
		all, err := r.ReadAll()
		require.NoError(t, err)
		require.Len(t, all, 3)
		for i, want := range []string{a, b} {
			got := all[1][i]
			require.Equal(t, want, strings.TrimPrefix(got, map[bool]string{true: "'"}[got != want]))
			require.False(t, got != "@" && got != "" && strings.ContainsRune("=+-@\t\r", rune(got[0])), "%q", got)
		}
	})
}

// FuzzJSON writes a value, and reads it again; nothing that a terminal would obey stands in it.
func FuzzJSON(f *testing.F) {
	for _, s := range odd {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		var b bytes.Buffer
		require.NoError(t, JSON(&b, map[string]string{"x": s}))
		require.NotContains(t, strings.TrimSuffix(b.String(), "\n"), "\x1b")
		for line := range strings.Lines(b.String()) {
			require.Negative(t, strings.IndexFunc(strings.TrimSuffix(line, "\n"), problem.Hostile), "%q", line)
		}
		var again map[string]string
		require.NoError(t, json.Unmarshal(b.Bytes(), &again))
		if utf8.ValidString(s) {
			require.Equal(t, s, again["x"])
		}
	})
}

// FuzzHTML writes a page, and reads it with a parser of HTML: what was put in is text there, and no element.
func FuzzHTML(f *testing.F) {
	for _, s := range odd {
		f.Add(s)
	}
	elements := func(t *testing.T, s string) (count int, text string) {
		t.Helper()
		u := web.MustParseURL("http://a.example/")
		c := chain.Chain{Entry: u, Arrival: u, Probe: chain.Root, End: chain.Page,
			Hops: []chain.Answer{
				{URL: u, Status: 301, Location: s, Detail: s, TLS: &chain.TLS{Version: s, Issuer: s, Names: []string{s}}},
			},
			Findings: []finding.Finding{finding.New(finding.Loop, s, s, s, nil)}}
		a := &chain.Audit{
			Schema:   chain.AuditSchema,
			Vantage:  s,
			Chains:   []chain.Chain{c},
			Findings: c.Findings,
			Notes:    []string{s},
		}
		var b bytes.Buffer
		require.NoError(t, HTML(&b, s, now, []Section{{Name: s, Audit: a}}))
		root, err := html.Parse(&b)
		require.NoError(t, err)
		for n := range root.Descendants() {
			switch n.Type {
			case html.ElementNode:
				count += 1 + len(n.Attr)
			case html.TextNode:
				text += n.Data
			}
		}
		return count, text
	}
	f.Fuzz(func(t *testing.T, s string) {
		if !utf8.ValidString(s) || strings.ContainsRune(s, 0) || strings.Contains(s, "xn--") {
			return
		}
		count, text := elements(t, "x"+s+"x")
		plain, _ := elements(t, "xx")
		require.Equal(t, plain, count)
		require.Contains(t, text, scrubbed("x"+s+"x"))
	})
}

// FuzzProse breaks lines of prose: no word is lost, and none that stands in backquotes is broken.
func FuzzProse(f *testing.F) {
	f.Add(
		"It worked when `upperpath look old.example --point old.example=203.0.113.20` shows it. " + strings.Repeat(
			"word ",
			60,
		),
	)
	f.Add("``` a ` b ``` c \\` d `e f`")
	f.Fuzz(func(t *testing.T, s string) {
		if !utf8.ValidString(s) || strings.ContainsFunc(s, problem.Hostile) || strings.Contains(s, "\ue000") {
			return
		}
		require.Equal(t, strings.Fields(s), strings.Fields(wrapProse(s, "  ")))
	})
}
