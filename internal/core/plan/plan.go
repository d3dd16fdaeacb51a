// Package plan works out, from the estate, all that the move needs: where each door must lead and
// who carries it, which carrier cannot, the rules, the certificates, the DNS records, what is typed
// where, and the steps, in their order.
//
// It changes nothing and looks at nothing outside what it is given. Its phases take values and
// return values; Make says in which order they run, planZone does so for one zone. Reasons, notes,
// checks and steps are data, which reports put into words.
//
//	p := plan.Make(plan.Input{Estate: e, Rules: rules})
//	p.Web.Answer(ctx, chain.Ask{URL: u}) // predicted
//	p.Goal(u)                            // wanted
package plan

import (
	"cmp"
	"context"
	"fmt"
	"iter"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// Schema names the shape of a plan in JSON.
const Schema = "upperpath/plan/1"

// Input is what a plan is made of.
type Input struct {
	Estate    *estate.Estate
	Rules     []*rule.Rule
	SiteRules []*rule.Rule
	Pages     []web.URL                 // the pages that exist; nil: nobody knows
	Only      func(*estate.Domain) bool // which domains are meant; nil: all
	Wave      int                       // the wave that is meant; what earlier ones moved is checked too. 0: none
	Survey    *survey.Survey            // what was seen last; nil: nobody has looked
	Audited   []chain.Chain             // what an audit met last
	Earlier   *survey.Survey            // what was seen before that, to say what came and went since; nil: nothing
	Now       time.Time                 // for what is wanted until a date; the zero value ends nothing
}

// known gives what the zones are worked out from.
func (in Input) known() Known {
	return Known{Estate: in.Estate, Survey: in.Survey, Earlier: in.Earlier, Now: in.Now}
}

// Web predicts the web as it is after the plan, which is all that a proof needs: doors reach only
// whom something that is typed tells of them.
func (in Input) Web() *predict.Web {
	w := predict.New(
		predict.Input{Estate: in.Estate, Rules: in.Rules, SiteRules: in.SiteRules, Pages: in.Pages, Only: in.Only},
	)
	w.Reaches(untold(in, w))
	return w
}

// Plan is the whole plan.
type Plan struct {
	Canonical    string
	Doors        []Door
	Rules        []Rule
	Certificates []Certificate
	Zones        []Zone
	Carriers     []Carried
	Steps        []Step // what to do, in this order
	Findings     []finding.Finding
	Notes        []Note
	Broken       []finding.Finding // those of the findings that come of playing what is typed
	Played       Played

	Web    *predict.Web
	Estate *estate.Estate
	Table  *rule.Table
	input  Input
	today  *world.World      // as it was seen
	asks   []ToAsk           // what an audit asks, rules included
	beyond map[web.Door]bool // doors of which it was said that their carrier cannot do what is asked
}

// Played is how much of what is typed was played.
type Played struct {
	Rows   int      `json:"rows"`   // records and entries
	Unseen []string `json:"unseen"` // zones of the estate that nobody has seen, so that nobody knows what follows there
	Partly []string `json:"partly"` // zones of which parts were not seen, which may be lost
}

// Door is a door of the estate with where it must lead and who carries it.
type Door struct {
	Door     web.Door       `json:"door"`
	Domain   string         `json:"domain,omitempty"` // "" for another name of the site
	Carrier  string         `json:"carrier"`          // the site itself: "site"
	LeadsTo  web.URL        `json:"leads_to"`         // where its root arrives
	Fallback string         `json:"fallback"`         // of paths that no rule takes; "" on the site's own doors
	Chain    []predict.Step `json:"chain"`            // predicted, from its root
}

// Rule is a line of the redirect map with who must hold it and an example.
type Rule struct {
	Line     int      `json:"line"`
	Old      string   `json:"old"`
	New      string   `json:"new"`
	Status   int      `json:"status"`
	Query    string   `json:"query"` // keep or drop
	Carriers []string `json:"carriers"`
	Example  string   `json:"example,omitempty"` // a URL that it takes; "" where other rules win all that were tried
}

// ChainOf predicts the chain of a rule's example; none where it has none. It is not kept: there may be a million.
func (p *Plan) ChainOf(r *Rule) []predict.Step {
	u, err := web.ParseURL(r.Example)
	if err != nil {
		return []predict.Step{}
	}
	return stepsFrom(p.Web, u)
}

// Make works the plan out.
func Make(in Input) *Plan { return in.plan(true) }

// Broken plays what is to be typed, without the chains of rules that a whole plan follows, and
// gives what breaks.
func Broken(in Input) []finding.Finding { return in.plan(false).Broken }

// plan works a plan out, with an example of every rule or without rules. This is the order of its
// phases.
func (in Input) plan(rules bool) *Plan {
	w := in.Web()
	seen := surveysOf(in.known())
	p := &Plan{Canonical: in.Estate.Canonical.String(), Web: w, Estate: in.Estate, Table: w.Rules, input: in}
	var tally finding.Tally
	take := func(f Found) {
		tally.Add(f.findings...)
		p.Notes = append(p.Notes, f.notes...)
	}
	take(leftDomains(in.Estate, w))
	p.Doors = doorsOf(w)
	limits, beyond := limitsOf(w)
	p.beyond = beyond
	take(limits)
	if rules {
		p.Rules = rulesOf(w)
	}
	p.asks = p.Asks(true)
	take(faultyRules(w))
	take(redirectsNeeded(w))
	p.Certificates = certificatesOf(w)
	take(predicted(p, beyond))
	zones := zonesOf(in.known(), seen, w.Domains())
	p.Zones, p.today = zones.Zones, zones.Today
	take(zones.Found)
	take(unseenZones(in.Survey, p.Zones))
	take(Found{findings: declaredOtherwise(in.Estate, in.Survey, in.Audited)})
	take(earlierZones(in, seen, w))
	carriers, f := carriersOf(w, seen, p.Zones, p.Certificates, p.urls())
	p.Carriers = carriers
	take(f)
	certificates, f := withIssuers(in.Estate, p.Certificates, recordsAt(in.Estate, seen, p.Zones), missedIssuersOf(p.Zones))
	p.Certificates = certificates
	take(f)
	p.Steps = stepsOf(p.Zones, p.Carriers, p.Certificates)
	sheets := p.Sheets()
	p.Played = playedOf(p, sheets, seen)
	p.Broken = p.unsaid(p.Play(sheets), tally.Findings())
	take(Found{findings: p.Broken})
	p.Findings = tally.Findings()
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

// Goal says where a URL of the estate should lead.
func (p *Plan) Goal(u web.URL) chain.Goal { return p.Web.Goal(u) }

// Exempt tells whether a URL is planned not to be redirected, since certificate authorities look
// there: its door exempts it, and its carrier can do so.
func (p *Plan) Exempt(u web.URL) bool {
	a := p.Web.Answer(context.Background(), chain.Ask{URL: u})
	return a.Refusal == "" && !a.IsRedirect()
}

// Forwards tells whether a door of the estate should forward.
func (p *Plan) Forwards(d web.Door) bool { return p.Web.Forwards(d) }

func leftDomains(e *estate.Estate, w *predict.Web) Found {
	var f Found
	for _, d := range e.Domains {
		if d.State == estate.Leave && w.Means(d.Name) {
			f.note(LeftAsItIs, d.Name.Unicode())
		}
	}
	return f
}

func doorsOf(w *predict.Web) []Door {
	doors := w.Doors()
	all := make([]Door, len(doors))
	crew.Each(len(doors), func(i int) {
		d := doors[i]
		root := d.URL("/", "")
		made := Door{Door: d, Carrier: predict.SiteName, LeadsTo: w.Goal(root).Target, Chain: stepsFrom(w, root)}
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

func stepsFrom(w *predict.Web, u web.URL) []predict.Step {
	steps, _ := w.Steps(u, chain.Root)
	return steps
}

func rulesOf(w *predict.Web) []Rule {
	all := []Rule{}
	meant := map[*estate.Domain]bool{}
	for _, d := range w.Domains() {
		meant[d] = true
	}
	for _, r := range w.Rules.Rules() {
		d := w.Estate.DomainOf(r.Old.Host)
		if d == nil || !meant[d] {
			continue
		}
		listed := Rule{
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
func faultyRules(w *predict.Web) Found {
	var f Found
	for _, t := range w.Rules.Ties() {
		f.findings = append(f.findings, predict.TieFinding(t))
	}
	for _, pair := range w.Rules.Duplicates() {
		f.notes = append(f.notes, Note{Notice: SaidAlready, Lines: [2]int{pair[1].Line, pair[0].Line}})
	}
	for _, r := range w.Rules.Rules() {
		if w.Estate.Serves(r.Old.Host) {
			f.find(
				finding.BeyondCarrier,
				r.Place(),
				fmt.Sprintf("%s is about %s, which the site serves itself; no carrier can hold it.", r.Place(), r.Old.Host),
				"Set the redirect up on the site, and write it down in site.rules.",
				map[string]any{"line": r.Line},
			)
		}
	}
	return f
}

// predicted judges the predicted chains of all doors and examples. A door whose carrier is known to
// be unable is not judged once more.
func predicted(p *Plan, beyond map[web.Door]bool) Found {
	judge := chain.Judge{Estate: p.Estate.Holds, Forwards: p.Forwards}
	asks := p.Asks(true)
	each := make([][]finding.Finding, len(asks))
	crew.Each(len(asks), func(i int) {
		ask := asks[i]
		if beyond[ask.URL.Door()] || p.Web.Untold(ask.URL.Host()) != "" {
			return
		}
		c := chain.Follow(context.Background(), p.Web, chain.Ask{URL: ask.URL}, ask.Probe)
		judge.Chain(&c, p.Goal(ask.URL))
		for _, one := range c.Findings {
			if by := p.Web.Carrier(ask.URL.Host()); one.Code == finding.QueryLost && by != nil && !by.KeepsQuery {
				one = one.Causing("queries at " + by.Name) // a limit of the carrier, however many doors meet it
			}
			each[i] = append(each[i], one)
		}
	})
	return Found{findings: slices.Concat(each...)}
}

// ToAsk is a URL to try, and why.
type ToAsk struct {
	URL   web.URL
	Probe chain.Probe
}

// earlierOf returns the domains that earlier waves have moved, where one wave is meant.
func earlierOf(in Input, w *predict.Web) []*estate.Domain {
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

// unseenZones says which zones nobody has looked at, and of which a survey saw nothing.
func unseenZones(v *survey.Survey, zones []Zone) Found {
	var f Found
	var unseen, tried, nowhere []string
	looked := map[string]bool{}
	if v != nil {
		for i := range v.Domains {
			looked[v.Domains[i].Name] = true
		}
	}
	for _, z := range zones {
		switch name := z.domain.Name.Unicode(); {
		case z.Seen != nil:
		case z.New != nil:
			nowhere = append(nowhere, name)
		case looked[z.Name]:
			tried = append(tried, name)
		default:
			unseen = append(unseen, name)
		}
	}
	if len(nowhere) > 0 {
		f.note(NoZoneYet, nowhere...)
	}
	if len(tried) > 0 {
		f.note(SurveySawNone, tried...)
	}
	switch {
	case len(unseen) == 0:
	case len(unseen) == len(zones):
		f.note(NobodySawAny)
	default:
		f.note(NobodySawSome, unseen...)
	}
	return f
}

// earlierZones checks the zones that earlier waves have moved: what they did is taken as done, and
// looked at.
func earlierZones(in Input, seen surveys, w *predict.Web) Found {
	var f Found
	for _, d := range earlierOf(in, w) {
		f.findings = append(f.findings, afterMove(in.known(), seen, d)...)
	}
	return f
}

// ErrOnly says that no domain is meant by what was named.
type ErrOnly struct{ Says, Expected string }

func (e *ErrOnly) Error() string { return e.Says + "; expected " + e.Expected }

// Select gives the function for Input.Only from a name: "" for all, a domain, or "wave:N". The
// error is an *ErrOnly.
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
		return nil, &ErrOnly{"no domain is in this wave", "one of the waves in the estate file"}
	}
	h, err := web.ParseHost(only)
	if err != nil {
		return nil, err
	}
	if d := e.DomainOf(h); d != nil {
		return func(o *estate.Domain) bool { return o.Name == d.Name }, nil
	}
	return nil, &ErrOnly{"the estate holds no such domain", "a domain of the estate file or wave:N"}
}
