package survey

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

func (v *judging) aliases() {
	d := v.domain
	byName := map[string][]string{}
	for _, s := range d.Records {
		if !record.BesideAlias(s.Type) {
			byName[s.Name] = append(byName[s.Name], s.Type)
		}
	}
	for _, s := range d.Records {
		if s.Type != "CNAME" {
			continue
		}
		others := slices.DeleteFunc(slices.Clone(byName[s.Name]), func(k string) bool {
			return k == "CNAME"
		})
		switch {
		case s.Name == d.Name && v.judge.Flattens != nil && v.judge.Flattens(d):
		case s.Name == d.Name:
			v.add(
				finding.AliasConflict,
				s.Name,
				fact.AliasAtTop{Value: s.Values, Name: s.Name},
			)
		case len(others) > 0 || len(s.Values) > 1:
			v.add(
				finding.AliasConflict,
				s.Name,
				fact.AliasNotAlone{Value: s.Values, Others: others, Name: s.Name,
					Beside: append(others, s.Values[1:]...)},
			)
		}
	}
	v.round = map[string]string{}
	for _, a := range d.Aliases {
		if len(a.Circle) > 0 {
			v.circle(a)
			continue
		}
		why, own := v.unclaimed(a), v.ours(a.Target)
		if why == nil || own && a.Exists {
			continue // of the estate's own names the doors say themselves how they answer
		}
		v.add(
			finding.DanglingAlias,
			a.Name,
			fact.AliasUnclaimed{Target: a.Target, Host: a.Name, Why: why, Own: own},
		)
	}
}

// ours reports whether a name belongs to the estate: nobody else can claim it.
func (v *judging) ours(name string) bool {
	for at := name; at != ""; _, at, _ = strings.Cut(at, ".") {
		if at == v.domain.Name || slices.Contains(v.judge.Estate, at) {
			return true
		}
	}
	return false
}

// circle says once that aliases lead round, whoever leads into them.
func (v *judging) circle(a AliasEnd) {
	names := slices.Sorted(slices.Values(a.Circle))
	v.round[a.Name] = names[0]
	v.tally.Add(finding.New(
		finding.AliasLoop,
		names[0],
		fact.AliasCircle{Aliases: a.Circle, Circle: append(slices.Clone(a.Circle), a.Circle[0])},
	).GroupedBy(circles + names[0]))
}

// unclaimed tells why nobody answers for a name at the end of its alias, nil where somebody does.
func (v *judging) unclaimed(a AliasEnd) fact.Facts {
	if !a.Exists && ForNoHost(a.Name) {
		return fact.TargetMissing{}
	}
	if !a.Exists {
		return fact.TargetAddressless{}
	}
	var seen []fact.Facts
	for _, c := range v.domain.Chains {
		if c.Probe != chain.Root || c.Entry.Host().String() != a.Name {
			continue
		}
		first := c.Hops[0]
		switch {
		case first.Status == 404 || first.Status == 421 || first.Status == 410:
			seen = append(seen, fact.DoorAnswers{Door: c.Entry.Door().String(), Status: first.Status})
		case first.Refusal != "" && first.Refusal != chain.Unseen,
			first.TLS != nil && slices.Contains(first.TLS.Faults, finding.WrongName) && first.Status >= 400:
			seen = append(seen, fact.DoorSilent{Door: c.Entry.Door().String()})
		default:
			return nil
		}
	}
	if seen == nil {
		return nil
	}
	return fact.SeenThere{Doors: seen}
}

// nearMisses are labels that somebody typed for www.
var nearMisses = []string{"ww", "wwww", "www.www", "wwww.www", "w", "www.ww"}

func (v *judging) doubled() {
	d := v.domain
	twice := d.Name + "." + d.Name
	for _, s := range d.Records {
		if v.byWildcard(s) {
			continue
		}
		label := strings.TrimSuffix(s.Name, "."+d.Name)
		switch {
		case s.Name == twice || strings.HasSuffix(s.Name, "."+twice):
			v.add(
				finding.DoubledName,
				s.Name,
				fact.DomainDoubled{Type: s.Type, Values: s.Values, Name: s.Name,
					Label: labelOf(strings.TrimSuffix(s.Name, "."+d.Name), d.Name)},
			)
		case slices.Contains(nearMisses, label):
			v.add(
				finding.DoubledName,
				s.Name,
				fact.WWWMistyped{Type: s.Type, Values: s.Values, Name: s.Name, Domain: d.Name},
			)
		}
		for _, value := range s.Values {
			if target := plainName(lastField(value)); (s.Type == "CNAME" || s.Type == "MX" ||
				s.Type == "NS") &&
				(target == twice || strings.HasSuffix(target, "."+twice)) {
				v.add(
					finding.DoubledName,
					s.Name,
					fact.TargetDoubled{Value: value, Type: s.Type, Name: s.Name, Target: target},
				)
			}
		}
	}
}

// byWildcard reports whether a set that was asked for by name may be what a wildcard answers, and
// nobody typed it. In a zone that was seen whole everything was typed.
func (v *judging) byWildcard(s record.Set) bool {
	d := v.domain
	if !d.Partial || s.Type == "TXT" || !slices.Contains(d.Wildcards, d.Name) {
		return false
	}
	wild, shown := v.find("*."+d.Name, s.Type)
	return !shown || record.SameMeaning(s.Type, wild.Values, s.Values)
}

func labelOf(name, zone string) string {
	if name == zone {
		return "@"
	}
	return strings.TrimSuffix(name, "."+zone)
}
