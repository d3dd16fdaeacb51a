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
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/doc"
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

// FuzzCSV writes cells, and reads the table with a parser of CSV: each comes back, and none is a
// formula.
func FuzzCSV(f *testing.F) {
	for _, s := range odd {
		f.Add(s, s)
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		if !utf8.ValidString(a + b) {
			return
		}
		a, b = doc.Scrubbed(a), doc.Scrubbed(b)
		r := csv.NewReader(strings.NewReader(
			writtenAs(t, "csv", doc.Doc{Blocks: doc.Of(doc.Data{Head: []string{"one", "two"},
				Rows: [][]string{{a, b}, {"last", ""}}})}, doc.Style{})))
		all, err := r.ReadAll()
		require.NoError(t, err)
		require.Len(t, all, 3)
		for i, want := range []string{a, b} {
			got := all[1][i]
			require.Equal(t, want, strings.TrimPrefix(got, map[bool]string{true: "'"}[got != want]))
			require.False(t, got != "@" && got != "" && strings.ContainsRune("=+-@\t\r", rune(got[0])), "%q",
				got)
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
		require.NoError(t, doc.JSON(&b, map[string]string{"x": s}))
		require.NotContains(t, strings.TrimSuffix(b.String(), "\n"), "\x1b")
		for line := range strings.Lines(b.String()) {
			require.Negative(t, strings.IndexFunc(strings.TrimSuffix(line, "\n"), problem.Hostile), "%q",
				line)
		}
		var again map[string]string
		require.NoError(t, json.Unmarshal(b.Bytes(), &again))
		if utf8.ValidString(s) {
			require.Equal(t, s, again["x"])
		}
	})
}

// FuzzHTML writes a page, and reads it with a parser of HTML: what was put in is text there, and no
// element.
func FuzzHTML(f *testing.F) {
	for _, s := range odd {
		f.Add(s)
	}
	elements := func(t *testing.T, s string) (count int, text string) {
		t.Helper()
		u := web.MustParseURL("http://a.example/")
		c := chain.Chain{Entry: u, Arrival: u, Probe: chain.Root, End: chain.Page,
			Hops: []chain.Answer{
				{URL: u, Status: 301, Location: s, Detail: s,
					TLS: &chain.TLS{Version: s, Issuer: s, Names: []string{s}}},
			},
			Findings: []finding.Finding{finding.New(finding.Loop, s, fact.Kept{Says: s, Do: s})}}
		a := &chain.Audit{
			Schema:   chain.AuditSchema,
			Vantage:  s,
			Chains:   []chain.Chain{c},
			Findings: c.Findings,
			Notes:    []string{s},
		}
		var b bytes.Buffer
		require.NoError(t, doc.Write(&b, "html", Audit(a, "audit", s, now), doc.Style{Detail: true}))
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
		require.Contains(t, text, doc.Scrubbed("x"+s+"x"))
	})
}

// FuzzProse breaks lines of Markdown: no word is lost, and nothing that is kept in one piece is
// broken.
func FuzzProse(f *testing.F) {
	f.Add(
		"It worked if it shows it. "+strings.Repeat("word ", 60),
		"upperpath look old.example --point old.example=203.0.113.20",
	)
	f.Add("1. a - b = c\n# d", "`` a ` b")
	f.Fuzz(func(t *testing.T, s, value string) {
		if !utf8.ValidString(s+value) || strings.ContainsFunc(s+value, problem.Hostile) || value == "" {
			return
		}
		said := doc.Cat(doc.Phrase(doc.Unmarked(s)), doc.Phrase(" "), doc.Copy(value))
		lines := doc.Lay(doc.MdText(said, false), 40, doc.Style{})
		require.Contains(t, strings.Join(lines, "\n"), doc.CodeText(value, false))
		require.Equal(t, strings.Fields(doc.MdText(said, false).String()),
			strings.Fields(strings.Join(lines, " ")))
		plain := doc.Lay(said, 40, doc.Style{})
		require.Contains(t, strings.Join(plain, "\n"), value)
	})
}
