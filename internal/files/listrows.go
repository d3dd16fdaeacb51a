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
	"golang.org/x/text/transform"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// mostList is how many octets a list of domains may have.
const mostList = 256 << 20

// listRows reads the rows of a table that somebody exported: a workbook, or text in any usual
// encoding, parted by whatever parts it. Lines that start with # are comments. The error is a
// problem.List.
func listRows(path string) ([]row, error) {
	data, err := Read(path, mostList)
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	InProportion(len(data))
	if isWorkbook(path) || bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		return workbookRows(path, data)
	}
	text, err := inUTF8(data)
	if err != nil {
		return nil, problem.List{{File: path, Line: 1, Fault: fact.NotCSVBecause{Why: err.Error()}}}
	}
	comma := parting(text)
	if p := tooWide(path, text, comma); p.Fault != nil {
		return nil, problem.List{p}
	}
	rows, faults := textRows(path, text, comma, true, "name")
	if len(rows) == 0 && len(faults) == 0 {
		faults.Add(problem.Problem{File: path, Fault: fact.TableEmpty{Columns: "name"}})
	}
	return rows, faults.Err()
}

// textRows reads the rows of a text that have something in them. Where it is read loosely, quotes
// may stand anywhere.
func textRows(path string, text []byte, comma rune, loose bool, needed ...string) ([]row,
	problem.List) {
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.Comment, r.FieldsPerRecord, r.LazyQuotes = comma, '#', -1, loose
	var rows []row
	var faults problem.List
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows, faults
		}
		if err != nil {
			faults.Add(csvFault(path, err, needed))
			return rows, faults
		}
		line, _ := r.FieldPos(0)
		if i := slices.IndexFunc(record, func(s string) bool { return len(s) > mostCell }); i >= 0 {
			faults.Add(problem.Problem{File: path, Line: line, Value: record[i],
				Fault: fact.CellTooLong{Octets: len(record[i]), Most: mostCell}})
			return rows, faults
		}
		if !blank(record) {
			rows = append(rows, row{line, record})
		}
	}
}

// blank reports whether nothing stands in a row.
func blank(cells []string) bool {
	return !slices.ContainsFunc(cells, func(s string) bool { return strings.TrimSpace(s) != "" })
}

// inUTF8 gives a text in UTF-8: what begins with a mark of UTF-16, or has zeros as UTF-16 has, is
// that; what is no UTF-8 is what old programs write.
func inUTF8(data []byte) ([]byte, error) {
	head := data[:min(len(data), 512)]
	even, odd := 0, 0
	for i, c := range head {
		switch {
		case c != 0:
		case i%2 == 0:
			even++
		default:
			odd++
		}
	}
	order := unicode.LittleEndian
	switch {
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
	case odd > len(head)/4 && even == 0:
	case even > len(head)/4 && odd == 0:
		order = unicode.BigEndian
	case utf8.Valid(data):
		return bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), nil
	default:
		text, _, err := transform.Bytes(charmap.Windows1252.NewDecoder(), data)
		return text, err
	}
	text, _, err := transform.Bytes(unicode.UTF16(order, unicode.UseBOM).NewDecoder(), data)
	return text, err
}

// parting gives what parts the fields of a table: whatever stands in most lines, and in most of
// them as often as in the others.
func parting(text []byte) rune {
	count := map[rune]map[int]int{}
	n := 0
	for line := range bytes.Lines(text) {
		if len(bytes.TrimSpace(line)) == 0 || line[0] == '#' {
			continue
		}
		if n++; n > 200 {
			break
		}
		for _, m := range ",;\t|" {
			if k := bytes.Count(line, []byte(string(m))); k > 0 {
				if count[m] == nil {
					count[m] = map[int]int{}
				}
				count[m][k]++
			}
		}
	}
	best, most := ',', 0
	for _, m := range "\t;,|" {
		for _, lines := range count[m] {
			if lines > most {
				best, most = m, lines
			}
		}
	}
	return best
}

// workbookRows reads the first sheet of a workbook that has any rows.
func workbookRows(path string, data []byte) ([]row, error) {
	var found []row
	err := eachSheet(path, data, func(_ string, rows []row, _ *excelize.File) bool {
		found = rows
		return len(rows) == 0
	})
	if err == nil && len(found) == 0 {
		err = problem.List{{File: path, Fault: fact.WorkbookEmpty{}}}
	}
	return found, err
}

// eachSheet calls a function for the sheets of a workbook that are shown, with their rows that have
// something in them, until it returns false. Of a formula the value counts that was seen last.
func eachSheet(path string, data []byte,
	visit func(name string, rows []row, f *excelize.File) (more bool)) error {
	f, err := excelize.OpenReader(bytes.NewReader(data),
		excelize.Options{UnzipSizeLimit: mostSheet, UnzipXMLSizeLimit: 16 << 20})
	if err != nil {
		return problem.List{{File: path, Fault: fact.NotWorkbook{Why: err.Error()}}}
	}
	defer f.Close()
	for _, name := range f.GetSheetList() {
		if shown, err := f.GetSheetVisible(name); err == nil && !shown {
			continue
		}
		sheet, err := f.Rows(name)
		if err != nil {
			continue
		}
		var rows []row
		for line := 1; sheet.Next(); line++ {
			fields, err := sheet.Columns()
			if err != nil {
				_ = sheet.Close()
				return problem.List{{File: path, Fault: fact.SheetUnread{Sheet: name, Why: err.Error()}}}
			}
			if !blank(fields) {
				rows = append(rows, row{line, fields})
			}
		}
		_ = sheet.Close()
		if !visit(name, rows, f) {
			return nil
		}
	}
	return nil
}
