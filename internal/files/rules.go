package files

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// Edit is what to do with a line of a redirect map: drop it, write other values into some of its
// columns, or add lines behind it that are like it but for some columns.
type Edit struct {
	Drop  bool
	Set   map[string]string // by column
	Added []map[string]string
}

// EditRules gives the text of a redirect map with some of its lines changed. Everything else stays
// as it is, to the octet: other lines and fields, comments, extra columns, their order, the
// separator, line ends, a byte-order mark. A column that has to be set and is not there is an
// error.
func EditRules(path string, data []byte, edits map[int]Edit) ([]byte, error) {
	t, err := headed(path, data)
	if err != nil {
		return nil, err
	}
	out := bytes.NewBuffer(slices.Clone(data[:len(data)-len(t.data)]))
	r := t.reader()
	if _, err := r.Read(); err != nil {
		return nil, problem.List{csvFault(path, err, []string{"old", "new"})}
	}
	// What stands between the end of one record and that of the next is the record with the comments
	// and empty lines before it.
	end := r.InputOffset()
	out.Write(t.data[:end])
	for {
		_, err := r.Read()
		if errors.Is(err, io.EOF) {
			out.Write(t.data[end:])
			return out.Bytes(), nil
		}
		if err != nil {
			return nil, problem.List{csvFault(path, err, []string{"old", "new"})}
		}
		piece := t.data[end:r.InputOffset()]
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
		own := string(piece[len(before) : len(piece)-len(newline)])
		for i, set := range append([]map[string]string{edit.Set}, edit.Added...) {
			text, err := t.edited(own, set)
			if err != nil {
				return nil, problem.List{
					{
						File:  path,
						Line:  line,
						Fault: fact.RuleColumns{Why: err.Error()},
					},
				}
			}
			if i > 0 && newline == "" {
				out.WriteString(t.newline())
			}
			out.WriteString(text + newline)
		}
	}
}

// headed reads the header of a table of rules.
func headed(path string, data []byte) (*table, error) {
	t := &table{
		path:    path,
		data:    bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")),
		comma:   separator(data),
		columns: map[string]int{},
	}
	header, err := t.reader().Read()
	if err != nil {
		return nil, problem.List{csvFault(path, err, []string{"old", "new"})}
	}
	t.names(header)
	return t, nil
}

// newline gives how the lines of a table end.
func (t *table) newline() string {
	if bytes.Contains(t.data, []byte("\r\n")) {
		return "\r\n"
	}
	return "\n"
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
		if len(bytes.TrimRight(line, "\r\n")) != 0 && line[0] != '#' {
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

// edited writes a record as it stands in the file with some of its columns changed.
func (t *table) edited(record string, set map[string]string) (string, error) {
	fields := t.rawFields(record)
	for name, value := range set {
		i, have := t.columns[name]
		if !have {
			return "", fmt.Errorf("there is no column %s to write %q into", name, value)
		}
		for len(fields) <= i {
			fields = append(fields, "")
		}
		fields[i] = t.quoted(value)
	}
	return strings.Join(fields, string(t.comma)), nil
}

// rawFields takes a record apart into its fields as they stand there, quotes included.
func (t *table) rawFields(record string) []string {
	var fields []string
	start, inside := 0, false
	for i, c := range record {
		switch {
		case c == '"' && (inside || i == start):
			inside = !inside // a doubled quote goes out and in again
		case c == '"' && i > start && record[i-1] == '"':
			inside = true
		case c == t.comma && !inside:
			fields = append(fields, record[start:i])
			start = i + utf8.RuneLen(c)
		}
	}
	return append(fields, record[start:])
}

// quoted writes a value as a field, in quotes where they are needed.
func (t *table) quoted(value string) string {
	if strings.HasPrefix(value, "#") { // else the line would be a comment
		return `"` + strings.ReplaceAll(value, `"`, `""`) + `"`
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	w.Comma = t.comma
	_ = w.Write([]string{value, ""}) // a strings.Builder takes everything
	w.Flush()
	return strings.TrimSuffix(b.String(), string(t.comma)+"\n")
}

// AppendRules gives the text of a redirect map with rows added at its end, in the columns that it
// has. A value for a column that is not there is an error, except a note.
func AppendRules(path string, data []byte, columns []string, rows [][]string) ([]byte, error) {
	t, err := headed(path, data)
	if err != nil {
		return nil, err
	}
	out := bytes.NewBuffer(slices.Clone(data))
	newline := t.newline()
	if !bytes.HasSuffix(data, []byte("\n")) {
		out.WriteString(newline)
	}
	blank := strings.Repeat(string(t.comma), t.width-1)
	for _, r := range rows {
		set := map[string]string{}
		for i, name := range columns {
			if _, have := t.columns[name]; r[i] != "" && (have || name != "note") {
				set[name] = r[i]
			}
		}
		text, err := t.edited(blank, set)
		if err != nil {
			return nil, problem.List{
				{
					File:  path,
					Line:  1,
					Fault: fact.RuleColumns{Why: err.Error(), Columns: columns},
				},
			}
		}
		out.WriteString(text + newline)
	}
	return out.Bytes(), nil
}
