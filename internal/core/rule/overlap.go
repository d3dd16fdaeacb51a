package rule

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Tie is two rules that are equally specific and take one URL.
type Tie struct {
	First, Second *Rule
	Witness       web.URL // a URL that both take
}

// Ties returns all pairs of rules that the order of specificity cannot tell apart. Exact duplicates are none.
func (t *Table) Ties() []Tie {
	var ties []Tie
	groups := map[tieKey][]*Rule{}
	for _, r := range t.rules {
		key := tieKey{host: r.Old.Host, scheme: r.Old.Scheme, spec: specificity(Entry{Rule: r})}
		key.exact, _ = r.Old.Exact()
		for _, earlier := range groups[key] {
			if path, ok := Overlap(earlier.Old.Parts, r.Old.Parts); ok && !r.same(earlier) {
				scheme := web.HTTPS
				if r.Old.Scheme != "" {
					scheme = r.Old.Scheme
				}
				ties = append(ties, Tie{earlier, r, web.Door{Scheme: scheme, Host: r.Old.Host}.URL(path, "")})
			}
		}
		groups[key] = append(groups[key], r)
	}
	return ties
}

type tieKey struct {
	host   web.Host
	scheme web.Scheme
	spec   [6]int
	exact  string
}

// Duplicates returns the rules that say exactly what an earlier one says, each with the earlier one first.
func (t *Table) Duplicates() [][2]*Rule {
	var pairs [][2]*Rule
	first := map[string]*Rule{}
	for _, r := range t.rules {
		key := r.Old.String()
		if earlier := first[key]; earlier == nil {
			first[key] = r
		} else if r.same(earlier) {
			pairs = append(pairs, [2]*Rule{earlier, r})
		}
	}
	return pairs
}

// Overlap returns a shortest path that both patterns take, and false where there is none. It walks through both at once,
// as through a product of two automata.
func Overlap(a, b []Part) (string, bool) {
	if startsApart(a[0].Literal, b[0].Literal) || endsApart(a[len(a)-1].Literal, b[len(b)-1].Literal) {
		return "", false
	}
	x, y := flatten(a), flatten(b)
	alphabet := alphabetOf(x, y)
	type state struct{ x, y place }
	type step struct {
		state
		from int
		unit string
	}
	queue := []step{{from: -1}}
	seen := map[state]bool{{}: true}
	for at := 0; at < len(queue); at++ {
		s := queue[at]
		if ended(x, s.x) && ended(y, s.y) {
			var path []string
			for ; s.from >= 0; s = queue[s.from] {
				path = append(path, s.unit)
			}
			slices.Reverse(path)
			return strings.Join(path, ""), true
		}
		for _, unit := range alphabet {
			for _, nx := range next(x, s.x, unit) {
				for _, ny := range next(y, s.y, unit) {
					if to := (state{nx, ny}); !seen[to] {
						seen[to] = true
						queue = append(queue, step{to, at, unit})
					}
				}
			}
		}
	}
	return "", false
}

// startsApart tells whether no text starts with both literals; an empty one is a capture, which says nothing.
func startsApart(a, b string) bool {
	n := min(len(a), len(b))
	return a[:n] != b[:n]
}

func endsApart(a, b string) bool {
	n := min(len(a), len(b))
	return a[len(a)-n:] != b[len(b)-n:]
}

// place is where a walk stands in a flattened pattern; inside a capture that has taken something, started is set.
type place struct {
	at      int
	started bool
}

// flatten gives a pattern as single units and captures.
func flatten(parts []Part) []Part {
	var flat []Part
	for _, p := range parts {
		if p.IsCapture() {
			flat = append(flat, p)
			continue
		}
		for _, u := range web.Units(p.Literal) {
			flat = append(flat, Part{Literal: u.Normal})
		}
	}
	return flat
}

// alphabetOf gives the units that can make a difference between the two, and one for all others.
func alphabetOf(flats ...[]Part) []string {
	alphabet := []string{"x", "0", "/"}
	for _, flat := range flats {
		for _, p := range flat {
			if !p.IsCapture() && !slices.Contains(alphabet, p.Literal) {
				alphabet = append(alphabet, p.Literal)
			}
		}
	}
	return alphabet
}

// open gives the places that count as reached with p: behind a capture that may end here too.
func open(flat []Part, p place) []place {
	places := []place{p}
	for p.at < len(flat) && (flat[p.at].Rest || flat[p.at].IsCapture() && p.started) {
		p = place{at: p.at + 1}
		places = append(places, p)
	}
	return places
}

func ended(flat []Part, p place) bool {
	return slices.ContainsFunc(open(flat, p), func(o place) bool { return o.at == len(flat) })
}

func next(flat []Part, p place, unit string) []place {
	var to []place
	for _, o := range open(flat, p) {
		switch {
		case o.at == len(flat):
		case flat[o.at].IsCapture() && flat[o.at].takes(unit):
			to = append(to, place{o.at, true})
		case flat[o.at].Literal == unit:
			to = append(to, place{at: o.at + 1})
		}
	}
	return to
}
