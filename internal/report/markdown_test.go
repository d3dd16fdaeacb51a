package report

import (
	"bytes"
	"html"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
	rendered "github.com/yuin/goldmark/renderer/html"
	"upperpath.example/upperpath/internal/doc"
)

// FuzzCodeText has values written into a cell of a table, and reads the page with a Markdown
// parser: the cell holds the value as code, and nothing of it becomes HTML.
func FuzzCodeText(f *testing.F) {
	for _, seed := range []string{
		"v=spf1 -all", "`", "``<b>x</b>``", "a`b``c```", " lead", "trail ", "a|b", "|`|", "``|<i>", "\\`",
		"\\|", "<!--",
	} {
		f.Add(seed)
	}
	reader := goldmark.New(goldmark.WithExtensions(extension.Table),
		goldmark.WithRendererOptions(rendered.WithUnsafe()))
	cell := regexp.MustCompile(`(?s)<td>(.*?)</td>\n<td>last</td>`)
	f.Fuzz(func(t *testing.T, value string) {
		if value = doc.Scrubbed(value); strings.TrimSpace(value) == "" {
			return
		}
		var page bytes.Buffer
		require.NoError(t,
			reader.Convert([]byte("| a | b |\n| --- | --- |\n| "+doc.CodeText(value, true)+" | last |\n"),
				&page))
		found := cell.FindStringSubmatch(page.String())
		require.NotNil(t, found, "%q: %s", doc.CodeText(value, true), page.String())
		inside, whole := strings.CutPrefix(found[1], "<code>")
		inside, ends := strings.CutSuffix(inside, "</code>")
		require.True(t, whole && ends, "%q: %s", doc.CodeText(value, true), found[1])
		require.NotContains(t, inside, "<", "%q", doc.CodeText(value, true))
		require.Equal(t, value, html.UnescapeString(inside))
	})
}
