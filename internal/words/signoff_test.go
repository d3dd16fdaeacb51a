package words

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/signoff"
)

// signoffs gives sheets of every kind and answer.
func signoffs() []signoff.Sheet {
	var all []signoff.Sheet
	for _, k := range signoff.Kinds {
		for _, state := range []signoff.State{signoff.Fine, signoff.Unseen, signoff.Failing} {
			s := signoff.Sheet{Kind: k, Answer: signoff.Answer(min(state, 2))}
			s.Answer = map[signoff.State]signoff.Answer{signoff.Fine: signoff.Yes,
				signoff.Unseen: signoff.Unknown, signoff.Failing: signoff.No}[state]
			for _, of := range []signoff.Subject{signoff.Registrations, signoff.Plan, signoff.Doors,
				signoff.OldURLs, signoff.Certificates, signoff.Mail, signoff.HSTS, signoff.Robots,
				signoff.Steps, signoff.News} {
				c := signoff.Check{Of: of, State: state, All: 8, Good: 8, Part: 1,
					Matters: state != signoff.Fine}
				switch state {
				case signoff.Unseen:
					c.Missing, c.Good = []string{"slatequarry.example", "ferryhouse.example", "x.example"}, 5
				case signoff.Failing:
					c.Good, c.Part = 3, 0.5
				}
				s.Checks = append(s.Checks, c)
			}
			all = append(all, s)
		}
	}
	return all
}

func TestAnAnswerSaysWhatItRestsOn(t *testing.T) {
	for _, s := range signoffs() {
		said := Answer(s, "https://www.n.example")
		assert.True(t, strings.HasSuffix(said, "."), said)
		if s.Answer != signoff.Yes {
			assert.Contains(t, said, Obstacle(s.Stands()[0], s.Kind))
			assert.Contains(t, said, "; 8 more things.")
		}
	}
	part := signoff.Check{Of: signoff.Doors, State: signoff.Unseen, All: 18, Good: 4,
		Missing: make([]string, 14)}
	for of, says := range map[signoff.Subject]string{
		signoff.Doors:        "all 4 doors tried lead visitors safely",
		signoff.Certificates: "all 4 certificates seen hold",
		signoff.Robots:       "search engines may see all 4 hosts asked",
		signoff.Mail:         "nothing endangers the mail of all 4 domains seen",
	} {
		part.Of = of
		assert.Equal(t, says, Known(part, signoff.After), "all is said of what was looked at alone")
	}
	assert.Equal(t, "over 99 %", Percent(0.9999), "all is said of all alone")
	assert.Equal(t, "under 1 %", Percent(0.0001))
	assert.Equal(t, "100 %", Percent(1))
	assert.Equal(t, "0 %", Percent(0))
}
