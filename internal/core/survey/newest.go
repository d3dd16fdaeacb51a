package survey

import (
	"slices"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Newest gives of each domain what the last look at it showed, be it nothing, with what was found
// of it then; nil of no surveys. surveys has the newest first. Each domain says when it was looked
// at. What was found about several domains together comes of the newest that looked at all.
func Newest(surveys []*Survey) *Survey {
	if len(surveys) == 0 {
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
			at := by[domainOf(f.Subject)]
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

// domainOf gives the domain that a subject is about: a URL, a record set or a name; "" where it
// names none.
func domainOf(subject string) string {
	name := finding.HostOf(subject)
	h, err := web.ParseObservedHost(name)
	if err != nil {
		return ""
	}
	if apex, ok := h.Apex(); ok {
		return apex.String()
	}
	return h.String()
}
