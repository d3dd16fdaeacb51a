package report

import (
	"bytes"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/doc"
)

var update = flag.Bool("update", os.Getenv("UPDATE") != "",
	"write what the writers make into the cases")

// TestWriters writes every document of every case in every form: each has to be as the case says,
// and the case has to say it of each. UPDATE=1 writes them anew.
func TestWriters(t *testing.T) {
	shown := map[string]bool{}
	for _, path := range caseFiles(t) {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		got, named := map[string]string{}, map[string]bool{}
		for name, d := range docsOf(t, path, archive, func(any) {}) {
			subject, _, _ := strings.Cut(name, " ")
			shown[subject] = shown[subject] || isAbout(archive, name)
			named[name] = true
			if !isAbout(archive, name) {
				continue
			}
			for _, format := range formatsOf(name) {
				got[name+"."+format] = writtenAs(t, format, d, doc.Style{Width: 100})
			}
			if slices.Contains([]string{"plan", "audit", "survey", "halfway"}, name) {
				got[name+".narrow"] = writtenAs(t, "text", d, doc.Style{Width: 80, Detail: true})
			}
		}
		want := map[string]string{}
		var kept []txtar.File
		for _, f := range archive.Files {
			ending := filepath.Ext(f.Name)
			_, made := got[f.Name]
			if stale := !made && named[strings.TrimSuffix(f.Name, ending)]; stale {
				assert.True(t, *update, "%s: nothing writes %s any more", path, f.Name)
				continue
			}
			if slices.Contains(inputs, ending) && !made {
				kept = append(kept, f)
				continue
			}
			want[f.Name] = string(f.Data)
		}
		if *update {
			archive.Files = kept
			for _, name := range slices.Sorted(maps.Keys(got)) {
				archive.Files = append(archive.Files, txtar.File{Name: name, Data: []byte(got[name])})
			}
			require.NoError(t, os.WriteFile(path, txtar.Format(archive), 0o644))
			continue
		}
		assert.Equal(
			t,
			slices.Sorted(maps.Keys(got)),
			slices.Sorted(maps.Keys(want)),
			"%s: what is written, and what the case holds",
			path,
		)
		for name, text := range got {
			if text != "" && !strings.HasSuffix(text, "\n") {
				text += "\n" // as the archive keeps it
			}
			assert.Equal(t, want[name], text, "%s: %s", path, name)
		}
	}
	for name, is := range shown {
		assert.True(t, is, "no case shows %s", name)
	}
}

// TestJSONIsIndented looks at the form of JSON, which the cases hold in short.
func TestJSONIsIndented(t *testing.T) {
	var b bytes.Buffer
	d := doc.Doc{Data: doc.Object{
		{Name: "schema", Value: "x/1"}, {Name: "none", Value: doc.SequenceOf([]int{})},
		{Name: "some", Value: doc.SequenceOf([]map[string]int{{"a": 1}, {"b": 2}})},
		{Name: "left", Value: doc.IfSaid("")},
	}}
	require.NoError(t, doc.Write(&b, "json", d, doc.Style{}))
	assert.Equal(t,
		"{\n  \"schema\": \"x/1\",\n  \"none\": [],\n  \"some\": [\n    {\n      \"a\": 1\n    },\n"+
			"    {\n      \"b\": 2\n    }\n  ]\n}\n", b.String())
}

// TestEveryFolderOfCasesHasASubject keeps a case from being looked at by nobody.
func TestEveryFolderOfCasesHasASubject(t *testing.T) {
	for name := range subjects {
		cases, err := filepath.Glob("testdata/" + name + "/*.txtar")
		require.NoError(t, err)
		assert.NotEmpty(t, cases, name)
	}
}

// TestNoLineIsWiderThanTheWindow reads all text of all cases: only what is kept in one piece may be
// wider.
func TestNoLineIsWiderThanTheWindow(t *testing.T) {
	for _, path := range caseFiles(t) {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		for name, d := range docsOf(t, path, archive, func(any) {}) {
			for _, width := range []int{80, 100} {
				for line := range strings.Lines(
					writtenAs(t, "text", d, doc.Style{Width: width, Detail: true})) {
					line = strings.TrimSuffix(line, "\n")
					if len([]rune(line)) <= width || strings.HasPrefix(line, "       ") || d.Name == "look" {
						continue // the facts of a hop stand on one line
					}
					longest := 0
					for _, word := range strings.Fields(line) {
						longest = max(longest, len([]rune(word)))
					}
					assert.Greater(t, longest+20, width/2, "%s: %s at %d columns: %s", path, name, width, line)
				}
			}
		}
	}
}

// TestJSONReadsBack takes an audit through JSON.
func TestJSONReadsBack(t *testing.T) {
	archive, err := txtar.ParseFile("testdata/audits/museums.txtar")
	require.NoError(t, err)
	var a, again chain.Audit
	inputOf(t, archive, "input.json", &a)
	require.NoError(t,
		json.Unmarshal([]byte(writtenAs(t, "json", Audit(&a, "audit", "", now), doc.Style{})), &again))
	assert.Equal(t, len(a.Chains), len(again.Chains))
	assert.Equal(t, len(a.Findings), len(again.Findings))
}

// full is a writer that takes so many octets and then no more.
type full struct{ room int }

func (f *full) Write(p []byte) (int, error) {
	if f.room -= len(p); f.room < 0 {
		return 0, errFull
	}
	return len(p), nil
}

var errFull = errors.New("no room")

// TestAWriterThatFailsIsSaid gives every form little room.
func TestAWriterThatFailsIsSaid(t *testing.T) {
	archive, err := txtar.ParseFile("testdata/audits/museums.txtar")
	require.NoError(t, err)
	var a chain.Audit
	inputOf(t, archive, "input.json", &a)
	for _, format := range doc.Formats() {
		for _, room := range []int{0, 300} {
			err := doc.Write(&full{room}, format, Audit(&a, "audit", "x", now), doc.Style{})
			require.ErrorIs(t, err, errFull, format)
		}
	}
	assert.Error(t, doc.Write(&bytes.Buffer{}, "papyrus", doc.Doc{}, doc.Style{}))
}

func TestNothingHostileGetsThrough(t *testing.T) {
	evil := "\x1b[2J\u009b31m\u202e<script>alert(1)</script>|=cmd"
	c := chain.Chain{
		Entry:   web.MustParseURL("http://a.example/"),
		Probe:   chain.Asked,
		Arrival: web.MustParseURL("http://a.example/"),
		End:     chain.BadLocation,
		Hops: []chain.Answer{
			{URL: web.MustParseURL("http://a.example/"), Status: 301, Location: evil, Detail: evil,
				TLS: &chain.TLS{Version: "TLS 1.3", Names: []string{evil}, Issuer: evil, NotAfter: now}}},
		Findings: []finding.Finding{
			finding.New(finding.BadLocation, "=2+3", fact.Kept{Says: evil, Do: evil})},
	}
	a := &chain.Audit{
		Schema:   chain.AuditSchema,
		Vantage:  evil,
		Started:  now,
		Chains:   []chain.Chain{c},
		Findings: c.Findings,
		Notes:    []string{evil},
	}
	for name, d := range docsOfAudit(a) {
		for _, format := range doc.Formats() {
			text := writtenAs(t, format, d, doc.Style{})
			for _, r := range []string{"\x1b", "\u009b", "\u202e"} {
				assert.NotContains(t, text, r, name+" "+format)
			}
			if format == "html" || format == "junit" { // of Markdown a parser tells (TestNoTextForgesALine)
				assert.NotContains(t, text, "<script", name+" "+format)
			}
		}
	}
}

func TestColourOnlyWhereItIsWanted(t *testing.T) {
	d := Findings("x",
		[]finding.Finding{finding.New(finding.Loop, "x", fact.Kept{Says: "says", Do: "fix"})})
	assert.NotContains(t, writtenAs(t, "text", d, doc.Style{}), "\x1b")
	coloured := writtenAs(t, "text", d, doc.Style{Color: true})
	assert.Contains(t, coloured, "\x1b[31m")
	assert.NotContains(t, coloured, "\x1b[31;1m", "errors do not shout")
}

func TestVerdicts(t *testing.T) {
	loop := finding.New(finding.Loop, "x", fact.Kept{Says: "says", Do: "fix"})
	hop := finding.New(finding.ExtraHop, "x", fact.Kept{Says: "says", Do: "fix"})
	says := func(doors, clean int, found ...finding.Finding) string {
		l := doorList{doors: doors, clean: clean}
		return l.sentence(found)
	}
	assert.Equal(t, "All 4 doors work.", says(4, 4))
	assert.Equal(t, "The door works.", says(1, 1))
	assert.Equal(t, "1 of 4 doors works properly: 1 error, 2 warnings.", says(4, 1, loop, hop, hop))
	assert.Equal(t, "None of the 4 doors works properly: 1 error.", says(4, 0, loop))
	assert.Equal(t, "The door does not work properly: 1 error.", says(1, 0, loop))
	assert.Equal(t, "1 warning.", says(0, 0, hop))
	assert.Equal(t, "No problem found.", says(0, 0))
	l := doorList{doors: 32, clean: 32, rules: 1}
	assert.Equal(t, "All 32 doors work; 1 rule does not: 1 error.",
		l.sentence([]finding.Finding{loop}))
}

// TestWhatStaysInOnePiece wraps texts: a URL, a name and a command are never broken.
func TestWhatStaysInOnePiece(t *testing.T) {
	long := "upperpath audit --only lacemill-museum.example --point " +
		"lacemill-museum.example=203.0.113.20"
	for width := 10; width < 120; width += 7 {
		lines := strings.Join(
			doc.Lay(doc.Cat(doc.Phrase("Try it with "), doc.Copy(long),
				doc.Phrase(" or https://a.example/"+strings.Repeat("x", 90)+" now.")),
				width, doc.Style{}),
			"\n",
		)
		assert.Contains(t, lines, long)
		assert.Contains(t, lines, "https://a.example/"+strings.Repeat("x", 90))
	}
	assert.Equal(
		t,
		doc.Text{{Text: "do ", As: doc.Words}, {Text: "a b", As: doc.Copied},
			{Text: ", then ", As: doc.Words}, {Text: "c", As: doc.Copied}},
		doc.Phrase("do "+doc.Command("a b")+", then "+doc.Command("c")),
	)
	assert.Equal(t, "do a b", doc.Unmarked("do "+doc.Command("a b")))
}

// TestFindingsOfOneCauseAreOne joins what differs in its subject alone, and shows the first of very
// many.
func TestFindingsOfOneCauseAreOne(t *testing.T) {
	var same, many []finding.Finding
	for _, name := range strings.Fields("a b c d e f g h i j k l m n") {
		name += ".example"
		same = append(same,
			finding.New(finding.MailSpoofable, name,
				fact.Kept{Says: name + " has no mail.", Do: "Say so of " + name + "."}))
		many = append(
			many,
			finding.New(finding.WrongPage, name,
				fact.Kept{Says: name + " arrives at " + strings.Repeat("x", len(many)+1),
					Do: "Mend it in " + strings.Repeat("y", len(many)+1) + "."}),
		)
	}
	require.Len(t, findingBlocks(same), 1)
	assert.Len(t, findingBlocks(same)[0].(doc.Finding).Subjects, len(same))
	text := writtenAs(t, "text", Findings("x", many), doc.Style{})
	assert.Contains(t, text, "and 4 more of wrong-page; --format json has them all")
	assert.NotContains(t, text, "k.example")
	assert.Contains(t, writtenAs(t, "md", Findings("x", many), doc.Style{}), "k.example")
	both := findingBlocks(
		[]finding.Finding{finding.New(finding.ExtraHop, "x", fact.Kept{Says: "w", Do: "f"}),
			finding.New(finding.Loop, "y", fact.Kept{Says: "e", Do: "f"})},
	)
	assert.Equal(t, "loop", both[0].(doc.Finding).Code, "errors come before warnings")
}

// TestTheSameRemedyIsOneFinding has findings of one code, which take the same to mend, stand as
// one: a terminal is told where, pages say each, spreadsheets and JUnit have a row each. Those
// whose values have to be read one by one, and hosts that only begin alike, stay apart.
func TestTheSameRemedyIsOneFinding(t *testing.T) {
	hop := func(subject, says, do string) finding.Finding {
		f := finding.New(finding.ExtraHop, subject, fact.Kept{Says: subject + " takes " + says, Do: do})
		f.Entries = []string{subject + "/"}
		return f
	}
	all := []finding.Finding{
		hop("http://a.example", "2 redirects.", "Redirect a.example straight."),
		hop("http://b.example", "3 redirects.", "Redirect b.example straight."),
		hop("https://c.example", "4 redirects.", "Redirect c.example straight."),
		hop("http://www.a.example", "5 redirects.", "Redirect old.www.a.example straight."),
	}
	blocks := findingBlocks(all)
	require.Len(t, blocks, 2)
	one := blocks[0].(doc.Finding)
	require.Len(t, one.Alike, 2)
	assert.Equal(t, "affects 3 doors", one.Affects, "what all of them affect")
	text := writtenAs(t, "text", Findings("x", all), doc.Style{})
	assert.Contains(t, text, "http://a.example takes 2 redirects. Likewise http://b.example,")
	assert.NotContains(t, text, "takes 3 redirects")
	detailed := writtenAs(t, "text", Findings("x", all), doc.Style{Detail: true})
	for _, says := range []string{"takes 2 redirects", "takes 3 redirects", "takes 4 redirects"} {
		assert.Contains(t, detailed, says)
		assert.Contains(t, writtenAs(t, "html", Findings("x", all), doc.Style{}), says)
		assert.Contains(t, writtenAs(t, "md", Findings("x", all), doc.Style{}), says)
		assert.Contains(t, writtenAs(t, "junit", Findings("x", all), doc.Style{}), says)
	}
	split := []finding.Finding{
		finding.New(finding.SplitAnswers, "a.example", fact.Kept{Says: "a.example: 1.", Do: "Find out."}),
		finding.New(finding.SplitAnswers, "b.example", fact.Kept{Says: "b.example: 2.", Do: "Find out."}),
	}
	assert.Len(t, findingBlocks(split), 2)
}

// TestACauseIsSaidOnce has a cause, and what to do about it, stand once on a page: with the finding
// at the top, or with the first that has it.
func TestACauseIsSaidOnce(t *testing.T) {
	why := fact.Kept{Says: "The old machine has it.", Do: "Change the record."}
	var all []finding.Finding
	for i, code := range []finding.Code{finding.ExtraHop, finding.Refused, finding.Expired} {
		all = append(all, finding.New(code, fmt.Sprintf("https://%c.example", 'a'+i),
			fact.Kept{Says: fmt.Sprintf("Fault %d.", i), Do: "Wait."}))
	}
	for i := range all[:2] {
		all[i] = all[i].DueTo(finding.PreviousCarrier, why)
	}
	top, rest := causeFirst(all)
	page := writtenAs(t, "text", doc.Doc{Blocks: doc.Of(slices.Concat(top, rest)...)}, doc.Style{})
	assert.Equal(t, 1, strings.Count(page, why.Says), page)
	for i := range all {
		assert.Equal(t, 1, strings.Count(page, all[i].Says.String()), page)
		assert.GreaterOrEqual(t, strings.Count(page, all[i].Fix.String()), 1, page)
	}
	assert.Equal(t, "refused", top[0].(doc.Finding).Code)
	for _, b := range slices.Concat(top, rest) {
		if v, ok := b.(doc.Finding); ok && v.Code != "expired" {
			assert.Contains(t, v.Whole().String(), why.Says, "a row that stands alone has its cause")
		}
	}
	top, rest = causeFirst(all[2:])
	assert.Empty(t, top, "no cause is known")
	assert.Len(t, rest, 1)

	// What a terminal leaves out of very many is not where a cause is said.
	var many []finding.Finding
	for i := range mostOfACode + 3 {
		f := finding.New(finding.Refused, fmt.Sprintf("https://a%d.example", i),
			fact.Kept{Says: fmt.Sprintf("Fault %d of many.", i), Do: "Wait."})
		if i > mostOfACode {
			f = f.DueTo(finding.PreviousCarrier, why)
		}
		many = append(many, f)
	}
	page = writtenAs(t, "text", Findings("x", append(many, all[0])), doc.Style{})
	assert.Equal(t, 1, strings.Count(page, why.Says), page)
}

// TestDocsOfFindingsAreFresh keeps docs/findings.md the same as the program's own table; make docs
// writes it anew.
func TestDocsOfFindingsAreFresh(t *testing.T) {
	const path = "../../docs/findings.md"
	want := writtenAs(t, "md", KindsPage(), doc.Style{})
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(want), 0o644))
	}
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, want, string(got), "docs/findings.md is stale; run make docs")
}

// TestDocsOfTheEstateFileAreFresh keeps the page of keys and the schema for editors the same as the
// program's own table.
func TestDocsOfTheEstateFileAreFresh(t *testing.T) {
	for path, format := range map[string]string{"../../docs/estate.md": "md",
		"../../docs/schema/estate.json": "json"} {
		want := writtenAs(t, format, EstatePage(), doc.Style{})
		if *update {
			require.NoError(t, os.WriteFile(path, []byte(want), 0o644))
		}
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, want, string(got), "%s is stale; run make docs", path)
	}
}

// TestATerminalIsShownTheDoorsThatMatter has more doors than a person reads, one of them bad: a
// terminal is told how many more there are, and a page has them all.
func TestATerminalIsShownTheDoorsThatMatter(t *testing.T) {
	a := chain.Audit{Canonical: "https://www.n.example"}
	for i := range mostDoors + 1 {
		u := web.MustParseURL(fmt.Sprintf("https://a%d.example/", i))
		c := chain.Chain{Entry: u, Probe: chain.Root, Arrival: web.MustParseURL("https://www.n.example/"),
			End: chain.Page,
			Hops: []chain.Answer{{URL: u, Status: 301},
				{URL: web.MustParseURL("https://www.n.example/"), Status: 200}}}
		if i == 7 {
			c.Findings,
				c.Arrival = []finding.Finding{
				{Code: finding.WrongPage, Severity: finding.Error, Subject: u.String()}}, u
			a.Findings = append(
				a.Findings,
				finding.Finding{Code: finding.WrongPage, Severity: finding.Error, Subject: u.String()},
			)
		}
		a.Chains = append(a.Chains, c)
	}
	d := Audit(&a, "audit", "", now)
	text := writtenAs(t, "text", d, doc.Style{Width: 100})
	assert.Contains(t, text, "https://a7.example")
	assert.NotContains(t, text, "https://a8.example")
	assert.Contains(t, text, fmt.Sprintf("%d more", mostDoors))
	assert.Contains(t, writtenAs(t, "text", d, doc.Style{Width: 100, Detail: true}),
		"https://a8.example")
	assert.Contains(t, writtenAs(t, "html", d, doc.Style{}), "https://a8.example")
}

// TestNothingIsSaidOfCertificatesThatNobodySaw has an audit by http alone.
func TestNothingIsSaidOfCertificatesThatNobodySaw(t *testing.T) {
	u := web.MustParseURL("http://a.example/")
	a := chain.Audit{Canonical: "https://www.n.example", Started: now, Chains: []chain.Chain{
		{Entry: u, Probe: chain.Root, Arrival: u, End: chain.Page,
			Hops: []chain.Answer{{URL: u, Status: 200}}}}}
	text := writtenAs(t, "text", Client(ForClient{Title: "T", Made: now, Today: &a}),
		doc.Style{Width: 100})
	assert.Contains(t, text, "No certificate was seen")
	assert.NotContains(t, text, "expires soon")
}
