package survey

import (
	"fmt"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// Judge says what is odd about a survey.
type Judge struct {
	Now    time.Time
	Estate []string // the domains of the estate; one that another refers to is depended-on
	Stays  string   // the domain of the canonical site, which goes nowhere
	Wanted []Wanted // records that somebody asks for
}

// Wanted is a record that somebody asks for.
type Wanted struct {
	Domain, Name, Type string
	Value              string // in zone-file form
	Moved              bool   // the domain counts as moved, so that it should be there
}

// All returns the findings about every domain, the worst first, and notes in each domain what is worth knowing.
func (j Judge) All(s *Survey) []finding.Finding {
	var tally finding.Tally
	for i := range s.Domains {
		s.Domains[i].Facts = s.Domains[i].Odd()
		v := verdict{judge: j, domain: &s.Domains[i], tally: &tally}
		v.delegation()
		v.signing()
		v.hints()
		v.differences()
		v.aliases()
		v.doubled()
		v.mailWords()
		v.mailBroken()
		v.mailTied()
		v.dependsOn()
		v.registration()
		v.robots()
		v.wanted()
		for _, c := range v.domain.Chains {
			tally.Add(c.Findings...)
		}
	}
	return tally.Findings()
}

// wanted looks for the records that somebody asks for.
func (v *verdict) wanted() {
	d := v.domain
	for _, w := range v.judge.Wanted {
		if w.Domain != d.Name || !d.Seen() {
			continue
		}
		s, _ := record.Find(d.Records, w.Name, w.Type)
		there := slices.ContainsFunc(s.Values, func(value string) bool {
			n, err := record.Value(w.Type, value)
			return err == nil && n == w.Value
		})
		switch {
		case there:
		case d.Misses(w.Name, w.Type):
			d.Facts = append(d.Facts, fmt.Sprintf("%s %s %s is wanted; nobody answered whether it is there.", w.Name, w.Type,
				record.Plain(w.Type, w.Value)))
		case w.Moved:
			v.add(
				finding.RecordLost,
				w.Name+" "+w.Type,
				fmt.Sprintf(
					"Somebody asks for %s %s %s, the domain counts as moved, and the record is not there.",
					w.Name,
					w.Type,
					record.Plain(w.Type, w.Value),
				),
				"Add it, or take it out of wanted: if nobody needs it any more.",
				map[string]any{"wanted": w.Value},
			)
		default:
			d.Facts = append(
				d.Facts,
				fmt.Sprintf("%s %s %s is wanted, and not there yet.", w.Name, w.Type, record.Plain(w.Type, w.Value)),
			)
		}
	}
}

type verdict struct {
	judge  Judge
	domain *Domain
	tally  *finding.Tally
}

func (v *verdict) add(code finding.Code, subject, says, fix string, evidence map[string]any) {
	v.tally.Add(finding.New(code, subject, says, fix, evidence))
}
