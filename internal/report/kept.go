package report

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/store"
)

// Kept is the list of what is kept.
func Kept(what string, kept []store.Kept) doc.Doc {
	t := doc.Table{Sheet: "kept", Head: []string{"number", "started", "seen from"}}
	for _, k := range kept {
		t.Rows = append(t.Rows,
			doc.Cells(fmt.Sprint(k.ID), k.Started.Format("2006-01-02 15:04:05 MST"), k.Vantage))
	}
	d := doc.Doc{Name: "kept", Title: wording.UpperFirst(wording.Count(len(kept), what)) + " kept",
		Blocks: doc.Of(t),
		Data:   map[string]any{"schema": "upperpath/kept/1", "kept": append([]store.Kept{}, kept...)}}
	return d
}
