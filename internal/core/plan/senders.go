package plan

import (
	"slices"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
)

// senders says what receivers take as broken in the SPF records that the plan makes: an error. In
// those that it keeps it is as it was.
func (pl *player) senders() {
	for i := range pl.plan.Zones {
		z := &pl.plan.Zones[i]
		seen := pl.seen.Last[z.Name]
		for _, key := range pl.world.Keys(z.Name) {
			if key.Type != "TXT" {
				continue
			}
			values, _ := pl.world.Set(z.Name, key)
			for _, v := range values {
				text := record.Unquote(v.Text)
				if !spf.Is(text) {
					continue
				}
				for _, f := range survey.SPF(key.Name, text, pl.world) {
					if seen != nil && isThere(seen, key, v.Text) {
						f = f.As(finding.Warning)
					}
					pl.tally.Add(f)
				}
			}
		}
	}
}

func isThere(seen *survey.Domain, key record.Key, value string) bool {
	set, _ := record.Find(seen.Records, key.Name, key.Type)
	return slices.Contains(record.Normal(key.Type, set.Values), value)
}
