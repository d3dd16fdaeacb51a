package proof

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// end takes in one end of the ways that start with a rule, or, with none, at a door with its
// fallback. more is the hop that the http door takes before.
func (v *prover) end(o outcome, r *rule.Rule, doors []web.Door, more int) {
	switch {
	case o.more:
		v.undecided(o, tooMany)
	case o.end != "":
		v.bad(o, r, doors)
	default:
		v.good(o, r, doors, len(o.hops)+more)
	}
}

// good takes in a way that arrives.
func (v *prover) good(o outcome, r *rule.Rule, doors []web.Door, hops int) {
	chained := r != nil && len(o.hops) > 1 && !v.chains[r]
	if hops <= v.proof.Bound && !chained {
		return
	}
	u, a := v.feasible(o, r, doors, func(c chain.Chain) bool {
		return c.End == chain.Page && c.Redirects() >= len(o.hops) && (!chained || v.goes(c, o.hops))
	})
	if a == impossible {
		return
	}
	if hops > v.proof.Bound {
		v.proof.Bound, v.proof.Deepest = hops, u.String()
	}
	if chained && a == possible {
		v.chained(o, r, u, doors)
	}
}

// goes reports whether a chain is led by the rules of a way.
func (v *prover) goes(c chain.Chain, hops []hop) bool {
	for i, h := range hops {
		if i >= len(c.Hops) {
			return false
		}
		if h.rule != nil && v.taker(c.Hops[i].URL) != h.rule {
			return false
		}
	}
	return true
}

// taker gives the rule that takes a URL, nil where none is asked or none does.
func (v *prover) taker(u web.URL) *rule.Rule {
	m, _ := v.door(u.Door()).Rule(u)
	return m.Rule
}

// chained says that the target of a rule is itself redirected, and which rule would lead there in
// one hop.
func (v *prover) chained(o outcome, r *rule.Rule, u web.URL, doors []web.Door) {
	v.chains[r] = true
	concerned, ways := v.way(o.hops)
	var advice fact.Facts = fact.LeadStraight{}
	help := finding.Help("")
	if s, ok := v.straight(r, doors); ok {
		write := fact.WriteInstead{Lines: []string{asLine(s.New)}}
		for i, a := range s.Added {
			if i == 2 {
				write.More, help = len(s.Added)-i, finding.Straightener
				break
			}
			write.Lines = append(write.Lines, asLine(a))
		}
		advice = write
	} else if one, whole, ok := v.singleFrom(o, r, doors[0]); ok && !o.dots {
		switch {
		case whole:
			advice = fact.WriteIfAll{Line: asLine(one)}
		case !slices.ContainsFunc(doors, func(d web.Door) bool { return v.takenBefore(r, one, d) }):
			advice = fact.AddForThese{Line: asLine(one)}
		}
	}
	v.tally.Add(finding.New(finding.RuleChain, v.place(r), fact.RuleLeadsOn{Rule: v.place(r),
		Old: r.Old.String(), New: r.New.String(), Ways: ways, Advice: advice},
		v.evidence(concerned, u)).With(help))
}

// asLine writes a rule as its columns old and new.
func asLine(r *rule.Rule) string { return r.Old.String() + "," + r.New.String() }

// singleFrom is single for the first set of the URLs that a rule takes at a door.
func (v *prover) singleFrom(o outcome, r *rule.Rule, d web.Door) (made *rule.Rule, whole, ok bool) {
	all := v.starts(r, d)
	if len(all) == 0 {
		return nil, false, false
	}
	return v.single(o, r, all[0])
}

// lines are the rules concerned, by their lines: of the redirect map, and of the site's own
// redirects.
type lines struct{ rules, site []int }

func (x *explorer) linesOf(rules ...*rule.Rule) lines {
	l := lines{rules: []int{}}
	for _, r := range rules {
		if x.ofSite[r] {
			l.site = append(l.site, r.Line)
		} else {
			l.rules = append(l.rules, r.Line)
		}
	}
	slices.Sort(l.rules)
	slices.Sort(l.site)
	return lines{slices.Compact(l.rules), slices.Compact(l.site)}
}

// place names a rule as reports do.
func (x *explorer) place(r *rule.Rule) string {
	if x.ofSite[r] {
		return fmt.Sprintf("site.rules line %d", r.Line)
	}
	return r.Place()
}

// String names the rules, "" for none.
func (l lines) String() string {
	list := func(of string, numbers []int) []string {
		var all []string
		for _, n := range numbers {
			all = append(all, fmt.Sprint(n))
		}
		switch n := len(all); {
		case n == 0:
			return nil
		case n == 1:
			return []string{of + " line " + all[0]}
		case n > 6 && numbers[n-1]-numbers[0] == n-1:
			return []string{of + " lines " + all[0] + " to " + all[n-1]}
		default:
			return []string{of + " lines " + strings.Join(all[:n-1], ", ") + " and " + all[n-1]}
		}
	}
	return strings.Join(append(list("rules", l.rules), list("site.rules", l.site)...), ", ")
}

// way names the hops of a way, and its rules.
func (x *explorer) way(hops []hop) (lines, []string) {
	var names []string
	var rules []*rule.Rule
	for _, h := range hops {
		names = append(names, h.what)
		if h.rule != nil {
			rules = append(rules, h.rule)
		}
	}
	return x.linesOf(rules...), names
}

// told writes the hops of a way, one behind the other.
func told(names []string) string {
	const most = 6
	if len(names) > most {
		names = append(slices.Clone(names[:most-1]), fmt.Sprintf("%d hops more", len(names)-most+1))
	}
	return strings.Join(names, ", then ")
}

// bad takes in a way that does not arrive: it counts where there is an entry that takes it.
func (v *prover) bad(o outcome, r *rule.Rule, doors []web.Door) {
	concerned, names := v.way(o.hops)
	key := o.end + " " + named(concerned, slices.Compact(slices.Sorted(slices.Values(names))))
	if v.said[key] {
		return
	}
	u, a := v.feasible(o, r, doors, func(c chain.Chain) bool {
		switch o.end {
		case "loop", "limit":
			return endless(c)
		case "dead-end", "exempt", "failure":
			return c.End == chain.Page && c.Last().Status >= 400
		}
		return c.End == chain.NoAnswer || c.End == chain.BadLocation
	})
	switch a {
	case impossible:
		return
	case unknown:
		v.undecided(
			o,
			map[string]fact.Facts{
				"loop": fact.MayLoop{}, "limit": fact.MayNeverEnd{},
				"dead-end": fact.MayMissPage{},
				"exempt":   fact.MayBeExempt{},
				"refusal":  fact.MayMeetNobody{},
				"failure":  fact.MayMeetNoOne{},
			}[o.end],
		)
		return
	}
	v.said[key] = true
	switch c := v.run(u); o.end {
	case "loop", "limit":
		v.circle(c)
	case "dead-end":
		v.tally.Add(
			finding.New(
				finding.DeadEnd,
				c.Arrival.String(),
				fact.EndsNowhere{URL: u.String(), Arrival: c.Arrival.String()}, v.evidence(concerned, u),
			),
		)
	case "exempt":
		v.tally.Add(
			finding.New(
				finding.DeadEnd,
				c.Arrival.String(),
				fact.EndsExempt{URL: u.String(), Arrival: c.Arrival.String()}, v.evidence(concerned, u),
			),
		)
	case "failure":
		v.tally.Add(
			finding.New(
				finding.DeadEnd,
				c.Arrival.String(),
				fact.EndsOnStatus{URL: u.String(), Arrival: c.Arrival.String(), Status: c.Last().Status,
					Detail: c.Last().Detail}, v.evidence(concerned, u),
			),
		)
	default:
		v.tally.Add(
			finding.New(
				finding.NoAddress,
				c.Arrival.Host().String(),
				fact.EndsUnanswered{URL: u.String(), Door: c.Arrival.Door().String()}, v.evidence(concerned, u),
			),
		)
	}
}

// endless reports whether a chain goes on for ever.
func endless(c chain.Chain) bool { return c.End == chain.Loop || c.End == chain.Limit }

// onCircle gives the answers of an endless chain that come again: of one whose URLs grow, the later
// half.
func onCircle(c chain.Chain) []chain.Answer {
	if c.LoopsTo != nil {
		return c.Hops[*c.LoopsTo:]
	}
	return c.Hops[len(c.Hops)/2:]
}

// round gives the rules on the circle of an endless chain.
func (v *prover) round(c chain.Chain) []*rule.Rule {
	var all []*rule.Rule
	for _, h := range onCircle(c) {
		if r := v.taker(h.URL); r != nil {
			all = append(all, r)
		}
	}
	return all
}

// circleOf names the circle of an endless chain, by its rules or else its doors: whoever leads into
// it, it is one cause.
func (v *prover) circleOf(c chain.Chain) string {
	if rules := v.round(c); len(rules) > 0 {
		return "circle " + v.linesOf(rules...).String()
	}
	var doors []string
	for _, h := range onCircle(c) {
		doors = append(doors, h.URL.Door().String())
	}
	slices.Sort(doors)
	return "circle " + strings.Join(slices.Compact(doors), " ")
}

// mostFollowed is how many redirects are followed to check whether a chain ends after all.
const mostFollowed = 400

// endOf follows a chain that browsers give up, and gives the URL at which it ends; false where it
// does not.
func (v *prover) endOf(c chain.Chain) (end web.URL, redirects int, ok bool) {
	seen := map[string]bool{}
	for u := c.Entry; redirects < mostFollowed && !seen[u.Key()]; redirects++ {
		seen[u.Key()] = true
		a := v.world.Answer(context.Background(), chain.Ask{URL: u})
		next, _, goes := a.Next()
		if !a.IsRedirect() || !goes {
			return u, redirects, true
		}
		if chain.TooLong(next) {
			return u, redirects, false
		}
		u = next
	}
	return c.Arrival, redirects, false
}

// long adds the finding of a chain that ends, but only after more redirects than browsers follow;
// once for each end.
func (v *prover) long(c chain.Chain, end web.URL, redirects int) {
	key := "long " + end.Key()
	if v.said[key] {
		return
	}
	v.said[key] = true
	var rules []*rule.Rule
	for _, h := range c.Hops {
		if r := v.taker(h.URL); r != nil {
			rules = append(rules, r)
		}
	}
	concerned := v.linesOf(rules...)
	subject := concerned.String()
	if subject == "" {
		subject = c.Entry.Door().String()
	}
	v.tally.Add(
		finding.New(
			finding.TooManyHops,
			subject,
			fact.ChainTooLong{URL: shortened(c.Entry.String()), Redirects: redirects,
				MostHops: chain.MostHops, End: shortened(end.String())}, v.evidence(concerned, c.Entry),
		),
	)
}

// circle adds the finding of an endless chain, once for each circle.
func (v *prover) circle(c chain.Chain) {
	if c.End == chain.Limit {
		if end, redirects, ok := v.endOf(c); ok {
			v.long(c, end, redirects)
			return
		}
	}
	key := v.circleOf(c)
	if v.said[key] {
		return
	}
	v.said[key] = true
	concerned := v.linesOf(v.round(c)...)
	if concerned.String() == "" { // doors that send visitors to each other, whatever the rules are
		v.judge.Chain(&c, v.world.Goal(c.Entry))
		for _, f := range c.Findings {
			if ofCircle(f) {
				f.Evidence = v.evidence(concerned, c.Entry)
				v.tally.Add(f)
			}
		}
		return
	}
	var how fact.Facts = fact.RoundLoops{}
	if c.End == chain.Limit {
		how = fact.RoundGrows{}
	}
	v.tally.Add(
		finding.New(
			finding.RuleLoop,
			concerned.String(),
			fact.RulesLoop{URL: c.Entry.String(), How: how, Round: around(c)},
			v.evidence(concerned, c.Entry),
		),
	)
}

// ofCircle reports whether a finding is about an endless chain.
func ofCircle(f finding.Finding) bool {
	return f.Code.Row().Endless
}

// around tells the circle by its doors.
func around(c chain.Chain) []fact.Facts {
	hops := onCircle(c)
	var all []fact.Facts
	for i, h := range hops {
		if i == 3 && len(hops) > 4 {
			all = append(all, fact.RoundGoesOn{})
			return all
		}
		next, _, _ := h.Next()
		if next.Door() == h.URL.Door() {
			all = append(all, fact.RoundPath{From: shortened(h.URL.RequestURI()),
				To: shortened(next.RequestURI())})
			continue
		}
		all = append(all, fact.RoundHost{From: h.URL.Host().String(), To: next.Host().String()})
	}
	return all
}

// shortened cuts a long text.
func shortened(s string) string {
	const most = 60
	if len(s) > most {
		return s[:most] + "…"
	}
	return s
}

// named names the rules of a way, or its hops where no rule is among them.
func named(l lines, names []string) string {
	if s := l.String(); s != "" {
		return s
	}
	return told(names)
}

// tooMany is why something stays undecided that would ask for more effort than there is.
var tooMany = fact.TooManyWays{}

// cutShort says that not all was looked at that begins with a hop, where that is so.
func (v *prover) cutShort(h hop) {
	if v.names.effort.cut {
		v.tryOut(h.rule)
		v.undecided(outcome{state: state{hops: []hop{h}}}, tooMany)
	}
}

// tryOut follows one URL that a rule takes: where that goes round, there is no need to look at all
// of them.
func (v *prover) tryOut(r *rule.Rule) {
	if r == nil {
		return
	}
	u, ok := v.world.Rules.Example(r)
	if !ok || v.taker(u) != r {
		return
	}
	if c := v.run(u); endless(c) {
		v.circle(c)
	}
}

func (v *prover) undecided(o outcome, why fact.Facts) {
	concerned, names := v.way(o.hops)
	key := "undecided " + named(concerned, names)
	if v.said[key] {
		return
	}
	v.said[key] = true
	by := ""
	if way := told(names); way != named(concerned, names) {
		by = way
	}
	v.tally.Add(
		finding.New(
			finding.Undecided,
			named(concerned, names),
			fact.NotDecided{Rules: named(concerned, names), By: by, Reason: why},
			v.evidence(concerned, web.URL{}),
		),
	)
}

// mostFailed is how many ways of one rule are looked at for which no entry is found, and none
// excluded.
const mostFailed = 12

// feasible looks for an entry that takes a way, at one of the doors, and has the predicted web
// confirm it.
func (v *prover) feasible(
	o outcome,
	r *rule.Rule,
	doors []web.Door,
	confirms func(chain.Chain) bool,
) (web.URL, answer) {
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
		s.hops = slices.Clone(s.hops)
		if len(s.hops) > 0 && v.door(d).AsksRules() {
			s.hops[0].avoid = append(slices.Clone(s.hops[0].avoid), v.before(r, v.seen(s.entry, d), d)...)
		}
		// a visitor who asks for such a path is nobody's concern
		if o.end == "exempt" && len(s.hops) > 0 {
			for _, prefix := range v.world.Estate.Policy.Exempt {
				s.hops[0].avoid = append(slices.Clone(s.hops[0].avoid), below(prefix))
			}
		}
		values, a := solve(s, v.names.effort)
		if s.loose && a == impossible {
			a = unknown
		}
		if a == impossible {
			continue
		}
		decided = unknown
		try := func(values map[string]string) (web.URL, bool) {
			u := v.url(s, d, values, r)
			if o.end == "exempt" &&
				slices.ContainsFunc(
					v.world.Estate.Policy.Exempt,
					func(prefix string) bool { return strings.HasPrefix(web.NormalPath(u.Path()), prefix) },
				) {
				return u, false
			}
			return u, (r == nil || v.taker(u) == r) && confirms(v.run(u))
		}
		if a == possible {
			if u, ok := try(values); ok {
				decided = possible
				return u, possible
			}
		}
		for n := range 200 {
			if !v.names.effort.spend(4 * (1 + len(s.asked))) {
				break
			}
			var values map[string]string // the plainest first
			if n > 0 {
				values = v.guess(s)
			}
			if u, ok := try(values); ok {
				decided = possible
				return u, possible
			}
		}
	}
	return web.URL{}, decided
}

// seen gives the path of an entry as the rules of a door see it.
func (v *prover) seen(entry []rule.Part, d web.Door) []rule.Part {
	if v.door(d).DropsPath {
		return root
	}
	return entry
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
	for _, e := range v.onSite() {
		if !v.asks(e.Rule).meant {
			continue
		}
		v.names.effort.share()
		v.fund(mostStates)
		v.failed = 0
		d := v.world.Estate.Canonical
		if s := v.world.Estate.SiteOf(e.Rule.Old.Host); s != nil {
			d = s.Canonical
		}
		v.from(e.Rule, d, func(o outcome) { v.end(o, e.Rule, []web.Door{d}, 0) })
		v.cutShort(hop{door: d, what: v.place(e.Rule), rule: e.Rule})
	}
}

// fallbacks follows what no rule takes, at every ruled door, and what other doors of the estate do
// with all of their URLs.
func (v *prover) fallbacks() {
	count := map[string]int{}
	for host, rules := range v.held {
		if d := v.world.Estate.DomainOf(host); d != nil {
			count[d.Name.String()] += rules
		}
	}
	said := map[string]bool{}
	for _, d := range v.world.Doors() {
		p := v.door(d)
		if p.Does != predict.ToSite && p.Does != predict.Redirects {
			continue
		}
		s := state{door: d, first: d, query: anyQuery(), asked: map[string][]rule.Part{}}
		s.path = []rule.Part{{Literal: "/"}, v.names.fresh(rule.Part{Rest: true})}
		s.entry = s.path
		v.names.effort.share()
		v.fund(mostStates)
		v.failed = 0
		more := 0
		if p.Does == predict.Redirects && !p.Upgrades {
			more = v.more
		}
		ended := func(o outcome) {
			if o.end == "dead-end" && (p.Does != predict.Redirects || p.Upgrades) {
				return // a page that does not exist was asked for
			}
			v.end(o, nil, []web.Door{d}, more)
		}
		switch to := v.door(web.Door{Scheme: web.HTTPS, Host: d.Host}); {
		case p.Does == predict.ToSite, p.DropsPath:
			v.follow(s, ended)
		case !p.Upgrades:
			v.fallback(s, p, ended)
		case to.Does != predict.Redirects: // else it is what the https door does, in one hop more
			v.follow(s, ended)
		}
		v.cutShort(hop{door: d, what: "the fallback"})
		if name := p.Domain; p.Does == predict.Redirects && !p.Upgrades && !p.DropsPath &&
			!said[name.Name.String()] {
			said[name.Name.String()] = true
			v.proof.Fallback = append(
				v.proof.Fallback,
				Fallback{name.Name.String(), count[name.Name.String()], fallbackOf(name)},
			)
		}
	}
}

// fallbackOf tells where paths go that no rule takes.
func fallbackOf(d *estate.Domain) fact.Sentence {
	to := d.LeadsTo.String()
	var facts fact.Facts = fact.FallsToSamePath{To: to}
	switch d.Fallback {
	case estate.Gone:
		facts = fact.FallsToGone{To: to}
	case estate.Home:
		facts = fact.FallsTo{To: to}
	}
	return fact.Of(facts, fact.Says)
}

// assumes tells what a verdict takes for granted.
func (v *prover) assumes() []fact.Sentence {
	var all []fact.Sentence
	assume := func(f fact.Facts) { all = append(all, fact.Of(f, fact.Says)) }
	assume(fact.AssumesCarriers{})
	counts := func(c *estate.Carrier) bool {
		return c.HostsAtMost >= 0 || c.PatternsAtMost >= 0 || c.RulesAtMost >= 0
	}
	if i := slices.IndexFunc(v.world.Estate.Carriers, counts); i >= 0 {
		assume(fact.AssumesCounts{})
	}
	switch p := v.proof.Pages; {
	case !p.Known:
		assume(fact.AssumesPages{})
	case p.Captured > 0 || p.SamePath > 0:
		assume(fact.AssumesCaptures{})
	}
	if len(v.ofSite) == 0 {
		assume(fact.AssumesSite{})
	}
	if len(v.world.Estate.Policy.Exempt) > 0 {
		assume(fact.AssumesExempt{Paths: v.world.Estate.Policy.Exempt})
	}
	if hosts := v.unseenTargets(); len(hosts) > 0 {
		assume(fact.AssumesAnswered{Hosts: hosts})
	}
	assume(fact.AssumesOutside{})
	return all
}

// unseenTargets gives the hosts of the estate to which rules lead, and of which nobody has seen
// where they lead.
func (v *prover) unseenTargets() []string {
	var all []string
	for _, r := range v.world.Rules.Rules() {
		h := r.New.Door.Host
		if !h.IsZero() && v.world.Unseen(h) && !slices.Contains(all, h.String()) {
			all = append(all, h.String())
		}
	}
	return all
}
