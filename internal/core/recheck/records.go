package recheck

import (
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// Records is what two surveys differ in, record by record, TTLs included.
type Records struct {
	Changes map[string][]record.Change // of each domain that both saw
	// domains that the later survey did not look at, or could not see
	OnlyBefore []string
	// domains that the earlier survey did not look at, or could not see
	OnlyAfter []string
	// what one of them saw of a domain and the other got no answer about
	Unseen  map[string][]record.Key
	Partial []Partial // of the two, those that saw zones only in part
}

// Partial is a survey that asked for the names of some zones.
type Partial struct {
	Started time.Time
	Zones   int
}

// recordsOf returns for every domain that both surveys saw what came, went and changed. A domain
// that one of them did not see is no loss, and neither is a set that only a picture made by asking
// lacks where the other one was whole.
func recordsOf(before, after *survey.Survey) *Records {
	c := &Records{Changes: map[string][]record.Change{}, Unseen: map[string][]record.Key{}}
	old := map[string]*survey.Domain{}
	for i := range before.Domains {
		if d := &before.Domains[i]; d.Seen() {
			old[d.Name] = d
		}
	}
	for i := range after.Domains {
		d := &after.Domains[i]
		was := old[d.Name]
		switch {
		case !d.Seen():
			continue
		case was == nil:
			c.OnlyAfter = append(c.OnlyAfter, d.Name)
			continue
		}
		delete(old, d.Name)
		c.Changes[d.Name] = slices.DeleteFunc(record.Changes(was.Records, d.Records),
			func(ch record.Change) bool {
				if ch.Action == record.Went && d.Misses(ch.Name, ch.Type) ||
					ch.Action == record.Came && was.Misses(ch.Name, ch.Type) {
					c.Unseen[d.Name] = append(c.Unseen[d.Name], record.Key{Name: ch.Name, Type: ch.Type})
					return true
				}
				return ch.Action == record.Went && d.Partial && !was.Partial ||
					ch.Action == record.Came && was.Partial && !d.Partial
			})
	}
	for name := range old {
		c.OnlyBefore = append(c.OnlyBefore, name)
	}
	slices.Sort(c.OnlyBefore)
	for _, v := range []*survey.Survey{before, after} {
		p := Partial{Started: v.Started}
		for i := range v.Domains {
			if v.Domains[i].Seen() && v.Domains[i].Partial {
				p.Zones++
			}
		}
		if p.Zones > 0 {
			c.Partial = append(c.Partial, p)
		}
	}
	return c
}
