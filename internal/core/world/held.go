package world

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// Unknown is what a TTL is taken for of which only what was left is known, in seconds.
const Unknown = 86400

// snapshot is what a name answered before, and until when somebody may still hold that, in seconds
// since the first state.
type snapshot struct {
	sets    []heldSet
	none    int      // until when it is held that there is nothing
	owner   string   // whose sets these are: the name's own, or those of a wildcard
	missing []string // the types of which that is held; none: of all, there was no such name
}

type heldSet struct {
	Set
	until int
}

// leaving is a zone as the name servers have it that the delegation named before.
type leaving struct {
	zone  *zone
	until int // some may ask them
}

// lives gives for how long an answer with a TTL may be held.
func (z *zone) lives(ttl int) int {
	if z.remaining {
		return max(ttl, Unknown)
	}
	return ttl
}

// negative gives for how long it is held that something is not there: the smaller of the SOA's own
// TTL and its last field (RFC 2308 section 5); 0 where nobody showed the SOA.
func (z *zone) negative() int {
	for _, s := range z.sets[z.name] {
		if s.Type == "SOA" && len(s.Values) == 1 {
			return negative(s.Values[0])
		}
	}
	return 0
}

// AbsentFor gives the same of a domain as it was seen.
func AbsentFor(seen *survey.Domain) int {
	soa, there := record.Find(seen.Records, seen.Name, "SOA")
	if !there || len(soa.Values) != 1 {
		return 0
	}
	return negative(Value{Text: soa.Values[0], TTL: soa.TTL})
}

// snapshotOf gives what a name answers now, by itself or by a wildcard.
func (w *World) snapshotOf(z *zone, name string) snapshot {
	owner, unseen := w.owner(z, name)
	made := snapshot{sets: []heldSet{}, none: w.now + z.none, owner: owner}
	if unseen != "" {
		made.none = 0 // nobody knows
	}
	for _, s := range z.sets[owner] {
		ttl := 0
		for _, v := range s.Values {
			ttl = max(ttl, v.TTL)
		}
		s.Values = slices.Clone(s.Values)
		made.sets = append(made.sets, heldSet{s, max(w.now+z.lives(ttl), s.Longer)})
	}
	return made
}

// answering gives the types whose sets answer a question of a type: its own, an alias, and for
// addresses the provider's alias.
func answering(kind string) []string {
	if isAddress(kind) {
		return []string{kind, "CNAME", record.Alias}
	}
	return []string{kind, "CNAME"}
}

// answers gives the set that answers a question of a type, or the alias; nil for nothing.
func answers(sets []heldSet, kind string) *heldSet {
	for _, k := range answering(kind) {
		for i := range sets {
			if sets[i].Type == k {
				return &sets[i]
			}
		}
	}
	return nil
}

// remember notes what a name answered until now, where it answers otherwise.
func (w *World) remember(z *zone, name string, was snapshot) {
	if len(z.sets[name]) > 0 && was.owner != name && z.past[name] == nil &&
		!w.isKnown(z, name, was) {
		return // a name of which nobody has ever heard, so that nobody has asked about it
	}
	is := w.snapshotOf(z, name)
	changed := snapshot{}
	for _, s := range was.sets {
		now := answers(is.sets, s.Type)
		if now != nil && sameValues(now.Values, s.Values) && now.Type == s.Type {
			continue
		}
		changed.sets = append(changed.sets, s)
		if now == nil || now.Type != s.Type {
			continue
		}
		for i := range z.sets[name] {
			if z.sets[name][i].Type == s.Type {
				z.sets[name][i].Longer = 0 // what is there now had no other TTL
			}
		}
	}
	for _, s := range is.sets {
		if answers(was.sets, s.Type) != nil {
			continue
		}
		changed.none = was.none
		if len(was.sets) > 0 {
			changed.missing = append(changed.missing, s.Type)
		}
	}
	if len(changed.sets) == 0 && changed.none <= w.now {
		return
	}
	// what ran out is forgotten; a slice that another state reads too is not written into
	var all []snapshot
	for _, p := range z.past[name] {
		if p.latest() > w.now {
			all = append(all, p)
		}
	}
	z.past[name] = append(all, changed)
	w.holds = max(w.holds, changed.latest())
}

// isKnown reports whether anybody may have asked about a name that did not exist: it is a host of
// the estate, something refers to it, or it is called as hosts for mail are, and was answered.
func (w *World) isKnown(z *zone, name string, was snapshot) bool {
	label, _, _ := strings.Cut(name, ".")
	return z.asked[name] || w.refers[name] ||
		len(was.sets) > 0 && slices.Contains([]string{"mail", "mx"}, label)
}

// latest gives until when anything of it is held.
func (s snapshot) latest() int {
	until := s.none
	for _, h := range s.sets {
		until = max(until, h.until)
	}
	return until
}

func sameValues(a, b []Value) bool {
	if len(a) != len(b) {
		return false
	}
	for _, v := range a {
		if !slices.ContainsFunc(b, func(o Value) bool {
			return o.Text == v.Text && o.Through == v.Through
		}) {
			return false
		}
	}
	return true
}

// Lives gives for how long somebody may still hold what stands at a name now, by itself or by a
// wildcard, in seconds: its TTLs of some types, and any longer ones that they had.
func (w *World) Lives(zone, name string, kinds ...string) int {
	z := w.zones[zone]
	if z == nil {
		return 0
	}
	owner, _ := w.owner(z, name)
	lives := 0
	for _, s := range z.sets[owner] {
		if slices.Contains(kinds, s.Type) {
			lives = max(lives, z.lives(longest(s.Values)), s.Longer-w.now)
		}
	}
	for _, p := range z.past[name] {
		for _, s := range p.sets {
			if slices.Contains(kinds, s.Type) {
				lives = max(lives, s.until-w.now)
			}
		}
	}
	return lives
}

// Wait lets seconds pass.
func (w *World) Wait(seconds int) { w.now += seconds }

// Now gives the time, in seconds since the first state.
func (w *World) Now() int { return w.now }

// Delegation stands for the name servers that the parent zone names, where a type is named.
const Delegation = "delegation"

// Old is an answer that was given before, and that somebody may still hold.
type Old struct {
	Name  string
	Type  string // "" for the answer that nothing is there; Delegation for that of a zone
	TTL   int    // that it was given with, in seconds
	Until int    // in seconds since the first state
	Same  bool   // it still is the answer, but had a longer TTL
}

// Olds gives what somebody may still hold in a zone that is not so any more, or that is so with
// another TTL.
func (w *World) Olds(name string) []Old {
	var all []Old
	z := w.zones[name]
	if z == nil {
		return nil
	}
	sides := []*zone{z}
	if l, is := w.left[name]; is && l.until > w.now {
		all, sides = append(all, Old{Name: name, Type: Delegation, Until: l.until}), append(sides, l.zone)
	}
	for _, side := range sides {
		for owner, pasts := range side.past {
			for _, p := range pasts {
				if p.none > w.now {
					all = append(all, Old{Name: owner, TTL: z.none, Until: p.none})
				}
				for _, h := range p.sets {
					ttl := longest(h.Values)
					if h.until == h.Longer {
						ttl = h.LongerTTL
					}
					if h.until > w.now {
						all = append(all, Old{Name: owner, Type: h.Type, TTL: ttl, Until: h.until})
					}
				}
			}
		}
		for owner, sets := range side.sets {
			for _, s := range sets {
				if s.Longer > w.now {
					all = append(all,
						Old{Name: owner, Type: s.Type, TTL: s.LongerTTL, Until: s.Longer, Same: true})
				}
			}
		}
	}
	return all
}

func longest(values []Value) int {
	ttl := 0
	for _, v := range values {
		ttl = max(ttl, v.TTL)
	}
	return ttl
}

// Load puts a whole zone, as a file has it, at the name servers to which it moves.
func (w *World) Load(name string, sets []record.Set) {
	z := zoneOf(name, nil)
	z.unseen = false
	if old := w.zones[name]; old != nil {
		z.asked = old.asked
	}
	for _, s := range sets {
		for _, v := range s.Values {
			z.add(s.Name, s.Type, Value{Text: normal(s.Type, v), TTL: s.TTL})
		}
	}
	z.none = z.negative()
	w.coming[name] = z
}

// delegate leads a zone to the name servers to which it moves. Some go on asking those until now
// for as long as the delegation lives.
func (w *World) delegate(name string, lives int) {
	to := w.coming[name]
	if to == nil {
		return
	}
	old := w.zones[name]
	until := w.now + lives
	w.holds = max(w.holds, until)
	w.left[name] = leaving{old, until}
	w.zones[name] = to
	delete(w.coming, name)
	if w.shared != nil {
		w.shared[name] = false
	}
	if old == nil {
		return
	}
	// what was answered at the very end lives for its TTL
	for owner, sets := range old.sets {
		for _, s := range sets {
			if owner == name && (s.Type == "NS" || s.Type == "SOA") || isSignature(s.Type) {
				continue // they belong to the servers
			}
			ttl := longest(s.Values)
			held := heldSet{s, max(until+old.lives(ttl), s.Longer)}
			if now := to.setOf(owner, s.Type); now != nil && sameValues(now.Values, s.Values) {
				if now.Longer < held.until {
					now.Longer, now.LongerTTL = held.until, ttl
				}
				continue
			}
			w.holds = max(w.holds, held.until)
			to.past[owner] = append(to.past[owner], snapshot{sets: []heldSet{held}})
		}
	}
	for owner, pasts := range old.past {
		to.past[owner] = append(to.past[owner], pasts...)
	}
}

func (z *zone) setOf(owner, kind string) *Set {
	for i := range z.sets[owner] {
		if s := &z.sets[owner][i]; s.Type == kind {
			return s
		}
	}
	return nil
}

// view is one of the things that a name may be found to answer.
type view struct {
	snapshot
	past   bool
	unseen string
}

// gives tells what a view answers to a question of a type; false where nobody can hold any of it
// now. A set without values is nothing.
func (v view) gives(kind string, now int) (heldSet, bool) {
	s := answers(v.sets, kind)
	switch {
	case s == nil && !v.past:
		return heldSet{}, true
	case s == nil:
		return heldSet{}, v.none > now && (len(v.missing) == 0 ||
			slices.ContainsFunc(answering(kind), func(k string) bool {
				return slices.Contains(v.missing, k)
			}))
	case v.past && s.until <= now:
		return heldSet{}, false
	}
	return *s, true
}

// views gives all that a name may be found to answer now.
func (w *World) views(z *zone, name string) []view {
	all := w.viewsIn(z, name)
	if l, is := w.left[z.name]; is && l.until > w.now && l.zone != z && l.zone != nil {
		all = append(all, w.viewsIn(l.zone, name)...)
	}
	return all
}

func (w *World) viewsIn(z *zone, name string) []view {
	owner, unseen := w.owner(z, name)
	now := view{unseen: unseen}
	for _, s := range z.sets[owner] {
		now.sets = append(now.sets, heldSet{Set: s})
	}
	all := []view{now}
	for _, at := range []string{name, owner} {
		if at == "" || at == owner && owner == name && len(all) > 1 {
			continue
		}
		for _, p := range z.past[at] {
			all = append(all, view{snapshot: p, past: true})
		}
		if owner == name {
			break
		}
	}
	return all
}

// Held gives where a name may lead anybody now: whoever asks, and whoever holds any older answer,
// in every mixture. Dark tells whether it may lead nowhere.
func (w *World) Held(name string) Lead {
	var l Lead
	four := w.mayFollow(name, "A", &l, nil)
	six := w.mayFollow(name, "AAAA", &l, nil)
	l.Dark, l.Past = four && six, true
	slices.Sort(l.Ends)
	l.Ends = slices.Compact(l.Ends)
	return l
}

// mayFollow follows a name by questions of one type, and reports whether it may lead nowhere.
func (w *World) mayFollow(name, kind string, l *Lead, way []string) (none bool) {
	if slices.Contains(way, name) || len(way) > mostAliases {
		return true // round and round
	}
	way = append(slices.Clip(way), name)
	if !slices.Contains(l.Via, name) {
		l.Via = append(l.Via, name)
	}
	z := w.zoneAt(name)
	if z == nil {
		l.Ends = append(l.Ends, name)
		return false
	}
	w.looked(name)
	if z.cut(name) != "" {
		l.Ends = append(l.Ends, name)
		return false
	}
	for _, v := range w.views(z, name) {
		if v.unseen != "" {
			l.Ends = append(l.Ends, v.unseen)
			continue
		}
		s, may := v.gives(kind, w.now)
		switch to := z.tree(name); {
		case !may:
			continue
		case len(s.Values) == 0 && to != "" && !v.past:
			none = w.mayFollow(to, kind, l, way) || none
			continue
		case len(s.Values) == 0:
			if owner, _ := w.owner(z, name); !v.past && z.missed[record.Key{Name: owner, Type: kind}] {
				l.Ends = append(l.Ends, "?"+owner+" "+kind)
				continue
			}
			none = true
			continue
		}
		for _, value := range s.Values {
			switch {
			case value.Through != "":
				l.Ends = append(l.Ends, w.places.at(value.Through)...)
			case s.Type == kind:
				l.Ends = append(l.Ends, value.Text)
			default:
				none = w.mayFollow(record.Target("CNAME", value.Text), kind, l, way) || none
			}
		}
	}
	return none
}

// heldValues gives every set of values of a type that may be met at a name, by way of aliases; an
// empty one where nothing may be. known is false where nobody knows.
func (w *World) heldValues(name, kind string, way []string) (all [][]string, known bool) {
	z := w.zoneAt(name)
	if slices.Contains(way, name) || len(way) > mostAliases {
		return [][]string{nil}, true
	}
	if z == nil || z.cut(name) != "" {
		return nil, false
	}
	w.looked(name)
	for _, v := range w.views(z, name) {
		if v.unseen != "" && !(z.partial && !z.unseen) || !v.past &&
			z.missed[record.Key{Name: name, Type: kind}] && answers(v.sets, kind) == nil {
			return nil, false
		}
		s, may := v.gives(kind, w.now)
		switch {
		case !may:
		case s.Type == "CNAME" && kind != "CNAME" && s.Values[0].Through == "":
			more, known := w.heldValues(record.Target("CNAME", s.Values[0].Text), kind,
				append(slices.Clip(way), name))
			if !known {
				return nil, false
			}
			all = append(all, more...)
		case s.Type != kind:
			all = append(all, nil)
		default:
			var values []string
			for _, v := range s.Values {
				values = append(values, v.Text)
			}
			all = append(all, values)
		}
	}
	return all, true
}

// recall puts into the first state what earlier surveys saw, as far as somebody may still hold it:
// a record lives for its TTL from the last moment at which it can have been there.
func (w *World) recall(in Input) {
	if in.Now.IsZero() || in.Survey == nil {
		return
	}
	next := map[string]time.Time{} // by domain: when it was seen next
	for i := range in.Survey.Domains {
		d := &in.Survey.Domains[i]
		next[d.Name] = lookedAt(in.Survey, d)
	}
	for _, s := range in.Earlier {
		for i := range s.Domains {
			d := &s.Domains[i]
			z := w.zones[d.Name]
			if z == nil || z.unseen || !d.Seen() || next[d.Name].IsZero() {
				continue
			}
			if !lookedAt(s, d).Before(next[d.Name]) {
				continue // it is the last one itself
			}
			last := int(next[d.Name].Sub(in.Now).Seconds())
			next[d.Name] = lookedAt(s, d)
			w.recallZone(z, d, min(last, 0))
		}
	}
}

func lookedAt(s *survey.Survey, d *survey.Domain) time.Time {
	if d.Looked.IsZero() {
		return s.Started
	}
	return d.Looked
}

// recallZone takes over what a zone was seen to be, until a time at which it may have been so last.
func (w *World) recallZone(z *zone, d *survey.Domain, last int) {
	for _, s := range d.Records {
		lives := s.TTL
		if d.Remaining {
			lives = max(lives, Unknown)
		}
		until := last + lives
		if until <= 0 || isSignature(s.Type) || s.Type == "SOA" {
			continue
		}
		was := Set{Type: s.Type}
		for _, v := range s.Values {
			was.Values = append(was.Values, Value{Text: normal(s.Type, v), TTL: s.TTL})
		}
		now := -1
		for i := range z.sets[s.Name] {
			if z.sets[s.Name][i].Type == s.Type {
				now = i
			}
		}
		if now >= 0 && sameValues(z.sets[s.Name][now].Values, was.Values) {
			if set := &z.sets[s.Name][now]; longest(set.Values) < s.TTL {
				if until > set.Longer {
					set.Longer, set.LongerTTL = until, s.TTL
				}
			}
			continue
		}
		z.past[s.Name] = append(z.past[s.Name], snapshot{sets: []heldSet{{was, until}}})
		w.holds = max(w.holds, until)
	}
}

// negative reads the last field of a SOA.
func negative(soa Value) int {
	f := strings.Fields(soa.Text)
	if len(f) != 7 {
		return 0
	}
	return min(soa.TTL, numberOr0(f[6]))
}

func numberOr0(text string) int {
	n := 0
	for _, r := range text {
		if r < '0' || r > '9' || n > 1<<31 {
			return 0
		}
		n = n*10 + int(r-'0')
	}
	return n
}
