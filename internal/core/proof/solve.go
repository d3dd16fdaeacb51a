package proof

import (
	"encoding/binary"
	"slices"

	"upperpath.example/upperpath/internal/core/rule"
)

// answer says whether there is an entry that takes a way.
type answer int

const (
	unknown answer = iota
	possible
	impossible
)

// mostSolved is how many places of the product of automata are looked at.
const mostSolved = 20_000

// mostShort is for how many hops it is looked at that captures take the shortest first.
const mostShort = 3

// solve looks for values of the variables of a state's entry for which, at every hop, none of the
// rules that would win takes the path: in all hops at once, as through a product of automata. It is
// decided where every path holds the variables once and in the order of the entry; else the answer
// is unknown.
func solve(s state, e *effort) (map[string]string, answer) {
	order := variables(s.entry)
	var automata []automaton
	for _, h := range s.hops {
		for _, avoid := range h.avoid {
			all, ok := newAutomata(h.path, avoid, order)
			if !ok {
				return nil, unknown
			}
			automata = append(automata, all...)
		}
		for _, c := range h.short {
			if len(s.hops) > mostShort {
				break // what is definite was barred on the way
			}
			all, ok := newAutomata(c.text, rule.Variant{Parts: c.pattern}, order)
			if !ok {
				return nil, unknown
			}
			automata = append(automata, all...)
		}
	}
	for _, avoid := range s.avoid {
		all, ok := newAutomata(s.path, avoid, order)
		if !ok {
			return nil, unknown
		}
		automata = append(automata, all...)
	}
	letters := alphabet(automata)
	if slices.Contains(letters, ".") {
		for _, dots := range dotted { // no URL has a segment of dots
			st, ok := newAutomaton(s.entry, dots, order)
			if !ok {
				return nil, unknown
			}
			automata = append(automata, st)
		}
	}
	if len(order) != captures(s.entry) {
		return nil, unknown // a variable comes twice in the entry
	}
	return product{order, automata, letters}.search(e)
}

// dotted are the paths with a segment of dots.
var dotted = [][]rule.Part{
	endsIn("/."),
	endsIn("/.."),
	{anyText, {Literal: "/./"}, anyText},
	{anyText, {Literal: "/../"}, anyText},
}

var anyText = rule.Part{Name: "rest", Rest: true}

func captures(parts []rule.Part) int {
	n := 0
	for _, p := range parts {
		if p.IsCapture() {
			n++
		}
	}
	return n
}

func variables(parts []rule.Part) []rule.Part {
	var all []rule.Part
	for _, p := range parts {
		if p.IsCapture() &&
			!slices.ContainsFunc(all, func(o rule.Part) bool { return o.Name == p.Name }) {
			all = append(all, p)
		}
	}
	return all
}

// automaton is one pattern that must not take the path of one hop: the texts around the variables,
// and the pattern.
type automaton struct {
	// in front of a variable, by its place in the order; len(order): behind the last
	texts   map[int][]string
	holds   map[int]bool // which variables the path holds
	pattern []rule.Part  // in octets and captures
	except  int          // how many automata behind this one are what it leaves out
}

// newAutomata gives a automaton of what must not take a path, and behind it one for each pattern
// that this leaves out.
func newAutomata(path []rule.Part, avoid rule.Variant, order []rule.Part) ([]automaton, bool) {
	st, ok := newAutomaton(path, avoid.Parts, order)
	st.except = len(avoid.Not)
	all := []automaton{st}
	for _, end := range avoid.Not {
		left, fits := newAutomaton(path, endsIn(end), order)
		all, ok = append(all, left), ok && fits
	}
	return all, ok
}

func newAutomaton(path, avoid []rule.Part, order []rule.Part) (automaton, bool) {
	st := automaton{texts: map[int][]string{}, holds: map[int]bool{}}
	at := -1
	var pending []string
	for _, p := range path {
		if !p.IsCapture() {
			pending = append(pending, units(p.Literal)...)
			continue
		}
		i := slices.IndexFunc(order, func(o rule.Part) bool { return o.Name == p.Name })
		if i <= at {
			return st, false // twice, in another order, or a variable that the entry does not know
		}
		st.texts[i], pending, at = pending, nil, i
		st.holds[i] = true
	}
	st.texts[len(order)] = pending
	for _, p := range avoid {
		if p.IsCapture() {
			st.pattern = append(st.pattern, p)
			continue
		}
		for _, u := range units(p.Literal) {
			st.pattern = append(st.pattern, rule.Part{Literal: u})
		}
	}
	return st, len(st.pattern) < mostPlaces
}

// alphabet gives the octets that can make a difference, and a letter and a digit that stand for all
// others.
func alphabet(automata []automaton) []string {
	all := []string{"/", "7"}
	for _, st := range automata {
		for _, p := range st.pattern {
			if !p.IsCapture() && !slices.Contains(all, p.Literal) {
				all = append(all, p.Literal)
			}
		}
	}
	for _, fresh := range []string{"x", "y", "z", "q", "w", "k", "v", "u", "j", "_", "~"} {
		if !slices.Contains(all, fresh) {
			return append([]string{fresh}, all...)
		}
	}
	return append([]string{"%C3"}, all...)
}

// places is a set of places in a pattern, in order, two octets each: twice the place, and one more
// inside a capture that has taken something.
type places string

// mostPlaces is how long a pattern may be, in octets and captures.
const mostPlaces = 2000

func (st automaton) start() places { return st.open([]uint16{0}) }

// open adds the places behind captures that may end.
func (st automaton) open(set []uint16) places {
	for i := 0; i < len(set); i++ {
		at := int(set[i]) / 2
		if at < len(st.pattern) && (st.pattern[at].Rest || st.pattern[at].IsCapture() && set[i]%2 == 1) {
			if next := uint16(2 * (at + 1)); !slices.Contains(set, next) {
				set = append(set, next)
			}
		}
	}
	slices.Sort(set)
	set = slices.Compact(set)
	made := make([]byte, 0, 2*len(set))
	for _, at := range set {
		made = binary.BigEndian.AppendUint16(made, at)
	}
	return places(made)
}

func (p places) at(i int) int { return int(p[2*i])<<8 | int(p[2*i+1]) }

func (st automaton) read(from places, unit string) places {
	var set []uint16
	for i := range len(from) / 2 {
		at := from.at(i) / 2
		if at == len(st.pattern) {
			continue
		}
		switch p := st.pattern[at]; {
		case p.IsCapture() && allows(p, unit):
			set = append(set, uint16(2*at+1))
		case !p.IsCapture() && p.Literal == unit:
			set = append(set, uint16(2*(at+1)))
		}
	}
	return st.open(set)
}

func (st automaton) readAll(from places, text []string) places {
	for _, u := range text {
		from = st.read(from, u)
	}
	return from
}

func (st automaton) accepts(at places) bool {
	return at != "" && at.at(len(at)/2-1) == 2*len(st.pattern) // the last place is the end
}

type product struct {
	order    []rule.Part
	automata []automaton
	alphabet []string
}

// point is a place in the product: which variable is being written, whether it has any, and where
// each automaton is.
type point struct {
	variable int
	started  bool
	at       string
}

type visit struct {
	point
	from int
	unit string
}

func (p product) search(e *effort) (map[string]string, answer) {
	sets := make([]places, len(p.automata))
	for i, st := range p.automata {
		sets[i] = st.start()
	}
	queue := []visit{{p.enter(0, sets), -1, ""}}
	seen := map[point]bool{queue[0].point: true}
	for i := 0; i < len(queue); i++ {
		if len(queue) > mostSolved || !e.spend(1+len(p.alphabet)*len(p.automata)) {
			return nil, unknown
		}
		v := queue[i]
		if v.variable == len(p.order) {
			if p.free(v.at) {
				return p.values(queue, i), possible
			}
			continue
		}
		variable := p.order[v.variable]
		add := func(to point, unit string) {
			if !seen[to] {
				seen[to] = true
				queue = append(queue, visit{to, i, unit})
			}
		}
		if v.started || variable.Rest {
			add(p.enter(v.variable+1, split(v.at)), "")
		}
		for _, unit := range p.alphabet {
			if !allows(variable, unit) {
				continue
			}
			sets := split(v.at)
			for n, st := range p.automata {
				if st.holds[v.variable] {
					sets[n] = st.read(sets[n], unit)
				}
			}
			add(point{v.variable, true, join(sets)}, unit)
		}
	}
	return nil, impossible
}

// enter reads, in every automaton, the text in front of a variable.
func (p product) enter(variable int, sets []places) point {
	for n, st := range p.automata {
		sets[n] = st.readAll(sets[n], st.texts[variable])
	}
	return point{variable, false, join(sets)}
}

func (p product) free(at string) bool {
	sets := split(at)
	for n := 0; n < len(sets); {
		st := p.automata[n]
		barred := st.accepts(sets[n])
		for i := range st.except {
			barred = barred && !p.automata[n+1+i].accepts(sets[n+1+i])
		}
		if barred {
			return false
		}
		n += 1 + st.except
	}
	return true
}

// values reads the variables back from the visits that led to one.
func (p product) values(queue []visit, at int) map[string]string {
	values := map[string]string{}
	for _, v := range p.order {
		values[v.Name] = ""
	}
	for ; queue[at].from >= 0; at = queue[at].from {
		if v := queue[at]; v.unit != "" {
			values[p.order[v.variable].Name] = v.unit + values[p.order[v.variable].Name]
		}
	}
	return values
}

// A point's places stand behind one another, each set behind its length.
func join(sets []places) string {
	var made []byte
	for _, s := range sets {
		made = append(binary.BigEndian.AppendUint16(made, uint16(len(s))), s...)
	}
	return string(made)
}

func split(s string) []places {
	var sets []places
	for s != "" {
		n := int(s[0])<<8 | int(s[1])
		sets = append(sets, places(s[2:2+n]))
		s = s[2+n:]
	}
	return sets
}
