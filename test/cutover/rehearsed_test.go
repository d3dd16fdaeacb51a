package cutover

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

// TestEveryStepIsRehearsed plays every step of plans over real sockets, with mixtures of older and
// new answers: every door arrives, answers as it did, or was said to fail, and mail goes on.
func TestEveryStepIsRehearsed(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 14), number("SEED", 17)
	steps, mixtures, played := 0, 0, 0
	for i := 0; played < rounds && i < 4*rounds; i++ {
		e := Random(rand.New(rand.NewPCG(uint64(seed), uint64(i))))
		p := plan.Make(e.Input(t))
		if len(errorsOf(p)) > 0 {
			continue
		}
		played++
		whole := p.Whole()
		r, err := stage.NewRehearsal(t.Context(), p, whole.Doors,
			func(v *live.Vantage) (*live.Asker, *live.Client, error) {
				w, err := live.New(*v)
				if err != nil {
					return nil, nil, err
				}
				return &live.Asker{
					Surveyor: &live.Surveyor{Web: w, Parallel: 8, NamesAlone: true},
					Judge: chain.Judge{Now: w.Now(), Estate: p.Estate.Holds,
						Forwards: whole.Forwards},
					Goals: whole.Goal,
				}, w, nil
			})
		require.NoError(t, err)
		r.Most = number("MIXTURES", 6)
		for n := range p.Steps {
			met, err := r.Next(t.Context())
			require.NoError(t, err)
			require.Empty(t, met.Broken, "SEED=%d, %d: behind step %d\n%s", seed, i, n+1, e)
			require.Empty(t, met.Unseen, "SEED=%d, %d: behind step %d\n%s", seed, i, n+1, e)
			steps++
			mixtures += met.Mixtures
		}
		r.Close()
	}
	t.Logf("SEED=%d: %d steps of %d estates, %d mixtures", seed, steps, played, mixtures)
	assert.Equal(t, rounds, played)
	assert.NotZero(t, mixtures)
}
