package zone

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
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
				fmt.Sprintf("%s is needed by %s, and nothing is there.", u.Host, n.By),
				"Ask what the record was, and put it back; or take the host out of needed: if nobody needs "+
					"it any more.",
				map[string]any{"by": n.By},
			)
		case n.To != "" && !slices.Contains(u.To, n.To):
			f.Find(
				finding.WrongTarget,
				u.Host,
				fmt.Sprintf("%s is needed by %s at %s, and leads to %s.", u.Host, n.By, n.To,
					strings.Join(u.To, ", ")),
				"Lead it there, or correct needed:.",
				map[string]any{"by": n.By, "wanted": n.To, "there": u.To},
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
		fmt.Sprintf("%s %s (%s) is wanted, and %s needs the host as it is.", n.Name, n.Type,
			wording.Shortly(record.PlainAll(n.Type, n.Values)), by),
		"Drop the line from wanted:, or take the host out of needed:.",
		map[string]any{"by": by, "type": n.Type,
			"wanted": record.Plain(n.Type, strings.Join(n.Values, ", "))},
	)
	return true
}
