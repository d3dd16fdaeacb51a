package report

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
)

// atNow is a clock that stands still.
type atNow struct{}

func (atNow) Now() time.Time                         { return now }
func (atNow) After(d time.Duration) <-chan time.Time { return time.After(min(d, time.Millisecond)) }

// toldInTurn answers about each want of a plan in another way.
type toldInTurn struct {
	answers map[string]await.Answer // by name and type
	Others  []await.Answer
}

func (a *toldInTurn) Ask(_ context.Context, q await.Question) await.Answer {
	switch {
	case q.Door != nil:
		return a.Others[0]
	case q.Place.Kind == await.Resolver:
		return a.Others[1]
	}
	return a.answers[q.Want.Name+" "+q.Want.Type]
}

// waiting is a wait for a plan after everybody was asked once: of its records one is there, and each other in another
// state.
func waiting(t *testing.T, p *plan.Plan, spoils func(any)) Doc {
	t.Helper()
	zones, wants, doors := p.Awaited()
	wants, doors = wants[:min(5, len(wants))], doors[:min(2, len(doors))]
	f := finding.New(finding.WrongName, "", "The certificate is for another name.", "Wait.", nil)
	first := 0
	f.Hop, f.Why, f.Cause = &first, "It is still being issued.", finding.CertificateComing
	told := &toldInTurn{answers: map[string]await.Answer{}, Others: []await.Answer{
		{Findings: []finding.Finding{f}, Met: "301", TTL: 60},
		{Values: []string{"198.51.100.4"}, TTL: 90}, {Values: []string{"198.51.100.4"}}, {},
		{Unseen: "it does not answer"}, {Values: []string{"203.0.113.20", "198.51.100.99"}},
	}}
	a := &Awaiting{Canonical: p.Canonical, Vantage: "here", Started: now.Add(-5 * time.Minute), Ended: now,
		Silent: []string{"silent.example"}, Notes: []string{"A note."}}
	spoils(told)
	spoils(a)
	for i, w := range wants {
		if i == 0 {
			told.answers[w.Name+" "+w.Type] = await.Answer{Values: w.Values}
			continue
		}
		told.answers[w.Name+" "+w.Type] = told.Others[1+i]
	}
	places := []*await.Place{{Kind: await.NameServer, Name: "ns1.host.example (192.0.2.1)", Host: "ns1.host.example"},
		{Kind: await.Resolver, Name: "resolver 192.0.2.53"}, {Kind: await.Vantage, Name: "here"}}
	for _, z := range zones {
		places[0].Zones = append(places[0].Zones, z.Domain)
	}
	a.Board = await.New(wants, doors, places, now)
	looked := errors.New("looked")
	if a.Board.Done() {
		return Await(a, true)
	}
	require.ErrorIs(t, await.Run(context.Background(), a.Board, told, atNow{}, func([]await.Change) error {
		if a.Board.Looked() {
			return looked
		}
		return nil
	}), looked)
	return Await(a, true)
}
