package report

import (
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// The shape of a plan in JSON: the plan's data with its reasons, checks and steps in words
// (docs/schema/plan.json).
type (
	jsonRule struct {
		plan.PlannedRule
		Chain []predict.Hop `json:"chain"` // predicted, from the example
	}
	jsonPlan struct {
		Schema    string `json:"schema"`
		Canonical string `json:"canonical"`
		// domains of the estate that it leaves out
		Left         []string           `json:"left,omitempty"`
		Played       plan.Played        `json:"played"`
		Doors        []plan.PlannedDoor `json:"doors"`
		Rules        []jsonRule         `json:"rules"`
		Certificates []jsonCertificate  `json:"certificates"`
		Zones        []jsonZone         `json:"zones"`
		Carriers     []jsonCarrier      `json:"carriers"`
		Order        []string           `json:"order"`
		Findings     []finding.Finding  `json:"findings"`
		Notes        []string           `json:"notes,omitempty"`
	}
	jsonCertificate struct {
		Carrier  string   `json:"carrier"`
		Domain   string   `json:"domain,omitempty"`
		Names    []string `json:"names"`
		When     string   `json:"when"`
		Issuer   string   `json:"issuer,omitempty"`
		MayIssue []string `json:"may_issue,omitempty"`
		Limits   []string `json:"limits,omitempty"`
		ByDNS    []string `json:"by_dns,omitempty"`
		Gap      string   `json:"gap,omitempty"`
	}
	jsonZone struct {
		Name      string          `json:"name"`
		RecordsAt string          `json:"records_at,omitempty"`
		State     string          `json:"state"`
		Records   []zone.Record   `json:"records"`
		Seen      *time.Time      `json:"seen,omitempty"`
		New       *zone.New       `json:"new,omitempty"`
		Partial   bool            `json:"partial,omitempty"`
		Remaining bool            `json:"remaining_ttls,omitempty"`
		Missed    []survey.Missed `json:"missed,omitempty"`
		Changes   []jsonChange    `json:"changes,omitempty"`
		TTLs      []zone.TTL      `json:"ttls,omitempty"`
		AbsentFor int             `json:"absent_for,omitempty"`
		Move      *jsonMove       `json:"move,omitempty"`
	}
	jsonChange struct {
		Step    int        `json:"step"`
		Action  act.Action `json:"action"`
		Name    string     `json:"name"`
		Type    string     `json:"type"`
		TTL     int        `json:"ttl"`
		Before  []string   `json:"before"`
		After   []string   `json:"after"`
		Typed   []string   `json:"typed,omitempty"`
		TypedAs string     `json:"typed_as,omitempty"`
		Through string     `json:"through,omitempty"`
		Reason  string     `json:"reason"`
	}
	jsonMove struct {
		From     []string `json:"from"`
		To       []string `json:"to"`
		OldLives int      `json:"old_lives"`
		Ready    bool     `json:"ready"`
		DS       []string `json:"ds,omitempty"`
		Loses    []string `json:"loses,omitempty"`
		Order    []string `json:"order"`
	}
	jsonCarrier struct {
		Name    string      `json:"name"`
		By      string      `json:"by"`
		Hosts   []string    `json:"hosts"`
		Limits  []string    `json:"limits,omitempty"`
		Entries []jsonEntry `json:"entries"`
	}
	jsonEntry struct {
		Step   int             `json:"step"`
		Action act.Action      `json:"action"`
		Kind   world.EntryKind `json:"kind"`
		Domain string          `json:"domain,omitempty"`
		Fields []jsonField     `json:"fields"`
		Reason string          `json:"reason"`
		Check  string          `json:"check,omitempty"`
		Star   *jsonStar       `json:"star,omitempty"`
	}
	jsonField struct {
		Name  string `json:"name"`
		Value string `json:"value"`
	}
	jsonStar struct {
		Line  int      `json:"line,omitempty"`
		Takes []string `json:"takes"`
		Wider string   `json:"wider,omitempty"`
	}
)

// planData is a plan as JSON has it.
func planData(p *plan.Plan) jsonPlan {
	v := jsonPlan{
		Schema:       plan.Schema,
		Canonical:    p.Canonical,
		Left:         leftOf(p),
		Played:       p.Played,
		Doors:        p.Doors,
		Rules:        make([]jsonRule, len(p.Rules)),
		Certificates: []jsonCertificate{},
		Zones:        []jsonZone{},
		Carriers:     []jsonCarrier{},
		Order:        []string{},
		Findings:     inWords(p.Findings),
	}
	for i := range p.Rules {
		v.Rules[i] = jsonRule{p.Rules[i], p.ChainOf(&p.Rules[i])}
	}
	for _, c := range p.Certificates {
		made := jsonCertificate{
			Carrier:  c.Carrier,
			Domain:   c.Domain,
			Names:    c.Names,
			When:     c.When,
			Issuer:   c.Issuer,
			MayIssue: c.MayIssue,
			Limits:   c.Limits,
			ByDNS:    c.ByDNS,
		}
		if c.Gap {
			made.Gap = words.Gap
		}
		v.Certificates = append(v.Certificates, made)
	}
	for _, z := range p.Zones {
		v.Zones = append(v.Zones, zoneJSON(z))
	}
	for _, c := range p.Carriers {
		v.Carriers = append(v.Carriers, carrierJSON(c))
	}
	for _, s := range p.Steps {
		v.Order = append(v.Order, doc.Unmarked(words.Step(s)))
	}
	for _, n := range p.Notes {
		v.Notes = append(v.Notes, doc.Unmarked(words.Note(n)))
	}
	return v
}

func zoneJSON(z zone.Zone) jsonZone {
	v := jsonZone{
		Name:      z.Name,
		RecordsAt: z.RecordsAt,
		State:     z.State,
		Records:   z.Records,
		Seen:      z.Seen,
		New:       z.New,
		Partial:   z.Partial,
		Remaining: z.Remaining,
		Missed:    z.Missed,
		TTLs:      z.TTLs,
		AbsentFor: z.AbsentFor,
	}
	for _, c := range z.Changes {
		v.Changes = append(
			v.Changes,
			jsonChange{
				c.Step,
				c.Action,
				c.Name,
				c.Type,
				c.TTL,
				c.Before,
				c.After,
				c.Typed,
				c.TypedAs,
				c.Through,
				doc.Unmarked(words.Because(c.Reasons)),
			},
		)
	}
	if m := z.Move; m != nil {
		v.Move = &jsonMove{From: m.From, To: m.To, OldLives: m.OldLives, Ready: m.Ready, DS: m.DS}
		for _, l := range m.Loses {
			v.Move.Loses = append(v.Move.Loses, words.Loss(l))
		}
		for _, s := range plan.StepsOfMove(&z) {
			v.Move.Order = append(v.Move.Order, doc.Unmarked(words.Step(s)))
		}
	}
	return v
}

func carrierJSON(c carry.Carried) jsonCarrier {
	v := jsonCarrier{Name: c.Name, By: c.By, Hosts: c.Hosts, Limits: plainTexts(c.Limits),
		Entries: []jsonEntry{}}
	for _, e := range c.Entries {
		command, _ := words.Check(e.Check)
		made := jsonEntry{
			Step:   e.Step,
			Action: e.Action,
			Kind:   e.Kind,
			Domain: e.Domain,
			Reason: doc.Unmarked(words.Because(e.Reasons)),
			Check:  command,
		}
		for _, f := range e.Fields {
			made.Fields = append(made.Fields, jsonField{f.Name, words.Field(f)})
		}
		if e.Star != nil {
			made.Star = &jsonStar{e.Star.Line, e.Star.Takes, e.Star.Wider}
		}
		v.Entries = append(v.Entries, made)
	}
	return v
}

// placeTitle says what a place is where something is typed.
func placeTitle(by string) string {
	switch by {
	case carry.SiteKind:
		return "the site"
	case carry.RegistrarKind:
		return "a registrar"
	}
	return estate.CarrierKind(by).Row().Title
}

// placePage gives the heading of what is typed there.
func placePage(by string) string {
	if by == carry.SiteKind {
		return "On the site"
	}
	if page := estate.CarrierKind(by).Row().Page; page != "" {
		return page
	}
	return "Last of all"
}
