package report

import (
	"fmt"
	"iter"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
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
		made = append(made, causeData{c.Name, c.Means, c.Shows, c.Do, finding.Names(c.Of)})
	}
	return made
}

func kindsData(all []finding.Row) any {
	made := []kindData{}
	for _, k := range all {
		made = append(made, kindData{k.Name, k.Plain, string(k.Severity), k.About, k.Means, k.Meets,
			unmarked(withHelp(k.Do, k.Help)), k.Milder, k.Graver, causesData(causesOf(k))})
	}
	return struct {
		Schema   string     `json:"schema"`
		Findings []kindData `json:"findings"`
	}{"upperpath/findings/1", made}
}

// Kinds is the table of findings, a row each.
func Kinds() Doc {
	t := Table{Sheet: "findings", Head: []string{"finding", "in plain words", "what it means"}, Order: true}
	for _, k := range finding.Rows() {
		t.Rows = append(t.Rows, []Cell{{words(k.Name), toneOf(k.Severity)}, {Text: words(k.Plain)}, {Text: words(k.Means)}})
	}
	return Doc{Name: "findings", Blocks: of(t, Paragraph{Text: cat(words("✗ error, ! warning, i note. One of them: "),
		copied("upperpath explain CODE")), Soft: true}), Data: kindsData(finding.Rows())}
}

// Explain is the page of one finding.
func Explain(k finding.Row) Doc {
	facts := Facts{{Name: "means", Value: words(k.Means)}, {Name: "a visitor meets", Value: words(k.Meets)},
		{Name: "what to do", Value: words(withHelp(k.Do, k.Help))}}
	if k.Milder != "" {
		facts = append(facts, Fact{Name: "less grave", Value: words(k.Milder)})
	}
	if k.Graver != "" {
		facts = append(facts, Fact{Name: "an error", Value: words(k.Graver)})
	}
	for _, c := range causesOf(k) {
		facts = append(
			facts,
			Fact{Name: c.Name, Value: words(c.Means + " It shows: " + wording.LowerFirst(c.Shows) + " → " + c.Do)},
		)
	}
	return Doc{Name: "finding", Blocks: of(
		Verdict{Tone: toneOf(k.Severity), Says: cat(Text{{k.Name, Strong}}, wordsf(": %s", k.Plain))},
		Paragraph{Text: wordsf("%s, about %s", k.Severity, k.About), Soft: true}, facts,
		Data{Sheet: "finding", Head: []string{"code", "plain", "severity", "means", "meets", "do"},
			Rows: [][]string{{k.Name, k.Plain, string(k.Severity), k.Means, k.Meets, unmarked(withHelp(k.Do, k.Help))}}},
	), Data: kindsData([]finding.Row{k})}
}

func causesOf(k finding.Row) []finding.CauseKind {
	code, _ := finding.Named(k.Name)
	return finding.CausesOf(code)
}

// ExplainCause is the page of one cause.
func ExplainCause(c finding.CauseKind) Doc {
	return Doc{Name: "cause", Blocks: of(
		Verdict{Says: cat(Text{{c.Name, Strong}}, words(": "+c.Means))},
		Paragraph{Text: words("a cause of " + strings.Join(finding.Names(c.Of), ", ")), Soft: true},
		Facts{{Name: "shows itself", Value: words(c.Shows)}, {Name: "what to do", Value: words(c.Do)}},
		Data{Sheet: "cause", Head: []string{"cause", "means", "shows", "do", "of"},
			Rows: [][]string{{c.Name, c.Means, c.Shows, c.Do, strings.Join(finding.Names(c.Of), " ")}}},
	), Data: struct {
		Schema string      `json:"schema"`
		Causes []causeData `json:"causes"`
	}{"upperpath/findings/1", causesData([]finding.CauseKind{c})}}
}

// KindsPage is the page of all findings in the docs.
func KindsPage() Doc {
	return Doc{Name: "findings", Title: "Findings", Blocks: kindChapters(), Data: kindsData(finding.Rows())}
}

func kindChapters() iter.Seq[Block] {
	return func(yield func(Block) bool) {
		yield(
			Paragraph{Text: cat(words("What each code means, what a visitor meets, and what to do. A code never changes its "+
				"meaning. This page is made from the program's own table ("), copied("make docs"), words("); "),
				copied("upperpath explain CODE"), words(" prints the same."))},
		)
		chapter := ""
		for _, k := range finding.Rows() {
			if k.About != chapter {
				chapter = k.About
				yield(Heading{Level: 2, Text: "About " + chapter})
			}
			yield(Heading{Level: 3, Text: fmt.Sprintf("%s: %s (%s)", k.Name, k.Plain, k.Severity)})
			yield(Paragraph{Text: words(k.Means)})
			items := []Text{
				words("A visitor meets: " + wording.LowerFirst(k.Meets)),
				words("What to do: " + withHelp(k.Do, k.Help)),
			}
			if k.Milder != "" {
				items = append(items, words("Less grave: "+k.Milder+"."))
			}
			if k.Graver != "" {
				items = append(items, words("An error: "+k.Graver+"."))
			}
			for _, c := range causesOf(k) {
				items = append(items, cat(words("Its cause can be "), Text{{c.Name, Strong}}, words(".")))
			}
			yield(List{Items: items})
		}
		yield(Heading{Level: 2, Text: "Causes"})
		yield(Paragraph{Text: cat(words("Where the evidence shows why a fault is there, a finding names its cause; "),
			copied("upperpath explain CAUSE"), words(" prints the same."))})
		for _, c := range finding.Causes() {
			yield(Heading{Level: 3, Text: c.Name})
			yield(Paragraph{Text: words(c.Means)})
			yield(List{Items: []Text{words("Shows itself: " + wording.LowerFirst(c.Shows)), words("What to do: " + c.Do),
				words("Behind: " + strings.Join(finding.Names(c.Of), ", ") + ".")}})
		}
	}
}
