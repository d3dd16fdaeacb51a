package plan

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// Typed is all that people type, and nothing of what it is meant for.
type Typed struct {
	Sheets []Sheet
	// zones as files, by name: as they are copied to other name servers, and as they are in the end
	Copies map[string][]record.Set
	Files  map[string][]record.Set // nil: nobody writes any

	own bool // it is what the plan itself has people type
}

// Typed gives what the plan has people type.
func (p *Plan) Typed() Typed {
	t := Typed{Sheets: p.Sheets(), Copies: map[string][]record.Set{}, own: true}
	for i := range p.Zones {
		z := &p.Zones[i]
		if z.Move != nil {
			if sets, err := p.AsItIs(z); err == nil {
				t.Copies[z.Name] = sets
			}
		}
	}
	return t
}

// With gives what the plan has people type, but for its sheets.
func (p *Plan) With(sheets []Sheet) Typed {
	t := p.Typed()
	t.Sheets, t.own = sheets, false
	return t
}

// Play types the rows of sheets into the world as it was seen, in the order of the steps, and gives
// a finding for whatever breaks on the way or is not so in the end. It knows of the plan what is
// wanted in the end, and nothing of how it means to get there: that is what the sheets say. A step
// begins as soon as what has to come before it is done and its wait is over.
func (p *Plan) Play(t Typed) []finding.Finding {
	findings, _ := p.play(t, false)
	return findings
}

// play plays what is typed, and gives the state that comes of it. waits works out, of the steps
// that wait for older answers to run out, for how long: as long as somebody may hold any of those
// that their rows made old.
func (p *Plan) play(t Typed, waits bool) ([]finding.Finding, *world.World) {
	pl := newPlayer(p)
	var turning []deed
	pl.watch = world.NewWatch(pl.world, pl.wishes())
	begun, number := false, 0 // some record changes
	act1 := func(rows []world.Row) {
		number++
		pl.broke(pl.watch.Act(number, rows))
	}
	p.walk(pl.world, t, func(i int, s act.Step, deeds []deed) {
		if pl.step = 0; i < len(p.Steps) {
			pl.step = i + 1
		}
		if waits && i < len(p.Steps) {
			defer func() { pl.wait(i, deeds, turning) }()
		}
		if s.Kind == act.MakeChanges {
			turning = append(turning, deeds...)
		}
		switch {
		case s.Kind == act.RaiseTTLs && !pl.ended:
			pl.zonesAfter(false)
		case s.Kind == act.AuditDoors:
			pl.outlived(s)
		case s.Kind == act.CopyZones:
			pl.copied(s.Zones, t.Copies)
		}
		if turns := slices.Contains([]act.StepKind{act.LeaveAliases, act.MakeChanges,
			act.CopyZones}, s.Kind); turns && !begun {
			pl.lowered()
			begun = true
		}
		for _, d := range deeds {
			act1(d.rows)
		}
	})
	if !begun {
		pl.lowered()
	}
	if !pl.ended {
		pl.zonesAfter(false)
	}
	pl.zonesAfter(true)
	pl.filed(t.Files)
	pl.crowded()
	pl.toldAll()
	return pl.tally.Findings(), pl.world
}

// FilesDiffer says where zones, written as files, are not what the rows of the sheets make of them.
func (p *Plan) FilesDiffer(files map[string][]record.Set) []finding.Finding {
	pl := newPlayer(p)
	p.walk(pl.world, p.Typed(), func(_ int, _ act.Step, deeds []deed) {
		for _, d := range deeds {
			pl.world.Act(d.rows)
		}
	})
	pl.filed(files)
	return pl.tally.Findings()
}

func newPlayer(p *Plan) *player {
	pl := &player{plan: p, world: p.today.Clone(), seen: zone.SurveysOf(p.input.known()),
		said: map[string]bool{}}
	pl.remember()
	return pl
}

// walk goes through the steps in their order, with what is typed in each, and lets the time pass
// that is waited between them. What belongs to no step is typed last.
func (p *Plan) walk(w *world.World, t Typed, step func(i int, s act.Step, deeds []deed)) {
	byStep := deedsOf(p, t.Sheets)
	over := make([]int, len(p.Steps)) // when steps are done and waited for
	rest := func() { step(len(p.Steps), act.Step{}, byStep[len(p.Steps)]) }
	raised := slices.ContainsFunc(p.Steps, func(s act.Step) bool { return s.Kind == act.RaiseTTLs })
	for i, s := range p.Steps {
		begin := w.Now()
		if s.Kind == act.RaiseTTLs {
			rest()
		}
		for _, n := range s.Needs {
			begin = max(begin, over[n-1])
		}
		if s.Kind == act.RaiseTTLs {
			begin += s.Wait
		}
		w.Wait(begin - w.Now())
		if s.Kind == act.CopyZones {
			for _, name := range s.Zones {
				if sets := t.Copies[name]; sets != nil {
					w.Load(name, sets)
				}
			}
		}
		step(i, s, byStep[i])
		if over[i] = w.Now(); s.Kind != act.RaiseTTLs {
			over[i] += p.Steps[i].Wait
		}
	}
	if !raised {
		rest()
	}
	step(len(p.Steps), act.Step{Kind: act.RaiseTTLs}, byStep[len(p.Steps)+1])
}

// wait works out for how long to wait once a step is done. turning are the rows that lead doors
// elsewhere, so far.
func (pl *player) wait(i int, deeds, turning []deed) {
	s := &pl.plan.Steps[i]
	switch s.Kind {
	case act.LowerTTLs:
		s.Wait, s.Holds = pl.longest(pl.plan.loweredNames(deeds), true, record.LeadsBrowsers)
	case act.UntieMail:
		all := func(string) bool { return true }
		s.Wait, s.Holds = pl.longest(namesIn(deeds), false, all)
	case act.LeaveAliases, act.TidyUp:
		s.Wait, s.Holds = pl.longest(namesIn(deeds), false, record.LeadsBrowsers)
	case act.MakeChanges:
		for _, h := range s.Dark {
			names := map[string]map[string]bool{}
			put(names, pl.world.ZoneOf(h), h)
			dark, _ := pl.longest(names, false, record.LeadsBrowsers)
			s.DarkFor = max(s.DarkFor, dark)
		}
	case act.WaitForTTLs:
		s.Wait, s.Holds = pl.longest(namesIn(turning), false, record.LeadsBrowsers)
	}
}

// outlast adds a step that waits, where TTLs were lowered already, but some may still hold answers
// with those that were before.
func (p *Plan) outlast(w *world.World) {
	lowers := slices.ContainsFunc(p.Steps, func(s act.Step) bool { return s.Kind == act.LowerTTLs })
	at := slices.IndexFunc(p.Steps, func(s act.Step) bool {
		return s.Kind != act.SurveyFirst && s.Kind != act.AuditFirst
	})
	if lowers || at < 0 {
		return
	}
	pl := &player{plan: p, world: w}
	wait, holds := pl.longest(p.loweredNames(nil), true, record.LeadsBrowsers)
	if wait > 0 {
		if now := p.input.Now; !now.IsZero() {
			holds.Since = now.Add(time.Duration(wait-holds.TTL) * time.Second)
		}
		p.Steps = slices.Insert(p.Steps, at, step(act.Step{Kind: act.OutlastTTLs, Wait: wait,
			Holds: holds}))
	}
}

// loweredNames gives the names whose TTLs have to be low, by zone.
func (p *Plan) loweredNames(deeds []deed) map[string]map[string]bool {
	names := namesIn(deeds)
	for _, z := range p.Zones {
		for _, t := range z.TTLs {
			put(names, z.Name, t.Name)
		}
	}
	return names
}

func put(names map[string]map[string]bool, zone, name string) {
	if names[zone] == nil {
		names[zone] = map[string]bool{}
	}
	names[zone][name] = true
}

// namesIn gives the names of records that are typed, by zone.
func namesIn(deeds []deed) map[string]map[string]bool {
	names := map[string]map[string]bool{}
	for _, d := range deeds {
		for _, r := range d.rows {
			if name, err := record.Name(r.Label, r.Zone); err == nil && r.IsRecord() {
				put(names, r.Zone, name)
			}
		}
	}
	return names
}

// longest gives for how long anybody may still hold something about names that was so before, in
// seconds, and what that is. same asks for what is still so, but had a longer TTL.
func (pl *player) longest(names map[string]map[string]bool, same bool,
	counts func(kind string) bool) (int, *act.Remembered) {
	wait := 0
	var holds *act.Remembered
	for _, zone := range slices.Sorted(maps.Keys(names)) {
		olds := pl.world.Olds(zone)
		slices.SortFunc(olds, func(a, b world.Old) int {
			return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Type, b.Type))
		})
		for _, o := range olds {
			left := o.Until - pl.world.Now()
			if o.Same != same || left <= wait || o.Type != "" && o.Type != world.Delegation &&
				!counts(o.Type) || o.Type != world.Delegation && !names[zone][o.Name] {
				continue
			}
			wait = left
			holds = &act.Remembered{Name: o.Name, Type: o.Type, TTL: o.TTL}
			if now := pl.plan.input.Now; !now.IsZero() && o.Until < o.TTL {
				// it was so until some time before the plan was made
				holds.Since = now.Add(time.Duration(o.Until-o.TTL) * time.Second)
			}
		}
	}
	return wait, holds
}

// copied looks whether what is copied to the next name servers is what was typed at the present
// ones until then.
func (pl *player) copied(zones []string, copies map[string][]record.Set) {
	for _, name := range zones {
		z := pl.plan.zoneNamed(name)
		keys := map[record.Key]bool{}
		for _, key := range pl.world.Typed(name) {
			keys[key] = true
		}
		for _, c := range z.Changes {
			if c.Early {
				keys[record.Key{Name: c.Name, Type: c.Type}] = true
			}
		}
		for _, t := range z.TTLs {
			if t.LowerBefore > 0 {
				keys[record.Key{Name: t.Name, Type: t.Type}] = true
			}
		}
		for key := range keys {
			there, seen := pl.world.Set(name, key)
			copied, _ := record.Find(copies[name], key.Name, key.Type)
			if seen && copies[name] != nil {
				pl.compare(z, key, there, record.PlainAll(key.Type, copied.Values), copied.TTL, true)
			}
		}
	}
}

// outlived looks whether anybody still holds what was there before, now that a step says that
// nobody does.
func (pl *player) outlived(s act.Step) {
	for i := range pl.plan.Zones {
		z := &pl.plan.Zones[i]
		if z.Domain.State == estate.Moved ||
			len(s.Zones) > 0 && !slices.Contains(s.Zones, z.Name) {
			continue
		}
		turns := map[string]bool{}
		for _, c := range z.Changes {
			turns[c.Name] = turns[c.Name] ||
				c.Step > 0 && !c.UntiesMail() && record.LeadsBrowsers(c.Type)
		}
		for _, o := range pl.world.Olds(z.Name) {
			left := wording.DurationUp(o.Until - pl.world.Now())
			switch {
			case o.Type == world.Delegation:
				pl.find(finding.New(finding.ZoneDiffers, z.Name+" NS",
					fact.DelegationPastWait{Zone: z.Name, Left: left}))
			case o.Same || !turns[o.Name] || o.Type != "" && !record.LeadsBrowsers(o.Type):
			default:
				kind := o.Type
				if kind == "" {
					kind = "as missing"
				}
				pl.find(finding.New(finding.ZoneDiffers, strings.TrimSpace(o.Name+" "+o.Type),
					fact.HeldPastWait{Name: o.Name, Type: kind, TTL: o.TTL, Left: left}))
			}
		}
	}
}

// unsaid gives what the sheets break, but for what is known of the same name already and cannot but
// show there too.
func (p *Plan) unsaid(played, known []finding.Finding) []finding.Finding {
	same := []finding.Code{finding.BeyondCarrier, finding.AliasConflict, finding.RecordLost,
		finding.MailLost, finding.IssuerBarred, finding.StaleDS}
	said := map[string]bool{}
	for _, f := range known {
		if f.Severity == finding.Error && slices.Contains(same, f.Code) {
			said[f.Code.String()+" "+f.Subject] = true
		}
	}
	return slices.DeleteFunc(played, func(f finding.Finding) bool {
		return said[f.Code.String()+" "+f.Subject]
	})
}

// playedOf counts what is played. A zone that nobody has seen may hold names that lead to what
// moves, whether it is meant or not.
func playedOf(p *Plan, sheets []Sheet, seen zone.Surveys) Played {
	made := Played{Unseen: []string{}, Partly: []string{}}
	for _, s := range sheets {
		made.Rows += len(s.Lines) + len(s.Entries)
	}
	for _, d := range p.Estate.Domains {
		switch name := d.Name.String(); {
		case seen.Nowhere[name] != nil:
		case seen.Last[name] == nil:
			made.Unseen = append(made.Unseen, name)
		case seen.Last[name].Partial || len(seen.Last[name].Missed) > 0:
			made.Partly = append(made.Partly, name)
		}
	}
	return made
}

// player is what is known while sheets are played.
type player struct {
	plan    *Plan
	world   *world.World
	watch   *world.Watch
	seen    zone.Surveys
	tally   finding.Tally
	said    map[string]bool      // what was said already of a subject
	ended   bool                 // all records are typed
	step    int                  // that is played, from 1; 0 behind all of them
	servers map[[2]string]string // a name server of a zone, by place and zone
}

// deed is rows that are typed at once, in a step.
type deed struct{ rows []world.Row }

// deedsOf puts the rows of sheets in the order in which they are typed: step by step, place by
// place. What belongs to no step comes behind all of them: what changes anything, then TTLs that
// are raised.
func deedsOf(p *Plan, sheets []Sheet) [][]deed {
	moves := map[string]bool{}
	for _, z := range p.Zones {
		moves[z.Name] = z.Move != nil
	}
	// which rows are left, by sheet
	lines, entries := make([][]int, len(sheets)), make([][]int, len(sheets))
	for i, s := range sheets {
		for j := range s.Lines {
			lines[i] = append(lines[i], j)
		}
		for j := range s.Entries {
			entries[i] = append(entries[i], j)
		}
	}
	all := make([][]deed, len(p.Steps)+2)
	take := func(step int, line func(Line) bool, entry func(Sheet, act.Entry) bool) {
		inTurn := identity(len(sheets))
		if step < len(p.Steps) && len(p.Steps[step].Places) > 1 {
			places := p.Steps[step].Places
			slices.SortStableFunc(inTurn, func(a, b int) int {
				return cmp.Compare(slices.Index(places, sheets[a].Place),
					slices.Index(places, sheets[b].Place))
			})
		}
		for _, i := range inTurn {
			sheet := sheets[i]
			entries[i] = slices.DeleteFunc(entries[i], func(j int) bool {
				e := sheet.Entries[j]
				if !entry(sheet, e) {
					return false
				}
				all[step] = append(all[step], deed{[]world.Row{p.entryRow(sheet.Place, e)}})
				return true
			})
		}
		for _, i := range inTurn {
			sheet := sheets[i]
			var rows []world.Row
			lines[i] = slices.DeleteFunc(lines[i], func(j int) bool {
				l := &sheet.Lines[j]
				if !line(*l) {
					return false
				}
				rows = append(rows, lineRow(sheet.Place, l, moves[l.Zone]))
				return true
			})
			for _, together := range atOnce(rows) {
				all[step] = append(all[step], deed{together})
			}
		}
	}
	for i, s := range p.Steps {
		line, entry := typedIn(s)
		take(i, line, entry)
	}
	rest := func(Sheet, act.Entry) bool { return true }
	take(len(p.Steps), func(l Line) bool { return l.Do != act.Raise }, rest)
	take(len(p.Steps)+1, func(Line) bool { return true }, rest)
	return all
}

// atOnce parts rows into those that are typed at once: an alias and whatever takes its place, or
// gives it up for it, are one act, and so is all that makes a new name.
func atOnce(rows []world.Row) [][]world.Row {
	var all [][]world.Row
	for begin := 0; begin < len(rows); {
		end, alias, adds := begin, false, true
		for end < len(rows) && rows[end].Zone == rows[begin].Zone &&
			rows[end].Label == rows[begin].Label {
			alias = alias || rows[end].Type == "CNAME" || rows[end].Type == record.Alias
			adds = adds && rows[end].Do == world.Add
			end++
		}
		if alias || adds {
			all = append(all, rows[begin:end])
		} else {
			for i := begin; i < end; i++ {
				all = append(all, rows[i:i+1])
			}
		}
		begin = end
	}
	return all
}

func lineRow(place string, l *Line, moves bool) world.Row {
	return world.Row{
		Coming:  moves && !l.Early,
		Place:   place,
		Do:      world.Action(l.Do),
		Zone:    l.Zone,
		Label:   l.Label,
		Type:    l.Type,
		Was:     l.Was,
		Value:   l.Value,
		TTL:     l.TTL,
		Through: l.Through,
	}
}

func (p *Plan) entryRow(place string, e act.Entry) world.Row {
	r := world.Row{Place: place, Do: world.Action(e.Action), Kind: e.Kind, Domain: e.Domain}
	for _, f := range e.Fields {
		if f.Holds == "" {
			r.Fields = append(r.Fields, world.Field{Name: f.Name, Value: f.Value})
			continue
		}
		r.Fields = append(r.Fields, world.Field{Name: world.FieldHosts, Value: p.heldBy(f.Holds)})
	}
	for _, f := range e.Before {
		r.Before = append(r.Before, world.Field{Name: f.Name, Value: f.Value})
	}
	return r
}

// heldBy lists the hosts that the file of a server holds: a file is one entry, with what its writer
// puts into it.
func (p *Plan) heldBy(carrier string) string {
	if all, known := p.held[carrier]; known {
		return all
	}
	var hosts []string
	for _, d := range p.meant.Held(carrier) {
		if h := d.Host.String(); !slices.Contains(hosts[max(0, len(hosts)-1):], h) {
			hosts = append(hosts, h)
		}
	}
	if p.held == nil {
		p.held = map[string]string{}
	}
	p.held[carrier] = strings.Join(hosts, ", ")
	return p.held[carrier]
}

// remember puts into the world what carriers were seen to know.
func (pl *player) remember() {
	for _, d := range pl.plan.Estate.Domains {
		for _, h := range d.Hosts() {
			for _, c := range tellable(pl.plan.Estate, d, h) {
				if d.State == estate.Moved || carry.ClaimedAt(pl.seen, d.Name.String(), h, c) {
					pl.world.SawKnown(c.Name, h.String())
				}
				if d.State == estate.Moved || carry.CertifiedThere(pl.seen, d.Name.String(), h, c) {
					pl.world.At(c.Name).Had[h.String()] = true
				}
			}
			for _, who := range pl.world.Carriers(h.String()) {
				for _, name := range who {
					if c := pl.plan.Estate.Carrier(name); c != nil && c.By.Row().WithZone {
						pl.world.SawForwarding(name, h.String())
					}
				}
			}
		}
	}
}

// tellable gives who has to be told of a host: who answers it, and who is behind that.
func tellable(e *estate.Estate, d *estate.Domain, h web.Host) []*estate.Carrier {
	var all []*estate.Carrier
	for _, c := range []*estate.Carrier{d.Carry[h], d.Through[h], d.Served[h]} {
		if c == nil {
			continue
		}
		all = append(all, c)
		if behind := e.Holder(c); behind != c {
			all = append(all, behind)
		}
	}
	return all
}

// wishes gives what may become otherwise.
func (pl *player) wishes() world.Wishes {
	p := pl.plan
	wish := world.Wishes{
		Needed: map[string]bool{},
		Silent: map[string]bool{},
		MX:     map[string]map[string]bool{},
		Policy: map[string]bool{},
		Gone:   map[record.Key]bool{},
		Late:   map[string]bool{},
	}
	led := map[string]bool{}
	for _, d := range p.Estate.Domains {
		for _, n := range d.Needed {
			wish.Needed[n.Host.String()] = true
		}
		if d.State != estate.Leave {
			wish.Doors = append(wish.Doors, d.Hosts()...)
		}
		if d.Mail != "none" && zone.Mailing(d, pl.seen) {
			wish.Mailing = append(wish.Mailing, d.Name.String())
		}
	}
	for _, z := range p.Zones {
		if z.Guest {
			continue
		}
		for _, h := range z.Domain.Hosts() {
			led[h.String()] = true
		}
		pl.wanted(z, &wish)
	}
	for _, k := range p.Carriers {
		wish.Late[k.Name] = k.ClaimsAfter
	}
	wish.Led = func(name string) bool { return led[name] }
	early := map[string]bool{} // carriers and hosts
	for _, c := range p.Certificates {
		for _, name := range c.Names {
			early[c.Carrier+" "+name] = c.Domain != "" && c.When != string(estate.After)
		}
	}
	wish.Certify = func(carrier, host string) bool { return early[carrier+" "+host] }
	wish.Dark = map[string]bool{}
	for _, s := range p.Steps {
		for _, h := range s.Dark {
			wish.Dark[h] = true
		}
	}
	return wish
}

// wanted adds what somebody asks for in a zone that is meant.
func (pl *player) wanted(z zone.Zone, wish *world.Wishes) {
	if z.Domain.Mail != "none" && len(z.Domain.Wanted) == 0 {
		return
	}
	s := zone.SightOf(pl.plan.input.known(), pl.seen, z.Domain)
	if z.Domain.Mail == "none" && len(s.MailSeen()) == 0 {
		wish.Silent[z.Name] = true
	}
	for _, w := range z.Domain.Wanted {
		switch {
		case w.Type == "MX":
			if wish.MX[w.Name] == nil {
				wish.MX[w.Name] = map[string]bool{}
			}
			wish.MX[w.Name][w.Value] = true
		case s.DoneWith(w) == nil:
		case w.Type == "TXT" && spf.Is(record.Unquote(w.Value)):
			wish.Policy[w.Name] = true
		default:
			wish.Gone[record.Key{Name: w.Name, Type: w.Type}] = true
		}
	}
}

func (pl *player) find(f finding.Finding) {
	key := f.Code.String() + " " + f.Subject
	if pl.said[key] {
		return
	}
	pl.said[key] = true
	pl.tally.Add(f)
}

// lowered looks whether every TTL was lowered that has to be before anything changes.
func (pl *player) lowered() {
	for i := range pl.plan.Zones {
		z := &pl.plan.Zones[i]
		if z.Domain.State == estate.Moved {
			continue
		}
		for _, t := range z.TTLs {
			values, seen := pl.world.Set(z.Name, record.Key{Name: t.Name, Type: t.Type})
			if !seen || t.LowerBefore == 0 ||
				!slices.ContainsFunc(values, func(v world.Value) bool { return v.TTL > t.LowerTo }) {
				continue
			}
			pl.find(finding.New(
				finding.ZoneDiffers,
				t.Name+" "+t.Type,
				fact.TTLNotLowered{TTL: values[0].TTL, Wanted: t.LowerTo, Name: t.Name, Type: t.Type},
			))
		}
	}
}

// zonesAfter compares every zone with the one that is written to a file: before TTLs are raised
// again, or after. What nobody typed, and no change is about, is in both as it was seen.
func (pl *player) zonesAfter(raised bool) {
	pl.ended = true
	for i := range pl.plan.Zones {
		z := &pl.plan.Zones[i]
		keys, short := map[record.Key]bool{}, map[record.Key]int{}
		for _, c := range changesToType(z) {
			keys[record.Key{Name: c.Name, Type: c.Type}] = true
			held := record.Key{Name: c.Name, Type: cmp.Or(c.TypedAs, c.Type)}
			if keys[held] = true; act.ShortLived(&c) {
				short[held] = c.Raise
			}
		}
		for _, t := range raisedAlone(z) {
			key := record.Key{Name: t.Name, Type: t.Type}
			if raised {
				keys[key], short[key] = true, t.RaiseTo
			}
		}
		for _, key := range pl.world.Typed(z.Name) {
			keys[key] = true
		}
		wanted := map[record.Key]record.Set{}
		if len(keys) > 0 {
			for _, h := range heldSets(z, setsInTheEnd(z), true) {
				wanted[record.Key{Name: h.Name, Type: h.Type}] = h.Set
			}
		}
		for key := range keys {
			there, seen := pl.world.Set(z.Name, key)
			if !seen && z.New == nil {
				continue
			}
			ttl := wanted[key].TTL
			if raised && short[key] > 0 {
				ttl = short[key]
			}
			pl.compare(z, key, there, wanted[key].Values, ttl, short[key] > 0)
		}
	}
}

// crowded says where an alias does not stand alone in the end, though nobody has typed it
// (RFC 1034 section 3.6.2).
func (pl *player) crowded() {
	for i := range pl.plan.Zones {
		z := &pl.plan.Zones[i]
		for _, key := range pl.world.Keys(z.Name) {
			if key.Type != "CNAME" || pl.said[finding.AliasConflict.String()+" "+key.Name] {
				continue
			}
			kinds := slices.DeleteFunc(pl.world.Crowds(z.Name, key.Name),
				func(kind string) bool { return kind == "CNAME" })
			if len(kinds) == 0 {
				continue
			}
			alias, _ := pl.world.Set(z.Name, key)
			pl.find(finding.New(finding.AliasConflict, key.Name, fact.AliasCrowded{
				Alias: record.PlainAll("CNAME", []string{alias[0].Text}), Others: kinds, Name: key.Name,
				Other: kinds}))
		}
	}
}

// filed looks whether each zone, written as a file, is what the rows of the sheets make of it: the
// file is loaded by some, and the rows are typed by others. What belongs to the name servers is
// theirs, and what no file can hold is said by Lost.
func (pl *player) filed(files map[string][]record.Set) {
	for i := range pl.plan.Zones {
		z := &pl.plan.Zones[i]
		file, written := files[z.Name]
		if !written {
			continue
		}
		keys := map[record.Key]record.Set{}
		for _, s := range file {
			keys[record.Key{Name: s.Name, Type: s.Type}] = s
		}
		for _, key := range pl.world.Keys(z.Name) {
			kinds := []string{key.Type}
			if key.Type == record.Alias {
				kinds = []string{"A", "AAAA"}
			}
			for _, kind := range kinds {
				key.Type = kind
				if _, there := keys[key]; !there {
					keys[key] = record.Set{Name: key.Name, Type: kind}
				}
			}
		}
		for key, s := range keys {
			alias, aliased := pl.world.Alias(z.Name, key.Name)
			if record.IsSigning(key.Type) || key.Type == "SOA" || key.Type == record.Alias ||
				key.Type == "NS" && key.Name == z.Name ||
				aliased && key.Type == "CNAME" {
				continue
			}
			var values []string
			there, _ := pl.world.Set(z.Name, key)
			for _, v := range there {
				values = append(values, v.Text)
			}
			if aliased && (key.Type == "A" || key.Type == "AAAA") { // the file has what it leads to
				values = pl.world.AddressesAt(alias, key.Type)
			}
			if !record.SameMeaning(key.Type, values, s.Values) {
				pl.find(finding.New(finding.ZoneDiffers, key.Name+" "+key.Type,
					fact.FileDiffers{Name: key.Name, Type: key.Type, Zone: z.Name,
						Typed: record.PlainAll(key.Type, values), Wanted: record.PlainAll(key.Type, s.Values)}))
			}
		}
	}
}

// changesToType gives the changes of a zone that are to be made.
func changesToType(z *zone.Zone) []act.Change {
	if z.Seen == nil {
		return z.Comes
	}
	return slices.DeleteFunc(slices.Clone(z.Changes), func(c act.Change) bool { return c.Step == 0 })
}

// setsInTheEnd gives all record sets of a zone after its changes.
func setsInTheEnd(z *zone.Zone) []record.Set {
	if z.Seen != nil {
		return z.Whole
	}
	var all []record.Set
	for _, c := range z.Comes {
		all = append(all, zone.Record{Name: c.Name, Type: c.Type, TTL: c.TTL, Values: c.After}.Set())
	}
	return all
}

// compare says where a set is not what it is in the file of its zone.
func (pl *player) compare(
	z *zone.Zone,
	key record.Key,
	there []world.Value,
	wanted []string,
	ttl int,
	typed bool,
) {
	var values []string
	keeps := 0
	for _, v := range there {
		values = append(values, v.Text)
		if (typed || v.Typed) && v.TTL != ttl {
			keeps = v.TTL
		}
	}
	switch {
	case !record.SameMeaning(key.Type, values, wanted):
		pl.find(finding.New(
			finding.ZoneDiffers,
			key.Name+" "+key.Type,
			fact.SheetsLeave{Typed: record.PlainAll(key.Type, values),
				Wanted: record.PlainAll(key.Type, wanted), Name: key.Name, Type: key.Type, Zone: z.Name},
		))
	case keeps > 0:
		pl.find(finding.New(
			finding.ZoneDiffers,
			key.Name+" "+key.Type,
			fact.SheetsLeaveTTL{Typed: keeps, Wanted: ttl, Name: key.Name, Type: key.Type},
		))
	}
}

// broke says what broke with an act.
func (pl *player) broke(all []world.Break) {
	for _, b := range all {
		if b.Kind == world.Untold {
			for _, who := range b.After {
				pl.said[who+" of "+b.Subject] = true
			}
		}
		pl.said[finding.AliasConflict.String()+" "+b.Subject] = b.Kind == world.Crowded ||
			pl.said[finding.AliasConflict.String()+" "+b.Subject]
		pl.tally.Add(pl.finding(b)) // each subject breaks once
	}
}

func (pl *player) finding(b world.Break) finding.Finding {
	before, after := wording.Shortly(b.Before), wording.OrNothing(b.After)
	if b.Kind == world.MailMoved {
		before, after = inTurn(b.Before), inTurn(b.After)
	}
	row, name := b.Row.String(), b.Subject
	code, subject := finding.Undecided, b.Subject
	var facts fact.Facts
	if b.Held > 0 && b.Kind != world.Bogus {
		return pl.heldFinding(b, before, after)
	}
	switch b.Kind {
	case world.RowUnfit:
		facts = fact.RowUnfit{Why: b.Why}
	case world.MailMoved:
		code = finding.MailTied
		if len(b.After) == 0 {
			code = finding.MailLost
		}
		facts = fact.MailWouldMove{Domain: name, Before: before, After: after, Row: row}
	case world.SenderLost:
		code, facts = finding.MailTied, sendersLost(b)
	case world.Followed:
		code, subject = finding.DependedOn, b.Target
		facts = fact.RecordWouldFollow{Type: b.Type, Name: name, Target: b.Target, Before: before,
			After: after, Row: row}
		if b.Type == "CNAME" {
			facts = fact.AliasWouldFollow{Name: name, Target: b.Target, Before: before, After: after,
				Row: row}
		}
	case world.NeededMoved:
		code = finding.DependedOn
		facts = fact.NeededWouldMove{Host: name, Before: before, After: after, Row: row}
	case world.DoorDark:
		code, facts = finding.RecordLost, fact.DoorWouldGo{Host: name, Before: before, Row: row}
	case world.Untold:
		code, facts = finding.BeyondCarrier, fact.LeadsUntold{Host: name, Carriers: b.After, Row: row}
	case world.Uncertified:
		code, facts = finding.WrongName, fact.LeadsUncertified{Host: name, Carrier: b.After[0], Row: row}
	case world.Abandoned:
		code, facts = finding.ProviderBound, fact.EdgeAbandoned{Host: name, Carrier: b.After[0], Row: row}
	case world.Barred:
		may := "nobody"
		if len(b.Before) > 0 {
			may = strings.Join(b.Before, " and ")
		}
		code, facts = finding.IssuerBarred, fact.BarredThen{At: name, May: may, Issuer: b.After[0],
			Carrier: b.Row.Place, Host: b.Target, Row: row}
	case world.ProofElsewhere:
		return finding.New(finding.AliasConflict, name, fact.ProofElsewhere{Name: name,
			Target: b.After[0], Host: b.Target}, pl.evidence(b)).As(finding.Warning)
	case world.Bogus:
		code, facts = finding.StaleDS, fact.DSOutlivesKeys{Zone: name, Row: row}
	case world.Crowded:
		code, facts = finding.AliasConflict, fact.StandsTogether{Name: name, Records: b.After, Row: row}
	}
	return finding.New(code, subject, facts, pl.evidence(b)).As(finding.Error)
}

// evidence says when something breaks: after which step, row and time.
func (pl *player) evidence(b world.Break) map[string]any {
	evidence := map[string]any{
		"act": b.Act, "row": b.Row.String(), "place": b.Row.Place, "before": b.Before, "after": b.After,
		"name": b.Subject, "step": pl.step, "after_seconds": pl.world.Now(),
	}
	if b.Held > 0 {
		evidence["held_seconds"] = b.Held
	}
	return evidence
}

// heldFinding is about what those meet who hold older answers.
func (pl *player) heldFinding(b world.Break, before, after string) finding.Finding {
	row, lasts := b.Row.String(), wording.DurationUp(b.Held)
	code, subject := finding.DependedOn, b.Subject
	var facts fact.Facts = fact.HeldElsewhere{Name: b.Subject, Before: before, After: after, Row: row,
		For: lasts}
	switch b.Kind {
	case world.MailMoved:
		code = finding.MailTied
	case world.Followed:
		subject = b.Target
	case world.SenderLost:
		lose := sendersLost(b).(fact.SendersLose)
		if lose.Everybody {
			lose.Senders = append(lose.Senders, "everybody else")
		}
		code, facts = finding.MailTied, fact.HeldSenders{Domain: b.Subject, Row: row, For: lasts,
			Senders: lose.Senders}
	case world.DoorDark:
		code, facts = finding.RecordLost, fact.HeldDark{Host: b.Subject, Row: row, For: lasts}
	case world.Untold, world.Uncertified, world.Abandoned:
		code, facts = finding.BeyondCarrier, fact.HeldUntold{Host: b.Subject, Row: row, For: lasts,
			Carriers: b.After}
	}
	return finding.New(code, subject, facts, pl.evidence(b))
}

// sendersLost tells who may send less than before.
func sendersLost(b world.Break) fact.Facts {
	lose := fact.SendersLose{Domain: b.Subject, Row: b.Row.String(),
		Doubted: !strings.HasSuffix(b.Before[0], world.Pass.String()),
		Broken:  strings.HasSuffix(b.After[0], world.Broken.String())}
	for _, s := range b.Before {
		name, _, _ := strings.Cut(s, " ")
		if name == "*" {
			lose.Everybody = true
			continue
		}
		lose.Senders = append(lose.Senders, name)
	}
	return lose
}

// inTurn says where mail ends: the machines that are tried first, then the others.
func inTurn(machines []string) string {
	var turns []string
	last := ""
	for _, m := range machines {
		turn, machine, _ := strings.Cut(m, " ")
		if turn == last {
			turns[len(turns)-1] += ", " + machine
		} else {
			turns, last = append(turns, machine), turn
		}
	}
	return wording.OrNothing([]string{strings.Join(turns, ", then ")})
}

// toldAll looks whether every door's carrier was told of it in the end, and answers as the plan
// predicts.
func (pl *player) toldAll() {
	asks := map[web.Host][]web.URL{}
	for _, ask := range pl.plan.Asks(true) {
		h := ask.URL.Host()
		asks[h] = append(asks[h], ask.URL)
		if ask.URL.Query() == "" {
			asks[h] = append(asks[h], ask.URL.Door().URL(ask.URL.Path(), "made=up"))
		}
	}
	byCarrier := map[string][]string{}
	for i := range pl.plan.Zones {
		z := &pl.plan.Zones[i]
		if z.Guest || z.Domain.State == estate.Moved {
			continue
		}
		for _, h := range z.Domain.Hosts() {
			for _, c := range tellable(pl.plan.Estate, z.Domain, h) {
				if c.ApexOnly && !h.IsApex() {
					continue // a limit, which is said
				}
				if !pl.world.Knows(c.Name, h) && z.Domain.Served[h] != c && !pl.said[c.Name+" of "+h.String()] {
					byCarrier[c.Name] = append(byCarrier[c.Name], h.String())
				}
			}
			pl.answers(z, h, asks[h])
		}
		pl.pages(z)
	}
	for _, c := range pl.plan.Estate.Carriers {
		hosts := byCarrier[c.Name]
		if len(hosts) == 0 {
			continue
		}
		pl.find(untoldFinding(c.Name, hosts))
	}
	pl.siteToo()
}

func untoldFinding(carrier string, hosts []string) finding.Finding {
	return finding.New(
		finding.BeyondCarrier,
		carrier,
		fact.CarrierUntold{Carrier: carrier, Hosts: hosts},
	)
}

// answers compares what a host's carrier was told to answer with what the plan predicts.
func (pl *player) answers(z *zone.Zone, h web.Host, asks []web.URL) {
	c := z.Domain.Carry[h]
	if c == nil || !pl.world.Knows(c.Name, h) {
		return
	}
	for _, u := range asks {
		if pl.plan.beyond[u.Door()] || pl.plan.Web.Untold(h) != "" {
			continue
		}
		d := pl.plan.Web.Treatment(u.Door())
		seen := d.Sees(u) // what never gets there, it was not told to drop either
		says, told := pl.world.Says(c.Name, seen)
		if says.Unread || d.Exempts(u) || d.Upgrades {
			continue
		}
		planned := d.Answer(u)
		if planned.Refusal != "" || !planned.IsRedirect() && planned.Status != 410 {
			continue
		}
		if says.Behind != "" {
			want := cmp.Or(c.Behind, world.SiteName)
			if z.Domain.Through[h] == c {
				want = world.SiteName
			}
			if says.Behind != want {
				pl.wrong(c, z.Name, fact.ToldBehind{Behind: says.Behind, Wanted: want}, u)
				return
			}
			if c.Behind != "" {
				says, told = pl.world.Says(c.Behind, seen)
			}
		}
		switch {
		case says.Unread || says.Behind != "":
		case !told:
			pl.wrong(c, z.Name, fact.ToldNothing{URL: u.String()}, u)
			return
		case says.Framed:
			pl.wrong(c, z.Name, fact.ToldFrame{}, u)
			return
		case !says.AnyStatus && says.Status != planned.Status,
			!carry.SameURL(u, says.Comparable(says.Location), says.Comparable(planned.Location)):
			pl.wrong(c, z.Name, fact.ToldToSend{URL: u.String(),
				Says:    saysWhere(says.Status, says.Location),
				Planned: saysWhere(planned.Status, planned.Location)}, u)
			return
		}
	}
}

func saysWhere(status int, location string) string {
	return strings.TrimSpace(fmt.Sprint(status, " ", location))
}

func (pl *player) wrong(c *estate.Carrier, zone string, what fact.Facts, u web.URL) {
	key := finding.BeyondCarrier.String() + " " + c.Name + " answers in " + zone
	if pl.said[key] {
		return
	}
	pl.said[key] = true
	pl.tally.Add(finding.New(
		finding.BeyondCarrier,
		u.Host().String(),
		fact.TypedOtherwise{Carrier: c.Name, URL: u.String(), What: what},
	))
}

// pages looks whether the pages of a zone's carriers and of its registrar were told the rest:
// certificates, records that are waited for, the zone, the delegation.
func (pl *player) pages(z *zone.Zone) {
	d := z.Domain
	lacks := func(who string, what fact.Facts) {
		pl.find(finding.New(
			finding.BeyondCarrier,
			z.Name+" at "+who,
			fact.NothingTells{Place: who, Zone: z.Name, What: what},
		))
	}
	for _, c := range pl.plan.Estate.Carriers {
		hosts := carry.CarriedBy(pl.plan.Estate, d, c)
		told := pl.world.At(c.Name)
		for _, h := range hosts {
			if carry.Issues(c, d, h) && !carry.CertifiedThere(pl.seen, z.Name, h, c) &&
				!told.Certificates[h.String()] {
				lacks(c.Name, fact.LacksCertificate{Host: h.String()})
			}
		}
		if len(hosts) == 0 {
			continue
		}
		for _, behind := range untoldOrigins(c, z, told) {
			lacks(c.Name, fact.LacksOrigin{Behind: behind})
		}
		if slices.Contains(c.Steps, estate.Point) && len(carry.Reached(d, c, hosts)) > 0 {
			pl.awaited(z, c, told.Awaited[z.Name], lacks)
		}
		if slices.Contains(c.Steps, estate.TakeZone) && len(c.NameServers) > 0 &&
			(z.Move != nil || z.Seen == nil) &&
			!slices.Equal(told.Zones[z.Name], web.Names(c.NameServers)) {
			lacks(c.Name, fact.LacksZone{})
		}
	}
	for _, c := range pl.plan.Estate.Carriers {
		for _, h := range d.Hosts() {
			if _, still := pl.world.At(c.Name).Forwards[h.String()]; still && c.By.Row().WithZone &&
				d.Carry[h] != c && !carry.IsBehind(d, h, c) {
				lacks(
					c.Name,
					fact.LacksDeletion{Host: h.String()},
				)
			}
		}
	}
	registrar := pl.world.At(carry.RegistrarOf(z))
	for _, e := range carry.RegistrarEntries(*z, pl.seen) {
		switch e.Kind {
		case world.NameServers:
			var wanted []string
			for _, f := range e.Fields {
				wanted = append(wanted, f.Value)
			}
			if !slices.Equal(registrar.Delegations[z.Name], wanted) {
				lacks(carry.RegistrarOf(z), fact.LacksServers{Servers: wanted})
			}
		case world.DSEntry:
			if !slices.Contains(registrar.Unsigned[z.Name], e.Fields[0].Value) {
				lacks(carry.RegistrarOf(z), fact.LacksDS{DS: e.Fields[0].Value})
			}
		}
	}
}

// untoldOrigins gives what an edge network was to be told to ask for hosts of a zone, and was not.
func untoldOrigins(c *estate.Carrier, z *zone.Zone, told *world.Told) []string {
	var all []string
	for _, e := range carry.OriginEntries(c, *z) {
		at := []string{z.Name}
		if len(e.Fields) > 2 {
			at = strings.Split(e.Fields[2].Value, ", ")
		}
		for _, at := range at {
			if told.Origins[at] !=
				(world.Origin{Behind: e.Fields[0].Value, AskedBy: e.Fields[1].Value}) {
				all = append(all, e.Fields[0].Value)
			}
		}
	}
	return all
}

// awaited looks whether the records that a carrier's page waits for are those that stand in the
// zone then.
func (pl *player) awaited(
	z *zone.Zone,
	c *estate.Carrier,
	fields []world.Field,
	lacks func(who string, what fact.Facts),
) {
	if len(fields) == 0 {
		lacks(c.Name, fact.LacksAwaited{})
		return
	}
	for _, r := range z.Records {
		name := r.Name + " " + r.Type
		i := slices.IndexFunc(fields, func(f world.Field) bool { return f.Name == name })
		concerns := carry.AsksFor(c, z.Domain, r) ||
			record.LeadsBrowsers(r.Type) &&
				slices.ContainsFunc(carry.CarriedBy(pl.plan.Estate, z.Domain, c), func(h web.Host) bool {
					return h.String() == r.Name && len(carry.Reached(z.Domain, c, []web.Host{h})) > 0
				})
		switch {
		case !concerns:
		case i < 0:
			lacks(c.Name, fact.LacksRecord{Record: name})
		default:
			var wanted []string
			for _, v := range r.Values {
				wanted = append(wanted, record.Typed(r.Type, v))
			}
			if fields[i].Value != strings.Join(wanted, ", ") {
				lacks(c.Name, fact.LacksRecordAs{Record: name, Values: wanted})
			}
		}
	}
}

// siteToo looks whether the site was told to lead its other names to the canonical host.
func (pl *player) siteToo() {
	told := pl.world.At(predict.SiteName)
	for _, s := range pl.plan.Estate.Sites() {
		canonical := s.Canonical.Host.String()
		for _, h := range s.Also {
			if told.Primaries[h.String()] != canonical {
				pl.find(finding.New(finding.BeyondCarrier, h.String(),
					fact.SiteUntold{Host: h.String(), Canonical: canonical}))
			}
		}
	}
}
