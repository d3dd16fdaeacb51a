package live

import (
	"context"
	"sync"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// mostShared is how many answers are remembered at least for chains that lead to the same URL;
// twice as many at most.
const mostShared = 20_000

// shared remembers what URLs answered to which chains led, so that each is asked once however many
// lead there. What did not answer is not remembered. Of two generations, the older one is forgotten
// when the younger is full; what is met again becomes young again.
type shared struct {
	lock         sync.Mutex
	young, older map[sharedKey]*flight
}

type sharedKey struct {
	url    web.URL
	public bool // a chain that began in public is kept out of private networks
}

// flight is a question that goes on, or its answer.
type flight struct {
	landed chan struct{}
	answer chain.Answer
	holds  bool // the answer is one for others too
}

// Share has what chains lead to asked once for all of them from now on.
func (w *Client) Share() {
	w.onward = &shared{young: map[sharedKey]*flight{}, older: map[sharedKey]*flight{}}
}

// answer gives what was answered before, or waits for whoever is asking, or asks.
func (s *shared) answer(
	ctx context.Context, ask chain.Ask, asks func(context.Context, chain.Ask) chain.Answer,
) chain.Answer {
	key := sharedKey{ask.URL, ask.Public}
	s.lock.Lock()
	f := s.young[key]
	if f == nil {
		if f = s.older[key]; f != nil {
			s.keep(key, f)
		}
	}
	if f != nil {
		s.lock.Unlock()
		select {
		case <-f.landed:
		case <-ctx.Done():
			return chain.Answer{URL: ask.URL, Refusal: chain.Unseen, Detail: "interrupted"}
		}
		if f.holds {
			a := f.answer
			a.Shared, a.MS = true, 0
			return a
		}
		return asks(ctx, ask)
	}
	f = &flight{landed: make(chan struct{})}
	s.keep(key, f)
	s.lock.Unlock()
	defer close(f.landed) // also where asking breaks
	f.answer = asks(ctx, ask)
	if f.holds = f.answer.Refusal == "" && f.answer.Status < 500 &&
		f.answer.Status != tooMany; !f.holds {
		s.lock.Lock()
		defer s.lock.Unlock()
		delete(s.young, key)
		delete(s.older, key)
	}
	return f.answer
}

// tooMany is what a server answers that wants to be asked less (RFC 6585 section 4).
const tooMany = 429

func (s *shared) keep(key sharedKey, f *flight) {
	if len(s.young) >= mostShared {
		s.older, s.young = s.young, make(map[sharedKey]*flight, mostShared)
	}
	s.young[key] = f
}
