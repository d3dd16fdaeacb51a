package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// paint colours a text where colours are wanted.
func (s Style) paint(t string, colors ...text.Color) string {
	if !s.Color {
		return t
	}
	return text.Colors(colors).Sprint(t)
}

func (s Style) strong(t string) string { return s.paint(t, text.Bold) }
func (s Style) faint(t string) string  { return s.paint(t, text.FgHiBlack) }

func (s Style) severity(v finding.Severity, t string) string {
	switch v {
	case finding.Error:
		return s.paint(t, text.FgRed, text.Bold)
	case finding.Warning:
		return s.paint(t, text.FgYellow)
	case finding.Note:
		return s.paint(t, text.FgBlue)
	}
	return s.paint(t, text.FgGreen)
}

// sign is the mark in front of something with a severity.
func sign(v finding.Severity) string {
	switch v {
	case finding.Error:
		return "✗"
	case finding.Warning:
		return "!"
	case finding.Note:
		return "i"
	}
	return "✓"
}

// newTable makes a table in the one look that all of them have.
func (s Style) newTable() table.Writer {
	t := table.NewWriter()
	style := table.StyleDefault
	style.Box = table.BoxStyle{
		PaddingLeft:      "",
		PaddingRight:     "   ",
		MiddleHorizontal: "─",
		MiddleSeparator:  "─",
		MiddleVertical:   "",
	}
	style.Format.Header = text.FormatDefault
	style.Options = table.Options{SeparateHeader: true}
	if s.Color {
		style.Color.Header = text.Colors{text.Bold}
		style.Color.Separator = text.Colors{text.FgHiBlack}
	}
	t.SetStyle(style)
	return t
}

// render writes a table, its rule under the head no longer than its longest row.
func render(w io.Writer, t table.Writer, s Style) {
	lines := strings.Split(t.Render(), "\n")
	longest := 0
	for i, line := range lines {
		lines[i] = strings.TrimRight(line, " ")
		if !strings.Contains(line, "──") {
			longest = max(longest, text.StringWidthWithoutEscSequences(lines[i]))
		}
	}
	for _, line := range lines {
		if strings.Contains(line, "──") {
			line = s.faint(strings.Repeat("─", longest))
		}
		fmt.Fprintln(w, line)
	}
}

// textStream writes for a terminal or a pipe.
type textStream struct {
	w     io.Writer
	view  View
	style Style
	grid  *Grid
	first bool
	door  []chain.Chain // the probes of one door, until all have come
}

func (t *textStream) Start(h Head) error {
	t.first = true
	if t.view == Look || h.Title == "" {
		return nil
	}
	_, err := fmt.Fprintf(t.w, "%s\n%s\n\n", t.style.strong(h.Title),
		t.style.faint(fmt.Sprintf("seen from %s, %s", h.Vantage, h.Started.Format("2006-01-02 15:04 MST"))))
	return err
}

func (t *textStream) Chain(c chain.Chain) error {
	t.grid.Add(c)
	if t.view != Look {
		return nil
	}
	if c.Probe != chain.Deep && c.Probe != chain.Query {
		t.flush()
	}
	t.door = append(t.door, c)
	if c.Probe != chain.Root && len(t.door) == 1 {
		t.flush()
	}
	return nil
}

// flush writes the door whose probes have come: its root hop by hop, the others in a line each.
func (t *textStream) flush() {
	if len(t.door) == 0 {
		return
	}
	if !t.first {
		fmt.Fprintln(t.w)
	}
	t.first = false
	var all []finding.Finding
	for _, c := range t.door {
		all = append(all, c.Findings...)
	}
	t.wholeChain(t.door[0], finding.Worst(all))
	for _, c := range t.door[1:] {
		t.further(c)
	}
	t.door = nil
}

// wholeChain writes a chain hop by hop.
func (t *textStream) wholeChain(c chain.Chain, worst finding.Severity) {
	s := t.style
	mark := sign(worst)
	if c.Last().Refusal == chain.Unseen {
		mark, worst = "?", finding.Note
	}
	fmt.Fprintf(t.w, "%s %s\n", s.severity(worst, mark), s.strong(c.Entry.String()))
	for i, hop := range c.Hops {
		what := statusText(hop)
		target := ""
		switch {
		case hop.Refusal != "":
			target = hop.Detail
		case hop.IsRedirect() && hop.Location == "":
			target = "no Location"
		case hop.IsRedirect():
			target = "→ " + hop.Location
		case i > 0:
			target = hop.URL.String()
		}
		fmt.Fprintf(
			t.w,
			"  %s\n",
			strings.TrimRight(s.severity(hopSeverity(c, i), fmt.Sprintf("%-4s", what))+" "+target, " "),
		)
		facts := strings.Join(hopFacts(hop), "   ")
		if facts != "" && (hop.Refusal == "" || !strings.Contains(hop.Detail, hop.Address)) {
			fmt.Fprintf(t.w, "       %s\n", s.faint(facts))
		}
		if hop.TLS != nil {
			line := certificateLine(hop.TLS, s.Now)
			if len(hop.TLS.Faults) > 0 {
				line = s.severity(faultSeverity(hop.TLS.Faults), line+": "+strings.Join(finding.Names(hop.TLS.Faults), ", "))
			} else {
				line = s.faint(line)
			}
			fmt.Fprintf(t.w, "       %s\n", line)
		}
	}
	if end := endText(c); end != "" {
		fmt.Fprintf(t.w, "  %s\n", s.severity(finding.Error, end))
	}
}

// further writes a door's further probes in a line, where they tell something new.
func (t *textStream) further(c chain.Chain) {
	if c.End == chain.NoAnswer || c.End == chain.Loop || len(c.Hops) == 1 {
		return
	}
	says := describe(c)
	switch worst := finding.Worst(c.Findings); {
	case says == "kept":
		says = t.style.severity("", says)
	case worst != "":
		says = t.style.severity(worst, says)
	}
	fmt.Fprintf(t.w, "  %s %s\n", t.style.faint(fmt.Sprintf("%-13s", about(c.Probe))), says)
}

func statusText(a chain.Answer) string {
	if a.Refusal != "" {
		return string(a.Refusal)
	}
	return fmt.Sprint(a.Status)
}

func hopSeverity(c chain.Chain, hop int) finding.Severity {
	var of []finding.Finding
	for _, f := range c.Findings {
		if f.Hop != nil && *f.Hop == hop {
			of = append(of, f)
		}
	}
	return finding.Worst(of)
}

func faultSeverity(codes []finding.Code) finding.Severity {
	var worst finding.Severity
	for _, c := range codes {
		if s := c.Kind().Severity; s.Rank() > worst.Rank() {
			worst = s
		}
	}
	return worst
}

// hopFacts gives address, name by which it was reached, TLS and time.
func hopFacts(a chain.Answer) []string {
	var facts []string
	if a.Address != "" {
		address := a.Address
		if len(a.Aliases) > 0 {
			address += " (alias " + a.Aliases[len(a.Aliases)-1] + ")"
		}
		facts = append(facts, address)
	}
	if a.TLS != nil {
		version := a.TLS.Version
		if a.TLS.ALPN != "" {
			version += " " + a.TLS.ALPN
		}
		facts = append(facts, version)
	}
	if a.Address != "" {
		facts = append(facts, milliseconds(a.MS))
	}
	return facts
}

func milliseconds(ms float64) string {
	if ms < 10 {
		return fmt.Sprintf("%.1f ms", ms)
	}
	return fmt.Sprintf("%.0f ms", ms)
}

func endText(c chain.Chain) string {
	switch c.End {
	case chain.Loop:
		return "↺ back at " + c.Hops[*c.LoopsTo].URL.String()
	case chain.Limit:
		return fmt.Sprintf("… and on: browsers give up after %d redirects", chain.MostHops)
	}
	if c.StoppedAt != nil {
		return fmt.Sprintf(
			"⊘ ordinary visitors are stopped by a warning at %s",
			c.Hops[*c.StoppedAt].URL.Door().String(),
		)
	}
	return ""
}

func (t *textStream) End(findings []finding.Finding, notes []string) error {
	t.flush()
	doors, cleanDoors := t.grid.Count()
	if t.view == Audit {
		t.writeGrid()
	}
	if len(findings) > 0 {
		fmt.Fprintln(t.w)
	}
	TextFindings(t.w, findings, t.style)
	for _, n := range notes {
		fmt.Fprintf(t.w, "\n%s\n", t.style.faint("note: "+n))
	}
	verdict := Verdict(doors, cleanDoors, findings)
	switch unseen := t.grid.unseen(); {
	case unseen != "" && t.grid.Unseen == t.grid.Chains:
		verdict = unseen
	case unseen != "":
		verdict += " " + unseen
	}
	_, err := fmt.Fprintf(t.w, "\n%s\n", t.style.severity(finding.Worst(findings), verdict))
	return err
}

func (t *textStream) writeGrid() {
	tab := t.style.newTable()
	tab.AppendHeader(table.Row{"", "http", "https"})
	for _, r := range t.grid.Rows {
		tab.AppendRow(table.Row{r.Host, t.cell(r.Cells[0]), t.cell(r.Cells[1])})
	}
	render(t.w, tab, t.style)
	if n := t.grid.Entries; n > 0 {
		fmt.Fprintf(t.w, "\n%s\n", t.style.faint(fmt.Sprintf("and %s asked for the rules", plural(n, "old URL"))))
	}
}

func (t *textStream) cell(c Cell) string {
	if !c.Seen {
		return ""
	}
	switch {
	case c.Unseen:
		return t.style.severity(finding.Note, "? "+c.Outcome)
	case len(c.Codes) == 0:
		return t.style.severity("", sign("")+" "+c.Outcome)
	}
	return t.style.severity(c.Severity, sign(c.Severity)+" "+shortCodes(c.Codes))
}

func shortCodes(all []finding.Code) string {
	codes := finding.Names(all)
	if len(codes) > 2 {
		return fmt.Sprintf("%s, %s +%d", codes[0], codes[1], len(codes)-2)
	}
	return strings.Join(codes, ", ")
}

// TextFindings writes findings, each with what to do.
func TextFindings(w io.Writer, findings []finding.Finding, s Style) {
	for i, f := range scrubbed(findings) {
		if i > 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintf(
			w,
			"%s %s  %s\n",
			s.severity(f.Severity, sign(f.Severity)),
			s.severity(f.Severity, fmt.Sprintf("%-17s", f.Code)),
			s.strong(f.Subject)+s.faint(readable(f.Subject)),
		)
		fmt.Fprintln(w, indent(f.Says, "  ", s.width()))
		fmt.Fprintln(w, indent("→ "+fixOf(f), "  ", s.width()))
		if met := metFrom(f, 3); met != "" {
			fmt.Fprintln(w, s.faint(indent(met, "  ", s.width())))
		}
	}
}

// metFrom names the doors from which a finding is met, and counts the old URLs, or names those where there are no
// doors; "" where the subject says it all.
func metFrom(f finding.Finding, most int) string {
	var doors, urls []string
	for _, e := range f.Entries {
		u, err := web.ParseURL(e)
		switch {
		case err != nil || !chain.IsProbe(u):
			urls = append(urls, e)
		case !slices.Contains(doors, u.Door().String()):
			doors = append(doors, u.Door().String())
		}
	}
	switch {
	case len(doors) == 0 && len(urls) < 2, len(doors) == 1 && strings.HasPrefix(f.Subject, doors[0]) && len(urls) == 0:
		return ""
	case len(doors) == 0:
		return "met from " + some(urls, most)
	case len(urls) == 0:
		return "met from " + some(doors, most)
	}
	return "met from " + some(doors, most) + " and " + plural(len(urls), "old URL")
}

// readable gives the host of a subject in U-labels, in brackets, where it is written in A-labels.
func readable(subject string) string {
	if !strings.Contains(subject, "xn--") {
		return ""
	}
	host := subject[strings.Index(subject, "://")+1:]
	host, _, _ = strings.Cut(strings.TrimPrefix(host, "//"), "/")
	host, _, _ = strings.Cut(host, " ")
	h, err := web.ParseObservedHost(host)
	if err != nil || h.Unicode() == h.String() {
		return ""
	}
	return " (" + h.Unicode() + ")"
}

func some(list []string, most int) string {
	shown := list[:min(most, len(list))]
	s := strings.Join(shown, ", ")
	if more := len(list) - len(shown); more > 0 {
		s += fmt.Sprintf(", %d more", more)
	}
	return s
}

// indent wraps a text at words, and puts the same space before every line. A word that is too long for a line stands on
// one of its own, in one piece: it is a URL, a name or a command, to be copied.
func indent(s, space string, width int) string {
	var lines []string
	for paragraph := range strings.SplitSeq(s, "\n") {
		line, wide := space, 0
		for i, word := range strings.Split(paragraph, " ") {
			n := text.StringWidthWithoutEscSequences(word)
			switch {
			case i > 0 && wide+1+n > width-len(space):
				lines = append(lines, strings.TrimRight(line, " "))
				line, wide = space+word, n
			case i > 0:
				line, wide = line+" "+word, wide+1+n
			default:
				line, wide = space+word, n
			}
		}
		lines = append(lines, strings.TrimRight(line, " "))
	}
	return strings.Join(lines, "\n")
}
