package chain

import (
	"slices"

	"upperpath.example/upperpath/internal/core/finding"
)

// Front gives what stands in front of everything that nobody can see of a chain: a refusal, a
// certificate that stops visitors, a circle, a wrong page. hop is where it stands; ok is false
// where nothing does, so that what was not found of the chain is not there.
func (c *Chain) Front() (code finding.Code, hop int, ok bool) {
	last := len(c.Hops) - 1
	for _, f := range c.Findings {
		if f.Code.Row().Hides && f.Severity != finding.Note {
			at := last
			if f.Hop != nil {
				at = *f.Hop
			}
			if !ok || at < hop {
				code, hop, ok = f.Code, at, true
			}
		}
	}
	if ok {
		return code, hop, true
	}
	end := &c.Hops[last]
	switch {
	case end.Refusal != "":
		code, _ = finding.Named(string(end.Refusal))
		if code == 0 {
			code = finding.NoAddress
		}
	case c.StoppedAt != nil:
		code, last = finding.Untrusted, *c.StoppedAt
	case c.End == Loop:
		code = finding.Loop
	case c.End == Limit:
		code = finding.TooManyHops
	case c.End == BadLocation:
		code = finding.BadLocation
	case end.TurnsAway():
		code = finding.TurnedAway
	case end.Status >= 500:
		code = finding.DeadEnd
	default:
		return 0, 0, false
	}
	return code, last, true
}

// Sound reports whether an answer came as visitors get it: over a connection that holds, and not
// behind a warning.
func (c *Chain) Sound(hop int) bool {
	a := &c.Hops[hop]
	for i := range c.Hops[:hop+1] { // what robots are told is not judged
		if t := c.Hops[i].TLS; t != nil && (t.Refused || slices.ContainsFunc(t.Faults,
			func(f finding.Code) bool { return f.Row().Severity == finding.Error })) {
			return false
		}
	}
	return a.Refusal == "" && a.Remembered == "" && (c.StoppedAt == nil || hop < *c.StoppedAt) &&
		!a.TurnsAway() && a.Status < 500
}
