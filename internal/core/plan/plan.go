// Package plan works out, from the estate, all that the move needs: where each door must lead and who carries it, which
// carrier cannot, the rules, the certificates, the DNS records, and what every URL will answer.
//
// It changes nothing and looks at nothing outside what it is given.
//
//	p := plan.Make(plan.Input{Estate: e, Rules: rules})
//	p.Web.Answer(ctx, chain.Ask{URL: u}) // predicted
//	p.Want(u)                            // wanted
package plan

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Schema names the shape of a plan in JSON.
const Schema = "upperpath/plan/1"

// SiteName stands for the site where a carrier is named.
const SiteName = predict.SiteName

// Input is what a plan is made of.
type Input struct {
	Estate    *estate.Estate
	Rules     []*rule.Rule
	SiteRules []*rule.Rule
	Pages     []web.URL                 // the pages that exist; nil: nobody knows
	Only      func(*estate.Domain) bool // which domains are meant; nil: all
	Wave      int                       // the wave that is meant; what earlier ones moved is checked too. 0: none
	Survey    *survey.Survey            // what was seen last; nil: nobody has looked
	Earlier   *survey.Survey            // what was seen before that, to say what came and went since; nil: nothing
	Now       time.Time                 // for what is wanted until a date; the zero value ends nothing
}

// Web predicts the web as it is after the plan, which is all that a proof needs.
func (in Input) Web() *predict.Web {
	return predict.New(predict.Input{Estate: in.Estate, Rules: in.Rules, SiteRules: in.SiteRules, Pages: in.Pages, Only: in.Only})
}

// Plan is the whole plan.
type Plan struct {
	Schema       string            `json:"schema"`
	Canonical    string            `json:"canonical"`
	Doors        []Door            `json:"doors"`
	Rules        []Rule            `json:"rules"`
	Certificates []Certificate     `json:"certificates"`
	Zones        []Zone            `json:"zones"`
	Carriers     []Carried         `json:"carriers"`
	Order        []string          `json:"order"` // what to do, in which order
	Findings     []finding.Finding `json:"findings"`
	Notes        []string          `json:"notes,omitempty"`

	Web    *predict.Web   `json:"-"`
	Estate *estate.Estate `json:"-"`
	Table  *rule.Table    `json:"-"`
	input  Input
	tally  chain.Tally
	asksOf map[*estate.Domain][]web.URL // what an audit asks, by domain
	zoneAt map[string]int               // where in Zones a name stands
	seenAt map[string]*survey.Domain    // what the survey saw, by name
}

// Door is a door of the estate with where it must lead and who carries it.
type Door struct {
	Door     web.Door `json:"door"`
	Domain   string   `json:"domain,omitempty"` // "" for another name of the site
	Carrier  string   `json:"carrier"`          // the site itself: "site"
	LeadsTo  web.URL  `json:"leads_to"`         // where its root arrives
	Fallback string   `json:"fallback"`         // what happens to other paths where no rule matches; "" on the site's own doors
	Chain    []Step   `json:"chain"`            // predicted, from its root
}

// Step is an answer of a predicted chain.
type Step = predict.Step

// Rule is a line of the redirect map with who must hold it and an example.
type Rule struct {
	Line     int      `json:"line"`
	Old      string   `json:"old"`
	New      string   `json:"new"`
	Status   int      `json:"status"`
	Query    string   `json:"query"` // keep or drop
	Carriers []string `json:"carriers"`
	Example  string   `json:"example,omitempty"` // a URL that it takes; "" where other rules win all that were tried
	Chain    []Step   `json:"chain"`             // predicted, from the example
}

// Certificate is a certificate that somebody must hold.
type Certificate struct {
	Carrier string   `json:"carrier"`
	Domain  string   `json:"domain,omitempty"`
	Names   []string `json:"names"`
	When    string   `json:"when"` // before the names point there, after it, or by-hand
	Issuer  string   `json:"issuer,omitempty"`

	MayIssue []string `json:"may_issue,omitempty"` // what CAA records say; absent: everybody may
	Limits   []string `json:"limits,omitempty"`    // of account and method, in CAA records (RFC 8657)
	ByDNS    []string `json:"by_dns,omitempty"`    // where the issuer wants a TXT record, so that it can be had before
	Gap      string   `json:"gap,omitempty"`       // for how long visitors meet a warning
}

// Make works the plan out.
func Make(in Input) *Plan {
	p := &Plan{Schema: Schema, Canonical: in.Estate.Canonical.String(), Estate: in.Estate, input: in,
		Doors: []Door{}, Rules: []Rule{}, Certificates: []Certificate{}, Zones: []Zone{}, Carriers: []Carried{},
		Web: in.Web()}
	p.Table = p.Web.Rules
	for _, d := range in.Estate.Domains {
		if d.State == estate.Leave && p.Web.Means(d.Name) {
			p.Notes = append(p.Notes, fmt.Sprintf("%s is left as it is (state: leave).", d.Name.Unicode()))
		}
	}
	for _, d := range p.Web.Doors() {
		p.Doors = append(p.Doors, p.door(d))
	}
	beyond := p.limits(&p.tally)
	p.listRules()
	p.rules(&p.tally)
	p.predict(&p.tally, beyond)
	p.certificates()
	p.zones()
	p.carriers()
	p.issuers()
	p.Order = p.order()
	p.Findings = p.tally.Findings()
	return p
}

// Whole returns the plan for all domains of the estate, whichever this one is about.
func (p *Plan) Whole() *Plan {
	if p.input.Only == nil {
		return p
	}
	whole := p.input
	whole.Only = nil
	return Make(whole)
}

// Domains returns the domains that the plan is about: those meant, without the ones to be left.
func (p *Plan) Domains() []*estate.Domain { return p.Web.Domains() }

func (p *Plan) door(d web.Door) Door {
	root := d.URL("/", "")
	made := Door{Door: d, Carrier: SiteName, LeadsTo: p.Web.Want(root).Target, Chain: p.steps(root)}
	domain := p.Estate.DomainOf(d.Host)
	if domain != nil {
		made.Domain = domain.Name.String()
	}
	if c := p.Web.Carrier(d.Host); c != nil {
		made.Carrier, made.Fallback = c.Name, string(domain.Fallback)
	}
	return made
}

func (p *Plan) steps(u web.URL) []Step {
	steps, _ := p.Web.Steps(u, chain.Root)
	return steps
}

// Want says where a URL of the estate should lead.
func (p *Plan) Want(u web.URL) chain.Want { return p.Web.Want(u) }

// Forwards tells whether a door of the estate should forward.
func (p *Plan) Forwards(d web.Door) bool { return p.Web.Forwards(d) }

func (p *Plan) listRules() {
	hosts := map[string]bool{}
	for _, d := range p.Domains() {
		hosts[d.Name.String()] = true
	}
	for _, r := range p.Table.Rules() {
		d := p.Estate.DomainOf(r.Old.Host)
		if d == nil || !hosts[d.Name.String()] {
			continue
		}
		listed := Rule{Line: r.Line, Old: r.Old.String(), New: r.New.String(), Status: cmp.Or(r.Status, p.Estate.Policy.Status),
			Query: "keep", Carriers: []string{}, Chain: []Step{}}
		if r.DropQuery {
			listed.Query = "drop"
		}
		if r.Status == rule.Gone {
			listed.New = ""
		}
		for _, h := range d.Hosts() {
			inherits := r.Old.Host == d.Name && h == d.Name.WWW()
			if c := p.Estate.Holder(d.Carry[h]); c != nil && (h == r.Old.Host || inherits) && !slices.Contains(listed.Carriers, c.Name) {
				listed.Carriers = append(listed.Carriers, c.Name)
			}
		}
		if u, ok := p.Table.Example(r); ok {
			listed.Example, listed.Chain = u.String(), p.steps(u)
		}
		p.Rules = append(p.Rules, listed)
	}
}

// rules adds what is wrong with the rules among themselves and with where they stand.
func (p *Plan) rules(tally *chain.Tally) {
	for _, t := range p.Table.Ties() {
		tally.Add(finding.New(finding.Tie, fmt.Sprintf("rules lines %d and %d", t.First.Line, t.Second.Line),
			fmt.Sprintf("Lines %d (%s) and %d (%s) are equally specific, and both take %s.", t.First.Line, t.First.Old, t.Second.Line, t.Second.Old, t.Witness),
			"Make one of them more specific, or drop one.",
			map[string]any{"lines": []int{t.First.Line, t.Second.Line}, "witness": t.Witness.String()}))
	}
	for _, pair := range p.Table.Duplicates() {
		p.Notes = append(p.Notes, fmt.Sprintf("Line %d of the rules says what line %d says already.", pair[1].Line, pair[0].Line))
	}
	for _, r := range p.Table.Rules() {
		if p.Estate.Serves(r.Old.Host) {
			tally.Add(finding.New(finding.BeyondCarrier, r.Place(), fmt.Sprintf("%s is about %s, which the site serves itself; no carrier can hold it.", r.Place(), r.Old.Host),
				"Set the redirect up on the site, and write it down in site.rules.", map[string]any{"line": r.Line}))
		}
	}
}

// predict judges the predicted chains of all doors and examples. A door whose carrier is known to be unable is not judged
// once more.
func (p *Plan) predict(tally *chain.Tally, beyond map[web.Door]bool) {
	judge := chain.Judge{Estate: p.Estate.Holds, Forwards: p.Forwards}
	for _, ask := range p.Asks(true) {
		if beyond[ask.URL.Door()] {
			continue
		}
		c := chain.Follow(context.Background(), p.Web, chain.Ask{URL: ask.URL}, ask.Probe)
		judge.Chain(&c, p.Want(ask.URL))
		tally.Add(c.Findings...)
	}
}

// ToAsk is a URL to try, and why.
type ToAsk struct {
	URL   web.URL
	Probe chain.Probe
}

// earlier returns the domains that earlier waves have moved, where one wave is meant.
func (p *Plan) earlier() []*estate.Domain {
	var all []*estate.Domain
	for _, d := range p.Estate.Domains {
		if d.State == estate.Moved && d.Wave < p.input.Wave && !p.Web.Means(d.Name) {
			all = append(all, d)
		}
	}
	return all
}

// Asks returns what an audit asks: every door's probes, and with rules an example of each rule. Where one wave is meant, the roots
// of what earlier ones moved are asked too.
func (p *Plan) Asks(rules bool) []ToAsk {
	var asks []ToAsk
	for _, d := range p.Doors {
		probes := chain.Probes(d.Door)
		for _, probe := range chain.ProbeOrder {
			asks = append(asks, ToAsk{probes[probe], probe})
		}
	}
	for _, d := range p.earlier() {
		for _, h := range d.Hosts() {
			for _, door := range web.Doors(h) {
				asks = append(asks, ToAsk{chain.Probes(door)[chain.Root], chain.Root})
			}
		}
	}
	for _, r := range p.Rules {
		u, err := web.ParseURL(r.Example)
		switch {
		case err != nil || !rules || len(r.Carriers) == 0:
		case strings.Contains(r.Old, "{"):
			asks = append(asks, ToAsk{u, chain.Pattern})
		default:
			asks = append(asks, ToAsk{u, chain.Rule})
		}
	}
	return asks
}

func (p *Plan) certificates() {
	site := Certificate{Carrier: SiteName, When: string(estate.Before), Issuer: p.Estate.Site.Issuer}
	for _, h := range slices.Concat(p.Estate.Site.Hosts, p.Estate.Site.Also) {
		site.Names = append(site.Names, h.String())
	}
	for _, d := range p.Domains() {
		byCarrier := map[string]int{}
		for _, h := range d.Hosts() {
			for _, c := range p.holders(d, h) {
				at, have := byCarrier[c.Name]
				if !have {
					at = len(p.Certificates)
					byCarrier[c.Name] = at
					p.Certificates = append(p.Certificates, Certificate{Carrier: c.Name, Domain: d.Name.String(), When: string(c.Certificate)})
				}
				p.Certificates[at].Names = append(p.Certificates[at].Names, h.String())
			}
		}
	}
	p.Certificates = append(p.Certificates, site)
}

// holders gives those who must hold a certificate for a host: its carrier, and what is behind that where it is asked over TLS.
func (p *Plan) holders(d *estate.Domain, h web.Host) []*estate.Carrier {
	var all []*estate.Carrier
	c := d.Carry[h]
	if c == nil {
		c = d.Through[h]
	}
	if c != nil && c.TLS && !(c.ApexOnly && !h.IsApex()) {
		all = append(all, c)
	}
	if behind := p.Estate.Holder(c); behind != c && behind.TLS && c.Origin != estate.PlainOrigin {
		all = append(all, behind)
	}
	return all
}

// Select gives the function for Input.Only from what the option says: "" for all, a domain, or "wave:N". An error tells
// what would be understood.
func Select(e *estate.Estate, only string) (func(*estate.Domain) bool, error) {
	if only == "" {
		return nil, nil
	}
	if number, isWave := strings.CutPrefix(only, "wave:"); isWave {
		for _, d := range e.Domains {
			if fmt.Sprint(d.Wave) == number {
				return func(d *estate.Domain) bool { return fmt.Sprint(d.Wave) == number }, nil
			}
		}
		return nil, fmt.Errorf("--only %s: no domain is in this wave; expected one of the waves in the estate file", only)
	}
	h, err := web.ParseHost(only)
	if err != nil {
		return nil, fmt.Errorf("--only %s: %w", only, err)
	}
	if d := e.DomainOf(h); d != nil {
		return func(o *estate.Domain) bool { return o.Name == d.Name }, nil
	}
	return nil, fmt.Errorf("--only %s: the estate holds no such domain; expected a domain of the estate file or wave:N", only)
}
