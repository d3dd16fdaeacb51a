package plan

import (
	"maps"
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// policies says what receivers take as broken in the mail records that the plan makes: an error. In
// those that it keeps it is as it was.
func (p *Plan) policies(state *world.World, known zone.Surveys) act.Found {
	var f act.Found
	for i := range p.Zones {
		z := &p.Zones[i]
		seen := known.Last[z.Name]
		for _, key := range state.Keys(z.Name) {
			if key.Type != "TXT" && key.Type != "MX" {
				continue
			}
			set, _ := state.Set(z.Name, key)
			var values []string
			for _, v := range set {
				values = append(values, v.Text)
			}
			made := seen == nil || slices.ContainsFunc(values, func(v string) bool {
				return !isThere(seen, key, v)
			})
			for _, one := range policyFaults(key, values, state) {
				if !made {
					if z.Guest {
						continue // nobody asked about it
					}
					one = one.As(finding.Warning)
				}
				f.Findings = append(f.Findings, one)
			}
		}
	}
	return f
}

// policyFaults gives what is wrong with the mail records of a set.
func policyFaults(key record.Key, values []string, r spf.Records) []finding.Finding {
	if key.Type == "MX" {
		return survey.MailParted(key.Name, values)
	}
	var all []finding.Finding
	count := map[string]int{}
	for _, v := range values {
		text := record.Unquote(v)
		if kind := survey.PolicyKind(key.Name, text); kind != "" {
			count[kind]++
		}
		if spf.Is(text) {
			all = append(all, survey.SPF(key.Name, text, r)...)
		}
	}
	for _, kind := range slices.Sorted(maps.Keys(count)) {
		if count[kind] > 1 {
			all = append(all, finding.New(finding.MailMalformed, key.Name,
				fact.PoliciesTwice{Values: values, Name: key.Name, Count: count[kind], Kind: kind}))
		}
	}
	return all
}

func isThere(seen *survey.Domain, key record.Key, value string) bool {
	set, _ := record.Find(seen.Records, key.Name, key.Type)
	return slices.Contains(record.Normal(key.Type, set.Values), value)
}
