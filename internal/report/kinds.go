package report

import (
	"fmt"
	"iter"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// kindData is the table of findings as JSON has it.
type kindData struct {
	Code     string `json:"code"`
	Plain    string `json:"plain"`
	Severity string `json:"severity"`
	About    string `json:"about"`
	Means    string `json:"means"`
	Meets    string `json:"meets"`
	Do       string `json:"do"`
	Milder   string `json:"milder,omitempty"`
	Graver   string `json:"graver,omitempty"`

	Causes []causeData `json:"causes,omitempty"`
}

// causeData is a row of the table of causes as JSON has it.
type causeData struct {
	Cause string   `json:"cause"`
	Means string   `json:"means"`
	Shows string   `json:"shows"`
	Do    string   `json:"do"`
	Of    []string `json:"of"`
}

func causesData(all []finding.CauseKind) []causeData {
	var made []causeData
	for _, c := range all {
		made = append(made,
			causeData{c.Name, words.Cause(c.Cause).Means, words.Cause(c.Cause).Shows,
				words.Cause(c.Cause).Do, finding.Names(c.Of)})
	}
	return made
}

func kindsData(all []finding.Row) any {
	made := []kindData{}
	for _, k := range all {
		made = append(made,
			kindData{k.Name, words.Code(k.Code).Plain, string(k.Severity), k.About, words.Code(k.Code).Means,
				words.Code(k.Code).Meets,
				doc.Unmarked(withHelp(words.Code(k.Code).Do, k.Help)), words.Code(k.Code).Milder,
				words.Code(k.Code).Graver, causesData(causesOf(k))})
	}
	return struct {
		Schema   string     `json:"schema"`
		Findings []kindData `json:"findings"`
	}{"upperpath/findings/1", made}
}

// Kinds is the table of findings, a row each.
func Kinds() doc.Doc {
	t := doc.Table{Sheet: "findings", Head: []string{"finding", "in plain words", "what it means"},
		Order: true}
	for _, k := range finding.Rows() {
		t.Rows = append(t.Rows,
			[]doc.Cell{{Text: doc.Phrase(k.Name), Tone: doc.ToneOf(k.Severity)},
				{Text: doc.Phrase(words.Code(k.Code).Plain)},
				{Text: doc.Phrase(words.Code(k.Code).Means)}})
	}
	return doc.Doc{Name: "findings",
		Blocks: doc.Of(t,
			doc.Paragraph{Text: doc.Cat(doc.Phrase("✗ error, ! warning, i note. For one code: "),
				doc.Copy("upperpath explain CODE")), Soft: true}), Data: kindsData(finding.Rows())}
}

// Explain is the page of one finding.
func Explain(k finding.Row) doc.Doc {
	facts := doc.Facts{{Name: "means", Value: doc.Phrase(words.Code(k.Code).Means)},
		{Name: "visitors meet", Value: doc.Phrase(words.Code(k.Code).Meets)},
		{Name: "what to do", Value: doc.Phrase(withHelp(words.Code(k.Code).Do, k.Help))}}
	if words.Code(k.Code).Milder != "" {
		facts = append(facts, doc.Fact{Name: "milder", Value: doc.Phrase(words.Code(k.Code).Milder)})
	}
	if words.Code(k.Code).Graver != "" {
		facts = append(facts, doc.Fact{Name: "an error", Value: doc.Phrase(words.Code(k.Code).Graver)})
	}
	for _, c := range causesOf(k) {
		facts = append(
			facts,
			doc.Fact{Name: c.Name,
				Value: doc.Phrase(words.Cause(c.Cause).Means + " It shows: " +
					wording.LowerFirst(words.Cause(c.Cause).Shows) + " → " + words.Cause(c.Cause).Do)},
		)
	}
	return doc.Doc{Name: "finding", Blocks: doc.Of(
		doc.Verdict{Tone: doc.ToneOf(k.Severity),
			Says: doc.Cat(doc.Text{{Text: k.Name, As: doc.Strong}},
				doc.Phrasef(": %s", words.Code(k.Code).Plain))},
		doc.Paragraph{Text: doc.Phrasef("%s, about %s", k.Severity, k.About), Soft: true}, facts,
		doc.Data{Sheet: "finding", Head: []string{"code", "plain", "severity", "means", "meets", "do"},
			Rows: [][]string{{k.Name, words.Code(k.Code).Plain, string(k.Severity), words.Code(k.Code).Means,
				words.Code(k.Code).Meets,
				doc.Unmarked(withHelp(words.Code(k.Code).Do, k.Help))}}},
	), Data: kindsData([]finding.Row{k})}
}

func causesOf(k finding.Row) []finding.CauseKind {
	code, _ := finding.Named(k.Name)
	return finding.CausesOf(code)
}

// ExplainCause is the page of one cause.
func ExplainCause(c finding.CauseKind) doc.Doc {
	return doc.Doc{Name: "cause", Blocks: doc.Of(
		doc.Verdict{Says: doc.Cat(doc.Text{{Text: c.Name, As: doc.Strong}},
			doc.Phrase(": "+words.Cause(c.Cause).Means))},
		doc.Paragraph{Text: doc.Phrase("a cause of " + strings.Join(finding.Names(c.Of), ", ")),
			Soft: true},
		doc.Facts{{Name: "shows itself", Value: doc.Phrase(words.Cause(c.Cause).Shows)},
			{Name: "what to do", Value: doc.Phrase(words.Cause(c.Cause).Do)}},
		doc.Data{Sheet: "cause", Head: []string{"cause", "means", "shows", "do", "of"},
			Rows: [][]string{{c.Name, words.Cause(c.Cause).Means, words.Cause(c.Cause).Shows,
				words.Cause(c.Cause).Do, strings.Join(finding.Names(c.Of), " ")}}},
	), Data: struct {
		Schema string      `json:"schema"`
		Causes []causeData `json:"causes"`
	}{"upperpath/findings/1", causesData([]finding.CauseKind{c})}}
}

// KindsPage is the page of all findings in the docs.
func KindsPage() doc.Doc {
	return doc.Doc{Name: "findings", Title: "Findings", Blocks: kindChapters(),
		Data: kindsData(finding.Rows())}
}

func kindChapters() iter.Seq[doc.Block] {
	return func(yield func(doc.Block) bool) {
		yield(
			doc.Paragraph{Text: doc.Cat(
				doc.Phrase("What each code means, what a visitor meets, and what to do. A code never "+
					"changes its "+
					"meaning. This page is made from the program's own table ("), doc.Copy("make docs"),
				doc.Phrase("); "),
				doc.Copy("upperpath explain CODE"), doc.Phrase(" prints the same."))},
		)
		chapter := ""
		for _, k := range finding.Rows() {
			if k.About != chapter {
				chapter = k.About
				yield(doc.Heading{Level: 2, Text: "About " + chapter})
			}
			yield(doc.Heading{Level: 3,
				Text: fmt.Sprintf("%s: %s (%s)", k.Name, words.Code(k.Code).Plain, k.Severity)})
			yield(doc.Paragraph{Text: doc.Phrase(words.Code(k.Code).Means)})
			items := []doc.Text{
				doc.Phrase("Visitors meet: " + wording.LowerFirst(words.Code(k.Code).Meets)),
				doc.Phrase("What to do: " + withHelp(words.Code(k.Code).Do, k.Help)),
			}
			if words.Code(k.Code).Milder != "" {
				items = append(items, doc.Phrase("Milder: "+words.Code(k.Code).Milder+"."))
			}
			if words.Code(k.Code).Graver != "" {
				items = append(items, doc.Phrase("An error: "+words.Code(k.Code).Graver+"."))
			}
			for _, c := range causesOf(k) {
				items = append(items,
					doc.Cat(doc.Phrase("Its cause can be "), doc.Text{{Text: c.Name, As: doc.Strong}},
						doc.Phrase(".")))
			}
			yield(doc.List{Items: items})
		}
		yield(doc.Heading{Level: 2, Text: "Causes"})
		yield(doc.Paragraph{
			Text: doc.Cat(doc.Phrase("Where the evidence shows why a fault is there, a finding names its "+
				"cause; "),
				doc.Copy("upperpath explain CAUSE"), doc.Phrase(" prints the same."))})
		for _, c := range finding.Causes() {
			yield(doc.Heading{Level: 3, Text: c.Name})
			yield(doc.Paragraph{Text: doc.Phrase(words.Cause(c.Cause).Means)})
			yield(doc.List{Items: []doc.Text{
				doc.Phrase("Shows itself: " + wording.LowerFirst(words.Cause(c.Cause).Shows)),
				doc.Phrase("What to do: " + words.Cause(c.Cause).Do),
				doc.Phrase("Behind: " + strings.Join(finding.Names(c.Of), ", ") + ".")}})
		}
	}
}
