package plan

import (
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// sequence says of each kind of step what has to be done before it, what shows that it worked, and
// how it is taken back.
var sequence = map[act.StepKind]struct {
	after []act.StepKind
	check expect.Kind
	back  act.Way
}{
	act.SurveyFirst:   {},
	act.RemoveStaleDS: {check: expect.Survey, back: act.OldDS},
	act.LowerTTLs: {after: []act.StepKind{act.SurveyFirst}, check: expect.NoDifference,
		back: act.TypeOldValues},
	act.OutlastTTLs:     {},
	act.GetCertificates: {check: expect.Audit},
	act.ClaimHosts:      {back: act.Unclaim},
	act.MakeEarly: {after: []act.StepKind{act.SurveyFirst}, check: expect.NoDifference,
		back: act.TypeOldValues},
	act.PlaceRedirects: {check: expect.Audit},
	act.TryRedirects: {after: []act.StepKind{act.PlaceRedirects, act.GetCertificates},
		check: expect.Audit},
	act.UntieMail: {after: []act.StepKind{act.SurveyFirst}, check: expect.NoDifference,
		back: act.TypeOldValues},
	act.LeaveAliases: {
		after: []act.StepKind{act.LowerTTLs, act.OutlastTTLs, act.UntieMail, act.ClaimHosts,
			act.TryRedirects, act.LeaveOld, act.LeaveAliases},
		check: expect.NoDifference,
		back:  act.TypeOldValues,
	},
	act.MakeChanges: {
		after: []act.StepKind{act.LowerTTLs, act.OutlastTTLs, act.UntieMail, act.ClaimHosts,
			act.TryRedirects, act.LeaveOld, act.LeaveAliases},
		check: expect.NoDifference,
		back:  act.TypeOldValues,
	},
	act.WaitForTTLs: {after: []act.StepKind{act.MakeChanges}},
	act.SetRecords: {after: []act.StepKind{act.TryRedirects}, check: expect.NoDifference,
		back: act.TypeOldValues},
	act.ChangeNameServers: {after: []act.StepKind{act.SeeAgreement, act.RemoveDS},
		check: expect.Survey, back: act.OldServers},
	act.ClaimAfter:        {after: []act.StepKind{act.MakeChanges}, back: act.Unclaim},
	act.IssueCertificates: {after: []act.StepKind{act.MakeChanges}, check: expect.Audit},
	act.ChoosePrimaries:   {after: []act.StepKind{act.IssueCertificates}, check: expect.Audit},
	act.AuditDoors: {after: []act.StepKind{act.WaitForTTLs, act.LeaveOld},
		check: expect.Audit},
	act.RaiseTTLs: {after: []act.StepKind{act.AuditDoors}, check: expect.NoDifference},
	act.CopyZones: {after: []act.StepKind{act.LowerTTLs, act.UntieMail, act.MakeEarly},
		check: expect.Survey},
	act.SeeAgreement: {after: []act.StepKind{act.CopyZones}, check: expect.NoDifference},
	act.FindDS:       {after: []act.StepKind{act.SeeAgreement}},
	act.RemoveDS: {after: []act.StepKind{act.SeeAgreement}, check: expect.Survey,
		back: act.OldDS},
	act.LeaveOld:    {after: []act.StepKind{act.ChangeNameServers}},
	act.SignAnew:    {after: []act.StepKind{act.LeaveOld}, check: expect.Survey},
	act.CreateZones: {check: expect.Survey},
	act.CertifyNew:  {after: []act.StepKind{act.DelegateZones}, check: expect.Audit},
	act.DelegateZones: {after: []act.StepKind{act.CreateZones, act.TryRedirects},
		check: expect.Survey},
}

// step completes a step by what holds for all of its kind.
func step(s act.Step) act.Step {
	row := sequence[s.Kind]
	s.After, s.Back = row.after, row.back
	if s.Check.Kind == "" {
		s.Check.Kind = row.check
	}
	if s.Check.Kind == expect.Survey && len(s.Zones) > 0 {
		s.Check.Name = s.Zones[0]
	}
	return s
}

// stepsOf says in which order to carry a plan out, so that no door is dark on the way.
func stepsOf(zones []zone.Zone, carriers []carry.Carried,
	certificates []carry.Certificate) []act.Step {
	open := slices.DeleteFunc(slices.Clone(zones), func(z zone.Zone) bool {
		return z.Domain.State == estate.Moved
	})
	moved := map[string]bool{}
	moves, fresh := map[string]bool{}, map[string]bool{}
	for _, z := range zones {
		moved[z.Name] = z.Domain.State == estate.Moved
		fresh[z.Name] = z.New != nil && !moved[z.Name]
		moves[z.Name] = z.Move != nil
	}
	certificates = slices.DeleteFunc(
		slices.Clone(certificates),
		func(c carry.Certificate) bool { return c.Domain == "" || moved[c.Domain] },
	)
	// of zones that do not exist yet, none can be had before they are delegated
	var early, late []carry.Certificate
	for _, c := range certificates {
		if fresh[c.Domain] {
			late = append(late, c)
		} else {
			early = append(early, c)
		}
	}
	return slices.Concat(
		stepsOfLooking(open, carriers, moves),
		stepsOfLowering(open),
		stepsOfMail(zones), // in zones that count as moved too
		stepsOfEarly(open),
		stepsOfDelegations(open, act.CopyZones, act.SeeAgreement, act.FindDS, act.RemoveDS,
			act.ChangeNameServers, act.LeaveOld),
		stepsOfTelling(carriers, false),
		stepsOfPrimaries(carriers, beforeCertificates),
		stepsOfCertificates(act.GetCertificates, early),
		stepsOfPrimaries(carriers, beforeRecords),
		stepsOfRedirects(carriers),
		stepsOfNew(open),
		stepsOfCertificates(act.CertifyNew, late),
		stepsOfRecords(open, carriers),
		stepsOfTelling(carriers, true),
		stepsOfEnding(open, carriers, certificates),
		stepsOfDelegations(open, act.SignAnew),
	)
}

func stepsOfLooking(open []zone.Zone, carriers []carry.Carried, moves map[string]bool) []act.Step {
	var all []act.Step
	if slices.ContainsFunc(open, func(z zone.Zone) bool { return z.Seen == nil && z.New == nil }) {
		all = append(all, step(act.Step{Kind: act.SurveyFirst}))
	}
	for _, c := range carriers {
		for _, e := range c.Entries {
			if e.Kind == world.DSEntry && !moves[e.Domain] {
				all = append(all,
					step(act.Step{Kind: act.RemoveStaleDS, Provider: c.Name, Zones: []string{e.Domain}}))
			}
		}
	}
	return all
}

// stepsOfLowering says which TTLs to lower beforehand, and for how long to wait then.
func stepsOfLowering(open []zone.Zone) []act.Step {
	s := act.Step{Kind: act.LowerTTLs}
	for _, z := range open {
		for _, t := range z.TTLs {
			if t.LowerBefore > 0 {
				s.Names = append(s.Names, t.Name+" "+t.Type)
			}
		}
	}
	if len(s.Names) == 0 {
		return nil
	}
	return []act.Step{step(s)}
}

// stepsOfMail says which changes untie mail from the web, and how long to wait until nobody
// remembers how it was.
func stepsOfMail(open []zone.Zone) []act.Step {
	s := act.Step{Kind: act.UntieMail}
	for i := range open {
		if n := MailFirst(&open[i]); n > 0 {
			s.Zones, s.Count = append(s.Zones, open[i].Name), s.Count+n
		}
	}
	if s.Count == 0 {
		return nil
	}
	return []act.Step{step(s)}
}

// MailFirst gives how many changes of a zone untie its mail from the web.
func MailFirst(z *zone.Zone) int {
	n := 0
	for _, c := range z.Changes {
		if c.Step > 0 && c.UntiesMail() {
			n++
		}
	}
	return n
}

// WaitOf gives for how long is waited after a step of a kind and round, in seconds, and the zones
// that it is about; 0 where there is none.
func (p *Plan) WaitOf(kind act.StepKind, round int) (seconds int, zones []string) {
	for _, s := range p.Steps {
		if s.Kind == kind && s.Round == round {
			return s.Wait, s.Zones
		}
	}
	return 0, nil
}

// Rounds gives in how many rounds names leave others before anything else moves.
func (p *Plan) Rounds() int {
	most := 0
	for _, s := range p.Steps {
		most = max(most, s.Round)
	}
	return most
}

func stepsOfCertificates(kind act.StepKind, all []carry.Certificate) []act.Step {
	s := act.Step{Kind: kind}
	listed := map[string]bool{}
	for _, c := range all {
		if c.When == string(estate.After) {
			if !slices.Contains(s.LateAt, c.Carrier) {
				s.LateAt = append(s.LateAt, c.Carrier)
			}
			continue
		}
		s.Count++
		if !listed[c.Domain] {
			listed[c.Domain] = true
			s.Zones = append(s.Zones, c.Domain)
		}
		if len(c.ByDNS) > 0 && !slices.Contains(s.Carriers, c.Carrier) {
			s.Carriers = append(s.Carriers, c.Carrier)
		}
		if c.When == string(estate.ByHand) && !slices.Contains(s.ByHand, c.Carrier) {
			s.ByHand = append(s.ByHand, c.Carrier)
		}
	}
	if s.Count == 0 {
		return nil
	}
	return []act.Step{step(s)}
}

// stepsOfTelling says what carriers have to be told before any record leads there; or, of those
// that take hosts only then, once they do.
func stepsOfTelling(carriers []carry.Carried, after bool) []act.Step {
	var all []act.Step
	for _, c := range carriers {
		claims := act.Step{Kind: act.ClaimHosts, Provider: c.Name}
		if c.ClaimsAfter != after {
			continue
		}
		if after {
			claims.Kind = act.ClaimAfter
		}
		for _, e := range c.Entries {
			if e.Kind == world.HostEntry {
				claims.Hosts = append(claims.Hosts, e.Fields[0].Value)
			}
		}
		if len(claims.Hosts) > 0 {
			all = append(all, step(claims))
		}
	}
	return all
}

func stepsOfRedirects(carriers []carry.Carried) []act.Step {
	s := act.Step{Kind: act.PlaceRedirects}
	byKind, runs := map[estate.CarrierKind][]string{}, map[string]string{}
	for _, c := range carriers {
		if c.Redirects {
			byKind[estate.CarrierKind(c.By)] = append(byKind[estate.CarrierKind(c.By)], c.Name)
			runs[c.Name] = c.Software
		}
	}
	for _, row := range estate.Kinds() {
		switch {
		case row.Configured:
			for _, name := range byKind[row.Kind] {
				s.Carriers, s.Software = append(s.Carriers, name), append(s.Software, runs[name])
			}
		case !row.OwnSteps: // a platform redirects last
			s.Pages = append(s.Pages, byKind[row.Kind]...)
		}
	}
	if len(s.Carriers)+len(s.Pages) == 0 {
		return nil
	}
	return []act.Step{step(s), step(act.Step{Kind: act.TryRedirects})}
}

func stepsOfRecords(open []zone.Zone, carriers []carry.Carried) []act.Step {
	s := act.Step{Kind: act.MakeChanges}
	var waves []int
	unseen, rounds := false, 0
	for _, z := range open {
		unseen = unseen || z.Seen == nil && z.New == nil
		n := 0
		for _, c := range z.Changes {
			if c.Step == 0 || c.UntiesMail() || c.Early {
				continue
			}
			if rounds = max(rounds, c.Round); c.Round == 0 {
				n++
			}
		}
		if s.Count += n; n > 0 {
			s.Zones = append(s.Zones, z.Name)
			waves = append(waves, z.Domain.Wave)
			if partlySeen(&z) {
				s.Partial = append(s.Partial, z.Name)
			}
		}
	}
	slices.Sort(waves)
	if waves = slices.Compact(waves); len(waves) > 1 {
		s.Waves = waves
	}
	for _, c := range carriers {
		for _, e := range c.Entries {
			if e.Action == act.Remove && e.Kind == world.Forward {
				s.Dark = append(s.Dark, e.Fields[0].Value)
				s.DarkAt = append(s.DarkAt, c.Name)
			}
		}
	}
	switch {
	case s.Count > 0:
		return append(stepsOfRounds(open, rounds), step(s), step(act.Step{Kind: act.WaitForTTLs}))
	case unseen:
		return []act.Step{step(act.Step{Kind: act.SetRecords})}
	}
	return nil
}

// stepsOfRounds says which names leave others before these move, round by round.
func stepsOfRounds(open []zone.Zone, rounds int) []act.Step {
	var all []act.Step
	for round := rounds; round > 0; round-- {
		s := act.Step{Kind: act.LeaveAliases, Round: round}
		for _, z := range open {
			n := 0
			for _, c := range z.Changes {
				if c.Step > 0 && c.Round == round {
					n++
				}
			}
			if s.Count += n; n > 0 {
				s.Zones = append(s.Zones, z.Name)
			}
		}
		all = append(all, step(s))
	}
	return all
}

// stepsOfEarly says which changes of zones that move are made before they are copied, mail left
// aside.
func stepsOfEarly(open []zone.Zone) []act.Step {
	var all []act.Step
	for i := range open {
		z := &open[i]
		n := 0
		for _, c := range z.Changes {
			if c.Early && !c.UntiesMail() {
				n++
			}
		}
		if n > 0 {
			all = append(all,
				step(act.Step{Kind: act.MakeEarly, Provider: z.Present, Zones: []string{z.Name}, Count: n}))
		}
	}
	return together(all)
}

// stepsOfDelegations gives the steps of some kinds of all zones that move, in the order of the
// kinds.
func stepsOfDelegations(open []zone.Zone, kinds ...act.StepKind) []act.Step {
	var all []act.Step
	for _, kind := range kinds {
		var same []act.Step
		for _, z := range open {
			if z.Move == nil {
				continue
			}
			for _, s := range StepsOfMove(&z) {
				if s.Kind == kind {
					same = append(same, s)
				}
			}
		}
		all = append(all, together(same)...)
	}
	return all
}

// together joins steps of one kind that are done at one place with the same servers, for several
// zones.
func together(all []act.Step) []act.Step {
	var joined []act.Step
	for _, s := range all {
		i := slices.IndexFunc(joined, func(o act.Step) bool {
			return o.Kind == s.Kind && o.Provider == s.Provider && slices.Equal(o.Servers, s.Servers)
		})
		if i < 0 {
			s.Zones, s.Partial = slices.Clone(s.Zones), slices.Clone(s.Partial)
			joined = append(joined, s)
			continue
		}
		o := &joined[i]
		o.Zones, o.Partial = append(o.Zones, s.Zones...), append(o.Partial, s.Partial...)
		o.Count, o.Wait, o.Unknown = o.Count+s.Count, max(o.Wait, s.Wait), o.Unknown || s.Unknown
	}
	return joined
}

func stepsOfEnding(open []zone.Zone, carriers []carry.Carried,
	certificates []carry.Certificate) []act.Step {
	var all []act.Step
	late := act.Step{Kind: act.IssueCertificates}
	for _, c := range certificates {
		if c.When == string(estate.After) {
			late.Late = append(late.Late, act.Late{Names: c.Names, Carrier: c.Carrier})
		}
	}
	if len(late.Late) > 0 {
		all = append(all, step(late))
	}
	all = append(all, stepsOfPrimaries(carriers, afterRecords)...)
	all = append(all, step(act.Step{Kind: act.AuditDoors}))
	raise := act.Step{Kind: act.RaiseTTLs, Wait: int(act.RaiseAfter.Seconds())}
	for _, z := range open {
		for _, c := range z.Changes {
			if act.ShortLived(&c) {
				raise.Count++
			}
		}
	}
	if raise.Count > 0 {
		all = append(all, step(raise))
	}
	return all
}

// When platforms are told their primary host, by their own orders of steps.
const (
	beforeCertificates = iota
	beforeRecords
	afterRecords
)

// stepsOfPrimaries says at which platforms the primary host is chosen at a time.
func stepsOfPrimaries(carriers []carry.Carried, when int) []act.Step {
	s := act.Step{Kind: act.ChoosePrimaries}
	for _, c := range carriers {
		if !c.Redirects || !estate.CarrierKind(c.By).Row().OwnSteps {
			continue
		}
		at := func(step estate.CarrierStep) int {
			if i := slices.Index(c.Steps, step); i >= 0 {
				return i
			}
			return len(c.Steps)
		}
		its := afterRecords
		switch redirect := at(estate.Redirect); {
		case redirect < at(estate.Point) && redirect < at(estate.Issue):
			its = beforeCertificates
		case redirect < at(estate.Point):
			its = beforeRecords
		}
		if its == when {
			s.Pages = append(s.Pages, c.Name)
		}
	}
	if len(s.Pages) == 0 {
		return nil
	}
	return []act.Step{step(s)}
}

// partlySeen reports whether records of the zone may be there that nobody has seen.
func partlySeen(z *zone.Zone) bool { return z.Seen != nil && (z.Partial || len(z.Missed) > 0) }

// StepsOfMove says in which order a zone moves to other name servers: it is copied as it is,
// compared, and only then does the delegation change.
func StepsOfMove(z *zone.Zone) []act.Step {
	about := []string{z.Name}
	d, m := z.Domain, z.Move
	copying := act.Step{Kind: act.CopyZones, Zones: about, Servers: m.To,
		Provider: zone.NextPlace(d, m.To)}
	if partlySeen(z) {
		copying.Partial = about
	}
	all := []act.Step{step(copying), step(act.Step{Kind: act.SeeAgreement, Zones: about})}
	if m.Keys && len(m.DS) == 0 && m.ParentUnseen {
		all = append(all, step(act.Step{Kind: act.FindDS, Zones: about, Provider: d.Registrar}))
	}
	if len(m.DS) > 0 {
		all = append(
			all,
			step(act.Step{Kind: act.RemoveDS, Zones: about, Provider: d.Registrar, Wait: m.OldLives,
				Unknown: m.Unknown}),
		)
	}
	all = append(
		all,
		step(act.Step{Kind: act.ChangeNameServers, Zones: about, Provider: d.Registrar, Servers: m.To}),
		step(act.Step{Kind: act.LeaveOld, Zones: about, Wait: m.OldLives, Unknown: m.Unknown}),
	)
	if len(m.DS) > 0 {
		all = append(all, step(act.Step{Kind: act.SignAnew, Zones: about}))
	}
	return all
}

// stepsOfNew says how zones that do not exist yet come to be: made where they are to stand, and
// delegated last of all, for that is what leads visitors there.
func stepsOfNew(open []zone.Zone) []act.Step {
	var made, delegated []act.Step
	for _, z := range open {
		if z.New == nil {
			continue
		}
		about := []string{z.Name}
		made = append(made, step(act.Step{Kind: act.CreateZones, Zones: about, Provider: z.Next}))
		delegated = append(
			delegated,
			step(act.Step{Kind: act.DelegateZones, Zones: about, Provider: z.Domain.Registrar,
				Servers: z.New.To}),
		)
	}
	return append(together(made), together(delegated)...)
}

// typedIn says which rows of sheets are typed in a step.
func typedIn(s act.Step) (lines func(Line) bool, entries func(Sheet, act.Entry) bool) {
	lines = func(Line) bool { return false }
	entries = func(Sheet, act.Entry) bool { return false }
	zones := map[string]bool{}
	for _, z := range s.Zones {
		zones[z] = true
	}
	about := func(zone string) bool { return zones[zone] }
	isLate := func(place string) bool { return slices.Contains(s.LateAt, place) }
	switch s.Kind {
	case act.LowerTTLs:
		lines = func(l Line) bool { return l.Do == act.Lower }
	case act.RaiseTTLs:
		lines = func(l Line) bool { return l.Do == act.Raise }
	case act.UntieMail:
		lines = func(l Line) bool { return l.Step > 0 && untiesMail(l) && about(l.Zone) }
	case act.MakeEarly:
		lines = func(l Line) bool { return l.Step > 0 && l.Early && !untiesMail(l) && about(l.Zone) }
	case act.LeaveAliases:
		lines = func(l Line) bool { return l.Step > 0 && l.Round == s.Round && about(l.Zone) }
	case act.MakeChanges:
		// What forwarded a door until now is deleted right before its records change: one door has one
		// carrier.
		lines = func(l Line) bool {
			return l.Step > 0 && l.Round == 0 && !l.Early && !untiesMail(l) && about(l.Zone)
		}
		entries = func(_ Sheet, e act.Entry) bool {
			return e.Action == act.Remove && e.Kind != world.DSEntry
		}
	case act.SetRecords:
		lines = func(l Line) bool { return l.Step > 0 }
	case act.GetCertificates, act.CertifyNew:
		entries = func(sheet Sheet, e act.Entry) bool {
			return e.Kind == world.CertEntry && about(e.Domain) && !isLate(sheet.Place)
		}
	case act.IssueCertificates:
		entries = func(sheet Sheet, e act.Entry) bool {
			return e.Kind == world.CertEntry && slices.ContainsFunc(s.Late, func(l act.Late) bool {
				return l.Carrier == sheet.Place
			})
		}
	case act.ClaimHosts, act.ClaimAfter:
		entries = func(sheet Sheet, e act.Entry) bool {
			return sheet.Place == s.Provider && (e.Kind == world.HostEntry || e.Kind == world.Records)
		}
	case act.PlaceRedirects:
		kinds := []world.EntryKind{world.Config, world.Forward, world.SourceEntry, world.DoorEntry,
			world.Pattern, world.OriginEntry}
		entries = func(sheet Sheet, e act.Entry) bool {
			return (slices.Contains(s.Carriers, sheet.Place) || slices.Contains(s.Pages, sheet.Place)) &&
				e.Action != act.Remove &&
				slices.Contains(kinds, e.Kind)
		}
	case act.ChoosePrimaries:
		entries = func(sheet Sheet, e act.Entry) bool {
			return (sheet.By == carry.SiteKind || slices.Contains(s.Pages, sheet.Place)) &&
				(e.Kind == world.Primary ||
					e.Kind == world.Pattern && estate.CarrierKind(sheet.By).Row().OwnSteps)
		}
	case act.RemoveStaleDS, act.RemoveDS:
		entries = func(_ Sheet, e act.Entry) bool { return e.Kind == world.DSEntry && about(e.Domain) }
	case act.ChangeNameServers, act.DelegateZones:
		entries = func(_ Sheet, e act.Entry) bool {
			return e.Kind == world.NameServers && about(e.Domain)
		}
	case act.CopyZones, act.CreateZones:
		entries = func(_ Sheet, e act.Entry) bool { return e.Kind == world.ZoneEntry && about(e.Domain) }
	}
	return lines, entries
}

// untiesMail reports whether a line gives mail a way of its own.
func untiesMail(l Line) bool { return (&act.Change{Reasons: l.Reasons}).UntiesMail() }
