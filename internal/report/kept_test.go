package report

import (
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
)

// seeds gives the files of the cases that hold records as the store keeps them.
func seeds(f *testing.F, pattern string, of func(*txtar.Archive) [][]byte) {
	f.Helper()
	cases, err := filepath.Glob(pattern)
	require.NoError(f, err)
	require.NotEmpty(f, cases)
	for _, path := range cases {
		archive, err := txtar.ParseFile(path)
		require.NoError(f, err)
		for _, data := range of(archive) {
			f.Add(string(data))
		}
	}
}

// FuzzKeptAudit reads records of the store that are damaged: they are refused, or every writer
// takes them.
func FuzzKeptAudit(f *testing.F) {
	seeds(f, "testdata/audits/*.txtar", func(a *txtar.Archive) [][]byte {
		return [][]byte{a.Files[0].Data}
	})
	for _, damaged := range []string{
		`{"schema":"upperpath/audit/1","chains":[{"entry":"http://a.example/","hops":[]}]}`,
		`{"schema":"upperpath/audit/1","chains":[{"entry":"http://a.example/","arrival":"http://a.example/","hops":[{"url":"http://a.example/","status":301}],"end":"loop"}]}`,
		`{"schema":"upperpath/audit/1","chains":[{"entry":"http://a.example/","arrival":"http://a.example/","hops":[{"url":"http://a.example/","tls":{}}],"end":"page","stopped_at":9}]}`,
		`{"schema":"upperpath/audit/1","findings":[{"code":"loop","entries":["::","http://[::1"],"evidence":null}]}`,
		`null`, `{"chains":null}`,
	} {
		f.Add(damaged)
	}
	f.Fuzz(func(t *testing.T, text string) {
		var a chain.Audit
		if json.Unmarshal([]byte(text), &a) == nil && a.Check() == nil {
			writeAll(t, &a)
		}
	})
}

func writeAll(t *testing.T, a *chain.Audit) {
	t.Helper()
	writeDocs(t, docsOfAudit(a))
}

func writeDocs(t *testing.T, docs map[string]doc.Doc) {
	t.Helper()
	for name, d := range docs {
		for _, format := range doc.Formats() {
			require.NoError(t, doc.Write(io.Discard, format, d, doc.Style{Detail: true}), name+" "+format)
		}
	}
}

// FuzzKeptSurvey does the same for surveys, on which plans are built as well.
func FuzzKeptSurvey(f *testing.F) {
	seeds(f, "testdata/surveys/*.txtar", func(a *txtar.Archive) [][]byte {
		return [][]byte{a.Files[0].Data, a.Files[1].Data}
	})
	for _, damaged := range []string{
		`{"schema":"upperpath/survey/1","domains":[{"name":"northmoor.example","differences":[{"name":"x","voices":[]}]}]}`,
		`{"schema":"upperpath/survey/1","domains":[{"name":"northmoor.example","records":[{"name":"x","type":"A","values":[]}]}]}`,
		`{"schema":"upperpath/survey/1","domains":[{"name":"northmoor.example","source":"file","records":[{"name":"northmoor.example","type":"SOA","ttl":1,"values":["x"]},{"name":"northmoor.example","type":"MX","ttl":1,"values":["y"]},{"name":"","type":"A","values":["z"]}]}]}`,
		`{"schema":"upperpath/survey/1","domains":[{"name":"..","source":"file","registration":{},"records":null}]}`,
	} {
		f.Add(damaged)
	}
	archive, err := txtar.ParseFile("testdata/plans/changes.txtar")
	require.NoError(f, err)
	dir := f.TempDir()
	for _, file := range archive.Files {
		require.NoError(f, os.WriteFile(filepath.Join(dir, file.Name), file.Data, 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, text string) {
		var v survey.Survey
		if json.Unmarshal([]byte(text), &v) != nil || v.Check() != nil {
			return
		}
		v.Findings = append(v.Findings, survey.Judge{Now: now}.All(&v)...)
		writeDocs(t,
			map[string]doc.Doc{"survey": Survey(&v, true),
				"compare": Compare("survey", "1", "2",
					recheck.Compare(recheck.Of(&v, nil), recheck.Of(&v, nil), nil, nil, now))})
		last, before := survey.Latest([]*survey.Survey{&v, &v})
		p := plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules,
			Pages: e.Pages, Now: now,
			Survey: last, Earlier: before})
		writeDocs(t, map[string]doc.Doc{"plan": Plan(p)})
		for _, s := range Sheets(p) {
			writeDocs(t, map[string]doc.Doc{s.Name: s.Doc})
		}
		for i := range p.Zones {
			if sets, err := p.File(&p.Zones[i]); err == nil {
				_, _ = files.ZoneText(p.Zones[i].Name, sets, "x", files.Marks{Partial: true})
			}
		}
	})
}
