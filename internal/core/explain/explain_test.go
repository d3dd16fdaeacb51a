package explain

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/web"
)

func way(name string, hops ...predict.Hop) Way {
	w := Predicted(hops)
	w.Name = name
	return w
}

func TestWhereWaysPart(t *testing.T) {
	const a, b, c = "http://old.example/a", "https://www.n.example/visit/", "https://www.n.example/"
	wanted := Wanted{Goal: chain.Goal{Target: web.MustParseURL(b)}}
	right := []predict.Hop{{URL: a, Status: 301}, {URL: b, Status: 200}}
	for name, t1 := range map[string]struct {
		wanted Wanted
		ways   []Way
		kind   Kind
		at     int
	}{
		"all the same": {wanted, []Way{way("p", right...), way("r", right...), way("o", right...)},
			Same, 0},
		"the plan leads elsewhere": {wanted, []Way{way("p", predict.Hop{URL: a, Status: 301},
			predict.Hop{URL: c, Status: 200}), way("r", right...)}, PlanParts, 0},
		"the plan ends at a missing page": {wanted, []Way{way("p", predict.Hop{URL: a, Status: 301},
			predict.Hop{URL: b, Status: 404})}, PlanParts, 0},
		"another status": {wanted, []Way{way("p", right...), way("r", predict.Hop{URL: a, Status: 302},
			right[1])}, Part, 1},
		"another target": {wanted, []Way{way("p", right...), way("r", right[0],
			predict.Hop{URL: c, Status: 200})}, Part, 1},
		"another end": {wanted, []Way{way("p", right...), way("r", right[0],
			predict.Hop{URL: b, Status: 404})}, Part, 2},
		"a hop more": {wanted, []Way{way("p", right...), way("r", append(right[:2:2],
			predict.Hop{URL: c, Status: 200})...)}, Part, 2},
		"the later one parts": {wanted, []Way{way("p", right...), way("r", right...),
			way("o", predict.Hop{URL: a, Status: 404})}, Part, 1},
		"nobody answers": {wanted, []Way{way("p", right...), way("r",
			predict.Hop{URL: a, Refusal: string(chain.Refused)})}, Part, 1},
		"nobody could see": {wanted, []Way{way("p", right...), way("r", right[0],
			predict.Hop{URL: b, Refusal: string(chain.Unseen)})}, NotSeen, 0},
		"nothing was met":      {wanted, []Way{way("p", right...), way("r")}, NotSeen, 0},
		"nothing is predicted": {wanted, []Way{way("p")}, PlanParts, 0},
		"gone": {Wanted{Goal: chain.Goal{Gone: true}}, []Way{way("p",
			predict.Hop{URL: a, Status: 410})}, Same, 0},
		"not gone": {Wanted{Goal: chain.Goal{Gone: true}}, []Way{way("p", right...)}, PlanParts, 0},
		"left alone": {Wanted{Left: true}, []Way{way("p", predict.Hop{URL: a, Status: 404})},
			Same, 0},
		"not left alone": {Wanted{Left: true}, []Way{way("p", right...)}, PlanParts, 0},
		"the same URL, written otherwise": {Wanted{Goal: chain.Goal{Target: web.MustParseURL(
			"https://www.n.example/%7Evisit")}}, []Way{way("p", predict.Hop{URL: a, Status: 301},
			predict.Hop{URL: "https://www.n.example/~visit", Status: 200})}, Same, 0},
		"a fragment": {Wanted{Goal: chain.Goal{Target: web.MustParseURL(b)}}, []Way{way("p",
			predict.Hop{URL: a, Status: 301}, predict.Hop{URL: b + "#top", Status: 200})}, Same, 0},
	} {
		t.Run(name, func(t *testing.T) {
			where := Compare(t1.wanted, t1.ways)
			assert.Equal(t, t1.kind, where.Kind)
			assert.Equal(t, t1.at, where.At)
		})
	}
}
