package survey

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// Judge says what is odd about a survey.
type Judge struct {
	Now    time.Time
	Estate []string // the domains of the estate; one that another refers to is depended-on
	Stays  string   // the domain of the canonical site, which goes nowhere
	Wanted []Wanted // records that somebody asks for
	// Flattens reports whether the provider of a zone resolves an alias at its apex; nil: none does
	Flattens func(*Domain) bool
}

// Wanted is a record that somebody asks for.
type Wanted struct {
	Domain, Name, Type string
	Value              string // in zone-file form
	Moved              bool   // the domain counts as moved, so that it should be there
}

// All returns the findings about every domain, the worst first, and notes in each domain what is
// worth knowing.
func (j Judge) All(s *Survey) []finding.Finding {
	var tally finding.Tally
	for i := range s.Domains {
		s.Domains[i].Facts = s.Domains[i].Odd()
		v := judging{judge: j, domain: &s.Domains[i], tally: &tally, sets: setsOf(s.Domains[i].Records)}
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
			for _, f := range c.Findings {
				tally.Add(v.joined(f))
			}
		}
	}
	return tally.Findings()
}

func setsOf(all []record.Set) map[record.Key]record.Set {
	sets := make(map[record.Key]record.Set, len(all))
	for _, s := range all {
		if _, have := sets[s.Key()]; !have {
			sets[s.Key()] = s
		}
	}
	return sets
}

func (v *judging) find(name, kind string) (record.Set, bool) {
	s, ok := v.sets[record.Key{Name: name, Type: kind}]
	return s, ok
}

// joined gives a finding of a chain the cause that the judge knows already, where it is the same:
// signatures that do not hold, and aliases that lead round. It is one finding then, with the doors
// concerned.
func (v *judging) joined(f finding.Finding) finding.Finding {
	switch {
	case (f.Code == finding.SignatureExpired || f.Code == finding.StaleDS) && v.unsigned != 0:
		f.Code = v.unsigned
		return f.GroupedBy(signatures + v.domain.Name)
	case f.Code == finding.NoAddress && v.domain.Parent.Unknown && v.within(hostOf(f.Entry)) &&
		f.Subject == hostOf(f.Entry):
		f.Code = finding.OnHold
		return f.GroupedBy(unknowns + v.domain.Name)
	case f.Code == finding.AliasLoop && v.round[hostOf(f.Entry)] != "":
		return f.GroupedBy(circles + v.round[hostOf(f.Entry)])
	}
	return f
}

// What names the causes that chains share with the judge.
const (
	signatures = "signatures of "
	circles    = "aliases round "
	unknowns   = "nothing known of "
)

// within reports whether a name is the domain's or below it.
func (v *judging) within(name string) bool {
	return name == v.domain.Name || strings.HasSuffix(name, "."+v.domain.Name)
}

func hostOf(entry string) string {
	u, err := web.ParseURL(entry)
	if err != nil {
		return ""
	}
	return u.Host().String()
}

// wanted looks for the records that somebody asks for.
func (v *judging) wanted() {
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
			d.Facts = append(d.Facts, fact.Of(fact.WantedUnseen{Name: w.Name, Type: w.Type,
				Value: record.Plain(w.Type, w.Value)}, fact.Says))
		case w.Moved:
			v.add(
				finding.RecordLost,
				w.Name+" "+w.Type,
				fact.WantedNotThere{Wanted: w.Value, Name: w.Name, Type: w.Type,
					Plain: record.Plain(w.Type, w.Value)},
			)
		default:
			d.Facts = append(d.Facts, fact.Of(fact.WantedNotYet{Name: w.Name, Type: w.Type,
				Value: record.Plain(w.Type, w.Value)}, fact.Says))
		}
	}
}

type judging struct {
	judge  Judge
	domain *Domain
	tally  *finding.Tally

	sets map[record.Key]record.Set // the domain's records
	// what was found of signatures that resolvers do not take; 0: nothing
	unsigned finding.Code
	// hosts whose aliases lead round, and the first name of the circle
	round map[string]string
}

func (v *judging) add(
	code finding.Code,
	subject string,
	facts fact.Facts,
	evidence ...map[string]any,
) {
	v.tally.Add(finding.New(code, subject, facts, evidence...))
}
