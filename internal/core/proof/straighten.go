package proof

import (
	"cmp"
	"fmt"
	"slices"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Straightened is a rule that leads in several hops, and the ones that take its place and lead
// there in one; or an exact duplicate, which goes.
type Straightened struct {
	Line  int
	Old   *rule.Rule
	New   *rule.Rule   // nil: it goes
	Same  int          // the line that an exact duplicate repeats
	Added []*rule.Rule // for URLs that lead elsewhere than most of those of the rule
	Hops  int          // before, at most
}

// Straighten gives for every rule that leads in several hops the ones that lead there in one, where
// such rules say the same for all of its URLs, and the exact duplicates, in the order of the file.
// A temporary redirect is never joined into a permanent one.
func Straighten(w *predict.Prediction) []Straightened {
	v := newProver(w)
	var all []Straightened
	again := map[*rule.Rule]*rule.Rule{}
	for _, d := range w.Rules.Duplicates() {
		again[d[1]] = d[0]
	}
	for _, r := range w.Rules.Rules() {
		if first := again[r]; first != nil && v.asks(r).meant {
			all = append(all, Straightened{Line: r.Line, Old: r, Same: first.Line})
			continue
		}
		from := v.asks(r)
		v.names.effort.share()
		if r.Status == rule.Gone || v.ends(r) || !from.meant || len(from.doors) == 0 {
			continue
		}
		if s, ok := v.straight(r, from.doors); ok {
			all = append(all, s)
		}
	}
	return all
}

// How many rules may take the place of one, and how many states are looked at for that.
const (
	mostAdded    = 24
	mostStraight = 400
)

// straight gives what takes the place of one rule, and false where that is nothing or more than
// rules can say. Where the old site did not care, a rule takes several sets of paths, and all of
// them have to lead to the same end.
func (v *prover) straight(r *rule.Rule, doors []web.Door) (Straightened, bool) {
	budget := v.budget
	defer func() { v.budget = budget }()
	v.fund(mostStraight)
	made := Straightened{Line: r.Line, Old: r}
	for i, own := range v.starts(r, doors[0]) {
		one, ok := v.straightFrom(own, r, doors)
		if !ok ||
			i > 0 && (one.New.New.String() != made.New.New.String() || len(one.Added)+len(made.Added) > 0) {
			return made, false
		}
		one.Hops = max(one.Hops, made.Hops)
		made = one
	}
	if made.Hops < 2 || v.names.effort.cut {
		return made, false
	}
	// Those that are added have to win over the rule itself, not over others, and not over each other.
	for i, a := range made.Added {
		wins := rule.Compare(rule.Entry{Rule: a}, rule.Entry{Rule: made.New}) < 0
		if !wins || slices.ContainsFunc(doors, func(d web.Door) bool { return v.takenBefore(r, a, d) }) {
			return made, false
		}
		for _, b := range made.Added[:i] {
			if _, meet := rule.Overlap(a.Old.Parts, b.Old.Parts); meet {
				return made, false
			}
		}
	}
	return made, true
}

// straightFrom gives what takes the place of a rule for one set of its URLs.
func (v *prover) straightFrom(own start, r *rule.Rule, doors []web.Door) (Straightened, bool) {
	var ends []outcome
	v.conditions(own.state, own.takes, r.Old.Query, func(at state, takes binding) {
		v.take(at, r, takes, func(o outcome) { ends = append(ends, o) })
	})
	made := Straightened{Line: r.Line, Old: r}
	for _, o := range ends {
		switch {
		case o.more:
			return made, false
		case o.dots || len(ends) > 1 && !v.mayBe(o, r, doors):
			continue // nobody asks for that
		case o.end != "":
			return made, false
		}
		one, whole, ok := v.single(o, r, own)
		switch {
		case !ok || whole && made.New != nil || len(made.Added) == mostAdded:
			return made, false
		case whole:
			made.New = one
		default:
			made.Added = append(made.Added, one)
		}
		made.Hops = max(made.Hops, len(o.hops))
	}
	return made, made.New != nil
}

// takenBefore reports whether rules of a door that win over one rule take something of what another
// one takes.
func (v *prover) takenBefore(r, added *rule.Rule, d web.Door) bool {
	mode := v.door(d).Paths
	for _, e := range v.candidates(v.door(d), added.Old.Parts, anyQuery()) {
		if e.Rule == r {
			return false
		}
		for _, a := range mode.Variants(e.Rule.Old.Parts) {
			if ways, _ := v.names.meet(added.Old.Parts, a.Parts, mode.IgnoreCase); len(ways) > 0 {
				return true
			}
		}
	}
	return false
}

// mayBe reports whether there may be an entry that takes a way.
func (v *prover) mayBe(o outcome, r *rule.Rule, doors []web.Door) bool {
	if hasDots(o.entry) {
		return false
	}
	for _, d := range doors {
		s := o.state
		s.hops = slices.Clone(s.hops)
		s.hops[0].avoid = append(slices.Clone(s.hops[0].avoid), v.before(r, v.seen(s.entry, d), d)...)
		if _, a := solve(s, v.names.effort); a != impossible || s.loose {
			return true
		}
	}
	return false
}

// single gives the rule that leads in one hop where a way leads in several; whole says that it
// takes all that the rule takes. ok is false where no rule says the same, or a hop is temporary.
func (v *prover) single(o outcome, r *rule.Rule, own start) (made *rule.Rule, whole, ok bool) {
	s := o.state
	if s.loose || len(s.asked) != len(r.Old.Query) || s.sent != s.query.key() {
		return nil, false, false
	}
	permanent := func(r *rule.Rule) bool {
		status := cmp.Or(r.Status, v.world.Estate.Policy.Status)
		return status == 301 || status == 308
	}
	target := rule.Target{Door: s.door, Query: r.New.Query, Fragment: r.New.Fragment}
	for _, h := range s.hops[1:] {
		switch {
		case h.rule == nil && v.world.Estate.Policy.Status != 301 && v.world.Estate.Policy.Status != 308:
			return nil, false, false
		case h.rule == nil:
		case !permanent(h.rule) || !permanent(r):
			return nil, false, false
		case h.rule.New.Fragment != "":
			target.Fragment = h.rule.New.Fragment
		}
	}
	if s.door == v.world.Estate.Canonical {
		target.Door = web.Door{}
	}
	whole = sameShape(s.entry, own.entry)
	copied := *r
	names := map[string]string{}
	if whole {
		for i, p := range own.entry {
			for name, took := range own.takes {
				if len(took) == 1 && p.IsCapture() && took[0].Name == p.Name {
					names[s.entry[i].Name] = name
				}
			}
		}
	} else {
		if len(r.Old.Query) > 0 || !v.door(own.first).Paths.IsExact() ||
			len(variables(s.entry)) != captures(s.entry) ||
			captures(r.New.Query) > 0 {
			return nil, false, false
		}
		copied.Old.Parts = nil
		for _, p := range s.entry {
			if p.IsCapture() {
				names[p.Name] = fmt.Sprintf("part%d", len(names)+1)
				p.Name = names[p.Name]
			}
			copied.Old.Parts = append(copied.Old.Parts, p)
		}
	}
	for _, p := range s.path {
		if p.IsCapture() {
			name, known := names[p.Name]
			if !known {
				return nil, false, false
			}
			p = rule.Part{Name: name, Rest: p.Rest}
		}
		target.Parts = append(target.Parts, p)
	}
	if len(target.Parts) == 0 {
		target.Parts = []rule.Part{{Literal: "/"}}
	}
	if copied.New = target; len(s.hops) == 1 && whole {
		copied.New = r.New
	}
	return &copied, whole, true
}

// sameShape reports whether a template is a pattern, whatever its variables are called.
func sameShape(a, b []rule.Part) bool {
	return slices.EqualFunc(a, b, func(x, y rule.Part) bool {
		return x.Literal == y.Literal && x.IsCapture() == y.IsCapture() && x.Rest == y.Rest &&
			x.Digits == y.Digits
	})
}
