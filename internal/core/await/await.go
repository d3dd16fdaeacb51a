// Package await waits until the world is as a plan wants it: records at every name server and at
// resolvers, then certificates and redirects at doors. It keeps what was seen of each (the board),
// decides when whom to ask again, and says for how long it can still take, and why it takes longer.
// It asks by way of an expect.Asker and lives by a Clock, which both come from outside.
//
//	b := await.New(expectations, places, clock.Now())
//	err := await.Run(ctx, b, asker, clock, func() { draw(b.Items()) })
//	b.Missing() // nothing: all is there
//
// # How it is waited
//
// plan.Awaited says what has to be seen in the end: record sets with what stood there, and doors.
// await.Board holds an item for each at each place (name servers, the zone above, resolvers, the
// vantage) and the questions that tell them. A question waits for others: resolvers and doors are
// asked once the name servers have the new, so that nobody is made to remember the old. due hands
// questions out in rounds, at least 5 s apart at a place, 150 a second in all; take reads an
// answer, reckons by TTLs until when the old can last, and names a cause where it lasts longer.
// await.Run is the only loop, on one goroutine; it asks an expect.Asker (live.Asker) and lives by a
// Clock, which its tests let pass at once (testing/synctest): there a made-up world with caches is
// waited for at random, and no bound that was said may break.
package await

import (
	"cmp"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
)

// Zone is a domain whose records are waited for, and who holds them.
type Zone struct {
	Domain  string
	Servers []string // the names of the name servers that it is to have; nil: those that it has
	Known   []string // those that a survey saw
	Parent  bool     // what the zone above says of it is waited for too
}

// What says what an item is about.
type What string

// What is waited for.
const (
	Record      What = "record"
	Certificate What = "certificate"
	Redirect    What = "redirect"
)

// Item is one thing that is waited for at one place.
type Item struct {
	What    What
	Domain  string
	Subject string // a URL, or a record set as "NAME TYPE"
	Host    string // the name or host that it is about
	Place   *expect.Place
	State   expect.State
	Says    fact.Sentence // what is there, in a few words; for Unseen why not
	Wanted  fact.Sentence // what should be
	Asked   time.Time     // when last; the zero time: never
	Until   time.Time     // by then at the latest, going by TTLs; the zero time: nobody can tell
	// for how long the old may be kept once it was changed, in seconds, where Until cannot be told yet
	Lasts int
	Cause Cause         // why it is not there, where that shows
	Why   fact.Sentence // the cause with its facts
	Fix   fact.Sentence // what to do about it
	Since time.Time     // since when it is in this state

	want *expect.Expectation // of a record
	door *expect.Expectation // of a certificate or redirect
	// the first Until that was reckoned once everybody who is asked by others had it
	due time.Time
}

// Overdue reports whether an item should have been there by a time.
func (i *Item) Overdue(now time.Time) bool {
	return i.State != expect.There && !i.due.IsZero() && now.After(i.due.Add(grace))
}

// question is what a place is asked.
type question struct {
	place  *place
	expect *expect.Expectation // of several about one door, the last

	items  []int // what the answer tells
	left   int   // of those, how many are not There
	waits  []int // questions that have to be settled first
	open   int   // how many of those are not
	frees  []int // the questions that wait for this one
	next   time.Time
	pause  time.Duration
	asked  time.Time
	flying bool
	queued bool
	faulty bool // whoever was asked last answered, and serves the zone to nobody
	free   bool // those who wait for it need not any more
}

// place is somebody who is asked, in rounds.
type place struct {
	*expect.Place
	round time.Time // when the last round of questions began
	queue []int     // questions of the round that were not asked yet
}

// Board is all that is waited for, and how far it is.
type Board struct {
	Beat time.Duration // how often whoever watches is told that time passes; 0: as it comes

	places    []*place
	questions []question
	items     []Item
	left      int                           // items that are not There
	atServers map[*expect.Expectation][]int // items of an expectation at its name servers
	told      []int                         // of each item, the question that tells it
	resolving map[string][]int              // items of a name at resolvers
	turn      int                           // whose queue is next
	asked     int
	last      time.Time // when the allowance was reckoned
	allowance float64   // how many questions may go out now
	wakeAt    time.Time // when a round can begin
}

// New makes a board: every record set at each name server of its domain and at each resolver, what
// the zone above says of a domain there and at each resolver, every door from the vantage.
// Resolvers and the vantage are asked about a name only once all its name servers, and the zone
// above, are as they should be: an earlier question would have them remember the old answer, or
// that there is none (RFC 2308). Where a domain has no name server that is asked, they are asked at
// once. Expectations of one URL are one question.
func New(all []expect.Expectation, places []*expect.Place, now time.Time) *Board {
	b := &Board{last: now, allowance: burst, atServers: map[*expect.Expectation][]int{},
		resolving: map[string][]int{}}
	servers, resolvers := map[string][]*place{}, []*place{}
	var vantage *place
	for _, somebody := range places {
		p := &place{Place: somebody}
		b.places = append(b.places, p)
		switch p.Kind {
		case expect.NameServer, expect.Parent:
			for _, z := range p.Zones {
				servers[z] = append(servers[z], p)
			}
		case expect.Resolver:
			resolvers = append(resolvers, p)
		case expect.Vantage:
			vantage = p
		}
	}
	byName, above := map[string][]int{}, map[string][]int{} // the questions that tell it first
	for i := range all {
		w := &all[i]
		if w.AtDoor() {
			continue
		}
		for _, p := range servers[w.Domain] {
			if (p.Kind == expect.Parent) != w.AtParent() {
				continue
			}
			q := b.ask(question{place: p, expect: w, pause: firstPause}, now)
			b.await(q, recordItem(w))
			switch {
			case w.Kind == expect.NoDS: // with one that fits no key resolvers answer nothing, and say why
			case p.Kind == expect.Parent:
				above[w.Domain] = append(above[w.Domain], q)
			default:
				byName[w.Name] = append(byName[w.Name], q)
			}
		}
	}
	for i := range all {
		w := &all[i]
		for _, p := range resolvers {
			if w.AtDoor() || w.Kind == expect.NoDS {
				continue // what they keep of a DS record harms nobody once it is gone above
			}
			waits := slices.Concat(byName[w.Name], above[w.Domain])
			q := b.ask(question{place: p, expect: w, pause: firstPause, waits: waits}, now)
			about := recordItem(w)
			about.Lasts = w.Lasts
			b.await(q, about)
		}
	}
	byURL := map[string]int{}
	for i := range all {
		d := &all[i]
		if vantage == nil || !d.AtDoor() {
			continue
		}
		about := doorItem(d)
		q, asked := byURL[d.URL]
		if !asked {
			waits := slices.Concat(byName[about.Host], above[d.Domain])
			q = b.ask(question{place: vantage, pause: doorPause, waits: waits}, now)
			byURL[d.URL] = q
		}
		b.questions[q].expect = d
		b.await(q, about)
	}
	return b
}

func recordItem(w *expect.Expectation) Item {
	return Item{What: Record, Domain: w.Domain, Subject: w.Name + " " + w.Type, Host: w.Name, want: w,
		Wanted: fact.Of(w.Wanted(), fact.Says)}
}

func doorItem(d *expect.Expectation) Item {
	i := Item{What: Redirect, Domain: d.Domain, Subject: d.URL, Host: d.Host(), door: d,
		Wanted: fact.Of(d.Wanted(), fact.Says)}
	if d.Kind == expect.Certificate {
		i.What = Certificate
	}
	return i
}

func (b *Board) ask(q question, now time.Time) int {
	n := len(b.questions)
	q.next, q.open = now, len(q.waits)
	for _, other := range q.waits {
		b.questions[other].frees = append(b.questions[other].frees, n)
	}
	b.questions = append(b.questions, q)
	return n
}

func (b *Board) await(question int, i Item) {
	q := &b.questions[question]
	i.Place, i.State = q.place.Place, expect.NotAsked
	switch {
	case i.want == nil:
	case i.Place.Kind == expect.NameServer:
		b.atServers[i.want] = append(b.atServers[i.want], len(b.items))
	case i.Place.Kind == expect.Resolver:
		b.resolving[i.Host] = append(b.resolving[i.Host], len(b.items))
	}
	q.items, b.told = append(q.items, len(b.items)), append(b.told, question)
	q.left++
	b.left++
	b.items = append(b.items, i)
}

// Items gives all that is waited for: records first, by name, then doors. What comes back is not to
// be changed.
func (b *Board) Items() []Item { return b.items }

// Asked says how many questions were asked.
func (b *Board) Asked() int { return b.asked }

// Missing gives what is not there yet: what is overdue or has a cause first, then what takes
// longest.
func (b *Board) Missing(now time.Time) []Item {
	var all []Item
	for _, i := range b.items {
		if i.State != expect.There {
			all = append(all, i)
		}
	}
	rank := func(i *Item) int {
		switch {
		case i.Cause != NoCause || i.Overdue(now):
			return 0
		case i.State == expect.NotAsked:
			return 2
		}
		return 1
	}
	slices.SortStableFunc(all, func(x, y Item) int { return cmp.Compare(rank(&x), rank(&y)) })
	return all
}

// Until says by when everything is there at the latest, going by TTLs; false where that cannot be
// told of some item.
func (b *Board) Until() (time.Time, bool) {
	var last time.Time
	for i := range b.items {
		switch it := &b.items[i]; {
		case it.State == expect.There:
		case it.Until.IsZero():
			return time.Time{}, false
		case it.Until.After(last):
			last = it.Until
		}
	}
	return last, true
}

// Done reports whether everything is there.
func (b *Board) Done() bool { return b.left == 0 }

// Looked reports whether everything that can be asked by now has been asked once.
func (b *Board) Looked() bool {
	return !slices.ContainsFunc(b.questions, func(q question) bool {
		return q.flying || q.queued || q.asked.IsZero() && q.open == 0
	})
}
