package chain

import (
	"fmt"
	"slices"

	"upperpath.example/upperpath/internal/core/fact"
)

// Check tells what is wrong with an audit that was read from somewhere: everything that reads
// audits takes for granted that nothing is.
func (a *Audit) Check() error {
	if a.Schema != AuditSchema {
		return fact.Err(fact.AuditSchema{Schema: a.Schema, Wanted: AuditSchema})
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
		return fact.Err(fact.ChainEmpty{})
	case c.Entry.IsZero() || c.Arrival.IsZero():
		return fact.Err(fact.ChainNameless{})
	case slices.ContainsFunc(c.Hops, func(a Answer) bool { return a.URL.IsZero() }):
		return fact.Err(fact.AnswerNameless{})
	case !slices.Contains([]End{Page, Loop, Limit, NoAnswer, BadLocation}, c.End):
		return fact.Err(fact.ChainEnd{End: string(c.End)})
	case !inside(c.LoopsTo) || !inside(c.StoppedAt) || (c.End == Loop) != (c.LoopsTo != nil):
		return fact.Err(fact.ChainPlaces{})
	}
	for _, f := range c.Findings {
		if !inside(f.Hop) {
			return fact.Err(fact.FindingPlace{Code: f.Code.String()})
		}
	}
	return nil
}
