package files

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/pair"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// PairSheet is a work sheet of pairs as a file.
type PairSheet struct {
	pair.Sheet
	Above []string // comments above the head
	made  []byte   // the file as it was read; nil: there was none
}

// ReadPairSheet reads a work sheet, CSV or XLSX, as it was written or as somebody's spreadsheet
// saved it. Where there is no such file it is empty. The error is a problem.List.
func ReadPairSheet(path string) (*PairSheet, error) {
	s := &PairSheet{}
	data, err := Read(path, MostTable)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	s.made = data
	if len(bytes.TrimSpace(data)) == 0 {
		return s, nil
	}
	g, err := ReadGrid(path, "old", "new")
	if err != nil {
		return nil, err
	}
	if g.Sheet == "" {
		s.Above = commentsAbove(asText(data))
	}
	var extra []int
	for i, h := range g.Head {
		if h != "" && !slices.Contains(pair.Columns, strings.ToLower(h)) {
			s.Extra, extra = append(s.Extra, h), append(extra, i)
		}
	}
	var faults problem.List
	for _, r := range g.Rows {
		row := pair.Row{Line: r.Line, Old: g.Cell(r, "old"), New: g.Cell(r, "new"),
			Confidence: g.Cell(r, "confidence"), Reason: g.Cell(r, "reason"), Note: g.Cell(r, "note"),
			Proposed: g.Cell(r, "proposed"), Second: g.Cell(r, "second"), Third: g.Cell(r, "third"),
			Section: g.Cell(r, "section")}
		row.Weight, _ = weightOf(g.Cell(r, "weight"))
		word, ok := pair.ReadDecision(g.Cell(r, "decision"))
		if row.Decision = word; !ok {
			faults.Add(problem.Problem{File: path, Line: r.Line, Value: g.Cell(r, "decision"),
				Field: "decision", Fault: fact.DecisionWord{Near: problem.Nearest(word, pair.Words)}})
		}
		if to, gone := row.Target(); row.Decided() && !gone && to == "" {
			faults.Add(problem.Problem{File: path, Line: r.Line, Value: row.Decision, Field: "decision",
				Fault: fact.DecisionEmpty{}})
		}
		for _, i := range extra {
			value := ""
			if i < len(r.Cells) {
				value = r.Cells[i]
			}
			row.Extra = append(row.Extra, value)
		}
		if row.Old != "" || len(strings.Join(row.Extra, "")) > 0 || row.Note != "" {
			s.Rows = append(s.Rows, row)
		}
	}
	return s, faults.Err()
}

// commentsAbove gives the lines that start with # above the head of a table.
func commentsAbove(text []byte) []string {
	var all []string
	for line := range strings.Lines(string(text)) {
		trimmed := strings.TrimRight(line, "\r\n")
		if strings.TrimSpace(trimmed) != "" && trimmed[0] != '#' {
			break
		}
		if strings.HasPrefix(trimmed, "#") {
			all = append(all, trimmed)
		}
	}
	return all
}

// cells gives a row as it is written.
func (s *PairSheet) cells(r pair.Row) []string {
	cells := []string{
		r.Old,
		r.New,
		r.Confidence,
		r.Reason,
		r.Decision,
		strconv.FormatInt(r.Weight, 10),
		r.Note,
		r.Proposed,
		r.Second,
		r.Third,
		r.Section,
	}
	for i := range s.Extra {
		value := ""
		if i < len(r.Extra) {
			value = r.Extra[i]
		}
		cells = append(cells, value)
	}
	return cells
}

// CSV gives the work sheet as CSV.
func (s *PairSheet) CSV() ([]byte, error) {
	var b bytes.Buffer
	for _, line := range s.Above {
		b.WriteString(line + "\n")
	}
	w := csv.NewWriter(&b)
	if err := w.Write(slices.Concat(pair.Columns, s.Extra)); err != nil {
		return nil, err
	}
	for _, r := range s.Rows {
		if err := w.Write(s.cells(r)); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// XLSX gives the work sheet as a workbook, in which decisions are chosen from a list.
func (s *PairSheet) XLSX() ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	const name = "pairs"
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return nil, err
	}
	out, err := f.NewStreamWriter(name)
	if err != nil {
		return nil, err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	for i, width := range []float64{60, 60, 11, 60, 14, 10, 30, 30, 30, 30, 30} {
		if err := out.SetColWidth(i+1, i+1, width); err != nil {
			return nil, err
		}
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return nil, err
	}
	write := func(line int, cells []string, style int) error {
		row := make([]any, len(cells))
		for i, c := range cells {
			row[i] = excelize.Cell{StyleID: style, Value: c}
			if n, err := strconv.ParseFloat(c, 64); err == nil && line > 1 && (i == 2 || i == 5) {
				row[i] = excelize.Cell{StyleID: style, Value: n}
			}
		}
		at, err := excelize.CoordinatesToCellName(1, line)
		if err != nil {
			return err
		}
		return out.SetRow(at, row)
	}
	if err := write(1, slices.Concat(pair.Columns, s.Extra), bold); err != nil {
		return nil, err
	}
	for i, r := range s.Rows {
		if err := write(i+2, s.cells(r), 0); err != nil {
			return nil, err
		}
	}
	if err := out.Flush(); err != nil {
		return nil, err
	}
	list := excelize.NewDataValidation(true)
	list.Sqref = fmt.Sprintf("E2:E%d", max(2, len(s.Rows)+1))
	if err := list.SetDropList(pair.Words); err != nil {
		return nil, err
	}
	list.ShowErrorMessage = false // a URL may stand there too
	if err := f.AddDataValidation(name, list); err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// Write writes the work sheet where it was read, as a workbook where the name says so. Where
// somebody else changed the file in the meantime nothing is written (ErrChanged).
func (s *PairSheet) Write(path string) error {
	data, err := s.CSV()
	if strings.HasSuffix(strings.ToLower(path), ".xlsx") {
		data, err = s.XLSX()
	}
	if err != nil {
		return err
	}
	now, err := Read(path, MostTable)
	switch {
	case errors.Is(err, fs.ErrNotExist) && s.made == nil:
	case err != nil:
		return fmt.Errorf("%s: %w", path, errors.Join(ErrChanged, err))
	case !bytes.Equal(now, s.made):
		return fmt.Errorf("%s: %w", path, ErrChanged)
	}
	if err := writeWhole(path, data); err != nil {
		return err
	}
	s.made = data
	return nil
}

// described takes in pages with what a table says of them.
type described struct {
	all   []pair.Page
	at    map[string]int
	title map[*old.Source][4]int
}

// The names of columns with what a page says of itself.
var describedNames = [4][]string{
	{"title", "title 1", "page title", "meta title", "titel", "titre"},
	{"heading", "h1", "h1-1", "first heading"},
	{"language", "lang", "hreflang", "html lang"},
	{"canonical", "canonical link element 1", "canonical url"},
}

func (d *described) Begin(name string, more ...string) *old.Source {
	s := &old.Source{Name: name, More: more, Out: map[old.Reason]*old.LeftOut{}}
	places := [4]int{-1, -1, -1, -1}
	for i, names := range describedNames {
		for _, n := range names {
			at := slices.IndexFunc(more, func(m string) bool { return strings.EqualFold(m, n) })
			if at >= 0 && places[i] < 0 {
				places[i] = at
			}
		}
	}
	d.title[s] = places
	return s
}

func (d *described) Add(s *old.Source, a old.Seen) {
	s.Lines++
	s.Kept++
	if a.Status != 0 && (a.Status < 200 || a.Status > 299) || answeredElse(a.Note) ||
		string(a.Method) == "POST" {
		return
	}
	says := [4]string{}
	for i, at := range d.title[s] {
		if at >= 0 && at < len(a.More) {
			says[i] = a.More[at]
		}
	}
	p := pair.Page{URL: string(a.URL), Title: says[0], Heading: says[1], Language: says[2],
		Weight: a.Weight}
	if canonical := says[3]; canonical != "" { // a copy of another page
		if u, err := web.ParseURL(canonical); err == nil {
			if own, err := web.ParseURL(p.URL); err == nil && !own.Same(u) && own.Host() == u.Host() {
				return
			}
		}
	}
	if at, known := d.at[p.URL]; known {
		have := &d.all[at]
		have.Weight = old.Plus(have.Weight, p.Weight)
		for _, c := range []struct{ to, from *string }{{&have.Title, &p.Title},
			{&have.Heading, &p.Heading}, {&have.Language, &p.Language}} {
			if *c.to == "" {
				*c.to = *c.from
			}
		}
		return
	}
	d.at[p.URL] = len(d.all)
	d.all = append(d.all, p)
}

// ReadDescribed reads pages with what is said of them from whatever old URLs are read from; door is
// that of paths. What answered with a redirect or an error is no page, and neither is one that
// names another page as the one that counts. stop ends the reading. The error is a problem.List.
func ReadDescribed(
	paths []string,
	door web.Door,
	old bool,
	stop func() error,
) ([]pair.Page, error) {
	d := &described{at: map[string]int{}, title: nil}
	d.title = makeTitles()
	reader := &OldURLs{Door: door, Stop: stop, To: sinkOf(d, old)}
	for _, path := range paths {
		if err := reader.Add(path); err != nil {
			return nil, err
		}
	}
	if len(reader.Maps) > 0 {
		return nil, problem.List{{File: paths[0], Fault: fact.SitemapIndex{}}}
	}
	return d.all, nil
}

func makeTitles() map[*old.Source][4]int { return map[*old.Source][4]int{} }

// sinkOf gives a sink of pages; of old URLs those count too that answer otherwise today.
func sinkOf(d *described, olds bool) old.Sink {
	if olds {
		return oldDescribed{d}
	}
	return d
}

type oldDescribed struct{ *described }

func (d oldDescribed) Add(s *old.Source, a old.Seen) {
	a.Status, a.Note = 0, ""
	if at := d.title[s]; at[3] >= 0 && at[3] < len(a.More) {
		a.More = slices.Clone(a.More)
		a.More[at[3]] = ""
	}
	d.described.Add(s, a)
}

// Exists reports whether there is a file.
func Exists(path string) bool { _, err := os.Stat(path); return err == nil }
