// Package report shows what was found: one model, a writer a format. It computes nothing that is not about showing, and
// lets nothing hostile through: a model is
// scrubbed once, when a writer takes it.
//
//	s := report.NewStream("text", report.Look, os.Stdout, report.Style{Width: 100})
//	s.Start(head); s.Chain(c); s.End(findings, nil)
package report

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Style says how a text may look.
type Style struct {
	Color bool
	Width int       // columns; 0: 100
	Now   time.Time // for how long certificates still run
}

func (s Style) width() int {
	if s.Width <= 0 {
		return 100
	}
	return min(s.Width, 120)
}

// View says what is shown first: the chains one by one, or the grid of doors.
type View int

// The views.
const (
	Look View = iota
	Audit
)

// Head is what is known before the first chain.
type Head struct {
	Schema    string
	Title     string
	Vantage   string
	Canonical string
	Started   time.Time
}

// Stream takes the parts of an audit as they come.
type Stream interface {
	Start(Head) error
	Chain(chain.Chain) error
	End(findings []finding.Finding, notes []string) error
}

// Formats are the words that --format takes.
var Formats = []string{"text", "json", "csv", "md"}

// NewStream returns the stream of a format from Formats.
func NewStream(format string, view View, w io.Writer, style Style) Stream {
	switch format {
	case "json":
		return &jsonStream{w: w}
	case "csv":
		return scrubbing{newCSVStream(w)}
	case "md":
		return scrubbing{&mdStream{w: w, style: style}}
	}
	return scrubbing{&textStream{w: w, view: view, style: style, grid: &Grid{}}}
}

// Play hands a whole audit to a stream.
func Play(s Stream, title string, a *chain.Audit) error {
	if err := s.Start(Head{a.Schema, title, a.Vantage, a.Canonical, a.Started}); err != nil {
		return err
	}
	for _, c := range a.Chains {
		if err := s.Chain(c); err != nil {
			return err
		}
	}
	return s.End(a.Findings, a.Notes)
}

// Grid is the doors of an audit: a row a host, a cell a door.
type Grid struct {
	Rows    []*Row
	byHost  map[web.Host]*Row
	Chains  int
	Unseen  int // chains that this vantage could not follow to their end
	Entries int // chains that are no door's
}

// Row is one host with its two doors.
type Row struct {
	Host  string // as a person reads it
	Cells [2]Cell
}

// Cell is one door.
type Cell struct {
	Seen     bool
	Unseen   bool             // this vantage could not look
	Severity finding.Severity // "" where all is well
	Codes    []finding.Code   // the worst first
	Outcome  string           // where all is well: "1 hop", "page"
}

// Add takes in a chain.
func (g *Grid) Add(c chain.Chain) {
	g.Chains++
	if c.Last().Refusal == chain.Unseen {
		g.Unseen++
	}
	if !slices.Contains(chain.ProbeOrder, c.Probe) {
		g.Entries++
		return
	}
	if g.byHost == nil {
		g.byHost = map[web.Host]*Row{}
	}
	h := c.Entry.Host()
	row := g.byHost[h]
	if row == nil {
		row = &Row{Host: h.Unicode()}
		g.byHost[h] = row
		g.Rows = append(g.Rows, row)
	}
	cell := &row.Cells[0]
	if c.Entry.Scheme() == web.HTTPS {
		cell = &row.Cells[1]
	}
	cell.add(c)
}

func (c *Cell) add(ch chain.Chain) {
	if !c.Seen {
		c.Seen = true
		c.Outcome = outcome(ch)
	}
	c.Unseen = c.Unseen || ch.Last().Refusal == chain.Unseen
	for _, f := range ch.Findings {
		if slices.Contains(c.Codes, f.Code) {
			continue
		}
		if f.Severity.Rank() > c.Severity.Rank() {
			c.Severity = f.Severity
			c.Codes = slices.Insert(c.Codes, 0, f.Code)
			continue
		}
		c.Codes = append(c.Codes, f.Code)
	}
}

// outcome says in two words how a chain went.
func outcome(c chain.Chain) string {
	switch {
	case c.Last().Refusal == chain.Unseen:
		return "not seen"
	case c.End != chain.Page:
		return string(c.End)
	case len(c.Hops) == 1 && c.Last().Status == 200:
		return "the site"
	case len(c.Hops) == 1:
		return fmt.Sprint(c.Last().Status)
	}
	return plural(len(c.Hops)-1, "hop")
}

// Count sums the doors up.
func (g *Grid) Count() (doors, clean int) {
	for _, r := range g.Rows {
		for _, c := range r.Cells {
			if !c.Seen {
				continue
			}
			doors++
			if c.Severity.Rank() <= finding.Note.Rank() && !c.Unseen {
				clean++
			}
		}
	}
	return doors, clean
}

// Counts gives how many findings there are of each severity.
func Counts(findings []finding.Finding) map[finding.Severity]int {
	counts := map[finding.Severity]int{}
	for _, f := range findings {
		counts[f.Severity]++
	}
	return counts
}

// Verdict says in one sentence how an audit went.
func Verdict(doors, clean int, findings []finding.Finding) string {
	counts := Counts(findings)
	if doors > 0 && doors == clean && counts[finding.Error] == 0 && counts[finding.Warning] == 0 {
		return fmt.Sprintf("All %s are clean.", plural(doors, "door"))
	}
	var parts []string
	for _, s := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		if n := counts[s]; n > 0 {
			parts = append(parts, plural(n, string(s)))
		}
	}
	found := "nothing wrong was found"
	if len(parts) > 0 {
		found = strings.Join(parts, ", ")
	}
	if doors == 0 {
		return strings.ToUpper(found[:1]) + found[1:] + "."
	}
	return fmt.Sprintf("%d of %s are clean: %s.", clean, plural(doors, "door"), found)
}

// unseen says how many chains this vantage could not follow, "" where it could follow all.
func (g *Grid) unseen() string {
	switch g.Unseen {
	case 0:
		return ""
	case g.Chains:
		return "Nothing could be seen from here."
	}
	return fmt.Sprintf("%s of %d could not be seen from here.", plural(g.Unseen, "chain"), g.Chains)
}

func plural(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

// clean makes a text from outside safe for a terminal.
// certificateLine says in one line whose certificate was seen.
func certificateLine(t *chain.TLS, now time.Time) string {
	names := "no name"
	if len(t.Names) > 0 {
		names = t.Names[0]
		if more := len(t.Names) - 1; more > 0 {
			names += ", " + t.Names[1]
			if more > 1 {
				names += fmt.Sprintf(" and %d more", more-1)
			}
		}
	}
	return fmt.Sprintf("certificate for %s, by %s, %s", names, t.Issuer, timeLeft(t.NotAfter, now))
}

func timeLeft(end, now time.Time) string {
	left := end.Sub(now)
	switch {
	case end.IsZero():
		return "end unknown"
	case left < 0:
		return fmt.Sprintf("ended %s ago", finding.Span(-left))
	}
	return finding.Span(left) + " left"
}

// about says what a probe was for, for the probes behind the first.
func about(p chain.Probe) string {
	switch p {
	case chain.Deep:
		return "with a path"
	case chain.Query:
		return "with a query"
	case chain.Rule, chain.Pattern:
		return "by a rule"
	}
	return ""
}

// describe says in a few words how a further probe of a door went.
func describe(c chain.Chain) string {
	switch {
	case c.End == chain.NoAnswer:
		return string(c.Last().Refusal)
	case c.End != chain.Page:
		return string(c.End)
	}
	kept := c.Probe == chain.Deep && strings.HasSuffix(c.Arrival.Path(), c.Entry.Path()) ||
		c.Probe == chain.Query && web.QueryHolds(c.Arrival.Query(), c.Entry.Query())
	switch {
	case len(c.Hops) == 1:
		return fmt.Sprintf("answers %d", c.Last().Status)
	case kept:
		return "kept"
	}
	return "lost: arrives at " + c.Arrival.String()
}
