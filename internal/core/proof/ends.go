package proof

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// end takes in one end of the ways that start with a rule.
func (v *prover) end(o outcome, r *rule.Rule, doors []web.Door) {
	hops := len(o.hops)
	if v.plan.Estate.Policy.Upgrade == estate.SameHostFirst {
		hops++ // at the http door
	}
	switch {
	case o.more:
		v.undecided(o, "there are more ways than are looked at")
	case o.end != "":
		v.bad(o, r, doors)
	default:
		v.good(o, r, doors, hops)
	}
}

// good takes in a way that arrives.
func (v *prover) good(o outcome, r *rule.Rule, doors []web.Door, hops int) {
	chained := r != nil && len(o.hops) > 1 && !v.byRule[r]
	if hops <= v.proof.Bound && !chained {
		return
	}
	u, a := v.feasible(o, r, doors, func(c chain.Chain) bool { return c.End == chain.Page && c.Redirects() >= len(o.hops) })
	if a == impossible {
		return
	}
	if hops > v.proof.Bound {
		v.proof.Bound, v.proof.Deepest = hops, u.String()
	}
	if chained {
		v.chained(o, r, u)
	}
}

// chained says that the target of a rule is itself redirected, and which rule would lead there in one hop.
func (v *prover) chained(o outcome, r *rule.Rule, u web.URL) {
	v.byRule[r] = true
	lines, ways := way(o.hops)
	says := fmt.Sprintf("%s (%s) leads to %s, which is redirected again: %s.", r.Place(), r.Old, r.New, strings.Join(ways, ", then "))
	fix := "Lead it straight to the end."
	if single, ok := v.single(o, r); ok {
		fix = fmt.Sprintf("Write instead: %s,%s", single.Old, single.New)
	}
	v.tally.AddFinding(chain.New("rule-chain", r.Place(), says, fix, v.evidence(lines, u)))
}

// way names the hops of a way, and the lines of its rules.
func way(hops []hop) (lines []int, names []string) {
	for _, h := range hops {
		names = append(names, h.what)
		if h.rule != nil && !slices.Contains(lines, h.rule.Line) {
			lines = append(lines, h.rule.Line)
		}
	}
	if lines == nil {
		lines = []int{}
	}
	return lines, names
}

// bad takes in a way that does not arrive: it counts where there is an entry that takes it.
func (v *prover) bad(o outcome, r *rule.Rule, doors []web.Door) {
	lines, names := way(o.hops)
	end := o.end
	if end == "limit" {
		end = "loop"
	}
	key := end + fmt.Sprint(slices.Sorted(slices.Values(lines)), slices.Compact(slices.Sorted(slices.Values(names))))
	if v.loops[key] {
		return
	}
	u, a := v.feasible(o, r, doors, func(c chain.Chain) bool {
		switch o.end {
		case "loop", "limit":
			return c.End == chain.Loop || c.End == chain.Limit
		case "dead-end":
			return c.End == chain.Page && c.Last().Status >= 400
		}
		return c.End == chain.NoAnswer || c.End == chain.BadLocation
	})
	switch a {
	case impossible:
		return
	case unknown:
		v.undecided(o, map[string]string{"loop": "it may go round", "limit": "it may go on for ever", "dead-end": "it may lead to a page that does not exist", "refusal": "it may lead to where nobody answers"}[o.end])
		return
	}
	v.loops[key] = true
	c := v.run(u)
	switch o.end {
	case "loop", "limit":
		grows := ""
		if c.End == chain.Limit {
			grows = " The URL grows on every round."
		}
		v.tally.AddFinding(chain.New("rule-loop", named(lines, names), fmt.Sprintf("%s goes round for ever: %s.%s", u, strings.Join(around(c), " → "), grows),
			"Correct one of these rules so that its target is none of the URLs that the others take.", v.evidence(lines, u)))
	case "dead-end":
		v.tally.AddFinding(chain.New("dead-end", c.Arrival.String(), fmt.Sprintf("%s leads to %s, which is none of the pages that exist.", u, c.Arrival), "Lead it to a page that exists, or say 410.", v.evidence(lines, u)))
	default:
		v.tally.AddFinding(chain.New("no-address", c.Arrival.Host().String(), fmt.Sprintf("%s leads to %s, where nobody answers.", u, c.Arrival.Door()), "Lead it to a door that somebody carries.", v.evidence(lines, u)))
	}
}

// around gives the URLs of a circle, without what comes round once more.
func around(c chain.Chain) []string {
	var all []string
	for i, h := range c.Hops {
		if i == 4 && len(c.Hops) > 6 {
			all = append(all, "…")
			break
		}
		all = append(all, h.URL.String())
	}
	if c.LoopsTo != nil {
		all = append(all, c.Hops[*c.LoopsTo].URL.String())
	}
	return all
}

func named(lines []int, names []string) string {
	if len(lines) == 0 {
		return strings.Join(names, ", ")
	}
	var all []string
	for _, l := range lines {
		all = append(all, fmt.Sprint(l))
	}
	if len(all) == 1 {
		return "rules line " + all[0]
	}
	return "rules lines " + strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
}

func (v *prover) undecided(o outcome, why string) {
	lines, names := way(o.hops)
	key := why + named(lines, names)
	if v.undone[key] {
		return
	}
	v.undone[key] = true
	v.tally.AddFinding(chain.New("undecided", named(lines, names), fmt.Sprintf("It could not be decided what holds for %s (%s): %s.", named(lines, names), strings.Join(names, ", then "), why),
		"Make these rules simpler or more specific, so that none of them leads to what another one takes.", map[string]any{"rules": lines, "reason": why}))
}

// mostFailed is how many ways of one rule are looked at for which no entry is found, and none excluded.
const mostFailed = 12

// feasible looks for an entry that takes a way, at one of the doors, and has the predicted web confirm it.
func (v *prover) feasible(o outcome, r *rule.Rule, doors []web.Door, confirms func(chain.Chain) bool) (web.URL, answer) {
	decided := impossible
	switch {
	case hasDots(o.entry):
		return web.URL{}, impossible
	case v.failed > mostFailed:
		return web.URL{}, unknown
	}
	defer func() {
		if decided == unknown {
			v.failed++
		}
	}()
	for _, d := range doors {
		s := o.state
		if r != nil && len(s.hops) > 0 {
			s.hops = slices.Clone(s.hops)
			s.hops[0].avoid = v.moreSpecific(r, d)
		}
		values, a := solve(s)
		if s.loose && a == impossible {
			a = unknown
		}
		if a == impossible {
			continue
		}
		decided = unknown
		try := func(values map[string]string) (web.URL, bool) {
			u := v.url(s, d, values, r)
			return u, v.starts(u, r) && confirms(v.run(u))
		}
		if a == possible {
			if u, ok := try(values); ok {
				decided = possible
				return u, possible
			}
		}
		for range 200 {
			if u, ok := try(v.guess(s)); ok {
				decided = possible
				return u, possible
			}
		}
	}
	return web.URL{}, decided
}

// starts tells whether a URL is taken by the rule that a way starts with.
func (v *prover) starts(u web.URL, r *rule.Rule) bool {
	if r == nil {
		return true
	}
	m, ok := v.plan.Table.Lookup(v.asAsked(u))
	return ok && m.Rule == r
}

// guess makes values of an entry's variables, of octets that the patterns on its way know.
func (v *prover) guess(s state) map[string]string {
	pieces := []string{"x", "y", "7", "-", ".", "%2F"}
	for _, h := range s.hops {
		if h.rule != nil {
			for _, p := range h.rule.Old.Parts {
				if !p.IsCapture() {
					pieces = append(pieces, p.Literal, strings.Trim(p.Literal, "/"))
				}
			}
		}
	}
	values := map[string]string{}
	add := func(p rule.Part) {
		if !p.IsCapture() {
			return
		}
		value := ""
		for range v.source.IntN(3) + 1 {
			for _, u := range units(pieces[v.source.IntN(len(pieces))]) {
				if allows(p, u) {
					value += u
				}
			}
		}
		if value == "" && !p.Rest {
			value = map[bool]string{true: "7", false: "x"}[p.Digits]
		}
		values[p.Name] = value
	}
	for _, p := range s.entry {
		add(p)
	}
	for _, parts := range s.asked {
		for _, p := range parts {
			add(p)
		}
	}
	return values
}

// siteRules follows the site's own redirects.
func (v *prover) siteRules() {
	d := v.plan.Estate.Canonical
	for _, e := range v.door(d).Rules.All(d) {
		s, takes := v.start(e.Rule, d)
		v.budget, v.failed = mostStates, 0
		v.conditions(s, takes, e.Rule.Old.Query, func(at state, takes binding) {
			v.take(at, e.Rule, takes, func(o outcome) {
				switch {
				case o.more:
					v.undecided(o, "there are more ways than are looked at")
				case o.end == "loop" || o.end == "limit":
					v.bad(o, nil, []web.Door{d})
				default:
					v.good(o, nil, []web.Door{d}, len(o.hops))
				}
			})
		})
	}
}

// fallbacks follows what no rule takes, at every ruled door, and what other doors of the estate do with all of their URLs.
func (v *prover) fallbacks() {
	count := map[string]int{}
	for _, r := range v.plan.Table.Rules() {
		if d := v.plan.Estate.DomainOf(r.Old.Host); d != nil {
			count[d.Name.String()]++
		}
	}
	said := map[string]bool{}
	for _, d := range v.plan.Doors {
		p := v.door(d.Door)
		if p.Handling == plan.Nowhere || p.Handling == plan.Outside || p.Handling == plan.Framed || p.Handling == plan.Serves || p.Handling == plan.Constant {
			continue
		}
		s := state{door: d.Door, first: d.Door, query: parameters{map[string][]rule.Part{}, map[string]bool{}, true}, asked: map[string][]rule.Part{}}
		s.path = []rule.Part{{Literal: "/"}, v.names.fresh(rule.Part{Rest: true})}
		s.entry = s.path
		v.budget, v.failed = mostStates, 0
		ended := func(o outcome) {
			switch {
			case o.more:
				v.undecided(o, "there are more ways than are looked at")
			case o.end == "dead-end" && p.Handling != plan.Ruled:
			case o.end != "":
				v.bad(o, nil, []web.Door{d.Door})
			default:
				v.good(o, nil, []web.Door{d.Door}, len(o.hops))
			}
		}
		switch p.Handling {
		case plan.Ruled:
			v.fallback(s, p, ended)
			if name := p.Domain.Name.String(); !said[name] {
				said[name] = true
				v.proof.Falls = append(v.proof.Falls, Fall{name, count[name], fallsTo(p.Domain)})
			}
		case plan.Upgrades:
			to := v.door(web.Door{Scheme: web.HTTPS, Host: d.Door.Host})
			if to.Handling == plan.Ruled {
				continue // what the https door does, in one hop more
			}
			v.follow(s, ended)
		default:
			v.follow(s, ended)
		}
	}
}

// fallsTo says in words where paths go that no rule takes.
func fallsTo(d *estate.Domain) string {
	switch d.Fallback {
	case estate.Gone:
		return "410 gone, the root to " + d.LeadsTo.String()
	case estate.Home:
		return d.LeadsTo.String()
	}
	return "the same path below " + d.LeadsTo.String()
}

// assumes says what a verdict takes for granted.
func (v *prover) assumes() []string {
	all := []string{"Each carrier does what the estate file says of it, and every record leads where the plan says."}
	if !v.plan.Web.KnowsPages() {
		all = append(all, "Every page of the canonical site to which a rule leads exists: the estate file names no list of pages (site.pages).")
	} else {
		all = append(all, "Pages to which a rule with captures leads exist: only targets without captures were compared with the list of pages.")
	}
	if len(v.door(v.plan.Estate.Canonical).Rules.Rules()) == 0 {
		all = append(all, "The canonical site redirects nothing by itself: the estate file names no site.rules.")
	}
	if len(v.plan.Estate.Policy.Exempt) > 0 {
		all = append(all, "Paths that begin with "+strings.Join(v.plan.Estate.Policy.Exempt, " or ")+" are left out at http doors.")
	}
	return append(all, "Hosts outside the estate serve a page.")
}
