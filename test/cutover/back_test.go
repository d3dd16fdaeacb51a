package cutover

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/world"
)

// standing lists what stands in the zones, a line a record.
func (pl *Player) standing() []string {
	var all []string
	for name, kinds := range pl.lines {
		for kind, values := range kinds {
			for _, v := range values {
				all = append(all, fmt.Sprint(name, " ", kind, " ", v, " ", pl.ttl[name+" "+kind]))
			}
		}
	}
	slices.Sort(all)
	return all
}

// undo types rows that take something back, read plainly.
func (pl *Player) undo(t *testing.T, rows []world.Row) {
	for _, r := range rows {
		if !r.IsRecord() {
			continue
		}
		name := r.Zone
		if r.Label != "@" {
			name = r.Label + "." + r.Zone
		}
		text := func(v string) string {
			if r.Type == "TXT" {
				return `"` + v + `"`
			}
			return record.Dotted(r.Type, v)
		}
		if r.Do == world.Remove || r.Do == world.Replace {
			require.True(t, pl.drop(name, r.Type, text(r.Was)), "nothing to take out: %s; there is %v",
				r, pl.lines[name])
		}
		if r.Do != world.Remove {
			if r.Do == world.Add || r.Do == world.Replace {
				pl.add(name, r.Type, text(r.Value))
			}
			pl.ttl[name+" "+r.Type] = r.TTL
		}
	}
}

// TestEveryStepHasItsWayBack takes each step of plans back, right after it: the state is then what
// it was before, and so are the zones as a plain reader types them.
func TestEveryStepHasItsWayBack(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 6), number("SEED", 5)
	steps, rows, breaks := 0, 0, 0
	for i := range rounds {
		e := Random(rand.New(rand.NewPCG(uint64(seed), uint64(i))))
		p := plan.Make(e.Input(t))
		if len(errorsOf(p)) > 0 {
			continue
		}
		player := NewPlayer(e, p)
		player.alone = true
		tasks := p.Tasks()
		for n, b := range p.Backs() {
			require.Empty(t, b.Differs, "SEED=%d, %d: step %d\n%s", seed, i, n+1, e)
			byPlace := map[string]int{}
			for _, row := range b.Rows {
				byPlace[row.Place]++
			}
			for place, n := range byPlace {
				assert.Equal(t, n == b.Hidden[place], len(b.Expects[place]) == 0,
					"SEED=%d, %d: step at %s: %d of %d rows are hidden", seed, i, place, b.Hidden[place], n)
			}
			steps++
			rows += len(b.Rows)
			for _, f := range b.Breaks {
				if f.Severity == finding.Error {
					breaks++
				}
			}
			before := player.standing()
			through := false
			for _, task := range tasks {
				if task.Number == n+1 {
					player.Type(task)
					for _, l := range task.Lines {
						through = through || l.Through != "" || l.Early
					}
				}
			}
			if after := player.standing(); !through {
				player.undo(t, b.Rows)
				assert.Equal(t, strings.Join(ttlless(before), "\n"),
					strings.Join(ttlless(player.standing()), "\n"), "SEED=%d, %d: step %d\n%s", seed, i, n+1, e)
				for _, task := range tasks { // and on
					if task.Number == n+1 {
						player.Type(task)
					}
				}
				require.Equal(t, ttlless(after), ttlless(player.standing()))
			}
		}
	}
	t.Logf("SEED=%d: %d steps taken back, %d rows, %d of them break something, said", seed, steps,
		rows, breaks)
	assert.NotZero(t, rows)
}

// ttlless leaves TTLs aside, which a plain reader knows of what it typed alone.
func ttlless(all []string) []string {
	var made []string
	for _, line := range all {
		made = append(made, line[:strings.LastIndexByte(line, ' ')])
	}
	return made
}
