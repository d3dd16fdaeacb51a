package expect

import (
	"slices"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// State says how what is there compares with what has to be.
type State string

// The states. Only There is as it has to be.
const (
	NotAsked State = "not-asked"
	There    State = "new"
	Old      State = "old" // what was there before
	Nothing  State = "nothing"
	Other    State = "other"  // neither what has to be there nor what was
	Unseen   State = "unseen" // nobody answered
)

// Seen is what came of looking.
type Seen struct {
	State  State
	Values []string          // what is there, in zone-file form
	Type   string            // of these: CNAME where an alias stands there for every type
	TTL    int               // of these, in seconds
	Why    string            // of Unseen
	Faults []finding.Finding // of a door: what speaks against it, in their order
}

// Judge says what an answer means. What nobody answered is Unseen, never anything else.
func (e *Expectation) Judge(a Answer) Seen {
	switch {
	case a.Unseen != "":
		return Seen{State: Unseen, Why: a.Unseen}
	case e.AtDoor():
		return e.judgeDoor(a)
	}
	s := Seen{Values: a.Values, Type: e.asksFor(), TTL: a.TTL}
	if a.Alias != "" && e.Holds != "" && e.Type != "CNAME" {
		s.Values, s.Type = []string{a.Alias}, "CNAME"
	}
	switch e.Kind {
	case TTLAtMost, TTLAtLeast:
		s.State = e.judgeTTL(s)
	case Zone:
		s.State = either(len(s.Values) > 0, There, Nothing)
	case NoDS:
		s.State = either(len(s.Values) == 0, There, Other)
	default:
		s.State = e.judgeValues(s)
	}
	return s
}

// asksFor gives the record type that is asked for.
func (e *Expectation) asksFor() string {
	switch e.Kind {
	case Zone:
		return "SOA"
	case Delegation:
		return "NS"
	case NoDS:
		return "DS"
	}
	return e.Type
}

// judgeValues compares records. What stands there beside what should is something other, and so is
// a part of it.
func (e *Expectation) judgeValues(s Seen) State {
	old := func(v string) bool {
		return slices.ContainsFunc(e.Not, func(o string) bool { return same(s.Type, o, v) })
	}
	switch {
	case e.Alias:
		switch {
		case len(s.Values) == 0:
			return Nothing
		case slices.ContainsFunc(s.Values, old):
			return Old
		}
		return There
	case len(e.Values) == 0 && len(s.Values) == 0:
		return There
	case len(e.Values) == 0 && s.Type != e.Type && e.Holds == e.Type:
		// Nothing of this type may be there. An alias answers for every type, and somebody else waits for
		// it to go.
		return either(slices.ContainsFunc(s.Values, old) || len(e.Not) == 0, Old, Other)
	case len(s.Values) == 0:
		return Nothing
	case (e.Holds == "" || s.Type == e.Holds) && sameValues(s.Type, s.Values, e.Values):
		return There
	case len(e.Not) > 0 && !slices.ContainsFunc(s.Values, func(v string) bool { return !old(v) }):
		return Old
	}
	return Other
}

func (e *Expectation) judgeTTL(s Seen) State {
	switch {
	case len(s.Values) == 0:
		return Nothing
	case e.Kind == TTLAtMost && s.TTL > e.TTL, e.Kind == TTLAtLeast && s.TTL < e.TTL:
		return Other
	}
	return There
}

// judgeDoor reads what a visitor meets. Where a redirect leads is as unseen as its last answer.
func (e *Expectation) judgeDoor(a Answer) Seen {
	s := Seen{State: There}
	for _, f := range a.Findings {
		bad := f.Severity == finding.Error ||
			e.Strict && f.Severity == finding.Warning && f.Code.Row().About != "content"
		if bad && f.Open() && e.counts(f) {
			s.Faults = append(s.Faults, f)
		}
	}
	switch {
	case len(s.Faults) > 0:
		s.State = Other
	case e.Kind != Certificate && a.EndUnseen != "":
		s.State, s.Why = Unseen, a.EndUnseen
	}
	return s
}

// counts reports whether a finding speaks against what is expected: against a certificate, what
// keeps its door from showing one, wherever the door leads; against a redirect, all but that
// certificate, since behind a warning it may be as it should.
func (e *Expectation) counts(f finding.Finding) bool {
	first, about := f.Hop != nil && *f.Hop == 0, f.Code.Row().About
	switch e.Kind {
	case Certificate:
		return first && (about == "certificate" || about == "reaching")
	case Redirect:
		return !(first && about == "certificate")
	}
	return true
}

// More gives the values that stand there beside all that should.
func (e *Expectation) More(values []string) []string {
	if len(e.Values) == 0 || len(values) <= len(e.Values) {
		return nil
	}
	for _, v := range e.Values {
		if !slices.ContainsFunc(values, func(o string) bool { return same(e.asksFor(), o, v) }) {
			return nil
		}
	}
	return slices.DeleteFunc(slices.Clone(values), func(o string) bool {
		return slices.ContainsFunc(e.Values, func(v string) bool { return same(e.asksFor(), o, v) })
	})
}

// same compares values as servers may write them.
func same(kind, a, b string) bool { return record.Fold(kind, a) == record.Fold(kind, b) }

func sameValues(kind string, a, b []string) bool {
	each := func(all []string) []string {
		made := make([]string, len(all))
		for i, v := range all {
			made[i] = record.Fold(kind, v)
		}
		return made
	}
	return record.SameValues(each(a), each(b))
}

func either[T any](is bool, yes, no T) T {
	if is {
		return yes
	}
	return no
}
