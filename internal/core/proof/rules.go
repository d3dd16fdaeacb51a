package proof

import (
	"slices"
	"sort"
	"strings"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// byRules goes on with every rule of a door that takes a path of the state, and returns what they
// leave.
func (x *explorer) byRules(s state, d predict.Treatment, emit func(outcome)) []state {
	mode := d.Paths
	for _, prefix := range d.Exempt {
		s.avoid = append(slices.Clone(s.avoid), below(prefix))
	}
	for _, e := range x.candidates(d, s.path, s.query) {
		covered, taken := x.byRule(s, e.Rule, mode, emit)
		if covered {
			return nil
		}
		if taken {
			s.avoid = append(slices.Clone(s.avoid), mode.Variants(e.Rule.Old.Parts)...)
		}
	}
	return []state{s}
}

// byRule goes on with one rule. covered says that it takes all of the state; taken, that it takes
// some of it, and whatever the query is.
func (x *explorer) byRule(s state, r *rule.Rule, mode rule.Mode, emit func(outcome)) (covered,
	taken bool) {
	every, some := true, false
	for _, v := range mode.Variants(r.Old.Parts) {
		ways, whole := x.names.meet(s.path, v.Parts, mode.IgnoreCase)
		if !whole {
			emit(outcome{s, "", true})
		}
		for _, w := range ways {
			at := s.bound(w.vars)
			if len(w.vars) > 0 && x.barred(at) {
				continue
			}
			at.folded = at.folded || mode.IgnoreCase && !w.exactly()
			all := true
			for _, end := range v.Not {
				all = all && !mayEndIn(at.path, end, mode.IgnoreCase)
			}
			if at.avoid = append(slices.Clone(at.avoid), not(v)...); all {
				at.avoid = s.avoid
			}
			sure := x.conditions(at, w.takes, r.Old.Query, func(at state, takes binding) {
				x.take(at, r, takes, emit)
			})
			every, some = every && sure, true
			covered = covered || sure && all && w.exactly()
		}
	}
	return covered, every && some
}

// conditions goes on with all ways in which the conditions on the query hold, and reports whether
// they hold for sure.
func (x *explorer) conditions(s state, takes binding, all []rule.Condition,
	each func(state, binding)) (sure bool) {
	if len(all) == 0 {
		each(s, takes)
		return true
	}
	c := all[0]
	value, fixed := s.query.fixed[c.Key]
	switch {
	case fixed && len(c.Parts) == 0:
		if text(value) == "" {
			return x.conditions(s, takes, all[1:], each)
		}
		for _, v := range value { // it may be empty where all of it may
			if !v.Rest {
				return false
			}
		}
		empty := binding{}
		for _, v := range value {
			empty[v.Name] = nil
		}
		x.conditions(s.bound(empty), takes.through(empty), all[1:], each)
		return false
	case fixed:
		ways, _ := x.names.meet(value, c.Parts, false)
		for _, w := range ways {
			certain := x.conditions(s.bound(w.vars), takes.through(w.vars).and(w.takes), all[1:], each)
			sure = sure || certain && w.exactly()
		}
		return sure
	case s.query.absent[c.Key] || !s.query.open:
		return false
	}
	// The visitor may have asked for it.
	if !x.names.effort.spend(2 + 4*s.size()) {
		return false
	}
	instance, took := make([]rule.Part, 0, len(c.Parts)), binding{}
	for _, p := range c.Parts {
		if p.IsCapture() {
			v := x.names.fresh(p)
			took[p.Name] = []rule.Part{v}
			p = v
		}
		instance = append(instance, p)
	}
	s.query = s.query.set([]rule.Condition{{Key: c.Key, Parts: instance}})
	asked := map[string][]rule.Part{c.Key: instance}
	for k, v := range s.asked {
		asked[k] = v
	}
	s.asked = asked
	x.conditions(s, takes.and(took), all[1:], each)
	return false
}

// take goes on behind a rule that takes a state.
func (x *explorer) take(s state, r *rule.Rule, takes binding, emit func(outcome)) {
	if r.Status == rule.Gone {
		emit(outcome{s, "", false})
		return
	}
	h := hop{what: x.place(r), rule: r, avoid: s.avoid, short: shortest(r.Old.Parts, takes)}
	query := parameters{fixed: map[string][]rule.Part{}, absent: map[string]bool{}}
	if !r.DropQuery {
		query = s.query.clone()
		for _, c := range r.Old.Query {
			delete(query.fixed, c.Key)
			query.absent[c.Key] = true
		}
	}
	query = query.set(x.targetQuery(r.New.Query))
	path := make([]rule.Part, 0, len(r.New.Parts))
	for _, p := range r.New.Parts {
		switch {
		case !p.IsCapture():
			path = append(path, rule.Part{Literal: web.NormalPath(p.Literal)})
		case fromQuery(r, p.Name):
			s.loose = true // what moves from the query is written otherwise in a path
			path = append(path, x.names.fresh(rule.Part{Rest: true}))
		default:
			path = append(path, takes[p.Name]...)
		}
	}
	s.loose = s.loose || s.folded || len(r.New.Host) > 0
	lead := func(s state, path []rule.Part, query parameters) {
		for _, to := range x.targets(r) {
			x.redirect(s, h, to, path, query, emit)
		}
	}
	path = tidy(path)
	lead(s, resolved(path), query)
	if mayHoldDots(r) {
		if endsWithin(r.Old.Parts) { // dots may stand at the end of what {+name} takes, too
			s := s
			s.loose, s.dots = true, true
			lead(s, []rule.Part{{Literal: "/"}, x.names.fresh(rule.Part{Rest: true})}, query)
			return
		}
		x.withDots(s, path, func(s state, path []rule.Part, b binding) {
			lead(s, path, query.through(b))
		})
	}
}

// withDots goes on with the cases in which a variable at the start of a segment holds dots that
// browsers resolve.
func (x *explorer) withDots(s state, path []rule.Part, each func(state, []rule.Part, binding)) {
	at, done := 0, map[string]bool{}
	for i, p := range path {
		if !p.IsCapture() || i == 0 || done[p.Name] || p.Digits || p.Label ||
			strings.Trim(path[i-1].Literal[strings.LastIndexByte(path[i-1].Literal, '/')+1:], ".") != "" {
			continue
		}
		done[p.Name] = true
		if at++; at > 1 { // several at once: whatever path comes of it
			s := s
			s.loose, s.dots = true, true
			each(s, []rule.Part{{Literal: "/"}, x.names.fresh(rule.Part{Rest: true})}, nil)
			return
		}
		for _, dots := range []string{".", ".."} {
			values := [][]rule.Part{{{Literal: dots}}}
			if p.Rest {
				values = append(values, []rule.Part{{Literal: dots + "/"}, x.names.fresh(p)})
			}
			for _, value := range values {
				b := binding{p.Name: value}
				at := s.bound(b)
				at.dots = true
				each(at, resolved(with(path, b)), b)
			}
		}
	}
}

// resolved gives a template without segments of dots, as browsers ask for it (RFC 3986 section
// 5.2.4).
func resolved(path []rule.Part) []rule.Part {
	segments := rule.Segments(path)
	var kept [][]rule.Part
	for i, segment := range segments {
		word := ""
		if len(segment) == 1 && !segment[0].IsCapture() {
			word = segment[0].Literal
		}
		switch {
		case word == ".." && len(kept) > 0:
			kept = kept[:len(kept)-1]
		case word != "." && word != "..":
			kept = append(kept, segment)
			continue
		}
		if i == len(segments)-1 {
			kept = append(kept, nil)
		}
	}
	var made []rule.Part
	for _, segment := range kept {
		made = append(append(made, rule.Part{Literal: "/"}), segment...)
	}
	if len(made) == 0 {
		made = []rule.Part{{Literal: "/"}}
	}
	return tidy(made)
}

// hasDots reports whether a template holds a segment of dots: no URL has such a path.
func hasDots(path []rule.Part) bool { return text(resolved(path)) != text(tidy(path)) }

// barred reports whether some capture on the way took more than the shortest, whatever its
// variables are.
func (x *explorer) barred(s state) bool {
	for _, h := range s.hops {
		for _, c := range h.short {
			ways, _ := x.names.meet(c.text, c.pattern, false)
			if slices.ContainsFunc(ways, fits.exactly) {
				return true
			}
		}
	}
	return false
}

// shortest gives what must not be, since captures take the shortest first: that the text behind a
// capture stands in what it takes already, where what comes behind takes everything that would be
// left over.
func shortest(parts []rule.Part, takes binding) []constraint {
	var all []constraint
	for i := 0; i+2 < len(parts); i++ {
		c, literal, behind := parts[i], parts[i+1], parts[i+2]
		if !c.IsCapture() || literal.IsCapture() || !behind.IsCapture() || behind.Digits ||
			behind.Label ||
			strings.Contains(literal.Literal, "/") {
			continue
		}
		all = append(
			all,
			constraint{tidy(append(slices.Clone(takes[c.Name]), literal)),
				[]rule.Part{c, literal, {Name: "rest"}}},
		)
	}
	return all
}

// targets gives the doors to which a rule leads: several where a capture stands in its host.
func (x *explorer) targets(r *rule.Rule) []web.Door {
	switch {
	case len(r.New.Host) == 0 && r.New.Door.IsZero():
		return []web.Door{x.world.Estate.Canonical}
	case len(r.New.Host) == 0:
		return []web.Door{r.New.Door}
	}
	var all []web.Door
	domain := strings.TrimPrefix(r.New.Host[len(r.New.Host)-1].Literal, ".")
	for _, d := range x.world.Doors() {
		if h := d.Host.String(); d.Scheme == r.New.Scheme && strings.HasSuffix(h, "."+domain) {
			all = append(all, d)
		}
	}
	// And a name that nobody created: one below a domain of the estate answers nobody.
	if h, err := web.ParseHost("upper-path-made-up." + domain); err == nil {
		all = append(all, web.Door{Scheme: r.New.Scheme, Host: h})
	}
	return all
}

func fromQuery(r *rule.Rule, name string) bool {
	return !slices.ContainsFunc(r.Old.Parts, func(p rule.Part) bool { return p.Name == name })
}

// targetQuery gives the parameters that a target sets; what a capture brings is not looked into.
func (x *explorer) targetQuery(parts []rule.Part) []rule.Condition {
	var all []rule.Condition
	var piece []rule.Part
	flush := func() {
		if len(piece) == 0 {
			return
		}
		key, value, _ := strings.Cut(piece[0].Literal, "=")
		c := rule.Condition{Key: web.NormalQuery(key)}
		if len(piece) > 1 || piece[0].IsCapture() {
			c.Parts = []rule.Part{x.names.fresh(rule.Part{Rest: true})}
		} else if value != "" {
			c.Parts = []rule.Part{{Literal: web.NormalQuery(value)}}
		}
		all, piece = append(all, c), nil
	}
	for _, p := range parts {
		if p.IsCapture() {
			piece = append(piece, p)
			continue
		}
		for i, text := range strings.Split(p.Literal, "&") {
			if i > 0 {
				flush()
			}
			piece = append(piece, rule.Part{Literal: text})
		}
	}
	flush()
	return all
}

// mayHoldDots reports whether a target can come to hold a segment of dots that browsers resolve,
// although no path holds one: where a capture that was a part of a segment becomes a whole one.
func mayHoldDots(r *rule.Rule) bool {
	whole := map[string]bool{}
	for i, p := range r.Old.Parts {
		starts := i > 0 && strings.HasSuffix(r.Old.Parts[i-1].Literal, "/")
		ends := i == len(r.Old.Parts)-1 || strings.HasPrefix(r.Old.Parts[i+1].Literal, "/")
		whole[p.Name] = starts && ends || p.Digits || p.Label
	}
	for i, p := range r.New.Parts {
		if !p.IsCapture() {
			continue
		}
		before, behind := "/", "/"
		if i > 0 {
			before = r.New.Parts[i-1].Literal
		}
		if i < len(r.New.Parts)-1 {
			behind = r.New.Parts[i+1].Literal
		}
		dotsBefore := before[strings.LastIndexByte(before, '/')+1:]
		dotsBehind, _, _ := strings.Cut(behind, "/")
		if strings.Trim(dotsBefore, ".") == "" && (p.Rest || strings.Trim(dotsBehind, ".") == "") &&
			(!whole[p.Name] || dotsBefore != "" || dotsBehind != "" && !p.Rest) {
			return !p.Digits && !p.Label
		}
	}
	return false
}

// endsWithin reports whether a pattern's {+name} ends within a segment.
func endsWithin(parts []rule.Part) bool {
	n := len(parts)
	return n > 1 && parts[n-2].Rest && !strings.HasPrefix(parts[n-1].Literal, "/")
}

// candidates gives the rules of a door that may take a path of a template with such a query, the
// most specific first.
func (x *explorer) candidates(d predict.Treatment, path []rule.Part,
	query parameters) []rule.Entry {
	mode := d.Paths
	start := ""
	if len(path) > 0 {
		start = path[0].Literal
	}
	var found []rule.Entry
	whole, isLiteral := literal(path)
	switch {
	case mode.IsExact() && isLiteral && query.open:
		found = d.Rules.ExactAt(d.Asked, whole)
	case mode.IsExact() && isLiteral:
		found = d.Rules.ExactAsking(d.Asked, whole, query.conditions())
	case mode.IsExact():
		all := x.exact(d)
		from := sort.Search(len(all), func(i int) bool {
			p, _ := all[i].Rule.Old.Exact()
			return p >= start
		})
		for i := from; i < len(all); i++ {
			if p, _ := all[i].Rule.Old.Exact(); !strings.HasPrefix(p, start) {
				break
			}
			found = append(found, all[i])
		}
	default:
		found = slices.Clone(x.exact(d))
	}
	for _, e := range x.patterns(d) {
		text := e.Rule.Old.Parts[0].Literal
		short := min(len(text), len(start))
		if text[:short] == start[:short] || !mode.IsExact() {
			found = append(found, e)
		}
	}
	if !mode.IsExact() { // different texts may take one path there
		slices.SortStableFunc(found, rule.Compare)
	}
	return found
}

// exact gives the exact rules of a door, by path.
func (x *explorer) exact(d predict.Treatment) []rule.Entry {
	all, known := x.entries[d.Asked]
	if !known {
		all = d.Rules.All(d.Asked)
		all = all[:sort.Search(len(all), func(i int) bool {
			_, exact := all[i].Rule.Old.Exact()
			return !exact
		})]
		x.entries[d.Asked] = all
	}
	return all
}

func (x *explorer) patterns(d predict.Treatment) []rule.Entry {
	all, known := x.patterned[d.Asked]
	if !known {
		all = d.Rules.PatternsOn(d.Asked)
		x.patterned[d.Asked] = all
	}
	return all
}
