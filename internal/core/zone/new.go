package zone

import (
	"cmp"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// fromNothing gives a zone that nobody has seen the records that it needs; where there is no such
// zone yet, how it comes to be.
func (z *Zone) fromNothing(s Sight, required []requirement) {
	why := act.NobodyLooked
	if s.nowhere != nil {
		why = act.ZoneIsNew
	}
	for i, n := range required {
		c := act.Change{
			Step:    i + 1,
			Action:  act.Add,
			Name:    n.Name,
			Type:    n.Type,
			TTL:     n.TTL,
			Typed:   n.typed,
			TypedAs: n.typedAs,
			Through: through(n),
			Reasons: append([]act.Reason{{Why: why}}, n.why...),
		}
		for _, v := range n.Values {
			c.After = append(c.After, record.Plain(n.Type, v))
		}
		z.Comes = append(z.Comes, c)
	}
	if s.nowhere == nil {
		return
	}
	z.New = &New{To: web.Names(s.domain.MovesTo()), Ready: heldAlready(s, required), Serial: 1}
	if !s.now.IsZero() {
		z.New.Serial = serialOf(s.now)
	}
	z.Next = cmp.Or(s.domain.RecordsAt, s.domain.RecordsFrom, "records of "+z.Name)
	if edge := s.domain.Edge(); edge != nil && slices.Equal(web.Names(edge.NameServers), z.New.To) {
		z.Next = edge.Name
	}
	z.Present = z.Next
}

// serialOf gives the serial of a zone's first day, as RFC 1912 section 2.2 recommends.
func serialOf(now time.Time) uint32 {
	y, m, d := now.UTC().Date()
	return uint32(y*1000000 + int(m)*10000 + d*100 + 1)
}

// heldAlready reports whether every name server that a new zone is to have answers for it, and says
// all that it needs.
func heldAlready(s Sight, required []requirement) bool {
	to := web.Names(s.domain.MovesTo())
	for _, server := range to {
		asked := slices.DeleteFunc(slices.Clone(s.nowhere.Coming), func(c survey.Coming) bool {
			return c.Name != server
		})
		for _, c := range asked {
			if c.State != survey.Answers || slices.ContainsFunc(required, func(n requirement) bool {
				set, there := record.Find(c.Records, n.Name, n.Type)
				return !there || !record.SameMeaning(n.Type, set.Values, n.Values)
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
