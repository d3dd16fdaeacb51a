package plan_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
)

// someWeb answers each door in some way, at random.
type someWeb map[web.Door]chain.Answer

func (w someWeb) Answer(_ context.Context, ask chain.Ask) chain.Answer {
	a, known := w[ask.URL.Door()]
	if !known {
		a = chain.Answer{Status: 200}
	}
	a.URL = ask.URL
	if a.Location != "" && a.Location[len(a.Location)-1] != '/' {
		a.Location += ask.URL.Path()
	}
	return a
}

var redirectAdvice = regexp.MustCompile(`(?i)redirect (\S+?),? (?:straight )?to (\S+?)(?:,| with|\.?$|\. )`)

// TestAdviceNeverContradictsTheEstate judges doors that do anything at all, and holds what is
// advised
// against what the estate wants: nothing is redirected to itself, away from the canonical site,
// or to a door that is to forward.
func TestAdviceNeverContradictsTheEstate(t *testing.T) {
	r := rand.New(rand.NewPCG(30, 9))
	some := 0
	for _, canonical := range []string{"https://www.n.example", "https://n.example"} {
		p := planEdited(t, "domains: [n.example, old.example]\n",
			[2]string{"canonical: https://www.n.example", "canonical: " + canonical}, nil)
		for range 400 {
			w := someWeb{}
			for _, d := range p.Doors {
				w[d.Door] = someAnswer(r, p)
			}
			judge := chain.Judge{Estate: p.Estate.Holds, Forwards: p.Forwards, Exempt: p.Exempt,
				Clues: p.Clues()}
			var tally chain.Tally
			for _, ask := range p.Asks(true) {
				c := chain.Follow(context.Background(), w, chain.Ask{URL: ask.URL}, ask.Probe)
				judge.Chain(&c, p.Goal(ask.URL))
				tally.AddChain(c)
			}
			tally.Together()
			tally.Disagreements(p.Forwards)
			for _, f := range tally.Findings() {
				for _, m := range redirectAdvice.FindAllStringSubmatch(f.Fix.String(), -1) {
					some++
					heldAgainst(t, p, f, m[1], m[2])
				}
			}
		}
	}
	assert.Greater(t, some, 200)
}

func heldAgainst(t *testing.T, p *plan.Plan, f finding.Finding, from, to string) {
	said := fmt.Sprintf("%s at %s: %s", f.Code, f.Subject, f.Fix)
	target, err := web.ParseURL(to)
	if err != nil {
		if target, err = web.ParseURL(to + "/"); err != nil {
			return // https, the public, ...
		}
	}
	if from == "it" {
		from = f.Subject
	}
	if !strings.Contains(from, "://") {
		from = "https://" + from
	}
	source, err := web.ParseURL(from)
	if err != nil {
		return
	}
	assert.NotEqual(t, target.Door(), source.Door(), said)
	assert.False(t, source.Door() == p.Estate.Canonical, "away from the canonical site: %s", said)
	assert.False(t, p.Forwards(target.Door()), "to a door that forwards: %s", said)
}

func someAnswer(r *rand.Rand, p *plan.Plan) chain.Answer {
	switch r.IntN(5) {
	case 0:
		return chain.Answer{Status: 200}
	case 1:
		return chain.Answer{Status: 404}
	case 2:
		return chain.Answer{Status: 302, Location: p.Doors[r.IntN(len(p.Doors))].Door.String()}
	case 3:
		return chain.Answer{Status: 301, Location: p.Estate.Canonical.String() + "/"}
	}
	return chain.Answer{Status: 301, Location: p.Doors[r.IntN(len(p.Doors))].Door.String()}
}
