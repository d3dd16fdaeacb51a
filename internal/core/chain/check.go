package chain

import (
	"errors"
	"fmt"
	"slices"
)

// Check tells what is wrong with an audit that was read from somewhere: everything that reads
// audits takes for granted that nothing is.
func (a *Audit) Check() error {
	if a.Schema != AuditSchema {
		return fmt.Errorf("it is not an audit of this program: its schema is %q, not %q", a.Schema,
			AuditSchema)
	}
	for i := range a.Chains {
		if err := a.Chains[i].Check(); err != nil {
			return fmt.Errorf("chain %d: %w", i, err)
		}
	}
	return nil
}

// Check tells what is wrong with a chain that was read from somewhere.
func (c *Chain) Check() error {
	inside := func(hop *int) bool { return hop == nil || *hop >= 0 && *hop < len(c.Hops) }
	switch {
	case len(c.Hops) == 0:
		return errors.New("it has no answer")
	case c.Entry.IsZero() || c.Arrival.IsZero():
		return errors.New("it names no entry or no arrival")
	case slices.ContainsFunc(c.Hops, func(a Answer) bool { return a.URL.IsZero() }):
		return errors.New("an answer names no URL")
	case !slices.Contains([]End{Page, Loop, Limit, NoAnswer, BadLocation}, c.End):
		return fmt.Errorf("it ends in %q, which is not one of the ends", c.End)
	case !inside(c.LoopsTo) || !inside(c.StoppedAt) || (c.End == Loop) != (c.LoopsTo != nil):
		return errors.New("it goes back to, or stops at, an answer that is not there")
	}
	for _, f := range c.Findings {
		if !inside(f.Hop) {
			return fmt.Errorf("the finding %s is about an answer that is not there", f.Code)
		}
	}
	return nil
}
