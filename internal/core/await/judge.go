package await

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/wording"
)

// read says how far a want is by an answer, and what is there in a few words.
func (w *Want) read(a Answer) (State, string) {
	values, holds := a.Values, w.Type
	if a.Alias != "" && w.Type != "CNAME" {
		values, holds = []string{a.Alias}, "CNAME"
	}
	says := few(values)
	if holds != w.Type && len(values) > 0 {
		says = holds + " " + says
	}
	if len(values) == 0 {
		says = "nothing"
	}
	old := func(v string) bool { return slices.ContainsFunc(w.Before, func(o string) bool { return same(o, v) }) }
	switch {
	case w.Alias:
		switch {
		case len(values) == 0:
			return Nothing, says
		case slices.ContainsFunc(values, old):
			return Old, says
		}
		return There, says
	case len(w.Values) == 0 && len(values) == 0:
		return There, says
	case len(w.Values) == 0 && holds != w.Type && w.Holds == w.Type:
		// Nothing of this type may be there. An alias answers for every type, and another item waits for it to go.
		return either(slices.ContainsFunc(values, old) || len(w.Before) == 0, Old, Other), says
	case len(values) == 0:
		return Nothing, says
	case holds == w.Holds && sameValues(values, w.Values):
		return There, says
	case len(w.Before) > 0 && len(values) > 0 && !slices.ContainsFunc(values, func(v string) bool { return !old(v) }):
		return Old, says
	}
	return Other, says
}

func either[T any](is bool, yes, no T) T {
	if is {
		return yes
	}
	return no
}

// same compares values as servers may write them: names in either case.
func same(a, b string) bool { return a == b || strings.EqualFold(a, b) && !strings.Contains(a, `"`) }

func sameValues(a, b []string) bool {
	lower := func(all []string) []string {
		made := slices.Clone(all)
		for i, v := range made {
			if !strings.Contains(v, `"`) {
				made[i] = strings.ToLower(v)
			}
		}
		return made
	}
	return record.SameValues(lower(a), lower(b))
}

// more gives the values that stand there beside all that should.
func (w *Want) more(values []string) []string {
	if len(w.Values) == 0 || len(values) <= len(w.Values) {
		return nil
	}
	for _, v := range w.Values {
		if !slices.ContainsFunc(values, func(o string) bool { return same(o, v) }) {
			return nil
		}
	}
	return slices.DeleteFunc(slices.Clone(values), func(o string) bool {
		return slices.ContainsFunc(w.Values, func(v string) bool { return same(o, v) })
	})
}

// take puts an answer on the board, and says which items changed their state.
func (b *Board) take(question int, a Answer, now time.Time) (changed []int) {
	q := &b.questions[question]
	settled := b.settled(q)
	q.flying, q.asked = false, now
	for _, at := range q.items {
		it := &b.items[at]
		before := it.State
		it.Asked, it.Until, it.Cause, it.Why, it.Fix = now, time.Time{}, NoCause, "", ""
		switch {
		case a.Barred != "":
			it.State, it.Says = Nothing, "no answer that it takes"
			it.because(BadSignatures, a.Barred)
		case a.Unseen != "":
			it.State, it.Says = Unseen, a.Unseen
		case q.Want != nil:
			b.takeRecord(q, it, a, now)
		default:
			b.takeDoor(q, it, a, now)
		}
		if it.State != before {
			it.Since = now
			changed = append(changed, at)
		}
		if is, was := it.State == There, before == There; is != was {
			q.left, b.left = q.left+either(is, -1, 1), b.left+either(is, -1, 1)
		}
	}
	b.schedule(q, a, now)
	if q.left > 0 && q.open == 0 {
		b.wakeBy(q, now)
	}
	b.free(q, settled, b.settled(q), now)
	return changed
}

func (b *Board) takeRecord(q *Question, it *Item, a Answer, now time.Time) {
	it.State, it.Says = q.Want.read(a)
	if it.State == There {
		it.due = time.Time{}
		return
	}
	if more := q.Want.more(a.Values); len(more) > 0 {
		it.because(LeftBeside, fmt.Sprintf("%s has %s beside what should be there.", it.Subject, few(more)))
	}
	switch q.Place.Kind {
	case Resolver:
		it.Until = now.Add(time.Duration(a.TTL) * time.Second)
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
			it.because(KeepsLonger, fmt.Sprintf("%s still gives %s, %s after its TTL was over.", it.Place.Name, it.Says,
				wording.Span(now.Sub(it.due))))
		}
	case NameServer:
		if since := b.firstThere(it); !since.IsZero() && it.due.IsZero() {
			it.due = since.Add(transferTime)
		}
		if it.Overdue(now) && it.Cause == NoCause {
			it.because(NotTransferred, fmt.Sprintf("%s still gives %s, though another name server of %s gives the new.",
				it.Place.Name, it.Says, it.Domain))
		}
	case Parent, Vantage:
	}
}

// lagging gives the name servers of a want that do not have it.
func (b *Board) lagging(q *Question) []string {
	var all []string
	for _, n := range q.waits {
		other := &b.questions[n]
		if other.Place.Kind == NameServer && other.Want.Type != q.Want.Type {
			continue
		}
		for _, at := range other.items {
			if s := b.items[at].State; s != There && s != Unseen {
				all = append(all, other.Place.Name)
			}
		}
	}
	return all
}

// firstThere says since when one of the name servers has what this one lacks; the zero time: none has.
func (b *Board) firstThere(it *Item) time.Time {
	var first time.Time
	for _, at := range b.atServers[it.want] {
		if o := &b.items[at]; o.State == There && (first.IsZero() || o.Since.Before(first)) {
			first = o.Since
		}
	}
	return first
}

// takeDoor reads what a door does. What keeps it from showing a certificate speaks against both, what comes later
// against the redirect alone.
func (b *Board) takeDoor(q *Question, it *Item, a Answer, now time.Time) {
	it.State, it.Says = There, a.Met
	var worst *finding.Finding
	for i := range a.Findings {
		f := &a.Findings[i]
		if f.Severity != finding.Error {
			continue
		}
		about := f.Code.Row().About
		first := f.Hop != nil && *f.Hop == 0
		counts := first && (about == "certificate" || about == "reaching")
		if it.What == Redirect { // behind a warning the redirect may be as it should
			counts = !(first && about == "certificate")
		}
		if counts && (worst == nil || worst.Cause == finding.NoCause && f.Cause != finding.NoCause) {
			worst = f
		}
	}
	if worst == nil {
		if it.due = (time.Time{}); it.What == Certificate {
			it.Says = "a certificate that browsers take"
		}
		return
	}
	it.State, it.Says = Other, worst.Says
	if it.What == Certificate {
		it.Says = wording.LowerFirst(worst.Says)
	}
	switch {
	case worst.Code.Row().About == "reaching":
		it.State = Nothing
	case worst.Cause == finding.PreviousCarrier:
		it.State = Old
	}
	if worst.Cause != finding.NoCause {
		it.Cause, it.Why, it.Fix = cause(worst.Cause.String()), worst.Why, worst.Fix
	}
	if b.resolved(it.Host) { // the address may be the old one, for as long as the resolver keeps it
		return
	}
	if it.State == Old || it.State == Nothing {
		it.Until = now.Add(time.Duration(a.TTL) * time.Second)
	}
}

// resolved reports whether every resolver has the records of a host.
func (b *Board) resolved(host string) bool {
	all := b.resolving[host]
	return len(all) > 0 && !slices.ContainsFunc(all, func(at int) bool { return b.items[at].State != There })
}

func first(values []string) string {
	if len(values) == 0 {
		return ""
	}
	return strings.TrimSuffix(values[0], ".")
}

func few(values []string) string { return wording.Few(values, 3) }
