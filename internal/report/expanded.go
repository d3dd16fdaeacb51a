package report

import (
	"strconv"

	"upperpath.example/upperpath/internal/core/old"
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
