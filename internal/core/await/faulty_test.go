package await_test

import (
	"context"
	"errors"
	"math/rand/v2"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// told asks by a function.
type told func(e expect.Expectation, at *expect.Place) expect.Answer

func (f told) Ask(_ context.Context, e expect.Expectation, at *expect.Place) expect.Answer {
	return f(e, at)
}

// TestNoResolverIsAskedWhileNobodyServesTheZone has name servers serve a zone to nobody until a
// time of their own, drawn at random: no resolver and no door is asked before one of them has the
// new, and each once one has, though others go on failing.
func TestNoResolverIsAskedWhileNobodyServesTheZone(t *testing.T) {
	for seed := range uint64(200) {
		synctest.Test(t, func(t *testing.T) {
			r := rand.New(rand.NewPCG(seed, 7))
			never := 24 * time.Hour
			serves := map[string]time.Duration{"ns1": time.Duration(r.IntN(600)) * time.Second,
				"ns2": time.Duration(r.IntN(600)) * time.Second}
			if r.IntN(3) == 0 {
				serves[[]string{"ns1", "ns2"}[r.IntN(2)]] = never
			}
			code := []string{"SERVFAIL", "REFUSED"}[r.IntN(2)]
			first := min(serves["ns1"], serves["ns2"])
			want := address("www.a.example", "203.0.113.20", "198.51.100.4")
			door := expect.Expectation{Kind: expect.Redirect, Domain: "a.example",
				URL: "http://www.a.example/", Values: []string{"https://n.example/"}}
			b := await.New([]expect.Expectation{want, door}, places("a.example", 2), began)
			early := 0
			enough := errors.New("enough")
			err := await.Run(context.Background(), b, told(
				func(e expect.Expectation, at *expect.Place) expect.Answer {
					now := time.Since(began)
					if at.Kind != expect.NameServer {
						if now < first {
							early++
						}
						return expect.Answer{Values: want.Values, TTL: 300, Met: "301"}
					}
					if now < serves[at.Name] {
						return expect.Answer{Unseen: "it says " + code, Fault: code}
					}
					return expect.Answer{Values: want.Values, TTL: 300}
				}), bubble{}, func([]await.Change) error {
				for _, i := range b.Items() {
					if i.State == expect.Unseen && i.Place.Kind == expect.NameServer {
						assert.Equal(t, await.NotServed, i.Cause, "seed %d", seed)
						assert.Contains(t, i.Why.String(), i.Place.Name+" answers "+code, "seed %d", seed)
						assert.Zero(t, i.Until, "seed %d", seed)
					}
				}
				if time.Since(began) > time.Hour {
					return enough
				}
				return nil
			})
			if err != nil {
				require.ErrorIs(t, err, enough)
			}
			assert.Zero(t, early, "seed %d: %v", seed, serves)
			for _, i := range b.Items() {
				wanted := expect.There
				if serves[i.Place.Name] == never {
					wanted = expect.Unseen
				}
				assert.Equal(t, wanted, i.State, "seed %d: %s at %s", seed, i.Subject, i.Place.Name)
			}
		})
	}
}

// TestWhatNobodyDelegatesIsUnseen has a resolver be told by the zone above that a domain does not
// exist: what stands in it is unseen there and at its doors, with that cause, and no time is said.
func TestWhatNobodyDelegatesIsUnseen(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		want := address("www.a.example", "203.0.113.20", "")
		door := expect.Expectation{Kind: expect.Redirect, Domain: "a.example",
			URL: "http://www.a.example/", Values: []string{"https://n.example/"}}
		b := await.New([]expect.Expectation{want, door}, places("a.example", 2), began)
		enough := errors.New("enough")
		err := await.Run(context.Background(), b, told(
			func(e expect.Expectation, at *expect.Place) expect.Answer {
				switch at.Kind {
				case expect.NameServer:
					return expect.Answer{Values: want.Values, TTL: 300}
				case expect.Resolver:
					return expect.Answer{Unseen: "it is not delegated", Above: "example"}
				}
				return expect.Answer{Met: "no-address", Findings: noAddress(e.URL)}
			}), bubble{}, func([]await.Change) error {
			if time.Since(began) > 10*time.Minute {
				return enough
			}
			return nil
		})
		require.ErrorIs(t, err, enough)
		unseen := 0
		for _, i := range b.Items() {
			if i.Place.Kind == expect.NameServer {
				assert.Equal(t, expect.There, i.State)
				continue
			}
			unseen++
			assert.Equal(t, expect.Unseen, i.State, i.Place.Name)
			assert.Equal(t, await.NotDelegated, i.Cause, i.Place.Name)
			assert.Contains(t, i.Why.String(), "a.example is not delegated: the zone example")
			assert.Zero(t, i.Until, i.Place.Name)
			assert.False(t, i.Overdue(time.Now()), i.Place.Name)
		}
		assert.Equal(t, 3, unseen)
	})
}

// TestNothingWithoutATimeHasNoBound has a resolver say that there is nothing, and not for how long:
// nothing is said of when it ends, and nobody is blamed for keeping it.
func TestNothingWithoutATimeHasNoBound(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		want := address("www.a.example", "203.0.113.20", "")
		b := await.New([]expect.Expectation{want}, places("a.example", 1), began)
		enough := errors.New("enough")
		err := await.Run(context.Background(), b, told(
			func(_ expect.Expectation, at *expect.Place) expect.Answer {
				if at.Kind == expect.NameServer {
					return expect.Answer{Values: want.Values, TTL: 300}
				}
				return expect.Answer{}
			}), bubble{}, func([]await.Change) error {
			if time.Since(began) > 10*time.Minute {
				return enough
			}
			return nil
		})
		require.ErrorIs(t, err, enough)
		for _, i := range b.Items() {
			if i.Place.Kind == expect.Resolver {
				assert.Equal(t, expect.Nothing, i.State)
				assert.Zero(t, i.Until)
				assert.Empty(t, i.Cause)
				assert.False(t, i.Overdue(time.Now()))
			}
		}
	})
}

// noAddress is what is found at a door whose host leads nowhere.
func noAddress(url string) []finding.Finding {
	hop := 0
	f := finding.New(finding.NoAddress, web.MustParseURL(url).Host().String(),
		fact.Kept{Says: "It leads nowhere.", Do: "Create a record."})
	f.Hop = &hop
	return []finding.Finding{f}
}
