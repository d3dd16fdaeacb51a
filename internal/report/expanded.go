package report

import (
	"strconv"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/doc"
)

// ExpandedTable is a redirect map as a table without patterns.
func ExpandedTable(x old.Expanded) doc.Doc {
	data := doc.Data{Sheet: "redirects", Head: []string{"old", "new", "status"}, Exact: true}
	for _, l := range x.Lines {
		data.Rows = append(data.Rows, []string{l.Old, l.New, strconv.Itoa(l.Status)})
	}
	return doc.Doc{Name: "redirects", Title: "Redirects", Main: "redirects", Blocks: doc.Of(data)}
}

// EntriesOf gives the entries of one carrier as a table, its name and how many there are; and the
// names of all that have some. With an empty name the only one is meant.
func EntriesOf(p *plan.Plan, carrier string) (table doc.Doc, place string, n int, all []string) {
	for _, s := range Sheets(p) {
		if len(s.plan.Entries) == 0 {
			continue
		}
		if all = append(all, s.Place); s.Place == carrier {
			table, n, place = entriesTable(s), len(s.plan.Entries), s.Place
		}
	}
	if len(all) == 1 && carrier == "" {
		return EntriesOf(p, all[0])
	}
	return table, place, n, all
}

func entriesTable(s Sheet) doc.Doc {
	head, rows := entryRows(s.plan.Entries)
	data := doc.Data{Sheet: "entries", Head: head, Rows: rows, Exact: true}
	return doc.Doc{Name: s.Name, Title: s.Place, Main: "entries", Blocks: doc.Of(data)}
}
