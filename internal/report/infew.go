package report

import (
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/doc"
)

// InFew gives of a document what a person has to know: its verdict, the first findings, a line
// each, and the command that shows the rest.
func InFew(d doc.Doc, most int, more string) doc.Doc {
	all := d.Blocks
	return doc.Doc{Name: d.Name, Blocks: func(yield func(doc.Block) bool) {
		for b := range all {
			switch part := b.(type) {
			case doc.Verdict:
				part.Next = nil
				b = part
			case doc.Finding:
				if most--; most < 0 {
					continue
				}
				part.Cut = true
				b = part
			default:
				continue
			}
			if !yield(b) {
				return
			}
		}
		if more != "" {
			yield(doc.Paragraph{Text: doc.Cat(doc.Phrase("→ "), doc.Copy(more)), Near: true})
		}
	}}
}

// BookInFew gives of a runbook that was worked through its first step, the one in which most is
// typed, and the last audit, a line each.
func BookInFew(b *runbook.Book) doc.Doc {
	const most = 3
	telling := make([]int, 0, most)
	widest := 0
	for i := range b.Tasks {
		if len(b.Tasks[i].Typed) > len(b.Tasks[widest].Typed) {
			widest = i
		}
	}
	telling = append(telling, 0)
	if widest > 0 {
		telling = append(telling, widest)
	}
	for i := len(b.Tasks) - 1; i > widest; i-- {
		if len(b.Tasks[i].Typed) == 0 && len(b.Tasks[i].Expects) > 0 {
			telling = append(telling, i)
			break
		}
	}
	var blocks []doc.Block
	for _, i := range telling {
		t := &b.Tasks[i]
		s := doc.Step{Number: t.Number, Says: doc.Phrase(t.Says), Box: "open", Cut: true}
		if t.IsDone() {
			s.Box = "done"
		}
		blocks = append(blocks, s)
	}
	return doc.Doc{Name: "runbook", Blocks: doc.Of(blocks...)}
}
