package plan

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

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

// Play types the rows of sheets into the world as it was seen, in the order of the steps, and gives
// a finding for whatever breaks on the way or is not so in the end. It knows of the plan what is
// wanted in the end, and nothing of how it means to get there: that is what the sheets say.
func (p *Plan) Play(sheets []Sheet) []finding.Finding {
	pl := player{plan: p, world: p.today.Clone(),
		seen: zone.SurveysOf(p.input.known()), said: map[string]bool{}}
	pl.remember()
	pl.watch = world.NewWatch(pl.world, pl.wishes())
	deeds := deedsOf(p, sheets)
	begun := false // some record changes
	for i, a := range deeds {
		if !begun && a.rows[0].IsRecord() && a.kind != act.LowerTTLs {
			pl.lowered()
			begun = true
		}
		if a.kind == act.RaiseTTLs && !pl.ended {
			pl.zonesAfter(false)
		}
		pl.broke(pl.watch.Act(i+1, a.rows))
	}
	if !begun {
		pl.lowered()
	}
	if !pl.ended {
		pl.zonesAfter(false)
	}
	pl.zonesAfter(true)
	pl.toldAll()
	return pl.tally.Findings()
}

// unsaid gives what the sheets break, but for what is known of the same name already and cannot but
// show there too.
func (p *Plan) unsaid(played, known []finding.Finding) []finding.Finding {
	same := []finding.Code{finding.BeyondCarrier, finding.AliasConflict, finding.RecordLost,
		finding.MailLost}
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
	plan  *Plan
	world *world.World
	watch *world.Watch
	seen  zone.Surveys
	tally finding.Tally
	said  map[string]bool // what was said already of a subject
	ended bool            // all records are typed
}

// deed is rows that are typed at once, in a step.
type deed struct {
	kind act.StepKind
	rows []world.Row
}

// deedsOf puts the rows of sheets in the order in which they are typed: step by step, place by
// place. What belongs to no step is typed last.
func deedsOf(p *Plan, sheets []Sheet) []deed {
	type at struct{ sheet, row int }
	lines, entries := map[at]bool{}, map[at]bool{}
	var all []deed
	take := func(kind act.StepKind, line func(Line) bool, entry func(Sheet, act.Entry) bool) {
		for i, sheet := range sheets {
			for j, e := range sheet.Entries {
				if !entries[at{i, j}] && entry(sheet, e) {
					entries[at{i, j}] = true
					all = append(all, deed{kind, []world.Row{p.entryRow(sheet.Place, e)}})
				}
			}
		}
		for i, sheet := range sheets {
			var rows []world.Row
			for j, l := range sheet.Lines {
				if !lines[at{i, j}] && line(l) {
					lines[at{i, j}] = true
					rows = append(rows, lineRow(sheet.Place, l))
				}
			}
			for _, together := range atOnce(rows) {
				all = append(all, deed{kind, together})
			}
		}
	}
	for _, s := range p.Steps {
		line, entry := typedIn(s)
		if s.Kind != act.RaiseTTLs {
			take(s.Kind, line, entry)
		}
	}
	rest := func(Sheet, act.Entry) bool { return true }
	take(act.MakeChanges, func(l Line) bool { return l.Do != act.Raise }, rest)
	take(act.RaiseTTLs, func(Line) bool { return true }, rest)
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

func lineRow(place string, l Line) world.Row {
	return world.Row{
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
		var hosts []string // a file is one entry: what its writer puts into it
		for _, d := range p.Web.Held(f.Holds) {
			if h := d.Host.String(); !slices.Contains(hosts[max(0, len(hosts)-1):], h) {
				hosts = append(hosts, h)
			}
		}
		r.Fields = append(r.Fields, world.Field{Name: world.FieldHosts, Value: strings.Join(hosts, ", ")})
	}
	return r
}

// remember puts into the world what carriers were seen to know.
func (pl *player) remember() {
	for _, d := range pl.plan.Estate.Domains {
		for _, h := range d.Hosts() {
			for _, c := range tellable(pl.plan.Estate, d, h) {
				if d.State == estate.Moved || carry.ClaimedAt(pl.seen, d.Name.String(), h, c) {
					pl.world.SawKnown(c.Name, h.String())
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
		if d.Mail != "none" && zone.Mailing(d, pl.seen.Last[d.Name.String()]) {
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
		keys, short := map[record.Key]bool{}, map[record.Key]bool{}
		for _, c := range changesToType(z) {
			keys[record.Key{Name: c.Name, Type: c.Type}] = true
			held := record.Key{Name: c.Name, Type: cmp.Or(c.TypedAs, c.Type)}
			if keys[held] = true; act.ShortLived(&c) {
				short[held] = true
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
			if raised && short[key] {
				ttl = act.RecordTTL
			}
			pl.compare(z, key, there, wanted[key].Values, ttl, short[key])
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
	case world.Crowded:
		code, facts = finding.AliasConflict, fact.StandsTogether{Name: name, Records: b.After, Row: row}
	}
	return finding.New(code, subject, facts, map[string]any{
		"act": b.Act, "row": row, "place": b.Row.Place, "before": b.Before, "after": b.After,
		"name": name,
	})
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
			if want := cmp.Or(c.Behind, "the site"); says.Behind != want {
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
		for _, e := range carry.OriginEntries(c, *z) {
			if told.Origins[z.Name] !=
				(world.Origin{Behind: e.Fields[0].Value, AskedBy: e.Fields[1].Value}) {
				lacks(c.Name, fact.LacksOrigin{Behind: e.Fields[0].Value})
			}
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
	for _, h := range pl.plan.Estate.Site.Also {
		if told.Primaries[h.String()] != pl.plan.Estate.Canonical.Host.String() {
			pl.find(finding.New(
				finding.BeyondCarrier,
				h.String(),
				fact.SiteUntold{Host: h.String(), Canonical: pl.plan.Estate.Canonical.Host.String()},
			))
		}
	}
}

// untold gives the hosts of what is meant whose carriers nobody tells of them, with the carrier, as
// far as entries on carriers' pages say. It is what a predicted web reaches, whatever the records
// say.
func untold(in Input, w *predict.Prediction) map[web.Host]string {
	p := &Plan{Estate: in.Estate, Web: w, input: in}
	seen := zone.SurveysOf(in.known())
	for _, d := range w.Domains() {
		p.Zones = append(p.Zones, zone.Zone{Name: d.Name.String(), Domain: d})
	}
	state := world.New(world.Input{Estate: in.Estate})
	pl := player{plan: p, world: state, seen: seen}
	pl.remember()
	for _, k := range carry.CarriersAlone(w, seen, p.Zones) {
		for _, e := range k.Entries {
			if e.Action == act.Add && e.Kind != world.CertEntry {
				_ = state.Apply(p.entryRow(k.Name, e))
			}
		}
	}
	all := map[web.Host]string{}
	for _, d := range w.Domains() {
		for _, h := range d.Hosts() {
			c := d.Carry[h]
			if c == nil || c.ApexOnly && !h.IsApex() {
				continue
			}
			for _, who := range tellable(in.Estate, d, h) {
				if !state.Knows(who.Name, h) && d.Served[h] != who && !(who.ApexOnly && !h.IsApex()) {
					all[h] = who.Name
				}
			}
			root := web.Doors(h)[1].URL("/", "")
			holder := in.Estate.Holder(c)
			if _, told := state.Says(holder.Name, root); all[h] == "" && !told &&
				!(holder.ApexOnly && !h.IsApex()) {
				all[h] = holder.Name
			}
		}
	}
	return all
}
