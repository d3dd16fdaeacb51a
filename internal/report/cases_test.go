package report

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
)

var now = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

// inputs are the files of a case that are read; all others are what writers make of them.
var inputs = []string{".json", ".yaml", ".csv", ".zone"}

// subjects says for each folder of cases which documents come of one. What spoils a model is given
// it before.
var subjects = map[string]func(*testing.T, *txtar.Archive, func(any)) map[string]doc.Doc{
	"audits":  auditDocs,
	"plans":   planDocs,
	"surveys": surveyDocs,
	"imports": importDocs,
}

// caseFiles gives the cases of all folders.
func caseFiles(t testing.TB) []string {
	t.Helper()
	cases, err := filepath.Glob("testdata/*/*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, cases)
	return cases
}

// docsOf gives the documents of a case.
func docsOf(t *testing.T, path string, archive *txtar.Archive,
	spoils func(any)) map[string]doc.Doc {
	t.Helper()
	subject := subjects[filepath.Base(filepath.Dir(path))]
	require.NotNil(t, subject, path)
	return subject(t, archive, spoils)
}

func inputOf(t *testing.T, archive *txtar.Archive, name string, into any) {
	t.Helper()
	for _, f := range archive.Files {
		if f.Name == name {
			require.NoError(t, json.Unmarshal(f.Data, into))
			return
		}
	}
	t.Fatalf("no %s", name)
}

func auditDocs(t *testing.T, archive *txtar.Archive, spoils func(any)) map[string]doc.Doc {
	t.Helper()
	var a chain.Audit
	inputOf(t, archive, "input.json", &a)
	spoils(&a)
	return docsOfAudit(&a)
}

func docsOfAudit(a *chain.Audit) map[string]doc.Doc {
	looked := Looked{
		Name:    "look",
		Title:   "A look",
		Vantage: a.Vantage,
		Started: a.Started,
		Now:     now,
		Chains:  slices.Values(a.Chains),
		End:     func() ([]finding.Finding, []string) { return a.Findings, a.Notes },
	}
	kept := []scope.Kept{{ID: 1, Started: a.Started, Vantage: a.Vantage}}
	state, base, lived := recheckOf(a)
	news := recheck.Compare(base, state, lived, nil, now)
	return map[string]doc.Doc{
		"news":   News(news, state, lived, now),
		"first":  News(recheck.Compare(nil, state, lived, nil, now), state, lived, now),
		"taken":  AcceptedAll(news, state, now),
		"lived":  Lived(base, lived, now),
		"differ": Compare("audit", "1", "2", news),
		"audit":  Audit(a, "audit", "Audit of every door to "+a.Canonical, now),
		"look":   Look(looked),
		"stream": Stream(looked),
		"report": Client(ForClient{Title: "Every door to " + a.Canonical, Made: now, Today: a}),
		"kept":   Kept("audit", "upperpath.yaml", kept, nil),
	}
}

// recheckOf gives the state of an audit, one that was accepted and differs from it in everything
// that can differ, and what is lived with.
func recheckOf(a *chain.Audit) (state, base *recheck.State, lived []recheck.Acceptance) {
	state = recheck.Of(nil, a)
	was := *state
	was.Taken, was.Facts, was.Gaps = now.AddDate(0, -1, 0), slices.Clone(state.Facts), nil
	for i := range was.Facts {
		switch f := &was.Facts[i]; {
		case f.Kind == recheck.Finding && i%4 == 0:
			f.Subject = "mended." + f.Subject
		case f.Kind == recheck.Finding && i%4 == 1:
			lived = append(lived,
				recheck.Acceptance{Code: f.Code, Subject: f.Subject, Until: now.AddDate(0, 0, i%3-1),
					Why: "known since " + f.Domain, Given: was.Taken})
		case i%5 == 0:
			f.Value = "before, " + f.Value
		}
	}
	if len(state.Facts) > 0 {
		state.Gaps = append(state.Gaps,
			recheck.Gap{Domain: state.Facts[0].Domain, Why: fact.Plain("no answer of " +
				state.Facts[0].Subject)})
	}
	return state, &was, lived
}

func planDocs(t *testing.T, archive *txtar.Archive, spoils func(any)) map[string]doc.Doc {
	t.Helper()
	dir := t.TempDir()
	for _, f := range archive.Files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Data, 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	in := plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules, Pages: e.Pages,
		Now: now}
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
	made := in.Web()
	p, proved, straightened := plan.Make(in), proof.Prove(made, func() {}), proof.Straighten(made)
	choices, err := plan.Consider(in, []string{"www", "apex"})
	require.NoError(t, err)
	var tries []predict.Try
	for _, r := range p.Rules {
		if u, err := web.ParseURL(r.Example); err == nil {
			tries = append(tries, made.Try(u))
		}
	}
	for _, model := range []any{p, proved, &straightened, choices, &tries} {
		spoils(model)
	}
	docs := map[string]doc.Doc{
		"plan":       Plan(p),
		"summary":    PlanSummary(p),
		"proof":      Proof(proved, p.Canonical),
		"straighten": Straightened(straightened, "rules.csv", false),
		"choices":    Considered(choices),
		"tries":      Tries(tries),
		"runbook":    Runbook(RunbookOf(p, "", now), nil, Ready{}, now),
		"halfway":    halfway(t, p),
		"await":      waiting(t, p, spoils),
	}
	sheets := Sheets(p)
	var pages []Page
	for i, s := range sheets {
		docs[fmt.Sprintf("sheet %d %s", i+1, s.Name)] = s.Doc
		all, err := s.Pages("md")
		require.NoError(t, err)
		pages = append(pages, all...)
	}
	docs["sheets"] = SheetsWritten("sheets", p, sheets, pages)
	return docs
}

// halfway is a runbook some of whose steps are done, and whose check has stopped.
func halfway(t *testing.T, p *plan.Plan) doc.Doc {
	t.Helper()
	b := RunbookOf(p, "wave:1", now)
	require.NoError(t, b.Mark(1, now))
	b.Tasks[0].ByHand = false
	require.NoError(t, b.Mark(2, now.Add(time.Minute)))
	progress := &runbook.Progress{Done: []int{1}, Open: &b.Tasks[2],
		Missing: []fact.Sentence{fact.Plain("old.example A is 192.0.2.1")},
		Unseen:  []fact.Sentence{fact.Plain("ns1.old-host.example did not answer")},
		Waiting: []runbook.Waiting{{Number: 4, Until: now.Add(time.Hour)}}}
	return Runbook(b, progress, Ready{}, now)
}

func surveyDocs(t *testing.T, archive *txtar.Archive, spoils func(any)) map[string]doc.Doc {
	t.Helper()
	var before, after survey.Survey
	inputOf(t, archive, "before.json", &before)
	inputOf(t, archive, "after.json", &after)
	before.Findings = survey.Judge{Now: now}.All(&before)
	spoils(&before)
	spoils(&after)
	news := recheck.Compare(recheck.Of(&before, nil), recheck.Of(&after, nil), nil, nil, now)
	return map[string]doc.Doc{
		"survey": Survey(&before, true), "names": SurveyOfNames(&before),
		"compare": Compare("survey", "1", "2", news),
	}
}

func importDocs(t *testing.T, archive *txtar.Archive, spoils func(any)) map[string]doc.Doc {
	t.Helper()
	var m struct {
		Imported
		Rules []ImportedRule
	}
	inputOf(t, archive, "input.json", &m)
	spoils(&m)
	m.Imported.Rules, m.Count = slices.Values(m.Rules), len(m.Rules)
	return map[string]doc.Doc{"import": Import(m.Imported)}
}

// inner is where a line of a page goes on with what stands within an element.
var inner = regexp.MustCompile(
	`\n+(</?(?:tr|tbody|thead|th|td|li|dl|ol|ul|table|div|p|pre|summary)\b)`)

// writtenAs gives what a form makes of a document; of a workbook its cells, and of a page what is
// within its body.
func writtenAs(t testing.TB, format string, d doc.Doc, s doc.Style) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, doc.Write(&b, format, d, s), d.Name+" "+format)
	switch format {
	case "html":
		_, body, _ := strings.Cut(b.String(), "<main>")
		body, _, _ = strings.Cut(body, "<script>")
		return inner.ReplaceAllString(body, " $1")
	case "xlsx":
		return dumped(t, b.Bytes())
	case "json":
		return compacted(t, b.Bytes())
	}
	return strings.ReplaceAll(b.String(), "\r\n", "\n")
}

// compacted gives JSON with a line for each field at the top, and for each item of a list there.
func compacted(t testing.TB, data []byte) string {
	t.Helper()
	var compact bytes.Buffer
	require.NoError(t, json.Compact(&compact, data))
	var out strings.Builder
	depth, quoted, escaped := 0, false, false
	for _, c := range compact.String() {
		out.WriteRune(c)
		switch {
		case escaped:
			escaped = false
		case quoted && c == '\\':
			escaped = true
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '{' || c == '[':
			depth++
		case c == '}' || c == ']':
			depth--
		case c == ',' && depth <= 2:
			out.WriteByte('\n')
		}
	}
	out.WriteByte('\n')
	return out.String()
}

// formatsOf gives the forms in which a document is offered.
func formatsOf(name string) []string {
	switch {
	case strings.HasPrefix(name, "sheet "):
		return []string{"md", "html", "xlsx", "csv"}
	case slices.Contains([]string{"summary", "sheets", "names"}, name):
		return []string{"text"}
	}
	return doc.Formats()
}

// isAbout tells which documents a case is about: those whose names begin with a word of the line
// "shows: ..." in its comment; all where there is no such line.
func isAbout(archive *txtar.Archive, name string) bool {
	for line := range strings.Lines(string(archive.Comment)) {
		if all, is := strings.CutPrefix(strings.TrimSpace(line), "shows: "); is {
			return slices.ContainsFunc(strings.Fields(all), func(w string) bool {
				return strings.HasPrefix(name, w)
			})
		}
	}
	return true
}

// dumped gives the cells of a workbook, a line a row.
func dumped(t testing.TB, data []byte) string {
	t.Helper()
	book, err := excelize.OpenReader(bytes.NewReader(data))
	require.NoError(t, err)
	defer book.Close()
	var out strings.Builder
	for _, name := range book.GetSheetList() {
		fmt.Fprintf(&out, "[%s]\n", name)
		rows, err := book.GetRows(name)
		require.NoError(t, err)
		for _, r := range rows {
			fmt.Fprintln(&out, strings.TrimRight(strings.Join(r, " | "), " |"))
		}
	}
	return out.String()
}
