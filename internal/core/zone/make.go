package zone

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/world"
)

// Made is what becomes of all zones.
type Made struct {
	act.Found
	Zones []Zone
	Today *world.World // as it was seen
}

// Make works the zones out: those of the domains that are meant, and of the others those in which
// something follows a door that moves. A zone whose hosts leave those of another one comes before
// it.
func Make(in Known, seen Surveys, domains []*estate.Domain) Made {
	var all, guests []*zonePlan
	meant := map[*estate.Domain]bool{}
	all = make([]*zonePlan, len(domains))
	crew.Each(len(domains), func(i int) { all[i] = lead(in, seen, domains[i]) })
	for _, d := range domains {
		meant[d] = true
	}
	for _, d := range in.Estate.Domains {
		if !meant[d] && d.State != estate.Leave && seen.Last[d.Name.String()] != nil {
			guests = append(guests, guest(in, seen, d))
		}
	}
	both := worldsOf(in)
	untie(slices.Concat(all, guests), both)
	both.rounds = roundsOf(all, both)
	zones := slices.Concat(all, guests)
	crew.Each(len(zones), func(i int) { zones[i].finish(in, both) })
	askedBefore(in, zones, domains)
	for _, k := range guests {
		if k.zone.changed() {
			all = append(all, k)
		}
	}
	made := Made{Today: both.before}
	for _, k := range leaversBefore(all, both) {
		made.Zones = append(made.Zones, k.zone)
		made.Findings, made.Notes = append(made.Findings, k.findings...), append(made.Notes, k.notes...)
	}
	return made
}

// AfterMove gives what is found at zones that earlier waves have moved: what those did is taken as
// done, and looked at.
func AfterMove(in Known, seen Surveys, domains []*estate.Domain) []finding.Finding {
	if len(domains) == 0 {
		return nil
	}
	both := worldsOf(in)
	var all []finding.Finding
	for _, d := range domains {
		made := lead(in, seen, d)
		made.finish(in, both)
		all = append(all, slices.DeleteFunc(made.findings, func(f finding.Finding) bool {
			return !f.Code.Row().AfterMove
		})...)
	}
	return all
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

// roundsOf says which names leave others that move to carriers which do not know them: those that
// hold older answers would be led there, so these names change before and are waited for. A name
// that leaves one of these comes a round before it.
func roundsOf(zones []*zonePlan, both *worlds) map[string]int {
	domains := map[string]*estate.Domain{}
	for _, k := range zones {
		for _, name := range k.turning() {
			domains[name] = k.domain
		}
	}
	carrier := func(name string) *estate.Carrier {
		for h, c := range domains[name].Carry {
			if h.String() == name {
				return cmp.Or(domains[name].Through[h], c)
			}
		}
		return nil
	}
	rounds := map[string]int{}
	var roundOf func(name string, deep int) int
	roundOf = func(name string, deep int) int {
		if r, known := rounds[name]; known || deep > 8 {
			return r
		}
		rounds[name] = 0
		via := both.before.Lead(name).Via
		for _, other := range via[min(1, len(via)):] {
			if domains[other] != nil && both.leaves(name, other) && carrier(name) != carrier(other) {
				rounds[name] = max(rounds[name], 1+roundOf(other, deep+1))
			}
		}
		return rounds[name]
	}
	for _, k := range zones {
		for _, name := range k.turning() {
			roundOf(name, 0)
		}
	}
	return rounds
}

// unpin says which TLSA records hold the certificate of a door that moves to another carrier (RFC
// 7671 section 8), at whichever port, by whichever name. Where somebody wants that of the new one,
// both stand there before the door moves.
func unpin(k *zonePlan) found {
	var f found
	for _, door := range k.turning() {
		for _, set := range k.pins(door) {
			var wanted []string
			for _, w := range k.domain.Wanted {
				if w.Name == set.Name && w.Type == set.Type {
					wanted = append(wanted, w.Value)
				}
			}
			old := record.Normal(set.Type, set.Values)
			missing := record.Without(record.Normal(set.Type, wanted), old)
			pinned := fact.PinnedCertificate{Host: door, Name: set.Name,
				For:    time.Duration(set.TTL) * time.Second,
				Wanted: len(wanted) > 0, Several: len(set.Values) > 1}
			found := finding.New(finding.CertificatePinned, set.Name, pinned)
			if pinned.Wanted || pinned.Several {
				found = found.As(finding.Warning)
			}
			f.Findings = append(f.Findings, found)
			if len(missing) > 0 {
				f.propose(untying, act.Change{Action: act.Replace, Name: set.Name, Type: set.Type,
					TTL: set.TTL, Before: set.Values, After: slices.Concat(set.Values, missing),
					Reasons: []act.Reason{{Why: act.PinsBoth, Name: door}}})
			}
		}
	}
	return f
}

// pins gives the TLSA records of a host: those at its ports, and those to which aliases there lead.
func (k *zonePlan) pins(host string) []record.Set {
	var all []record.Set
	for _, set := range k.seen.Records {
		port, rest, _ := strings.Cut(set.Name, ".")
		transport, at, _ := strings.Cut(rest, ".")
		if at != host || !strings.HasPrefix(transport, "_") ||
			!strings.HasPrefix(port, "_") && port != "*" {
			continue
		}
		name := set.Name
		for range 8 {
			alias, is := k.set(name, "CNAME")
			if !is {
				break
			}
			name = record.Target("CNAME", alias.Values[0])
		}
		tlsa, is := k.set(name, "TLSA")
		if is && !slices.ContainsFunc(all, func(o record.Set) bool { return o.Name == tlsa.Name }) {
			all = append(all, tlsa)
		}
	}
	return all
}

// turning gives the doors of a zone that change.
func (k *zonePlan) turning() []string {
	var all []string
	for _, phase := range []int{fresh, turning} {
		for _, c := range k.draft.byPhase[phase] {
			if !slices.Contains(all, c.Name) {
				all = append(all, c.Name)
			}
		}
	}
	slices.Sort(all)
	return all
}

// zonePlan is one zone as far as it is worked out.
type zonePlan struct {
	zone     Zone
	findings []finding.Finding
	notes    []act.Note

	Sight
	required []requirement
	moves    moving
	draft    draft
	guest    bool // of a domain that is not meant: only what follows what is meant is changed there
}

func (k *zonePlan) take(f found) {
	for _, p := range f.proposals {
		k.draft.join(p)
	}
	k.findings, k.notes = append(k.findings, f.Findings...), append(k.notes, f.Notes...)
}

// lead begins a zone: what is wanted there, and the changes that lead its doors to their carriers.
func lead(in Known, seen Surveys, d *estate.Domain) *zonePlan {
	s := SightOf(in, seen, d)
	required, notes := requirementsOf(s)
	z := Zone{Name: s.zone(), RecordsAt: d.RecordsAt, State: string(d.State),
		Records: recordsOf(required), Domain: d}
	z.Present, z.Next = places(d, nil)
	z.Note = d.Note
	k := &zonePlan{zone: z, notes: notes, Sight: s, required: required}
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
func guest(in Known, seen Surveys, d *estate.Domain) *zonePlan {
	z := Zone{Name: d.Name.String(), RecordsAt: d.RecordsAt, State: string(d.State), Guest: true}
	z.Domain = d
	k := &zonePlan{zone: z, Sight: SightOf(in, seen, d), guest: true}
	k.zone.Present, k.zone.Next = places(d, nil)
	return k
}

// untie adds what keeps everything where it is that follows a door of any zone: names first, then
// mail that is handed to them, then who may send. Each sees what those before it have done.
func untie(zones []*zonePlan, both *worlds) {
	for _, k := range zones {
		if k.seen != nil && !k.guest {
			k.take(unpin(k))
		}
		both.takeAll(k)
	}
	for _, phase := range []func(k *zonePlan) found{
		func(k *zonePlan) found { return untieNames(k.Sight, both, k.guest) },
		func(k *zonePlan) found { return untieReceivers(k.Sight, both, k.draft) },
		func(k *zonePlan) found { return untieSenders(k.Sight, both, k.draft) },
	} {
		for _, k := range zones {
			if k.seen == nil {
				continue
			}
			if f := phase(k); len(f.proposals) > 0 || len(f.Findings) > 0 {
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
		for _, c := range k.zone.Comes {
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
	s := k.Sight
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
	z := &k.zone
	z.Seen, z.Partial, z.Missed, z.Remaining = &when, s.seen.Partial, s.seen.Missed, s.seen.Remaining
	z.Changes = inOrder(k.draft, both.leaves)
	if both != nil {
		for i := range z.Changes {
			if c := &z.Changes[i]; c.Step > 0 && !c.Early && !c.UntiesMail() {
				c.Round = both.rounds[c.Name]
			}
		}
		inRounds(z.Changes)
	}
	moved := s.domain.State == estate.Moved
	if moved {
		atOnce(z.Changes)
	}
	z.AsItIs = s.seen.Records
	z.Whole = afterwards(s.seen.Records, z.Changes)
	z.TTLs, z.AbsentFor = ttlsOf(s, z.Changes), world.AbsentFor(s.seen)
	if moved {
		for i := range z.TTLs {
			z.TTLs[i].LowerBefore = 0
		}
	}
	if k.guest {
		return
	}
	k.take(sinceEarlier(s, k.required, both))
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

// atOnce has what is left to do in a zone that counts as moved be typed as it stays: nobody lowers
// TTLs for it, and nobody raises them a day later.
func atOnce(changes []act.Change) {
	for i := range changes {
		if c := &changes[i]; act.ShortLived(c) {
			c.TTL, c.Raise = c.Raise, 0
		}
	}
}

// inRounds puts what leaves other names first, round by round, behind what comes before all of
// that, and numbers the changes anew.
func inRounds(changes []act.Change) {
	begin := slices.IndexFunc(changes, func(c act.Change) bool {
		return c.Step > 0 && !c.Early && !c.UntiesMail()
	})
	if begin < 0 {
		return
	}
	end := begin
	for end < len(changes) && changes[end].Step > 0 {
		end++
	}
	slices.SortStableFunc(changes[begin:end], func(a, b act.Change) int {
		return cmp.Compare(b.Round, a.Round)
	})
	step := 0
	for i := range changes {
		if changes[i].Step > 0 {
			step++
			changes[i].Step = step
		}
	}
}

// move works out how the zone gets to other name servers, where it does, and where its records are
// typed.
func (k *zonePlan) move() {
	s, z := k.Sight, &k.zone
	move, loses := moveOf(s, k.required, z.Whole)
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

// notAnswered notes what nobody answered about at the apex and at hosts that have doors.
func notAnswered(s Sight) found {
	var f found
	var keys []string
	for _, m := range s.seen.Missed {
		if m.Name == s.zone() || s.isHost(m.Name) {
			keys = append(keys, m.Name+" "+m.Type)
		}
	}
	if len(keys) > 0 {
		f.Notes = append(f.Notes,
			act.Note{Notice: act.NotAnswered, Names: []string{s.zone()}, Values: keys})
	}
	if s.seen.Remaining {
		f.Note(act.TTLsRemaining, s.zone())
	}
	return f
}
