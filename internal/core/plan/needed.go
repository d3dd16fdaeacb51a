package plan

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// Untouched is a host that somebody else needs, and what leads it there today.
type Untouched struct {
	Host string
	By   string
	To   []string // as forms show it; none: nothing was seen there
}

// neededHosts looks whether the hosts that somebody else needs are there, and lead where they have to.
func neededHosts(s sight) ([]Untouched, found) {
	var f found
	var all []Untouched
	for _, n := range s.domain.Needed {
		u := Untouched{Host: n.Host.String(), By: n.By}
		for _, set := range s.have[u.Host] {
			if isAddress(set.Type) {
				u.To = append(u.To, plain(set.Type, set.Values)...)
			}
		}
		switch over := s.wildcardOver(u.Host); {
		case len(u.To) == 0 && s.misses(u.Host, "A", "AAAA", "CNAME"),
			over != "",
			s.seen.Partial && len(u.To) == 0 && n.To == "":
		case len(u.To) == 0:
			f.find(
				finding.RecordLost,
				u.Host,
				fmt.Sprintf("%s is needed by %s, and nothing is there.", u.Host, n.By),
				"Ask what the record was, and put it back; or take the host out of needed: if nobody needs it any more.",
				map[string]any{"by": n.By},
			)
		case n.To != "" && !slices.Contains(u.To, n.To):
			f.find(
				finding.WrongTarget,
				u.Host,
				fmt.Sprintf("%s is needed by %s at %s, and leads to %s.", u.Host, n.By, n.To, strings.Join(u.To, ", ")),
				"Lead it there, or correct needed:.",
				map[string]any{"by": n.By, "wanted": n.To, "there": u.To},
			)
		}
		all = append(all, u)
	}
	return all, f
}

// redirectsNeeded refuses rules that would send a host to the site that somebody else needs.
func redirectsNeeded(w *predict.Web) Found {
	var f Found
	for _, r := range w.Rules.Rules() {
		d := w.Estate.DomainOf(r.Old.Host)
		if d == nil {
			continue
		}
		if by := d.NeededBy(r.Old.Host); by != "" {
			f.find(
				finding.DependedOn,
				r.Place(),
				fmt.Sprintf("%s would redirect %s, which %s needs.", r.Place(), r.Old.Host, by),
				"Drop the rule, or take the host out of needed: if nobody needs it any more.",
				map[string]any{"line": r.Line, "host": r.Old.Host.String(), "by": by},
			)
		}
	}
	return f
}

// touchesNeeded tells whether a wanted record would stand at a host that somebody else needs.
func touchesNeeded(d *estate.Domain, name, kind string) string {
	h, err := web.ParseHost(name)
	if err != nil || !isWeb(kind) {
		return ""
	}
	return d.NeededBy(h)
}

// neededAt refuses a wanted record that would lead a host elsewhere that somebody else needs.
func neededAt(s sight, n requirement, f *found) bool {
	by := touchesNeeded(s.domain, n.Name, n.Type)
	if by == "" {
		return false
	}
	f.find(
		finding.DependedOn,
		n.Name,
		fmt.Sprintf("%s %s (%s) is wanted, and %s needs the host as it is.", n.Name, n.Type,
			shortly(plain(n.Type, n.Values)), by),
		"Drop the line from wanted:, or take the host out of needed:.",
		map[string]any{"by": by, "type": n.Type, "wanted": record.Plain(n.Type, strings.Join(n.Values, ", "))},
	)
	return true
}
