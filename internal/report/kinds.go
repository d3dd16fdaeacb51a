package report

import (
	"fmt"
	"io"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"upperpath.example/upperpath/internal/core/finding"
)

// Kinds writes the table of findings, a line each.
func Kinds(w io.Writer, s Style) {
	t := s.newTable()
	t.AppendHeader(table.Row{"finding", "severity", "what it means"})
	t.SetColumnConfigs([]table.ColumnConfig{{Number: 3, WidthMax: max(30, s.width()-32), WidthMaxEnforcer: text.WrapSoft}})
	for _, k := range finding.Kinds() {
		t.AppendRow(table.Row{s.severity(k.Severity, k.Name), string(k.Severity), k.Means})
	}
	render(w, t, s)
}

// Explain writes the page of one finding.
func Explain(w io.Writer, k finding.Kind, s Style) {
	fmt.Fprintf(
		w,
		"%s  %s\n",
		s.severity(k.Severity, sign(k.Severity)+" "+k.Name),
		s.faint("("+string(k.Severity)+", about "+k.About+")"),
	)
	parts := [][2]string{{"", k.Means}, {"A visitor meets: ", k.Meets}, {"→ ", withHelp(k.Do, k.Help)}}
	if k.Milder != "" {
		parts = append(parts, [2]string{"A warning only: ", k.Milder + "."})
	}
	for _, part := range parts {
		fmt.Fprintln(w, indent(part[0]+part[1], "  ", s.width()))
	}
}

// KindsMD writes docs/findings.md.
func KindsMD(w io.Writer) {
	fmt.Fprint(
		w,
		"# Findings\n\nWhat each code means, what a visitor meets, and what to do. A code never changes its meaning. This "+
			"page is made from\nthe program's own table (`make docs`); `upperpath explain CODE` prints the same.\n",
	)
	chapter := ""
	for _, k := range finding.Kinds() {
		if k.About != chapter {
			chapter = k.About
			fmt.Fprintf(w, "\n## About %s\n", chapter)
		}
		fmt.Fprintf(
			w,
			"\n### `%s` (%s)\n\n%s\n\n- A visitor meets: %s\n- What to do: %s\n",
			k.Name,
			k.Severity,
			k.Means,
			k.Meets,
			withHelp(k.Do, k.Help),
		)
		if k.Milder != "" {
			fmt.Fprintf(w, "- A warning only: %s.\n", k.Milder)
		}
	}
}
