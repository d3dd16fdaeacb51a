package survey

import (
	"slices"

	"upperpath.example/upperpath/internal/core/finding"
)

// Newest gives of each domain what the last look at it showed, be it nothing, with what was found
// of it then; nil of no surveys. surveys has the newest first. Each domain says when it was looked
// at. What was found about several domains together comes of the newest that looked at all. Surveys
// are taken from the place from which the newest looked that looked at all, as everybody meets what
// is there: those of addresses that were given by hand, or as of another time, are left out.
func Newest(surveys []*Survey) *Survey {
	if surveys = ofOnePlace(met(surveys)); len(surveys) == 0 {
		return nil
	}
	made := *surveys[0]
	made.Domains, made.Findings = nil, []finding.Finding{}
	if len(surveys) > 1 {
		made.Scope = nil
	}
	by := map[string]*Survey{}
	for _, s := range surveys {
		for _, d := range s.Domains {
			if by[d.Name] != nil {
				continue
			}
			by[d.Name] = s
			if d.Looked.IsZero() {
				d.Looked = s.Started
			}
			made.Domains = append(made.Domains, d)
		}
	}
	whole := slices.IndexFunc(surveys, func(s *Survey) bool { return s.Scope.Whole() })
	for i, s := range surveys {
		for _, f := range s.Findings {
			at := by[finding.DomainOf(f.Subject)]
			if at == s || at == nil && (i == whole || whole < 0 && i == 0) {
				made.Findings = append(made.Findings, f)
			}
		}
	}
	slices.SortStableFunc(made.Domains, func(a, b Domain) int {
		switch {
		case a.Name < b.Name:
			return -1
		case a.Name > b.Name:
			return 1
		}
		return 0
	})
	finding.Sort(made.Findings)
	return &made
}

// met gives the surveys of what everybody meets: no address was given by hand, and no other time.
func met(surveys []*Survey) []*Survey {
	return slices.DeleteFunc(slices.Clone(surveys), func(s *Survey) bool { return !s.Scope.Real() })
}

// ofOnePlace gives the surveys from where the newest looked that looked at all, else the newest.
func ofOnePlace(surveys []*Survey) []*Survey {
	if len(surveys) == 0 {
		return nil
	}
	at := max(slices.IndexFunc(surveys, func(s *Survey) bool { return s.Scope.Whole() }), 0)
	place := surveys[at].Vantage
	return slices.DeleteFunc(surveys, func(s *Survey) bool { return s.Vantage != place })
}
