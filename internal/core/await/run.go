package await

import (
	"context"
	"time"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/expect"
)

// Clock is the time by which is waited.
type Clock interface {
	Now() time.Time
	// After gives a channel that says once that a time has passed.
	After(d time.Duration) <-chan time.Time
}

// Change is an item that came into another state.
type Change struct {
	At   time.Time
	Item Item
	Was  expect.State
}

// How the loop goes on.
const (
	mostFlying = 64               // questions that are open at a time
	soonest    = time.Second / 50 // that the loop wakes up again
)

// Run asks until everything is there, and returns nil then. seen is called after every answer, with
// what changed, and with nothing as time passes, at least with every beat of the board; an error of
// it ends the waiting and comes back. Where the context ends, its error comes back.
func Run(ctx context.Context, b *Board, asker expect.Asker, clock Clock,
	seen func([]Change) error) error {
	type answered struct {
		question int
		answer   expect.Answer
		fault    *crew.Fault
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	answers := make(chan answered, mostFlying)
	var asking crew.Crew
	defer asking.Wait()
	flying := 0
	var waiting []int // due, but too many are open
	for !b.Done() {
		now := clock.Now()
		if len(waiting) == 0 {
			waiting = b.due(now)
		}
		for len(waiting) > 0 && flying < mostFlying {
			n := waiting[0]
			waiting = waiting[1:]
			flying++
			q := b.questions[n]
			asking.Go(func() {
				a := answered{question: n}
				a.fault = crew.Try(func() { a.answer = asker.Ask(ctx, *q.expect, q.place.Place) })
				answers <- a
			})
		}
		var passes <-chan time.Time // nothing but an answer can come next
		if wake := b.wakes(now); wake > 0 {
			passes = clock.After(wake)
		}
		var changes []Change
		select {
		case <-ctx.Done():
			return ctx.Err()
		case a := <-answers:
			flying--
			if a.fault != nil {
				panic(a.fault)
			}
			if ctx.Err() != nil {
				return ctx.Err()
			}
			changes = b.changes(a.question, a.answer, clock.Now())
		case <-passes:
		}
		if err := seen(changes); err != nil {
			return err
		}
	}
	return nil
}

// wakes gives after how long something may be to be done, though no answer has come; 0: nothing
// will.
func (b *Board) wakes(now time.Time) time.Duration {
	wake := b.Beat
	if at := b.next(now); !at.IsZero() && (wake == 0 || at.Sub(now) < wake) {
		wake = max(at.Sub(now), soonest)
	}
	return wake
}

// changes takes an answer and gives what changed.
func (b *Board) changes(question int, a expect.Answer, now time.Time) []Change {
	was := map[int]expect.State{}
	for _, at := range b.questions[question].items {
		was[at] = b.items[at].State
	}
	var all []Change
	for _, at := range b.take(question, a, now) {
		all = append(all, Change{At: now, Item: b.items[at], Was: was[at]})
	}
	return all
}
