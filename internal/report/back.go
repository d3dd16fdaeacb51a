package report

import (
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Undone is what came of looking whether a step is undone.
type Undone struct{ Missing, Unseen []string }

// Back is the way back from a step of a runbook, as a sheet: what is typed where, in which order,
// what that costs now, and what breaks. undone is nil where nobody undone whether it is undone.
func Back(b *runbook.Book, t *runbook.Task, back plan.Back, undone *Undone,
	now time.Time) doc.Doc {
	d := doc.Doc{Name: "back", Title: fmt.Sprintf("Undo step %d", t.Number),
		About: "every door to " + b.Canonical + ", " + now.Format(clockForm), Main: "undo"}
	v := doc.Verdict{Tone: doc.Noted}
	broken := finding.Count(back.Breaks, finding.Error)
	switch {
	case undone != nil:
		v = undoneVerdict(t, undone)
	case len(t.Undo) == 0:
		v.Says = doc.Phrasef(words.NothingToUndo, t.Number)
		if t.Back != "" {
			v.Next = doc.Phrase(t.Back)
		}
	case broken > 0:
		v.Tone = doc.Failed
		v.Says = doc.Phrasef(words.BackBreaks, t.Number, wording.Count(broken, "error"))
	case !t.IsDone():
		v.Says = doc.Phrasef(words.BackNotDone, t.Number)
	default:
		v.Tone = doc.Warned
		v.Says = doc.Phrasef(words.StepBack, wording.Count(len(t.Undo), "row"), t.Number)
	}
	if undone == nil && len(t.Undo) > 0 && t.IsDone() {
		v.Next = doc.Cat(doc.Phrase(words.BackThen),
			doc.Copy(fmt.Sprintf("upperpath runbook --back %d --check", t.Number)))
	}
	blocks := []doc.Block{v}
	blocks = append(blocks, findingBlocks(back.Breaks)...)
	var costs []doc.Text
	if back.Lasts > 0 && len(t.Undo) > 0 {
		costs = append(costs, doc.Phrasef(words.BackLasts, wording.DurationUp(back.Lasts)))
	}
	if back.Keeps {
		costs = append(costs, doc.Phrase(words.BackKeeps))
	}
	if later := hangingOn(b, t); len(later) > 0 {
		costs = append(costs, doc.Phrasef(words.BackLater, wording.And(later)))
	}
	if len(costs) > 0 {
		blocks = append(blocks, doc.List{Title: "What it costs", Items: costs})
	}
	blocks = append(blocks, undoTable(t))
	if undone != nil {
		list := func(title string, tone doc.Tone, all []string) {
			var items []doc.Text
			for _, one := range all {
				items = append(items, doc.Phrase(one))
			}
			if len(items) > 0 {
				blocks = append(blocks, doc.List{Title: title, Items: items, Tone: tone})
			}
		}
		list("What is not as it was", doc.Failed, undone.Missing)
		list("Unanswered", doc.Unseen, undone.Unseen)
	}
	d.Blocks = doc.Of(blocks...)
	d.Data = backData{Schema: "upperpath/back/1", Step: t.Number, Says: doc.Unmarked(t.Says),
		Rows: t.Undo, LastsSeconds: back.Lasts, BrowsersKeep: back.Keeps, Findings: back.Breaks}
	return d
}

// backData is the way back as JSON has it.
type backData struct {
	Schema       string            `json:"schema"`
	Step         int               `json:"step"`
	Says         string            `json:"says"`
	Rows         []world.Row       `json:"rows"`
	LastsSeconds int               `json:"lasts_seconds"`
	BrowsersKeep bool              `json:"browsers_keep_redirects"`
	Findings     []finding.Finding `json:"findings"`
}

func undoneVerdict(t *runbook.Task, l *Undone) doc.Verdict {
	switch {
	case len(t.Restored) == 0:
		return doc.Verdict{Tone: doc.Warned, Says: doc.Cat(doc.Phrasef(words.BackHidden, t.Number),
			doc.Copy(fmt.Sprintf("upperpath runbook --undo %d", t.Number)))}
	case len(l.Missing) > 0:
		return doc.Verdict{Tone: doc.Failed, Says: doc.Phrasef(words.BackMissing, t.Number)}
	case len(l.Unseen) > 0:
		return doc.Verdict{Tone: doc.Unseen, Says: doc.Phrasef(words.BackUnseen, t.Number)}
	}
	return doc.Verdict{Tone: doc.Good, Says: doc.Phrasef(words.BackSeen, t.Number)}
}

// hangingOn gives the steps that are done and waited for another.
func hangingOn(b *runbook.Book, t *runbook.Task) []string {
	hang := map[int]bool{t.Number: true}
	var all []string
	for i := range b.Tasks {
		o := &b.Tasks[i]
		for _, n := range o.After {
			if hang[n] && !hang[o.Number] {
				hang[o.Number] = true
				if o.IsDone() && len(o.Undo) > 0 {
					all = append(all, fmt.Sprintf("step %d", o.Number))
				}
			}
		}
	}
	return all
}

// undoTable gives the rows that take a step back, as a sheet has them.
func undoTable(t *runbook.Task) doc.Table {
	table := doc.Table{Sheet: "undo",
		Head: []string{"at", "do", "zone", "label", "type", "now", "before", "TTL"}}
	for _, r := range t.Undo {
		if !r.IsRecord() {
			table.Rows = append(table.Rows, doc.Cells(r.Place, words.UndoRow(r), unicodeName(r.Domain), "",
				"", "", "", ""))
			continue
		}
		ttl := ""
		if r.TTL > 0 && r.Do != world.Remove {
			ttl = fmt.Sprintf("%d s", r.TTL)
		}
		do := strings.Fields(words.UndoRow(r))[0]
		table.Rows = append(table.Rows, doc.Cells(r.Place, do, unicodeName(r.Zone), r.Label, r.Type,
			r.Was, r.Value, ttl))
	}
	return table
}
