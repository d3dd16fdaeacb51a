package zone

import (
	"slices"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// askedBefore takes out what is said of changes since an earlier survey that the plan of that day
// itself asked for: a mail name of its own, an SPF record with addresses, a record that went.
func askedBefore(in Known, zones []*zonePlan, domains []*estate.Domain) {
	since := func(f finding.Finding) bool { return sinceKey(f) != record.Key{} }
	if in.Earlier == nil || !slices.ContainsFunc(zones, func(k *zonePlan) bool {
		return slices.ContainsFunc(k.findings, since)
	}) {
		return
	}
	then := in
	then.Survey, then.Earlier, then.Past = in.Earlier, nil, nil
	planned := map[string][]record.Set{}
	for _, z := range Make(then, SurveysOf(then), domains).Zones {
		planned[z.Name] = z.Whole
	}
	for _, k := range zones {
		whole, known := planned[k.zone.Name]
		if !known {
			continue
		}
		k.findings = slices.DeleteFunc(k.findings, func(f finding.Finding) bool {
			key := sinceKey(f)
			if key == (record.Key{}) {
				return false
			}
			wanted, _ := record.Find(whole, key.Name, key.Type)
			there, _ := k.set(key.Name, key.Type)
			was, _ := record.Find(k.earlier.Records, key.Name, key.Type)
			return record.SameMeaning(key.Type, wanted.Values, there.Values) &&
				!record.SameMeaning(key.Type, wanted.Values, was.Values)
		})
	}
}

// sinceKey gives the set of which a finding says that it came, went or changed; the zero value for
// other findings.
func sinceKey(f finding.Finding) record.Key {
	switch said := f.Says.Facts().(type) {
	case fact.RecordCame:
		return record.Key{Name: said.Name, Type: said.Type}
	case fact.RecordChanged:
		return record.Key{Name: said.Name, Type: said.Type}
	case fact.RecordGone:
		return record.Key{Name: said.Name, Type: said.Type}
	}
	return record.Key{}
}
