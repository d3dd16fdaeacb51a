package report

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Met is what visitors and mail meet behind a step of a plan that is played.
type Met struct {
	Step     int      `json:"step"`
	Says     string   `json:"says"`
	Arrive   int      `json:"arrive"`    // doors that lead where they should
	Today    int      `json:"as_today"`  // doors that answer as they do today
	Said     []string `json:"announced"` // doors that fail, as a step says beforehand
	Broken   []Broken `json:"broken"`
	Mixtures int      `json:"mixtures"`     // of older and new answers that were tried
	All      int      `json:"all_mixtures"` // how many there are
	Mail     int      `json:"mail"`         // domains whose mail goes where it should
	Undo     int      `json:"undo_rows"`    // that were played, and lead back to what was there
	Unseen   []string `json:"unseen"`
}

// Broken is a door, or the mail of a domain, that does not lead where it should.
type Broken struct {
	What string   `json:"what"`
	Met  string   `json:"met"`
	Old  []string `json:"older_answers"` // of these names; none: whoever asks meets it
}

// Breaks reports whether anything breaks behind any step, unannounced.
func Breaks(all []Met) bool {
	return slices.ContainsFunc(all, func(m Met) bool { return len(m.Broken) > 0 })
}

// Rehearsed is what is met behind steps of a plan that is played: a line a step.
func Rehearsed(p *plan.Plan, all []Met, now time.Time) doc.Doc {
	for i := range all {
		all[i].Says = doc.Unmarked(words.Step(p.Steps[all[i].Step-1]))
	}
	d := doc.Doc{Name: "steps", Title: "Rehearsal of the steps to " + p.Canonical,
		About: "played on " + now.Format(clockForm), Main: "steps"}
	v := doc.Verdict{Tone: doc.Good, Next: doc.Cat(doc.Phrase(words.AsRunbook),
		doc.Copy("upperpath runbook"))}
	broken, unseen, mixtures := 0, 0, 0
	for _, m := range all {
		broken, unseen, mixtures = broken+len(m.Broken), unseen+len(m.Unseen), mixtures+m.Mixtures
	}
	steps := wording.Count(len(all), "step")
	if len(all) == 1 {
		steps = fmt.Sprintf("step %d", all[0].Step)
	}
	tried := wording.Count(mixtures, "mixture")
	switch {
	case broken > 0:
		v = doc.Verdict{Tone: doc.Failed, Says: doc.Phrasef(words.StepsBreak, steps, broken)}
	case unseen > 0:
		v.Tone, v.Says = doc.Unseen, doc.Phrasef(words.StepsUnseen, steps, unseen)
	default:
		v.Says = doc.Phrasef(words.StepsHold, steps, tried)
	}
	t := doc.Table{Sheet: "steps", Head: []string{"step", "what is done", "arrive", "as today", "said",
		"break", "mail", "mixed", "undo"}}
	for _, m := range all {
		row := doc.Cells(fmt.Sprint(m.Step), shortStep(m.Says), fmt.Sprint(m.Arrive),
			countOrDash(m.Today), countOrDash(len(m.Said)), countOrDash(len(m.Broken)),
			fmt.Sprint(m.Mail), mixturesText(m), undoText(m))
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
		for _, u := range m.Unseen {
			open = append(open, doc.Phrasef("behind step %d: %s", m.Step, u))
		}
	}
	list := func(title string, tone doc.Tone, items []doc.Text) {
		if len(items) > 0 {
			blocks = append(blocks, doc.List{Title: title, Items: items, Tone: tone,
				More: doc.Command("--format json") + " has them all"})
		}
	}
	list("What breaks", doc.Failed, fails)
	list("Unanswered", doc.Unseen, open)
	if len(all) == 1 {
		list("What fails for a while, as the plan says", doc.Warned, said)
	}
	d.Blocks = doc.Of(blocks...)
	d.Data = struct {
		Schema string `json:"schema"`
		Steps  []Met  `json:"steps"`
	}{"upperpath/steps/1", all}
	return d
}

func mixturesText(m Met) string {
	switch {
	case m.All == 0:
		return "-"
	case m.Mixtures < m.All:
		return fmt.Sprintf("%d of %d", m.Mixtures, m.All)
	}
	return fmt.Sprint(m.Mixtures)
}

func undoText(m Met) string {
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
