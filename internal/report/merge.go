package report

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
)

// MergedLine is a line of one of several redirect maps.
type MergedLine struct {
	File string `json:"file"`
	Line int    `json:"line"`
	Text string `json:"text"`
}

// MergedPair is two lines that take one URL.
type MergedPair struct {
	First  MergedLine `json:"first"`
	Second MergedLine `json:"second"`
	URL    string     `json:"url,omitempty"`
}

// MergedRules is what came of several redirect maps.
type MergedRules struct {
	Into      string // the estate's
	Written   string // the file that was written; "": none
	Added     int
	Same      int
	Columns   []string
	Conflicts []MergedPair
	Ties      []MergedPair
}

// Merge says what several redirect maps have in common, and what not.
func Merge(m MergedRules) doc.Doc {
	v := doc.Verdict{Tone: doc.Good, Says: doc.Phrase(fmt.Sprintf(
		"%s new for %s; %s the same, %s.", wording.Count(m.Added, "line"), m.Into,
		wording.Count(m.Same, "line"), wording.Count(len(m.Conflicts), "conflict")))}
	if len(m.Conflicts)+len(m.Ties) > 0 {
		v.Tone = doc.Failed
	}
	switch {
	case m.Written != "":
		v.Next = doc.Phrase("Written to " + m.Written + ". Prove the whole: " +
			doc.Command("upperpath prove"))
	case m.Added > 0:
		v.Next = doc.Phrase("Nothing was written; " + doc.Command("--add") + " or " +
			doc.Command("--to FILE") + " does.")
	}
	blocks := []doc.Block{v}
	list := func(title string, all []MergedPair) {
		l := doc.List{
			Title: title,
			Tone:  doc.Failed,
			More:  doc.Command("--format json") + " has them all",
		}
		for _, c := range all {
			l.Items = append(l.Items, doc.Cat(
				doc.Copy(c.URL),
				doc.NewLine,
				doc.Phrasef(
					"%s line %d: ",
					c.First.File,
					c.First.Line,
				),
				doc.Copy(c.First.Text),
				doc.NewLine,
				doc.Phrasef("%s line %d: ", c.Second.File, c.Second.Line),
				doc.Copy(c.Second.Text),
			))
		}
		if len(l.Items) > 0 {
			blocks = append(blocks, l)
		}
	}
	list("One URL, two targets: the earlier line stays", m.Conflicts)
	list("Equally specific: make one more specific, or give both a rank", m.Ties)
	if len(m.Columns) > 0 {
		blocks = append(blocks, doc.Paragraph{Gap: true, Soft: true,
			Text: doc.Phrase("Columns that are new: " + wording.And(m.Columns) + ".")})
	}
	return doc.Doc{Name: "merge", Title: "Redirect maps, merged", Blocks: doc.Of(blocks...),
		Data: doc.Object{
			{Name: "schema", Value: "upperpath/merge/1"}, {Name: "into", Value: m.Into},
			{Name: "written", Value: doc.IfSaid(m.Written)}, {Name: "added", Value: m.Added},
			{Name: "same", Value: m.Same}, {Name: "columns", Value: append([]string{}, m.Columns...)},
			{Name: "conflicts", Value: append([]MergedPair{}, m.Conflicts...)},
			{Name: "ties", Value: append([]MergedPair{}, m.Ties...)},
		}}
}
