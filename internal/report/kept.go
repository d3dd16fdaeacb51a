package report

import (
	"encoding/csv"
	"fmt"
	"io"

	"github.com/jedib0t/go-pretty/v6/table"

	"upperpath.example/upperpath/internal/store"
)

// Kept writes the list of what is kept: text, json, csv or md.
func Kept(w io.Writer, format string, kept []store.Kept, s Style) error {
	if format == "json" {
		return JSON(w, map[string]any{"schema": "upperpath/kept/1", "kept": append([]store.Kept{}, kept...)})
	}
	kept = scrubbed(kept)
	t := s.newTable()
	t.AppendHeader(table.Row{"number", "started", "seen from"})
	c := csv.NewWriter(w)
	rows := [][]string{{"number", "started", "vantage"}}
	for _, k := range kept {
		cells := []string{fmt.Sprint(k.ID), k.Started.Format("2006-01-02 15:04:05 MST"), k.Vantage}
		rows = append(rows, []string{cells[0], cells[1], noFormula(cells[2])})
		t.AppendRow(row(cells))
	}
	switch format {
	case "csv":
		return c.WriteAll(rows)
	case "md":
		cells := make([][]string, len(rows)-1)
		for i, r := range rows[1:] {
			cells[i] = []string{r[0], r[1], md(kept[i].Vantage)}
		}
		rawTable(w, []string{"number", "started", "seen from"}, cells)
		return nil
	}
	render(w, t, s)
	return nil
}
