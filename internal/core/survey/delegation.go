package survey

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
)

func (v *verdict) delegation() {
	d := v.domain
	stale := len(d.Parent.DS) > 0
	for _, ds := range d.Parent.DS {
		stale = stale && !ds.Matched
	}
	if stale && slices.ContainsFunc(d.Servers, func(s Server) bool { return s.State == Answers }) {
		v.add(
			finding.StaleDS,
			d.Name,
			fmt.Sprintf(
				"%s says that %s is signed (DS), but the zone holds no key that fits; resolvers that check signatures find "+
					"nothing there.",
				d.Parent.Zone,
				d.Name,
			),
			"Have the registrar remove the DS record, or sign the zone with the key that it stands for.",
			map[string]any{"ds": d.Parent.DS},
		)
	}
	for _, s := range d.Servers {
		if s.State == Answers {
			continue
		}
		who := s.Name
		if s.Address != "" {
			who += " (" + s.Address + ")"
		}
		says := "does not answer for it"
		if s.State == Inside {
			says = "is none that the public can ask"
		}
		v.add(
			finding.SplitAnswers,
			d.Name,
			fmt.Sprintf("The name server %s of %s %s: %s.", who, d.Name, says, s.Says),
			"Have it serve the zone, or take it out of the delegation and of the zone's NS records.",
			map[string]any{"server": s.Name, "address": s.Address, "state": s.State},
		)
	}
	byParent, byZone := v.named("parent"), v.named("zone")
	if len(byParent) > 0 && len(byZone) > 0 && !slices.Equal(byParent, byZone) {
		v.add(
			finding.SplitAnswers,
			d.Name,
			fmt.Sprintf(
				"The parent names the servers %s, the zone itself %s.",
				strings.Join(byParent, ", "),
				strings.Join(byZone, ", "),
			),
			"Make both lists the same: at the registrar, and as NS records of the zone.",
			map[string]any{"parent": byParent, "zone": byZone},
		)
	}
	serials := map[uint32][]string{}
	for _, s := range d.Servers {
		if s.State == Answers {
			serials[s.Serial] = append(serials[s.Serial], s.Name)
		}
	}
	if len(serials) > 1 {
		var says []string
		for serial, names := range serials {
			says = append(says, fmt.Sprintf("%d at %s", serial, strings.Join(slices.Compact(names), ", ")))
		}
		slices.Sort(says)
		v.add(
			finding.SplitAnswers,
			d.Name,
			fmt.Sprintf("The name servers of %s hold different versions of the zone: %s.", d.Name, strings.Join(says, "; ")),
			"Wait some minutes; if they still differ, have the provider see why the others do not follow.",
			map[string]any{"serials": says},
		)
	}
}

// named returns the names of the servers that the parent or the zone names, in order.
func (v *verdict) named(by string) []string {
	var all []string
	for _, s := range v.domain.Servers {
		if slices.Contains(s.By, by) {
			all = append(all, s.Name)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}
