package report

import (
	"fmt"
	"iter"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Imported is what came of a file with redirects.
type Imported struct {
	File        string
	Canonical   string // whose targets are shown as paths
	Rules       iter.Seq[ImportedRule]
	Count       int // of the rules
	Skipped     []Skipped
	Differences []Difference
	Undecided   []Skipped // lines without a new address
	Conflicts   []ImportConflict
	Rows        int       // of a table, below its head
	Conflicting int       // of these, lines in Conflicts
	Ranked      bool      // some rules have a rank
	Anyway      []Skipped // lines that do what a door does anyway
	Beside      []Skipped // directives beside redirects that matter to the move
	All         bool      // every difference is shown by itself
	Added       string    // the file to which the rules were added; "" for none

	// lines taken for both schemes and hosts, said twice, without their tracking
	Ours                       int // patterns of the rule language
	Widened, Merged, Untracked int
	Relative                   int // lines that lead to a path of their own host
}

// ImportConflict is two lines that lead one URL to different places.
type ImportConflict struct {
	First      int    `json:"first"`
	Second     int    `json:"second"`
	FirstText  string `json:"first_text"`
	SecondText string `json:"second_text"`
	URL        string `json:"url"`
}

// Skipped is a line that was not translated, and why.
type Skipped struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

// Difference is a URL that the file and the rules made of it answer otherwise.
type Difference struct {
	URL   string `json:"url"`
	Line  int    `json:"line"`            // of the file, that answers there
	Other int    `json:"other,omitempty"` // of the file, whose rule answers here
	Says  string `json:"says"`
}

// ImportedRule is a rule with the line of the file that it comes from.
type ImportedRule struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Old    string `json:"old"`
	New    string `json:"new,omitempty"`
	Status string `json:"status"`
	Query  string `json:"query,omitempty"`
	Rank   string `json:"rank,omitempty"`
	Note   string `json:"note,omitempty"`
}

// Import is what came of a file. Its main table is a working file: rules as the estate reads them.
func Import(m Imported) doc.Doc {
	t := doc.Table{
		Head: []string{"line", "old", "new", "status", "query"},
		Key:  2,
		More: doc.Command("--format csv") + " has them all",
	}
	for r := range m.Rules {
		if len(t.Rows) == mostImported && !m.All {
			t.Rest = m.Count - len(t.Rows)
			break
		}
		to, query := r.New, r.Query
		if to == "" {
			to = "gone"
		}
		if query == "" && r.New != "" {
			query = "keep"
		}
		t.Rows = append(t.Rows, doc.Cells(fmt.Sprint(r.Line), wording.Cut(shown(r.Old), 70),
			wording.Cut(shown(strings.TrimPrefix(to, m.Canonical)), 60), r.Status, query))
	}
	blocks := []doc.Block{importVerdict(m)}
	if len(m.Skipped) > 0 {
		blocks = append(blocks, linesList("Not translated: check these by hand", doc.Failed, m.Skipped))
	}
	if len(m.Conflicts) > 0 {
		l := doc.List{Title: "One URL, two targets: no rule is made of these", Tone: doc.Failed,
			More: doc.Command("--format json") + " has them all"}
		for _, c := range m.Conflicts {
			l.Items = append(l.Items, doc.Cat(doc.Copy(wording.Cut(c.URL, 90)), doc.NewLine,
				doc.Phrasef("line %d: ", c.First), doc.Copy(wording.Cut(c.FirstText, 90)), doc.NewLine,
				doc.Phrasef("line %d: ", c.Second), doc.Copy(wording.Cut(c.SecondText, 90))))
		}
		blocks = append(blocks, l)
	}
	if len(m.Undecided) > 0 {
		l := doc.List{Title: "Undecided: no target yet", Tone: doc.Warned,
			More: doc.Command("--format json") + " has them all"}
		for _, s := range m.Undecided {
			l.Items = append(l.Items,
				doc.Cat(doc.Phrasef("line %d: ", s.Line), doc.Copy(wording.Cut(s.Text, 90))))
		}
		blocks = append(blocks, l)
	}
	blocks = append(blocks, takenWider(m)...)
	if len(m.Anyway) > 0 {
		blocks = append(blocks, linesList("No rule needed: a door does this anyway", doc.Good, m.Anyway))
	}
	if len(m.Beside) > 0 {
		blocks = append(blocks,
			linesList("Not redirects, but important for the move", doc.Noted, m.Beside))
	}
	if len(m.Differences) > 0 {
		l := doc.List{Title: "Where these rules answer differently from the file", Tone: doc.Warned,
			More: doc.Command("--all") + " shows them all"}
		differences := gathered(m.Differences)
		if m.All {
			differences = m.Differences
		}
		for _, d := range differences {
			l.Items = append(l.Items, doc.Cat(doc.Copy(d.URL), doc.NewLine, doc.Phrase(d.Says)))
		}
		blocks = append(blocks, l)
	}
	if m.Count > 0 {
		blocks = append(blocks, t)
	}
	return doc.Doc{
		Name: "import", Main: "rules", Blocks: func(yield func(doc.Block) bool) {
			for _, b := range blocks {
				if !yield(b) {
					return
				}
			}
			m.sheet(yield)
		},
		Data: doc.Object{
			{Name: "schema", Value: "upperpath/import/1"}, {Name: "file", Value: m.File},
			{Name: "added", Value: doc.IfSaid(m.Added)},
			{Name: "rules", Value: doc.Lines(func(yield func(any) bool) {
				for r := range m.Rules {
					if !yield(r) {
						return
					}
				}
			})},
			{Name: "skipped", Value: append([]Skipped{}, m.Skipped...)},
			{Name: "differences", Value: append([]Difference{}, m.Differences...)},
			{Name: "undecided", Value: append([]Skipped{}, m.Undecided...)},
			{Name: "conflicts", Value: doc.IfAny(m.Conflicts)}, {Name: "rows", Value: ifMore(m.Rows)},
			{Name: "anyway", Value: doc.IfAny(m.Anyway)}, {Name: "beside", Value: doc.IfAny(m.Beside)},
			{Name: "patterns", Value: ifMore(m.Ours)},
			{Name: "widened", Value: ifMore(m.Widened)}, {Name: "merged", Value: ifMore(m.Merged)},
			{Name: "untracked", Value: ifMore(m.Untracked)},
		},
	}
}

// mostImported is how many rules are shown where nobody asks for all; the working file has every
// one.
const mostImported = 1000

// sheet is the working file, in pieces: rules as the estate reads them.
func (m Imported) sheet(yield func(doc.Block) bool) {
	piece := doc.Data{Sheet: "rules", Head: []string{"old", "new", "status", "query", "note"},
		Exact: true, Goes: true}
	if m.Ranked {
		piece.Head = append(piece.Head, "rank")
	}
	for r := range m.Rules {
		row := []string{r.Old, r.New, r.Status, r.Query, r.Note}
		if m.Ranked {
			row = append(row, r.Rank)
		}
		if piece.Rows = append(piece.Rows, row); len(piece.Rows) == sheetPiece {
			if !yield(piece) {
				return
			}
			piece.Rows = nil
		}
	}
	piece.Goes = false
	yield(piece)
}

// ifMore gives a number for a field that is left out where it is 0.
func ifMore(n int) func() any {
	return func() any {
		if n == 0 {
			return nil
		}
		return n
	}
}

// linesList is lines of the file, each with what is to be said of it.
func linesList(title string, tone doc.Tone, lines []Skipped) doc.List {
	l := doc.List{Title: title, Tone: tone, More: doc.Command("--all") + " shows them all"}
	for _, s := range lines {
		l.Items = append(l.Items,
			doc.Cat(doc.Phrasef("line %d: ", s.Line), doc.Copy(wording.Cut(s.Text, 90)), doc.NewLine,
				doc.Phrase(s.Reason)))
	}
	return l
}

// takenWider says where a table was read as people mean it, and not to the letter.
func takenWider(m Imported) []doc.Block {
	var blocks []doc.Block
	say := func(n int, format string) {
		if n > 0 {
			blocks = append(blocks,
				doc.Paragraph{Text: doc.Phrasef(format, wording.Count(n, "line")), Soft: true,
					Gap: len(blocks) == 0})
		}
	}
	if m.Rows > 0 {
		taken := m.Rows - len(m.Undecided) - m.Conflicting - len(m.Skipped)
		blocks = append(blocks, doc.Paragraph{Soft: true, Gap: true, Text: doc.Phrasef(
			"Of %s below the head %d are taken, %d undecided, %d in conflict, %d left.",
			wording.Count(m.Rows, "row"), taken, len(m.Undecided), m.Conflicting, len(m.Skipped))})
	}
	say(m.Ours, "%s with captures of the rule language, such as {name}: taken as patterns.")
	say(m.Widened,
		"%s named one scheme, or the www of a domain, and became a rule for http and https, apex and "+
			"www: no other line contradicts that.")
	say(m.Merged, "%s said the same about the other scheme or host, and is part of that rule.")
	say(
		m.Relative,
		"%s led to a path on the requested host; the rule of an apex leads its www there too, to the "+
			"apex.",
	)
	say(m.Untracked,
		"%s named tracking parameters (utm_source, gclid and similar), which are not conditions.")
	return blocks
}

func importVerdict(m Imported) doc.Verdict {
	v := doc.Verdict{
		Tone: doc.Good,
		Says: doc.Phrasef(words.Imported, wording.Count(m.Count, "rule"),
			m.File,
			wording.Count(len(m.Skipped), "line"), wording.Count(len(m.Differences), "difference")),
	}
	if len(m.Undecided) > 0 {
		v.Says = doc.Phrasef(words.ImportedOpen,
			wording.Count(m.Count, "rule"), m.File,
			wording.Count(len(m.Skipped), "line"), len(m.Undecided),
			wording.Count(len(m.Differences), "difference"))
	}
	if len(m.Differences)+len(m.Undecided) > 0 {
		v.Tone = doc.Warned
	}
	if len(m.Skipped)+len(m.Conflicts) > 0 {
		v.Tone = doc.Failed
	}
	switch {
	case m.Added != "":
		v.Next = doc.Cat(
			doc.Phrasef(words.AddedTo, m.Added),
			doc.Copy("upperpath prove"),
			doc.Phrase(words.SaysWhetherLead),
		)
	case m.Count > 0:
		v.Next = doc.Cat(doc.Phrase(words.NothingAdded), doc.Copy("--add"),
			doc.Phrase(words.AddsThem))
	}
	return v
}

// gathered gives the differences with those of one line as one, with the first of their URLs.
func gathered(all []Difference) []Difference {
	var made []Difference
	others := map[int][]int{}
	for _, d := range all {
		if d.Other > 0 {
			others[d.Line] = append(others[d.Line], d.Other)
		}
	}
	said := map[int]bool{}
	for _, d := range all {
		slices.Sort(others[d.Line])
		switch lines := slices.Compact(slices.Clone(others[d.Line])); {
		case d.Other == 0:
			d.Says = fmt.Sprintf("line %d: %s", d.Line, d.Says)
		case said[d.Line]:
			continue
		case len(lines) == 1:
			d.Says = fmt.Sprintf(
				"line %d of the file comes first and takes it; here line %d wins, which is more specific.",
				d.Line,
				d.Other,
			)
		default:
			d.Says = fmt.Sprintf(
				"line %d of the file comes first and takes it, as it takes other URLs of lines %s; here "+
					"those win, which are "+
					"more specific.",
				d.Line,
				strings.Trim(strings.ReplaceAll(fmt.Sprint(lines), " ", ", "), "[]"),
			)
		}
		said[d.Line] = said[d.Line] || d.Other > 0
		made = append(made, d)
	}
	return made
}
