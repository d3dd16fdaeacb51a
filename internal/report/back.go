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
	case len(t.Typed) == 0 && len(t.Copy) > 0: // kept by an earlier version
		v.Tone, v.Says = doc.Unseen, doc.Phrasef(words.BackUnknown, t.Number)
		v.Next = doc.Copy("upperpath runbook --anew")
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
	later := hangingOn(b, t)
	switch {
	case undone != nil || len(t.Undo) == 0 || !t.IsDone():
	case broken > 0 && len(later) > 0:
		last := later[len(later)-1]
		v.Next = doc.Cat(doc.Phrasef(words.BackFirst, last),
			doc.Copy(fmt.Sprintf("upperpath runbook --back %d", last)))
	case broken == 0:
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
	if len(later) > 0 {
		var steps []string
		for _, n := range later {
			steps = append(steps, fmt.Sprintf("step %d", n))
		}
		costs = append(costs, doc.Phrasef(words.BackLater, wording.And(steps)))
	}
	if len(costs) > 0 {
		blocks = append(blocks, doc.List{Title: "What it costs", Items: costs})
	}
	blocks = append(blocks, undoBlocks(t)...)
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
	case t.Hidden > 0:
		return doc.Verdict{Tone: doc.Warned, Says: doc.Cat(doc.Phrasef(words.BackPartly, t.Number,
			wording.Count(t.Hidden, "row")), doc.Copy(fmt.Sprintf("upperpath runbook --undo %d", t.Number)))}
	}
	return doc.Verdict{Tone: doc.Good, Says: doc.Phrasef(words.BackSeen, t.Number)}
}

// hangingOn gives the numbers of the steps that are done and waited for another.
func hangingOn(b *runbook.Book, t *runbook.Task) []int {
	hang := map[int]bool{t.Number: true}
	var all []int
	for i := range b.Tasks {
		o := &b.Tasks[i]
		for _, n := range o.After {
			if hang[n] && !hang[o.Number] {
				hang[o.Number] = true
				if o.IsDone() && len(o.Undo) > 0 {
					all = append(all, o.Number)
				}
			}
		}
	}
	return all
}

// undoBlocks gives the rows that take a step back, as a sheet has them: place by place, zone by
// zone, in the order in which they are typed.
func undoBlocks(t *runbook.Task) []doc.Block {
	var blocks []doc.Block
	for begin := 0; begin < len(t.Undo); {
		first, end := t.Undo[begin], begin
		for end < len(t.Undo) && t.Undo[end].Place == first.Place && t.Undo[end].Zone == first.Zone {
			end++
		}
		title := "At " + first.Place
		table := doc.Table{Sheet: fmt.Sprint("undo ", begin+1), Head: []string{"row", "what to do"}}
		if first.IsRecord() {
			title += ", in the zone " + unicodeName(first.Zone)
			table.Head = []string{"row", "do", "label", "type", "now", "before", "TTL"}
		}
		for i, r := range t.Undo[begin:end] {
			row := fmt.Sprint(begin + i + 1)
			if !r.IsRecord() {
				table.Rows = append(table.Rows, doc.Cells(row, words.UndoRow(r)))
				continue
			}
			ttl := ""
			if r.TTL > 0 && r.Do != world.Remove {
				ttl = fmt.Sprintf("%d s", r.TTL)
			}
			do := strings.Fields(words.UndoRow(r))[0]
			table.Rows = append(table.Rows, doc.Cells(row, do, r.Label, r.Type, r.Was, r.Value, ttl))
		}
		blocks = append(blocks, doc.Heading{Level: 3, Text: title}, table)
		begin = end
	}
	return blocks
}
