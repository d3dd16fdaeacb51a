package chain

import (
	"context"
	"iter"
	"sync"

	"upperpath.example/upperpath/internal/core/crew"
)

// Entry is where a chain starts, and why.
type Entry struct {
	Ask    Ask
	Probe  Probe
	Number int // as whoever lists entries counts them; chains have it too
}

// Run follows many chains, so many at a time, and hands each to emit in the order of the entries,
// as soon as those before it are done. Entries are taken as they are needed, so that a list without
// end needs no memory. When the context ends, the chains that are done are still handed over, those
// that were cut off are not, and its error comes back.
func Run(ctx context.Context, asker Asker, entries iter.Seq[Entry], parallel int,
	emit func(Chain)) error {
	return RunAll(ctx, []Visitor{{Asker: asker}}, entries, parallel, func(all []Chain) {
		emit(all[0])
	})
}

// RunAll is Run for several visitors: emit is handed the chains that each goes from an entry, in
// the order of the visitors.
func RunAll(
	ctx context.Context,
	visitors []Visitor,
	entries iter.Seq[Entry],
	parallel int,
	emit func([]Chain),
) error {
	return RunJudged(ctx, visitors, entries, parallel, nil, emit)
}

// RunJudged is RunAll with something done to the chains of an entry, such as judging them, before
// they come into order: judge is called from several goroutines at once; nil: nothing is done.
func RunJudged(
	ctx context.Context,
	visitors []Visitor,
	entries iter.Seq[Entry],
	parallel int,
	judge func([]Chain),
	emit func([]Chain),
) error {
	given := ctx
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	next, end := iter.Pull(entries)
	l := &line{size: 4 * parallel, next: next, end: end, judge: judge}
	l.ready, l.room = sync.NewCond(&l.lock), sync.NewCond(&l.lock)
	l.slots, l.done = make([][]Chain, l.size), make([]bool, l.size)
	defer context.AfterFunc(ctx, l.close)()
	defer l.close()
	var workers crew.Crew
	l.working = parallel // before the first may leave
	for range parallel {
		workers.Go(func() {
			defer l.leave()
			ctx, done := context.WithCancel(ctx) // so that not all register what they do with one
			defer done()
			fault := crew.Try(func() {
				for {
					e, at, ok := l.take()
					if !ok || ctx.Err() != nil {
						l.put(at, nil, ok)
						return
					}
					l.put(at, l.follow(ctx, visitors, e, at), true)
				}
			})
			if fault != nil {
				l.broke(fault)
				stop() // what is done is handed over all the same
			}
		})
	}
	for all := range l.inOrder {
		emit(all)
	}
	workers.Wait()
	l.end()
	if l.fault != nil {
		panic(l.fault)
	}
	return given.Err()
}

// line keeps chains in the order of their entries, while workers take entries and put chains as
// they are done. Whoever takes from it is woken only when the first in the line is there.
type line struct {
	input sync.Mutex // for next, which may block
	next  func() (Entry, bool)
	end   func()
	judge func([]Chain)
	taken int
	over  bool // there are no entries left

	lock        sync.Mutex
	ready, room *sync.Cond
	size        int
	slots       [][]Chain
	done        []bool
	out         int // the first that was not handed over yet
	working     int
	closed      bool
	fault       *crew.Fault
}

// take gives the next entry and its place in the line; false where there is none.
func (l *line) take() (Entry, int, bool) {
	l.input.Lock()
	defer l.input.Unlock()
	l.lock.Lock()
	for l.taken-l.out >= l.size && !l.closed {
		l.room.Wait()
	}
	closed := l.closed
	l.lock.Unlock()
	if closed || l.over {
		return Entry{}, 0, false
	}
	e, ok := l.next()
	if !ok {
		l.over = true
		return Entry{}, 0, false
	}
	l.taken++
	return e, l.taken - 1, true
}

// follow follows an entry for every visitor; nil where that was cut off. Where it breaks, its place
// is given back.
func (l *line) follow(ctx context.Context, visitors []Visitor, e Entry, at int) []Chain {
	whole := false
	defer func() {
		if !whole {
			l.put(at, nil, true)
		}
	}()
	all := make([]Chain, len(visitors))
	for i, v := range visitors {
		all[i] = FollowEach(ctx, v.Asker, e.Ask, e.Probe)
		all[i].Number = e.Number
	}
	if ctx.Err() == nil && l.judge != nil {
		l.judge(all)
	}
	whole = true
	if ctx.Err() != nil {
		return nil
	}
	return all
}

// put puts chains at their place; none where an entry was cut off. taken is false where no place
// was taken.
func (l *line) put(at int, all []Chain, taken bool) {
	if !taken {
		return
	}
	l.lock.Lock()
	defer l.lock.Unlock()
	l.slots[at%l.size], l.done[at%l.size] = all, true
	if at == l.out {
		l.ready.Signal()
	}
}

// inOrder yields the chains in the order of their entries, until all workers have left.
func (l *line) inOrder(yield func([]Chain) bool) {
	l.lock.Lock()
	defer l.lock.Unlock()
	for {
		at := l.out % l.size
		switch {
		case l.done[at]:
			all := l.slots[at]
			l.slots[at], l.done[at] = nil, false
			l.out++
			l.room.Signal()
			if all == nil {
				continue
			}
			l.lock.Unlock()
			more := yield(all)
			l.lock.Lock()
			if !more {
				return
			}
		case l.working == 0:
			return
		default:
			l.ready.Wait()
		}
	}
}

// leave is said by a worker that goes.
func (l *line) leave() {
	l.lock.Lock()
	defer l.lock.Unlock()
	if l.working--; l.working == 0 {
		l.ready.Broadcast()
	}
}

// close has nobody take entries any more.
func (l *line) close() {
	l.lock.Lock()
	defer l.lock.Unlock()
	l.closed = true
	l.room.Broadcast()
}

func (l *line) broke(fault *crew.Fault) {
	l.lock.Lock()
	defer l.lock.Unlock()
	if l.fault == nil {
		l.fault = fault
	}
}
