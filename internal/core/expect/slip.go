package expect

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/record"
)

// Slip gives a value that looks like a slip of the hand where another should be, and that one: the
// zone behind a whole name, as forms put it there, one letter or digit more, less or another, two
// that changed places. What was there before is none, and neither is what differs by more.
func (e *Expectation) Slip(values []string) (typed, meant string, is bool) {
	if e.AtDoor() || e.Alias {
		return "", "", false
	}
	kind := e.asksFor()
	among := func(v string, all []string) bool {
		return slices.ContainsFunc(all, func(o string) bool { return same(kind, o, v) })
	}
	for _, v := range values {
		if among(v, e.Values) || among(v, e.Not) {
			continue
		}
		for _, w := range e.Values {
			if !among(w, values) && slipped(record.Fold(kind, v), record.Fold(kind, w), e.Domain) {
				return v, w, true
			}
		}
	}
	return "", "", false
}

// leastSlip is how long a value has to be for a slip to be told from another value.
const leastSlip = 7

// slipped reports whether somebody who typed a value meant another one.
func slipped(typed, meant, zone string) bool {
	typed, meant = strings.TrimSuffix(typed, "."), strings.TrimSuffix(meant, ".")
	if zone != "" && typed == meant+"."+zone {
		return true
	}
	return min(len(typed), len(meant)) >= leastSlip && oneSlip(typed, meant)
}

// oneSlip reports whether two texts differ by one character that is another, missing or too much,
// or by two beside each other that changed places.
func oneSlip(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	i := 0
	for i < len(a) && a[i] == b[i] {
		i++
	}
	switch len(b) - len(a) {
	case 0:
		if i == len(a) {
			return false
		}
		return a[i+1:] == b[i+1:] ||
			i+1 < len(a) && a[i] == b[i+1] && a[i+1] == b[i] && a[i+2:] == b[i+2:]
	case 1:
		return a[i:] == b[i+1:]
	}
	return false
}
