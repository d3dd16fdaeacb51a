// Package send works out what a step changes in each zone, and carries it to the place where the
// zone is kept: it compares what stands there with the state that the step was made from, has the
// place change it, whole or not at all, looks whether it did, and says what is known of that. It
// knows no protocol; a Place speaks for each.
//
//	transfers, by := send.Of(world, rows)      // what a step changes, zone by zone
//	done := send.Carry(ctx, place, t, keep)    // reads, compares, changes, reads back
//
// # How it never guesses
//
// What is sent says what has to stand there before: the sets as they were just read, which are
// those that the step was made from. Before anything goes out, Carry has it kept as begun. Whatever
// the place answers, it is asked again what stands there: that decides what is said. Where it does
// not answer, the outcome is Unknown, and the next Carry of the same transfer finds it out, since
// it begins by reading.
package send

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/world"
)

// Transfer is all that a step changes in one zone, in canonical order.
type Transfer struct {
	Zone    string          `json:"zone"`
	Changes []record.Change `json:"changes"`
}

// ByHand is a row that nobody can send, and why.
type ByHand struct {
	Row world.Row
	Why fact.Facts
}

// Of gives what rows change in the zones of a state, which they change. What only a provider's page
// can do comes back too: then nothing of these rows should be sent.
func Of(w *world.World, rows []world.Row) (all []Transfer, byHand []ByHand) {
	touched, coming := map[string][]record.Key{}, map[string]bool{}
	var zones []string
	for _, r := range rows {
		name, err := record.Name(r.Label, r.Zone)
		switch {
		case !r.IsRecord():
			byHand = append(byHand, ByHand{r, fact.SendEntry{}})
			continue
		case err != nil:
			byHand = append(byHand, ByHand{r, fact.Kept{Says: err.Error()}})
			continue
		case unseen(w, r.Zone, r.Coming):
			byHand = append(byHand, ByHand{r, fact.SendUnseen{Zone: r.Zone}})
			continue
		case r.Type == record.Alias:
			byHand = append(byHand, ByHand{r, fact.SendAlias{Name: name}})
			continue
		case r.Through != "":
			byHand = append(byHand, ByHand{r, fact.SendThrough{Name: name, Network: r.Through}})
			continue
		}
		coming[r.Zone] = r.Coming
		if touched[r.Zone] == nil {
			zones = append(zones, r.Zone)
		}
		if key := (record.Key{Name: name, Type: r.Type}); !slices.Contains(touched[r.Zone], key) {
			touched[r.Zone] = append(touched[r.Zone], key)
		}
	}
	before := map[string]map[record.Key]*record.Set{}
	for _, zone := range zones {
		before[zone] = setsOf(w, zone, coming[zone], touched[zone])
	}
	for _, u := range w.Act(rows) {
		switch u.Why.(type) { // it is so already
		case fact.ThereAlready:
			continue
		case fact.NoSuchRecord:
			if u.Row.Do == world.Remove {
				continue
			}
		}
		byHand = append(byHand, ByHand{u.Row, u.Why})
	}
	slices.Sort(zones)
	for _, zone := range zones {
		t := Transfer{Zone: zone}
		after := setsOf(w, zone, coming[zone], touched[zone])
		for _, key := range touched[zone] {
			if c, changes := changeOf(key, before[zone][key], after[key]); changes {
				t.Changes = append(t.Changes, c)
			}
		}
		sortChanges(t.Changes)
		if len(t.Changes) > 0 {
			all = append(all, t)
		}
	}
	return all, byHand
}

// unseen reports whether nobody has seen a zone, so that nobody can say what has to stand there.
func unseen(w *world.World, zone string, coming bool) bool {
	_, seen := w.SetAt(zone, coming, record.Key{Name: zone, Type: "SOA"})
	return !seen
}

// setsOf gives the sets of a zone in a state, by their keys; nil for those that are not there.
func setsOf(
	w *world.World,
	zone string,
	coming bool,
	keys []record.Key,
) map[record.Key]*record.Set {
	all := map[record.Key]*record.Set{}
	for _, key := range keys {
		values, _ := w.SetAt(zone, coming, key)
		if len(values) == 0 {
			continue
		}
		s := record.Set{Name: key.Name, Type: key.Type, TTL: values[len(values)-1].TTL}
		for _, v := range values {
			s.Values = append(s.Values, v.Text)
			if v.Typed { // what is typed says the TTL of all (RFC 2181 section 5.2)
				s.TTL = v.TTL
			}
		}
		slices.Sort(s.Values)
		all[key] = &s
	}
	return all
}

func changeOf(key record.Key, before, after *record.Set) (record.Change, bool) {
	c := record.Change{Name: key.Name, Type: key.Type, Before: before, After: after}
	switch {
	case before == nil && after == nil || before != nil && after != nil && before.Same(*after):
		return c, false
	case before == nil:
		c.Action = record.Came
	case after == nil:
		c.Action = record.Went
	default:
		c.Action = record.Changed
	}
	return c, true
}

func sortChanges(all []record.Change) {
	slices.SortFunc(all, func(a, b record.Change) int {
		return cmp.Or(record.CompareNames(a.Name, b.Name), cmp.Compare(a.Type, b.Type))
	})
}

// Keys gives the sets that a transfer is about.
func (t Transfer) Keys() []record.Key {
	keys := make([]record.Key, len(t.Changes))
	for i, c := range t.Changes {
		keys[i] = record.Key{Name: c.Name, Type: c.Type}
	}
	return keys
}

// Back gives the transfer that takes another back.
func (t Transfer) Back() Transfer {
	back := Transfer{Zone: t.Zone}
	for _, c := range t.Changes {
		b, _ := changeOf(record.Key{Name: c.Name, Type: c.Type}, c.After, c.Before)
		back.Changes = append(back.Changes, b)
	}
	return back
}

// Standing says how what stands at a place compares with a transfer.
type Standing struct {
	Open   []record.Change // as the step was made from: with the TTL that is there
	Done   []record.Change // that stand already as they are to be
	Others []Other         // neither: somebody has changed them since
	TTLs   []Other         // of Done: those whose TTL is another than the planned one
}

// Other is a set that is neither as it was nor as it is to be.
type Other struct {
	Change record.Change `json:"change"`
	Found  *record.Set   `json:"found,omitempty"` // nil: nothing is there
}

// Compare compares what stands in a zone with what a transfer was made from, and with what it
// makes. Values decide; where they stay, the TTL does. What was only seen through resolvers has no
// TTL that could be compared, so a set with the values from before is as it was, whatever its TTL.
// Providers have least TTLs of their own, so that a set with the planned values is done with any.
func (t Transfer) Compare(sets []record.Set) Standing {
	found := map[record.Key]*record.Set{} // as the place says them
	for _, s := range sets {
		s.Name = strings.ToLower(strings.TrimSuffix(s.Name, "."))
		found[record.Key{Name: s.Name, Type: s.Type}] = &s
	}
	var s Standing
	for _, c := range t.Changes {
		now := found[record.Key{Name: c.Name, Type: c.Type}]
		switch {
		case same(now, c.After) && (now == nil || now.TTL == c.After.TTL || !same(c.Before, c.After)):
			s.Done = append(s.Done, c)
			if now != nil && now.TTL != c.After.TTL {
				s.TTLs = append(s.TTLs, Other{c, now})
			}
		case same(now, c.Before):
			c.Before = now
			s.Open = append(s.Open, c)
		default:
			s.Others = append(s.Others, Other{c, now})
		}
	}
	return s
}

// same reports whether two sets hold the same values; nil is one that is not there.
func same(a, b *record.Set) bool {
	if a == nil || b == nil {
		return a == nil && b == nil
	}
	return record.SameValues(canonical(*a), canonical(*b))
}

// canonical gives the values of a set in the form in which they are compared.
func canonical(s record.Set) []string {
	values := make([]string, len(s.Values))
	for i, v := range s.Values {
		values[i] = record.Canonical(s.Type, v)
	}
	return values
}

// Beside gives what must not stand beside what a transfer brings, name by name, for a place that
// cannot be shown the whole zone: an alias stands alone at its name (RFC 1034 section 3.6.2).
type Beside struct {
	Name  string
	Alias bool // an alias comes: nothing else may be there; else no alias may
}

// Beside gives what must not be there when a transfer begins, as far as the transfer itself does
// not take it away.
func (t Transfer) Beside() []Beside {
	goes := map[string]bool{} // names at which something is taken away
	for _, c := range t.Changes {
		if c.Before != nil && c.After == nil {
			goes[c.Name] = true
		}
	}
	var all []Beside
	for _, c := range t.Changes {
		b := Beside{c.Name, c.Type == "CNAME"}
		if c.Before == nil && c.After != nil && !goes[c.Name] && !slices.Contains(all, b) {
			all = append(all, b)
		}
	}
	return all
}
