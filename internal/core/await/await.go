// Package await waits until the world is as a plan wants it: records at every name server and at resolvers, then
// certificates and redirects at doors. It keeps what was seen of each (the board), decides when whom to ask again, and
// says for how long it can still take, and why it takes longer. It asks by way of an Asker and lives by a Clock, which
// both come from outside.
//
//	b := await.New(wants, doors, places, clock.Now())
//	err := await.Run(ctx, b, asker, clock, func() { draw(b.Items()) })
//	b.Missing() // nothing: all is there
package await

import (
	"cmp"
	"net/netip"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Want is what one name should answer to one type of question.
type Want struct {
	Domain string
	Name   string   // in full, without its last dot
	Type   string   // that is asked for
	Holds  string   // the type of Values: the same, or CNAME where an alias answers for every type
	Values []string // in zone-file form; none: nothing may be there
	Alias  bool     // the provider decides on the values; some have to be there, and none of Before
	Before []string // what was there, as far as a survey saw it
	Lasts  int      // for how long resolvers may keep what was there, or that nothing was, in seconds; 0: not known
}

// Zone is a domain whose records are waited for, and who holds them.
type Zone struct {
	Domain  string
	Servers []string // the names of the name servers that it is to have; nil: those that it has
	Known   []string // those that a survey saw
	Parent  bool     // what the zone above says of it is waited for too
}

// Door is a door that should lead somewhere.
type Door struct {
	URL    web.URL
	Target web.URL
	Domain string // "" for another name of the site
}

// PlaceKind says where it is looked.
type PlaceKind uint8

// The kinds of places.
const (
	NameServer PlaceKind = iota
	Parent               // the name servers of the zone above
	Resolver
	Vantage
)

// Place is somebody who is asked.
type Place struct {
	Kind  PlaceKind
	Name  string         // as people read it, such as "ns1.host.example (192.0.2.1)"
	Host  string         // the name of a name server
	At    netip.AddrPort // where it is asked
	Zones []string       // the domains that a name server, or the zone above, answers for

	round time.Time // when the last round of questions began
	queue []int     // questions of the round that were not asked yet
}

// What says what an item is about.
type What string

// What is waited for.
const (
	Record      What = "record"
	Certificate What = "certificate"
	Redirect    What = "redirect"
)

// State says how far an item is.
type State string

// The states. Only There is the end of the waiting.
const (
	NotAsked State = "not-asked" // it would be too early to ask
	There    State = "new"
	Old      State = "old"
	Nothing  State = "nothing"
	Other    State = "other"  // neither what should be there nor what was
	Unseen   State = "unseen" // nobody answered
)

// Item is one thing that is waited for at one place.
type Item struct {
	What    What
	Domain  string
	Subject string // a URL, or a record set as "NAME TYPE"
	Host    string // the name or host that it is about
	Place   *Place
	State   State
	Says    string    // what is there, in a few words; for Unseen why not
	Wanted  string    // what should be
	Asked   time.Time // when last; the zero time: never
	Until   time.Time // by then at the latest, going by TTLs; the zero time: nobody can tell
	Lasts   int       // for how long the old may be kept once it was changed, in seconds, where Until cannot be told yet
	Cause   Cause     // why it is not there, where that shows
	Why     string    // the cause with its facts
	Fix     string    // what to do about it
	Since   time.Time // since when it is in this state

	want *Want
	due  time.Time // the first Until that was reckoned once everybody who is asked by others had it
}

// Overdue reports whether an item should have been there by a time.
func (i *Item) Overdue(now time.Time) bool {
	return i.State != There && !i.due.IsZero() && now.After(i.due.Add(grace))
}

// Question is what a place is asked: a name and type, or a URL.
type Question struct {
	Place *Place
	Want  *Want // nil: a door
	Door  *Door // nil: a record

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
}

// Answer is what a place says.
type Answer struct {
	Values   []string // of the type that was asked for, in zone-file form
	Alias    string   // what stands there for every type, where that is an alias; with its last dot
	TTL      int      // for how long whoever says so will go on saying so, in seconds; of nothing too
	Unseen   string   // why nobody answered
	Barred   string   // why a resolver takes no answer: signatures that do not hold
	Findings []finding.Finding
	Met      string // of a door: what a visitor meets, in a few words
}

// Board is all that is waited for, and how far it is.
type Board struct {
	Beat time.Duration // how often whoever watches is told that time passes; 0: as it comes

	places    []*Place
	questions []Question
	items     []Item
	left      int              // items that are not There
	atServers map[*Want][]int  // items of a want at its name servers
	resolving map[string][]int // items of a name at resolvers
	turn      int              // whose queue is next
	asked     int
	last      time.Time // when the allowance was reckoned
	allowance float64   // how many questions may go out now
	wakeAt    time.Time // when a round can begin
}

// New makes a board: every want at each name server of its domain and at each resolver, what the zone above says of a
// domain there and at each resolver, every door from the vantage. Resolvers and the vantage are asked about a name only
// once all its name servers, and the zone above, are as they should be: an earlier question would have them remember
// the old answer, or that there is none (RFC 2308). Where a domain has no name server that is asked, they are asked at
// once.
func New(wants []Want, doors []Door, places []*Place, now time.Time) *Board {
	b := &Board{places: places, last: now, allowance: burst, atServers: map[*Want][]int{}, resolving: map[string][]int{}}
	servers, resolvers := map[string][]*Place{}, []*Place{}
	var vantage *Place
	for _, p := range places {
		switch p.Kind {
		case NameServer, Parent:
			for _, z := range p.Zones {
				servers[z] = append(servers[z], p)
			}
		case Resolver:
			resolvers = append(resolvers, p)
		case Vantage:
			vantage = p
		}
	}
	byName, above := map[string][]int{}, map[string][]int{} // the questions that tell it first
	for i := range wants {
		w := &wants[i]
		for _, p := range servers[w.Domain] {
			if (p.Kind == Parent) != w.above() {
				continue
			}
			q := b.ask(Question{Place: p, Want: w, pause: firstPause}, now)
			b.await(q, w.item())
			switch {
			case w.Type == "DS": // with one that fits no key resolvers answer nothing, and say why
			case p.Kind == Parent:
				above[w.Domain] = append(above[w.Domain], q)
			default:
				byName[w.Name] = append(byName[w.Name], q)
			}
		}
	}
	for i := range wants {
		w := &wants[i]
		for _, p := range resolvers {
			if w.Type == "DS" {
				continue // what they keep of it harms nobody once it is gone above
			}
			waits := slices.Concat(byName[w.Name], above[w.Domain])
			q := b.ask(Question{Place: p, Want: w, pause: firstPause, waits: waits}, now)
			about := w.item()
			about.Lasts = w.Lasts
			b.await(q, about)
		}
	}
	for i := range doors {
		d := &doors[i]
		if vantage == nil {
			break
		}
		host := d.URL.Host().String()
		waits := slices.Concat(byName[host], above[d.Domain])
		q := b.ask(Question{Place: vantage, Door: d, pause: doorPause, waits: waits}, now)
		about := Item{Domain: d.Domain, Subject: d.URL.String(), Host: host}
		if d.URL.Scheme() == web.HTTPS {
			about.What, about.Wanted = Certificate, "a certificate for "+host
			b.await(q, about)
		}
		about.What, about.Wanted = Redirect, d.Target.String()
		if d.Target == d.URL {
			about.Wanted = "the page itself"
		}
		b.await(q, about)
	}
	return b
}

// above reports whether a want is about what the zone above says.
func (w *Want) above() bool { return w.Name == w.Domain && (w.Type == "NS" || w.Type == "DS") }

func (w *Want) item() Item {
	return Item{What: Record, Domain: w.Domain, Subject: w.Name + " " + w.Type, Host: w.Name, want: w, Wanted: w.wanted()}
}

func (b *Board) ask(q Question, now time.Time) int {
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
	i.Place, i.State = q.Place, NotAsked
	switch {
	case i.want == nil:
	case i.Place.Kind == NameServer:
		b.atServers[i.want] = append(b.atServers[i.want], len(b.items))
	case i.Place.Kind == Resolver:
		b.resolving[i.Host] = append(b.resolving[i.Host], len(b.items))
	}
	q.items = append(q.items, len(b.items))
	q.left++
	b.left++
	b.items = append(b.items, i)
}

// Items gives all that is waited for: records first, by name, then doors. What comes back is not to be changed.
func (b *Board) Items() []Item { return b.items }

// Asked says how many questions were asked.
func (b *Board) Asked() int { return b.asked }

// Missing gives what is not there yet: what is overdue or has a cause first, then what takes longest.
func (b *Board) Missing(now time.Time) []Item {
	var all []Item
	for _, i := range b.items {
		if i.State != There {
			all = append(all, i)
		}
	}
	rank := func(i *Item) int {
		switch {
		case i.Cause != NoCause || i.Overdue(now):
			return 0
		case i.State == NotAsked:
			return 2
		}
		return 1
	}
	slices.SortStableFunc(all, func(x, y Item) int { return cmp.Compare(rank(&x), rank(&y)) })
	return all
}

// Until says by when everything is there at the latest, going by TTLs; false where that cannot be told of some item.
func (b *Board) Until() (time.Time, bool) {
	var last time.Time
	for i := range b.items {
		switch it := &b.items[i]; {
		case it.State == There:
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
	return !slices.ContainsFunc(b.questions, func(q Question) bool {
		return q.flying || q.queued || q.asked.IsZero() && q.open == 0
	})
}

func (w *Want) wanted() string {
	switch {
	case w.Alias:
		return "the addresses of " + first(w.Values)
	case len(w.Values) == 0:
		return "nothing"
	case w.Holds != w.Type:
		return w.Holds + " " + few(w.Values)
	}
	return few(w.Values)
}
