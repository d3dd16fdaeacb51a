package survey

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
)

func (v *judging) aliases() {
	d := v.domain
	byName := map[string][]string{}
	for _, s := range d.Records {
		if !slices.Contains([]string{"RRSIG", "NSEC", "NSEC3"}, s.Type) {
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
		case s.Name == d.Name:
			v.add(
				finding.AliasConflict,
				s.Name,
				fmt.Sprintf("%s is an alias (CNAME) at the top of its zone, where SOA and NS have to stand "+
					"beside it.", s.Name),
				"Replace it by addresses, or by what the provider offers as an alias at the apex.",
				map[string]any{"value": s.Values},
			)
		case len(others) > 0 || len(s.Values) > 1:
			v.add(
				finding.AliasConflict,
				s.Name,
				fmt.Sprintf(
					"%s is an alias (CNAME) and has other records too: %s; resolvers see the one or the other.",
					s.Name,
					strings.Join(append(others, s.Values[1:]...), ", "),
				),
				"An alias stands alone: remove it, or everything else at this name.",
				map[string]any{"value": s.Values, "others": others},
			)
		}
	}
	v.round = map[string]string{}
	for _, a := range d.Aliases {
		if len(a.Circle) > 0 {
			v.circle(a)
			continue
		}
		why := v.unclaimed(a)
		if why == "" {
			continue
		}
		v.add(
			finding.DanglingAlias,
			a.Name,
			fmt.Sprintf("%s is an alias for %s, where nobody answers for this name: %s.", a.Name, a.Target,
				why),
			"Claim the name at whoever runs the target, or remove the alias: a stranger could claim it.",
			map[string]any{"target": a.Target},
		)
	}
}

// circle says once that aliases lead round, whoever leads into them.
func (v *judging) circle(a AliasEnd) {
	names := slices.Sorted(slices.Values(a.Circle))
	v.round[a.Name] = names[0]
	v.tally.Add(finding.New(
		finding.Loop,
		names[0],
		fmt.Sprintf(
			"These aliases form a loop and lead nowhere else: %s.",
			strings.Join(append(slices.Clone(a.Circle), a.Circle[0]),
				" → "),
		),
		"Let one of them lead to the machine that is meant, or give it addresses; remove those that "+
			"nobody needs.",
		map[string]any{"aliases": a.Circle},
	).GroupedBy(circles + names[0]))
}

// unclaimed says why nobody answers for a name at the end of its alias, "" where somebody does.
func (v *judging) unclaimed(a AliasEnd) string {
	if !a.Exists && ForNoHost(a.Name) {
		return "the target does not exist"
	}
	if !a.Exists {
		return "the target has no address"
	}
	var seen []string
	for _, c := range v.domain.Chains {
		if c.Probe != chain.Root || c.Entry.Host().String() != a.Name {
			continue
		}
		first := c.Hops[0]
		switch {
		case first.Status == 404 || first.Status == 421 || first.Status == 410:
			seen = append(seen, fmt.Sprintf("%s answers %d", c.Entry.Door(), first.Status))
		case first.Refusal != "" && first.Refusal != chain.Unseen,
			first.TLS != nil && slices.Contains(first.TLS.Faults, finding.WrongName) && first.Status >= 400:
			seen = append(seen, fmt.Sprintf("%s does not answer", c.Entry.Door()))
		default:
			return ""
		}
	}
	return strings.Join(seen, ", ")
}

// nearMisses are labels that somebody typed for www.
var nearMisses = []string{"ww", "wwww", "www.www", "wwww.www", "w", "www.ww"}

func (v *judging) doubled() {
	d := v.domain
	twice := d.Name + "." + d.Name
	for _, s := range d.Records {
		if slices.Contains(d.Wildcards, d.Name) && s.Type != "TXT" {
			continue // every name answers below a wildcard; this one was perhaps never typed
		}
		label := strings.TrimSuffix(s.Name, "."+d.Name)
		switch {
		case s.Name == twice || strings.HasSuffix(s.Name, "."+twice):
			v.add(
				finding.DoubledName,
				s.Name,
				fmt.Sprintf("%s holds the domain twice: a full name was typed into a form that adds the "+
					"domain itself.", s.Name),
				fmt.Sprintf(
					"Remove it, and type %q if the record is still wanted.",
					labelOf(strings.TrimSuffix(s.Name, "."+d.Name), d.Name),
				),
				map[string]any{"type": s.Type, "values": s.Values},
			)
		case slices.Contains(nearMisses, label):
			v.add(
				finding.DoubledName,
				s.Name,
				fmt.Sprintf("%s looks like a typing error for www.%s.", s.Name, d.Name),
				"Remove it if nobody uses it.",
				map[string]any{"type": s.Type, "values": s.Values},
			)
		}
		for _, value := range s.Values {
			if target := plainName(lastField(value)); (s.Type == "CNAME" || s.Type == "MX" ||
				s.Type == "NS") &&
				(target == twice || strings.HasSuffix(target, "."+twice)) {
				v.add(
					finding.DoubledName,
					s.Name,
					fmt.Sprintf("The %s record of %s leads to %s, which holds the domain twice.", s.Type, s.Name,
						target),
					"Type the target with its last dot, or without the domain.",
					map[string]any{"value": value},
				)
			}
		}
	}
}

func labelOf(name, zone string) string {
	if name == zone {
		return "@"
	}
	return strings.TrimSuffix(name, "."+zone)
}
