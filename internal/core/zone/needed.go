package zone

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// neededHosts looks whether the hosts that somebody else needs are there, and lead where they have
// to.
func neededHosts(s Sight) ([]Untouched, found) {
	var f found
	var all []Untouched
	for _, n := range s.domain.Needed {
		u := Untouched{Host: n.Host.String(), By: n.By}
		for _, set := range s.have[u.Host] {
			if record.LeadsToAddress(set.Type) {
				u.To = append(u.To, record.PlainAll(set.Type, set.Values)...)
			}
		}
		switch over := s.wildcardOver(u.Host); {
		case len(u.To) == 0 && s.misses(u.Host, "A", "AAAA", "CNAME"),
			over != "",
			s.seen.Partial && len(u.To) == 0 && n.To == "":
		case len(u.To) == 0:
			f.Find(
				finding.RecordLost,
				u.Host,
				fact.NeededGone{By: n.By, Host: u.Host},
			)
		case n.To != "" && !slices.Contains(u.To, n.To):
			f.Find(
				finding.WrongTarget,
				u.Host,
				fact.NeededElsewhere{By: n.By, Wanted: n.To, There: u.To, Host: u.Host},
			)
		}
		all = append(all, u)
	}
	return all, f
}

// touchesNeeded reports whether a wanted record would stand at a host that somebody else needs.
func touchesNeeded(d *estate.Domain, name, kind string) string {
	h, err := web.ParseHost(name)
	if err != nil || !record.LeadsBrowsers(kind) {
		return ""
	}
	return d.NeededBy(h)
}

// neededAt refuses a wanted record that would lead a host elsewhere that somebody else needs.
func neededAt(s Sight, n requirement, f *found) bool {
	by := touchesNeeded(s.domain, n.Name, n.Type)
	if by == "" {
		return false
	}
	f.Find(
		finding.DependedOn,
		n.Name,
		fact.NeededAsItIs{By: by, Type: n.Type,
			Wanted: record.Plain(n.Type, strings.Join(n.Values, ", ")), Name: n.Name,
			Values: record.PlainAll(n.Type, n.Values)},
	)
	return true
}
