package cutover

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
)

// number reads a number from the environment: ROUNDS and SEED let a soak go on.
func number(name string, otherwise int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return otherwise
}

func errorsOf(p *plan.Plan) []string {
	var all []string
	for _, f := range p.Findings {
		if f.Severity == finding.Error {
			all = append(all, f.Code.String()+" "+f.Subject+": "+f.Says.String())
		}
	}
	return all
}

// TestNothingIsLostUnsaid plays the tasks of plans at random with a reader of its own: whatever it
// loses, the plan said, and most estates lose nothing at all.
func TestNothingIsLostUnsaid(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 24), number("SEED", 1)
	t.Logf("SEED=%d ROUNDS=%d", seed, rounds)
	led, lost := 0, 0
	for i := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), uint64(i)))
		e := Random(r)
		p := plan.Make(e.Input(t))
		said := errorsOf(p)
		player := NewPlayer(e, p)
		broken := append(player.Run(p, p.Tasks()), player.End(p)...)
		if len(broken) > 0 {
			lost++
		}
		if len(said) == 0 {
			led++
			if len(broken) > 0 && os.Getenv("ALL") != "" {
				fmt.Println("UNSAID", i, broken[0], e)
				continue
			}
			require.Empty(t, broken, "SEED=%d, round %d: lost unsaid\n%s", seed, i, e)
		} else if os.Getenv("SHOW") != "" {
			fmt.Println("SAID", i, said[0], "#", len(said), "BROKEN", broken)
		}
	}
	t.Logf("%d of %d estates led without an error; %d lost something, all said", led, rounds, lost)
	assert.GreaterOrEqual(t, led*100, rounds*95-100, fmt.Sprintf("%d of %d", led, rounds))
}

// TestWhatIsNotWaitedForIsSaid has people wait for nothing at each step that waits: whatever those
// lose by that who hold older answers, the plan says when it is played so.
func TestWhatIsNotWaitedForIsSaid(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 4), number("SEED", 3)
	hasty, harmful := 0, 0
	for i := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), uint64(i)))
		e := Random(r)
		p := plan.Make(e.Input(t))
		if len(errorsOf(p)) > 0 {
			continue
		}
		for j := range p.Steps {
			wait := p.Steps[j].Wait
			if wait == 0 || p.Steps[j].Kind == act.RaiseTTLs {
				continue
			}
			p.Steps[j].Wait = 0
			hasty++
			if broken := NewPlayer(e, p).Run(p, p.Tasks()); len(broken) > 0 {
				harmful++
				require.NotZero(t, finding.Count(p.Play(p.Typed()), finding.Error),
					"SEED=%d, round %d, step %d: %s\n%s", seed, i, j+1, broken[0], e)
			}
			p.Steps[j].Wait = wait
		}
	}
	t.Logf("SEED=%d: %d steps without their wait, %d of them harmful, all said", seed, hasty, harmful)
	assert.NotZero(t, harmful)
}
