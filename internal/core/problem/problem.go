// Package problem holds what is wrong with an input: one value a fault, all the faults of a file
// together.
//
// It knows nothing of what was read. A reader makes a Problem for each fault, with the place, the
// value found, what was expected there and what to do; List gathers them and is the error that the
// reader returns.
//
//	var faults problem.List
//	faults.Add(problem.Problem{File: "rules.csv", Line: 7, Column: 3, Value: "*",
//		Fault: fact.BareStar{Write: "{+rest}"}})
//	return faults.Err()
package problem

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
)

// Problem is one fault of an input.
type Problem struct {
	File string `json:"file,omitempty"`
	Line int    `json:"line,omitempty"` // from 1; 0 where the whole file is meant
	// from 1, in characters; 0 where the whole line is meant
	Column int        `json:"column,omitempty"`
	Fault  fact.Facts `json:"-"`               // what is wrong, what should be there, what to write
	Value  string     `json:"value,omitempty"` // the value as it stands in the input
	Field  string     `json:"field,omitempty"` // of a table: the name of the column
	// the text that Place points into, printed with a mark under the place
	Mark  string `json:"mark,omitempty"`
	Place int    `json:"place,omitempty"`
}

// Error gives the problem as one sentence behind its place, with the mark on lines of their own
// where there is one.
func (p Problem) Error() string {
	var b strings.Builder
	if place := p.Where(); place != "" {
		b.WriteString(place + ": ")
	}
	said := fact.Say(p.Fault)
	b.WriteString(said.Says)
	if p.Value != "" {
		fmt.Fprintf(&b, ": %q", shorten(p.Value))
	}
	if said.Expected != "" {
		b.WriteString("; expected " + said.Expected)
	}
	if said.Do != "" {
		b.WriteString(". " + strings.ToUpper(said.Do[:1]) + said.Do[1:])
	}
	if p.Mark != "" {
		fmt.Fprintf(&b, "\n    %s\n    %s^", Clean(p.Mark), strings.Repeat(" ", p.Place))
	}
	return b.String()
}

// Where gives "file:line:column", as far as it is known.
func (p Problem) Where() string {
	switch {
	case p.Line == 0:
		return p.File
	case p.Column == 0:
		return fmt.Sprintf("%s:%d", p.File, p.Line)
	default:
		return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column)
	}
}

// List is all the problems of an input; as an error it says them all, a line each, in the order of
// the input.
type List []Problem

// Add appends a problem.
func (l *List) Add(p Problem) { *l = append(*l, p) }

// Err returns nil for an empty list, else the list in the order of lines and columns.
func (l List) Err() error {
	if len(l) == 0 {
		return nil
	}
	slices.SortStableFunc(l, func(a, b Problem) int {
		return cmp.Or(cmp.Compare(a.File, b.File), cmp.Compare(a.Line, b.Line),
			cmp.Compare(a.Column, b.Column))
	})
	return l
}

// In returns the list with every problem's file set.
func (l List) In(file string) List {
	for i := range l {
		l[i].File = file
	}
	return l
}

// MostSaid is how many problems of a list are said. Nobody need look for many more.
const MostSaid = 1_000

func (l List) Error() string {
	lines := make([]string, min(len(l), MostSaid))
	for i := range lines {
		lines[i] = l[i].Error()
	}
	if more := len(l) - len(lines); more > 0 {
		lines = append(lines, fact.Text(fact.MoreFaults{More: more}))
	}
	return strings.Join(lines, "\n")
}

// Clean replaces what must not reach a terminal or a log: control characters, the line and
// paragraph separators, and the characters that turn the direction of writing. Each becomes U+FFFD.
func Clean(s string) string {
	return strings.Map(func(r rune) rune {
		if Hostile(r) {
			return '\uFFFD'
		}
		return r
	}, s)
}

// Hostile reports whether a character could change what a terminal or a reader makes of the text
// around it.
func Hostile(r rune) bool {
	switch {
	case r < 0x20, r >= 0x7f && r < 0xa0, r == 0x2028, r == 0x2029, r == 0xfeff:
		return true
	case r >= 0x200b && r <= 0x200f, r >= 0x202a && r <= 0x202e, r >= 0x2060 && r <= 0x2069:
		return true
	}
	return false
}

// Named tells which hostile character it is.
func Named(r rune) fact.Facts {
	code := fmt.Sprintf("%U", r)
	switch {
	case r == '\n' || r == '\r' || r == 0x85 || r == 0x2028 || r == 0x2029:
		return fact.LineBreak{}
	case r == '\t':
		return fact.TabStop{}
	case r < 0x20, r >= 0x7f && r < 0xa0:
		return fact.Control{Code: code}
	case r == 0x200e, r == 0x200f, r >= 0x202a && r <= 0x202e, r >= 0x2066 && r <= 0x2069:
		return fact.Direction{Code: code}
	}
	return fact.Invisible{Code: code}
}

func shorten(s string) string {
	const most = 200
	if r := []rune(s); len(r) > most {
		return string(r[:most]) + "…"
	}
	return s
}

// Nearest returns the known word that is closest to word by edit distance, or "" where none is
// close.
func Nearest(word string, known []string) string {
	best, bestDistance := "", max(2, len(word)/3)+1
	for _, k := range known {
		if d := distance(word, k); d < bestDistance {
			best, bestDistance = k, d
		}
	}
	return best
}

func distance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diagonal := row[0]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := diagonal
			if a[i-1] != b[j-1] {
				cost++
			}
			diagonal = row[j]
			row[j] = min(cost, row[j]+1, row[j-1]+1)
		}
	}
	return row[len(b)]
}
