package zone

import (
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/record"
)

// The phases in which a zone is changed: what unties mail, which is waited for, what nothing hangs
// on yet, names that did not exist, names that lead elsewhere from now on, what is in nobody's way
// any more, and what stays.
const (
	untying = iota
	first
	fresh
	turning
	clearing
	staying
	phases
)

// proposal is a change with its phase. keys are further sets that it settles.
type proposal struct {
	phase  int
	change act.Change
	keys   []record.Key
}

// found is what a phase of the work on a zone found out, and what it proposes.
type found struct {
	act.Found
	proposals []proposal
}

func (f *found) propose(phase int, c act.Change) {
	f.proposals = append(f.proposals, proposal{phase: phase, change: c})
}

// moving is the names whose addresses change, and what was there.
type moving map[string][]record.Set

// draft is the changes of a zone as the phases so far leave them.
type draft struct {
	byPhase [phases][]act.Change
	touched map[record.Key]bool
}

// join adds a proposal. A second change to the same set is joined with the first.
func (d *draft) join(p proposal) {
	if d.touched == nil {
		d.touched = map[record.Key]bool{}
	}
	d.add(p.phase, p.change)
	for _, key := range p.keys {
		d.touched[key] = true
	}
}

func (d *draft) add(phase int, c act.Change) {
	c.Before, c.After = record.PlainAll(c.Type, c.Before), record.PlainAll(c.Type, c.After)
	key := record.Key{Name: c.Name, Type: c.Type}
	if d.touched[key] {
		for p := range d.byPhase {
			for i := range d.byPhase[p] {
				earlier := &d.byPhase[p][i]
				if earlier.Name != c.Name || earlier.Type != c.Type {
					continue
				}
				earlier.After, earlier.Reasons = c.After, slices.Concat(earlier.Reasons, c.Reasons)
				switch {
				case earlier.Action == act.Keep:
					c.Reasons = earlier.Reasons
				case phase == untying && p != untying: // the rest of it can come early too
					c = *earlier
				default:
					return
				}
				d.byPhase[p] = slices.Delete(d.byPhase[p], i, i+1)
				d.byPhase[phase] = append(d.byPhase[phase], c)
				return
			}
		}
	}
	d.byPhase[phase] = append(d.byPhase[phase], c)
	d.touched[key] = true
}

// planned gives the values of a set as the changes so far leave it.
func (d draft) planned(s Sight, name, kind string) []string {
	for p := range d.byPhase {
		if !d.touched[record.Key{Name: name, Type: kind}] {
			break
		}
		for _, c := range d.byPhase[p] {
			if c.Name == name && c.Type == kind {
				return Record{c.Name, c.Type, c.TTL, c.After}.Set().Values
			}
		}
	}
	set, _ := s.set(name, kind)
	return set.Values
}
