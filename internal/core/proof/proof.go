// Package proof decides what holds for every URL of an estate, not for a sample: that each arrives,
// in how many hops, that nothing loops. It reasons over the patterns of the rules, and writes down
// a URL wherever that is not so.
//
// A rule leads to another where the paths that the first one produces meet those that the second
// one takes. Sets of paths are followed hop by hop through the predicted web (explore.go,
// rules.go), as templates whose variables are split wherever a pattern asks for it (symbol.go);
// what looks wrong counts only if there is an entry for it that no more specific rule takes
// (solve.go), and the predicted web itself confirms it. What is neither confirmed nor excluded is
// undecided.
//
//	r := proof.Prove(predicted, nil)
//	r.Verdict // proved, refuted or undecided
//
// # How it is proved
//
// proof.Prove follows sets of URLs instead of URLs. A set is a template: text and variables
// (symbol.go); where a rule's pattern meets it, meet gives all ways in which variables have to
// split for that, with what the pattern's captures take. explorer goes from hop to hop through
// predict.Prediction.Treatment, which says of each door how it treats its URLs, from each rule and
// each fallback on, until a set arrives, comes back, or grows without end; it keeps for every hop
// which more specific rules would have taken the path. What looks wrong there counts only if there
// is an entry that takes this way: solve looks for one in the product of the automata of all that
// has to be avoided at all hops. Found, it is written down and followed through the predicted web
// itself, which has to show what is claimed; excluded for certain, the way is dropped; neither, and
// it is undecided. Rules that lead straight to the site need none of this, which is why a million
// of them take seconds; how many sets are looked at is bounded, and what lies beyond is undecided
// too.
//
// proof_test.go compares verdicts with trying every URL of a small alphabet, random_test.go makes
// whole estates at random (carriers, fallbacks, modes, conditions, the site's own redirects) and
// looks for a URL that contradicts what is said to hold, or for one whose arrival Straighten
// changes. ROUNDS=3000 SEED=7 go test ./internal/core/proof -run NoURL goes on looking. Effort is
// shared out: a rule gets an eighth of what is left, and what it cannot finish with that is
// undecided, or refuted by the example that it takes. LittleEffort looks for a proof that a lack of
// effort made wrong.
//
// Suppose line 2 is old.example/i?p={v} to https://old.example/j?id={v}, line 3
// old.example/j?id=1{x} to /ok, line 4 old.example/j to https://old.example/k, line 5 old.example/k
// to /ok. Line 2 begins with all URLs /i?p=V. They arrive as /j?id=V, and the condition of line 3
// splits V: 1X goes on to /ok, in two hops; what does not begin with 1 is taken by line 4, and is
// on /ok after three. So no URL takes more than three, and /i?p=2 takes as many: that is the bound,
// and Deepest.
//
// The graph is never built: a rule leads on to the rules whose patterns its target meets, so that
// following the sets finds the cycles itself. A graph library would have needed those edges first.
package proof

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Schema names the shape of a proof in JSON.
const Schema = "upperpath/proof/1"

// Verdict is how a proof ends.
type Verdict string

// The verdicts.
const (
	Proved    Verdict = "proved"
	Refuted   Verdict = "refuted"   // a URL shows it
	Undecided Verdict = "undecided" // neither could be shown
)

// Proof is what was found to hold for every URL.
type Proof struct {
	Schema   string            `json:"schema"`
	Verdict  Verdict           `json:"verdict"`
	Bound    int               `json:"bound"`  // no URL takes more hops; where the verdict is proved
	Policy   int               `json:"policy"` // the hops that are wanted at most
	Doors    int               `json:"doors"`
	Rules    int               `json:"rules"`
	Deepest  string            `json:"deepest,omitempty"` // a URL that takes as many hops as the bound
	Fallback []Fallback        `json:"fallback"`          // what no rule takes
	Pages    Pages             `json:"pages"`
	Assumes  []fact.Sentence   `json:"assumes"`
	Findings []finding.Finding `json:"findings"`
	// rules that win nowhere because no carrier of their doors can hold them
	Barred int `json:"-"`
}

// Fallback says where the paths of a domain go that no rule takes.
type Fallback struct {
	Domain string        `json:"domain"`
	Rules  int           `json:"rules"` // that come before
	To     fact.Sentence `json:"to"`    // in words
}

// Pages says what a proof knows of the pages on which URLs arrive.
type Pages struct {
	Known   bool `json:"known"`   // the estate file names the pages that exist
	Checked int  `json:"checked"` // rules whose one target was compared with them
	// rules whose target holds captures: nobody knows every page that comes of them
	Captured int `json:"captured"`
	// domains where what no rule takes goes to the same path, whatever that is
	SamePath int `json:"same_path"`
}

// pages counts what is known of the pages on which URLs arrive.
func (v *prover) pages() {
	p := &v.proof.Pages
	p.Known = v.world.KnowsPages()
	isSite := v.world.Estate.IsCanonical
	for _, r := range v.world.Rules.Rules() {
		to := r.New.Door
		if r.Status == rule.Gone || !v.asks(r).meant ||
			len(r.New.Host) == 0 && !to.IsZero() && !isSite(to) {
			continue
		}
		if _, exact := literal(r.New.Parts); !exact || len(r.New.Host) > 0 {
			p.Captured++
		} else if p.Known {
			p.Checked++
		}
	}
	for _, d := range v.world.Domains() {
		if d.Fallback == estate.SamePath && isSite(d.LeadsTo.Door()) {
			p.SamePath++
		}
	}
}

// prover is the work on one proof.
type prover struct {
	*explorer
	proof  *Proof
	tally  chain.Tally
	judge  chain.Judge
	source *rand.Rand
	// ways and circles that were said already, or found undecided, by their rules or doors
	said   map[string]bool
	held   map[web.Host]int    // how many rules of the map are about a host
	chains map[*rule.Rule]bool // whose targets were said to be redirected
	unable map[*rule.Rule]bool // rules that some carrier cannot hold
	more   int                 // hops that an http door takes first
	failed int                 // ways of the present rule for which nothing was found
}

func newProver(w *predict.Prediction) *prover {
	v := &prover{
		explorer: newExplorer(w),
		source:   rand.New(rand.NewPCG(1, 1)),
		said:     map[string]bool{},
		held:     map[web.Host]int{},
		chains:   map[*rule.Rule]bool{},
		unable:   map[*rule.Rule]bool{},
		judge:    chain.Judge{Estate: w.Estate.Holds, Forwards: w.Forwards},
	}
	if w.Estate.Policy.Upgrade == estate.SameHostFirst {
		v.more = 1
	}
	v.proof = &Proof{Schema: Schema, Policy: w.Estate.Policy.Hops + v.more, Doors: len(w.Doors()),
		Fallback: []Fallback{}}
	return v
}

// Prove decides. It changes nothing of the plan. step, where it is not nil, is called for each rule
// that was looked at.
func Prove(w *predict.Prediction, step func()) *Proof {
	return proved(newProver(w), step)
}

func proved(v *prover, step func()) *Proof {
	v.ties()
	v.amiss()
	v.probes()
	v.unheld()
	v.rules(step)
	v.siteRules()
	v.fallbacks()
	v.proof.Findings = v.tally.Findings()
	v.pages()
	v.proof.Assumes = v.assumes()
	v.proof.Verdict = verdictOf(v.proof.Findings)
	return v.proof
}

// With adds what breaks while what is proved is typed, which refutes it.
func (p *Proof) With(broken []finding.Finding) *Proof {
	var all finding.Tally
	all.Add(p.Findings...)
	all.Add(broken...)
	p.Findings = all.Findings()
	p.Verdict = verdictOf(p.Findings)
	return p
}

// Accepting marks what somebody lives with at a time: it refutes nothing, and is left out of what
// is proved.
func (p *Proof) Accepting(lived []finding.Acceptance, now time.Time) *Proof {
	p.Findings = finding.Accept(p.Findings, lived, now)
	finding.Sort(p.Findings)
	p.Verdict = verdictOf(p.Findings)
	return p
}

// Rests adds that the proof rests on zones of which nothing was seen, or only parts.
func (p *Proof) Rests(unseen, partly []string) {
	if len(unseen)+len(partly) > 0 {
		p.Assumes = append(p.Assumes,
			fact.Of(fact.AssumesZones{Unseen: unseen, Partly: partly}, fact.Says))
	}
}

func verdictOf(findings []finding.Finding) Verdict {
	said := Proved
	for _, f := range findings {
		switch {
		case !f.Open():
		case f.Code == finding.Undecided, f.Code == finding.DeclaredOtherwise:
			if said == Proved {
				said = Undecided
			}
		case f.Severity == finding.Error && f.Open():
			said = Refuted
		}
	}
	return said
}

// ties adds the rules that the order of specificity cannot tell apart.
func (v *prover) ties() {
	ties := v.world.Rules.Ties()
	if p := v.door(v.world.Estate.Canonical); p.Does == predict.Serves {
		ties = append(ties, p.Rules.Ties()...) // one table has the rules of all sites
	}
	for _, t := range ties {
		if !v.asks(t.First).meant {
			continue
		}
		concerned := v.linesOf(t.First, t.Second)
		v.tally.Add(
			finding.New(
				finding.Tie,
				concerned.String(),
				fact.RulesTied{First: v.place(t.First), FirstOld: t.First.Old.String(), Second: t.Second.Line,
					SecondOld: t.Second.Old.String(), Witness: t.Witness.String()},
				v.evidence(concerned, t.Witness),
			),
		)
	}
}

// amiss says of which doors nothing can be proved, since what is typed at their carriers is not
// what is meant.
func (v *prover) amiss() {
	for _, d := range v.world.Doors() {
		p := v.door(d)
		if p.Does != predict.Says {
			continue
		}
		root := d.URL("/", "")
		f := finding.New(finding.BeyondCarrier, d.String(),
			fact.TypedAmiss{Carrier: p.Carrier, Zone: p.Domain.Name.String()},
			v.evidence(v.linesOf(), root)).GroupedBy("typed at " + p.Carrier + " of " +
			p.Domain.Name.String())
		f.Entry = root.String()
		v.tally.Add(f)
	}
}

// evidence gives the rules concerned, a witness and its predicted chain.
func (v *prover) evidence(concerned lines, witness web.URL) map[string]any {
	e := map[string]any{"rules": concerned.rules}
	if len(concerned.site) > 0 {
		e["site_rules"] = concerned.site
	}
	if !witness.IsZero() {
		e["witness"] = witness.String()
		e["chain"] = steps(v.run(witness))
	}
	return e
}

func (v *prover) run(u web.URL) chain.Chain {
	c := chain.Follow(context.Background(), v.world, chain.Ask{URL: u}, chain.ByRule)
	steps := 50
	for _, h := range c.Hops {
		steps += 20 + len(h.URL.Path())
	}
	v.names.effort.spend(steps)
	return c
}

// steps writes a chain as its URLs, each with its answer.
func steps(c chain.Chain) []string {
	var all []string
	for _, h := range c.Hops {
		answer := fmt.Sprint(h.Status)
		if h.Refusal != "" {
			answer = string(h.Refusal)
		}
		all = append(all, h.URL.String()+" "+answer)
	}
	if c.LoopsTo != nil {
		all = append(all, "and back to "+c.Hops[*c.LoopsTo].URL.String())
	}
	return all
}

// probes follows the probes of every door: how a carrier treats its doors shows at each of their
// URLs.
func (v *prover) probes() {
	for _, d := range v.world.Doors() {
		probes := chain.Probes(d)
		for _, probe := range chain.ProbeOrder {
			c := chain.Follow(context.Background(), v.world, chain.Ask{URL: probes[probe]}, probe)
			v.judge.Chain(&c, v.world.Goal(probes[probe]))
			if endless(c) && len(v.round(c)) > 0 { // the rules are the cause, not the doors
				c.Findings = slices.DeleteFunc(c.Findings, ofCircle)
				v.circle(c)
			} else if endless(c) {
				v.said[v.circleOf(c)] = true
			}
			for i := range c.Findings {
				c.Findings[i].Evidence = v.evidence(v.linesOf(), c.Entry)
			}
			v.tally.Add(c.Findings...)
			v.deeper(c)
		}
	}
}

// unheld says where carriers cannot hold rules that are meant for their doors, so that a URL goes
// elsewhere than its rule says.
func (v *prover) unheld() {
	for _, d := range v.world.Doors() {
		p := v.door(d)
		limited := !p.AsksRules() && !p.Upgrades || p.DropsPath || p.DropsQuery || p.Asked != d
		if p.Domain == nil || v.world.IsSite(d.Host) ||
			p.Does != predict.Redirects && p.Does != predict.ToSite || !limited {
			continue
		}
		var concerned []*rule.Rule
		var witness web.URL
		for _, e := range v.world.Rules.On(d) {
			asked := e.Rule.Old.Scheme == "" || e.Rule.Old.Scheme == p.Asked.Scheme
			if p.AsksRules() && asked && !p.DropsPath && (len(e.Rule.Old.Query) == 0 || !p.DropsQuery) {
				continue
			}
			u, ok := v.world.Rules.Example(e.Rule)
			if u = u.At(d); !ok || v.asIntended(u) {
				continue
			}
			v.unable[e.Rule] = true
			if concerned = append(concerned, e.Rule); len(concerned) == 1 {
				witness = u
			}
		}
		for _, e := range v.onlyAsAsked(p) {
			u, ok := v.world.Rules.Example(e.Rule)
			if u = u.At(d); ok && !v.asIntended(u) {
				if concerned = append(concerned, e.Rule); len(concerned) == 1 {
					witness = u
				}
			}
		}
		if len(concerned) == 0 {
			continue
		}
		c, l := v.run(witness), v.linesOf(concerned...)
		f := finding.New(finding.BeyondCarrier, d.String(),
			fact.CarrierCannot{Carrier: p.Carrier, Rules: l.String(), URL: witness.String(),
				Arrival: c.Arrival.String(), Target: v.world.Goal(witness).Target.String(),
				Host: d.Host.String()}, v.evidence(l, witness)).
			GroupedBy(p.Carrier + " " + p.Domain.Name.String())
		f.Entry = witness.String()
		v.tally.Add(f)
	}
}

// onlyAsAsked gives the rules that name another scheme than that of a door, and take its URLs all
// the same, since its carrier asks by that.
func (v *prover) onlyAsAsked(p predict.Treatment) []rule.Entry {
	if p.Asked.Scheme == p.Door.Scheme || !p.AsksRules() {
		return nil
	}
	return slices.DeleteFunc(v.world.Rules.On(p.Asked), func(e rule.Entry) bool {
		return e.Rule.Old.Scheme == ""
	})
}

// asIntended reports whether a URL ends where it would if no carrier were limited, apart from a
// query that is not handed on, which is said of the door.
func (v *prover) asIntended(u web.URL) bool {
	c, want := v.run(u), v.world.Goal(u)
	if want.Gone {
		return c.Last().Status == rule.Gone
	}
	return c.Arrival.Door() == want.Target.Door() &&
		web.NormalPath(c.Arrival.Path()) == web.NormalPath(want.Target.Path())
}

// deeper notes a chain that takes more hops than those before.
func (v *prover) deeper(c chain.Chain) {
	if n := c.Redirects(); c.End == chain.Page && n > v.proof.Bound {
		v.proof.Bound, v.proof.Deepest = n, c.Entry.String()
	}
}

// rules follows every rule to all of its ends.
func (v *prover) rules(step func()) {
	for _, r := range v.world.Rules.Rules() {
		if step != nil {
			step()
		}
		from := v.asks(r)
		if !from.meant {
			continue
		}
		v.names.effort.share()
		v.proof.Rules++
		v.held[r.Old.Host]++
		doors, cut := from.doors, v.rooted(r, from.cut)
		if v.unable[r] && (len(doors)+len(cut) == 0 || !v.wins(r, append(slices.Clip(doors), cut...))) {
			v.proof.Barred++ // which is said already, as beyond-carrier
			continue
		}
		if len(doors)+len(cut) == 0 {
			v.shadowed(r, fact.DoorUncarried{})
			continue
		}
		if !v.wins(r, append(slices.Clip(doors), cut...)) {
			v.shadowed(r, fact.AllTaken{})
			continue
		}
		switch {
		case r.Status == rule.Gone:
			v.atLeast(0)
		case v.ends(r) && !v.known(r):
			v.atLeast(1 + v.more)
		default:
			v.downgrade(r, append(slices.Clip(doors), cut...))
			v.follows(r, doors, v.more)
			for _, d := range cut {
				v.follows(r, []web.Door{d}, v.more)
			}
			v.cutShort(hop{what: v.place(r), rule: r})
		}
	}
}

// follows follows a rule from all of its URLs at doors that are alike, to all of its ends.
func (v *prover) follows(r *rule.Rule, doors []web.Door, more int) {
	if len(doors) == 0 {
		return
	}
	v.fund(mostStates)
	v.failed = 0
	v.from(r, doors[0], func(o outcome) { v.end(o, r, doors, more) })
}

// rooted gives those of the doors that treat every path like "/" at which a rule takes that one.
func (v *prover) rooted(r *rule.Rule, cut []web.Door) []web.Door {
	var all []web.Door
	for _, d := range cut {
		if len(v.starts(r, d)) > 0 {
			all = append(all, d)
		}
	}
	return all
}

// ends reports whether a rule leads to the site for good, whatever its captures take.
func (v *prover) ends(r *rule.Rule) bool {
	to := r.New.Door
	if to.IsZero() {
		to = v.world.Estate.Canonical
	}
	return len(r.New.Host) == 0 && v.world.Estate.IsCanonical(to) && len(v.ofSite) == 0 &&
		v.door(to).Does == predict.Serves
}

// known reports whether a rule leads to one page of which it is known whether it exists.
func (v *prover) known(r *rule.Rule) bool {
	_, exact := literal(r.New.Parts)
	return exact && v.world.KnowsPages()
}

// atLeast notes a bound that needs no example.
func (v *prover) atLeast(hops int) { v.proof.Bound = max(v.proof.Bound, hops) }

// origin is what rules have in common that are asked on the same doors.
type origin struct {
	host   web.Host
	scheme web.Scheme
}

// asked says of an origin whether the plan is about it, and on which doors its rules are asked:
// https before http, the own host first.
type asked struct {
	meant bool
	doors []web.Door
	cut   []web.Door // those that treat every path like "/"
}

// asks gives what holds for the origin of a rule.
func (v *prover) asks(r *rule.Rule) *asked {
	from := origin{r.Old.Host, r.Old.Scheme}
	if a := v.origins[from]; a != nil {
		return a
	}
	a := &asked{meant: v.world.Means(from.host)}
	hosts := []web.Host{from.host}
	if from.host.IsApex() && !v.world.Estate.Serves(from.host.WWW()) {
		hosts = append(hosts, from.host.WWW())
	}
	for _, scheme := range []web.Scheme{web.HTTPS, web.HTTP} {
		for _, h := range hosts {
			d := web.Door{Scheme: scheme, Host: h}
			p := v.door(d)
			switch {
			case p.Does != predict.Redirects || !p.AsksRules() ||
				from.scheme != "" && from.scheme != p.Asked.Scheme:
			case p.DropsPath:
				a.cut = append(a.cut, d)
			default:
				a.doors = append(a.doors, d)
			}
		}
	}
	v.origins[from] = a
	return a
}

// start is a set of URLs that a rule takes, with what its captures take.
type start struct {
	state
	takes binding
}

// starts gives the URLs that a rule takes at a door: one set, or several where the old site did not
// care.
func (v *prover) starts(r *rule.Rule, d web.Door) []start {
	if v.door(d).DropsPath {
		return v.rootStarts(r, d)
	}
	var all []start
	for _, own := range v.door(d).Paths.Variants(r.Old.Parts) {
		s := state{door: d, first: d, query: anyQuery(), asked: map[string][]rule.Part{}, avoid: not(own)}
		takes := binding{}
		for _, p := range own.Parts {
			if p.IsCapture() {
				fresh := v.names.fresh(p)
				takes[p.Name] = []rule.Part{fresh}
				p = fresh
			}
			s.path = append(s.path, p)
		}
		s.entry = s.path
		all = append(all, start{s, takes})
	}
	return all
}

// rootStarts gives the URLs that a rule takes at a door that treats every path like "/": all of
// them, or none.
func (v *prover) rootStarts(r *rule.Rule, d web.Door) []start {
	mode := v.door(d).Paths
	for _, own := range mode.Variants(r.Old.Parts) {
		ways, _ := v.names.meet(root, own.Parts, mode.IgnoreCase)
		if len(ways) == 0 {
			continue
		}
		s := state{door: d, first: d, query: anyQuery(), asked: map[string][]rule.Part{}, path: root}
		s.entry = []rule.Part{{Literal: "/"}, v.names.fresh(anyText)}
		return []start{{s, ways[0].takes}}
	}
	return nil
}

// anyQuery is a query of which nothing is known.
func anyQuery() parameters {
	return parameters{map[string][]rule.Part{}, map[string]bool{}, true}
}

// from goes on behind a rule, from all of its URLs at a door.
func (v *prover) from(r *rule.Rule, d web.Door, emit func(outcome)) {
	for _, s := range v.starts(r, d) {
		v.conditions(s.state, s.takes, r.Old.Query, func(at state, takes binding) {
			v.take(at, r, takes, emit)
		})
	}
}

// root is the one path "/" as a template.
var root = []rule.Part{{Literal: "/"}}

func (v *prover) shadowed(r *rule.Rule, why fact.Facts) {
	v.tally.Add(
		finding.New(
			finding.Shadowed,
			v.place(r),
			fact.NeverWins{Rule: v.place(r), Old: r.Old.String(), Why: why},
			v.evidence(v.linesOf(r), web.URL{}),
		),
	)
}

// wins reports whether there is a URL that a rule wins at one of its doors; where that is not
// decided, it counts as winning.
func (v *prover) wins(r *rule.Rule, doors []web.Door) bool {
	if !v.door(doors[0]).DropsPath && v.world.Rules.WinsAt(r, v.door(doors[0]).Asked) {
		return true
	}
	if u, ok := v.world.Rules.Example(r); ok && slices.Contains(doors, u.Door()) && v.taker(u) == r {
		return true
	}
	for _, d := range doors {
		for _, s := range v.starts(r, d) {
			s.avoid = append(s.avoid, v.before(r, s.path, d)...)
			if _, a := solve(s.state, v.names.effort); a != impossible {
				return true
			}
		}
	}
	return false
}

// before gives those of the paths of a template that rules of a door take, whatever the query is:
// those that win over a rule, or all for none.
func (v *prover) before(r *rule.Rule, path []rule.Part, d web.Door) []rule.Variant {
	p := v.door(d)
	mode := p.Paths
	var conditions []rule.Condition
	if r != nil {
		conditions = r.Old.Query
	}
	var avoid []rule.Variant
	for _, prefix := range p.Exempt {
		avoid = append(avoid, below(prefix))
	}
	sure := parameters{fixed: map[string][]rule.Part{}}.set(conditions)
	for _, e := range v.candidates(p, path, sure) {
		if e.Rule == r {
			break
		}
		if len(e.Rule.Old.Query) > 0 && !implied(e.Rule.Old.Query, conditions) {
			continue
		}
		for _, a := range mode.Variants(e.Rule.Old.Parts) {
			if ways, _ := v.names.meet(path, a.Parts, mode.IgnoreCase); len(ways) > 0 {
				avoid = append(avoid, a)
			}
		}
	}
	return avoid
}

// below gives the paths that begin with a text.
func below(prefix string) rule.Variant {
	return rule.Variant{Parts: []rule.Part{{Literal: prefix}, anyText}}
}

// not gives what a variant leaves out.
func not(v rule.Variant) []rule.Variant {
	var all []rule.Variant
	for _, end := range v.Not {
		all = append(all, rule.Variant{Parts: endsIn(end)})
	}
	return all
}

// endsIn is the pattern of all that ends in a text. Only solve takes it, where a capture of the
// rest may stand in front.
func endsIn(end string) []rule.Part {
	return []rule.Part{anyText, {Literal: end}}
}

// mayEndIn reports whether a path of a template may end in a text.
func mayEndIn(path []rule.Part, end string, fold bool) bool {
	last := path[len(path)-1].Literal
	if fold {
		last = strings.ToLower(last)
	}
	return strings.HasSuffix(last, end) || len(path) > 1 && strings.HasSuffix(end, last)
}

// implied reports whether conditions hold wherever others do.
func implied(conditions, others []rule.Condition) bool {
	for _, c := range conditions {
		if !slices.ContainsFunc(others, func(o rule.Condition) bool { return o.String() == c.String() }) {
			return false
		}
	}
	return true
}

// url writes an entry down.
func (v *prover) url(s state, d web.Door, values map[string]string, r *rule.Rule) web.URL {
	fill := func(parts []rule.Part) string {
		var b strings.Builder
		for _, p := range parts {
			value, set := values[p.Name]
			switch {
			case !p.IsCapture():
				b.WriteString(p.Literal)
			case set:
				b.WriteString(value)
			case p.Digits:
				b.WriteString("7")
			case !p.Rest:
				b.WriteString("x")
			}
		}
		return b.String()
	}
	asked := map[string]string{}
	for k, parts := range s.asked {
		asked[k] = fill(parts)
	}
	if r != nil {
		for _, c := range r.Old.Query {
			if _, there := asked[c.Key]; !there {
				asked[c.Key] = fill(c.Parts)
			}
		}
	}
	var query []string
	for k, value := range asked {
		query = append(query, k+"="+value)
	}
	slices.Sort(query)
	return d.URL(fill(s.entry), strings.Join(query, "&"))
}

// downgrade says that a rule leads from https to http.
func (v *prover) downgrade(r *rule.Rule, doors []web.Door) {
	scheme := r.New.Door.Scheme
	if len(r.New.Host) > 0 {
		scheme = r.New.Scheme
	}
	if scheme != web.HTTP {
		return
	}
	for _, d := range doors {
		if d.Scheme != web.HTTPS {
			continue
		}
		v.failed = 0
		found, open := false, false
		for _, from := range v.starts(r, d) {
			v.conditions(from.state, from.takes, r.Old.Query, func(s state, _ binding) {
				h := hop{door: d, path: s.path, what: v.place(r), rule: r, avoid: s.avoid}
				s.hops, s.avoid = []hop{h}, nil
				u, a := v.feasible(outcome{state: s}, r, []web.Door{d}, func(c chain.Chain) bool {
					return len(c.Hops) > 1 && c.Hops[1].URL.Scheme() == web.HTTP
				})
				open = open || a == unknown
				if a == possible && !found {
					found = true
					v.tally.Add(
						finding.New(
							finding.Downgrade,
							v.place(r),
							fact.RuleDowngrades{Rule: v.place(r), Old: r.Old.String(), New: r.New.String()},
							v.evidence(v.linesOf(r), u),
						),
					)
				}
			})
		}
		if open && !found {
			v.undecided(outcome{state: state{hops: []hop{{what: v.place(r), rule: r}}}},
				fact.MayLeaveHTTPS{})
		}
	}
}
