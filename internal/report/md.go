package report

import (
	"fmt"
	"io"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
)

// mdStream writes Markdown: the grid of doors, the findings, every chain.
type mdStream struct {
	w      io.Writer
	style  Style
	grid   Grid
	chains strings.Builder
}

func (m *mdStream) Start(h Head) error {
	_, err := fmt.Fprintf(
		m.w,
		"# %s\n\nSeen from %s, %s.\n\n",
		md(h.Title),
		md(h.Vantage),
		h.Started.Format("2006-01-02 15:04 MST"),
	)
	return err
}

func (m *mdStream) Chain(c chain.Chain) error {
	m.grid.Add(c)
	fmt.Fprintf(&m.chains, "\n- %s %s\n", sign(finding.Worst(c.Findings)), md(c.Entry.String()))
	for _, h := range c.Hops {
		where := ""
		if h.IsRedirect() {
			where = " → " + md(h.Location)
		}
		fmt.Fprintf(
			&m.chains,
			"  - %s%s%s\n",
			md(statusText(h)),
			where,
			md(strings.Join(append([]string{""}, hopFacts(h)...), " · ")),
		)
	}
	if end := endText(c); end != "" {
		fmt.Fprintf(&m.chains, "  - %s\n", md(end))
	}
	return nil
}

func (m *mdStream) End(findings []finding.Finding, notes []string) error {
	doors, cleanDoors := m.grid.Count()
	fmt.Fprintf(m.w, "%s\n", md(Verdict(doors, cleanDoors, findings)))
	if len(m.grid.Rows) > 0 {
		fmt.Fprint(m.w, "\n## Doors\n\n| host | http | https |\n| --- | --- | --- |\n")
	}
	for _, r := range m.grid.Rows {
		fmt.Fprintf(m.w, "| %s | %s | %s |\n", md(r.Host), mdCell(r.Cells[0]), mdCell(r.Cells[1]))
	}
	MDFindings(m.w, findings)
	fmt.Fprintf(m.w, "\n## Chains\n%s", m.chains.String())
	for _, n := range notes {
		fmt.Fprintf(m.w, "\nNote: %s\n", md(n))
	}
	return nil
}

func mdCell(c Cell) string {
	switch {
	case !c.Seen:
		return ""
	case len(c.Codes) == 0:
		return sign("") + " " + c.Outcome
	}
	return sign(c.Severity) + " " + strings.Join(finding.Names(c.Codes), ", ")
}

// MDFindings writes findings as a chapter, where there are any.
func MDFindings(w io.Writer, findings []finding.Finding) {
	if len(findings) == 0 {
		return
	}
	fmt.Fprint(w, "\n## Findings\n")
	for _, f := range scrubbed(findings) {
		fmt.Fprintf(
			w,
			"\n### %s %s: %s\n\n%s\n\n→ %s\n",
			sign(f.Severity),
			md(f.Code.String()),
			md(f.Subject+readable(f.Subject)),
			md(f.Says),
			md(fixOf(f)),
		)
		if met := metFrom(f, 5); met != "" {
			fmt.Fprintf(w, "\n%s\n", md(met))
		}
	}
}

var mdEscapes = strings.NewReplacer(
	`\`,
	`\\`,
	"`",
	"\\`",
	"*",
	`\*`,
	"_",
	`\_`,
	"|",
	`\|`,
	"<",
	"&lt;",
	">",
	"&gt;",
	"&",
	"&amp;",
	"[",
	`\[`,
	"]",
	`\]`,
	"#",
	`\#`,
	"~",
	`\~`,
)

// md escapes what Markdown or HTML would take for markup.
func md(s string) string { return mdEscapes.Replace(s) }
