package order

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plain plays an order plainly: a step begins once those before it are over.
func plain(steps []Step, order []int) Played {
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
	return p
}

func TestFewestVisits(t *testing.T) {
	t.Parallel()
	steps := []Step{{Places: []string{"a"}}, {Places: []string{"b"}}, {Places: []string{"a"}}}
	best, cost := Best(steps, func(o []int) Played { return plain(steps, o) }, 100, 0)
	assert.Equal(t, []int{0, 2, 1}, best)
	assert.Equal(t, Cost{Visits: 2}, cost)
}

func TestAWaitEndsAVisit(t *testing.T) {
	t.Parallel()
	steps := []Step{{Places: []string{"a"}, Wait: 60}, {Places: []string{"a"}, Before: []int{0}}}
	_, cost := Best(steps, func(o []int) Played { return plain(steps, o) }, 100, 0)
	assert.Equal(t, Cost{Visits: 2, Length: 60}, cost)
}

func TestFreePlacesJoinBothSides(t *testing.T) {
	t.Parallel()
	steps := []Step{
		{Places: []string{"c"}},
		{Places: []string{"a", "b", "c"}, Free: true, Before: []int{0}},
		{Places: []string{"a"}, Before: []int{1}},
	}
	n, places := Visits(steps, []int{0, 1, 2}, []int{0, 0, 0})
	assert.Equal(t, 3, n)
	assert.Equal(t, [][]string{{"c"}, {"c", "b", "a"}, {"a"}}, places)
}

func TestStepsThatWaitForEachOther(t *testing.T) {
	t.Parallel()
	steps := []Step{{Before: []int{1}}, {Before: []int{0}}}
	best, _ := Best(steps, func(o []int) Played { return plain(steps, o) }, 100, 0)
	assert.Len(t, best, 2)
}

// random makes steps with places and waits.
func random(r *rand.Rand, n int) []Step {
	steps := make([]Step, n)
	for i := range steps {
		for b := range i {
			if r.IntN(4) == 0 {
				steps[i].Before = append(steps[i].Before, b)
			}
		}
		for _, at := range []string{"a", "b", "c", "d"} {
			if r.IntN(3) == 0 {
				steps[i].Places = append(steps[i].Places, at)
			}
		}
		steps[i].Free = r.IntN(2) == 0
		if r.IntN(3) == 0 {
			steps[i].Wait = 60 * r.IntN(4)
		}
	}
	return steps
}

// permutations gives every order of numbers, one after the other.
func permutations(all []int, from int, take func([]int)) {
	if from == len(all) {
		take(all)
	}
	for i := from; i < len(all); i++ {
		all[from], all[i] = all[i], all[from]
		permutations(all, from+1, take)
		all[from], all[i] = all[i], all[from]
	}
}

// fewestPlainly tries every order of the places of every step.
func fewestPlainly(steps []Step, order, begins []int, i int, stands string) int {
	if i == len(order) {
		return 0
	}
	if i > 0 && begins[i] > begins[i-1] {
		stands = ""
	}
	s := steps[order[i]]
	if len(s.Places) == 0 {
		return fewestPlainly(steps, order, begins, i+1, stands)
	}
	fewest := -1
	try := func(places []string) {
		n, at := 0, stands
		for _, p := range places {
			if p != at {
				n, at = n+1, p
			}
		}
		if n += fewestPlainly(steps, order, begins, i+1, at); fewest < 0 || n < fewest {
			fewest = n
		}
	}
	if !s.Free {
		try(s.Places)
		return fewest
	}
	indexes := make([]int, len(s.Places))
	for i := range indexes {
		indexes[i] = i
	}
	permutations(indexes, 0, func(all []int) {
		var places []string
		for _, i := range all {
			places = append(places, s.Places[i])
		}
		try(places)
	})
	return fewest
}

// TestNoOrderIsBetter tries every permutation of steps at random with a plain count of visits.
func TestNoOrderIsBetter(t *testing.T) {
	t.Parallel()
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(7, seed))
		steps := random(r, 2+r.IntN(5))
		harm := r.IntN(4) // a step that warns where another was not done before
		play := func(o []int) Played {
			p := plain(steps, o)
			if slices.Index(o, harm%len(steps)) < slices.Index(o, (harm+1)%len(steps)) {
				p.Warnings++
			}
			return p
		}
		best, cost := Best(steps, play, 1000, 0)
		p := play(best)
		require.Equal(t, fewestPlainly(steps, best, p.Begins, 0, ""), cost.Visits, "seed %d", seed)
		_, places := Visits(steps, best, p.Begins)
		n, at := 0, ""
		for i := range best {
			if i > 0 && p.Begins[i] > p.Begins[i-1] {
				at = ""
			}
			assert.ElementsMatch(t, steps[best[i]].Places, places[i])
			for _, place := range places[i] {
				if place != at {
					n, at = n+1, place
				}
			}
		}
		require.Equal(t, cost.Visits, n, "seed %d: the places as given", seed)
		indexes := make([]int, len(steps))
		for i := range indexes {
			indexes[i] = i
		}
		permutations(indexes, 0, func(o []int) {
			for at, i := range o {
				for _, b := range steps[i].Before {
					if slices.Index(o, b) > at {
						return
					}
				}
			}
			p := play(o)
			other := Cost{p.Warnings, p.Dark, fewestPlainly(steps, o, p.Begins, 0, ""), p.Length}
			require.LessOrEqual(t, cost.Compare(other), 0, "seed %d: %v %v, %v %v", seed, best, cost,
				o, other)
		})
	}
}

// TestManySteps puts more steps in order than can be tried: no order is worse than the given one.
func TestManySteps(t *testing.T) {
	t.Parallel()
	for _, n := range []int{40, 300} {
		r := rand.New(rand.NewPCG(3, uint64(n)))
		steps := random(r, n)
		play := func(o []int) Played { return plain(steps, o) }
		best, cost := Best(steps, play, 20, 0)
		for at, i := range best {
			for _, b := range steps[i].Before {
				require.Less(t, slices.Index(best, b), at)
			}
		}
		given := make([]int, n)
		for i := range given {
			given[i] = i
		}
		assert.LessOrEqual(t, cost.Compare(CostOf(steps, given, play(given))), 0)
	}
}
