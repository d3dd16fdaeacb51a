package report

import (
	"fmt"
	"iter"

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
}

func kindsData(all []finding.Kind) any {
	made := []kindData{}
	for _, k := range all {
		made = append(made, kindData{k.Name, k.Plain, string(k.Severity), k.About, k.Means, k.Meets,
			unmarked(withHelp(k.Do, k.Help)), k.Milder})
	}
	return struct {
		Schema   string     `json:"schema"`
		Findings []kindData `json:"findings"`
	}{"upperpath/findings/1", made}
}

// Kinds is the table of findings, a row each.
func Kinds() Doc {
	t := Table{Sheet: "findings", Head: []string{"finding", "in plain words", "what it means"}, Order: true}
	for _, k := range finding.Kinds() {
		t.Rows = append(t.Rows, []Cell{{words(k.Name), toneOf(k.Severity)}, {Text: words(k.Plain)}, {Text: words(k.Means)}})
	}
	return Doc{Name: "findings", Blocks: of(t, Paragraph{Text: cat(words("✗ error, ! warning, i note. One of them: "),
		copied("upperpath explain CODE")), Soft: true}), Data: kindsData(finding.Kinds())}
}

// Explain is the page of one finding.
func Explain(k finding.Kind) Doc {
	facts := Facts{{Name: "means", Value: words(k.Means)}, {Name: "a visitor meets", Value: words(k.Meets)},
		{Name: "what to do", Value: words(withHelp(k.Do, k.Help))}}
	if k.Milder != "" {
		facts = append(facts, Fact{Name: "only a warning", Value: words(k.Milder)})
	}
	return Doc{Name: "finding", Blocks: of(
		Verdict{Tone: toneOf(k.Severity), Says: cat(Text{{k.Name, Strong}}, wordsf(": %s", k.Plain))},
		Paragraph{Text: wordsf("%s, about %s", k.Severity, k.About), Soft: true}, facts,
		Data{Sheet: "finding", Head: []string{"code", "plain", "severity", "means", "meets", "do"},
			Rows: [][]string{{k.Name, k.Plain, string(k.Severity), k.Means, k.Meets, unmarked(withHelp(k.Do, k.Help))}}},
	), Data: kindsData([]finding.Kind{k})}
}

// KindsPage is the page of all findings in the docs.
func KindsPage() Doc {
	return Doc{Name: "findings", Title: "Findings", Blocks: kindChapters(), Data: kindsData(finding.Kinds())}
}

func kindChapters() iter.Seq[Block] {
	return func(yield func(Block) bool) {
		yield(
			Paragraph{Text: cat(words("What each code means, what a visitor meets, and what to do. A code never changes its "+
				"meaning. This page is made from the program's own table ("), copied("make docs"), words("); "),
				copied("upperpath explain CODE"), words(" prints the same."))},
		)
		chapter := ""
		for _, k := range finding.Kinds() {
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
				items = append(items, words("Only a warning: "+k.Milder+"."))
			}
			yield(List{Items: items})
		}
	}
}
