package chain_test

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// slowly answers a page, after others had their turn.
type slowly struct{ turns chan struct{} }

func (s slowly) Answer(_ context.Context, ask chain.Ask) chain.Answer {
	<-s.turns
	return chain.Answer{URL: ask.URL, Status: 200}
}

// One entry and many workers, most of which leave while others are still being sent: no chain is
// lost.
func TestNoChainIsLostWhereWorkersLeaveAtOnce(t *testing.T) {
	t.Parallel()
	turns := make(chan struct{})
	go func() {
		for {
			turns <- struct{}{}
		}
	}()
	entry := chain.Entry{Ask: chain.Ask{URL: web.MustParseURL("http://old.example/")},
		Probe: chain.Asked}
	for round := range 1000 {
		n := 0
		require.NoError(t,
			chain.Run(context.Background(), slowly{turns}, slices.Values([]chain.Entry{entry}), 64,
				func(chain.Chain) { n++ }))
		require.Equal(t, 1, n, "round %d", round)
	}
}
