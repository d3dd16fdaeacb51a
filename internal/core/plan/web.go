package plan

import (
	"context"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// SiteName stands for the site where a carrier is named: its own hosts need none.
const SiteName = "site"

// Web is the predicted web: what every URL answers once the plan is carried out, with the limits of whoever carries it.
// It is a chain.Asker, and safe for many goroutines.
type Web struct {
	estate    *estate.Estate
	rules     *rule.Table
	siteRules *rule.Table
	pages     map[string]bool // by key; nil: nobody knows, every page counts as there
}

// Answer predicts what a URL answers. Hosts outside the estate count as serving a page.
func (w *Web) Answer(_ context.Context, ask chain.Ask) chain.Answer {
	u := ask.URL
	c, carried := w.carrierOf(u.Host())
	switch {
	case w.estate.Serves(u.Host()) || w.isAlso(u.Host()):
		return w.siteAnswer(u)
	case carried:
		return w.carrierAnswer(c, u)
	case w.estate.DomainOf(u.Host()) != nil:
		return chain.Answer{URL: u, Refusal: chain.NoAddress, Detail: "the plan gives it no record"}
	}
	return chain.Answer{URL: u, Status: 200}
}

// Intended predicts what a URL answers where every carrier can do what is asked of it.
func (w *Web) Intended(u web.URL) chain.Answer {
	if _, carried := w.carrierOf(u.Host()); carried && !w.estate.Serves(u.Host()) {
		return w.intended(u)
	}
	return w.Answer(context.Background(), chain.Ask{URL: u})
}

func (w *Web) isAlso(h web.Host) bool {
	for _, a := range w.estate.Site.Also {
		if a == h {
			return true
		}
	}
	return false
}

func (w *Web) carrierOf(h web.Host) (*estate.Carrier, bool) {
	d := w.estate.DomainOf(h)
	if d == nil || d.State == estate.Leave {
		return nil, false
	}
	c := d.Carry[h]
	return c, c != nil
}

func redirect(u web.URL, status int, location string) chain.Answer {
	return chain.Answer{URL: u, Status: status, Location: location}
}

// exempt tells whether a path is never redirected by http doors.
func (w *Web) exempt(u web.URL) bool {
	if u.Scheme() != web.HTTP {
		return false
	}
	path := web.NormalPath(u.Path())
	for _, e := range w.estate.Policy.Exempt {
		if strings.HasPrefix(path, e) {
			return true
		}
	}
	return false
}

func (w *Web) siteAnswer(u web.URL) chain.Answer {
	canonical := w.estate.Canonical
	asked := u
	if edge := w.through(u.Host()); edge != nil && edge.Origin == "plain" {
		u = u.At(web.Door{Scheme: web.HTTP, Host: u.Host()}) // that is how the edge asks the site
	}
	a := w.siteAsked(u, canonical)
	a.URL = asked
	return a
}

// through returns the edge in front of a host that the site serves, nil where there is none.
func (w *Web) through(h web.Host) *estate.Carrier {
	if d := w.estate.DomainOf(h); d != nil && d.State != estate.Leave {
		return d.Through[h]
	}
	return nil
}

// siteAsked is what the site answers to whoever asks it.
func (w *Web) siteAsked(u web.URL, canonical web.Door) chain.Answer {
	if w.exempt(u) {
		return chain.Answer{URL: u, Status: 404}
	}
	if u.Door() != canonical {
		return redirect(u, 301, u.At(canonical).String())
	}
	if m, ok := w.siteRules.Lookup(u); ok {
		return w.byRule(u, m)
	}
	if w.pages != nil && !w.pages[u.Door().URL(u.Path(), "").Key()] && !w.pages[u.Key()] {
		return chain.Answer{URL: u, Status: 404}
	}
	return chain.Answer{URL: u, Status: 200}
}

func (w *Web) byRule(u web.URL, m rule.Match) chain.Answer {
	status := m.Rule.Status
	if status == 0 {
		status = w.estate.Policy.Status
	}
	return redirect(u, status, m.Location(w.estate.Canonical))
}

func (w *Web) intended(u web.URL) chain.Answer {
	if w.exempt(u) {
		return chain.Answer{URL: u, Status: 404}
	}
	if w.estate.Policy.Upgrade == estate.SameHostFirst && u.Scheme() == web.HTTP {
		return redirect(u, w.estate.Policy.Status, u.At(web.Door{Scheme: web.HTTPS, Host: u.Host()}).String())
	}
	if m, ok := w.rules.Lookup(u); ok {
		return w.byRule(u, m)
	}
	return w.fallback(u)
}

func (w *Web) fallback(u web.URL) chain.Answer {
	d := w.estate.DomainOf(u.Host())
	home := d.LeadsTo
	query := web.MergeQuery(home.Query(), u.Query())
	path := home.Path()
	if !d.Paths.IsRoot(web.NormalPath(u.Path())) {
		switch d.Fallback {
		case estate.Gone:
			return chain.Answer{URL: u, Status: rule.Gone}
		case estate.SamePath:
			path = strings.TrimSuffix(home.Path(), "/") + u.Path()
		}
	}
	return redirect(u, w.estate.Policy.Status, home.Door().URL(path, query).String())
}

// carrierAnswer is the intended answer within the limits of the carrier.
func (w *Web) carrierAnswer(c *estate.Carrier, u web.URL) chain.Answer {
	switch {
	case u.Scheme() == web.HTTPS && !c.TLS:
		return chain.Answer{URL: u, Refusal: chain.Refused, Detail: c.Name + " does not speak TLS"}
	case c.ApexOnly && !u.Host().IsApex():
		return chain.Answer{URL: u, Refusal: chain.NoAddress, Detail: c.Name + " takes the apex only"}
	case c.Frames:
		return chain.Answer{URL: u, Status: 200} // a page of its own, which shows the target inside
	case c.Behind != "":
		return w.behind(c, u)
	}
	asked := u
	if !c.KeepsQuery {
		asked = u.Door().URL(asked.Path(), "")
	}
	if !c.KeepsPath && !w.exempt(u) {
		asked = u.Door().URL("/", asked.Query())
	}
	if c.By == estate.Form {
		a := w.fallback(asked)
		a.URL = u
		return a
	}
	a := w.intended(asked)
	if !c.HoldsRules {
		a = redirect(u, w.estate.Policy.Status, asked.At(w.estate.Canonical).String())
	}
	a.URL = u
	return a
}

// behind is what an edge network passes on: the answer of the carrier behind it, which it may ask over plain http.
func (w *Web) behind(edge *estate.Carrier, u web.URL) chain.Answer {
	asked := u
	if edge.Origin == "plain" {
		asked = u.At(web.Door{Scheme: web.HTTP, Host: u.Host()})
	}
	origin := w.estate.Carrier(edge.Behind)
	if origin == nil {
		return chain.Answer{URL: u, Refusal: chain.BadAnswer, Detail: "nobody is behind " + edge.Name}
	}
	a := w.carrierAnswer(origin, asked)
	a.URL = u
	return a
}

// KnowsPages tells whether it is known which pages of the site exist.
func (w *Web) KnowsPages() bool { return w.pages != nil }

// Handling says how a door treats its URLs.
type Handling int

// The ways in which doors treat URLs.
const (
	Outside  Handling = iota // no door of the estate: it counts as serving a page
	Nowhere                  // it answers nobody
	Serves                   // the canonical site: its own redirects, then pages
	Framed                   // a page of its own
	ToSite                   // to the canonical site, path and query kept
	Upgrades                 // to https on the same host
	Constant                 // every path is treated like "/"
	Ruled                    // rules, then the fallback
)

// DoorPlan is how a door treats its URLs, for reasoning about all of them.
type DoorPlan struct {
	Handling    Handling
	Door        web.Door       // whose rules hold: for what an edge asks over plain http, the http door
	Domain      *estate.Domain // of a ruled door
	Rules       *rule.Table    // of a ruled or serving door
	Exempt      []string       // beginnings of paths that are never redirected
	DropsQuery  bool
	WithoutRule bool // a form: the fallback alone
}

// AsksRules tells whether a rule may take a URL of the door: one of the redirect map, or of the site's own redirects.
func (p DoorPlan) AsksRules() bool {
	return p.Handling == Ruled && !p.WithoutRule || p.Handling == Serves
}

// Plan tells how a door treats its URLs; Answer does the same for one of them.
func (w *Web) Plan(d web.Door) DoorPlan {
	c, carried := w.carrierOf(d.Host)
	switch {
	case d.Port != 0:
		return DoorPlan{Handling: Outside, Door: d}
	case w.estate.Serves(d.Host) || w.isAlso(d.Host):
		asked := d
		if edge := w.through(d.Host); edge != nil && edge.Origin == "plain" {
			asked.Scheme = web.HTTP
		}
		p := DoorPlan{Handling: ToSite, Door: asked, Exempt: w.exemptOn(asked)}
		if asked == w.estate.Canonical {
			p.Handling, p.Rules = Serves, w.siteRules
		}
		return p
	case carried:
		return w.carrierPlan(c, d)
	case w.estate.DomainOf(d.Host) != nil:
		return DoorPlan{Handling: Nowhere, Door: d}
	}
	return DoorPlan{Handling: Outside, Door: d}
}

func (w *Web) exemptOn(d web.Door) []string {
	if d.Scheme == web.HTTP {
		return w.estate.Policy.Exempt
	}
	return nil
}

func (w *Web) carrierPlan(c *estate.Carrier, d web.Door) DoorPlan {
	p := DoorPlan{Handling: Ruled, Door: d, Domain: w.estate.DomainOf(d.Host), Rules: w.rules, DropsQuery: !c.KeepsQuery}
	switch {
	case d.Scheme == web.HTTPS && !c.TLS, c.ApexOnly && !d.Host.IsApex():
		p.Handling = Nowhere
		return p
	case c.Frames:
		p.Handling = Framed
		return p
	case c.Behind != "":
		if c.Origin == "plain" {
			d.Scheme = web.HTTP
		}
		origin := w.estate.Carrier(c.Behind)
		if origin == nil {
			p.Handling = Nowhere
			return p
		}
		inner := w.carrierPlan(origin, d)
		inner.DropsQuery = inner.DropsQuery || p.DropsQuery
		return inner
	}
	p.Exempt = w.exemptOn(d)
	switch {
	case !c.KeepsPath:
		p.Handling = Constant
	case c.By == estate.Form:
		p.WithoutRule = true
	case !c.HoldsRules:
		p.Handling = ToSite
	case w.estate.Policy.Upgrade == estate.SameHostFirst && d.Scheme == web.HTTP:
		p.Handling = Upgrades
	}
	return p
}
