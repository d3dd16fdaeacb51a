package plan

import (
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
)

// Mended is an error of a plan with the step that mends it.
type Mended struct {
	Finding finding.Finding
	Step    int // from 1; 0: no step does
}

// byAnswers are the codes whose evidence is how doors answered: behind a step nobody has asked
// these again, so that the evidence is gone, and not the fault.
var byAnswers = map[finding.Code]bool{finding.DeclaredOtherwise: true, finding.RememberedLoop: true,
	finding.HSTSTrap: true, finding.Loop: true, finding.Expired: true, finding.WrongName: true}

// mostMended is how many rows a plan may have whose errors are tried.
const mostMended = 3000

// Errors gives the errors of the plan, each with the first step after which a plan of what is there
// then no longer has it. What breaks while the steps are played, and what is wrong with the estate
// file, is mended by none.
func (p *Plan) Errors() []Mended {
	var all []Mended
	open := map[string][]int{}
	for _, f := range p.Findings {
		if f.Severity != finding.Error || !f.Open() {
			continue
		}
		all = append(all, Mended{Finding: f})
		if byAnswers[f.Code] {
			continue
		}
		if !slices.ContainsFunc(p.Broken, func(b finding.Finding) bool {
			return b.Code == f.Code && b.Subject == f.Subject
		}) {
			open[keyOf(f)] = append(open[keyOf(f)], len(all)-1)
		}
	}
	if len(open) == 0 || p.input.Survey == nil || p.Played.Rows > mostMended {
		return all
	}
	pl := newPlayer(p)
	p.walk(pl.world, p.Typed(), func(i int, _ act.Step, deeds []deed) {
		for _, d := range deeds {
			pl.world.Act(d.rows)
		}
		if i == len(p.Steps) || len(open) == 0 || len(deeds) == 0 && p.Steps[i].Kind != act.CopyZones {
			return
		}
		left := map[string]bool{}
		for _, f := range Make(p.input.after(pl.world, p.today)).Findings {
			if f.Severity == finding.Error {
				left[keyOf(f)] = true
			}
		}
		for key, at := range open {
			if left[key] {
				continue
			}
			for _, n := range at {
				all[n].Step = i + 1
			}
			delete(open, key)
		}
	})
	return all
}

func keyOf(f finding.Finding) string { return f.Code.String() + " " + f.Subject }

// after gives what a plan is made of once the world is in a state, and somebody has looked again.
func (in Input) after(w, first *world.World) Input {
	made := in
	made.Survey, made.Earlier = w.Seen(in.Survey, first), in.Survey
	made.Past = append([]*survey.Survey{in.Survey}, in.Past...)
	if !in.Now.IsZero() {
		made.Now = in.Now.Add(time.Duration(w.Now()) * time.Second)
		made.Survey.Started = made.Now
		for i := range made.Survey.Domains {
			made.Survey.Domains[i].Looked = made.Now
		}
	}
	return made
}

// After gives what a plan is made of once some steps are done, and of the next one that many acts
// are, and somebody has surveyed again. Who carries what does not show in it.
func (p *Plan) After(steps, acts int) Input {
	pl := newPlayer(p)
	state := pl.world.Fork()
	p.walk(pl.world, p.Typed(), func(i int, _ act.Step, deeds []deed) {
		if i > steps || i == steps && acts == 0 {
			return
		}
		for n, d := range deeds {
			if i < steps || n < acts {
				pl.world.Act(d.rows)
			}
		}
		state = pl.world.Fork()
	})
	return p.input.after(state, p.today)
}

// Acts gives how many acts each step has, each of which is typed at once.
func (p *Plan) Acts() []int {
	made := make([]int, len(p.Steps))
	for i, deeds := range deedsOf(p, p.Sheets())[:len(p.Steps)] {
		made[i] = len(deeds)
	}
	return made
}
