package world

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// Fork gives a state that is like this one in everything, what is held and what carriers were told
// too, and goes its own way from there. Neither may be changed while somebody asks the other.
func (w *World) Fork() *World {
	made := w.Clone()
	made.anyOrder = w.anyOrder
	for name, z := range w.coming {
		made.coming[name] = z.copied()
	}
	made.left = maps.Clone(w.left)
	for name, t := range w.told {
		made.told[name] = t.copied()
	}
	return made
}

// copied gives a zone that can be changed on its own.
func (z *zone) copied() *zone {
	made := *z
	made.below, made.typed, made.past = maps.Clone(z.below), maps.Clone(z.typed), maps.Clone(z.past)
	for owner, all := range made.past {
		made.past[owner] = slices.Clip(all)
	}
	made.sets = make(map[string][]Set, len(z.sets))
	for owner, sets := range z.sets {
		sets = slices.Clone(sets)
		for i := range sets {
			sets[i].Values = slices.Clone(sets[i].Values)
		}
		made.sets[owner] = sets
	}
	return &made
}

func (t *Told) copied() *Told {
	made := *t
	for _, m := range []*map[string]bool{&made.Knew, &made.Meets, &made.Gave, &made.Had, &made.Hosts,
		&made.Files, &made.Certificates} {
		*m = maps.Clone(*m)
	}
	made.Forwards, made.Sources = maps.Clone(t.Forwards), maps.Clone(t.Sources)
	made.Patterns, made.Origins = maps.Clone(t.Patterns), maps.Clone(t.Origins)
	for zone, all := range made.Patterns {
		made.Patterns[zone] = slices.Clip(all)
	}
	made.Zones, made.Primaries = maps.Clone(t.Zones), maps.Clone(t.Primaries)
	made.Awaited, made.Delegations = maps.Clone(t.Awaited), maps.Clone(t.Delegations)
	made.Unsigned = maps.Clone(t.Unsigned)
	for zone, all := range made.Unsigned {
		made.Unsigned[zone] = slices.Clip(all)
	}
	return &made
}

// Fork gives a watch over a fork of the state, which goes its own way from there.
func (k *Watch) Fork(w *World) *Watch {
	made := *k
	made.world, made.looked = w, nil
	made.subjects = make([]*subject, len(k.subjects))
	for i, s := range k.subjects {
		copied := *s
		made.subjects[i] = &copied
	}
	made.hang, made.within = maps.Clone(k.hang), maps.Clone(k.within)
	for _, m := range []map[string][]int{made.hang, made.within} {
		for name, all := range m {
			m[name] = slices.Clip(all)
		}
	}
	made.crowds = maps.Clone(k.crowds)
	return &made
}

// Back gives the rows that take an act back which is about to be typed: the same places, with what
// stands there now and its TTL. What nobody has to take back is left out: a certificate that was
// had, records that a page waits for.
func (w *World) Back(rows []Row) []Row {
	var all []Row
	for _, r := range slices.Backward(rows) {
		if r.IsRecord() {
			if back, ok := w.recordBack(r); ok {
				all = append(all, back)
			}
			continue
		}
		if back, ok := w.entryBack(r); ok {
			all = append(all, back)
		}
	}
	return all
}

// recordBack gives the row that takes a record back.
func (w *World) recordBack(r Row) (Row, bool) {
	back := r
	back.Was, back.Value = r.Value, r.Was
	stands := func(shown string) Value {
		z := w.zones[r.Zone]
		if c := w.coming[r.Zone]; c != nil && r.Coming {
			z = c
		}
		owner, err := record.Name(r.Label, r.Zone)
		if z == nil || err != nil {
			return Value{TTL: r.TTL}
		}
		for _, s := range z.sets[owner] {
			for _, v := range s.Values {
				if s.Type == r.Type && v.Text == normal(r.Type, shown) {
					return v
				}
			}
		}
		return Value{TTL: r.TTL}
	}
	switch r.Do {
	case Add:
		back.Do = Remove
	case Remove:
		was := stands(r.Was)
		back.Do, back.TTL, back.Through = Add, was.TTL, was.Through
	case Replace:
		was := stands(r.Was)
		back.TTL, back.Through = was.TTL, was.Through
	case Lower, Raise:
		was := stands(r.Value)
		if back.Was, back.Value = "", r.Value; was.TTL == r.TTL {
			return Row{}, false
		}
		back.TTL = was.TTL
		if back.Do = Raise; was.TTL < r.TTL {
			back.Do = Lower
		}
	default:
		return Row{}, false
	}
	return back, true
}

// entryBack gives the row that takes an entry back; false where nothing has to be.
func (w *World) entryBack(r Row) (Row, bool) {
	back := r
	back.Fields, back.Before = r.Before, nil
	switch {
	case r.Do == Remove && r.Kind == DSEntry:
		back.Do, back.Fields = Add, r.Fields
	case r.Do == Remove:
		back.Do = Add
		if len(back.Fields) == 0 {
			back.Fields = r.Fields
		}
	case r.Kind == NameServers:
		z := w.zones[r.Domain]
		if z == nil || len(z.servers) == 0 {
			return Row{}, false
		}
		back.Do, back.Fields = Add, nil
		for i, s := range z.servers {
			back.Fields = append(back.Fields, Field{Name: fmt.Sprintf("name server %d", i+1), Value: s})
		}
	case r.Kind == CertEntry, r.Kind == Records:
		return Row{}, false
	default:
		back.Do, back.Fields = Remove, r.Fields
	}
	return back, true
}

// untold takes back what a carrier was told by an entry; false where it was not told that.
func (w *World) untold(t *Told, r Row, box func(string) string) bool {
	hosts := listed(box(FieldHosts))
	switch r.Kind {
	case DoorEntry:
		return drop(t.Forwards, box(FieldFrom))
	case SourceEntry:
		return drop(t.Sources, box(FieldSource))
	case HostEntry:
		return drop(t.Hosts, box(FieldHost))
	case Config:
		return drop(t.Files, hosts...)
	case Pattern:
		i := slices.IndexFunc(t.Patterns[r.Domain], func(s Star) bool {
			return s.Old == box(FieldPattern)
		})
		if i < 0 {
			return false
		}
		t.Patterns[r.Domain] = slices.Delete(slices.Clone(t.Patterns[r.Domain]), i, i+1)
		return true
	case ZoneEntry:
		return drop(t.Zones, box(FieldZone))
	case OriginEntry:
		if len(hosts) == 0 {
			hosts = []string{r.Domain}
		}
		return drop(t.Origins, hosts...)
	case Primary:
		return drop(t.Primaries, listed(box(FieldRedirected))...)
	}
	return false
}

// drop takes keys out of a map; false where one is not there.
func drop[V any](m map[string]V, keys ...string) bool {
	all := len(keys) > 0
	for _, key := range keys {
		_, there := m[key]
		all = all && there
		delete(m, key)
	}
	return all
}

// publish has the parent zone name a DS record again.
func (w *World) publish(t *Told, r Row, ds string) {
	t.Unsigned[r.Domain] = slices.DeleteFunc(slices.Clone(t.Unsigned[r.Domain]),
		func(o string) bool { return o == ds })
	if z := w.own(r.Domain, false); z != nil && !slices.Contains(z.ds, ds) {
		z.ds = append(slices.Clip(z.ds), ds)
	}
}

// comeBack has a zone that goes back to the name servers that it left be there as it was, and edge
// networks that held it answer for its hosts again.
func (w *World) comeBack(name string, to []string) {
	if l, is := w.left[name]; is && l.zone != nil && slices.Equal(l.zone.servers, to) &&
		w.coming[name] == nil {
		w.coming[name] = l.zone.copied()
	}
	for _, c := range w.estate.Carriers {
		t := w.told[c.Name]
		if t == nil || !c.By.Row().TakesZone || len(c.NameServers) == 0 ||
			!slices.Equal(web.Names(c.NameServers), to) {
			continue
		}
		for host := range t.Gave {
			if host == name || strings.HasSuffix(host, "."+name) {
				delete(t.Gave, host)
				t.Knew[host] = true
			}
		}
	}
}

// Differs says in what two states are not alike: what stands in zones, with TTLs, who is delegated
// to, and what carriers know. What somebody still holds, and certificates, are left aside.
func (w *World) Differs(o *World) []string {
	var all []string
	say := func(text string, args ...any) { all = append(all, fmt.Sprintf(text, args...)) }
	for _, name := range slices.Sorted(maps.Keys(w.zones)) {
		a, b := w.zones[name], o.zones[name]
		if b == nil || !slices.Equal(a.servers, b.servers) {
			say("%s: name servers", name)
			continue
		}
		x, y := slices.Sorted(slices.Values(a.ds)), slices.Sorted(slices.Values(b.ds))
		if !slices.Equal(x, y) {
			say("%s: DS %v and %v", name, x, y)
		}
		x, y = a.stands(), b.stands()
		for _, line := range x {
			if !slices.Contains(y, line) {
				say("only in one: %s", line)
			}
		}
		for _, line := range y {
			if !slices.Contains(x, line) {
				say("only in the other: %s", line)
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(w.told)) {
		if x, y := w.At(name).knows(), o.At(name).knows(); x != y {
			say("%s knows %s and %s", name, x, y)
		}
	}
	return all
}

// stands gives what stands in a zone, a line a record.
func (z *zone) stands() []string {
	var all []string
	for owner, sets := range z.sets {
		for _, s := range sets {
			if isSignature(s.Type) || s.Type == "SOA" || s.Type == "NS" && owner == z.name {
				continue // of the name servers
			}
			for _, v := range s.Values {
				all = append(all, fmt.Sprintf("%s %d %s %s %s", owner, v.TTL, s.Type, v.Text, v.Through))
			}
		}
	}
	slices.Sort(all)
	return all
}

// knows writes down what a carrier knows of hosts.
func (t *Told) knows() string {
	known := map[string]bool{}
	for _, m := range []map[string]bool{t.Knew, t.Hosts, t.Files} {
		for h := range m {
			known[h] = known[h] || m[h]
		}
	}
	for h := range t.Forwards {
		known[h] = true
	}
	patterns := map[string]string{}
	for zone, all := range t.Patterns {
		for _, s := range all {
			patterns[zone] += s.Old + " " + s.New + "; "
		}
	}
	return fmt.Sprint(slices.Sorted(maps.Keys(known)), slices.Sorted(maps.Keys(t.Sources)), patterns,
		t.Origins, t.Primaries, slices.Sorted(maps.Keys(t.Zones)))
}
