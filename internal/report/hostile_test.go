package report

import (
	"bytes"
	"path/filepath"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
	rendered "github.com/yuin/goldmark/renderer/html"
	"upperpath.example/upperpath/internal/doc"
)

// evilText begins a line of its own, clears a terminal, turns the order of what is read, and tries
// markup.
const evilText = "e\nFORGED: all is well\r\n" +
	"\x1b[2J\u009b31m\u202eFORGED <script>FORGED</script>|```FORGED"

// spoil appends a text to every text of a value, as far as they can be set.
func spoil(v reflect.Value, with string) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			spoil(v.Elem(), with)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				spoil(v.Field(i), with)
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			spoil(v.Index(i), with)
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			if s, isText := v.MapIndex(k).Interface().(string); isText {
				v.SetMapIndex(k, reflect.ValueOf(s+with))
			}
		}
	case reflect.String:
		if v.CanSet() && v.Type() == reflect.TypeFor[string]() {
			v.SetString(v.String() + with)
		}
	}
}

// outputs are all that the writers make of the models of the cases, spoiled.
func outputs(t *testing.T, with string) map[string]string {
	t.Helper()
	all := map[string]string{}
	for _, path := range caseFiles(t) {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		for name, d := range docsOf(t, path, archive, func(model any) {
			spoil(reflect.ValueOf(model), with)
		}) {
			for _, format := range doc.Formats() {
				if format == "csv" && d.Name == "import" {
					continue // a working file, kept to the letter
				}
				all[filepath.Base(path)+" "+name+"."+format] = writtenAs(t, format, d,
					doc.Style{Width: 100, Detail: true})
			}
		}
	}
	return all
}

// TestNoTextForgesALine spoils every text of every model, and reads what all writers make of it.
func TestNoTextForgesALine(t *testing.T) {
	markdown := goldmark.New(goldmark.WithExtensions(extension.Table),
		goldmark.WithRendererOptions(rendered.WithUnsafe()))
	forged := regexp.MustCompile(`(?m)^[ |>*#-]*FORGED`)
	plain := outputs(t, "e")
	for name, text := range outputs(t, evilText) {
		assert.False(t, forged.MatchString(text), "%s: %s", name, forged.FindString(text))
		for _, r := range []string{"\x1b", "\r", "\u009b", "\u202e"} {
			assert.NotContains(t, text, r, name)
		}
		if strings.HasSuffix(name, "md") {
			var page bytes.Buffer
			require.NoError(t, markdown.Convert([]byte(text), &page))
			text = page.String()
		}
		if strings.HasSuffix(name, "md") || strings.HasSuffix(name, "html") {
			at := strings.Index(text, "<script")
			assert.Negative(t, at, "%s: %s", name, text[max(0, at-300):max(0, at)])
		}
	}
	require.Greater(t, len(plain), 100)
}

// TestWhatIsDecodedForAReaderHoldsNothingHostile shows rules whose percent-encoding stands for what
// a terminal would obey.
func TestWhatIsDecodedForAReaderHoldsNothingHostile(t *testing.T) {
	for _, old := range []string{
		"a.example/%C2%9B31m", "a.example/%C3%B8%E2%80%AE", "xn--mllehuset-l8a.example/%0A%C3%B8%1B[2J",
	} {
		assert.False(t, doc.IsHostile(shown(old)), old)
	}
	assert.Equal(t, "møllehuset.example/ø", shown("xn--mllehuset-l8a.example/%C3%B8"))
}

// TestNothingToStraightenIsNoProof says of rules that lead round without end no more than that
// nothing was found.
func TestNothingToStraightenIsNoProof(t *testing.T) {
	text := writtenAs(t, "text", Straightened(nil, "rules.csv", false), doc.Style{})
	assert.Contains(t, text, "upperpath prove")
	assert.NotContains(t, text, "very rule")
}
