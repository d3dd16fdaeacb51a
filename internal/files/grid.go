package files

import (
	"bytes"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// Grid is a table as people send them: a CSV file in one of the usual encodings, or a sheet of a
// workbook, with whatever stands above its head.
type Grid struct {
	Path    string
	Head    []string // as it is written
	Rows    []GridRow
	Sheet   string // "" of a CSV file
	comma   rune   // of a CSV file
	columns map[string]int
}

// GridRow is a row below the head that has something in it.
type GridRow struct {
	Line  int // in the file, or the sheet
	Cells []string
}

// Cell gives what a row has in a column, trimmed; "" where there is no such column. Names are
// compared without case.
func (g *Grid) Cell(r GridRow, name string) string {
	at, has := g.columns[strings.ToLower(name)]
	if !has || at >= len(r.Cells) {
		return ""
	}
	return strings.TrimSpace(r.Cells[at])
}

// mostAbove is in how many lines the head of a table is looked for.
const mostAbove = 60

// ReadGrid reads a table whose head has all needed columns: the first sheet of a workbook that has
// such a head, or a CSV file (UTF-8, UTF-16 or Windows-1252; comma, semicolon or tab). Title rows,
// blank lines and lines that start with # may stand above the head. The error is a problem.List.
func ReadGrid(path string, needed ...string) (*Grid, error) {
	data, err := Read(path, MostTable)
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	InProportion(len(data))
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		return gridOfWorkbook(path, data, needed)
	}
	text, err := inUTF8(data)
	if err != nil {
		return nil, problem.List{{File: path, Line: 1, Fault: fact.NotCSVBecause{Why: err.Error()}}}
	}
	var nearest []string
	var fault error
	for _, comma := range []rune{separator(text), ',', ';', '\t'} {
		if p := tooWide(path, text, comma); p.Fault != nil {
			return nil, problem.List{p}
		}
		rows, faults := textRows(path, text, comma, false, needed...)
		g := Grid{Path: path, comma: comma}
		if first, found := g.take(rows, needed); found {
			return &g, faults.Err()
		} else if len(first) > len(nearest) {
			nearest, fault = first, faults.Err()
		}
	}
	if fault != nil {
		return nil, fault
	}
	return nil, missing(path, nearest, needed)
}

// missing says that a table has no head with the needed columns.
func missing(path string, head, needed []string) error {
	for _, n := range needed {
		if len(head) > 0 &&
			!slices.ContainsFunc(head, func(h string) bool { return strings.EqualFold(h, n) }) {
			return problem.List{{File: path, Line: 1, Value: strings.Join(head, ","),
				Fault: fact.ColumnMissing{Column: n, Near: problem.Nearest(n, head), Needed: needed,
					Known: needed}}}
		}
	}
	return problem.List{{File: path, Fault: fact.TableEmpty{Columns: strings.Join(needed, ",")}}}
}

// take finds the head among rows, and takes those below it; where there is none it gives the row
// that comes nearest.
func (g *Grid) take(rows []row, needed []string) (nearest []string, found bool) {
	for i, r := range rows[:min(len(rows), mostAbove)] {
		if strings.HasPrefix(strings.TrimSpace(r.fields[0]), "#") {
			continue
		}
		if g.isHead(r.fields, needed) {
			for _, below := range rows[i+1:] {
				g.Rows = append(g.Rows, GridRow{below.line, below.fields})
			}
			return nil, true
		}
		if len(r.fields) > len(nearest) {
			nearest = r.fields
		}
	}
	return nearest, false
}

// isHead takes a row for the head if it has all needed columns.
func (g *Grid) isHead(cells, needed []string) bool {
	columns := map[string]int{}
	for i, c := range cells {
		name := strings.ToLower(strings.TrimSpace(c))
		if _, twice := columns[name]; name != "" && !twice {
			columns[name] = i
		}
	}
	for _, n := range needed {
		if _, has := columns[strings.ToLower(n)]; !has {
			return false
		}
	}
	g.columns = columns
	for _, c := range cells {
		g.Head = append(g.Head, strings.TrimSpace(c))
	}
	return true
}

// gridOfWorkbook reads the first sheet that has a head.
func gridOfWorkbook(path string, data []byte, needed []string) (*Grid, error) {
	var found *Grid
	var nearest []string
	err := eachSheet(path, data, func(name string, rows []row, f *excelize.File) bool {
		g := &Grid{Path: path, Sheet: name}
		first, is := g.take(rows, needed)
		if is {
			g.unmerge(f)
			found = g
		} else if len(first) > len(nearest) {
			nearest = first
		}
		return !is
	})
	if err == nil && found == nil {
		err = missing(path, nearest, needed)
	}
	return found, err
}

// unmerge gives each row the value of a cell that stands for several rows.
func (g *Grid) unmerge(f *excelize.File) {
	merged, err := f.GetMergeCells(g.Sheet)
	if err != nil {
		return
	}
	at := make(map[int]int, len(g.Rows))
	for i, r := range g.Rows {
		at[r.Line] = i
	}
	for _, m := range merged {
		column, from, err := excelize.CellNameToCoordinates(m.GetStartAxis())
		if err != nil {
			continue
		}
		_, to, err := excelize.CellNameToCoordinates(m.GetEndAxis())
		if err != nil || column > mostColumns {
			continue
		}
		for line := from + 1; line <= min(to, from+len(g.Rows)); line++ {
			i, known := at[line]
			if !known {
				continue
			}
			r := &g.Rows[i]
			for len(r.Cells) < column {
				r.Cells = append(r.Cells, "")
			}
			r.Cells[column-1] = m.GetCellValue()
		}
	}
}
