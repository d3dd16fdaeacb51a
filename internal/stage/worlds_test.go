package stage_test

import (
	"cmp"
	"context"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/stage"
	"upperpath.example/upperpath/test/worlds"
)

// TestTheStageAnswersAsEveryDoorIsDescribed plays worlds at random and asks URLs over real sockets.
func TestTheStageAnswersAsEveryDoorIsDescribed(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(51, 1))
	all := worlds.Entries()
	kinds := map[string]int{}
	for round := 0; round < 40; {
		world := worlds.Random(random)
		in, ok := world.Read(t)
		if !ok {
			continue
		}
		round++
		p := plan.Make(in)
		scene, err := stage.FromPlan(p)
		require.NoError(t, err, world)
		web := start(t, scene)
		for range 30 {
			u := all[random.IntN(len(all))]
			if u.Door().Port != 0 {
				continue // no door of the estate
			}
			says := func(a chain.Answer) string {
				return strings.TrimSpace(cmp.Or(string(a.Refusal), strconv.Itoa(a.Status)) + " " + a.Location)
			}
			want := says(p.Web.Treatment(u.Door()).Answer(u))
			kinds[strings.Fields(want)[0]]++
			require.Equal(t, want, says(web.Answer(context.Background(), chain.Ask{URL: u})), "%s\n%s", u,
				world)
		}
	}
	for _, kind := range []string{"200", "301", "308", "404", "410", "502", "refused", "no-address"} {
		assert.Positive(t, kinds[kind], "no URL answers %s", kind)
	}
}
