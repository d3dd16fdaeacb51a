package report

import (
	"bytes"
	"encoding/json"
	"io"
	"os"
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

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/store"
)

// evilText begins a line of its own, clears a terminal, turns the order of what is read, and tries markup.
const evilText = "e\nFORGED: all is well\r\n\x1b[2J\u009b31m\u202eFORGED <script>FORGED</script>|```FORGED"

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
	style := Style{Width: 100, Now: now}
	all := map[string]string{}
	keep := func(name string, write func(io.Writer) error) {
		var b bytes.Buffer
		require.NoError(t, write(&b), name)
		all[name] = b.String()
	}
	cases, err := filepath.Glob("testdata/*.txtar")
	require.NoError(t, err)
	for _, path := range cases {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		var a chain.Audit
		require.NoError(t, json.Unmarshal(archive.Files[0].Data, &a))
		spoil(reflect.ValueOf(&a), with)
		for name, text := range written(t, &a) {
			all[filepath.Base(path)+" "+name] = text
		}
	}
	archive, err := txtar.ParseFile("testdata/surveys/museums.txtar")
	require.NoError(t, err)
	var before, after survey.Survey
	require.NoError(t, json.Unmarshal(archive.Files[0].Data, &before))
	require.NoError(t, json.Unmarshal(archive.Files[1].Data, &after))
	before.Findings = survey.Judge{Now: now}.All(&before)
	spoil(reflect.ValueOf(&before), with)
	spoil(reflect.ValueOf(&after), with)
	for _, format := range []string{"text", "json", "md"} {
		keep("survey "+format, func(w io.Writer) error { return Survey(w, format, &before, true, style) })
		keep("compare "+format, func(w io.Writer) error { return Compare(w, format, &before, &after, style) })
	}
	for _, name := range []string{"limits", "changes"} {
		spoiledPlan(t, "testdata/plans/"+name+".txtar", with, name, keep, all)
	}
	kept := []store.Kept{{ID: 1, Started: now, Vantage: "office"}}
	spoil(reflect.ValueOf(&kept), with)
	imported := Imported{
		File:        "old.conf",
		Rules:       []ImportedRule{{Line: 1, Text: "Redirect", Old: "a.example/", New: "/x"}},
		Left:        []Leftover{{1, "x", "y"}},
		Differences: []Difference{{"http://a.example/", 1, 2, "says"}},
		Added:       "rules.csv",
	}
	spoil(reflect.ValueOf(&imported), with)
	for _, format := range []string{"text", "json", "csv", "md"} {
		keep("kept "+format, func(w io.Writer) error { return Kept(w, format, kept, style) })
		if format != "csv" && format != "md" { // a working file, kept to the letter
			keep("import "+format, func(w io.Writer) error { return Import(w, format, imported, style) })
		}
	}
	return all
}

func spoiledPlan(
	t *testing.T,
	path, with, name string,
	keep func(string, func(io.Writer) error),
	all map[string]string,
) {
	t.Helper()
	archive, err := txtar.ParseFile(path)
	require.NoError(t, err)
	dir := t.TempDir()
	for _, f := range archive.Files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Data, 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	in := plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules, Pages: e.Pages, Now: now}
	style := Style{Width: 100, Now: now}
	made := in.Web()
	p, proved := plan.Make(in), proof.Prove(made, func() {})
	tries := []predict.Try{made.Try(web.MustParseURL("http://a.example/x"))}
	straightened := proof.Straighten(made)
	for _, v := range []any{p, proved, &tries, &straightened} {
		spoil(reflect.ValueOf(v), with)
	}
	for _, format := range []string{"text", "json", "md"} {
		keep(name+" plan "+format, func(w io.Writer) error { return Plan(w, format, p, style) })
		keep(name+" proof "+format, func(w io.Writer) error { return Proof(w, format, proved, "https://x.example", style) })
		if format != "md" {
			keep(name+" tries "+format, func(w io.Writer) error { return Tries(w, format, tries, style) })
			keep(name+" straightened "+format, func(w io.Writer) error {
				return Straightened(w, format, straightened, "rules.csv"+with, false, style)
			})
		}
	}
	pages, err := Sheets(p)
	require.NoError(t, err)
	for _, page := range pages {
		text := strings.ReplaceAll(string(page.Data), "\r\n", "\n")
		all[name+" sheet "+page.Place+map[bool]string{true: ".csv", false: ".md"}[page.Table]] = text
	}
}

// TestNoTextForgesALine spoils every text of every model, and reads what all writers make of it.
func TestNoTextForgesALine(t *testing.T) {
	markdown := goldmark.New(goldmark.WithExtensions(extension.Table), goldmark.WithRendererOptions(rendered.WithUnsafe()))
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
	require.Greater(t, len(plain), 30)
}

// TestWhatIsDecodedForAReaderHoldsNothingHostile shows rules whose percent-encoding stands for what a terminal would
// obey.
func TestWhatIsDecodedForAReaderHoldsNothingHostile(t *testing.T) {
	for _, old := range []string{
		"a.example/%C2%9B31m", "a.example/%C3%B8%E2%80%AE", "xn--mllehuset-l8a.example/%0A%C3%B8%1B[2J",
	} {
		assert.False(t, isHostile(shown(old)), old)
	}
	assert.Equal(t, "møllehuset.example/ø", shown("xn--mllehuset-l8a.example/%C3%B8"))
}

// TestNothingToStraightenIsNoProof says of rules that lead round without end no more than that nothing was found.
func TestNothingToStraightenIsNoProof(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, Straightened(&b, "text", nil, "rules.csv", false, Style{}))
	assert.Contains(t, b.String(), "upperpath prove")
	assert.NotContains(t, b.String(), "very rule")
}
