package cutover

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
	rounds, seed := number("ROUNDS", 200), number("SEED", 1)
	t.Logf("SEED=%d ROUNDS=%d", seed, rounds)
	led, lost := 0, 0
	for i := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), uint64(i)))
		e := Random(r)
		p := plan.Make(e.Input(t))
		said := errorsOf(p)
		player := NewPlayer(e, p)
		var broken []string
		for _, task := range p.Tasks() {
			broken = append(broken, player.Type(task)...)
		}
		broken = append(broken, player.End(p)...)
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
	assert.GreaterOrEqual(t, led*100, rounds*95, fmt.Sprintf("%d of %d", led, rounds))
}
