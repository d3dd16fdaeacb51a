package plan

import (
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// Web predicts the web as the estate file and the rules mean it, whatever is typed.
func (in Input) Web() *predict.Prediction {
	return predict.New(
		predict.Input{Estate: in.Estate, Rules: in.Rules, SiteRules: in.SiteRules, Pages: in.Pages,
			Only: in.Only, Now: in.Now},
	)
}

// Bare makes a plan without an example of every rule, and without what is wrong with rules: all
// that it has people type, the web that comes of it, and what breaks on the way there.
func Bare(in Input) *Plan { return in.plan(false) }

// Doubts gives the findings on which everything else that is said of the plan rests: of two rules
// for one URL, and of carriers that were seen to do otherwise than the estate file says.
func (p *Plan) Doubts() []finding.Finding {
	return slices.DeleteFunc(slices.Clone(p.Findings), func(f finding.Finding) bool {
		return f.Code != finding.Tie && f.Code != finding.DeclaredOtherwise
	})
}

// Make works the plan out.
func Make(in Input) *Plan { return in.plan(true) }

// plan works a plan out, with an example of every rule and what is wrong with rules, or without.
// This is the order of its phases: what is meant, what is typed for it, the world that comes of
// that, and what it answers.
func (in Input) plan(rules bool) *Plan {
	w := in.Web()
	seen := zone.SurveysOf(in.known())
	p := &Plan{Canonical: in.Estate.Canonical.String(), Web: w, Estate: in.Estate, Table: w.Rules,
		input: in}
	var tally finding.Tally
	take := func(f act.Found) {
		tally.Add(f.Findings...)
		p.Notes = append(p.Notes, f.Notes...)
	}
	take(leftDomains(in.Estate, w))
	limits, beyond := carry.Limits(w)
	p.beyond = beyond
	take(limits)
	if rules {
		p.Rules = rulesOf(w)
		take(faultyRules(w))
		take(redirectsNeeded(w))
	}
	p.Certificates = carry.Certificates(w)
	zones := zone.Make(in.known(), seen, w.Domains())
	p.Zones, p.today = zones.Zones, zones.Today
	p.Doors = doorsOf(w)
	p.asks = p.Asks(true)
	certificates, issuers := carry.WithIssuers(in.Estate, p.Certificates,
		carry.RecordsAt(in.Estate, seen, p.Zones), carry.MissedIssuersOf(p.Zones))
	p.Certificates = certificates
	carriers, others := carry.Carriers(w, seen, p.Zones, p.Certificates, p.urls())
	p.Carriers = carriers
	p.Steps = stepsOf(p.Zones, p.Carriers, p.Certificates)
	p.meant = w
	typed := p.Typed()
	p.outlast(p.today)
	p.inOrder(typed.Sheets)
	p.Steps = merged(p.Steps)
	played, state := p.play(typed, true)
	p.Played = playedOf(p, typed.Sheets, seen)
	p.Web = w.From(predict.Typed{State: state, Otherwise: asMeant})
	crew.Each(len(p.Doors), func(i int) {
		p.Doors[i].Chain = stepsFrom(p.Web, p.Doors[i].Door.URL("/", ""))
	})
	take(predicted(p, beyond))
	take(zones.Found)
	take(p.policies(state, seen))
	take(unseenZones(in.Survey, p.Zones))
	take(act.Found{Findings: carry.DeclaredOtherwise(in.Estate, in.Survey, in.Audited)})
	take(earlierZones(in, seen, w))
	take(others)
	take(issuers)
	p.Broken = p.unsaid(played, tally.Findings())
	take(act.Found{Findings: p.Broken})
	p.Findings = finding.Accept(tally.Findings(), in.Estate.Accept, in.Now)
	p.Broken = finding.Accept(p.Broken, in.Estate.Accept, in.Now)
	finding.Sort(p.Findings)
	return p
}

// As gives the web as it is once something is typed, and what breaks on the way there.
func (p *Plan) As(t Typed) (*predict.Prediction, []finding.Finding) {
	played, state := p.play(t, false)
	otherwise := asMeant
	if !t.own {
		otherwise = p.otherwise(p.Rows(t.Sheets))
	}
	return p.meant.From(predict.Typed{State: state, Otherwise: otherwise}), played
}

// asMeant tells of what the plan itself has people type that it is what is meant.
func asMeant(string, string) bool { return false }

// Rows gives the rows of sheets, each with its place, in the order in which they stand there.
func (p *Plan) Rows(sheets []Sheet) []world.Row {
	moves := map[string]bool{}
	for _, z := range p.Zones {
		moves[z.Name] = z.Move != nil
	}
	var all []world.Row
	for _, s := range sheets {
		for _, l := range s.Lines {
			all = append(all, lineRow(s.Place, &l, moves[l.Zone]))
		}
		for _, e := range s.Entries {
			all = append(all, p.entryRow(s.Place, e))
		}
	}
	return all
}

// Read gives rows as they were read from the tables of sheets, with the hosts that the file of a
// server holds in place of the carrier whose file it is.
func (p *Plan) Read(rows []world.Row) []world.Row {
	rows = slices.Clone(rows)
	for i, r := range rows {
		if r.Kind != world.Config || len(r.Fields) == 0 || r.Fields[0].Name == world.FieldHosts {
			continue
		}
		hosts := p.heldBy(r.Fields[0].Value)
		rows[i].Fields = []world.Field{{Name: world.FieldHosts, Value: hosts}}
	}
	return rows
}

// Told gives the state in which carriers were told what stands in rows, and nothing else is typed.
func (p *Plan) Told(rows []world.Row) predict.Typed {
	pl := newPlayer(p)
	rows = p.Read(rows)
	for _, r := range rows {
		if !r.IsRecord() {
			_ = pl.world.Tell(r) // what cannot be typed tells nobody anything
		}
	}
	return predict.Typed{State: pl.world, Otherwise: p.otherwise(rows)}
}

// otherwise tells of which carriers and zones something else is typed than what is meant.
func (p *Plan) otherwise(rows []world.Row) func(carrier, zone string) bool {
	meant, typed := map[string][]string{}, map[string][]string{}
	add := func(r world.Row, by map[string][]string) {
		if !r.IsRecord() && r.Kind != world.CertEntry && r.Kind != world.Records {
			key := r.Place + " " + r.Domain
			by[key] = append(by[key], r.String())
		}
	}
	for _, c := range p.Carriers {
		for _, e := range c.Entries {
			add(p.entryRow(c.Name, e), meant)
		}
	}
	for _, r := range rows {
		add(r, typed)
	}
	other := map[string]bool{}
	for key, all := range meant {
		other[key] = !slices.Equal(all, typed[key])
	}
	for key := range typed {
		other[key] = other[key] || meant[key] == nil
	}
	return func(carrier, zone string) bool { return other[carrier+" "+zone] || other[carrier+" "] }
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

// unseenZones says which zones nobody has looked at, and of which a survey saw nothing.
func unseenZones(v *survey.Survey, zones []zone.Zone) act.Found {
	var f act.Found
	var unseen, tried, nowhere []string
	looked := map[string]bool{}
	if v != nil {
		for i := range v.Domains {
			looked[v.Domains[i].Name] = true
		}
	}
	for _, z := range zones {
		switch name := z.Domain.Name.Unicode(); {
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
		f.Note(act.NoZoneYet, nowhere...)
	}
	if len(tried) > 0 {
		f.Note(act.SurveySawNone, tried...)
	}
	switch {
	case len(unseen) == 0:
	case len(unseen) == len(zones):
		f.Note(act.NobodySawAny)
	default:
		f.Note(act.NobodySawSome, unseen...)
	}
	return f
}

// earlierZones checks the zones that earlier waves have moved: what they did is taken as done, and
// looked at.
func earlierZones(in Input, seen zone.Surveys, w *predict.Prediction) act.Found {
	return act.Found{Findings: zone.AfterMove(in.known(), seen, earlierOf(in, w))}
}
