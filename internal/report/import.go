package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
)

// Imported is what came of a file with redirects.
type Imported struct {
	File        string
	Canonical   string // whose targets are shown as paths
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
	if format == "text" { // the others are data
		m = scrubbed(m)
	}
	switch format {
	case "json":
		return JSON(w, struct {
			Schema      string         `json:"schema"`
			File        string         `json:"file"`
			Added       string         `json:"added,omitempty"`
			Rules       []ImportedRule `json:"rules"`
			Left        []Leftover     `json:"left"`
			Differences []Difference   `json:"differences"`
		}{"upperpath/import/1", m.File, m.Added, append([]ImportedRule{}, m.Rules...), append([]Leftover{}, m.Left...),
			append([]Difference{}, m.Differences...)})
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

// gathered gives the differences with those of one line as one, with the first of their URLs.
func gathered(all []Difference) []Difference {
	var made []Difference
	others := map[int][]int{}
	for _, d := range all {
		if d.Other > 0 {
			others[d.Line] = append(others[d.Line], d.Other)
		}
	}
	said := map[int]bool{}
	for _, d := range all {
		slices.Sort(others[d.Line])
		switch lines := slices.Compact(slices.Clone(others[d.Line])); {
		case d.Other == 0:
			d.Says = fmt.Sprintf("line %d: %s", d.Line, d.Says)
		case said[d.Line]:
			continue
		case len(lines) == 1:
			d.Says = fmt.Sprintf(
				"line %d of the file comes first and takes it; here line %d wins, which is more specific.",
				d.Line,
				d.Other,
			)
		default:
			d.Says = fmt.Sprintf(
				"line %d of the file comes first and takes it, as it takes other URLs of lines %s; here those win, which are "+
					"more specific.",
				d.Line,
				strings.Trim(strings.ReplaceAll(fmt.Sprint(lines), " ", ", "), "[]"),
			)
		}
		said[d.Line] = said[d.Line] || d.Other > 0
		made = append(made, d)
	}
	return made
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
			t.AppendRow(
				row(
					[]string{
						fmt.Sprint(r.Line),
						cut(shown(r.Old), 52),
						cut(shown(strings.TrimPrefix(to, m.Canonical)), 44),
						r.Status,
						query,
					},
				),
			)
		}
		render(w, t, s)
		if more := len(m.Rules) - mostRows; more > 0 {
			fmt.Fprintf(w, "%s\n", s.faint(fmt.Sprintf("and %d more; --format csv has them all", more)))
		}
	}
	if len(m.Differences) > 0 {
		fmt.Fprintf(w, "\n%s\n", s.severity("warning", "Where these rules answer otherwise than the file does"))
		for _, d := range gathered(m.Differences) {
			fmt.Fprintf(
				w,
				"  %s %s\n%s\n",
				s.severity("warning", "!"),
				d.URL,
				s.faint(indent(d.Says, "    ", s.width())),
			)
		}
	}
	if len(m.Left) > 0 {
		fmt.Fprintf(w, "\n%s\n", s.severity("error", "What was not translated, to be looked at by hand"))
		for _, l := range m.Left {
			fmt.Fprintf(
				w,
				"  %s line %d: %s\n%s\n",
				s.severity("error", "✗"),
				l.Line,
				cut(l.Text, 90),
				s.faint(indent(l.Reason, "    ", s.width())),
			)
		}
	}
	says := fmt.Sprintf(
		"%s made of %s; %s left, %s.",
		plural(len(m.Rules), "rule"),
		m.File,
		plural(len(m.Left), "line"),
		plural(len(m.Differences), "difference"),
	)
	switch {
	case m.Added != "":
		says += " They were added to " + m.Added + "; upperpath prove says whether they lead on."
	case len(m.Rules) > 0:
		says += " Nothing was added; --add adds them to the estate's rules."
	}
	fmt.Fprintf(w, "\n%s\n", indent(says, "", s.width()))
}
