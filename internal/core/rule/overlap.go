package rule

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Tie is two rules that are equally specific and take one URL, and no two ranks part them.
type Tie struct {
	First, Second *Rule
	Witness       web.URL // a URL that both take
}

// mostTies is how many earlier rules are named with which one rule ties: whoever parts it from
// these sees the others.
const mostTies = 3

// Ties returns the pairs of rules that the order of specificity cannot tell apart, in the order of
// the file: of a rule that ties with many earlier ones the first three of them. Exact duplicates
// are none, and of several that say the same the first stands for all.
func (t *Table) Ties() []Tie {
	var ties []Tie
	again := t.repeated()
	for _, group := range t.alike() {
		group = slices.DeleteFunc(group, func(r *Rule) bool { return again[r] != nil })
		t.rivals(group, func(b *Rule, earlier func(func(*Rule) bool)) {
			found := 0
			earlier(func(a *Rule) bool {
				if a.Ranked && b.Ranked && a.Rank != b.Rank {
					return true
				}
				if u, ok := t.meet(a, b); ok {
					ties = append(ties, Tie{a, b, u})
					found++
				}
				return found < mostTies
			})
		})
	}
	slices.SortStableFunc(ties, func(a, b Tie) int {
		return cmp.Or(cmp.Compare(a.Second.Line, b.Second.Line), cmp.Compare(a.First.Line, b.First.Line))
	})
	return ties
}

// Duplicates returns the rules that say exactly what an earlier one says, each with the earliest
// one first, in the order of the file.
func (t *Table) Duplicates() [][2]*Rule {
	var pairs [][2]*Rule
	for b, a := range t.repeated() {
		pairs = append(pairs, [2]*Rule{a, b})
	}
	slices.SortFunc(pairs, func(a, b [2]*Rule) int { return cmp.Compare(a[1].Line, b[1].Line) })
	return pairs
}

// repeated gives, of each rule that says what an earlier one says, the earliest.
func (t *Table) repeated() map[*Rule]*Rule {
	again := map[*Rule]*Rule{}
	for _, group := range t.alike() {
		first := make(map[uint64]*Rule, len(group))
		for _, r := range group {
			key := r.sum(t.seed)
			switch a := first[key]; {
			case a == nil:
				first[key] = r
			case a.saying() == r.saying():
				again[r] = a
			}
		}
	}
	return again
}

// alike gives the rules that are equally specific and, where they are exact, share a path: groups
// of two and more, each in the order of the file.
func (t *Table) alike() [][]*Rule {
	type alike struct {
		host   web.Host
		scheme web.Scheme
		spec   specific
	}
	var all [][]*Rule
	parted := func(refs []ref) {
		groups := map[alike][]*Rule{}
		var order []alike
		for _, x := range refs {
			r := t.rules[x.rule()]
			key := alike{r.Old.Host, r.Old.Scheme, specificity(Entry{Rule: r})}
			if groups[key] == nil {
				order = append(order, key)
			}
			groups[key] = append(groups[key], r)
		}
		for _, key := range order {
			if g := groups[key]; len(g) > 1 {
				slices.SortStableFunc(g, func(a, b *Rule) int { return cmp.Compare(a.Line, b.Line) })
				all = append(all, g)
			}
		}
	}
	for _, c := range t.chains {
		parted(slices.DeleteFunc(slices.Clone(c.refs), func(r ref) bool { return r&inheritedRef != 0 }))
	}
	for at := range t.tables {
		parted(slices.DeleteFunc(slices.Clone(t.tables[at].patterns), func(r ref) bool {
			return t.hosts[t.rules[r.rule()].Old.Host.String()] != uint32(at) // inherited
		}))
	}
	return all
}

// meet returns a URL that two rules of one host both take, and false where there is none.
func (t *Table) meet(a, b *Rule) (web.URL, bool) {
	var mode Mode
	if at, have := t.hosts[a.Old.Host.String()]; have {
		mode = t.tables[at].mode
	}
	query, ok := meetQuery(a.Old.Query, b.Old.Query)
	if !ok {
		return web.URL{}, false
	}
	path, ok := Overlap(mode.parts(a.Old.Parts), mode.parts(b.Old.Parts))
	door := web.Door{Scheme: cmp.Or(a.Old.Scheme, b.Old.Scheme, web.HTTPS), Host: a.Old.Host}
	return door.URL(path, query), ok
}

// meetQuery returns a query for which the conditions of both hold, and false where there is none.
func meetQuery(a, b []Condition) (string, bool) {
	var all []string
	for _, c := range a {
		value := fill(c.Parts, "x")
		if i := slices.IndexFunc(b, func(o Condition) bool { return o.Key == c.Key }); i >= 0 {
			var ok bool
			if value, ok = overlapValues(c.Parts, b[i].Parts); !ok {
				return "", false
			}
		}
		all = append(all, c.Key+"="+value)
	}
	for _, c := range b {
		if !slices.ContainsFunc(a, func(o Condition) bool { return o.Key == c.Key }) {
			all = append(all, c.Key+"="+fill(c.Parts, "x"))
		}
	}
	return strings.Join(all, "&"), true
}

func overlapValues(a, b []Part) (string, bool) {
	if len(a) == 0 || len(b) == 0 {
		empty := func(parts []Part) bool { return len(parts) == 0 || len(parts) == 1 && parts[0].Rest }
		return "", empty(a) && empty(b)
	}
	return Overlap(a, b)
}

// Overlap returns a shortest path that both patterns take, and false where there is none. It walks
// through both at once, as through a product of two automata.
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

// startsApart reports whether no text starts with both literals; an empty one is a capture, which
// says nothing.
func startsApart(a, b string) bool {
	n := min(len(a), len(b))
	return a[:n] != b[:n]
}

func endsApart(a, b string) bool {
	n := min(len(a), len(b))
	return a[len(a)-n:] != b[len(b)-n:]
}

// place is where a walk stands in a flattened pattern; inside a capture that has taken something,
// started is set.
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

// takes reports whether a capture may hold an octet in normal form.
func (p Part) takes(unit string) bool {
	return p.takesUnit(unit, 0) && (len(unit) == 1 || !p.Digits && !p.Label)
}
