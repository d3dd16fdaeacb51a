package report

import (
	"bytes"
	"encoding/json"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
)

var update = flag.Bool("update", os.Getenv("UPDATE") != "", "write what the writers make into the cases")

var now = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

// written makes of one audit what every writer makes of it.
func written(t *testing.T, a *chain.Audit) map[string]string {
	t.Helper()
	style := Style{Width: 100, Now: now}
	out := map[string]string{}
	for name, s := range map[string]struct {
		format string
		view   View
	}{"audit.txt": {"text", Audit}, "look.txt": {"text", Look}, "audit.json": {"json", Audit},
		"audit.csv": {"csv", Audit}, "audit.md": {"md", Audit}} {
		var b bytes.Buffer
		require.NoError(t, Play(NewStream(s.format, s.view, &b, style), "Audit of every door to "+a.Canonical, a))
		out[name] = b.String()
	}
	var page bytes.Buffer
	require.NoError(t, HTML(&page, "Every door to "+a.Canonical, now, []Section{{Name: "Audit", Audit: a}}))
	_, body, _ := strings.Cut(page.String(), "<main>")
	out["report.html"] = body
	return out
}

// TestWriters runs every format on every case of testdata: the file input.json holds an audit, the others what each
// writer makes of it. UPDATE=1 writes them anew.
func TestWriters(t *testing.T) {
	cases, err := filepath.Glob("testdata/*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, cases)
	for _, path := range cases {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		var a chain.Audit
		require.Equal(t, "input.json", archive.Files[0].Name, path)
		require.NoError(t, json.Unmarshal(archive.Files[0].Data, &a), path)
		got := written(t, &a)
		if *update {
			archive.Files = archive.Files[:1]
			for _, name := range []string{"audit.txt", "look.txt", "audit.json", "audit.csv", "audit.md", "report.html"} {
				archive.Files = append(archive.Files, txtar.File{Name: name, Data: []byte(got[name])})
			}
			require.NoError(t, os.WriteFile(path, txtar.Format(archive), 0o644))
			continue
		}
		for _, f := range archive.Files[1:] {
			assert.Equal(t, string(f.Data), got[f.Name], "%s: %s", path, f.Name)
		}
		var again chain.Audit
		require.NoError(t, json.Unmarshal([]byte(got["audit.json"]), &again))
		assert.Equal(t, len(a.Chains), len(again.Chains), "what is written as JSON reads back")
	}
}

// TestPlanAndSurveyWriters does the same for plans, from an estate file and rules, and for surveys.
func TestPlanAndSurveyWriters(t *testing.T) {
	for path, write := range map[string]func(*testing.T, *txtar.Archive) map[string]string{
		"testdata/plans/limits.txtar":    writtenPlan,
		"testdata/plans/clean.txtar":     writtenPlan,
		"testdata/plans/changes.txtar":   writtenPlan,
		"testdata/surveys/museums.txtar": writtenSurvey,
	} {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		got := write(t, archive)
		for i, f := range archive.Files {
			text, made := got[f.Name]
			switch {
			case made && *update:
				archive.Files[i].Data = []byte(text)
			case made:
				assert.Equal(t, string(f.Data), text, "%s: %s", path, f.Name)
			}
		}
		if *update {
			require.NoError(t, os.WriteFile(path, txtar.Format(archive), 0o644))
		}
	}
}

func writtenPlan(t *testing.T, archive *txtar.Archive) map[string]string {
	t.Helper()
	dir := t.TempDir()
	for _, f := range archive.Files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Data, 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	in := plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules, Pages: e.Pages, Now: now}
	for _, f := range archive.Files {
		if name, isZone := strings.CutSuffix(f.Name, ".zone"); isZone {
			_, records, err := files.ReadZone(filepath.Join(dir, f.Name), name)
			require.NoError(t, err)
			if in.Survey == nil {
				in.Survey = &survey.Survey{Started: now}
			}
			in.Survey.Domains = append(in.Survey.Domains, live.FileDomain(web.MustParseHost(name), records))
		}
	}
	p := plan.Make(in)
	out := map[string]string{}
	pages, err := Sheets(p)
	require.NoError(t, err)
	for _, page := range pages {
		out[page.Name] = strings.ReplaceAll(string(page.Data), "\r\n", "\n")
	}
	choices, err := plan.Consider(in, []string{"www", "apex"})
	require.NoError(t, err)
	for name, format := range map[string]string{"consider.txt": "text", "consider.md": "md"} {
		var b bytes.Buffer
		require.NoError(t, Considered(&b, format, choices, Style{Width: 100, Now: now}))
		out[name] = b.String()
	}
	for name, format := range map[string]string{"plan.txt": "text", "plan.md": "md", "plan.json": "json"} {
		var b bytes.Buffer
		require.NoError(t, Plan(&b, format, p, Style{Width: 100, Now: now}))
		out[name] = b.String()
	}
	return out
}

func writtenSurvey(t *testing.T, archive *txtar.Archive) map[string]string {
	t.Helper()
	var before, after survey.Survey
	require.NoError(t, json.Unmarshal(archive.Files[0].Data, &before))
	require.NoError(t, json.Unmarshal(archive.Files[1].Data, &after))
	before.Findings = survey.Judge{Now: now}.All(&before)
	out := map[string]string{}
	for name, format := range map[string]string{"survey.txt": "text", "survey.md": "md"} {
		var b bytes.Buffer
		require.NoError(t, Survey(&b, format, &before, true, Style{Width: 100, Now: now}))
		out[name] = b.String()
	}
	for name, format := range map[string]string{"compare.txt": "text", "compare.md": "md"} {
		var b bytes.Buffer
		require.NoError(t, Compare(&b, format, &before, &after, Style{Width: 100, Now: now}))
		out[name] = b.String()
	}
	return out
}

func TestNothingHostileGetsThrough(t *testing.T) {
	evil := "\x1b[2J\u009b31m\u202e<script>alert(1)</script>|=cmd"
	c := chain.Chain{
		Entry:   web.MustParseURL("http://a.example/"),
		Probe:   chain.Asked,
		Arrival: web.MustParseURL("http://a.example/"),
		End:     chain.BadLocation,
		Hops: []chain.Answer{{URL: web.MustParseURL("http://a.example/"), Status: 301, Location: evil, Detail: evil,
			TLS: &chain.TLS{Version: "TLS 1.3", Names: []string{evil}, Issuer: evil, NotAfter: now}}},
		Findings: []finding.Finding{finding.New(finding.BadLocation, "=2+3", evil, evil, nil)},
	}
	a := &chain.Audit{
		Schema:   chain.AuditSchema,
		Vantage:  evil,
		Started:  now,
		Chains:   []chain.Chain{c},
		Findings: c.Findings,
		Notes:    []string{evil},
	}
	for name, text := range written(t, a) {
		for _, r := range []string{"\x1b", "\u009b", "\u202e"} {
			assert.NotContains(t, text, r, name)
		}
		if name == "report.html" || name == "audit.md" {
			assert.NotContains(t, text, "<script", name)
		}
	}
	assert.Equal(t, "'=2+3", noFormula("=2+3"))
	assert.Equal(t, "'@x", noFormula("@x"))
	assert.Equal(t, "x=2", noFormula("x=2"))
}

func TestColourOnlyWhereItIsWanted(t *testing.T) {
	f := []finding.Finding{finding.New(finding.Loop, "x", "says", "fix", nil)}
	var plain, coloured bytes.Buffer
	TextFindings(&plain, f, Style{})
	TextFindings(&coloured, f, Style{Color: true})
	assert.NotContains(t, plain.String(), "\x1b")
	assert.Contains(t, coloured.String(), "\x1b[")
}

func TestVerdicts(t *testing.T) {
	loop := finding.New(finding.Loop, "x", "says", "fix", nil)
	hop := finding.New(finding.ExtraHop, "x", "says", "fix", nil)
	assert.Equal(t, "All 4 doors are clean.", Verdict(4, 4, nil))
	assert.Equal(t, "1 of 4 doors are clean: 1 error, 2 warnings.", Verdict(4, 1, []finding.Finding{loop, hop, hop}))
	assert.Equal(t, "1 warning.", Verdict(0, 0, []finding.Finding{hop}))
	assert.Equal(t, "Nothing wrong was found.", Verdict(0, 0, nil))
}

// TestDocsOfFindingsAreFresh keeps docs/findings.md the same as the program's own table; make docs writes it anew.
func TestDocsOfFindingsAreFresh(t *testing.T) {
	const path = "../../docs/findings.md"
	var want bytes.Buffer
	KindsMD(&want)
	if *update {
		require.NoError(t, os.WriteFile(path, want.Bytes(), 0o644))
	}
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, want.String(), string(got), "docs/findings.md is stale; run make docs")
}
