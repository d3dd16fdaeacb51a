package plan

import (
	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/zone"
)

// Web predicts the web as it is after the plan, which is all that a proof needs: doors reach only
// whom something that is typed tells of them.
func (in Input) Web() *predict.Prediction {
	w := predict.New(
		predict.Input{Estate: in.Estate, Rules: in.Rules, SiteRules: in.SiteRules, Pages: in.Pages,
			Only: in.Only},
	)
	w.Reaches(untold(in, w))
	return w
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
	seen := zone.SurveysOf(in.known())
	p := &Plan{Canonical: in.Estate.Canonical.String(), Web: w, Estate: in.Estate, Table: w.Rules,
		input: in}
	var tally finding.Tally
	take := func(f act.Found) {
		tally.Add(f.Findings...)
		p.Notes = append(p.Notes, f.Notes...)
	}
	take(leftDomains(in.Estate, w))
	p.Doors = doorsOf(w)
	limits, beyond := carry.Limits(w)
	p.beyond = beyond
	take(limits)
	if rules {
		p.Rules = rulesOf(w)
	}
	p.asks = p.Asks(true)
	take(faultyRules(w))
	take(redirectsNeeded(w))
	p.Certificates = carry.Certificates(w)
	take(predicted(p, beyond))
	zones := zone.Make(in.known(), seen, w.Domains())
	p.Zones, p.today = zones.Zones, zones.Today
	take(zones.Found)
	take(unseenZones(in.Survey, p.Zones))
	take(act.Found{Findings: carry.DeclaredOtherwise(in.Estate, in.Survey, in.Audited)})
	take(earlierZones(in, seen, w))
	carriers, f := carry.Carriers(w, seen, p.Zones, p.Certificates, p.urls())
	p.Carriers = carriers
	take(f)
	certificates, f := carry.WithIssuers(in.Estate, p.Certificates,
		carry.RecordsAt(in.Estate, seen, p.Zones), carry.MissedIssuersOf(p.Zones))
	p.Certificates = certificates
	take(f)
	p.Steps = stepsOf(p.Zones, p.Carriers, p.Certificates)
	sheets := p.Sheets()
	p.Played = playedOf(p, sheets, seen)
	p.Broken = p.unsaid(p.Play(sheets), tally.Findings())
	take(act.Found{Findings: p.Broken})
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
	var f act.Found
	for _, d := range earlierOf(in, w) {
		f.Findings = append(f.Findings, zone.AfterMove(in.known(), seen, d)...)
	}
	return f
}
