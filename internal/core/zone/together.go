package zone

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
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
			if at == "" {
				return false
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

// standingTogether says where, after the changes, an alias would not stand alone (RFC 1034 section
// 3.6.2), unless that is said already.
func standingTogether(s Sight, d draft, said []finding.Finding) (draft, found) {
	var f found
	aliases, others := map[string]bool{}, map[string][]string{}
	for _, changes := range d.byPhase {
		for _, c := range changes {
			switch {
			case c.Action == act.Remove || record.IsSigning(c.Type),
				c.Through != "" && c.Action != act.Keep && len(c.Typed) == 0:
			case c.Type == "CNAME", c.TypedAs == "CNAME" && c.Name != s.zone():
				aliases[c.Name] = true
			default:
				others[c.Name] = append(others[c.Name], c.Type)
			}
		}
	}
	for name := range aliases {
		known := slices.ContainsFunc(said, func(f finding.Finding) bool {
			return f.Subject == name &&
				(f.Code == finding.AliasConflict || f.Code == finding.RecordLost || f.Code == finding.MailLost)
		})
		if len(others[name]) == 0 || known {
			continue
		}
		slices.Sort(others[name])
		alias, _ := record.Find(s.have[name], name, "CNAME")
		f.Find(
			finding.AliasConflict,
			name,
			fact.AliasCrowded{Alias: record.PlainAll("CNAME", alias.Values), Others: others[name],
				Name: name, Other: slices.Compact(others[name])},
		)
	}
	return d, f
}
