package predict

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Input is what a predicted web is made of.
type Input struct {
	Estate    *estate.Estate
	Rules     []*rule.Rule              // the redirect map
	SiteRules []*rule.Rule              // what the site redirects by itself
	Pages     []web.URL                 // the pages that exist; nil: nobody knows
	Only      func(*estate.Domain) bool // which domains are meant; nil: all
	Now       time.Time                 // for policy from a day on; zero: before all
}

// Prediction is the predicted web: what every URL answers once the plan is carried out. It is a
// chain.Asker, and safe for many goroutines.
type Prediction struct {
	Estate *estate.Estate
	Rules  *rule.Table // the redirect map

	site     *rule.Table
	pages    map[string]bool
	only     func(*estate.Domain) bool
	doors    []web.Door
	hsts     string // the header that servers' https doors send
	remember string // the Cache-Control header of permanent redirects of servers

	typed  *Typed // the state of the world that is predicted; nil: what is meant
	met    map[web.Door]Treatment
	untold map[web.Host]string
}

// Untold gives the carrier that nothing tells of a host, "" where all that have to be are told.
func (w *Prediction) Untold(h web.Host) string { return w.untold[h] }

// New compiles the rules and lists the doors.
func New(in Input) *Prediction {
	w := &Prediction{Estate: in.Estate, only: in.Only,
		Rules: rule.Compile(in.Rules, rule.Scope{Serves: in.Estate.Serves, Mode: in.Estate.Mode}),
		site:  rule.Compile(in.SiteRules, rule.Scope{Serves: in.Estate.Serves})}
	if step, is := in.Estate.Policy.HSTSAt(in.Now); is {
		w.hsts = step.Header()
	}
	if step, is := in.Estate.Policy.RememberAt(in.Now); is {
		w.remember = step.Header()
	}
	if w.only == nil {
		w.only = func(*estate.Domain) bool { return true }
	}
	if in.Pages != nil {
		w.pages = map[string]bool{}
		for _, s := range in.Estate.Sites() {
			w.pages[s.Canonical.URL("/", "").Key()] = true
		}
		for _, u := range in.Pages {
			w.pages[u.Key()] = true
		}
	}
	w.listDoors()
	return w
}

// Answer predicts what a URL answers.
func (w *Prediction) Answer(_ context.Context, ask chain.Ask) chain.Answer {
	return w.Treatment(ask.URL.Door()).Answer(ask.URL)
}

// Treatment describes a door, whether it is one of the estate's or not. What listens at a port of
// its own is no door of the estate.
func (w *Prediction) Treatment(d web.Door) Treatment {
	if met, is := w.met[d]; is {
		return met
	}
	if w.typed != nil && d.Port == 0 && w.lives(d.Host) {
		return Treatment{Door: d, Asked: d, Domain: w.Estate.DomainOf(d.Host)}
	}
	return w.modelled(d)
}

// lives reports whether a host that nobody of the estate carries answers visitors as it does today:
// it leads somewhere, or nobody has looked. It counts as serving a page.
func (w *Prediction) lives(h web.Host) bool {
	d := w.Estate.DomainOf(h)
	if d == nil || w.Carrier(h) != nil || w.IsSite(h) {
		return false
	}
	return len(w.typed.State.Lead(h.String()).Ends) > 0
}

// Unseen reports whether nobody has seen where a host of the estate leads that nobody carries.
func (w *Prediction) Unseen(h web.Host) bool {
	return w.typed != nil && w.lives(h) && w.typed.State.Lead(h.String()).Unseen()
}

// modelled describes a door as it is meant.
func (w *Prediction) modelled(d web.Door) Treatment {
	domain := w.Estate.DomainOf(d.Host)
	switch c := w.Carrier(d.Host); {
	case d.Port != 0:
	case w.IsSite(d.Host):
		if edge := through(domain, d.Host); edge != nil {
			return w.siteDoor(Asks(edge, d), domain).Behind(edge, d)
		}
		return w.siteDoor(d, domain)
	case c != nil && c.Behind != "":
		origin := w.Estate.Carrier(c.Behind)
		if origin == nil {
			return Treatment{
				Door:    d,
				Asked:   d,
				Carrier: c.Name,
				Domain:  domain,
				Does:    Refuses,
				Refusal: chain.BadAnswer,
				Detail:  fact.NobodyBehind{Carrier: c.Name},
			}
		}
		return w.carried(origin, Asks(c, d), domain).Behind(c, d)
	case c != nil:
		return w.carried(c, d, domain)
	case domain != nil:
		return Treatment{
			Door:    d,
			Asked:   d,
			Domain:  domain,
			Does:    Refuses,
			Refusal: chain.NoAddress,
			Detail:  fact.NoRecordGiven{},
		}
	}
	return Treatment{Door: d, Asked: d}
}

// Held describes the doors that a carrier itself holds, as it is asked for them: its hosts, and
// those of edge networks in front of it.
func (w *Prediction) Held(carrier string) []Treatment {
	var all []Treatment
	for _, d := range w.Domains() {
		for _, h := range d.Hosts() {
			c := w.Estate.Holder(d.Carry[h])
			if c == nil || c.Name != carrier || w.Estate.Serves(h) {
				continue
			}
			for _, door := range web.Doors(h) {
				if _, turned := turnsAway(c, door); !turned {
					all = append(all, w.carried(c, door, d))
				}
			}
		}
	}
	return all
}

// carried describes a door that a carrier answers by itself.
func (w *Prediction) carried(c *estate.Carrier, d web.Door, domain *estate.Domain) Treatment {
	if turned, ok := turnsAway(c, d); ok {
		turned.Domain = domain
		return turned
	}
	door := w.intended(d, domain)
	door.Carrier = c.Name
	if d.Scheme == web.HTTPS && c.By == estate.Server {
		door.HSTS = w.hsts
	}
	if c.By == estate.Server {
		door.Remember = w.remember
	}
	door.DropsPath, door.DropsQuery = !c.KeepsPath, !c.KeepsQuery
	switch {
	case c.By.Row().OneTarget: // it looks at nothing but the host
		door.Rules, door.Upgrades, door.Exempt = nil, false, nil
	case !c.HoldsRules: // it redirects whole hosts
		door.Does, door.Rules, door.Upgrades, door.Exempt, door.Paths = ToSite, nil, false, nil,
			rule.Mode{}
	}
	return door
}

// wanted describes a door as it should be, were its carrier not limited.
func (w *Prediction) intended(d web.Door, domain *estate.Domain) Treatment {
	p := w.Estate.Policy
	door := Treatment{Door: d, Asked: d, Domain: domain, Does: Redirects, Exempt: w.exempt(d),
		Rules: w.Rules, Status: p.Status,
		Canonical: w.Estate.Canonical, Home: domain.LeadsTo, Fallback: domain.Fallback,
		Paths: domain.Paths}
	if p.Upgrade == estate.SameHostFirst && d.Scheme == web.HTTP {
		door.Upgrades, door.Rules = true, nil
	}
	return door
}

// siteDoor describes a door of the site itself.
func (w *Prediction) siteDoor(d web.Door, domain *estate.Domain) Treatment {
	door := Treatment{Door: d, Asked: d, Carrier: SiteName, Domain: domain, Does: ToSite,
		Exempt: w.exempt(d), Status: 301,
		Canonical: w.Estate.Canonical, Fallback: estate.SamePath}
	s := w.Estate.SiteOf(d.Host)
	if s != nil {
		door.Canonical = s.Canonical
	}
	door.Home = door.Canonical.URL("/", "")
	if d == door.Canonical {
		door.Does, door.Rules, door.Status = Serves, w.site, w.Estate.Policy.Status
		if d == w.Estate.Canonical || s != nil && len(s.Pages) > 0 {
			door.pages = w.pages
		}
	}
	return door
}

func (w *Prediction) exempt(d web.Door) []string {
	if d.Scheme == web.HTTP {
		return w.Estate.Policy.Exempt
	}
	return nil
}

// IsSite reports whether the site itself answers at a host: it serves it, or is reachable there
// too.
func (w *Prediction) IsSite(h web.Host) bool {
	return w.Estate.SiteOf(h) != nil
}

// Carrier returns who carries the doors of a host, nil where nobody does or the domain is left as
// it is.
func (w *Prediction) Carrier(h web.Host) *estate.Carrier {
	d := w.Estate.DomainOf(h)
	if d == nil || d.State == estate.Leave {
		return nil
	}
	if c, named := d.Carry[h]; named || h == d.Name {
		return c
	}
	star := d.Star()
	if star.IsZero() || d.NeededBy(h) != "" || d.Served[h] != nil || w.Estate.Serves(h) ||
		w.typed != nil && len(w.typed.State.Types(h.String())) > 0 {
		return nil // it has records of its own
	}
	return d.Carry[star]
}

// through returns the edge in front of a host that the site serves, nil where there is none.
func through(d *estate.Domain, h web.Host) *estate.Carrier {
	if d == nil || d.State == estate.Leave {
		return nil
	}
	return d.Through[h]
}

// Intended predicts what a URL answers where every carrier can do what is asked of it.
func (w *Prediction) Intended(u web.URL) chain.Answer {
	if d := u.Door(); d.Port == 0 && w.Carrier(d.Host) != nil && !w.IsSite(d.Host) {
		return w.intended(d, w.Estate.DomainOf(d.Host)).Answer(u)
	}
	return w.modelled(u.Door()).Answer(u)
}

// Goal says where a URL of the estate should lead: where the rules and the fallback send it, were
// no carrier limited.
func (w *Prediction) Goal(u web.URL) chain.Goal {
	goal := chain.Goal{Target: u}
	for hops := range chain.MostHops {
		if !w.Forwards(goal.Target.Door()) {
			break
		}
		a := w.Intended(goal.Target)
		if a.Status == rule.Gone {
			return chain.Goal{Gone: true, Hops: hops}
		}
		next, _, ok := a.Next()
		if !a.IsRedirect() || !ok || chain.TooLong(next) {
			break
		}
		goal.Temporary = goal.Temporary || !a.Permanent()
		goal.Target = next
	}
	if goal.Target.Door() != u.Door() {
		goal.Hops = w.Estate.Policy.Hops
		if w.Estate.Policy.Upgrade == estate.SameHostFirst && u.Scheme() == web.HTTP &&
			!w.Estate.Serves(u.Host()) {
			goal.Hops++
		}
	}
	return goal
}

// Forwards reports whether a door of the estate should forward: all do but the canonical one.
func (w *Prediction) Forwards(d web.Door) bool {
	return d.Port == 0 && !w.Estate.IsCanonical(d) && (w.Carrier(d.Host) != nil || w.IsSite(d.Host))
}

// KnowsPages reports whether it is known which pages of the site exist.
func (w *Prediction) KnowsPages() bool { return w.pages != nil }

// Doors gives the doors that are meant, http before https of each host: those of the domains, then
// the site's own.
func (w *Prediction) Doors() []web.Door { return w.doors }

// Domains returns the domains that are meant, without the ones to be left.
func (w *Prediction) Domains() []*estate.Domain {
	var all []*estate.Domain
	for _, d := range w.Estate.Domains {
		if d.State != estate.Leave && w.only(d) {
			all = append(all, d)
		}
	}
	return all
}

// Means reports whether a host is one of the domains that are meant. Another name of the site goes
// with the canonical one.
func (w *Prediction) Means(h web.Host) bool {
	home := cmp.Or(w.Estate.DomainOf(h), w.Estate.DomainOf(w.Estate.Canonical.Host))
	return home == nil || w.only(home)
}

func (w *Prediction) listDoors() {
	listed := map[web.Host]bool{}
	add := func(h web.Host) {
		if !listed[h] {
			listed[h] = true
			doors := web.Doors(h)
			w.doors = append(w.doors, doors[:]...)
		}
	}
	for _, d := range w.Domains() {
		for _, h := range d.Hosts() {
			add(h.Typed())
		}
	}
	for _, s := range w.Estate.Sites() {
		for _, h := range slices.Concat(s.Hosts, s.Also) {
			if w.Means(h) {
				add(h)
			}
		}
	}
}

// Ties gives a finding for each pair of rules in the tables that doors ask which the order of
// specificity cannot tell apart.
func Ties(doors []Treatment) []finding.Finding {
	var tally finding.Tally
	tables := map[*rule.Table]bool{}
	for _, d := range doors {
		if d.AsksRules() {
			tables[d.Rules] = true
		}
	}
	for t := range tables {
		for _, tie := range t.Ties() {
			tally.Add(TieFinding(tie))
		}
	}
	return tally.Findings()
}

// TieFinding is the finding of two rules that are equally specific.
func TieFinding(t rule.Tie) finding.Finding {
	return finding.New(
		finding.Tie,
		fmt.Sprintf("rules lines %d and %d", t.First.Line, t.Second.Line),
		fact.PatternsTied{Lines: []int{t.First.Line, t.Second.Line}, Witness: t.Witness.String(),
			First: t.First.Line, FirstOld: t.First.Old.String(), Second: t.Second.Line,
			SecondOld: t.Second.Old.String()},
	)
}
