package files

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/rule"
)

// MergedRule is a line of one of several redirect maps.
type MergedRule struct {
	File string
	Line int
	Text string // old and where it leads
}

// MergeConflict is two lines that take one URL and lead it to different places.
type MergeConflict struct {
	First, Second MergedRule
	URL           string
}

// Merged is several redirect maps as one.
type Merged struct {
	Text      []byte // the first one with the new lines of the others behind it
	Added     int
	Same      int             // lines of the others that say what one before them says
	Conflicts []MergeConflict // of one URL: the earlier line stays
	Ties      []MergeConflict // of different patterns that are equally specific: both stand there
	Columns   []string        // that only later files have, added to the head
}

// MergeRules merges redirect maps: the first one stays to the octet, but for columns that only the
// others have; their new lines follow in their order, with the comments before them. The error is a
// problem.List.
func MergeRules(scope rule.Scope, paths ...string) (*Merged, error) {
	m := &Merged{}
	seen := map[string]*rule.Rule{}
	from := map[*rule.Rule]string{}
	var all []*rule.Rule
	var out bytes.Buffer
	var head *table
	for i, path := range paths {
		rules, err := ReadRules(path, scope)
		if err != nil {
			return nil, err
		}
		data, err := Read(path, MostTable)
		if err != nil {
			return nil, problem.List{unreadable(path, err)}
		}
		t, err := headed(path, data)
		if err != nil {
			return nil, err
		}
		fresh := map[int]bool{}
		for _, r := range rules {
			from[r] = path
			key := r.Old.String()
			first, known := seen[key]
			switch {
			case !known:
				seen[key], fresh[r.Line] = r, true
				all = append(all, r)
			case i == 0: // what the first file says twice is its own affair
				all = append(all, r)
			case saysSame(first, r):
				m.Same++
			default:
				m.Conflicts = append(m.Conflicts, conflict(scope, from, first, r))
			}
		}
		if i == 0 {
			head = t
			m.Text = data
			continue
		}
		added, err := m.behind(head, t, fresh)
		if err != nil {
			return nil, err
		}
		out.Write(added)
	}
	m.Text = m.joined(head, out.Bytes())
	for _, tie := range rule.Compile(all, scope).Ties() {
		if a, b := from[tie.First], from[tie.Second]; a != b {
			m.Ties = append(m.Ties, MergeConflict{merged(a, tie.First), merged(b, tie.Second),
				tie.Witness.String()})
		}
	}
	return m, nil
}

func saysSame(a, b *rule.Rule) bool {
	return a.New.String() == b.New.String() && a.Status == b.Status && a.DropQuery == b.DropQuery
}

func merged(file string, r *rule.Rule) MergedRule {
	to := r.New.String()
	if r.Status == rule.Gone {
		to = fmt.Sprint(rule.Gone)
	}
	return MergedRule{file, r.Line, r.Old.String() + " → " + to}
}

func conflict(scope rule.Scope, from map[*rule.Rule]string, a, b *rule.Rule) MergeConflict {
	c := MergeConflict{First: merged(from[a], a), Second: merged(from[b], b)}
	if u, ok := rule.Compile([]*rule.Rule{a}, scope).Example(a); ok {
		c.URL = u.String()
	}
	return c
}

// behind gives the new lines of a file in the columns of the first one, with the comments before
// them. Columns that the first has not are noted.
func (m *Merged) behind(head, t *table, fresh map[int]bool) ([]byte, error) {
	r := t.reader()
	names, err := r.Read()
	if err != nil {
		return nil, problem.List{csvFault(t.path, err, []string{"old", "new"})}
	}
	places := make([]int, len(names))
	for i, n := range names {
		n = strings.ToLower(strings.TrimSpace(n))
		at, known := head.columns[n]
		if !known {
			at = head.width + len(m.Columns)
			if k := slices.Index(m.Columns, n); k >= 0 {
				at = head.width + k
			} else if n != "" {
				m.Columns = append(m.Columns, n)
			}
		}
		places[i] = at
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.Comma, w.UseCRLF = head.comma, head.newline() == "\r\n"
	for end := r.InputOffset(); ; end = r.InputOffset() {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, problem.List{csvFault(t.path, err, []string{"old", "new"})}
		}
		line, _ := r.FieldPos(0)
		if !fresh[line] {
			continue
		}
		before, _ := around(t.data[end:r.InputOffset()])
		w.Flush()
		for comment := range strings.Lines(string(before)) {
			out.WriteString(strings.TrimRight(comment, "\r\n") + head.newline())
		}
		cells := make([]string, head.width+len(m.Columns))
		for i, value := range record {
			if i < len(places) && places[i] < len(cells) {
				cells[places[i]] = value
			}
		}
		if err := writeRow(&out, w, cells); err != nil {
			return nil, err
		}
		m.Added++
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// joined gives the first file with the new columns in its head, and the new lines behind it.
func (m *Merged) joined(head *table, added []byte) []byte {
	if len(added) == 0 {
		return m.Text
	}
	text := slices.Clone(m.Text)
	if len(m.Columns) > 0 {
		r := head.reader()
		if _, err := r.Read(); err == nil {
			offset := len(text) - len(head.data)
			end := offset + int(r.InputOffset())
			first := bytes.TrimRight(text[:end], "\r\n")
			more := string(head.comma) + strings.Join(m.Columns, string(head.comma))
			text = slices.Concat(first, []byte(more), []byte(head.newline()), text[end:])
		}
	}
	if !bytes.HasSuffix(text, []byte("\n")) {
		text = append(text, head.newline()...)
	}
	return append(text, added...)
}
