package doc

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/wording"
)

// writeCSV writes a document's main table (RFC 4180), for spreadsheets: the one that Main names,
// else the first.
func writeCSV(w io.Writer, d Doc, s Style) error {
	c := &csvWriter{w: csv.NewWriter(w), main: d.Main}
	c.w.UseCRLF = s.CRLF
	for b := range d.Blocks {
		if c.block(b); c.err != nil {
			return c.err
		}
		if c.done {
			break
		}
	}
	switch {
	case c.begun:
	case d.Main == ChainsSheet:
		c.row(chainHead, false)
	default: // there is no table
		c.row([]string{"tone", "verdict"}, false)
		c.row([]string{c.verdict.Tone.Word(), c.verdict.Says.String()}, false)
	}
	return c.err
}

type csvWriter struct {
	w     *csv.Writer
	main  string
	err   error
	begun bool
	done  bool
	goes  bool // the sheet that was begun goes on

	verdict Verdict
}

func (c *csvWriter) block(b Block) {
	switch b := b.(type) {
	case Verdict:
		c.verdict = b
	case Chain:
		if c.main != "" && c.main != ChainsSheet {
			return
		}
		if !c.begun {
			c.row(chainHead, false)
		}
		c.row(chainRow(b), false)
	case Table:
		if b.Sheet != "" && (c.main == "" || c.main == b.Sheet) {
			c.whole(b.Head, plainRows(b.Rows), false)
		}
	case Data:
		if c.main == "" || c.main == b.Sheet {
			head := b.Head
			if c.goes {
				head = nil
			}
			c.whole(head, b.Rows, b.Exact)
			c.done, c.goes = !b.Goes, b.Goes
		}
	case Fold:
		c.block(Detail{Blocks: b.Blocks})
	case Detail:
		for _, inner := range b.Blocks {
			if !c.done {
				c.block(inner)
			}
		}
	}
}

func (c *csvWriter) whole(head []string, rows [][]string, exact bool) {
	if head != nil {
		c.row(head, exact)
	}
	for _, r := range rows {
		c.row(r, exact)
	}
	c.done = true
}

// row writes a row, with no cell that a spreadsheet would take for a formula but in working files.
// The apex's label is typed as @ and stays so: alone it is no formula.
func (c *csvWriter) row(fields []string, exact bool) {
	if c.err != nil {
		return
	}
	c.begun = true
	row := make([]string, len(fields))
	for i, f := range fields {
		if row[i] = f; !exact && f != "@" {
			row[i] = wording.NoFormula(f)
		}
	}
	if c.err = c.w.Write(row); c.err == nil {
		c.w.Flush()
		c.err = c.w.Error()
	}
}

// plainRows gives the rows of a table as data.
func plainRows(rows [][]Cell) [][]string {
	all := make([][]string, len(rows))
	for i, r := range rows {
		for _, c := range r {
			all[i] = append(all[i], c.Text.String())
		}
	}
	return all
}

// chainsSheet is the table of chains, a row each.
const ChainsSheet = "chains"

var chainHead = []string{
	"entry",
	"probe",
	"statuses",
	"arrival",
	"redirects",
	"end",
	"severity",
	"codes",
	"says",
	"fix",
}

func chainRow(c Chain) []string {
	var statuses, codes, says, fixes []string
	for _, h := range c.Hops {
		statuses = append(statuses, h.Status)
	}
	worst := Good
	for _, f := range c.Findings {
		codes, says, fixes = append(codes, f.Code), append(says, f.Whole().String()),
			append(fixes, f.Fix.String())
		worst = max(worst, f.Tone)
	}
	severity := worst.Word()
	if worst == Good {
		severity = ""
	}
	return []string{c.Entry, c.Probe, strings.Join(statuses, " "), c.Arrival, fmt.Sprint(c.Redirects),
		c.End, severity,
		strings.Join(codes, " "), strings.Join(says, " "), strings.Join(fixes, " ")}
}

// findingHead and findingRow are findings as data.
var findingHead = []string{"severity", "code", "subject", "says", "fix", "affects"}

func findingRow(f Finding) []string {
	return []string{f.Tone.Word(), f.Code, strings.Join(f.Subjects, ", "), f.Whole().String(),
		f.Fix.String(), f.Affects}
}

// stepHead and stepRow are steps as data.
var stepHead = []string{"step", "done", "what", "more"}

func stepRow(s Step) []string {
	var facts []string
	for _, f := range s.Facts {
		facts = append(facts, f.Name+": "+f.Value.String())
	}
	return []string{fmt.Sprint(s.Number), s.Box, s.Says.String(),
		strings.Join(slices.Concat(facts, s.Copy, []string{"undo: " + s.Back.String()}, s.Undo), "; ")}
}
