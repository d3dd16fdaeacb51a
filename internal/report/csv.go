package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
)

// csvStream writes a line a chain, for spreadsheets.
type csvStream struct{ w *csv.Writer }

func newCSVStream(w io.Writer) Stream { return csvStream{csv.NewWriter(w)} }

var csvHeader = []string{
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

func (c csvStream) Start(Head) error { return c.write(csvHeader) }

func (c csvStream) Chain(ch chain.Chain) error {
	var statuses, codes, says, fixes []string
	for _, h := range ch.Hops {
		statuses = append(statuses, statusText(h))
	}
	for _, f := range ch.Findings {
		codes, says, fixes = append(codes, f.Code.String()), append(says, f.Says), append(fixes, fixOf(f))
	}
	return c.write([]string{ch.Entry.String(), string(ch.Probe), strings.Join(statuses, " "), ch.Arrival.String(),
		fmt.Sprint(
			ch.Redirects(),
		), string(ch.End), string(finding.Worst(ch.Findings)), strings.Join(codes, " "), strings.Join(says, " "),
		strings.Join(fixes, " ")})
}

func (c csvStream) End([]finding.Finding, []string) error { return nil }

func (c csvStream) write(fields []string) error {
	for i, f := range fields {
		fields[i] = noFormula(f)
	}
	if err := c.w.Write(fields); err != nil {
		return err
	}
	c.w.Flush()
	return c.w.Error()
}

// noFormula puts a quote before what a spreadsheet would take for a formula.
func noFormula(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
