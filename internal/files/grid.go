package files

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// Grid is a table as people send them: a CSV file in one of the usual encodings, or a sheet of a
// workbook, with whatever stands above its head.
type Grid struct {
	Path, Sheet string   // Sheet: "" of a CSV file
	Head        []string // as it is written
	Rows        []GridRow
	Above       []string // lines above the head
	Blank       int      // lines without anything in them
	columns     map[string]int
}

// GridRow is a row below the head.
type GridRow struct {
	Line  int // in the file, or the sheet
	Cells []string
}

// Has reports whether the table has a column; names are compared without case.
func (g *Grid) Has(name string) bool { _, has := g.columns[strings.ToLower(name)]; return has }

// Cell gives what a row has in a column, trimmed; "" where there is no such column.
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
	text := asText(data)
	g := &Grid{Path: path}
	var nearest []string
	for _, comma := range []rune{separator(text), ',', ';', '\t'} {
		if p := tooWide(path, text, comma); p.Fault != nil {
			return nil, problem.List{p}
		}
		found, head, err := gridOfCSV(path, text, comma, needed)
		if err != nil {
			return nil, err
		}
		if found != nil {
			return found, nil
		}
		if len(head) > len(nearest) {
			nearest = head
		}
	}
	return nil, g.missing(nearest, needed)
}

// asText gives a text as UTF-8, without a byte-order mark.
func asText(data []byte) []byte {
	switch {
	case bytes.HasPrefix(data, []byte("\xff\xfe")) || bytes.HasPrefix(data, []byte("\xfe\xff")):
		text, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Bytes(data)
		if err == nil {
			return text
		}
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		return data[3:]
	case utf8.Valid(data):
		if n := min(len(data), 400); n >= 8 && bytes.Count(data[:n], []byte{0})*3 > n { // no mark
			order := unicode.BigEndian
			if data[0] != 0 {
				order = unicode.LittleEndian
			}
			if text, err := unicode.UTF16(order, unicode.IgnoreBOM).NewDecoder().Bytes(data); err == nil {
				return text
			}
		}
		return data
	}
	text, err := charmap.Windows1252.NewDecoder().Bytes(data)
	if err != nil {
		return data
	}
	return text
}

// missing says that a table has no head with the needed columns.
func (g *Grid) missing(head, needed []string) error {
	var faults problem.List
	for _, n := range needed {
		if !slices.ContainsFunc(head, func(h string) bool { return strings.EqualFold(h, n) }) {
			faults.Add(problem.Problem{File: g.Path, Line: 1, Value: strings.Join(head, ","),
				Fault: fact.ColumnMissing{Column: n, Near: problem.Nearest(n, head), Needed: needed,
					Known: needed}})
			break
		}
	}
	if len(faults) == 0 {
		faults.Add(problem.Problem{File: g.Path,
			Fault: fact.TableEmpty{Columns: strings.Join(needed, ",")}})
	}
	return faults
}

// isHead takes a row for the head if it has all needed columns.
func (g *Grid) isHead(cells, needed []string) bool {
	columns := map[string]int{}
	for i, c := range cells {
		name := strings.ToLower(strings.TrimSpace(strings.TrimPrefix(c, "\ufeff")))
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
		g.Head = append(g.Head, strings.TrimSpace(strings.TrimPrefix(c, "\ufeff")))
	}
	return true
}

func blank(cells []string) bool {
	return !slices.ContainsFunc(cells, func(s string) bool { return strings.TrimSpace(s) != "" })
}

func gridOfCSV(path string, text []byte, comma rune, needed []string) (*Grid, []string, error) {
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.Comment, r.FieldsPerRecord = comma, '#', -1
	g := &Grid{Path: path}
	var first []string
	above := 0
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			if g.columns == nil {
				return nil, first, nil
			}
			return g, nil, nil
		}
		if err != nil {
			if g.columns == nil {
				return nil, first, nil
			}
			return nil, nil, problem.List{csvFault(path, err, needed)}
		}
		line, _ := r.FieldPos(0)
		if i := slices.IndexFunc(record, func(s string) bool { return len(s) > mostCell }); i >= 0 {
			return nil, nil, problem.List{{File: path, Line: line, Value: record[i],
				Fault: fact.CellTooLong{Octets: len(record[i]), Most: mostCell}}}
		}
		switch {
		case blank(record):
			g.Blank++
		case g.columns != nil:
			g.Rows = append(g.Rows, GridRow{line, record})
		case g.isHead(record, needed):
		default:
			if len(record) > len(first) {
				first = record
			}
			if above++; above > mostAbove {
				return nil, first, nil
			}
			g.Above = append(g.Above, strings.Join(record, " "))
		}
	}
}

// gridOfWorkbook reads the first sheet that has a head. A cell that stands for several has its
// value in each of them; of a formula the value counts that the spreadsheet saw last.
func gridOfWorkbook(path string, data []byte, needed []string) (*Grid, error) {
	f, err := excelize.OpenReader(bytes.NewReader(data),
		excelize.Options{UnzipSizeLimit: mostSheet, UnzipXMLSizeLimit: 16 << 20})
	if err != nil {
		return nil, problem.List{{File: path, Fault: fact.NotWorkbook{Why: err.Error()}}}
	}
	defer f.Close()
	var nearest []string
	for _, name := range f.GetSheetList() {
		if visible, err := f.GetSheetVisible(name); err == nil && !visible {
			continue
		}
		g, head, err := gridOfSheet(path, f, name, needed)
		if err != nil {
			return nil, err
		}
		if g != nil {
			return g, nil
		}
		if len(head) > len(nearest) {
			nearest = head
		}
	}
	return nil, (&Grid{Path: path}).missing(nearest, needed)
}

func gridOfSheet(path string, f *excelize.File, name string, needed []string) (*Grid, []string,
	error) {
	rows, err := f.Rows(name)
	if err != nil {
		return nil, nil, problem.List{
			{File: path, Fault: fact.SheetUnread{Sheet: name, Why: err.Error()}},
		}
	}
	defer rows.Close()
	g := &Grid{Path: path, Sheet: name}
	var first []string
	for line := 1; rows.Next(); line++ {
		cells, err := rows.Columns()
		switch {
		case err != nil:
			return nil, nil,
				problem.List{{File: path, Fault: fact.SheetUnread{Sheet: name, Why: err.Error()}}}
		case blank(cells):
			g.Blank++
		case g.columns != nil:
			g.Rows = append(g.Rows, GridRow{line, slices.Clone(cells)})
		case strings.HasPrefix(strings.TrimSpace(cells[0]), "#"):
		case g.isHead(cells, needed):
		default:
			if len(cells) > len(first) {
				first = slices.Clone(cells)
			}
			if len(g.Above) > mostAbove {
				return nil, first, nil
			}
			g.Above = append(g.Above, strings.Join(cells, " "))
		}
	}
	if g.columns == nil {
		return nil, first, nil
	}
	g.unmerge(f, name)
	return g, nil, nil
}

// unmerge gives each row the value of a cell that stands for several rows.
func (g *Grid) unmerge(f *excelize.File, name string) {
	merged, err := f.GetMergeCells(name)
	if err != nil || len(merged) > 100_000 {
		return
	}
	for _, m := range merged {
		column, from, err := excelize.CellNameToCoordinates(m.GetStartAxis())
		if err != nil {
			continue
		}
		_, to, err := excelize.CellNameToCoordinates(m.GetEndAxis())
		if err != nil {
			continue
		}
		for i := range g.Rows {
			r := &g.Rows[i]
			if r.Line <= from || r.Line > to {
				continue
			}
			for len(r.Cells) < column {
				r.Cells = append(r.Cells, "")
			}
			r.Cells[column-1] = m.GetCellValue()
		}
	}
}
