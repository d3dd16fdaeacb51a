package runbook

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestTooEarlyIsWhatTheCheckDoesNotReach has books with any order, waits and marks: what the check
// stops at may be marked, what it passes over as waiting may not until then, and a step behind open
// ones is told with just those.
func TestTooEarlyIsWhatTheCheckDoesNotReach(t *testing.T) {
	r := rand.New(rand.NewPCG(32, 1)) // a test
	met := map[string]int{}
	for round := range 3000 {
		var tasks []Task
		for i := range 2 + r.IntN(8) {
			k := Task{Key: fmt.Sprint(i), Idle: i > 0 && r.IntN(4) == 0, Delay: r.IntN(2) * r.IntN(900),
				Wait: r.IntN(2) * r.IntN(9600)}
			for n := 1; n <= i; n++ {
				if r.IntN(3) == 0 {
					k.After = append(k.After, n)
				}
			}
			tasks = append(tasks, k)
		}
		b := New("https://www.example", "", tasks, start)
		for i := range b.Tasks {
			if b.ready(&b.Tasks[i]) && r.IntN(2) == 0 {
				b.Tasks[i].Done = start.Add(time.Duration(r.IntN(1800)) * time.Second)
			}
		}
		now := b.noEarlier(start.Add(time.Duration(r.IntN(5400)) * time.Second))
		checked := *b
		checked.Tasks = slices.Clone(b.Tasks)
		p, err := checked.Proceed(context.Background(), &answers{}, now)
		require.NoError(t, err)
		for _, w := range p.Waiting {
			e, is := early(t, b, w.Number, now)
			require.True(t, is, "round %d: %d waits", round, w.Number)
			require.Equal(t, w.Until, e.Until)
			require.Empty(t, e.Open)
			met["waits"]++
		}
		if p.Open != nil {
			e, is := early(t, b, p.Open.Number, now)
			require.False(t, is, "round %d: %+v", round, e)
			met["is next"]++
		}
		for i := range b.Tasks {
			e, is := early(t, b, i+1, now)
			if b.Tasks[i].IsDone() {
				require.False(t, is)
				continue
			}
			require.Equal(t, openBefore(b, i+1), e.Open, "round %d: step %d", round, i+1)
			require.Equal(t, is, len(e.Open) > 0 || !e.Until.IsZero())
			if len(e.Open) > 0 {
				require.Zero(t, e.Until)
				met["is behind"]++
			}
		}
	}
	for _, what := range []string{"waits", "is next", "is behind"} {
		assert.Greater(t, met[what], 500, what)
	}
}

// openBefore gives the open steps from which one leads to a step through waits alone.
func openBefore(b *Book, number int) (open []int) {
	for n := 1; n < number; n++ {
		if !b.Tasks[n-1].IsDone() && !b.Tasks[n-1].Idle && leads(b, n, number) {
			open = append(open, n)
		}
	}
	return open
}

func leads(b *Book, from, to int) bool {
	for _, n := range b.Tasks[to-1].After {
		if n == from || b.Tasks[n-1].Idle && !b.Tasks[n-1].IsDone() && leads(b, from, n) {
			return true
		}
	}
	return false
}

// early asks of one step.
func early(t *testing.T, b *Book, number int, now time.Time) (Early, bool) {
	t.Helper()
	all, err := b.Early([]int{number}, now)
	require.NoError(t, err)
	if len(all) == 0 {
		return Early{}, false
	}
	require.Len(t, all, 1)
	return all[0], true
}

// TestStepsThatAreMarkedTogether are early as they would be one after the other.
func TestStepsThatAreMarkedTogether(t *testing.T) {
	b := New("https://www.example", "", []Task{{}, {After: []int{1}}, {After: []int{2}, Wait: 60},
		{After: []int{3}}}, start)
	numbers := func(some ...int) (got []int) {
		all, err := b.Early(some, start)
		require.NoError(t, err)
		for _, e := range all {
			got = append(got, e.Number)
		}
		return got
	}
	assert.Empty(t, numbers(1, 2, 3))
	assert.Equal(t, []int{4}, numbers(1, 2, 3, 4), "the wait of 3 begins then")
	assert.Equal(t, []int{2}, numbers(2, 3), "once 2 is marked, 3 is next")
	assert.Equal(t, []int{4}, numbers(4, 4))
	assert.True(t, b.Tasks[0].Done.IsZero(), "nothing is marked by asking")
}

func TestAStepThatIsNotThereIsNeverEarly(t *testing.T) {
	b := book()
	for _, n := range []int{0, -1, len(b.Tasks) + 1} {
		all, err := b.Early([]int{1, n}, start)
		assert.ErrorIs(t, err, ErrNoTask)
		assert.Empty(t, all)
	}
}

// TestWhatIsKeptWitnessesAStep marks a step by what was kept, at that time, and no step twice, and
// no other.
func TestWhatIsKeptWitnessesAStep(t *testing.T) {
	tasks := func() []Task {
		return []Task{{Key: "audit-first||"}, {Key: "changes|x|", After: []int{1}},
			{Key: "audit||", After: []int{2}}}
	}
	b := New("https://www.example", "", tasks(), start)
	at := start.Add(-time.Hour)
	assert.Equal(t, []int{1}, b.Witnessed("audit-first", at))
	assert.Equal(t, at, b.Tasks[0].Done)
	assert.False(t, b.Tasks[0].ByHand)
	assert.Empty(t, b.Witnessed("audit-first", start), "it is done")
	assert.Equal(t, at, b.Tasks[0].Done)
	assert.False(t, b.Tasks[2].IsDone(), "another kind of audit")
}
