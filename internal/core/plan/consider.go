package plan

import (
	"context"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// ConsiderSchema names the shape of choices in JSON.
const ConsiderSchema = "upperpath/consider/1"

// Considered is choices set side by side.
type Considered struct {
	Schema  string   `json:"schema"`
	About   string   `json:"about"` // carriers, or the canonical host
	Choices []Choice `json:"choices"`
}

// Choice is what a plan comes to if one choice is made.
type Choice struct {
	Name         string     `json:"name"`
	Canonical    string     `json:"canonical"`
	Doors        int        `json:"doors"`
	MostHops     int        `json:"most_hops"` // of any door, to the end
	Open         []OpenDoor `json:"open"`      // doors at which a visitor meets a fault
	Certificates int        `json:"certificates"`
	// of them, those that can be had only after the names point there
	Late      int `json:"late"`
	Permanent int `json:"permanent"` // doors whose first answer browsers remember
	// what browsers remember from today that goes against this choice
	Remembered []fact.Sentence `json:"remembered"`
	// of records; record sets where nobody has seen the zones
	Changes int `json:"changes"`
	Entries int `json:"entries"` // to be typed or done on carriers' pages
	Faults  int `json:"faults"`  // errors of the plan
	// why it counts each of them, and each change
	Errors []ConsideredError  `json:"errors"`
	Typed  []ConsideredChange `json:"typed"`
}

// ConsideredError is an error of the plan that comes of a choice.
type ConsideredError struct {
	Code    finding.Code  `json:"code"`
	Subject string        `json:"subject"`
	Says    fact.Sentence `json:"says"`
}

// ConsideredChange is a change of a record set that a choice asks for.
type ConsideredChange struct {
	Zone    string       `json:"zone"`
	Name    string       `json:"name"`
	Type    string       `json:"type"`
	Action  act.Action   `json:"action"`
	Reasons []act.Reason `json:"-"`
	Why     string       `json:"why"` // the reasons in words; whoever shows the choice fills them in
}

// OpenDoor is a door at which a visitor meets a fault, and the codes of it.
type OpenDoor struct {
	Door  string         `json:"door"`
	Codes []finding.Code `json:"codes"`
}

// Consider works the plan out once for each choice: names of carriers, each for all domains that
// are meant and still to move; or www and apex, for the canonical host. The error tells what would
// be understood.
func Consider(in Input, names []string) (*Considered, error) {
	c := &Considered{Schema: ConsiderSchema, About: "carriers"}
	for i, name := range names {
		if slices.ContainsFunc(names[:i], func(o string) bool {
			return strings.TrimSpace(o) == strings.TrimSpace(name)
		}) {
			return nil, fact.Err(fact.ChoiceTwice{Choices: strings.Join(names, ","),
				Choice: strings.TrimSpace(name)})
		}
		variant, about, err := variantOf(in, strings.TrimSpace(name))
		if err != nil {
			return nil, err
		}
		if len(c.Choices) > 0 && about != c.About {
			return nil, fact.Err(fact.ChoicesMixed{Choices: strings.Join(names, ",")})
		}
		c.About = about
		c.Choices = append(c.Choices, choice(strings.TrimSpace(name), Make(variant)))
	}
	return c, nil
}

func variantOf(in Input, name string) (Input, string, error) {
	e := in.Estate
	if carrier := e.Carrier(name); carrier != nil {
		in.Estate = e.WithCarrier(carrier, func(d *estate.Domain) bool {
			return d.State == estate.Planned && (in.Only == nil || in.Only(d))
		})
		return in, "carriers", nil
	}
	apex, ok := e.Canonical.Host.Apex()
	if name != "www" && name != "apex" || !ok {
		var known []string
		for _, c := range e.Carriers {
			known = append(known, c.Name)
		}
		return in, "", fact.Err(fact.ChoiceUnknown{Choice: name, Known: known})
	}
	host := apex
	if name == "www" {
		host = apex.WWW()
	}
	in.Estate = e.WithCanonical(host)
	in.Pages, in.SiteRules = pagesAt(in, host), siteRulesAt(in, host)
	return in, "the canonical host", nil
}

// pagesAt gives the pages of the site under another host.
func pagesAt(in Input, host web.Host) []web.URL {
	pages := slices.Clone(in.Pages)
	for i, u := range pages {
		if u.Host() != host {
			pages[i] = u.At(web.Door{Scheme: web.HTTPS, Host: host})
		}
	}
	return pages
}

// siteRulesAt gives the site's own redirects under another host.
func siteRulesAt(in Input, host web.Host) []*rule.Rule {
	var rules []*rule.Rule
	for _, r := range in.SiteRules {
		copied := *r
		copied.Old.Host = host
		rules = append(rules, &copied)
	}
	return rules
}

func choice(name string, p *Plan) Choice {
	c := Choice{
		Name:       name,
		Canonical:  p.Canonical,
		Doors:      len(p.Doors),
		Open:       []OpenDoor{},
		Errors:     []ConsideredError{},
		Typed:      []ConsideredChange{},
		Remembered: remembered(p.input.Survey, p.Estate.Canonical),
	}
	judge := chain.Judge{Estate: p.Estate.Holds, Forwards: p.Forwards}
	at := map[string]int{}
	for _, ask := range p.Asks(false) {
		ch := chain.Follow(context.Background(), p.Web, chain.Ask{URL: ask.URL}, ask.Probe)
		judge.Chain(&ch, p.Goal(ask.URL))
		c.MostHops = max(c.MostHops, len(ch.Hops)-1)
		if ask.Probe == chain.Root && ch.Hops[0].Permanent() && ch.Hops[0].IsRedirect() {
			c.Permanent++
		}
		door := ask.URL.Door().String()
		for _, f := range ch.Findings {
			if f.Severity != finding.Error {
				continue
			}
			i, listed := at[door]
			if !listed {
				i = len(c.Open)
				at[door] = i
				c.Open = append(c.Open, OpenDoor{Door: door})
			}
			if !slices.Contains(c.Open[i].Codes, f.Code) {
				c.Open[i].Codes = append(c.Open[i].Codes, f.Code)
			}
		}
	}
	for _, cert := range p.Certificates {
		c.Certificates++
		if cert.When == string(estate.After) {
			c.Late++
		}
	}
	for _, z := range p.Zones {
		if z.Seen == nil {
			c.Changes += len(z.Records)
			for _, r := range z.Records {
				c.Typed = append(c.Typed, ConsideredChange{Zone: z.Name, Name: r.Name, Type: r.Type,
					Action: act.Add})
			}
		}
		for _, ch := range z.Changes {
			if ch.Step > 0 {
				c.Changes++
				c.Typed = append(c.Typed, ConsideredChange{Zone: z.Name, Name: ch.Name, Type: ch.Type,
					Action: ch.Action, Reasons: ch.Reasons})
			}
		}
	}
	for _, k := range p.Carriers {
		c.Entries += len(k.Entries)
	}
	for _, f := range p.Findings {
		if f.Severity == finding.Error && f.Open() {
			c.Faults++
			c.Errors = append(c.Errors, ConsideredError{f.Code, f.Subject, f.Says})
		}
	}
	return c
}

// remembered gives the permanent redirects of today that lead away from the canonical site:
// browsers that have met them go on following them.
func remembered(v *survey.Survey, canonical web.Door) []fact.Sentence {
	all := []fact.Sentence{}
	if v == nil {
		return all
	}
	for _, d := range v.Domains {
		for _, c := range d.Chains {
			first := c.Hops[0]
			next, _, ok := first.Next()
			if c.Probe != chain.Root || c.Entry.Door() != canonical || !first.IsRedirect() ||
				!first.Permanent() || !ok ||
				next.Door() == canonical {
				continue
			}
			all = append(
				all,
				fact.Of(fact.LeadsAwayToday{URL: c.Entry.String(), To: next.String(),
					Status: first.Status}, fact.Says),
			)
		}
	}
	return all
}
