package plan

import (
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/core/world"
)

// Sending is what rows change in each zone, were they typed now, and what that breaks.
type Sending struct {
	Transfers []send.Transfer
	ByHand    []send.ByHand     // what nobody can send
	Breaks    []finding.Finding // what breaks right after it
	Warnings  []finding.Finding // what the plan warns of about these names, errors included
}

// SendNow plays rows in the world: once what was typed so far is typed, each in its order, and some
// seconds have passed since. What a survey has seen since is there already.
func (p *Plan) SendNow(done []world.Typing, since int, rows []world.Row) Sending {
	pl := newPlayer(p)
	pl.watch = world.NewWatch(pl.world, pl.wishes())
	number := 0
	for _, d := range done {
		pl.world.Wait(d.After)
		for _, act := range actsOf(d.Rows) {
			number++
			pl.watch.Act(number, act)
		}
	}
	pl.world.Wait(since)
	var made Sending
	made.Transfers, made.ByHand = send.Of(pl.world.Fork(), rows)
	state := pl.world.Fork()
	watch := pl.watch.Fork(state)
	said := &player{plan: p, world: state, said: map[string]bool{}, step: pl.step}
	for n, act := range actsOf(rows) {
		said.broke(watch.Act(number+n+1, act))
	}
	made.Breaks = said.tally.Findings()
	names := map[string]bool{}
	for _, t := range made.Transfers {
		for _, c := range t.Changes {
			names[c.Name] = true
		}
	}
	for _, f := range p.Findings {
		if f.Severity != finding.Note && about(f.Subject, names) {
			made.Warnings = append(made.Warnings, f)
		}
	}
	return made
}

// about reports whether a subject is one of some names, or a door of it.
func about(subject string, names map[string]bool) bool {
	for _, word := range strings.FieldsFunc(subject, func(r rune) bool {
		return strings.ContainsRune(" /:,()", r)
	}) {
		if names[word] {
			return true
		}
	}
	return false
}
