// Package record holds DNS record sets as plain values, their canonical order, and what differs
// between two states of a zone. It asks nobody and knows no wire format: values stand as they do in
// a zone file (RFC 1035 section 5), with names in full and their last dot.
//
//	record.Changes(before, after) // what came, went and changed
package record

import (
	"cmp"
	"slices"
	"strings"
)

// Set is all records of one name and type.
type Set struct {
	Name   string   `json:"name"` // in full, lower case, without its last dot
	Type   string   `json:"type"`
	TTL    int      `json:"ttl"` // in seconds
	Values []string `json:"values"`
}

// Key tells sets apart.
type Key struct {
	Name string `json:"name"`
	Type string `json:"type"`
}

// Key returns name and type. Signatures of different types are different sets, each with the TTL of
// what it signs (RFC 4034 section 3); their key names that type too.
func (s Set) Key() Key {
	if s.Type == "RRSIG" && len(s.Values) > 0 {
		covered, _, _ := strings.Cut(s.Values[0], " ")
		return Key{s.Name, s.Type + " " + covered}
	}
	return Key{s.Name, s.Type}
}

// Same reports whether two sets hold the same values, in whichever order, with the same TTL.
func (s Set) Same(other Set) bool {
	return s.TTL == other.TTL && SameValues(s.Values, other.Values)
}

// SameValues reports whether two lists of values hold the same, in whichever order.
func SameValues(a, b []string) bool {
	return slices.Equal(sorted(a), sorted(b))
}

func sorted(values []string) []string {
	c := slices.Clone(values)
	slices.Sort(c)
	return slices.Compact(c)
}

// Sort puts sets into the order of a zone file: names in canonical order (RFC 4034 section 6.1),
// the SOA first at its name, then NS, then by type; the values of each set in order too.
func Sort(sets []Set) {
	for i := range sets {
		sets[i].Values = sorted(sets[i].Values)
	}
	slices.SortFunc(sets, func(a, b Set) int {
		return cmp.Or(CompareNames(a.Name, b.Name), cmp.Compare(rank(a.Type), rank(b.Type)),
			cmp.Compare(a.Type, b.Type))
	})
}

func rank(kind string) int {
	switch kind {
	case "SOA":
		return 0
	case "NS":
		return 1
	}
	return 2
}

// CompareNames compares names in canonical order: label by label from the right (RFC 4034 section
// 6.1).
func CompareNames(a, b string) int {
	x, y := strings.Split(a, "."), strings.Split(b, ".")
	slices.Reverse(x)
	slices.Reverse(y)
	return slices.Compare(x, y)
}

// Find returns the set of a name and type, and false where there is none.
func Find(sets []Set, name, kind string) (Set, bool) {
	for _, s := range sets {
		if s.Name == name && s.Type == kind {
			return s, true
		}
	}
	return Set{}, false
}

// Action says what happened to a set between two states.
type Action string

// The actions.
const (
	Came    Action = "came"
	Went    Action = "went"
	Changed Action = "changed"
)

// Change is one set that differs between two states.
type Change struct {
	Action Action `json:"action"`
	Name   string `json:"name"`
	Type   string `json:"type"`
	Before *Set   `json:"before,omitempty"`
	After  *Set   `json:"after,omitempty"`
}

// Changes returns what came, went and changed, in canonical order. A serial number that alone
// differs is no change.
func Changes(before, after []Set) []Change {
	old := map[Key]Set{}
	for _, s := range before {
		old[s.Key()] = s
	}
	var changes []Change
	for _, s := range after {
		was, had := old[s.Key()]
		delete(old, s.Key())
		switch {
		case !had:
			changes = append(changes, Change{Came, s.Name, s.Type, nil, &s})
		case !was.Same(s) && !(s.Type == "SOA" && withoutSerial(was) == withoutSerial(s)):
			changes = append(changes, Change{Changed, s.Name, s.Type, &was, &s})
		}
	}
	for _, s := range old {
		changes = append(changes, Change{Went, s.Name, s.Type, &s, nil})
	}
	slices.SortFunc(changes, func(a, b Change) int {
		return cmp.Or(CompareNames(a.Name, b.Name), cmp.Compare(rank(a.Type), rank(b.Type)),
			cmp.Compare(a.Type, b.Type))
	})
	return changes
}

// withoutSerial gives the value of a SOA without its third field (RFC 1035 section 3.3.13).
func withoutSerial(s Set) string {
	if len(s.Values) != 1 {
		return ""
	}
	f := strings.Fields(s.Values[0])
	if len(f) != 7 {
		return ""
	}
	f[2] = ""
	return strings.Join(f, " ")
}
