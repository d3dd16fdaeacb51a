// Package plan says what comes of all: the doors with who answers them, the rules, the
// certificates, the changes of every zone (package zone), what is typed at carriers and registrars
// (package carry), and the steps of the cutover, in their order. From these it makes sheets to type
// from, zone files, the tasks of a runbook and what is to be awaited. It changes nothing, and looks
// at nothing outside what it is given.
//
//	p := plan.Make(plan.Input{Estate: e, Rules: rules})
//	p.Web.Answer(ctx, chain.Ask{URL: u}) // predicted
//	p.Goal(u)                            // wanted
//
// Input.plan is the order in which it is worked out. Play takes the sheets as they are typed, row
// by row in the order of the steps, and types them into a world.World, which nothing else changes,
// with the time that is waited between them. world.Watch compares after each act who receives mail,
// who may send, where names, needed hosts and doors end, and whether the carrier at the end was
// told and holds a certificate, for whoever asks and whoever holds older answers. In the end every
// zone is compared with the one that File gives, and what carriers were told with what the plan
// means. The state that comes of it is what Plan.Web predicts, and what is proved. test/cutover
// checks that with a reader written apart: a generator of estates, a plain player of what DNS,
// resolvers' memories, mail and carriers make of sheets, and every single mistake in every row and
// file, which has to turn the verdicts of plan, prove and rehearse red.
package plan

import (
	"context"
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
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
	// the wave that is meant; what earlier ones moved is checked too. 0: none
	Wave    int
	Survey  *survey.Survey // what was seen last; nil: nobody has looked
	Audited []chain.Chain  // what an audit met last
	// what was seen before that, to say what came and went since; nil: nothing
	Earlier *survey.Survey
	// all that was seen before the last time, from the newest: some may still hold it
	Past []*survey.Survey
	Now  time.Time // for what is wanted until a date; the zero value ends nothing
	// hosts that browsers come with as https only, as far as somebody says
	Preloaded []Preloaded
}

// known gives what the zones are worked out from.
func (in Input) known() zone.Known {
	return zone.Known{Estate: in.Estate, Survey: in.Survey, Earlier: in.Earlier,
		Past: in.Past, Now: in.Now}
}

// Plan is the whole plan.
type Plan struct {
	Canonical    string
	Doors        []PlannedDoor
	Rules        []PlannedRule
	Certificates []carry.Certificate
	Zones        []zone.Zone
	Carriers     []carry.Carried
	Steps        []act.Step // what to do, in this order
	Findings     []finding.Finding
	Notes        []act.Note
	Broken       []finding.Finding // those of the findings that come of playing what is typed
	Played       Played

	Web    *predict.Prediction
	Estate *estate.Estate
	Table  *rule.Table
	input  Input
	today  *world.World // as it was seen
	meant  *predict.Prediction
	held   map[string]string // hosts of the files of servers
	asks   []ToAsk           // what an audit asks, rules included
	beyond map[web.Door]bool // doors of which it was said that their carrier cannot do what is asked
}

// Played is how much of what is typed was played.
type Played struct {
	Rows int `json:"rows"` // records and entries
	// zones of the estate that nobody has seen, so that nobody knows what follows there
	Unseen []string `json:"unseen"`
	Partly []string `json:"partly"` // zones of which parts were not seen, which may be lost
}

// PlannedDoor is a door of the estate with where it must lead and who carries it.
type PlannedDoor struct {
	Door    web.Door `json:"door"`
	Domain  string   `json:"domain,omitempty"` // "" for another name of the site
	Carrier string   `json:"carrier"`          // the site itself: "site"
	LeadsTo web.URL  `json:"leads_to"`         // where its root arrives
	// of paths that no rule takes; "" on the site's own doors
	Fallback string        `json:"fallback"`
	Chain    []predict.Hop `json:"chain"` // predicted, from its root
}

// PlannedRule is a line of the redirect map with who must hold it and an example.
type PlannedRule struct {
	Line     int      `json:"line"`
	Old      string   `json:"old"`
	New      string   `json:"new"`
	Status   int      `json:"status"`
	Query    string   `json:"query"` // keep or drop
	Carriers []string `json:"carriers"`
	// a URL that it takes; "" where other rules win all that were tried
	Example string `json:"example,omitempty"`
}

// Domains returns the domains that the plan is about: those meant, without the ones to be left.
func (p *Plan) Domains() []*estate.Domain { return p.Web.Domains() }

// Meant gives the web as the estate file and the rules mean it, whatever is typed.
func (p *Plan) Meant() *predict.Prediction { return p.meant }

// Goal says where a URL of the estate should lead.
func (p *Plan) Goal(u web.URL) chain.Goal { return p.Web.Goal(u) }

// Exempt reports whether a URL is planned not to be redirected, since certificate authorities look
// there: its door exempts it, and its carrier can do so. A carrier that gets its certificates
// itself answers what it is asked for them, and may redirect the rest.
func (p *Plan) Exempt(u web.URL) bool {
	if c := p.Web.Carrier(u.Host()); c != nil && c.TLS && !c.By.Row().Configured {
		return false
	}
	a := p.Web.Answer(context.Background(), chain.Ask{URL: u})
	return a.Refusal == "" && !a.IsRedirect()
}

// Forwards reports whether a door of the estate should forward.
func (p *Plan) Forwards(d web.Door) bool { return p.Web.Forwards(d) }

// ToAsk is a URL to try, and why.
type ToAsk struct {
	URL   web.URL
	Probe chain.Probe
}

// ErrOnly says that no domain is meant by what was named.
type ErrOnly struct{ Facts fact.Facts }

func (e *ErrOnly) Error() string {
	said := fact.Say(e.Facts)
	return said.Says + "; expected " + said.Expected
}

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
		return nil, &ErrOnly{fact.NoSuchWave{}}
	}
	h, err := web.ParseHost(only)
	if err != nil {
		return nil, err
	}
	if d := e.DomainOf(h); d != nil {
		return func(o *estate.Domain) bool { return o.Name == d.Name }, nil
	}
	return nil, &ErrOnly{fact.NoSuchDomain{}}
}

// Age gives how long ago the zone of the plan was seen that nobody has seen for longest; 0 where
// nobody has seen any.
func (p *Plan) Age() time.Duration {
	age := time.Duration(0)
	for _, z := range p.Zones {
		if z.Seen != nil && !p.input.Now.IsZero() {
			age = max(age, p.input.Now.Sub(*z.Seen))
		}
	}
	return age
}

// Seen gives the survey of which the plan is made; nil: nobody has looked.
func (p *Plan) Seen() *survey.Survey { return p.input.Survey }
