package report

import (
	"encoding/csv"
	"fmt"
	"io"
)

// Imported is what came of a file with redirects.
type Imported struct {
	File        string
	Rules       []ImportedRule
	Left        []Leftover
	Differences []Difference
	Added       string // the file to which the rules were added; "" for none
}

// Leftover is a line that was not translated, and why.
type Leftover struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

// Difference is a URL that the file and the rules made of it answer otherwise.
type Difference struct {
	URL   string `json:"url"`
	Line  int    `json:"line"`            // of the file, that answers there
	Other int    `json:"other,omitempty"` // of the file, whose rule answers here
	Says  string `json:"says"`
}

// ImportedRule is a rule with the line of the file that it comes from.
type ImportedRule struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Old    string `json:"old"`
	New    string `json:"new,omitempty"`
	Status string `json:"status"`
	Query  string `json:"query,omitempty"`
}

// Import writes what came of a file in a format: text, json or csv.
func Import(w io.Writer, format string, m Imported, s Style) error {
	switch format {
	case "json":
		return JSON(w, map[string]any{"schema": "upperpath/import/1", "file": m.File, "rules": append([]ImportedRule{}, m.Rules...),
			"left": append([]Leftover{}, m.Left...), "differences": append([]Difference{}, m.Differences...)})
	case "csv":
		c := csv.NewWriter(w)
		_ = c.Write([]string{"old", "new", "status", "query", "note"})
		for _, r := range m.Rules {
			_ = c.Write([]string{r.Old, r.New, r.Status, r.Query, ""})
		}
		c.Flush()
		return c.Error()
	}
	importText(w, m, s)
	return nil
}

func importText(w io.Writer, m Imported, s Style) {
	if len(m.Rules) > 0 {
		t := s.newTable()
		t.AppendHeader(row([]string{"line", "old", "new", "status", "query"}))
		for _, r := range m.Rules[:min(len(m.Rules), mostRows)] {
			to, query := r.New, r.Query
			if to == "" {
				to = "gone"
			}
			if query == "" && r.New != "" {
				query = "keep"
			}
			t.AppendRow(row([]string{fmt.Sprint(r.Line), cut(r.Old, 52), cut(to, 52), r.Status, query}))
		}
		render(w, t, s)
		if more := len(m.Rules) - mostRows; more > 0 {
			fmt.Fprintf(w, "%s\n", s.faint(fmt.Sprintf("and %d more; --format csv has them all", more)))
		}
	}
	if len(m.Differences) > 0 {
		fmt.Fprintf(w, "\n%s\n", s.severity("warning", "Where these rules answer otherwise than the file does"))
		for _, d := range m.Differences {
			fmt.Fprintf(w, "  %s %s\n%s\n", s.severity("warning", "!"), clean(d.URL), s.faint(indent(fmt.Sprintf("line %d: %s", d.Line, clean(d.Says)), "    ", s.width())))
		}
	}
	if len(m.Left) > 0 {
		fmt.Fprintf(w, "\n%s\n", s.severity("error", "What was not translated, to be looked at by hand"))
		for _, l := range m.Left {
			fmt.Fprintf(w, "  %s line %d: %s\n%s\n", s.severity("error", "✗"), l.Line, clean(cut(l.Text, 90)), s.faint(indent(clean(l.Reason), "    ", s.width())))
		}
	}
	says := fmt.Sprintf("%s made of %s; %s left, %s.", plural(len(m.Rules), "rule"), m.File, plural(len(m.Left), "line"), plural(len(m.Differences), "difference"))
	if m.Added != "" {
		says += " They were added to " + m.Added + "."
	}
	fmt.Fprintf(w, "\n%s\n", says)
}
