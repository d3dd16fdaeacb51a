package servers

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/rule"
)

// component is the part of a URL into which a capture moves.
type component int

const (
	sameComponent component = iota
	intoPath                // from the query
	intoQuery               // from the path
)

func (c component) String() string {
	return [...]string{"same", "path", "query"}[c]
}

// An exchange is a character that means something else in the component into which a capture moves,
// and what is written instead of it; of more than so many nothing is taken.
type exchange struct {
	sign, instead string
	rounds        []int // how many are exchanged at once, in turn
}

// exchanges is what core's rules say of captures that move: the plus sign of a query is a space,
// which a path writes %20.
var exchanges = map[component][]exchange{
	intoPath: {
		{"+", "%20", []int{8, 8, 8, 8, 4, 2, 1}},
		{"?", "%3F", []int{4, 2, 1}},
		{`\`, "%5C", []int{4, 2, 1}},
	},
	intoQuery: {
		{"&", "%26", []int{4, 2, 1}},
		{"=", "%3D", []int{4, 2, 1}},
		{"+", "%2B", []int{8, 8, 8, 8, 4, 2, 1}},
	},
}

func (x exchange) most() int {
	n := 0
	for _, round := range x.rounds {
		n += round
	}
	return n
}

// splits writes an expression that takes a text with so many of the sign, whose groups are what
// stands between them. name begins a group.
func (x exchange) splits(n int, group func(i int) string) string {
	var b strings.Builder
	b.WriteByte('^')
	for i := range n {
		fmt.Fprintf(&b, `%s[^\%s]*)\%s`, group(i), x.sign, x.sign)
	}
	return b.String() + group(n) + ".*)$"
}

// joins writes the text again, in which what stands instead of the sign is between the groups.
func (x exchange) joins(n int, instead string, group func(i int) string) string {
	all := make([]string, n+1)
	for i := range all {
		all[i] = group(i)
	}
	return strings.Join(all, instead)
}

// movesInto gives the component into which a capture moves in the path or the query of a target, if
// it may hold what has to be written otherwise there.
func movesInto(r *rule.Rule, name string, target component) component {
	for _, p := range r.Old.Captures() {
		if p.Name != name || p.Digits || p.Label {
			continue
		}
		inPath := slices.ContainsFunc(r.Old.Parts, func(o rule.Part) bool { return o.Name == name })
		if inPath == (target == intoQuery) {
			return target
		}
	}
	return sameComponent
}

// movers gives the captures that move into a component of a rule's target, by name.
func movers(r *rule.Rule, into component) []string {
	parts := r.New.Parts
	if into == intoQuery {
		parts = r.New.Query
	}
	var all []string
	for _, p := range parts {
		if p.IsCapture() && movesInto(r, p.Name, into) == into && !slices.Contains(all, p.Name) {
			all = append(all, p.Name)
		}
	}
	return all
}

// bounded writes what keeps an expression from a path, or a query, in which more would have to be
// written otherwise than there are rounds for; "" where nothing moves.
func bounded(r *rule.Rule, into component) string {
	if len(movers(r, into)) == 0 {
		return ""
	}
	until := "" // of the query
	if into == intoQuery {
		until = "?" // of the path
	}
	var b strings.Builder
	for _, x := range exchanges[into] {
		fmt.Fprintf(&b, `(?!(?:[^%s\%s]*\%s){%d})`, until, x.sign, x.sign, x.most()+1)
	}
	return b.String()
}

// movesNote says in a file what its rule leaves to the others, with an example; "" where nothing
// moves.
func movesNote(r *rule.Rule) string {
	for _, into := range []component{intoPath, intoQuery} {
		names := movers(r, into)
		if len(names) == 0 {
			continue
		}
		from, x := "query", exchanges[into][0]
		if into == intoQuery {
			from = "path"
		}
		var most []string
		for _, x := range exchanges[into] {
			most = append(most, fmt.Sprintf("%d %s", x.most(), x.sign))
		}
		return fmt.Sprintf("{%s} moves from the %s into the %s; a %s with more than %s is left to "+
			"other rules, such as one with %s", names[0], from, into, from, strings.Join(most, " or "),
			strings.Repeat("a"+x.sign, x.most()+1)+"a")
	}
	return ""
}
