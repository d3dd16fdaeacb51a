// Package act says what is done in a cutover, as data: a change of a record set, an entry on a
// carrier's page, a step, each with its reasons and with what shows that it worked. It decides
// nothing; packages zone, carry and plan make these values, and reports put them into words.
package act

import (
	"slices"
	"time"
)

// ShortLived reports whether a change gives a set a TTL that is raised a day later.
func ShortLived(c *Change) bool { return c.Step > 0 && c.Raise > 0 }

// UntiesMail reports whether a change gives mail, or another service, a way of its own, so that the
// web can move.
func (c *Change) UntiesMail() bool {
	return slices.ContainsFunc(c.Reasons, func(r Reason) bool {
		return slices.Contains([]Why{MailHung, MailWent, MailOwnName, ServiceHung, ServiceOwnName,
			MailAlias, NameFollowed,
			TermFollowed, PinsBoth}, r.Why)
	})
}

// Action says what is to be done with a record set.
type Action string

// The actions.
const (
	Add     Action = "add"
	Replace Action = "replace"
	Remove  Action = "remove"
	Keep    Action = "keep"

	// What is done with TTLs alone, on sheets.
	Lower Action = "lower"
	Raise Action = "raise"
)

// RemovesFirst compares actions: what goes comes before what comes.
func RemovesFirst(a, b Action) int {
	switch {
	case a == b || a != Remove && b != Remove:
		return 0
	case a == Remove:
		return -1
	}
	return 1
}

// Change is a record set to add, replace, remove or keep, with the reasons.
type Change struct {
	Step   int // from 1, in the order in which to make them; 0 for what stays
	Action Action
	Name   string // in full, without its last dot
	Type   string
	TTL    int // as it has to be typed, in seconds; of what stays or goes, as it is
	Raise  int // what the TTL is raised to a day later, in seconds; 0: it stays
	// what leaves a name that moves is changed before it, and waited for: the higher the earlier
	Round   int
	Before  []string
	After   []string
	Through string   // the edge network through which it goes
	Typed   []string // what is typed there instead; nothing where another record of the name brings it
	TypedAs string   // the type of that
	Reasons []Reason
	// of a zone that moves: made at the present name servers, before the zone is copied to the next
	// ones
	Early bool
}

// TTLs, in seconds: of the records that the plan asks for, and of those that change while they do.
const (
	RecordTTL = 3600
	MovingTTL = 300

	UnknownTTL = 86400 // what a TTL is taken for of which only what was left is known
)

// RaiseAfter is how long a changed record keeps its short TTL, so that the way back stays short.
const RaiseAfter = 24 * time.Hour
