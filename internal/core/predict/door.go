// Package predict is the description of doors once the plan is carried out: who answers each,
// within which limits, by which rules; and the one interpreter of that description. Proof, plan,
// stage and every writer of configuration read it, so that none of them can think otherwise of a
// URL than another one.
//
// It looks at nothing outside what it is given and finds no fault with it (plan and proof do).
//
//	w := predict.New(predict.Input{Estate: e, Rules: rules})
//	d := w.Treatment(u.Door()) // how the door treats its URLs
//	d.Answer(u)                // what it answers to one of them
//	w.Goal(u)                  // where that URL should lead, were no carrier limited
//
// # Doors
//
// Prediction.Treatment describes a door: who answers it (a carrier, the site, nobody), what is
// dropped on the way, as which door it is asked (an edge network may ask its origin by http), which
// rules hold, the fallback, the exempt paths, the status. Treatment.Answer is the only interpreter
// of that. An edge in front of a carrier is Treatment.Behind(edge): limits compose there and
// nowhere else. Prediction.Intended is the same interpreter on a door without limits, and
// Prediction.Goal follows it to where a URL should lead. The proof reads the same value for all
// URLs at once (explore.go), the plan for its limits and examples, the stage for its replies, rules
// try for one URL, and every writer in servers says each of its fields or reports beyond-carrier
// (Prediction.Held gives the doors as a carrier itself is asked for them).
//
// What is asked of a kind of carrier is a column of the table in estate/kinds.go: a new kind is a
// row there, and where it wants something typed that no other kind wants, a step with its entries
// in carry/entries.go. What is asked of a finding is a column in finding/table.go. What is written
// for a server is a file in servers.
//
// Three things were built apart to check it: predict_test.go reads estates at random in a plain way
// of its own; stage/worlds_test.go plays them over sockets; test/peers/random_test.go writes tables
// with limits of every kind for real nginx and Apache and compares answers. SEED=7 ROUNDS=200 go
// test ./test/peers -run ServersAnswer -count=1 goes on looking.
package predict

import (
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// SiteName stands for the site where a carrier is named: its own hosts need none.
const SiteName = "site"

// Does says how a door treats its URLs.
type Does int

// The ways in which doors treat URLs.
const (
	Outside   Does = iota // no door of the estate: it counts as serving a page
	Refuses               // it gives no HTTP answer
	Fails                 // an edge network's own error: what is behind it does not answer it
	Frames                // a page of its own, which shows the target inside
	Serves                // the canonical site: its own redirects, then pages
	ToSite                // to the same path of the canonical site, whatever the path is
	Redirects             // by the rules, then as the fallback says
	Says                  // what its carrier was told of each URL, which is not what is meant
)

// Treatment describes one door: all that its answers hang on. The zero value is a door outside the
// estate.
type Treatment struct {
	web.Door // as a visitor comes in
	// as whoever answers is asked, which rules and exempt paths look at: an edge may ask by http
	Asked   web.Door
	Carrier string         // who answers: a carrier's name, SiteName, "" outside the estate
	Domain  *estate.Domain // that the host belongs to; nil for a name outside all domains
	Does    Does

	Refusal chain.Refusal // of a door that refuses
	Detail  fact.Facts    // why it refuses

	DropsPath  bool // every path is treated like "/"
	DropsQuery bool // no query is seen or handed on

	Upgrades  bool            // to https on the same host; no rule is asked
	Exempt    []string        // beginnings of paths, in normal form, that are never redirected
	Rules     *rule.Table     // the redirect map, or the site's own redirects; nil: none is asked
	Status    int             // of a redirect that names none
	Canonical web.Door        // where targets without a host lead
	Home      web.URL         // where the root leads if no rule takes it
	Fallback  estate.Fallback // where other paths lead if no rule takes them
	Paths     rule.Mode       // how paths are compared

	HSTS string // the Strict-Transport-Security header of a server's https door; "" for none
	// the Cache-Control header of a server's permanent redirects; "" for none
	Remember string

	says func(u web.URL) chain.Answer // of a door that Says
	// of the site, by key; nil: nobody knows, every page counts as there
	pages map[string]bool
}

// AsksRules reports whether a rule may take a URL of the door.
func (d Treatment) AsksRules() bool { return d.Rules != nil }

// Exempts reports whether a URL is never redirected there. It is asked with the URL as a visitor
// writes it.
func (d Treatment) Exempts(u web.URL) bool {
	if len(d.Exempt) == 0 {
		return false
	}
	path := web.NormalPath(u.Path())
	for _, e := range d.Exempt {
		if strings.HasPrefix(path, e) {
			return true
		}
	}
	return false
}

// Sees gives a URL as whoever answers sees it: at the door that is asked, without what is dropped
// on the way.
func (d Treatment) Sees(u web.URL) web.URL {
	if !d.DropsPath && !d.DropsQuery {
		return u.At(d.Asked)
	}
	path, query := u.Path(), u.Query()
	if d.DropsPath {
		path = "/"
	}
	if d.DropsQuery {
		query = ""
	}
	return d.Asked.URL(path, query)
}

// Rule gives the rule that takes a URL of the door, with what its captures took; false where none
// does or none is asked.
func (d Treatment) Rule(u web.URL) (rule.Match, bool) {
	if d.Rules == nil || d.Exempts(u) {
		return rule.Match{}, false
	}
	return d.Rules.Lookup(d.Sees(u))
}

// Candidates gives all rules that would take a URL of the door, the one that does first.
func (d Treatment) Candidates(u web.URL) []rule.Entry {
	if d.Rules == nil || d.Exempts(u) {
		return nil
	}
	return d.Rules.Candidates(d.Sees(u))
}

// Answer predicts what the door answers to one of its URLs.
func (d Treatment) Answer(u web.URL) chain.Answer {
	a := d.answer(u)
	remember := d.Remember
	if a.Status != 301 && a.Status != 308 {
		remember = ""
	}
	if (d.HSTS != "" || remember != "") && a.Status != 0 {
		a.Headers = &chain.Headers{HSTS: d.HSTS, Cache: remember}
	}
	return a
}

func (d Treatment) answer(u web.URL) chain.Answer {
	switch {
	case d.Does == Refuses:
		return chain.Answer{URL: u, Refusal: d.Refusal, Detail: fact.Text(d.Detail)}
	case d.Does == Outside, d.Does == Frames:
		return chain.Answer{URL: u, Status: 200}
	case d.Does == Says:
		return d.says(u)
	case d.Does == Fails:
		return chain.Answer{URL: u, Status: badGateway, Detail: fact.Text(d.Detail)}
	case d.Exempts(u):
		return chain.Answer{URL: u, Status: 404}
	}
	seen := d.Sees(u)
	switch {
	case d.Does == ToSite:
		return redirect(u, d.Status, seen.At(d.Canonical).String())
	case d.Upgrades:
		return redirect(u, d.Status, seen.At(web.Door{Scheme: web.HTTPS, Host: d.Asked.Host}).String())
	}
	if m, ok := d.Rule(u); ok {
		status := m.Rule.Status
		if status == 0 {
			status = d.Status
		}
		return redirect(u, status, m.Location(d.Canonical))
	}
	if d.Does == Serves {
		return d.page(u, seen)
	}
	return d.fallback(u, seen)
}

// badGateway is what an edge network answers where its origin does not (RFC 9110 section 15.6.3).
const badGateway = 502

func redirect(u web.URL, status int, location string) chain.Answer {
	return chain.Answer{URL: u, Status: status, Location: location}
}

// page is what the site answers where none of its own redirects takes a URL.
func (d Treatment) page(u, seen web.URL) chain.Answer {
	status := 200
	if d.pages != nil && !d.pages[d.Asked.URL(seen.Path(), "").Key()] && !d.pages[seen.Key()] {
		status = 404
	}
	return chain.Answer{URL: u, Status: status}
}

// fallback is what a door answers where no rule takes a URL.
func (d Treatment) fallback(u, seen web.URL) chain.Answer {
	path := d.Home.Path()
	if !d.Paths.IsRoot(web.NormalPath(seen.Path())) {
		switch d.Fallback {
		case estate.Gone:
			return chain.Answer{URL: u, Status: rule.Gone}
		case estate.SamePath:
			path = strings.TrimSuffix(path, "/") + seen.Path()
		}
	}
	return redirect(u, d.Status,
		d.Home.Door().URL(path, web.MergeQuery(d.Home.Query(), seen.Query())).String())
}

// Behind gives the door that a visitor meets where an edge network stands in front of whoever
// answers: limits of both hold. It is called on the door that the edge asks (Asks tells which), and
// met is the one at which the visitor comes in.
func (d Treatment) Behind(edge *estate.Carrier, met web.Door) Treatment {
	if turned, ok := turnsAway(edge, met); ok {
		turned.Domain = d.Domain
		return turned
	}
	if d.Does == Refuses { // the edge itself does answer
		d.Does, d.Carrier = Fails, edge.Name
	}
	d.Door = met
	d.DropsQuery = d.DropsQuery || !edge.KeepsQuery
	if !edge.KeepsPath {
		d.DropsPath, d.Exempt = true, nil // what is asked is always the root
	}
	return d
}

// Asks gives the door at which an edge network asks what is behind it for the URLs of a door.
func Asks(edge *estate.Carrier, met web.Door) web.Door {
	if edge.Origin == estate.PlainOrigin {
		return web.Door{Scheme: web.HTTP, Host: met.Host}
	}
	return met
}

// turnsAway gives the door of a carrier that cannot answer it with a redirect; false where it can.
func turnsAway(c *estate.Carrier, d web.Door) (Treatment, bool) {
	door := Treatment{Door: d, Asked: d, Carrier: c.Name, Does: Refuses}
	switch {
	case c.ApexOnly && !d.Host.IsApex(): // so that no record leads there
		door.Refusal, door.Detail = chain.NoAddress, fact.TakesApexOnly{Carrier: c.Name}
	case d.Scheme == web.HTTPS && !c.TLS:
		door.Refusal, door.Detail = chain.Refused, fact.SpeaksNone{Carrier: c.Name}
	case c.Frames:
		door.Does = Frames
	default:
		return Treatment{}, false
	}
	return door, true
}
