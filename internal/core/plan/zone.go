package plan

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
)

// Zone is a domain with the records that the plan needs in it, and the changes that lead there from
// what was seen.
type Zone struct {
	Name      string
	RecordsAt string      // where its records are typed
	State     string      // planned or moved
	Untouched []Untouched // hosts that somebody else needs
	Note      string      // that somebody wrote down about the domain
	Present   string      // where its records are typed until it moves
	Next      string      // where they are typed from then on; where it does not move, the same
	Records   []Record
	Seen      *time.Time      // when the zone was seen; nil: never, and there are no changes
	Partial   bool            // it was asked about name by name
	Remaining bool            // its TTLs are what resolvers had left of them
	Missed    []survey.Missed // what nobody answered about
	Changes   []Change        // in the order in which to make them, then what stays
	TTLs      []TTL
	AbsentFor int   // for how long resolvers remember that a name is not there, in seconds
	Move      *Move // to other name servers
	New       *New  // there is no such zone yet

	Guest bool // it is not meant: only what follows what is meant is changed there

	domain *estate.Domain
	asItIs []record.Set // all records as they were seen
	whole  []record.Set // all records after the changes, where the zone was seen
	comes  []Change     // all records, where it was not
}

// Record is a DNS record set.
type Record struct {
	Name   string   `json:"name"` // in full, without its last dot
	Type   string   `json:"type"` // ALIAS: the provider's alias at the apex
	TTL    int      `json:"ttl"`  // in seconds
	Values []string `json:"values"`
}

// Set gives the record as a set in zone-file form.
func (r Record) Set() record.Set {
	s := record.Set{Name: r.Name, Type: r.Type, TTL: r.TTL}
	for _, v := range r.Values {
		s.Values = append(s.Values, record.Dotted(r.Type, v))
	}
	return s
}

// Action says what is to be done with a record set.
type Action string

// The actions.
const (
	Add     Action = "add"
	Replace Action = "replace"
	Remove  Action = "remove"
	Keep    Action = "keep"

	// What is done with TTLs alone, on sheets.
	Lower Action = "lower"
	Raise Action = "raise"
)

// removesFirst compares actions: what goes comes before what comes.
func removesFirst(a, b Action) int {
	switch {
	case a == b || a != Remove && b != Remove:
		return 0
	case a == Remove:
		return -1
	}
	return 1
}

// Change is a record set to add, replace, remove or keep, with the reasons.
type Change struct {
	Step    int // from 1, in the order in which to make them; 0 for what stays
	Action  Action
	Name    string // in full, without its last dot
	Type    string
	TTL     int // as it has to be typed, in seconds; of what stays or goes, as it is
	Before  []string
	After   []string
	Through string   // the edge network through which it goes
	Typed   []string // what is typed there instead; nothing where another record of the name brings it
	TypedAs string   // the type of that
	Reasons []Reason
	Early   bool // of a zone that moves: made at the present name servers, before the zone is copied to the next ones
}

// TTLs, in seconds: of the records that the plan asks for, and of those that change while they do.
const (
	RecordTTL = 3600
	MovingTTL = 300

	unknownTTL = 86400 // what a TTL is taken for of which only what was left is known
)

// RaiseAfter is how long a changed record keeps its short TTL, so that the way back stays short.
const RaiseAfter = 24 * time.Hour

// TTL says how the TTL of a record set is led around its change.
type TTL struct {
	Name        string `json:"name"`
	Type        string `json:"type"`
	Seen        int    `json:"seen"`         // in seconds, as all of these
	LowerTo     int    `json:"lower_to"`     // what to lower it to before the change; as seen where that is short already
	LowerBefore int    `json:"lower_before"` // how long before the change: the old TTL has to run out; 0: not at all
	WaitAfter   int    `json:"wait_after"`   // for how long after the change some resolvers may still give the old answer
	RaiseTo     int    `json:"raise_to"`     // what to raise it to a day after the change; 0: it goes
}

// The phases in which a zone is changed: what unties mail, which is waited for, what nothing hangs
// on yet, names that did not exist, names that lead elsewhere from now on, what is in nobody's way
// any more, and what stays.
const (
	untying = iota
	first
	fresh
	turning
	clearing
	staying
	phases
)

// proposal is a change with its phase. keys are further sets that it settles.
type proposal struct {
	phase  int
	change Change
	keys   []record.Key
}

// found is what a phase of the work on a zone found out, and what it proposes.
type found struct {
	Found
	proposals []proposal
}

func (f *found) propose(phase int, c Change) {
	f.proposals = append(f.proposals, proposal{phase: phase, change: c})
}

// moving is the names whose addresses change, and what was there.
type moving map[string][]record.Set

// draft is the changes of a zone as the phases so far leave them.
type draft struct {
	byPhase [phases][]Change
	touched map[record.Key]bool
}

// with returns the draft with what a phase proposes. A second change to the same set is joined with
// the first.
func (d draft) with(all []proposal) draft {
	made := draft{touched: map[record.Key]bool{}}
	for key := range d.touched {
		made.touched[key] = true
	}
	for p := range d.byPhase {
		made.byPhase[p] = slices.Clone(d.byPhase[p])
	}
	for _, p := range all {
		made.join(p)
	}
	return made
}

// join adds a proposal.
func (d *draft) join(p proposal) {
	if d.touched == nil {
		d.touched = map[record.Key]bool{}
	}
	d.add(p.phase, p.change)
	for _, key := range p.keys {
		d.touched[key] = true
	}
}

func (d *draft) add(phase int, c Change) {
	c.Before, c.After = plain(c.Type, c.Before), plain(c.Type, c.After)
	key := record.Key{Name: c.Name, Type: c.Type}
	if d.touched[key] {
		for p := range d.byPhase {
			for i := range d.byPhase[p] {
				earlier := &d.byPhase[p][i]
				if earlier.Name != c.Name || earlier.Type != c.Type {
					continue
				}
				earlier.After, earlier.Reasons = c.After, slices.Concat(earlier.Reasons, c.Reasons)
				switch {
				case earlier.Action == Keep:
					c.Reasons = earlier.Reasons
				case phase == untying && p != untying: // the rest of it can come early too
					c = *earlier
				default:
					return
				}
				d.byPhase[p] = slices.Delete(d.byPhase[p], i, i+1)
				d.byPhase[phase] = append(d.byPhase[phase], c)
				return
			}
		}
	}
	d.byPhase[phase] = append(d.byPhase[phase], c)
	d.touched[key] = true
}

// planned gives the values of a set as the changes so far leave it.
func (d draft) planned(s sight, name, kind string) []string {
	for p := range d.byPhase {
		for _, c := range d.byPhase[p] {
			if c.Name == name && c.Type == kind {
				return Record{c.Name, c.Type, c.TTL, c.After}.Set().Values
			}
		}
	}
	set, _ := s.set(name, kind)
	return set.Values
}

// Known is what zones are worked out from.
type Known struct {
	Estate  *estate.Estate
	Survey  *survey.Survey // what was seen last; nil: nobody has looked
	Earlier *survey.Survey // what was seen before that; nil: nothing
	Now     time.Time      // for what is wanted until a date; the zero value ends nothing
}

// Made is what becomes of all zones.
type Made struct {
	Found
	Zones []Zone
	Today *world.World // as it was seen
}

// zonesOf works the zones out: those of the domains that are meant, and of the others those in which something
// follows a door that moves. A zone whose hosts leave those of another one comes before it.
func zonesOf(in Known, seen surveys, domains []*estate.Domain) Made {
	var all, guests []*zonePlan
	meant := map[*estate.Domain]bool{}
	all = make([]*zonePlan, len(domains))
	crew.Each(len(domains), func(i int) { all[i] = lead(in, seen, domains[i]) })
	for _, d := range domains {
		meant[d] = true
	}
	for _, d := range in.Estate.Domains {
		if !meant[d] && d.State != estate.Leave && seen.last[d.Name.String()] != nil {
			guests = append(guests, guest(in, seen, d))
		}
	}
	both := worldsOf(in)
	untie(slices.Concat(all, guests), both)
	zones := slices.Concat(all, guests)
	crew.Each(len(zones), func(i int) { zones[i].finish(in, both) })
	for _, k := range guests {
		if k.zone.changed() {
			all = append(all, k)
		}
	}
	made := Made{Today: both.before}
	for _, k := range leaversBefore(all, both) {
		made.Zones = append(made.Zones, k.zone)
		made.findings, made.notes = append(made.findings, k.findings...), append(made.notes, k.notes...)
	}
	return made
}

// afterMove gives what is found at a zone that an earlier wave has moved: what it did is taken as done, and looked at.
func afterMove(in Known, seen surveys, d *estate.Domain) []finding.Finding {
	made := lead(in, seen, d)
	made.finish(in, nil)
	return slices.DeleteFunc(made.findings, func(f finding.Finding) bool { return !f.Code.Kind().AfterMove })
}

// leaversBefore puts zones whose hosts leave those of another zone before it.
func leaversBefore(zones []*zonePlan, both *worlds) []*zonePlan {
	at := map[string]*zonePlan{}
	byHost := map[string]string{}
	var names []string
	for _, k := range zones {
		at[k.zone.Name], names = k, append(names, k.zone.Name)
		for name := range k.moves {
			byHost[name] = k.zone.Name
		}
	}
	first := map[string][]string{} // by zone: those that come before it
	for name, zone := range byHost {
		for _, via := range both.before.Lead(name).Via[1:] {
			if other := byHost[via]; other != "" && other != zone && both.leaves(name, via) {
				first[other] = append(first[other], zone)
			}
		}
	}
	if len(first) == 0 {
		return zones
	}
	var sorted []*zonePlan
	for _, all := range first {
		slices.Sort(all)
	}
	for _, name := range topological(names, func(name string) []string { return first[name] }) {
		sorted = append(sorted, at[name])
	}
	return sorted
}

// zonePlan is one zone as far as it is worked out.
type zonePlan struct {
	zone     Zone
	findings []finding.Finding
	notes    []Note

	sight
	required []requirement
	moves    moving
	draft    draft
	guest    bool // of a domain that is not meant: only what follows what is meant is changed there
}

func (k *zonePlan) take(f found) {
	for _, p := range f.proposals {
		k.draft.join(p)
	}
	k.findings, k.notes = append(k.findings, f.findings...), append(k.notes, f.notes...)
}

// lead begins a zone: what is wanted there, and the changes that lead its doors to their carriers.
func lead(in Known, seen surveys, d *estate.Domain) *zonePlan {
	s := sightOf(in, seen, d)
	required, notes := requirementsOf(s)
	z := Zone{Name: s.zone(), RecordsAt: d.RecordsAt, State: string(d.State), Records: recordsOf(required), domain: d}
	z.Present, z.Next = places(d, nil)
	z.Note = d.Note
	k := &zonePlan{zone: z, notes: notes, sight: s, required: required}
	if s.seen == nil {
		k.zone.fromNothing(s, required)
		return k
	}
	hosts, moves := leadHosts(s, required)
	k.moves = moves
	k.take(hosts)
	k.take(settleWanted(s, required))
	return k
}

// guest begins a zone that is not meant.
func guest(in Known, seen surveys, d *estate.Domain) *zonePlan {
	z := Zone{Name: d.Name.String(), RecordsAt: d.RecordsAt, State: string(d.State), Guest: true}
	z.domain = d
	k := &zonePlan{zone: z, sight: sightOf(in, seen, d), guest: true}
	k.zone.Present, k.zone.Next = places(d, nil)
	return k
}

// untie adds what keeps everything where it is that follows a door of any zone: names first, then
// mail that is handed to them, then who may send. Each sees what those before it have done.
func untie(zones []*zonePlan, both *worlds) {
	for _, k := range zones {
		both.takeAll(k)
	}
	for _, phase := range []func(k *zonePlan) found{
		func(k *zonePlan) found { return untieNames(k.sight, both, k.guest) },
		func(k *zonePlan) found { return untieReceivers(k.sight, both) },
		func(k *zonePlan) found { return untieSenders(k.sight, both, k.draft) },
	} {
		for _, k := range zones {
			if k.seen == nil {
				continue
			}
			if f := phase(k); len(f.proposals) > 0 || len(f.findings) > 0 {
				k.take(f)
				both.takeAll(k)
			}
		}
	}
}

// takeAll types the changes of a zone into the world ahead. What cannot be typed is said when the
// sheets are played.
func (b *worlds) takeAll(k *zonePlan) {
	if k.seen == nil {
		for _, c := range k.zone.comes {
			_ = b.take(k.zone.Name, c)
		}
		return
	}
	for phase, changes := range k.draft.byPhase {
		for _, c := range changes {
			if phase != staying {
				_ = b.take(k.zone.Name, c)
			}
		}
	}
}

// finish ends a zone: everything else stays, what cannot be is taken out and said, and the zone is
// as it then is.
func (k *zonePlan) finish(in Known, both *worlds) {
	s := k.sight
	if s.seen == nil {
		return
	}
	when := s.seen.Looked
	if when.IsZero() {
		when = in.Survey.Started
	}
	if !k.guest {
		k.take(keepWildcards(s, k.moves, k.draft))
		k.take(judgeMail(s))
	}
	k.take(keepOthers(s, k.moves, k.draft))
	changes, cut := withoutCut(s, k.draft)
	k.draft = changes
	k.take(cut)
	changes, crowded := standingTogether(s, k.draft, k.findings)
	k.draft = changes
	k.take(crowded)
	z := &k.zone
	z.Seen, z.Partial, z.Missed, z.Remaining = &when, s.seen.Partial, s.seen.Missed, s.seen.Remaining
	z.Changes = inOrder(k.draft, both.leaves)
	z.asItIs = s.seen.Records
	z.whole = afterwards(s.seen.Records, z.Changes)
	z.TTLs, z.AbsentFor = ttlsOf(s, k.required, z.Changes), s.negative()
	if k.guest {
		return
	}
	k.take(sinceEarlier(s, k.required))
	k.take(notAnswered(s))
	k.take(formElsewhere(s))
	untouched, needed := neededHosts(s)
	z.Untouched = untouched
	k.take(needed)
	k.move()
	if s.domain.State == estate.Moved {
		k.take(carriedOut(s, k.required, z.Changes))
	}
}

// move works out how the zone gets to other name servers, where it does, and where its records are
// typed.
func (k *zonePlan) move() {
	s, z := k.sight, &k.zone
	move, loses := moveOf(s, k.required, z.whole)
	z.Move = move
	z.Present, z.Next = places(s.domain, move)
	if edge := s.domain.Edge(); edge != nil && move == nil && s.alreadyAt(edge) {
		z.RecordsAt, z.Present, z.Next = edge.Name, edge.Name, edge.Name // whatever is written down
	}
	for i := range z.Changes {
		c := &z.Changes[i]
		c.Early = c.Early && c.Step > 0 && move != nil
	}
	k.take(loses)
}

// changed reports whether anything is to be typed in the zone.
func (z *Zone) changed() bool {
	return slices.ContainsFunc(z.Changes, func(c Change) bool { return c.Step > 0 })
}

// leaves reports whether a name leads by way of another and will no more: it has to leave before
// the other one moves, or it is led for a while to a carrier that knows nothing of it.
func (b *worlds) leaves(name, other string) bool {
	if b == nil {
		return false
	}
	by := func(l world.Lead) bool { return len(l.Via) > 1 && slices.Contains(l.Via[1:], other) }
	return by(b.before.Lead(name)) && !by(b.ahead.Lead(name))
}

// notAnswered notes what nobody answered about at the apex and at hosts that have doors.
func notAnswered(s sight) found {
	var f found
	var keys []string
	for _, m := range s.seen.Missed {
		if m.Name == s.zone() || s.isHost(m.Name) {
			keys = append(keys, m.Name+" "+m.Type)
		}
	}
	if len(keys) > 0 {
		f.notes = append(f.notes, Note{Notice: NotAnswered, Names: []string{s.zone()}, Values: keys})
	}
	if s.seen.Remaining {
		f.note(TTLsRemaining, s.zone())
	}
	return f
}

// inOrder puts the changes in their order, and numbers those that are to be made. leaves reports
// whether a first name leads by way of a second one today, and will no more.
func inOrder(d draft, leaves func(a, b string) bool) []Change {
	var all []Change
	for phase, changes := range d.byPhase {
		switch phase {
		case fresh: // with those that turn
			continue
		case turning:
			changes = leaversFirst(slices.Concat(d.byPhase[fresh], changes), leaves)
		default:
			slices.SortStableFunc(changes, func(a, b Change) int {
				// What is new comes before what leads to it, and what takes the place of an alias right after
				// that.
				return cmp.Or(cmp.Compare(late(a), late(b)), record.CompareNames(a.Name, b.Name),
					removesFirst(a.Action, b.Action), cmp.Compare(a.Type, b.Type))
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

func late(c Change) int {
	switch {
	case c.Action == Remove && c.UntiesMail(): // an alias, at whose name addresses come
	case c.Action != Add:
		return 2
	case !isAddress(c.Type):
		return 1
	}
	return 0
}

// leaversFirst puts the changes of names that leave others before those of the others. Changes of
// one name stay together.
func leaversFirst(changes []Change, leaves func(a, b string) bool) []Change {
	var names []string
	of := map[string][]Change{}
	for _, c := range changes {
		if of[c.Name] == nil {
			names = append(names, c.Name)
		}
		of[c.Name] = append(of[c.Name], c)
	}
	if len(names) < 2 {
		return changes
	}
	var all []Change
	leavers := func(name string) []string {
		return slices.DeleteFunc(slices.Clone(names), func(o string) bool { return o == name || !leaves(o, name) })
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
func afterwards(seen []record.Set, changes []Change) []record.Set {
	after := map[record.Key]record.Set{}
	var order []record.Key
	for _, s := range seen {
		after[s.Key()] = s
		order = append(order, s.Key())
	}
	for _, c := range changes {
		key := record.Key{Name: c.Name, Type: c.Type}
		switch c.Action {
		case Remove:
			delete(after, key)
		case Add, Replace:
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

// ttlsOf works out how the TTLs are led around the changes.
func ttlsOf(s sight, required []requirement, changes []Change) []TTL {
	var all []TTL
	for _, c := range changes {
		if c.Action != Replace && c.Action != Remove || !isAddress(c.Type) || c.UntiesMail() {
			continue
		}
		set, _ := s.set(c.Name, c.Type)
		t := TTL{Name: c.Name, Type: c.Type, Seen: set.TTL, LowerTo: set.TTL, WaitAfter: set.TTL}
		old := set.TTL
		if s.seen.Remaining { // the zone's own may be longer
			old = max(old, unknownTTL)
		}
		if old > MovingTTL {
			t.LowerTo, t.LowerBefore, t.WaitAfter = MovingTTL, old, MovingTTL
		}
		if c.Action == Replace ||
			slices.ContainsFunc(required, func(n requirement) bool { return n.Name == c.Name && !n.host.IsZero() }) {
			t.RaiseTo = RecordTTL
		}
		all = append(all, t)
	}
	return all
}

// negative gives for how long resolvers remember that a name is not there: the smaller of the SOA's
// own TTL and its last field (RFC 2308 section 5). 0 where nobody showed the SOA.
func (s sight) negative() int {
	soa, ok := s.set(s.zone(), "SOA")
	if !ok || len(soa.Values) != 1 {
		return 0
	}
	f := strings.Fields(soa.Values[0])
	minimum := 0
	if len(f) != 7 {
		return 0
	}
	if _, err := fmt.Sscan(f[6], &minimum); err != nil {
		return 0
	}
	return min(soa.TTL, minimum)
}
