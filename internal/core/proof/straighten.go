package proof

import (
	"cmp"
	"slices"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// single gives the rule that leads in one hop where a rule leads in several, and false where there is none that says the same: where
// only some of its URLs take that way, or a hop is temporary.
func (v *prover) single(o outcome, r *rule.Rule) (*rule.Rule, bool) {
	s := o.state
	if s.loose || len(s.asked) != len(r.Old.Query) || !sameShape(s.entry, r.Old.Parts) {
		return nil, false
	}
	status := cmp.Or(r.Status, v.plan.Estate.Policy.Status)
	for _, h := range s.hops[1:] {
		if h.rule == nil {
			continue
		}
		if st := cmp.Or(h.rule.Status, v.plan.Estate.Policy.Status); st != 301 && st != 308 || status != 301 && status != 308 {
			return nil, false
		}
		if h.rule.DropQuery != r.DropQuery || len(h.rule.New.Query) > 0 || len(h.rule.Old.Query) > 0 || h.rule.New.Fragment != "" {
			return nil, false
		}
	}
	captures := map[string]rule.Part{}
	for i, p := range r.Old.Parts {
		if p.IsCapture() {
			captures[s.entry[i].Name] = p
		}
	}
	target := rule.Target{Door: s.door, Query: r.New.Query, Fragment: r.New.Fragment}
	if s.door == v.plan.Estate.Canonical {
		target.Door = web.Door{}
	}
	for _, p := range s.path {
		if p.IsCapture() {
			c, own := captures[p.Name]
			if !own {
				return nil, false
			}
			p = rule.Part{Name: c.Name, Rest: c.Rest}
		}
		target.Parts = append(target.Parts, p)
	}
	if len(target.Parts) == 0 {
		target.Parts = []rule.Part{{Literal: "/"}}
	}
	made := *r
	made.New = target
	return &made, true
}

// sameShape tells whether a template is a pattern, whatever its variables are called.
func sameShape(a, b []rule.Part) bool {
	return slices.EqualFunc(a, b, func(x, y rule.Part) bool {
		return x.Literal == y.Literal && x.IsCapture() == y.IsCapture() && x.Rest == y.Rest && x.Digits == y.Digits
	})
}

// Straightened is a rule that leads in several hops, and the one that takes its place.
type Straightened struct {
	Line int
	Old  *rule.Rule
	New  *rule.Rule
	Hops int // before
}

// Straighten gives for every rule that leads in several hops for all of its URLs the one that leads there in one. A temporary redirect is
// never joined into a permanent one.
func Straighten(p *plan.Plan) []Straightened {
	v := &prover{explorer: newExplorer(p), loops: map[string]bool{}, undone: map[string]bool{}, byRule: map[*rule.Rule]bool{}, proof: &Proof{}}
	var all []Straightened
	for _, r := range p.Table.Rules() {
		doors := v.doorsOf(r)
		if len(doors) == 0 || r.Status == rule.Gone {
			continue
		}
		s, takes := v.start(r, doors[0])
		v.budget = mostStates
		var ends []outcome
		v.conditions(s, takes, r.Old.Query, func(at state, takes binding) {
			v.take(at, r, takes, func(o outcome) { ends = append(ends, o) })
		})
		if len(ends) != 1 || ends[0].end != "" || ends[0].more || len(ends[0].hops) < 2 {
			continue
		}
		if single, ok := v.single(ends[0], r); ok {
			all = append(all, Straightened{r.Line, r, single, len(ends[0].hops)})
		}
	}
	return all
}
