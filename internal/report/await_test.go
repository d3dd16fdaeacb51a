package report

import (
	"context"
	"errors"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/doc"
)

// atNow is a clock that stands still.
type atNow struct{}

func (atNow) Now() time.Time                         { return now }
func (atNow) After(d time.Duration) <-chan time.Time { return time.After(min(d, time.Millisecond)) }

// toldInTurn answers about each want of a plan in another way.
type toldInTurn struct {
	answers map[string]expect.Answer // by name and type
	Others  []expect.Answer
}

func (a *toldInTurn) Ask(_ context.Context, e expect.Expectation, at *expect.Place) expect.Answer {
	switch {
	case e.AtDoor():
		return a.Others[0]
	case at.Kind == expect.Resolver:
		return a.Others[1]
	}
	return a.answers[e.Name+" "+e.Type]
}

// waiting is a wait for a plan after everybody was asked once: of its records one is there, and
// each other in another state.
func waiting(t *testing.T, p *plan.Plan, spoils func(any)) doc.Doc {
	t.Helper()
	zones, all := p.Awaited()
	var wants, doors []expect.Expectation
	urls := map[string]bool{}
	for _, e := range all {
		switch {
		case !e.AtDoor() && len(wants) < 5:
			wants = append(wants, e)
		case e.AtDoor() && (urls[e.URL] || len(urls) < 2):
			urls[e.URL] = true
			doors = append(doors, e)
		}
	}
	f := finding.New(finding.WrongName, "",
		fact.Kept{Says: "The certificate is for another name.", Do: "Wait."})
	first := 0
	f.Hop, f.Why, f.Cause = &first, fact.Plain("It is still being issued."), finding.CertificateComing
	told := &toldInTurn{answers: map[string]expect.Answer{}, Others: []expect.Answer{
		{Findings: []finding.Finding{f}, Met: "301", TTL: 60},
		{Values: []string{"198.51.100.4"}, TTL: 90}, {Values: []string{"198.51.100.4"}}, {},
		{Unseen: "it does not answer"}, {Values: []string{"203.0.113.20", "198.51.100.99"}},
	}}
	a := &Awaiting{Canonical: p.Canonical, Vantage: "here", Started: now.Add(-5 * time.Minute),
		Ended:  now,
		Silent: []string{"silent.example"}, Notes: []string{"A note."}}
	spoils(told)
	spoils(a)
	for i, w := range wants {
		if i == 0 {
			told.answers[w.Name+" "+w.Type] = expect.Answer{Values: w.Values}
			continue
		}
		told.answers[w.Name+" "+w.Type] = told.Others[1+i]
	}
	places := []*expect.Place{
		{Kind: expect.NameServer, Name: "ns1.host.example (192.0.2.1)", Host: "ns1.host.example"},
		{Kind: expect.Resolver, Name: "resolver 192.0.2.53"}, {Kind: expect.Vantage, Name: "here"}}
	for _, z := range zones {
		places[0].Zones = append(places[0].Zones, z.Domain)
	}
	a.Board = await.New(slices.Concat(wants, doors), places, now)
	looked := errors.New("looked")
	if a.Board.Done() {
		return Await(a, true)
	}
	require.ErrorIs(t,
		await.Run(context.Background(), a.Board, told, atNow{}, func([]await.Change) error {
			if a.Board.Looked() {
				return looked
			}
			return nil
		}), looked)
	return Await(a, true)
}
