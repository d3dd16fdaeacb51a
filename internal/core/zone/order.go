package zone

import (
	"cmp"
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/record"
)

// inOrder puts the changes in their order, and numbers those that are to be made. leaves reports
// whether a first name leads by way of a second one today, and will no more.
func inOrder(d draft, leaves func(a, b string) bool) []act.Change {
	var all []act.Change
	for phase, changes := range d.byPhase {
		switch phase {
		case fresh: // with those that turn
			continue
		case turning:
			changes = leaversFirst(slices.Concat(d.byPhase[fresh], changes), leaves)
		default:
			slices.SortStableFunc(changes, func(a, b act.Change) int {
				// What is new comes before what leads to it, and what takes the place of an alias right after
				// that.
				return cmp.Or(cmp.Compare(late(a), late(b)), record.CompareNames(a.Name, b.Name),
					act.RemovesFirst(a.Action, b.Action), cmp.Compare(a.Type, b.Type))
			})
		}
		for _, c := range changes {
			if phase != staying {
				c.Step = len(all) + 1
			}
			c.Early = (phase == untying || phase == first) && c.Through == "" && c.Type != record.Alias
			all = append(all, c)
		}
	}
	return all
}

func late(c act.Change) int {
	switch {
	case c.Action == act.Remove && c.UntiesMail(): // an alias, at whose name addresses come
	case c.Action != act.Add:
		return 2
	case !record.LeadsToAddress(c.Type):
		return 1
	}
	return 0
}

// leaversFirst puts the changes of names that leave others before those of the others. Changes of
// one name stay together.
func leaversFirst(changes []act.Change, leaves func(a, b string) bool) []act.Change {
	var names []string
	of := map[string][]act.Change{}
	for _, c := range changes {
		if of[c.Name] == nil {
			names = append(names, c.Name)
		}
		of[c.Name] = append(of[c.Name], c)
	}
	if len(names) < 2 {
		return changes
	}
	var all []act.Change
	leavers := func(name string) []string {
		return slices.DeleteFunc(slices.Clone(names), func(o string) bool {
			return o == name || !leaves(o, name)
		})
	}
	for _, name := range topological(names, leavers) {
		all = append(all, of[name]...)
	}
	return all
}

// topological puts each name behind those that have to come before it, and keeps the order
// otherwise. Names that would have to come before each other stay as they are.
func topological(names []string, firsts func(name string) []string) []string {
	var all []string
	begun := map[string]bool{}
	var place func(name string)
	place = func(name string) {
		if begun[name] {
			return
		}
		begun[name] = true
		for _, other := range firsts(name) {
			place(other)
		}
		all = append(all, name)
	}
	for _, name := range names {
		place(name)
	}
	return all
}

// afterwards gives what a zone holds after its changes.
func afterwards(seen []record.Set, changes []act.Change) []record.Set {
	after := map[record.Key]record.Set{}
	var order []record.Key
	for _, s := range seen {
		after[s.Key()] = s
		order = append(order, s.Key())
	}
	for _, c := range changes {
		key := record.Key{Name: c.Name, Type: c.Type}
		switch c.Action {
		case act.Remove:
			delete(after, key)
		case act.Add, act.Replace:
			if _, had := after[key]; !had {
				order = append(order, key)
			}
			after[key] = Record{c.Name, c.Type, c.TTL, c.After}.Set()
		}
	}
	var whole []record.Set
	for _, key := range order {
		if s, stays := after[key]; stays {
			whole = append(whole, s)
			delete(after, key)
		}
	}
	return whole
}

// ttlsOf works out how the TTLs are led around the changes: those of what changes, and of wildcards
// that answer until then for names that come.
func ttlsOf(s Sight, changes []act.Change) []TTL {
	var all []TTL
	listed := map[record.Key]bool{}
	add := func(set record.Set, later int) {
		if key := set.Key(); listed[key] || len(set.Values) == 0 || s.through[set.Name] != "" {
			return
		}
		listed[set.Key()] = true
		t := TTL{Name: set.Name, Type: set.Type, Seen: set.TTL, LowerTo: set.TTL, WaitAfter: set.TTL,
			RaiseTo: later}
		old := set.TTL
		if s.seen.Remaining { // the zone's own may be longer
			old = max(old, act.UnknownTTL)
		}
		if old > act.MovingTTL {
			t.LowerTo, t.LowerBefore, t.WaitAfter = act.MovingTTL, old, act.MovingTTL
		} else if later == set.TTL {
			t.RaiseTo = 0
		}
		all = append(all, t)
	}
	comes := map[string]int{} // what TTLs of names are raised to
	for _, c := range changes {
		if c.Step > 0 && c.Action != act.Remove && record.LeadsBrowsers(c.Type) {
			comes[c.Name] = max(comes[c.Name], c.Raise)
		}
	}
	going := map[string]bool{} // wildcards that change themselves
	for _, c := range changes {
		going[c.Name] = going[c.Name] || c.Step > 0 && c.Action != act.Add
	}
	for _, c := range changes {
		switch {
		case c.Step == 0 || c.UntiesMail() || !record.LeadsBrowsers(c.Type):
		case c.Action == act.Add:
			over := "*." + s.wildcardOver(c.Name)
			for _, set := range s.have[over] {
				if record.LeadsBrowsers(set.Type) && !going[over] {
					add(set, set.TTL)
				}
			}
		default:
			set, _ := s.set(c.Name, c.Type)
			add(set, comes[c.Name])
		}
	}
	return all
}
