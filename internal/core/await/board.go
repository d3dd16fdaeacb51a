package await

import (
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/expect"
)

// When whom to ask. Nobody is asked more often than once in perServer: then everything that is due
// there is asked, one after the other.
const (
	perServer    = 5 * time.Second
	firstPause   = 5 * time.Second // of a name server; it grows
	doorPause    = 10 * time.Second
	mostPause    = time.Minute     // of what may change at any time
	longestPause = 5 * time.Minute // however long a TTL is: a cache may be cleared
	grace        = 10 * time.Second
	transferTime = 15 * time.Minute // within which name servers take a change over from each other
)

// How many questions go out: in all a second, at once, and in one round at one place.
const (
	perSecond = 150
	burst     = 16
	perRound  = 40 * int(perServer/time.Second)
)

// settled reports whether an answer lets those be asked who wait for it: what was asked for is
// there, or nobody says. A server that answers, and serves the zone to nobody, is nobody only where
// another one has what is wanted: a resolver that finds no other would remember that there is
// nothing (RFC 2308 section 7.1).
func (b *Board) settled(q *question) bool {
	return !q.asked.IsZero() && !slices.ContainsFunc(q.items, func(at int) bool {
		it := &b.items[at]
		switch it.State {
		case expect.There:
			return false
		case expect.Unseen:
			since, _ := b.firstThere(it)
			return q.faulty && since.IsZero()
		}
		return true
	})
}

// settle looks again whether those wait still who wait for a question, and for those about the same
// at other servers.
func (b *Board) settle(q *question, now time.Time) {
	b.free(q, b.settled(q), now)
	for _, at := range q.items {
		for _, other := range b.atServers[b.items[at].want] {
			if o := &b.questions[b.told[other]]; o != q && o.faulty {
				b.free(o, b.settled(o), now)
			}
		}
	}
}

// free has those wait no longer, or wait again, who wait for a question.
func (b *Board) free(q *question, is bool, now time.Time) {
	if q.free == is {
		return
	}
	q.free = is
	for _, n := range q.frees {
		other := &b.questions[n]
		if is {
			other.open--
		} else {
			other.open++
		}
		if other.open == 0 {
			if other.asked.IsZero() {
				other.next = now
			}
			b.wakeBy(other, now)
		}
	}
}

// schedule says when a question is asked again. What a resolver keeps is kept until its TTL is
// over; everybody else may change at any time, and is asked less and less often.
func (b *Board) schedule(q *question, a expect.Answer, now time.Time) {
	ttl := time.Duration(a.TTL)*time.Second + time.Second
	switch {
	case q.place.Kind == expect.Resolver && a.Unseen == "" && a.Barred == "":
		q.next = now.Add(min(max(ttl, perServer), longestPause))
	default:
		q.next = now.Add(q.pause)
		q.pause = min(q.pause*3/2, mostPause)
	}
	// its address may be the old one until then, and the new one right after
	if q.expect.AtDoor() && a.TTL > 0 {
		if after := now.Add(max(ttl, perServer)); after.Before(q.next) {
			q.next = after
		}
	}
}

// due gives the questions that are to be asked now, and takes them for asked.
func (b *Board) due(now time.Time) []int {
	b.fill(now)
	b.allowance = min(b.allowance+now.Sub(b.last).Seconds()*perSecond, burst)
	b.last = now
	var all []int
	for empty := 0; b.allowance >= 1 && empty < len(b.places); {
		p := b.places[b.turn%len(b.places)]
		b.turn++
		if len(p.queue) == 0 {
			empty++
			continue
		}
		empty = 0
		n := p.queue[0]
		p.queue = p.queue[1:]
		q := &b.questions[n]
		q.queued, q.flying = false, true
		b.allowance--
		b.asked++
		all = append(all, n)
	}
	return all
}

// fill begins a round at each place that may be asked again, and reckons when the next can begin.
func (b *Board) fill(now time.Time) {
	if now.Before(b.wakeAt) {
		return
	}
	free := map[*place]int{}
	for _, p := range b.places {
		if len(p.queue) == 0 && !now.Before(p.round.Add(perServer)) {
			free[p] = perRound
		}
	}
	b.wakeAt = never
	for i := range b.questions {
		q := &b.questions[i]
		switch {
		case q.flying, q.queued, q.left == 0, q.open > 0:
		case free[q.place] > 0 && !now.Before(q.next):
			free[q.place]--
			q.queued = true
			q.place.queue = append(q.place.queue, i)
			q.place.round = now
		default:
			b.wakeBy(q, now)
		}
	}
}

var never = time.Unix(1<<60, 0)

// wakeBy has the board look again by when a question may be asked.
func (b *Board) wakeBy(q *question, now time.Time) {
	at := later(q.next, q.place.round.Add(perServer))
	if len(q.place.queue) > 0 {
		at = later(at, now.Add(tick))
	}
	if at.Before(b.wakeAt) {
		b.wakeAt = at
	}
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// tick is how often the queues go on.
const tick = time.Second / 20

// next says when something may be to be asked; the zero time: only once an answer has come.
func (b *Board) next(now time.Time) time.Time {
	for _, p := range b.places {
		if len(p.queue) > 0 {
			return now.Add(tick)
		}
	}
	if b.wakeAt.Equal(never) {
		return time.Time{}
	}
	return b.wakeAt
}
