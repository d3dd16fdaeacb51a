package plan

import (
	"cmp"
	"context"
	"iter"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// redirectsNeeded refuses rules that would send a host to the site that somebody else needs.
func redirectsNeeded(w *predict.Prediction) act.Found {
	var f act.Found
	for _, r := range w.Rules.Rules() {
		d := w.Estate.DomainOf(r.Old.Host)
		if d == nil {
			continue
		}
		if by := d.NeededBy(r.Old.Host); by != "" {
			f.Find(
				finding.DependedOn,
				r.Place(),
				fact.RuleTakesNeeded{Line: r.Line, Host: r.Old.Host.String(), By: by, Place: r.Place()},
			)
		}
	}
	return f
}

// ChainOf predicts the chain of a rule's example; none where it has none. It is not kept: there may
// be a million.
func (p *Plan) ChainOf(r *PlannedRule) []predict.Hop {
	u, err := web.ParseURL(r.Example)
	if err != nil {
		return []predict.Hop{}
	}
	return stepsFrom(p.Web, u)
}

func leftDomains(e *estate.Estate, w *predict.Prediction) act.Found {
	var f act.Found
	for _, d := range e.Domains {
		if d.State == estate.Leave && w.Means(d.Name) {
			f.Note(act.LeftAsItIs, d.Name.Unicode())
		}
	}
	return f
}

func doorsOf(w *predict.Prediction) []PlannedDoor {
	doors := w.Doors()
	all := make([]PlannedDoor, len(doors))
	crew.Each(len(doors), func(i int) {
		d := doors[i]
		root := d.URL("/", "")
		made := PlannedDoor{Door: d, Carrier: predict.SiteName, LeadsTo: w.Goal(root).Target}
		domain := w.Estate.DomainOf(d.Host)
		if domain != nil {
			made.Domain = domain.Name.String()
		}
		if c := w.Carrier(d.Host); c != nil {
			made.Carrier, made.Fallback = c.Name, string(domain.Fallback)
		}
		all[i] = made
	})
	return all
}

func stepsFrom(w *predict.Prediction, u web.URL) []predict.Hop {
	steps, _ := w.Steps(u, chain.Root)
	return steps
}

func rulesOf(w *predict.Prediction) []PlannedRule {
	all := []PlannedRule{}
	meant := map[*estate.Domain]bool{}
	for _, d := range w.Domains() {
		meant[d] = true
	}
	for _, r := range w.Rules.Rules() {
		d := w.Estate.DomainOf(r.Old.Host)
		if d == nil || !meant[d] {
			continue
		}
		listed := PlannedRule{
			Line:     r.Line,
			Old:      r.Old.String(),
			New:      r.New.String(),
			Status:   cmp.Or(r.Status, w.Estate.Policy.Status),
			Query:    "keep",
			Carriers: []string{},
		}
		if r.DropQuery {
			listed.Query = "drop"
		}
		if r.Status == rule.Gone {
			listed.New = ""
		}
		for _, h := range d.Hosts() {
			inherits := r.Old.Host == d.Name && h == d.Name.WWW()
			if c := w.Estate.Holder(d.Carry[h]); c != nil && (h == r.Old.Host || inherits) &&
				!slices.Contains(listed.Carriers, c.Name) {
				listed.Carriers = append(listed.Carriers, c.Name)
			}
		}
		if u, ok := w.Rules.Example(r); ok {
			listed.Example = u.String()
		}
		all = append(all, listed)
	}
	return all
}

// faultyRules says what is wrong with the rules among themselves and with where they stand.
func faultyRules(w *predict.Prediction) act.Found {
	var f act.Found
	for _, t := range w.Rules.Ties() {
		f.Findings = append(f.Findings, predict.TieFinding(t))
	}
	for _, pair := range w.Rules.Duplicates() {
		f.Notes = append(f.Notes,
			act.Note{Notice: act.SaidAlready, Lines: [2]int{pair[1].Line, pair[0].Line}})
	}
	for _, r := range w.Rules.Rules() {
		if w.Estate.Serves(r.Old.Host) {
			f.Find(
				finding.BeyondCarrier,
				r.Place(),
				fact.RuleOfSite{Line: r.Line, Place: r.Place(), Host: r.Old.Host.String()},
			)
		}
	}
	return f
}

// predicted judges the predicted chains of all doors and examples. A door whose carrier is known to
// be unable is not judged once more.
func predicted(p *Plan, beyond map[web.Door]bool) act.Found {
	judge := chain.Judge{Estate: p.Estate.Holds, Forwards: p.Forwards}
	asks := p.Asks(true)
	each, still := make([][]finding.Finding, len(asks)), make([]string, len(asks))
	memory, looping := remembering(p.input)
	returning := chain.Returning{Asker: p.Web, Memory: memory, Now: p.input.Now}
	crew.Each(len(asks), func(i int) {
		ask := asks[i]
		if beyond[ask.URL.Door()] || p.Web.Untold(ask.URL.Host()) != "" {
			return
		}
		c := chain.Follow(context.Background(), p.Web, chain.Ask{URL: ask.URL}, ask.Probe)
		judge.Chain(&c, p.Goal(ask.URL))
		if ask.Probe == chain.Root && memory != nil {
			again := chain.Follow(context.Background(), returning, chain.Ask{URL: ask.URL}, ask.Probe)
			memory.JudgeReturning(&c, &again, p.input.Now)
			for _, one := range again.Findings {
				// that a browser comes by an earlier redirect to another page is what it was told to do
				switch {
				case one.Code == finding.RememberedLoop && looping[ask.URL.Host()]:
					still[i] = ask.URL.Host().String() // those go round today as well
				case one.Code == finding.RememberedLoop, one.Code == finding.HSTSTrap,
					one.Code == finding.DeadEnd:
					each[i] = append(each[i], one.As(finding.Warning))
				}
			}
		}
		for _, one := range c.Findings {
			if by := p.Web.Carrier(ask.URL.Host()); one.Code == finding.QueryLost && by != nil &&
				!by.KeepsQuery {
				// a limit of the carrier, however many doors meet it
				one = one.GroupedBy("queries at " + by.Name)
			}
			each[i] = append(each[i], one)
		}
	})
	f := act.Found{Findings: append(slices.Concat(each...), p.replayed(returning, beyond, looping)...)}
	locked := lockedOut(p, memory)
	f.Findings = slices.DeleteFunc(f.Findings, func(one finding.Finding) bool { // they say it whole
		return one.Code == finding.HSTSTrap && slices.ContainsFunc(locked.Findings,
			func(l finding.Finding) bool { return strings.HasSuffix(one.Subject, "://"+l.Subject) })
	})
	f.Findings = append(f.Findings, locked.Findings...)
	policy := policyHSTS(p)
	f.Findings, f.Notes = append(f.Findings, policy.Findings...), append(f.Notes, policy.Notes...)
	slices.Sort(still)
	if still = slices.DeleteFunc(slices.Compact(still), func(h string) bool { return h == "" }); len(
		still) > 0 {
		f.Note(act.StillLooping, still...)
	}
	return f
}

// replayed follows every permanent redirect that browsers remember into the planned web, beside the
// roots of doors, which are judged with these: what goes round or ends where there is nothing. What
// is so at many URLs of a door is one finding.
func (p *Plan) replayed(returning chain.Returning, beyond map[web.Door]bool,
	looping map[web.Host]bool) []finding.Finding {
	if returning.Memory == nil {
		return nil
	}
	urls := returning.Memory.Redirects()
	each := make([][]finding.Finding, len(urls))
	crew.Each(len(urls), func(i int) {
		u := urls[i]
		if u.RequestURI() == "/" || beyond[u.Door()] || looping[u.Host()] ||
			!p.Web.Means(u.Host()) && !p.Estate.Serves(u.Host()) || p.Web.Untold(u.Host()) != "" {
			return
		}
		fresh := chain.Follow(context.Background(), p.Web, chain.Ask{URL: u}, chain.Asked)
		again := chain.Follow(context.Background(), returning, chain.Ask{URL: u}, chain.Asked)
		returning.Memory.JudgeReturning(&fresh, &again, p.input.Now)
		for _, one := range again.Findings {
			if one.Code == finding.RememberedLoop || one.Code == finding.DeadEnd {
				each[i] = append(each[i], one.As(finding.Warning).GroupedBy("remembered at "+
					u.Door().String()))
			}
		}
	})
	return slices.Concat(each...)
}

// remembering gives what browsers remember that met what was met last: permanent redirects, and
// hosts that are to be asked by https alone; nil where nothing was met. looping are the hosts at
// which they go round today.
func remembering(in Input) (memory *chain.Memory, looping map[web.Host]bool) {
	var m chain.Memory
	for _, h := range in.Preloaded {
		m.Preload(h.Host, h.Below)
	}
	looping = map[web.Host]bool{}
	visit := func(c *chain.Chain) {
		m.Visit(c, in.Now)
		looping[c.Entry.Host()] = looping[c.Entry.Host()] || c.End == chain.Loop || c.End == chain.Limit
	}
	if in.Survey != nil {
		for i := range in.Survey.Domains {
			for j := range in.Survey.Domains[i].Chains {
				visit(&in.Survey.Domains[i].Chains[j])
			}
		}
	}
	for i := range in.Audited {
		visit(&in.Audited[i])
	}
	if redirects, hosts := m.Count(); redirects+hosts == 0 {
		return nil, looping
	}
	return &m, looping
}

// earlierOf returns the domains that earlier waves have moved, where one wave is meant.
func earlierOf(in Input, w *predict.Prediction) []*estate.Domain {
	var all []*estate.Domain
	for _, d := range in.Estate.Domains {
		if d.State == estate.Moved && d.Wave < in.Wave && !w.Means(d.Name) {
			all = append(all, d)
		}
	}
	return all
}

// Asks returns what an audit asks: every door's probes, and with rules an example of each rule.
// Where one wave is meant, the roots of what earlier ones moved are asked too.
func (p *Plan) Asks(rules bool) []ToAsk {
	if rules && p.asks != nil {
		return p.asks
	}
	var asks []ToAsk
	for _, d := range p.Doors {
		probes := chain.Probes(d.Door)
		for _, probe := range chain.ProbeOrder {
			asks = append(asks, ToAsk{probes[probe], probe})
		}
	}
	for _, d := range earlierOf(p.input, p.Web) {
		for _, h := range d.Hosts() {
			for _, door := range web.Doors(h.Typed()) {
				asks = append(asks, ToAsk{chain.Probes(door)[chain.Root], chain.Root})
			}
		}
	}
	for _, r := range p.Rules {
		u, err := web.ParseURL(r.Example)
		switch {
		case err != nil || !rules || len(r.Carriers) == 0:
		case strings.Contains(r.Old, "{"):
			asks = append(asks, ToAsk{u, chain.ByPattern})
		default:
			asks = append(asks, ToAsk{u, chain.ByRule})
		}
	}
	return asks
}

// urls gives what an audit asks, without why.
func (p *Plan) urls() iter.Seq[web.URL] {
	return func(yield func(web.URL) bool) {
		for _, ask := range p.asks {
			if !yield(ask.URL) {
				return
			}
		}
	}
}
