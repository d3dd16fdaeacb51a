package report

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Rehearsed is what is met behind steps of a plan that is played: a line a step.
func Rehearsed(p *plan.Plan, all []plan.Met, now time.Time) doc.Doc {
	for i := range all {
		all[i].Says = doc.Unmarked(words.Step(p.Steps[all[i].Step-1]))
	}
	d := doc.Doc{Name: "steps", Title: "Rehearsal of the steps to " + p.Canonical,
		About: "played on " + now.Format(clockForm), Main: "steps"}
	v := doc.Verdict{Tone: doc.Good, Next: doc.Cat(doc.Phrase(words.AsRunbook),
		doc.Copy("upperpath runbook"))}
	mixtures := 0
	unseen := map[string]bool{}
	for _, m := range all {
		mixtures += m.Mixtures
		for _, door := range m.Unseen {
			unseen[door] = true
		}
	}
	broken, errors := plan.Breaks(all), finding.Count(p.Findings, finding.Error)
	steps := wording.Count(len(all), "step")
	if len(all) == 1 {
		steps = fmt.Sprintf("step %d", all[0].Step)
	}
	seen := ""
	if n := len(p.Played.Partly); n > 0 {
		seen = fmt.Sprintf(words.PlayedPartly, wording.Count(n, "zone"))
	}
	tried := ""
	if mixtures > 0 {
		tried = fmt.Sprintf(words.StepsMixed, wording.Count(mixtures, "mixture"))
	}
	switch {
	case len(broken) > 0:
		v = doc.Verdict{Tone: doc.Failed, Says: doc.Phrasef(words.StepsBreak, steps,
			wording.Count(len(broken), "thing"), wording.Verb(len(broken), "breaks", "break"))}
	case errors > 0: // of mail, senders and names too, which nobody looks at on the stage
		v = doc.Verdict{Tone: doc.Failed, Says: doc.Phrasef(words.StepsErrors,
			wording.Count(errors, "error")), Next: doc.Copy("upperpath plan")}
	case len(unseen) > 0:
		v.Tone, v.Says = doc.Unseen, doc.Phrasef(words.StepsUnseen, steps, seen, len(unseen))
		v.Next = doc.Copy("upperpath survey")
	default:
		v.Says = doc.Phrasef(words.StepsHold, steps, seen, tried)
	}
	t := doc.Table{Sheet: "steps", Head: []string{"step", "what is done", "arrive", "as today", "said",
		"break", "mail", "mixed", "undo"}}
	if len(unseen) > 0 {
		t.Head = append(t.Head, "unseen")
	}
	for _, m := range all {
		row := doc.Cells(fmt.Sprint(m.Step), shortStep(m.Says), fmt.Sprint(m.Arrive),
			countOrDash(m.Today), countOrDash(len(m.Said)), countOrDash(len(m.Broken)),
			fmt.Sprint(m.Mail), mixturesText(m), undoText(m))
		if len(unseen) > 0 {
			row = append(row, doc.Cells(countOrDash(len(m.Unseen)))...)
		}
		if len(m.Broken) > 0 {
			row[5].Tone = doc.Failed
		}
		t.Rows = append(t.Rows, row)
	}
	blocks := []doc.Block{v, t, doc.Paragraph{Soft: true, Text: doc.Phrase(words.StepsColumns)}}
	var said, fails, open []doc.Text
	for _, m := range all {
		for _, one := range m.Said {
			said = append(said, doc.Phrasef("behind step %d: %s", m.Step, one))
		}
		for _, b := range m.Broken {
			text := fmt.Sprintf("behind step %d: %s meets %s", m.Step, b.What, wording.OrNothing(
				slices.DeleteFunc([]string{b.Met}, func(s string) bool { return s == "" })))
			if len(b.Old) > 0 {
				text += ", for those who hold older answers of " + wording.Few(b.Old, 4)
			}
			fails = append(fails, doc.Phrase(text))
		}
		for _, door := range m.Unseen {
			if unseen[door] { // each is said once
				open = append(open, doc.Phrasef("from step %d on: %s", m.Step, door))
			}
			unseen[door] = false
		}
	}
	list := func(title string, tone doc.Tone, items []doc.Text) {
		if len(items) > 0 {
			blocks = append(blocks, doc.List{Title: title, Items: items, Tone: tone,
				More: doc.Command("--format json") + " has them all"})
		}
	}
	list("What breaks", doc.Failed, fails)
	list("Unseen", doc.Unseen, open)
	if len(all) == 1 {
		list("What fails for a while, as the plan says", doc.Warned, said)
	}
	d.Blocks = doc.Of(blocks...)
	d.Data = struct {
		Schema string     `json:"schema"`
		Steps  []plan.Met `json:"steps"`
	}{"upperpath/steps/1", all}
	return d
}

func mixturesText(m plan.Met) string {
	switch {
	case m.All == 0:
		return "-"
	case m.Mixtures < m.All:
		return fmt.Sprintf("%d of %d", m.Mixtures, m.All)
	}
	return fmt.Sprint(m.Mixtures)
}

func undoText(m plan.Met) string {
	if m.Undo == 0 {
		return "-"
	}
	return wording.Count(m.Undo, "row")
}

func countOrDash(n int) string {
	if n == 0 {
		return "-"
	}
	return fmt.Sprint(n)
}

// shortStep gives the beginning of what a step says, short enough for a line of a table.
func shortStep(says string) string {
	for _, end := range []string{": upperpath", ". ", " (upperpath"} {
		says, _, _ = strings.Cut(says, end)
	}
	const most = 36
	says = strings.TrimSuffix(says, ".")
	if runes := []rune(says); len(runes) > most {
		cut := string(runes[:most])
		if i := strings.LastIndexByte(cut, ' '); i > most/2 {
			cut = cut[:i]
		}
		return cut + "…"
	}
	return says
}
