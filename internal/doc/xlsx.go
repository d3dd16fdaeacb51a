package doc

import (
	"fmt"
	"io"
	"strconv"
	"strings"

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
	err    error
}

// sheet gathers its rows: the widths of columns have to be said before the first.
type sheet struct {
	name string
	out  *excelize.StreamWriter
	bold int
	head bool
	rows [][]string
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
		x.rows("findings", findingHead, [][]string{findingRow(b)})
	case Step:
		x.rows("steps", stepHead, [][]string{stepRow(b)})
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
	bold, err := x.file.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, fmt.Errorf("writing a workbook: %w", err)
	}
	s := &sheet{name: safe, out: out, bold: bold, head: head != nil}
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
			row[j] = cellValue(c)
			if i == 0 && s.head {
				row[j] = excelize.Cell{StyleID: s.bold, Value: c}
			}
		}
		if err := s.out.SetRow("A"+strconv.Itoa(i+1), row); err != nil {
			return fmt.Errorf("writing a workbook: %w", err)
		}
	}
	if err := s.out.Flush(); err != nil {
		return fmt.Errorf("writing a workbook: %w", err)
	}
	return nil
}

// cellValue gives whole numbers as numbers, so that they can be put in order, and all else as text.
func cellValue(s string) any {
	if n, err := strconv.Atoi(s); err == nil && strconv.Itoa(n) == s && len(s) < 10 {
		return n
	}
	return wording.Cut(web.Masked(s), mostCellRunes)
}
