package survey

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/spf"
)

// lookups counts what an SPF record costs a receiver, records of other names included as far as
// they were seen, and names each term that costs with what it costs.
func (v *judging) lookups(text string) (int, []string) {
	total := 0
	var costs []string
	for _, t := range spf.Terms(text) {
		if n := v.cost(t, map[string]bool{}); n > 0 {
			total += n
			costs = append(costs, fmt.Sprintf("%s %d", t.Text, n))
		}
	}
	return total, costs
}

// cost counts the look-ups of one term. path holds the names on the way there: a record that
// includes itself has no end of them, and is counted once.
func (v *judging) cost(t spf.Term, path map[string]bool) int {
	if !t.LooksUp() {
		return 0
	}
	name := t.Domain
	if !t.TakesOver() || path[name] || len(path) > spf.MostLookups {
		return 1
	}
	path[name] = true
	defer delete(path, name)
	n := 1
	for _, inner := range spf.Terms(v.spfAt(name)) {
		if n += v.cost(inner, path); n > 10*spf.MostLookups {
			break
		}
	}
	return n
}

// spfAt gives the SPF record of a name, within the zone or outside it, "" where none was seen.
func (v *judging) spfAt(name string) string {
	if s, ok := v.find(name, "TXT"); ok {
		return spf.Among(s.Values)
	}
	for _, s := range v.domain.Senders {
		if s.Name == name {
			return s.Text
		}
	}
	return ""
}

// spf returns the terms of the zone's SPF record, nil where there is none.
func (v *judging) spf() []spf.Term { return spf.Terms(v.spfAt(v.domain.Name)) }
