package files

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
)

// Edit is what to do with a line of a redirect map: drop it, or write other values into some of its columns.
type Edit struct {
	Drop bool
	Set  map[string]string // by column
}

// EditRules gives the text of a redirect map with some of its lines changed. Everything else stays as it is, to the octet: other
// lines, comments, extra columns, their order, the separator, line ends, a byte-order mark. A column that has to be set and is not
// there is an error.
func EditRules(path string, data []byte, edits map[int]Edit) ([]byte, error) {
	mark := []byte("\xef\xbb\xbf")
	body := bytes.TrimPrefix(data, mark)
	t := &table{path: path, data: body, comma: separator(data), columns: map[string]int{}}
	r := t.reader()
	header, err := r.Read()
	if err != nil {
		return nil, problem.List{csvFault(path, err, []string{"old", "new"})}
	}
	for i, name := range header {
		t.columns[strings.ToLower(strings.TrimSpace(name))] = i
	}
	var out bytes.Buffer
	if len(body) < len(data) {
		out.Write(mark)
	}
	// What stands between the end of one record and that of the next is the record with the comments and empty lines before it.
	end := r.InputOffset()
	out.Write(body[:end])
	for {
		record, err := r.Read()
		if err != nil {
			out.Write(body[end:])
			return out.Bytes(), nil
		}
		piece := body[end:r.InputOffset()]
		end = r.InputOffset()
		line, _ := r.FieldPos(0)
		edit, edited := edits[line]
		if !edited {
			out.Write(piece)
			continue
		}
		before, newline := around(piece)
		out.Write(before)
		if edit.Drop {
			continue
		}
		text, err := t.edited(record, edit)
		if err != nil {
			return nil, fmt.Errorf("%s line %d: %w", path, line, err)
		}
		out.WriteString(text + newline)
	}
}

// around gives what stands before a record (comments, empty lines), and how its line ends.
func around(piece []byte) (before []byte, newline string) {
	at := 0
	for at < len(piece) {
		next := bytes.IndexByte(piece[at:], '\n')
		line := piece[at:]
		if next >= 0 {
			line = piece[at : at+next+1]
		}
		if len(bytes.TrimSpace(line)) != 0 && line[0] != '#' {
			break
		}
		at += len(line)
	}
	switch {
	case bytes.HasSuffix(piece, []byte("\r\n")):
		newline = "\r\n"
	case bytes.HasSuffix(piece, []byte("\n")):
		newline = "\n"
	}
	return piece[:at], newline
}

// edited writes a record with some of its columns changed.
func (t *table) edited(record []string, e Edit) (string, error) {
	record = slices.Clone(record)
	for name, value := range e.Set {
		i, have := t.columns[name]
		if !have {
			return "", fmt.Errorf("there is no column %s to write %q into; add it to the first line", name, value)
		}
		for len(record) <= i {
			record = append(record, "")
		}
		record[i] = value
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	w.Comma = t.comma
	if err := w.Write(record); err != nil {
		return "", err
	}
	w.Flush()
	return strings.TrimSuffix(b.String(), "\n"), w.Error()
}

// AppendRules gives the text of a redirect map with rows added at its end, in the columns that it has. A value for a column that is not
// there is an error, except a note.
func AppendRules(path string, data []byte, columns []string, rows [][]string) ([]byte, error) {
	body := bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	t := &table{path: path, data: body, comma: separator(data), columns: map[string]int{}}
	header, err := t.reader().Read()
	if err != nil {
		return nil, problem.List{csvFault(path, err, []string{"old", "new"})}
	}
	for i, name := range header {
		t.columns[strings.ToLower(strings.TrimSpace(name))] = i
	}
	out := bytes.NewBuffer(slices.Clone(data))
	newline := "\n"
	if bytes.Contains(data, []byte("\r\n")) {
		newline = "\r\n"
	}
	if !bytes.HasSuffix(data, []byte("\n")) {
		out.WriteString(newline)
	}
	for _, r := range rows {
		set := map[string]string{}
		for i, name := range columns {
			if _, have := t.columns[name]; r[i] != "" && (have || name != "note") {
				set[name] = r[i]
			}
		}
		text, err := t.edited(make([]string, len(header)), Edit{Set: set})
		if err != nil {
			return nil, problem.List{{File: path, Line: 1, Says: err.Error(), Expected: "the columns " + strings.Join(columns, ","), Remedy: "add the column to the first line"}}
		}
		out.WriteString(text + newline)
	}
	return out.Bytes(), nil
}
