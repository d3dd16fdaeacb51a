package pair

import (
	"cmp"
	"slices"

	"upperpath.example/upperpath/internal/core/web"
)

// Review is a walk through the undecided rows of a sheet, the heaviest first. What is decided can
// be taken back.
type Review struct {
	Sheet   *Sheet
	Rows    []int // places in the sheet, in the order of the walk
	At      int   // in Rows; len(Rows) at its end
	Decided int   // rows, less those that were taken back

	undo [][]was
}

// was is what stood in a row before, and where the walk was.
type was struct {
	row, at  int
	decision string
}

// NewReview begins a walk.
func NewReview(s *Sheet) *Review {
	r := &Review{Sheet: s}
	for i, row := range s.Rows {
		if !row.Decided() {
			r.Rows = append(r.Rows, i)
		}
	}
	slices.SortStableFunc(r.Rows, func(a, b int) int {
		return cmp.Compare(s.Rows[b].Weight, s.Rows[a].Weight)
	})
	return r
}

// Row gives the row at hand, the next one that is undecided; false at the end.
func (r *Review) Row() (Row, bool) {
	for r.At < len(r.Rows) && r.Sheet.Rows[r.Rows[r.At]].Decided() {
		r.At++
	}
	if r.At == len(r.Rows) {
		return Row{}, false
	}
	return r.Sheet.Rows[r.Rows[r.At]], true
}

// Skip goes on to the next row.
func (r *Review) Skip() { r.At++ }

// Alike gives how many rows are like the one at hand, itself among them.
func (r *Review) Alike() int { return len(r.Sheet.Like(r.Rows[r.At])) }

// Decide decides the row at hand, or all that are like it, and goes on; false where a row has not
// what the decision names.
func (r *Review) Decide(decision string, all bool) bool {
	rows := []int{r.Rows[r.At]}
	if all {
		rows = r.Sheet.Like(rows[0])
	}
	var before []was
	for _, i := range rows {
		row := &r.Sheet.Rows[i]
		next := *row
		next.Decision = decision
		if to, gone := next.Target(); gone || to != "" {
			before = append(before, was{i, r.At, row.Decision})
			row.Decision = decision
		}
	}
	if len(before) == 0 {
		return false
	}
	r.undo = append(r.undo, before)
	r.Decided += len(before)
	r.At++
	return true
}

// Undo takes the last decision back, and goes back to where it was taken; false where there is
// none.
func (r *Review) Undo() bool {
	if len(r.undo) == 0 {
		return false
	}
	last := r.undo[len(r.undo)-1]
	r.undo = r.undo[:len(r.undo)-1]
	for _, w := range last {
		r.Sheet.Rows[w.row].Decision = w.decision
		r.At = w.at
	}
	r.Decided -= len(last)
	return true
}

// Open counts the rows of the walk of which nothing is decided.
func (r *Review) Open() int {
	n := 0
	for _, i := range r.Rows {
		if !r.Sheet.Rows[i].Decided() {
			n++
		}
	}
	return n
}

// Wanted gives what is decided in a sheet. rest are the URLs of which nothing is; unread are lines
// whose old address, or whose decision, is no URL.
func (s *Sheet) Wanted(site web.Door) (wanted []Wanted, rest []web.URL, unread []int) {
	for _, r := range s.Rows {
		u, err := web.ParseURL(r.Old)
		to, _, known := r.Goal(site)
		switch {
		case err != nil || r.Decided() && !known:
			unread = append(unread, r.Line)
		case known:
			wanted = append(wanted, Wanted{Old: u, New: to, Weight: r.Weight, Line: r.Line})
		default:
			rest = append(rest, u)
		}
	}
	return wanted, rest, unread
}

// Failed gives the pairs that somebody who follows them does not find where they were decided.
// arrives says where a pair arrives: "" nowhere.
func (t *Table) Failed(wanted []Wanted, arrives func(i int) (to string, gone bool)) []int {
	skip := map[int]bool{}
	for _, some := range [][]int{t.Overruled, t.Twice, t.Unsaid} {
		for _, i := range some {
			skip[i] = true
		}
	}
	var all []int
	for i, w := range wanted {
		if skip[i] {
			continue
		}
		to, gone := arrives(i)
		if w.New.IsZero() != gone || !gone && Key(to) != w.New.Key() {
			all = append(all, i)
		}
	}
	return all
}
