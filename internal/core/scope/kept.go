package scope

import (
	"fmt"
	"slices"
	"time"
)

// Kept is a result as a list of them has it.
type Kept struct {
	ID       int64     `json:"id"`
	Started  time.Time `json:"started"`
	Vantage  string    `json:"vantage"`
	Scope    *Scope    `json:"scope,omitempty"` // nil: an earlier version kept it
	Accepted bool      `json:"accepted,omitempty"`
}

// Keep says for how long results stay. The zero value keeps everything.
type Keep struct {
	Days  int // all of so many days stay
	Weeks int // of so many weeks, one a week
}

// DefaultKeep is what holds where the estate file says nothing: all of the last month, one a week
// of the last year.
var DefaultKeep = Keep{Days: 31, Weeks: 53}

const day = 24 * time.Hour

// Old gives the numbers of what is to go of results of one kind and estate. What stays whatever its
// age: the first, what somebody accepted, and of every domain the two that looked at it last, as
// everybody meets it, since they are all that is known of it.
func (k Keep) Old(all []Kept, now time.Time) []int64 {
	if k == (Keep{}) || len(all) == 0 {
		return nil
	}
	all = slices.Clone(all)
	slices.SortFunc(all, func(a, b Kept) int { return b.Started.Compare(a.Started) })
	stays := map[int64]bool{all[len(all)-1].ID: true}
	k.lastOfDomains(all, stays)
	k.oneAWeek(all, now, stays)
	var old []int64
	for _, r := range all {
		if !stays[r.ID] && !r.Accepted && now.Sub(r.Started) > time.Duration(k.Days)*day {
			old = append(old, r.ID)
		}
	}
	slices.Sort(old)
	return old
}

// lastOfDomains marks the two that looked at each domain last; all is the newest first. One of
// which nothing is known looked at everything.
func (k Keep) lastOfDomains(all []Kept, stays map[int64]bool) {
	left := map[string]int{}
	for _, r := range all {
		if !r.Scope.Real() {
			continue
		}
		domains := []string{""}
		if r.Scope.Known() {
			domains = r.Scope.Domains
		}
		for _, d := range domains {
			if left[d]++; left[d] <= 2 {
				stays[r.ID] = true
			}
		}
	}
}

// oneAWeek marks one of each week: the last that was of everything, or else the last.
func (k Keep) oneAWeek(all []Kept, now time.Time, stays map[int64]bool) {
	best := map[string]*Kept{}
	for i := range all {
		r := &all[i]
		if now.Sub(r.Started) > time.Duration(k.Weeks)*7*day {
			continue
		}
		year, number := r.Started.UTC().ISOWeek()
		week := fmt.Sprint(year, "-", number)
		if b := best[week]; b == nil || !b.Scope.Whole() && r.Scope.Whole() {
			best[week] = r
		}
	}
	for _, r := range best {
		stays[r.ID] = true
	}
}

// Best gives of results, the newest first, the one that speaks for all from a place, as everybody
// meets it: the newest of everything, else the newest of a part; false where there is none. Whether
// it came to its end is left to whoever reads it.
func Best(all []Kept, vantage string) (Kept, bool) {
	part := -1
	for i, k := range all {
		switch {
		case k.Vantage != vantage || !k.Scope.Real():
		case !k.Scope.Part():
			return k, true
		case part < 0:
			part = i
		}
	}
	if part < 0 {
		return Kept{}, false
	}
	return all[part], true
}
