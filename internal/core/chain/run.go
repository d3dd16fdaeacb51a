package chain

import (
	"context"
	"iter"
	"sync/atomic"

	"upperpath.example/upperpath/internal/core/crew"
)

// Entry is where a chain starts, and why.
type Entry struct {
	Ask   Ask
	Probe Probe
}

// Run follows many chains, so many at a time, and hands each to emit in the order of the entries, as soon as those
// before it are done. Entries are taken as they are needed, so that a list without end needs no memory. When the
// context ends, the chains that are done are still handed over, those that were cut off are not, and its error comes
// back.
func Run(ctx context.Context, asker Asker, entries iter.Seq[Entry], parallel int, emit func(Chain)) error {
	given := ctx
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	var broke atomic.Pointer[crew.Fault]
	type job struct {
		entry Entry
		done  chan *Chain
	}
	jobs := make(chan job)
	order := make(chan job, 4*parallel)
	var feeder, workers crew.Crew
	feeder.Go(func() {
		defer close(order)
		defer close(jobs)
		for e := range entries {
			j := job{e, make(chan *Chain, 1)}
			select {
			case order <- j:
			case <-ctx.Done():
				return
			}
			jobs <- j
		}
	})
	for range parallel {
		workers.Go(func() {
			for j := range jobs {
				var done *Chain
				fault := crew.Try(func() {
					if ctx.Err() != nil {
						return
					}
					if c := Follow(ctx, asker, j.entry.Ask, j.entry.Probe); ctx.Err() == nil {
						done = &c
					}
				})
				j.done <- done
				if fault != nil && broke.CompareAndSwap(nil, fault) {
					stop() // what is done is handed over all the same
				}
			}
		})
	}
	for j := range order {
		if c := <-j.done; c != nil {
			emit(*c)
		}
	}
	workers.Wait()
	feeder.Wait()
	if fault := broke.Load(); fault != nil {
		panic(fault)
	}
	return given.Err()
}
