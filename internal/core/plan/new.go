package plan

import (
	"cmp"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// New is the way of a domain to a zone of its own: the parent zone knows no such domain, so there is nothing to keep.
type New struct {
	To    []string `json:"to"`    // the name servers that it is to have; empty where nobody says
	Ready bool     `json:"ready"` // every one of them was asked, and says all that the zone needs

	serial uint32
}

// fromNothing gives a zone that nobody has seen the records that it needs; where there is no such zone yet, how it
// comes to be.
func (z *Zone) fromNothing(s sight, required []requirement) {
	why := NobodyLooked
	if s.nowhere != nil {
		why = ZoneIsNew
	}
	for i, n := range required {
		c := Change{
			Step:    i + 1,
			Action:  Add,
			Name:    n.Name,
			Type:    n.Type,
			TTL:     n.TTL,
			Typed:   n.typed,
			TypedAs: n.typedAs,
			Through: through(n),
			Reasons: append([]Reason{{Why: why}}, n.why...),
		}
		for _, v := range n.Values {
			c.After = append(c.After, record.Plain(n.Type, v))
		}
		z.comes = append(z.comes, c)
	}
	if s.nowhere == nil {
		return
	}
	z.New = &New{To: names(s.domain.MovesTo()), Ready: heldAlready(s, required), serial: 1}
	if !s.now.IsZero() {
		z.New.serial = serialOf(s.now)
	}
	z.Next = cmp.Or(s.domain.RecordsAt, s.domain.RecordsFrom, "records of "+z.Name)
	if edge := s.domain.Edge(); edge != nil && slices.Equal(names(edge.NameServers), z.New.To) {
		z.Next = edge.Name
	}
	z.Present = z.Next
}

// serialOf gives the serial of a zone's first day, as RFC 1912 section 2.2 recommends.
func serialOf(now time.Time) uint32 {
	y, m, d := now.UTC().Date()
	return uint32(y*1000000 + int(m)*10000 + d*100 + 1)
}

// heldAlready tells whether every name server that a new zone is to have answers for it, and says all that it needs.
func heldAlready(s sight, required []requirement) bool {
	to := names(s.domain.MovesTo())
	for _, server := range to {
		asked := slices.DeleteFunc(slices.Clone(s.nowhere.Coming), func(c survey.Coming) bool { return c.Name != server })
		for _, c := range asked {
			if c.State != survey.Answers || slices.ContainsFunc(required, func(n requirement) bool {
				set, there := record.Find(c.Records, n.Name, n.Type)
				return !there || !same(n.Type, set.Values, n.Values)
			}) {
				return false
			}
		}
		if len(asked) == 0 {
			return false
		}
	}
	return len(to) > 0
}
