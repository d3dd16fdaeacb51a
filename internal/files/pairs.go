package files

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io/fs"
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

	comma  rune // of a CSV file that was read; 0: a comma
	marked bool // it begins with a byte-order mark
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
		s.comma = g.comma
		text, _ := inUTF8(data)
		s.marked = !bytes.Equal(text, data) // another encoding, or a mark: spreadsheets ask for one
		s.Above = commentsAbove(text)
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

// CSV gives the work sheet as CSV, parted and marked as it was when it was read.
func (s *PairSheet) CSV() ([]byte, error) {
	var b bytes.Buffer
	if s.marked {
		b.WriteString("\ufeff")
	}
	for _, line := range s.Above {
		b.WriteString(line + "\n")
	}
	w := csv.NewWriter(&b)
	w.Comma = cmp.Or(s.comma, ',')
	if err := writeRow(&b, w, slices.Concat(pair.Columns, s.Extra)); err != nil {
		return nil, err
	}
	for _, r := range s.Rows {
		if err := writeRow(&b, w, s.cells(r)); err != nil {
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

// Described is pages with what tables and crawls say of them.
type Described struct {
	Pages []pair.Page
	// lines that are no page of their own: a redirect, an error, a copy that names another page
	Left int

	olds bool // what answers otherwise today counts too
	at   map[string]int
	says map[*old.Source][4]int // where its columns of describedNames stand
}

// NewDescribed makes an empty list. Of old pages those count too that answer otherwise today.
func NewDescribed(olds bool) *Described {
	return &Described{olds: olds, at: map[string]int{}, says: map[*old.Source][4]int{}}
}

// The names of columns with what a page says of itself.
var describedNames = [4][]string{
	{"title", "title 1", "page title", "meta title", "titel", "titre"},
	{"heading", "h1", "h1-1", "first heading"},
	{"language", "lang", "hreflang", "html lang"},
	{"canonical", "canonical link element 1", "canonical url"},
}

// Begin begins a source.
func (d *Described) Begin(name string, more ...string) *old.Source {
	s := old.Each(nil).Begin(name, more...)
	places := [4]int{-1, -1, -1, -1}
	for i, names := range describedNames {
		for _, n := range names {
			at := slices.IndexFunc(more, func(m string) bool { return strings.EqualFold(m, n) })
			if at >= 0 && places[i] < 0 {
				places[i] = at
			}
		}
	}
	d.says[s] = places
	return s
}

// Add takes in a page.
func (d *Described) Add(s *old.Source, a old.Seen) {
	says := [4]string{}
	for i, at := range d.says[s] {
		if at >= 0 && at < len(a.More) {
			says[i] = a.More[at]
		}
	}
	p := pair.Page{URL: string(a.URL), Title: says[0], Heading: says[1], Language: says[2],
		Weight: a.Weight}
	if string(a.Method) == "POST" || !d.olds && (a.Status != 0 && (a.Status < 200 || a.Status > 299) ||
		answeredElse(a.Note) || isCopy(p.URL, says[3])) {
		d.Left++
		return
	}
	i, known := d.at[p.URL]
	if !known {
		d.at[p.URL] = len(d.Pages)
		d.Pages = append(d.Pages, p)
		return
	}
	have := &d.Pages[i]
	have.Weight = old.Plus(have.Weight, p.Weight)
	have.Title = cmp.Or(have.Title, p.Title)
	have.Heading = cmp.Or(have.Heading, p.Heading)
	have.Language = cmp.Or(have.Language, p.Language)
}

// isCopy reports whether a page names another one of its host as the one that counts.
func isCopy(url, canonical string) bool {
	if canonical == "" {
		return false
	}
	u, err := web.ParseURL(canonical)
	if err != nil {
		return false
	}
	own, err := web.ParseURL(url)
	return err == nil && !own.Same(u) && own.Host() == u.Host()
}

// Read reads pages from whatever old URLs are read from; door is that of paths. stop ends it. The
// error is a problem.List.
func (d *Described) Read(path string, door web.Door, stop func() error) error {
	reader := &OldURLs{Door: door, Stop: stop, To: d}
	if err := reader.Add(path); err != nil {
		return err
	}
	if len(reader.Maps) > 0 {
		return problem.List{{File: path, Fault: fact.SitemapIndex{}}}
	}
	return nil
}
