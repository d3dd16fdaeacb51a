package send

import (
	"context"
	"errors"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
)

// Place is where a zone is kept.
type Place interface {
	// Read gives the sets of a zone with these keys that are there. An error: nobody knows.
	Read(ctx context.Context, zone string, keys []record.Key) ([]record.Set, error)
	// Change changes sets, whole or not at all, each from what it is Before. A nil error says that
	// the place took it, a *Refused that it did not, with what it said, a *NotSent that it does not
	// know of it; any other that nobody knows.
	Change(ctx context.Context, t Transfer) (answer string, err error)
}

// Refused says that a place took nothing.
type Refused struct {
	Says    string
	Changed bool // since the zone is not as it has to be before
}

func (r *Refused) Error() string { return r.Says }

// NotSent says that nothing reached a place.
type NotSent struct{ Why string }

func (n *NotSent) Error() string { return n.Why }

// Outcome says what came of sending a transfer.
type Outcome string

// The outcomes.
const (
	Begun    Outcome = "begun"    // it was about to be sent
	Sent     Outcome = "sent"     // it stands there
	Already  Outcome = "already"  // it stood there before; nothing was sent
	Changed  Outcome = "changed"  // the zone has changed since; nothing was sent, or taken
	NotTaken Outcome = "refused"  // the place refused it, and all is as it was
	Halfway  Outcome = "half-way" // some of it stands there
	Unknown  Outcome = "unknown"  // nobody answers what stands there
	Unread   Outcome = "unread"   // nobody answered what stands there; nothing was sent
)

// Good reports whether what was to stand there does.
func (o Outcome) Good() bool { return o == Sent || o == Already }

// Entry is what was sent to one zone, as it is kept.
type Entry struct {
	ID      int64     `json:"id,omitempty"`
	Began   time.Time `json:"began"`
	Ended   time.Time `json:"ended,omitzero"`
	By      string    `json:"by,omitempty"`
	Scope   string    `json:"scope,omitempty"`
	Step    int       `json:"step"`
	Key     string    `json:"key"` // of the step
	Says    string    `json:"says"`
	Undo    bool      `json:"undo,omitempty"` // it took the step back
	Place   string    `json:"place"`
	How     string    `json:"how"` // update, program or file
	To      string    `json:"to"`  // the server, program or file
	Zone    string    `json:"zone"`
	Outcome Outcome   `json:"outcome"`
	Answer  string    `json:"answer,omitempty"`
	// what was sent: of each set what was there before, and what is to be there
	Changes []record.Change `json:"changes"`
	Others  []Other         `json:"others,omitempty"` // sets that somebody else has changed
	TTLs    []Other         `json:"ttls,omitempty"`   // sets that the place gave another TTL
}

// Check reports whether an entry that was kept can be one of this program.
func (e *Entry) Check() error {
	switch e.Outcome {
	case Begun, Sent, Already, Changed, NotTaken, Halfway, Unknown, Unread:
	default:
		return fact.Err(fact.SentOutcome{Outcome: string(e.Outcome)})
	}
	if e.Zone == "" || e.Step < 1 {
		return fact.Err(fact.SentNowhere{})
	}
	for _, c := range e.Changes {
		if c.Name == "" || c.Type == "" || c.Before == nil && c.After == nil {
			return fact.Err(fact.SentNowhere{})
		}
	}
	return nil
}

// Transfer gives what an entry sent.
func (e *Entry) Transfer() Transfer { return Transfer{e.Zone, e.Changes} }

// Clock tells the time, and lets it pass.
type Clock interface {
	Now() time.Time
	Sleep(ctx context.Context, d time.Duration)
}

// How often a place that does not answer is asked again what stands there, and the pause between.
const (
	readAgain = 3
	readPause = 2 * time.Second
)

// Carry carries a transfer to its place, and gives the entry with what came of it. keep keeps the
// entry: before anything is sent, and once it is known what came of it. Where it fails the first
// time nothing is sent, and its error comes back. The end of the context ends what only reads; what
// is sent is waited for.
func Carry(ctx context.Context, p Place, clock Clock, e Entry, t Transfer,
	keep func(*Entry) error) (Entry, error) {
	e.Began, e.Zone, e.Changes = clock.Now(), t.Zone, t.Changes
	sets, err := p.Read(ctx, t.Zone, t.Keys())
	if err != nil {
		e.Outcome, e.Answer, e.Ended = Unread, err.Error(), clock.Now()
		return e, ctx.Err()
	}
	standing := t.Compare(sets)
	switch {
	case len(standing.Others) > 0:
		e.Outcome, e.Others, e.Ended = Changed, standing.Others, clock.Now()
		return e, nil
	case len(standing.Open) == 0:
		e.Outcome, e.TTLs, e.Ended = Already, standing.TTLs, clock.Now()
		return e, nil
	}
	e.Changes, e.Outcome = standing.Open, Begun
	if err := keep(&e); err != nil {
		return e, err
	}
	sent := e.Transfer()
	ctx = context.WithoutCancel(ctx)
	answer, err := p.Change(ctx, sent)
	var refused *Refused
	if e.Answer = answer; err != nil {
		e.Answer = err.Error()
	}
	errors.As(err, &refused)
	var not *NotSent
	if errors.As(err, &not) {
		e.Outcome, e.Ended = NotTaken, clock.Now()
		return e, keep(&e)
	}
	e.Outcome, e.Others, e.TTLs = outcome(ctx, p, clock, sent, err, refused)
	e.Ended = clock.Now()
	return e, keep(&e)
}

// outcome finds out what stands at a place once something was sent.
func outcome(ctx context.Context, p Place, clock Clock, sent Transfer, err error,
	refused *Refused) (Outcome, []Other, []Other) {
	var standing Standing
	for again := range readAgain {
		sets, readErr := p.Read(ctx, sent.Zone, sent.Keys())
		if readErr != nil {
			clock.Sleep(ctx, readPause)
			if again == readAgain-1 {
				return Unknown, nil, nil
			}
			continue
		}
		standing = sent.Compare(sets)
		// what a place took, it may show a moment later
		if err != nil || len(standing.Open) == 0 || again == readAgain-1 {
			break
		}
		clock.Sleep(ctx, readPause)
	}
	whole := len(standing.Done) == len(sent.Changes)
	switch {
	case whole:
		return Sent, nil, standing.TTLs
	case refused != nil && refused.Changed:
		return Changed, othersOf(standing), nil
	case len(standing.Others) > 0 || len(standing.Done) > 0:
		return Halfway, othersOf(standing), nil
	}
	return NotTaken, nil, nil // whatever it said
}

// othersOf gives the sets that are not as they are to be, with what was found.
func othersOf(s Standing) []Other {
	all := slices.Clone(s.Others)
	for _, c := range s.Open {
		all = append(all, Other{c, c.Before})
	}
	return all
}

// FindOut asks a place what came of an entry of which nobody knows it, and reports whether it is
// known now.
func (e *Entry) FindOut(ctx context.Context, p Place, now time.Time) bool {
	t := e.Transfer()
	sets, err := p.Read(ctx, t.Zone, t.Keys())
	if err != nil {
		return false
	}
	switch s := t.Compare(sets); {
	case len(s.Done) == len(t.Changes):
		e.Outcome, e.TTLs = Sent, s.TTLs
	case len(s.Open) == len(t.Changes):
		e.Outcome = NotTaken
	default:
		e.Outcome, e.Others = Halfway, othersOf(s)
	}
	e.Ended = now
	return true
}

// LastSent gives, of what was kept, what is to be taken back of a step: the last that was sent of
// each zone since the step was taken back last. What is unknown counts: it may stand there.
func LastSent(kept []Entry, scope, key string) []Entry {
	byZone := map[string][]Entry{}
	var zones []string
	for _, e := range kept { // the oldest first
		if e.Key != key || e.Scope != scope {
			continue
		}
		switch e.Outcome {
		case Sent, Begun, Unknown, Halfway:
		default:
			continue
		}
		if byZone[e.Zone] == nil {
			zones = append(zones, e.Zone)
		}
		if e.Undo {
			byZone[e.Zone] = []Entry{}
			continue
		}
		byZone[e.Zone] = append(byZone[e.Zone], e)
	}
	var all []Entry
	for _, zone := range zones {
		if sent := byZone[zone]; len(sent) > 0 {
			all = append(all, joined(sent))
		}
	}
	return all
}

// joined makes one entry of several that were sent to a zone in one step, one after the other: of
// each set what it was before the first, and is to be after the last.
func joined(sent []Entry) Entry {
	e := sent[len(sent)-1]
	var all []record.Change
	for _, s := range sent {
		for _, c := range s.Changes {
			at := slices.IndexFunc(all, func(o record.Change) bool {
				return o.Name == c.Name && o.Type == c.Type
			})
			if at < 0 {
				all = append(all, c)
				continue
			}
			all[at], _ = changeOf(record.Key{Name: c.Name, Type: c.Type}, all[at].Before, c.After)
		}
	}
	sortChanges(all)
	e.Changes = all
	return e
}

// Why says in facts why a transfer did not go through.
func (e *Entry) Why() fact.Facts {
	switch e.Outcome {
	case Unread:
		return fact.SendUnread{Zone: e.Zone, To: e.To, Why: e.Answer}
	case Changed:
		return fact.SendChanged{Zone: e.Zone, Sets: len(e.Others)}
	case NotTaken:
		return fact.SendRefused{Zone: e.Zone, To: e.To, Answer: e.Answer}
	case Halfway:
		return fact.SendHalfway{Zone: e.Zone, To: e.To, Sets: len(e.Others)}
	case Unknown, Begun:
		return fact.SendUnknown{Zone: e.Zone, To: e.To, Why: e.Answer}
	}
	return nil
}
