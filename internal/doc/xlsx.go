package doc

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// What a workbook can hold (ECMA-376 as spreadsheets implement it).
const (
	mostSheetRows   = 1_048_576
	mostCellRunes   = 32_767
	mostNameRunes   = 31
	widestColumn    = 60.0
	narrowestColumn = 8.0
)

// writeXLSX writes a workbook: the verdict on its first sheet, then a sheet for each table, for
// chains, findings and steps. Every cell is a text or a number, never a formula.
func writeXLSX(w io.Writer, d Doc, _ Style) error {
	x := &workbook{file: excelize.NewFile(), sheets: map[string]*sheet{}}
	defer x.file.Close()
	x.rows("verdict", nil, [][]string{{d.Title}, {d.About}, {}})
	for b := range d.Blocks {
		if x.block(b); x.err != nil {
			return x.err
		}
	}
	for _, s := range x.order {
		if err := s.flush(); err != nil {
			return err
		}
	}
	if err := x.file.DeleteSheet("Sheet1"); err != nil {
		return fmt.Errorf("writing a workbook: %w", err)
	}
	if err := x.file.Write(w); err != nil {
		return fmt.Errorf("writing a workbook: %w", err)
	}
	return nil
}

type workbook struct {
	file   *excelize.File
	sheets map[string]*sheet
	order  []*sheet
	styles map[style]int
	err    error
}

// style is how a cell is shown.
type style uint8

const (
	plain style = iota
	bold
	day
	moment
	momentUTC
	share
)

// stylesOf makes the styles of a workbook, with the formats of ECMA-376 section 18.8.31.
func stylesOf(f *excelize.File) (map[style]int, error) {
	format := func(s string) *excelize.Style { return &excelize.Style{CustomNumFmt: &s} }
	made := map[style]int{}
	for _, one := range []struct {
		style
		as *excelize.Style
	}{
		{bold, &excelize.Style{Font: &excelize.Font{Bold: true}}},
		{day, format("yyyy-mm-dd")},
		{moment, format("yyyy-mm-dd hh:mm")},
		{momentUTC, format(`yyyy-mm-dd hh:mm "UTC"`)},
		{share, format("0.0%")},
	} {
		id, err := f.NewStyle(one.as)
		if err != nil {
			return nil, fmt.Errorf("writing a workbook: %w", err)
		}
		made[one.style] = id
	}
	return made, nil
}

// sheet gathers its rows: the widths of columns have to be said before the first.
type sheet struct {
	name   string
	number int // from 1
	out    *excelize.StreamWriter
	styles map[style]int
	head   bool
	rows   [][]string
}

func (x *workbook) block(b Block) {
	switch b := b.(type) {
	case Verdict:
		x.rows("verdict", nil, [][]string{{b.Tone.Word(), b.Says.String()}, {"next", b.Next.String()}})
	case Table:
		if b.Sheet != "" {
			x.rows(b.Sheet, b.Head, plainRows(b.Rows))
		}
	case Data:
		x.rows(b.Sheet, b.Head, Scrubbed(b.Rows)) // no working file: nobody reads rules from a workbook
	case Chain:
		x.rows(ChainsSheet, chainHead, [][]string{chainRow(b)})
	case Finding:
		for _, f := range b.All() {
			x.rows("findings", findingHead, [][]string{findingRow(f)})
		}
	case Step:
		if b.Box == "" { // those of a runbook have a sheet of their own
			x.rows("steps", stepHead, [][]string{stepRow(b)})
		}
	case Fold:
		x.block(Detail{Blocks: b.Blocks})
	case Detail:
		for _, inner := range b.Blocks {
			x.block(inner)
		}
	}
}

// rows adds rows to a sheet, which is made with its head where there is none yet.
func (x *workbook) rows(name string, head []string, rows [][]string) {
	if x.err != nil {
		return
	}
	s := x.sheets[name]
	if s == nil {
		if s, x.err = x.begin(name, head); x.err != nil {
			return
		}
	}
	if s.rows = append(s.rows, rows...); len(s.rows) > mostSheetRows {
		x.err = fmt.Errorf("%s has more rows than a sheet can have (%d); --format csv has them all", name,
			mostSheetRows)
	}
}

func (x *workbook) begin(name string, head []string) (*sheet, error) {
	safe := wording.Cut(strings.Map(func(r rune) rune {
		if strings.ContainsRune(`[]:*?/\'`, r) {
			return '-'
		}
		return r
	}, name), mostNameRunes)
	if _, err := x.file.NewSheet(safe); err != nil {
		return nil, fmt.Errorf("writing a workbook: %w", err)
	}
	out, err := x.file.NewStreamWriter(safe)
	if err != nil {
		return nil, fmt.Errorf("writing a workbook: %w", err)
	}
	if x.styles == nil {
		if x.styles, err = stylesOf(x.file); err != nil {
			return nil, err
		}
	}
	s := &sheet{name: safe, out: out, styles: x.styles, head: head != nil, number: len(x.order) + 1}
	if head != nil {
		s.rows = append(s.rows, head)
	}
	x.sheets[name] = s
	x.order = append(x.order, s)
	return s, nil
}

func (s *sheet) flush() error {
	widths := map[int]float64{}
	for _, r := range s.rows {
		for i, c := range r {
			widths[i] = min(widestColumn,
				max(widths[i], narrowestColumn, float64(len([]rune(wording.Cut(c, 100)))+2)))
		}
	}
	for i := range len(widths) {
		if err := s.out.SetColWidth(i+1, i+1, widths[i]); err != nil {
			return fmt.Errorf("writing a workbook: %w", err)
		}
	}
	if s.head {
		first := &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}
		if err := s.out.SetPanes(first); err != nil {
			return fmt.Errorf("writing a workbook: %w", err)
		}
	}
	for i, r := range s.rows {
		row := make([]any, len(r))
		for j, c := range r {
			value, as := cellValue(c)
			if i == 0 && s.head {
				value, as = c, bold
			}
			row[j] = excelize.Cell{StyleID: s.styles[as], Value: value}
		}
		if err := s.out.SetRow("A"+strconv.Itoa(i+1), row); err != nil {
			return fmt.Errorf("writing a workbook: %w", err)
		}
	}
	if err := s.filters(); err != nil {
		return fmt.Errorf("writing a workbook: %w", err)
	}
	if err := s.out.Flush(); err != nil {
		return fmt.Errorf("writing a workbook: %w", err)
	}
	return nil
}

// filters lets the rows be filtered and put in order by each column. A table has a name for each of
// its columns, each once (ECMA-376 section 18.5.1.3): where that is not so there are none.
func (s *sheet) filters() error {
	if !s.head || len(s.rows) < 2 {
		return nil
	}
	head, seen := s.rows[0], map[string]bool{}
	for _, name := range head {
		if name = strings.ToLower(name); name == "" || seen[name] {
			return nil
		}
		seen[name] = true
	}
	last, err := excelize.CoordinatesToCellName(len(head), len(s.rows))
	if err != nil {
		return err
	}
	stripes := false
	return s.out.AddTable(&excelize.Table{Range: "A1:" + last, Name: fmt.Sprintf("Table%d", s.number),
		ShowRowStripes: &stripes})
}

// cellValue gives what a cell holds: numbers, shares and days as such, so that they can be reckoned
// with and put in order, and all else as text. What would not be read as it was written stays text.
func cellValue(s string) (any, style) {
	if n, err := strconv.Atoi(s); err == nil && strconv.Itoa(n) == s && len(s) < 10 {
		return n, plain
	}
	if f, err := strconv.ParseFloat(s, 64); err == nil && len(s) < 16 &&
		strconv.FormatFloat(f, 'f', -1, 64) == s {
		return f, plain
	}
	if part, is := strings.CutSuffix(s, " %"); is {
		if f, err := strconv.ParseFloat(part, 64); err == nil && f >= 0 && f <= 100 {
			return f / 100, share
		}
	}
	for _, form := range []struct {
		layout string
		as     style
	}{{time.DateOnly, day}, {"2006-01-02 15:04", moment}, {"2006-01-02 15:04 UTC", momentUTC},
		{"2006-01-02T15:04:05Z", momentUTC}} {
		if t, err := time.Parse(form.layout, s); err == nil && t.Year() > 1900 {
			return t, form.as
		}
	}
	return wording.Cut(web.Masked(s), mostCellRunes), plain
}
