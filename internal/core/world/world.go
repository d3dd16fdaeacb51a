// Package world holds a state of the world: the record sets of every zone of an estate as they were
// seen, and what each carrier was told. Only what somebody types changes it (Apply). From a state
// alone follow the addresses at the end of a name, who receives a domain's mail, whom its SPF
// record lets send, which carrier a host leads to, and whether that carrier was told of it.
//
// A state knows the time, in seconds since the first one, and what was there before: an answer that
// was given lives for its TTL, and a delegation too. Held gives all that somebody may meet at a
// name, with every mixture of old and new answers (held.go).
//
// It knows nothing of a plan, and wants nothing: Watch compares what follows from one state with
// what followed from the first. What nobody saw is unseen here too: a name in a zone that nobody
// showed stands for itself, with a "?".
//
//	w := world.New(world.Input{Estate: e, Survey: v})
//	w.Lead("www.old.example").Ends          // ["192.0.2.1"]
//	w.Act([]world.Row{{Zone: "old.example", Do: world.Replace, Label: "www", Type: "A",
//		Was: "192.0.2.1", Value: "203.0.113.20", TTL: 300}})
//	w.Held("www.old.example").Ends          // ["192.0.2.1", "203.0.113.20"]
//	w.Wait(3600)                            // and then only the new one
package world

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// World is a state of the world. It is not safe for several goroutines.
type World struct {
	zones map[string]*zone // as those name servers have them that are asked
	// as the name servers have them to which zones move, until the delegation changes
	coming map[string]*zone
	left   map[string]leaving // zones whose delegation has changed
	now    int                // seconds since the first state
	holds  int                // until when anything older is held anywhere
	told   map[string]*Told
	// SPF records of names outside, "" where it was answered that there is none
	policies map[string]string
	looks    map[record.Key]int // what SPF records look up outside the estate
	estate   *estate.Estate
	places   places

	// zones that another state holds too: they are copied before they are changed
	shared map[string]bool
	refers map[string]bool // names to which something referred in the first state

	anyOrder bool // carriers take entries before what they want first

	touch func(name string) // is called for every name that is looked at; nil: nobody listens
}

// Input is what a state of the world is made of.
type Input struct {
	Estate *estate.Estate
	Survey *survey.Survey // what was seen last of each domain; nil: nobody has looked
	// what was seen before that, from the newest to the oldest, which some may still hold
	Earlier []*survey.Survey
	Now     time.Time // of the first state; the zero value: nobody holds anything older
}

// zone is one zone as the world sees it.
type zone struct {
	name    string
	unseen  bool                // nobody showed it: what stands there is unknown
	partial bool                // names that nobody asked for may be there
	asked   map[string]bool     // the names that every survey asks for
	missed  map[record.Key]bool // questions that nobody answered
	hidden  []string            // names below which a wildcard answers that nobody showed
	sets    map[string][]Set    // by owner
	// how many owners stand at a name or below it (RFC 4592 section 2.2.2)
	below map[string]int
	typed map[record.Key]struct{} // sets that somebody typed
	past  map[string][]snapshot   // what names answered before, by owner
	none  int                     // for how long it is held that something is not there, in seconds
	// TTLs are what resolvers had left of them, so that the zone's own may be longer
	remaining bool
	servers   []string // that the parent zone names
	delegated int      // for how long that is held, in seconds
	ds        []string // of the parent zone, that stand for keys of the zone
	dsUntil   int      // until when those are held that went
}

// Set is all records of one name and type, each as it was typed or seen.
type Set struct {
	Type   string
	Values []Value
	// until when the same answer may be held with a longer TTL that it had before; 0: it had none
	Longer    int
	LongerTTL int // in seconds
}

// Value is one record.
type Value struct {
	Text    string // in zone-file form
	TTL     int    // in seconds
	Through string // the edge network that answers with its own addresses instead; "" for none
	Typed   bool   // somebody typed it, and it is not only seen
}

// New gives the state of the world as it was seen. Every domain of the estate has its zone: those
// that are to be left and those of other waves too.
func New(in Input) *World {
	w := &World{
		zones:    map[string]*zone{},
		coming:   map[string]*zone{},
		left:     map[string]leaving{},
		told:     map[string]*Told{},
		policies: map[string]string{},
		looks:    map[record.Key]int{},
		estate:   in.Estate,
	}
	seen := map[string]*survey.Domain{}
	if in.Survey != nil {
		for i := range in.Survey.Domains {
			seen[in.Survey.Domains[i].Name] = &in.Survey.Domains[i]
		}
	}
	for _, d := range in.Estate.Domains {
		was, through := Behind(in.Estate, d, seen[d.Name.String()])
		z := zoneOf(d.Name.String(), was)
		for name, edge := range through {
			for i := range z.sets[name] {
				for j := range z.sets[name][i].Values {
					z.sets[name][i].Values[j].Through = edge
				}
			}
		}
		for _, h := range d.Hosts() {
			z.asked[h.String()] = true
		}
		for _, n := range d.Needed {
			z.asked[n.Host.String()] = true
		}
		w.zones[z.name] = z
	}
	for _, d := range seen {
		for _, s := range d.Senders {
			w.policies[s.Name] = s.Text
			if s.Count > 1 {
				w.policies[s.Name] = twoPolicies
			}
		}
		for _, l := range d.Looks {
			w.looks[record.Key{Name: l.Name, Type: l.Type}] = l.Count
		}
	}
	w.places = placesOf(in.Estate)
	w.refers = map[string]bool{}
	for _, z := range w.zones {
		for _, sets := range z.sets {
			for _, s := range sets {
				for _, v := range s.Values {
					for _, name := range survey.Refers(s.Type, v.Text) {
						w.refers[name] = true
					}
				}
			}
		}
	}
	w.recall(in)
	return w
}

// Clone gives a state that is like this one, and goes its own way from there. Neither may be
// changed while somebody asks the other.
func (w *World) Clone() *World {
	made := &World{
		zones: maps.Clone(w.zones), coming: map[string]*zone{}, left: map[string]leaving{},
		now: w.now, holds: w.holds, told: map[string]*Told{}, policies: w.policies, looks: w.looks,
		estate: w.estate,
		places: w.places, shared: map[string]bool{}, refers: w.refers,
	}
	if w.shared == nil {
		w.shared = map[string]bool{}
	}
	for name := range w.zones {
		made.shared[name], w.shared[name] = true, true
	}
	return made
}

// own gives a zone to be changed, nil where there is none: as it is at the name servers to which it
// moves, or at those that are asked.
func (w *World) own(name string, coming bool) *zone {
	if z := w.coming[name]; z != nil && coming {
		return z
	}
	z := w.zones[name]
	if z == nil || !w.shared[name] {
		return z
	}
	made := z.copied()
	w.zones[name], w.shared[name] = made, false
	return made
}

func zoneOf(name string, seen *survey.Domain) *zone {
	z := &zone{
		name:   name,
		asked:  map[string]bool{},
		missed: map[record.Key]bool{},
		sets:   map[string][]Set{},
		below:  map[string]int{},
		typed:  map[record.Key]struct{}{},
		past:   map[string][]snapshot{},
	}
	switch {
	case seen == nil || !seen.Seen() && !seen.Nowhere():
		z.unseen = true
		return z
	case !seen.Seen():
		return z // there is no such zone yet
	}
	z.partial, z.hidden, z.remaining = seen.Partial, seen.Wildcards, seen.Remaining
	z.servers, z.delegated = DelegatedTo(seen), seen.Parent.TTL
	if z.delegated == 0 {
		z.delegated = Unknown
	}
	for _, ds := range seen.Parent.DS {
		z.ds = append(z.ds, ds.Text)
	}
	for _, m := range seen.Missed {
		z.missed[record.Key{Name: m.Name, Type: m.Type}] = true
	}
	for _, s := range seen.Records {
		for _, v := range s.Values {
			z.add(s.Name, s.Type, Value{Text: normal(s.Type, v), TTL: s.TTL})
		}
	}
	z.none = z.negative()
	z.hidden = slices.DeleteFunc(
		slices.Clone(z.hidden),
		func(below string) bool { return len(z.sets["*."+below]) > 0 },
	)
	return z
}

// normal gives a value as all values of a state are compared.
func normal(kind, value string) string {
	if kind == record.Alias {
		kind = "CNAME"
	}
	n, err := record.Value(kind, value)
	if err != nil {
		return value
	}
	return n
}

// add puts a record into the zone; false where it is there already.
func (z *zone) add(owner, kind string, v Value) bool {
	sets := z.sets[owner]
	i := slices.IndexFunc(sets, func(s Set) bool { return s.Type == kind })
	switch {
	case i < 0:
		if len(sets) == 0 {
			z.count(owner, 1)
		}
		z.sets[owner] = append(sets, Set{Type: kind, Values: []Value{v}})
	case slices.ContainsFunc(sets[i].Values, func(o Value) bool { return o.Text == v.Text }):
		return false
	default:
		sets[i].Values = append(sets[i].Values, v)
	}
	return true
}

// remove takes a record out of the zone; false where it is not there.
func (z *zone) remove(owner, kind, text string) bool {
	s, at := z.find(owner, kind, text)
	if at < 0 {
		return false
	}
	s.Values = slices.Delete(s.Values, at, at+1)
	if len(s.Values) > 0 {
		return true
	}
	left := slices.DeleteFunc(z.sets[owner], func(s Set) bool { return s.Type == kind })
	if z.sets[owner] = left; len(left) == 0 {
		delete(z.sets, owner)
		z.count(owner, -1)
	}
	return true
}

// find gives the set that holds a record, and where in it; -1 where it is not there.
func (z *zone) find(owner, kind, text string) (*Set, int) {
	for i := range z.sets[owner] {
		if s := &z.sets[owner][i]; s.Type == kind {
			return s, slices.IndexFunc(s.Values, func(v Value) bool { return v.Text == text })
		}
	}
	return nil, -1
}

// count keeps how many owners there are at a name and below it.
func (z *zone) count(owner string, by int) {
	for at := owner; ; {
		z.below[at] += by
		if z.below[at] == 0 {
			delete(z.below, at)
		}
		if at == z.name || at == "" {
			return
		}
		_, at, _ = strings.Cut(at, ".")
	}
}

// Action says what is done with a record, or an entry.
type Action string

// The actions, as sheets name them.
const (
	Add     Action = "add"
	Replace Action = "replace"
	Remove  Action = "remove"
	Lower   Action = "lower" // of its TTL alone
	Raise   Action = "raise"
)

// Row is one row of a sheet, as it is typed: one record, or one entry on a carrier's page.
type Row struct {
	Place string `json:"place"` // where it is typed
	Do    Action `json:"action"`

	// Of a record.
	Zone    string `json:"zone,omitempty"`
	Label   string `json:"label,omitempty"` // relative to the zone
	Type    string `json:"type,omitempty"`
	Was     string `json:"was,omitempty"`     // what stands there, where it is replaced or removed
	Value   string `json:"value,omitempty"`   // "" where it is removed
	TTL     int    `json:"ttl,omitempty"`     // in seconds
	Through string `json:"through,omitempty"` // the edge network through which it goes
	// it is typed at the name servers to which the zone moves
	Coming bool `json:"coming,omitempty"`

	// Of an entry: Type is empty.
	Kind   EntryKind `json:"entry,omitempty"`
	Domain string    `json:"domain,omitempty"`
	Fields []Field   `json:"fields,omitempty"`
	// of an entry that is taken out: what stood in its boxes, as far as it was seen
	Before []Field `json:"before,omitempty"`
}

// Field is one box of a form with what is typed into it.
type Field struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// IsRecord reports whether a row is a record.
func (r Row) IsRecord() bool { return r.Type != "" }

func (r Row) String() string {
	if !r.IsRecord() {
		text := string(r.Do) + " " + string(r.Kind)
		for _, f := range r.Fields {
			text += ", " + f.Name + ": " + f.Value
		}
		return text + " at " + r.Place
	}
	value := r.Value
	switch {
	case value == "":
		value = r.Was
	case r.Was != "":
		value = r.Was + " by " + value
	}
	return fmt.Sprintf("%s %s %s %s in %s", r.Do, r.Label, r.Type, value, r.Zone)
}

// Unfit tells why a row cannot be typed as it stands.
type Unfit struct {
	Row Row
	Why fact.Facts
}

func (u *Unfit) Error() string { return u.Row.String() + ": " + fact.Text(u.Why) }

// whyNot gives the facts of an error of a record's name or value.
func whyNot(err error) fact.Facts {
	var known *fact.Error
	if errors.As(err, &known) {
		return known.Facts
	}
	return fact.Kept{Says: err.Error()}
}

// Typing is rows that were typed, and for how long nobody typed anything before, in seconds.
type Typing struct {
	Rows  []Row
	After int
}

// Act changes the state by rows that are typed at once; nothing else changes it, but Load and Wait.
// What names answered until then may be held from now on. Rows that cannot be typed change nothing,
// and come back.
func (w *World) Act(rows []Row) []*Unfit {
	var all []*Unfit
	before := map[place]snapshot{}
	for _, r := range rows {
		z := w.own(r.Zone, r.Coming)
		if owner, err := record.Name(r.Label, r.Zone); r.IsRecord() && z != nil && err == nil {
			if at := (place{z, owner}); before[at].sets == nil {
				before[at] = w.snapshotOf(z, owner)
			}
		}
		var unfit *Unfit
		if errors.As(w.Apply(r), &unfit) {
			all = append(all, unfit)
		}
	}
	for at, was := range before {
		w.remember(at.zone, at.owner, was)
	}
	return all
}

// place is a name in a zone.
type place struct {
	zone  *zone
	owner string
}

// Apply changes the state by one row, as Act does, but as if nobody had ever asked before. The
// error is an *Unfit, and the state is then as it was.
func (w *World) Apply(r Row) error {
	if !r.IsRecord() {
		return w.tell(r)
	}
	z := w.own(r.Zone, r.Coming)
	if z == nil {
		return &Unfit{r, fact.NoSuchZone{}}
	}
	owner, err := record.Name(r.Label, z.name)
	if err != nil {
		return &Unfit{r, whyNot(err)}
	}
	kind := r.Type
	if kind == record.Alias {
		kind = "CNAME" // it is typed like one
	}
	read := func(shown string) (string, error) {
		if r.Do == Remove {
			return normal(kind, shown), nil // of whatever type it is
		}
		return record.Value(kind, shown)
	}
	was, value := "", ""
	if r.Do == Remove || r.Do == Replace {
		if was, err = read(r.Was); err != nil {
			return &Unfit{r, whyNot(err)}
		}
	}
	if r.Do != Remove {
		if value, err = read(r.Value); err != nil {
			return &Unfit{r, whyNot(err)}
		}
	}
	return w.change(z, r, owner, was, value)
}

func (w *World) change(z *zone, r Row, owner, was, value string) error {
	gone := func(text string) bool {
		_, at := z.find(owner, r.Type, text)
		return at < 0 && !z.knowsNot(owner, r.Type)
	}
	switch r.Do {
	case Lower, Raise:
		s, at := z.find(owner, r.Type, value)
		if at < 0 {
			if z.knowsNot(owner, r.Type) {
				return nil
			}
			return &Unfit{r, fact.NoSuchRecord{}}
		}
		if ttl := s.Values[at].TTL; r.Do == Lower {
			if until := w.now + z.lives(ttl); until > s.Longer {
				s.Longer, s.LongerTTL = until, ttl
			}
		}
		s.Values[at].TTL = r.TTL
		return nil
	case Remove:
		if gone(was) {
			return &Unfit{r, fact.NoSuchRecord{}}
		}
		z.remove(owner, r.Type, was)
	case Replace, Add:
		if r.Do == Replace {
			if gone(was) {
				return &Unfit{r, fact.NoSuchRecord{}}
			}
			z.remove(owner, r.Type, was)
		}
		if !z.add(owner, r.Type, Value{value, r.TTL, r.Through, true}) && r.Do == Add && r.Through == "" {
			return &Unfit{r, fact.ThereAlready{}}
		}
	default:
		return &Unfit{r, fact.NobodyCan{}}
	}
	z.typed[record.Key{Name: owner, Type: r.Type}] = struct{}{}
	return nil
}

// knowsNot reports whether nobody knows what stands at a name and type.
func (z *zone) knowsNot(owner, kind string) bool {
	if _, typed := z.typed[record.Key{Name: owner, Type: kind}]; typed {
		return false
	}
	return z.unseen || z.missed[record.Key{Name: owner, Type: kind}]
}

// Set gives the records of a name and type in a zone, and false where nobody has seen the zone.
func (w *World) Set(zone string, key record.Key) ([]Value, bool) {
	return w.SetAt(zone, false, key)
}

// SetAt gives the same of a zone as it is at the name servers to which it moves, where it does and
// that is asked for.
func (w *World) SetAt(zone string, coming bool, key record.Key) ([]Value, bool) {
	z := w.zones[zone]
	if next := w.coming[zone]; next != nil && coming {
		z = next
	}
	if z == nil || z.unseen {
		return nil, false
	}
	for _, s := range z.sets[key.Name] {
		if s.Type == key.Type {
			return s.Values, true
		}
	}
	return nil, true
}

// Keys gives the names and types of all sets of a zone.
func (w *World) Keys(zone string) []record.Key {
	var all []record.Key
	if z := w.zones[zone]; z != nil {
		for owner, sets := range z.sets {
			for _, s := range sets {
				all = append(all, record.Key{Name: owner, Type: s.Type})
			}
		}
	}
	return all
}

// Alias gives the provider's alias at a name, or what an edge network is told to answer there by an
// alias, which no zone file holds at an apex; false where there is none.
func (w *World) Alias(zone, name string) (string, bool) {
	z := w.zones[zone]
	if z == nil {
		return "", false
	}
	for _, s := range z.sets[name] {
		for _, v := range s.Values {
			if s.Type == record.Alias || s.Type == "CNAME" && v.Through != "" && name == z.name {
				return v.Text, true
			}
		}
	}
	return "", false
}

// Typed gives the sets of a zone that somebody typed, or took out.
func (w *World) Typed(zone string) []record.Key {
	if z := w.zones[zone]; z != nil {
		return slices.Collect(maps.Keys(z.typed))
	}
	return nil
}

// Crowds gives the types that stand at a name, where DNS forbids them to stand together: beside an
// alias (RFC 1034 section 3.6.2), or one at the apex; nothing where it allows them. What an edge
// network answers with its own addresses is no alias to the world.
func (w *World) Crowds(zone, owner string) []string {
	z := w.zones[zone]
	if z == nil {
		return nil
	}
	var kinds []string
	aliases := 0
	for _, s := range z.sets[owner] {
		for _, v := range s.Values {
			switch {
			case isSignature(s.Type):
			case (s.Type == "CNAME" || s.Type == "DNAME" && owner == z.name) &&
				!(v.Through != "" && owner == z.name):
				aliases++
				fallthrough
			default:
				kinds = append(kinds, s.Type)
			}
		}
	}
	if aliases == 0 || len(kinds) == 1 && owner != z.name {
		return nil
	}
	slices.Sort(kinds)
	return slices.Compact(kinds)
}

// isSignature reports whether a type is made by signing the zone, and goes with it.
func isSignature(kind string) bool {
	return record.BesideAlias(kind) || kind == "NSEC3PARAM"
}
