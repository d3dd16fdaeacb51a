package survey

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// delegation finds what is wrong between the parent zone, the name servers and the zone.
func (v *judging) delegation() {
	d := v.domain
	if d.Parent.Unknown && (d.Registration == nil || !held(d.Registration.Status)) {
		v.tally.Add(finding.New(
			finding.OnHold,
			d.Name,
			fact.ParentKnowsNothing{Zone: d.Parent.Zone, Server: d.Parent.Server,
				Parent: cmp.Or(d.Parent.Zone, "."), Domain: d.Name},
		).GroupedBy(unknowns + d.Name))
	}
	v.servers()
	v.glue()
	v.serverNames()
	v.cutOff()
}

// servers finds name servers that do not answer, two lists of them, and two versions of the zone.
func (v *judging) servers() {
	d := v.domain
	for _, s := range d.Servers {
		if s.State == Answers || s.State == Unasked ||
			s.State == Silent && d.Source == Resolver && d.Parent.Server == "" {
			continue // where not even the parent zone could be reached from this vantage, none is to blame
		}
		who := s.Name
		if s.Address != "" {
			who += " (" + s.Address + ")"
		}
		var does fact.Facts = fact.ServerSilent{}
		if s.State == Inside {
			does = fact.ServerInside{}
		}
		v.add(
			finding.SplitAnswers,
			d.Name,
			fact.ServerFails{Server: s.Name, Address: s.Address, State: string(s.State), At: who,
				Domain: d.Name, Does: does, Detail: s.Says},
		)
	}
	byParent, byZone := v.named("parent"), v.named("zone")
	if len(byParent) > 0 && len(byZone) > 0 && !slices.Equal(byParent, byZone) {
		v.add(
			finding.SplitAnswers,
			d.Name,
			fact.ServersListedTwice{Parent: byParent, Zone: byZone},
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
			fact.VersionsDiffer{Serials: says, Domain: d.Name},
		)
	}
}

// named returns the names of the servers that the parent or the zone names, in order.
func (v *judging) named(by string) []string {
	var all []string
	for _, s := range v.domain.Servers {
		if slices.Contains(s.By, by) {
			all = append(all, s.Name)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// glue finds addresses of name servers that the parent zone and the zone itself say otherwise.
func (v *judging) glue() {
	d := v.domain
	for _, g := range d.Parent.Glue {
		own := d.Addresses(g.Name)
		missed := d.Misses(g.Name, "A") || d.Misses(g.Name, "AAAA")
		if missed || record.SameValues(own, g.Addresses) || v.cut(g.Name) != "" ||
			len(own) == 0 && (d.Partial || !d.Seen()) {
			continue
		}
		v.add(
			finding.SplitAnswers,
			d.Name,
			fact.GlueDiffers{Server: g.Name, Glue: g.Addresses, Zone: own},
		)
	}
}

// serverNames finds name servers whose names are aliases (RFC 2181 section 10.3).
func (v *judging) serverNames() {
	d := v.domain
	for _, s := range d.Records {
		if s.Type != "NS" || s.Name != d.Name {
			continue
		}
		for _, value := range s.Values {
			target := plainName(value)
			if alias, _ := v.machine(s.Name, "NS", target); alias != "" {
				v.add(
					finding.AliasConflict,
					target,
					fact.ServerIsAlias{Server: target, Alias: alias, Domain: d.Name},
				)
			}
		}
	}
}

// cut gives the name at or above another, and below the apex, that is delegated elsewhere; "" for
// none.
func (v *judging) cut(name string) string {
	for at := name; strings.HasSuffix(at, "."+v.domain.Name); {
		if _, ok := v.find(at, "NS"); ok {
			return at
		}
		_, at, _ = strings.Cut(at, ".")
	}
	return ""
}

// cutOff finds records at or below a name that is delegated elsewhere, addresses of name servers
// left aside, which have to stand there (RFC 1034 section 4.2.1).
func (v *judging) cutOff() {
	d := v.domain
	serve := map[string]bool{}
	for _, s := range d.Records {
		if s.Type == "NS" {
			for _, value := range s.Values {
				serve[plainName(value)] = true
			}
		}
	}
	for _, s := range d.Records {
		cut := v.cut(s.Name)
		glue := (s.Type == "A" || s.Type == "AAAA") && serve[s.Name]
		ofCut := s.Name == cut && slices.Contains([]string{"NS", "DS", "RRSIG", "NSEC"}, s.Type)
		if cut == "" || glue || ofCut {
			continue
		}
		v.add(
			finding.CutOff,
			s.Name,
			fact.BelowDelegation{Delegated: cut, Values: s.Values, Name: s.Name, Type: s.Type, Zone: d.Name},
		)
	}
}
