// Package order puts steps into the best of the orders in which they can be done: that with the
// fewest warnings, then with the least time dark, then with the fewest visits, then the shortest.
//
//	steps := []order.Step{{Places: []string{"a"}}, {Places: []string{"b"}}, {Places: []string{"a"}}}
//	best, cost := order.Best(steps, play, 100, 0) // 0, 2, 1: two visits
//
// What a step does is none of its business: play carries an order out and says what comes of it.
// Where there are no more orders than may be tried, all are, and none is better than what comes
// back. Otherwise those are tried that look best by their visits and waits alone, beside the order
// in which the steps were given; what comes back is the best of these.
package order

import (
	"cmp"
	"slices"
)

// Step is something to be put in order.
type Step struct {
	Before []int    // steps that have to be done before this one
	Places []string // where something is typed; none: nothing is
	Free   bool     // its places may be visited in any order
	Wait   int      // for how long at least those wait that come after it, in seconds
}

// Played is what came of an order.
type Played struct {
	Warnings int
	Dark     int   // for how long hosts are dark, all together, in seconds
	Length   int   // until the last step is over, in seconds
	Begins   []int // when each step of the order begins, in seconds
}

// Cost is what an order costs.
type Cost struct {
	Warnings int
	Dark     int // in seconds
	Visits   int // to places
	Length   int // in seconds
}

// Compare tells which of two costs is less: the first difference counts.
func (c Cost) Compare(o Cost) int {
	return cmp.Or(cmp.Compare(c.Warnings, o.Warnings), cmp.Compare(c.Dark, o.Dark),
		cmp.Compare(c.Visits, o.Visits), cmp.Compare(c.Length, o.Length))
}

// Best gives the best order of steps that respects what has to be done before each, as indexes, and
// what it costs. dark is for how long hosts are dark in any order at least, in seconds. play is
// asked at most about tries times, and once at least; no longer once nothing
// better can come. Of orders that cost the same, the one comes back that is nearest to the order in
// which the steps were given. Steps that would have to be done before each other are left in that
// order.
func Best(steps []Step, play func(order []int) Played, tries, dark int) ([]int, Cost) {
	steps = acyclic(steps)
	orders, all := extensions(steps, tries)
	if !all {
		orders = promising(steps, max(1, tries))
		if n := len(steps); n <= widest && len(orders) > 1 {
			first := slices.MinFunc(orders, func(a, b []int) int {
				return hope(steps, a).Compare(hope(steps, b))
			})
			orders = append(orders, settled(steps, improved(steps, first)))
		}
	}
	hopes := make([]Cost, len(orders))
	at := make([]int, len(orders))
	for i, o := range orders {
		at[i], hopes[i] = i, hope(steps, o)
		hopes[i].Dark = dark
	}
	slices.SortStableFunc(at, func(a, b int) int { return hopes[a].Compare(hopes[b]) })
	best := -1
	var least Cost
	for n, i := range at {
		if n > 0 && least.Compare(hopes[i]) <= 0 {
			break // the others cannot be better
		}
		cost := CostOf(steps, orders[i], play(orders[i]))
		if better := cost.Compare(least); best < 0 || better < 0 || better == 0 && i < best {
			best, least = i, cost
		}
	}
	return orders[best], least
}

// improved moves single steps of an order to where it hopes to cost less, as long as any does.
func improved(steps []Step, o []int) []int {
	o = slices.Clone(o)
	least := hope(steps, o)
	for again := true; again; {
		again = false
		for from := range o {
			for to := range o {
				if from == to || !mayMove(steps, o, from, to) {
					continue
				}
				step := o[from]
				moved := slices.Insert(slices.Delete(slices.Clone(o), from, from+1), to, step)
				if cost := hope(steps, moved); cost.Compare(least) < 0 {
					o, least, again = moved, cost, true
				}
			}
		}
	}
	return o
}

// mayMove reports whether a step of an order may be done at another place of it.
func mayMove(steps []Step, o []int, from, to int) bool {
	step := o[from]
	for at := to; at < from; at++ {
		if slices.Contains(steps[step].Before, o[at]) {
			return false
		}
	}
	for at := from + 1; at <= to; at++ {
		if slices.Contains(steps[o[at]].Before, step) {
			return false
		}
	}
	return true
}

// settled brings an order nearer to that in which the steps were given, where it costs no more.
func settled(steps []Step, o []int) []int {
	least := hope(steps, o)
	for again := true; again; {
		again = false
		for at := range o[:len(o)-1] {
			if o[at] < o[at+1] || !mayMove(steps, o, at, at+1) {
				continue
			}
			o[at], o[at+1] = o[at+1], o[at]
			if hope(steps, o).Compare(least) <= 0 {
				again = true
			} else {
				o[at], o[at+1] = o[at+1], o[at]
			}
		}
	}
	return o
}

// hope gives what an order costs at least: nothing breaks, and nobody waits for longer than is
// known.
func hope(steps []Step, order []int) Cost {
	p := Played{}
	over := make([]int, len(steps))
	now := 0
	for _, i := range order {
		for _, b := range steps[i].Before {
			now = max(now, over[b])
		}
		p.Begins = append(p.Begins, now)
		over[i] = now + steps[i].Wait
		p.Length = max(p.Length, over[i])
	}
	return CostOf(steps, order, p)
}

// CostOf gives what an order costs that was played.
func CostOf(steps []Step, order []int, p Played) Cost {
	n, _ := Visits(steps, order, p.Begins)
	return Cost{Warnings: p.Warnings, Dark: p.Dark, Visits: n, Length: p.Length}
}

// acyclic leaves out what would have steps wait for each other.
func acyclic(steps []Step) []Step {
	made := slices.Clone(steps)
	state := make([]uint8, len(steps)) // 1: being looked at, 2: done
	var look func(i int)
	look = func(i int) {
		state[i] = 1
		var before []int
		for _, b := range steps[i].Before {
			if state[b] == 0 {
				look(b)
			}
			if state[b] == 2 {
				before = append(before, b)
			}
		}
		made[i].Before, state[i] = before, 2
	}
	for i := range steps {
		if state[i] == 0 {
			look(i)
		}
	}
	return made
}

// extensions gives all orders of steps, from the one nearest to how they were given; false where
// there are more than most.
func extensions(steps []Step, most int) ([][]int, bool) {
	if len(steps) > 64 {
		return nil, false
	}
	var all [][]int
	waits := make([]int, len(steps)) // how many have to be done before
	after := make([][]int, len(steps))
	for i, s := range steps {
		waits[i] = len(s.Before)
		for _, b := range s.Before {
			after[b] = append(after[b], i)
		}
	}
	order := make([]int, 0, len(steps))
	done := make([]bool, len(steps))
	var extend func() bool
	extend = func() bool {
		if len(order) == len(steps) {
			all = append(all, slices.Clone(order))
			return len(all) <= most
		}
		for i := range steps {
			if done[i] || waits[i] > 0 {
				continue
			}
			done[i], order = true, append(order, i)
			for _, a := range after[i] {
				waits[a]--
			}
			ok := extend()
			for _, a := range after[i] {
				waits[a]++
			}
			done[i], order = false, order[:len(order)-1]
			if !ok {
				return false
			}
		}
		return true
	}
	ok := extend()
	return all, ok
}

// partial is the beginning of an order.
type partial struct {
	order  []int
	waits  []int // by step: how many have still to be done before; -1: it is done
	over   []int // by step: when it is done and waited for
	open   []int // steps that may be next
	ends   []string
	visits int // if none of the steps to come begins where the one before it ends
	now    int
}

// beam is how many beginnings of orders are followed at once.
const beam = 24

// widest is how many steps are put in order with the beam; more are, one after the other.
const widest = 200

// promising gives the order in which steps were given, as far as it respects what comes before
// what, and up to most-1 orders that look better.
func promising(steps []Step, most int) [][]int {
	after := make([][]int, len(steps))
	first := partial{waits: make([]int, len(steps)), over: make([]int, len(steps))}
	for i, s := range steps {
		first.visits += len(s.Places)
		first.waits[i] = len(s.Before)
		for _, b := range s.Before {
			after[b] = append(after[b], i)
		}
		if len(s.Before) == 0 {
			first.open = append(first.open, i)
		}
	}
	given := first.clone()
	for range steps {
		given.do(slices.Min(given.open), steps, after)
	}
	orders := [][]int{given.order}
	if most < 2 {
		return orders
	}
	width := beam
	if len(steps) > widest {
		width = 1
	}
	ahead := []*partial{first.clone()}
	for range steps {
		ahead = extend(ahead, steps, after, width)
	}
	for _, p := range ahead {
		if len(orders) < most && !slices.Equal(p.order, given.order) {
			orders = append(orders, p.order)
		}
	}
	return orders
}

// extend gives the best beginnings that are one step longer.
func extend(ahead []*partial, steps []Step, after [][]int, width int) []*partial {
	type candidate struct {
		from        *partial
		step        int
		visits, now int
	}
	var all []candidate
	for _, p := range ahead {
		for _, i := range p.open {
			visits, now := p.with(i, steps)
			all = append(all, candidate{p, i, visits, now})
		}
	}
	slices.SortStableFunc(all, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(a.visits, b.visits), cmp.Compare(a.now, b.now),
			slices.Compare(a.from.order, b.from.order), cmp.Compare(a.step, b.step))
	})
	if width == 1 {
		all[0].from.do(all[0].step, steps, after)
		return ahead
	}
	var made []*partial
	for _, c := range all[:min(width, len(all))] {
		p := c.from.clone()
		p.do(c.step, steps, after)
		made = append(made, p)
	}
	return made
}

func (p *partial) clone() *partial {
	made := *p
	made.order, made.waits = slices.Clone(p.order), slices.Clone(p.waits)
	made.over, made.open = slices.Clone(p.over), slices.Clone(p.open)
	return &made
}

// with gives the visits and the time once a step is done next.
func (p *partial) with(i int, steps []Step) (visits, now int) {
	visits, now = p.visits, p.now
	for _, b := range steps[i].Before {
		now = max(now, p.over[b])
	}
	places := steps[i].Places
	if len(places) == 0 {
		return visits, now
	}
	begins := places[:1]
	if steps[i].Free {
		begins = places
	}
	if now == p.now && slices.ContainsFunc(begins, func(at string) bool {
		return slices.Contains(p.ends, at)
	}) {
		visits--
	}
	return visits, now
}

// do does a step next.
func (p *partial) do(i int, steps []Step, after [][]int) {
	visits, now := p.with(i, steps)
	if now > p.now {
		p.ends = nil
	}
	if places := steps[i].Places; len(places) > 0 {
		if p.ends = places[len(places)-1:]; steps[i].Free {
			p.ends = places
		}
	}
	p.visits, p.now, p.order = visits, now, append(p.order, i)
	p.over[i] = now + steps[i].Wait
	p.open = slices.DeleteFunc(p.open, func(o int) bool { return o == i })
	for _, a := range after[i] {
		if p.waits[a]--; p.waits[a] == 0 {
			p.open = append(p.open, a)
		}
	}
}
