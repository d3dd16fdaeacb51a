package zone

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// cut gives the name at or above another, and below the apex, that is delegated elsewhere; "" for
// none.
func (s Sight) cut(name string) string {
	for at := name; strings.HasSuffix(at, "."+s.zone()); _, at, _ = strings.Cut(at, ".") {
		if _, ok := s.set(at, "NS"); ok {
			return at
		}
	}
	return ""
}

// withoutCut takes the changes out that nobody would see, because their names are delegated
// elsewhere (RFC 1034 section 4.2.1), and says so.
func withoutCut(s Sight, d draft) (draft, found) {
	var f found
	said := map[string]bool{}
	for p := range d.byPhase {
		if p == staying {
			continue
		}
		d.byPhase[p] = slices.DeleteFunc(slices.Clone(d.byPhase[p]), func(c act.Change) bool {
			at := s.cut(c.Name)
			if at == "" || c.Type == "NS" && c.Name == at {
				return false // the delegation itself stands in this zone
			}
			if !said[c.Name] {
				said[c.Name] = true
				f.Find(
					finding.CutOff,
					c.Name,
					fact.ChangeBelowDelegation{Delegated: at, Type: c.Type, Wanted: c.After, Name: c.Name,
						Zone: s.zone()},
				)
			}
			return true
		})
	}
	return d, f
}
