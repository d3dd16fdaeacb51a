package report

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/store"
)

// Kept is the list of what is kept.
func Kept(what string, kept []store.Kept) Doc {
	t := Table{Sheet: "kept", Head: []string{"number", "started", "seen from"}}
	for _, k := range kept {
		t.Rows = append(t.Rows, cells(fmt.Sprint(k.ID), k.Started.Format("2006-01-02 15:04:05 MST"), k.Vantage))
	}
	d := Doc{Name: "kept", Title: wording.UpperFirst(wording.Count(len(kept), what)) + " kept", Blocks: of(t),
		Data: map[string]any{"schema": "upperpath/kept/1", "kept": append([]store.Kept{}, kept...)}}
	return d
}
