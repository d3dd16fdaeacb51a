package files

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/rule"
)

// table is a CSV file with a header: the columns by name, and its rows.
type table struct {
	path    string
	data    []byte
	comma   rune
	columns map[string]int
	width   int // fields of the header
	rows    []row
}

// row is a record of a CSV file with its line.
type row struct {
	line   int
	fields []string
}

// field returns what a row has in a column, "" where it has nothing there.
func (t *table) field(r row, column string) string {
	if i, have := t.columns[column]; have && i < len(r.fields) {
		return r.fields[i]
	}
	return ""
}

// names takes in the header; of two columns of one name the first counts.
func (t *table) names(header []string) {
	t.width = len(header)
	for i := range header {
		header[i] = strings.ToLower(strings.TrimSpace(header[i]))
		if _, twice := t.columns[header[i]]; !twice {
			t.columns[header[i]] = i
		}
	}
}

// reader starts reading the file from its beginning.
func (t *table) reader() *csv.Reader {
	r := csv.NewReader(bytes.NewReader(t.data))
	r.Comment, r.FieldsPerRecord, r.Comma = '#', -1, t.comma
	return r
}

// starts returns where the fields of some lines start, by line and column: for telling where a
// fault is.
func (t *table) starts(lines map[int]bool) map[int]map[string]int {
	all := map[int]map[string]int{}
	r := t.reader()
	r.ReuseRecord = true
	for {
		record, err := r.Read()
		if err != nil {
			return all
		}
		line, _ := r.FieldPos(0)
		if !lines[line] {
			continue
		}
		all[line] = map[string]int{}
		for name, i := range t.columns {
			if i < len(record) {
				_, all[line][name] = r.FieldPos(i)
			}
		}
	}
}

// Bounds of tables, far above what people and their programs write.
const (
	mostCell    = 1 << 20 // octets of a field
	mostLine    = 4 << 20 // octets of a line
	mostColumns = 10_000
)

// tooWide looks for lines that would take memory out of proportion, before any is taken apart.
func tooWide(path string, data []byte, comma rune) problem.Problem {
	line := 0
	for text := range bytes.Lines(data) {
		line++
		p := problem.Problem{File: path, Line: line, Value: string(text[:min(len(text), 80)])}
		if len(text) > mostLine {
			p.Fault = fact.LineTooLong{Octets: len(text), Most: mostLine}
			return p
		}
		if n := bytes.Count(text, []byte(string(comma))); n > mostColumns {
			p.Fault = fact.LineTooMany{Fields: n + 1, Most: mostColumns}
			return p
		}
	}
	return problem.Problem{}
}

// readCSV reads RFC 4180 CSV with a header. A byte-order mark, ";" as the separator and CRLF are
// understood; lines that start with # are comments. needed columns that are missing are a fault.
func readCSV(path string, needed []string, known []string) (*table, error) {
	data, err := Read(path, MostTable)
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	return tableOf(path, data, needed, known)
}

// tableOf reads the text of a table as readCSV does.
func tableOf(path string, data []byte, needed []string, known []string) (*table, error) {
	InProportion(len(data))
	t := &table{
		path:    path,
		data:    bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")),
		comma:   separator(data),
		columns: map[string]int{},
	}
	if p := tooWide(path, t.data, t.comma); p.Fault != nil {
		return nil, problem.List{p}
	}
	r := t.reader()
	header, err := r.Read()
	if err != nil {
		return nil, problem.List{csvFault(path, err, needed)}
	}
	t.names(header)
	var faults problem.List
	for _, n := range needed {
		if slices.Contains(header, n) {
			continue
		}
		faults.Add(problem.Problem{File: path, Line: 1, Value: strings.Join(header, ","),
			Fault: fact.ColumnMissing{Column: n, Near: problem.Nearest(n, header), Needed: needed,
				Known: known}})
	}
	if len(faults) > 0 {
		return nil, faults
	}
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			return t, faults.Err()
		}
		if err != nil {
			faults.Add(csvFault(path, err, needed))
			return t, faults.Err()
		}
		line, _ := r.FieldPos(0)
		if i := slices.IndexFunc(record, func(s string) bool { return len(s) > mostCell }); i >= 0 {
			faults.Add(problem.Problem{File: path, Line: line, Value: record[i],
				Fault: fact.CellTooLong{Octets: len(record[i]), Most: mostCell}})
			return t, faults.Err()
		}
		if slices.ContainsFunc(record, func(s string) bool { return strings.TrimSpace(s) != "" }) {
			t.rows = append(t.rows, row{line, record})
		}
	}
}

// separator is ";" or a tab where the first line that is no comment holds more of them than commas,
// as some spreadsheets and registrars write.
func separator(data []byte) rune {
	for line := range bytes.Lines(data) {
		if len(bytes.TrimSpace(line)) == 0 || line[0] == '#' {
			continue
		}
		for _, other := range ";\t" {
			if bytes.Count(line, []byte(string(other))) > bytes.Count(line, []byte(",")) {
				return other
			}
		}
		break
	}
	return ','
}

func csvFault(path string, err error, needed []string) problem.Problem {
	if errors.Is(err, io.EOF) {
		return problem.Problem{File: path, Fault: fact.TableEmpty{Columns: strings.Join(needed, ",")}}
	}
	p := problem.Problem{File: path, Fault: fact.NotCSV{}}
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		p.Line, p.Column = parse.Line, parse.Column
		p.Fault = fact.NotCSVBecause{Why: parse.Err.Error()}
	}
	return p
}

// RuleColumns are the columns of a redirect map that mean something.
var RuleColumns = []string{"old", "new", "status", "query", "rank", "note"}

// writeRow writes a row. One whose first field starts with # is quoted there, and so is no comment.
func writeRow(out *bytes.Buffer, w *csv.Writer, cells []string) error {
	if len(cells) > 1 && strings.HasPrefix(cells[0], "#") {
		w.Flush()
		out.WriteString(`"` + strings.ReplaceAll(cells[0], `"`, `""`) + `"` + string(w.Comma))
		cells = cells[1:]
	}
	return w.Write(cells)
}

// ReadRules reads a redirect map (rules.csv). The error is a problem.List with every fault.
func ReadRules(path string, scope rule.Scope) ([]*rule.Rule, error) {
	t, err := readCSV(path, []string{"old", "new"}, RuleColumns)
	if err != nil {
		return nil, err
	}
	rows := make([]rule.Row, len(t.rows))
	for i, r := range t.rows {
		rows[i] = rule.Row{
			Line:   r.line,
			Old:    t.field(r, "old"),
			New:    t.field(r, "new"),
			Status: t.field(r, "status"),
			Query:  t.field(r, "query"),
			Rank:   t.field(r, "rank"),
			Note:   t.field(r, "note"),
		}
	}
	t.rows = nil // there may be a million
	rules, faults := rule.Parse(rows, scope)
	if len(faults) == 0 {
		return rules, nil
	}
	lines := map[int]bool{}
	for _, f := range faults {
		lines[f.Line] = true
	}
	starts := t.starts(lines)
	for i, f := range faults {
		if start := starts[f.Line][f.Field]; start > 0 {
			faults[i].Column = start + f.Place
		}
	}
	return rules, faults.In(path).Err()
}

// Pair is a line of a table of redirects.
type Pair struct {
	Line              int
	Old, New, Status  string // Status: "" where there is no such column
	Query, Rank, Note string // the same
}

// statusColumns are the names of a column with statuses.
var statusColumns = []string{"status", "code", "status code", "http status", "redirect type",
	"type"}

// ReadPairs reads two columns of a table, by name, and what it says of the status: CSV in one of
// the usual encodings, or a workbook. rows is how many lines below its head have something in
// them. The error is a problem.List.
func ReadPairs(path, first, second string) (pairs []Pair, rows int, err error) {
	g, err := ReadGrid(path, first, second)
	if err != nil {
		return nil, 0, err
	}
	pairs = make([]Pair, len(g.Rows))
	for i, r := range g.Rows {
		pairs[i] = Pair{Line: r.Line, Old: g.Cell(r, first), New: g.Cell(r, second),
			Query: g.Cell(r, "query"), Rank: g.Cell(r, "rank"), Note: g.Cell(r, "note")}
		for _, name := range statusColumns {
			if s := g.Cell(r, name); s != "" && pairs[i].Status == "" {
				pairs[i].Status = s
			}
		}
	}
	return pairs, len(g.Rows), nil
}
