package await

import (
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// take puts an answer on the board, and says which items changed their state.
func (b *Board) take(question int, a expect.Answer, now time.Time) (changed []int) {
	q := &b.questions[question]
	q.flying, q.asked, q.faulty = false, now, a.Fault != ""
	for _, at := range q.items {
		it := &b.items[at]
		before := it.State
		it.Asked, it.Until, it.Cause = now, time.Time{}, NoCause
		it.Why, it.Fix = fact.Sentence{}, fact.Sentence{}
		switch {
		case a.Barred != "":
			it.State, it.Says = expect.Nothing, fact.Of(fact.NoAnswerTaken{}, fact.Says)
			it.because(BadSignatures, fact.BarredAnswer{Why: a.Barred})
		case a.Unseen != "":
			it.State, it.Says = expect.Unseen, fact.Plain(a.Unseen)
			switch {
			case a.Above != "":
				it.because(NotDelegated, fact.NotDelegated{Domain: it.Domain, Above: a.Above})
			case a.Fault != "":
				it.because(NotServed, fact.NotServed{Place: it.Place.Name, Domain: it.Domain, Code: a.Fault})
			}
		case it.want != nil:
			b.takeRecord(q, it, a, now)
		default:
			b.takeDoor(it, a, now)
		}
		if it.State != before {
			it.Since = now
			changed = append(changed, at)
			if it.State == expect.There && it.want != nil { // who lacks it is behind
				for _, other := range b.atServers[it.want] {
					b.behind(&b.items[other], now)
				}
			}
		}
		if is, was := it.State == expect.There, before == expect.There; is != was {
			more := 1
			if is {
				more = -1
			}
			q.left, b.left = q.left+more, b.left+more
		}
	}
	b.schedule(q, a, now)
	if q.left > 0 && q.open == 0 {
		b.wakeBy(q, now)
	}
	b.settle(q, now)
	return changed
}

func (b *Board) takeRecord(q *question, it *Item, a expect.Answer, now time.Time) {
	seen := it.want.Judge(a)
	it.State, it.Says = seen.State, fact.Of(it.want.Found(seen), fact.Says)
	if it.State == expect.There {
		it.due = time.Time{}
		return
	}
	if more := it.want.More(a.Values); len(more) > 0 {
		it.because(LeftBeside, fact.StandsBeside{Subject: it.Subject, More: more})
	} else if typed, meant, is := it.want.Slip(seen.Values); is && seen.State == expect.Other {
		it.because(Mistyped, fact.Slipped{Subject: it.Subject, Typed: typed, Meant: meant})
	}
	switch q.place.Kind {
	case expect.Resolver:
		if it.Until = (time.Time{}); a.TTL > 0 { // else it says of nothing for how long
			it.Until = now.Add(time.Duration(a.TTL) * time.Second)
		}
		lagging := b.lagging(q)
		if len(lagging) > 0 { // it may be told the old once more
			it.Until = time.Time{}
			it.Lasts = max(it.Lasts, a.TTL)
			return
		}
		if it.due.IsZero() {
			it.due = it.Until
		}
		if it.Overdue(now) && it.Cause == NoCause {
			it.because(KeepsLonger, fact.GivesLonger{Place: it.Place.Name, Values: it.Says.Facts(),
				Over: now.Sub(it.due)})
		}
	case expect.NameServer:
		b.behind(it, now)
	case expect.Parent, expect.Vantage:
	}
}

// lagging gives the name servers of a want that do not have it.
func (b *Board) lagging(q *question) []string {
	var all []string
	for _, n := range q.waits {
		other := &b.questions[n]
		if other.place.Kind == expect.NameServer && other.expect.Type != q.expect.Type {
			continue
		}
		for _, at := range other.items {
			if s := b.items[at].State; s != expect.There && s != expect.Unseen {
				all = append(all, other.place.Name)
			}
		}
	}
	return all
}

// behind says that a name server lacks what another one has: that shows as soon as both were asked.
func (b *Board) behind(it *Item, now time.Time) {
	since, has := b.firstThere(it)
	if since.IsZero() || it.State == expect.There || it.State == expect.Unseen || it.Asked.IsZero() {
		return
	}
	if it.due.IsZero() {
		it.due = since.Add(transferTime)
	}
	switch {
	case it.Cause != NoCause && it.Cause != NotTransferred:
	case it.Overdue(now):
		it.because(NotTransferred, fact.GivesOld{Place: it.Place.Name, Values: it.Says.Facts(),
			Domain: it.Domain})
	default:
		it.because(NotTransferred, fact.NotTakenYet{Place: it.Place.Name, Values: it.Says.Facts(),
			Has: has, Domain: it.Domain})
	}
}

// firstThere says since when one of the name servers has what this one lacks; the zero time: none
// has.
func (b *Board) firstThere(it *Item) (first time.Time, has string) {
	for _, at := range b.atServers[it.want] {
		if o := &b.items[at]; o.State == expect.There && (first.IsZero() || o.Since.Before(first)) {
			first, has = o.Since, o.Place.Name
		}
	}
	return first, has
}

// takeDoor reads what a door does, and names the fault that has a cause, or else the first.
func (b *Board) takeDoor(it *Item, a expect.Answer, now time.Time) {
	seen := it.door.Judge(a)
	it.State, it.Says = seen.State, fact.Plain(a.Met)
	if seen.State == expect.Unseen {
		it.Says = fact.Plain(seen.Why)
		return
	}
	for _, at := range b.resolving[it.Host] { // that says why there is nothing
		if o := &b.items[at]; o.Cause == NotDelegated && len(seen.Faults) > 0 {
			it.State, it.Says, it.Cause, it.Why, it.Fix = expect.Unseen, o.Says, o.Cause, o.Why, o.Fix
			return
		}
	}
	if len(seen.Faults) == 0 {
		if it.due = (time.Time{}); it.What == Certificate {
			it.Says = fact.Of(fact.GoodCertificate{}, fact.Says)
		}
		return
	}
	worst := &seen.Faults[0]
	for i := range seen.Faults {
		if f := &seen.Faults[i]; worst.Cause == finding.NoCause && f.Cause != finding.NoCause {
			worst = f
		}
	}
	it.Says = worst.Says
	switch {
	case worst.Code.Row().About == "reaching":
		it.State = expect.Nothing
	case worst.Cause == finding.PreviousCarrier:
		it.State = expect.Old
	}
	if worst.Cause != finding.NoCause {
		it.Cause, it.Why, it.Fix = cause(worst.Cause.String()), worst.Why, worst.Fix
	}
	if b.resolved(it.Host) { // the address may be the old one, for as long as the resolver keeps it
		return
	}
	if (it.State == expect.Old || it.State == expect.Nothing) && a.TTL > 0 {
		it.Until = now.Add(time.Duration(a.TTL) * time.Second)
	}
}

// resolved reports whether every resolver has the records of a host.
func (b *Board) resolved(host string) bool {
	all := b.resolving[host]
	return len(all) > 0 &&
		!slices.ContainsFunc(all, func(at int) bool { return b.items[at].State != expect.There })
}
