package live

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/web"
)

func TestWhatAPageSaysOfItself(t *testing.T) {
	at := web.MustParseURL("https://old.example/a/b.html")
	for page, want := range map[string]Says{
		`<html lang="de-AT"><title> Die
 M&uuml;hle </title><link rel="canonical" href="../c"><h1>Am <em>Bach</em></h1><h1>Other</h1>`: {
			"Die Mühle", "Am Bach", "de-AT", "https://old.example/c"},
		"no page":                          {},
		"<title>a</title><title>b</title>": {Title: "a"},
		`<link rel="canonical"><link rel="x" href="y">`: {},
		"<h1></h1><h1>second</h1>":                      {Heading: "second"},
		"<title>" + strings.Repeat("x", 5000):           {Title: strings.Repeat("x", 200)},
	} {
		got := saysOf(at, []byte(page))
		got.Title = strings.TrimSuffix(got.Title, "…")
		want.Title = strings.TrimSuffix(want.Title, "…")
		assert.True(t, strings.HasPrefix(got.Title, want.Title[:min(len(want.Title), 150)]), got.Title)
		assert.Equal(t, want.Heading, got.Heading)
		assert.Equal(t, want.Language, got.Language)
		assert.Equal(t, want.Canonical, got.Canonical)
	}
}
