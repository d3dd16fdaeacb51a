package plan

import (
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// The steps of a cutover, in the order in which they are done.
const (
	_ act.StepKind = iota

	SurveyFirst       // see and save what is there
	RemoveStaleDS     // have Provider remove the DS record of Zones[0], which fits no key
	LowerTTLs         // of Names, and wait
	UntieMail         // Count changes in Zones, and wait
	GetCertificates   // Count of them; for Carriers by DNS, at ByHand by hand
	ClaimHosts        // Hosts at Provider
	MakeEarly         // Count changes in Zones that move, at Provider, before they are copied
	PlaceRedirects    // of the servers Carriers, and on the pages of Pages
	TryRedirects      // before anything points there
	MakeChanges       // Count of them in Zones
	WaitForTTLs       // until no resolver gives the old answer
	SetRecords        // where nobody has seen the zones
	ChangeNameServers // of Zones to Servers
	ClaimAfter        // Hosts at Provider, which takes them only once their records point there
	IssueCertificates // that can be had only now: Late
	ChoosePrimaries   // at Pages, which redirect only once everything else is there
	AuditDoors        // every one
	RaiseTTLs         // of Count record sets, a day later

	CopyZones    // Zones as they are to Servers, at Provider
	SeeAgreement // of the old and the new servers of Zones
	FindDS       // whether the parent zone has a DS record of Zones, which are signed
	RemoveDS     // of Zones, and wait
	LeaveOld     // servers of Zones as they are, and wait
	SignAnew     // Zones at the new servers, then publish the new DS

	CreateZones   // Zones, which do not exist yet, at Provider
	DelegateZones // Zones to Servers
	CertifyNew    // Zones, which can be found now: Count certificates; for Carriers by DNS, at ByHand by hand
)

// sequence says of each kind of step what has to be done before it, what shows that it worked, and
// how it is taken back.
var sequence = map[act.StepKind]struct {
	after []act.StepKind
	check act.CheckKind
	back  act.Way
}{
	SurveyFirst:     {},
	RemoveStaleDS:   {check: act.SurveyZone, back: act.OldDS},
	LowerTTLs:       {after: []act.StepKind{SurveyFirst}, check: act.PlanAgain, back: act.TypeOldValues},
	GetCertificates: {check: act.AuditAll},
	ClaimHosts:      {back: act.Unclaim},
	MakeEarly:       {after: []act.StepKind{SurveyFirst}, check: act.PlanAgain, back: act.TypeOldValues},
	PlaceRedirects:  {check: act.AuditAll},
	TryRedirects:    {after: []act.StepKind{PlaceRedirects, GetCertificates}, check: act.AuditAll},
	UntieMail:       {after: []act.StepKind{SurveyFirst}, check: act.PlanAgain, back: act.TypeOldValues},
	MakeChanges: {
		after: []act.StepKind{LowerTTLs, UntieMail, ClaimHosts, TryRedirects},
		check: act.PlanAgain,
		back:  act.TypeOldValues,
	},
	WaitForTTLs:       {after: []act.StepKind{MakeChanges}},
	SetRecords:        {after: []act.StepKind{TryRedirects}, check: act.PlanAgain, back: act.TypeOldValues},
	ChangeNameServers: {after: []act.StepKind{SeeAgreement, RemoveDS}, check: act.SurveyZone, back: act.OldServers},
	ClaimAfter:        {after: []act.StepKind{MakeChanges}, back: act.Unclaim},
	IssueCertificates: {after: []act.StepKind{MakeChanges}, check: act.AuditAll},
	ChoosePrimaries:   {after: []act.StepKind{IssueCertificates}, check: act.AuditAll},
	AuditDoors:        {after: []act.StepKind{WaitForTTLs}, check: act.AuditAll},
	RaiseTTLs:         {after: []act.StepKind{AuditDoors}, check: act.PlanAgain},
	CopyZones:         {after: []act.StepKind{LowerTTLs, UntieMail, MakeEarly}, check: act.SurveyZone},
	SeeAgreement:      {after: []act.StepKind{CopyZones}, check: act.PlanAgain},
	FindDS:            {after: []act.StepKind{SeeAgreement}},
	RemoveDS:          {after: []act.StepKind{SeeAgreement}, check: act.SurveyZone, back: act.OldDS},
	LeaveOld:          {after: []act.StepKind{ChangeNameServers}},
	SignAnew:          {after: []act.StepKind{LeaveOld}, check: act.SurveyZone},
	CreateZones:       {check: act.SurveyZone},
	CertifyNew:        {after: []act.StepKind{DelegateZones}, check: act.AuditAll},
	DelegateZones:     {after: []act.StepKind{CreateZones, TryRedirects}, check: act.SurveyZone},
}

// step completes a step by what holds for all of its kind.
func step(s act.Step) act.Step {
	row := sequence[s.Kind]
	s.After, s.Back = row.after, row.back
	if s.Check.Kind == act.NoCheck {
		s.Check.Kind = row.check
	}
	if s.Check.Kind == act.SurveyZone && len(s.Zones) > 0 {
		s.Check.Host = s.Zones[0]
	}
	return s
}

// stepsOf says in which order to carry a plan out, so that no door is dark on the way.
func stepsOf(zones []zone.Zone, carriers []carry.Carried, certificates []carry.Certificate) []act.Step {
	open := slices.DeleteFunc(slices.Clone(zones), func(z zone.Zone) bool { return z.Domain.State == estate.Moved })
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
	var early, late []carry.Certificate // of zones that do not exist yet, none can be had before they are delegated
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
		stepsOfDelegations(open, CopyZones, SeeAgreement, FindDS, RemoveDS, ChangeNameServers, LeaveOld),
		stepsOfCertificates(GetCertificates, early),
		stepsOfTelling(carriers, false),
		stepsOfRedirects(carriers),
		stepsOfNew(open),
		stepsOfCertificates(CertifyNew, late),
		stepsOfRecords(open),
		stepsOfTelling(carriers, true),
		stepsOfEnding(open, carriers, certificates),
		stepsOfDelegations(open, SignAnew),
	)
}

func stepsOfLooking(open []zone.Zone, carriers []carry.Carried, moves map[string]bool) []act.Step {
	var all []act.Step
	if slices.ContainsFunc(open, func(z zone.Zone) bool { return z.Seen == nil && z.New == nil }) {
		all = append(all, step(act.Step{Kind: SurveyFirst}))
	}
	for _, c := range carriers {
		for _, e := range c.Entries {
			if e.Kind == world.DSEntry && !moves[e.Domain] {
				all = append(all, step(act.Step{Kind: RemoveStaleDS, Provider: c.Name, Zones: []string{e.Domain}}))
			}
		}
	}
	return all
}

// stepsOfLowering says which TTLs to lower beforehand, and for how long to wait then.
func stepsOfLowering(open []zone.Zone) []act.Step {
	s := act.Step{Kind: LowerTTLs}
	for _, z := range open {
		for _, t := range z.TTLs {
			if t.LowerBefore > 0 {
				s.Wait = max(s.Wait, t.LowerBefore)
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
	s := act.Step{Kind: UntieMail}
	for i := range open {
		if n, wait := MailFirst(&open[i]); n > 0 {
			s.Zones = append(s.Zones, open[i].Name)
			s.Count, s.Wait = s.Count+n, max(s.Wait, wait)
		}
	}
	if s.Count == 0 {
		return nil
	}
	return []act.Step{step(s)}
}

// MailFirst gives how many changes of a zone untie its mail from the web, and for how long
// resolvers remember how it was, in seconds: so long is waited before the web moves.
func MailFirst(z *zone.Zone) (count, wait int) {
	for _, c := range z.Changes {
		if c.Step == 0 || !c.UntiesMail() {
			continue
		}
		count++
		old := c.TTL // of what is there
		if c.Action == act.Add {
			old = z.AbsentFor
		}
		wait = max(wait, old)
		if z.Remaining {
			wait = max(wait, act.UnknownTTL)
		}
	}
	return count, wait
}

func stepsOfCertificates(kind act.StepKind, all []carry.Certificate) []act.Step {
	s := act.Step{Kind: kind}
	listed := map[string]bool{}
	for _, c := range all {
		if c.When == string(estate.After) {
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
		claims := act.Step{Kind: ClaimHosts, Provider: c.Name}
		if c.ClaimsAfter != after {
			continue
		}
		if after {
			claims.Kind = ClaimAfter
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
	s := act.Step{Kind: PlaceRedirects}
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
	return []act.Step{step(s), step(act.Step{Kind: TryRedirects})}
}

func stepsOfRecords(open []zone.Zone) []act.Step {
	s := act.Step{Kind: MakeChanges}
	wait, unseen := 0, false
	for _, z := range open {
		unseen = unseen || z.Seen == nil && z.New == nil
		n := 0
		for _, c := range z.Changes {
			if c.Step == 0 || c.UntiesMail() || c.Early {
				continue
			}
			n++
			if c.Action == act.Add {
				wait = max(wait, z.AbsentFor)
			}
		}
		for _, t := range z.TTLs {
			wait = max(wait, t.WaitAfter)
		}
		if s.Count += n; n > 0 {
			s.Zones = append(s.Zones, z.Name)
			if partlySeen(&z) {
				s.Partial = append(s.Partial, z.Name)
			}
		}
	}
	switch {
	case s.Count > 0:
		return []act.Step{step(s), step(act.Step{Kind: WaitForTTLs, Wait: wait})}
	case unseen:
		return []act.Step{step(act.Step{Kind: SetRecords})}
	}
	return nil
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
			all = append(all, step(act.Step{Kind: MakeEarly, Provider: z.Present, Zones: []string{z.Name}, Count: n}))
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

func stepsOfEnding(open []zone.Zone, carriers []carry.Carried, certificates []carry.Certificate) []act.Step {
	var all []act.Step
	late := act.Step{Kind: IssueCertificates}
	for _, c := range certificates {
		if c.When == string(estate.After) {
			late.Late = append(late.Late, act.Late{Names: c.Names, Carrier: c.Carrier})
		}
	}
	if len(late.Late) > 0 {
		all = append(all, step(late))
	}
	primaries := act.Step{Kind: ChoosePrimaries}
	for _, c := range carriers {
		if c.Redirects && estate.CarrierKind(c.By).Row().OwnSteps {
			primaries.Pages = append(primaries.Pages, c.Name)
		}
	}
	if len(primaries.Pages) > 0 {
		all = append(all, step(primaries))
	}
	all = append(all, step(act.Step{Kind: AuditDoors}))
	raise := act.Step{Kind: RaiseTTLs, Wait: int(act.RaiseAfter.Seconds())}
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

// partlySeen reports whether records of the zone may be there that nobody has seen.
func partlySeen(z *zone.Zone) bool { return z.Seen != nil && (z.Partial || len(z.Missed) > 0) }

// StepsOfMove says in which order a zone moves to other name servers: it is copied as it is,
// compared, and only then does the delegation change.
func StepsOfMove(z *zone.Zone) []act.Step {
	about := []string{z.Name}
	d, m := z.Domain, z.Move
	copying := act.Step{Kind: CopyZones, Zones: about, Servers: m.To, Provider: zone.NextPlace(d, m.To)}
	if partlySeen(z) {
		copying.Partial = about
	}
	all := []act.Step{step(copying), step(act.Step{Kind: SeeAgreement, Zones: about})}
	if m.Keys && len(m.DS) == 0 && m.ParentUnseen {
		all = append(all, step(act.Step{Kind: FindDS, Zones: about, Provider: d.Registrar}))
	}
	if len(m.DS) > 0 {
		all = append(
			all,
			step(act.Step{Kind: RemoveDS, Zones: about, Provider: d.Registrar, Wait: m.OldLives, Unknown: m.Unknown}),
		)
	}
	all = append(
		all,
		step(act.Step{Kind: ChangeNameServers, Zones: about, Provider: d.Registrar, Servers: m.To}),
		step(act.Step{Kind: LeaveOld, Zones: about, Wait: m.OldLives, Unknown: m.Unknown}),
	)
	if len(m.DS) > 0 {
		all = append(all, step(act.Step{Kind: SignAnew, Zones: about}))
	}
	return all
}

// stepsOfNew says how zones that do not exist yet come to be: made where they are to stand, and delegated last of all,
// for that is what leads visitors there.
func stepsOfNew(open []zone.Zone) []act.Step {
	var made, delegated []act.Step
	for _, z := range open {
		if z.New == nil {
			continue
		}
		about := []string{z.Name}
		made = append(made, step(act.Step{Kind: CreateZones, Zones: about, Provider: z.Next}))
		delegated = append(
			delegated,
			step(act.Step{Kind: DelegateZones, Zones: about, Provider: z.Domain.Registrar, Servers: z.New.To}),
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
	switch s.Kind {
	case LowerTTLs:
		lines = func(l Line) bool { return l.Do == act.Lower }
	case RaiseTTLs:
		lines = func(l Line) bool { return l.Do == act.Raise }
	case UntieMail:
		lines = func(l Line) bool { return l.Step > 0 && untiesMail(l) && about(l.Zone) }
	case MakeEarly:
		lines = func(l Line) bool { return l.Step > 0 && l.Early && !untiesMail(l) && about(l.Zone) }
	case MakeChanges:
		// What forwarded a door until now is deleted right before its records change: one door has one
		// carrier.
		lines = func(l Line) bool { return l.Step > 0 && !l.Early && !untiesMail(l) && about(l.Zone) }
		entries = func(_ Sheet, e act.Entry) bool { return e.Action == act.Remove && e.Kind != world.DSEntry }
	case SetRecords:
		lines = func(l Line) bool { return l.Step > 0 }
	case GetCertificates, CertifyNew:
		entries = func(_ Sheet, e act.Entry) bool { return e.Kind == world.CertEntry && about(e.Domain) }
	case ClaimHosts, ClaimAfter:
		entries = func(sheet Sheet, e act.Entry) bool {
			return sheet.Place == s.Provider && (e.Kind == world.HostEntry || e.Kind == world.Records)
		}
	case PlaceRedirects:
		kinds := []world.EntryKind{world.Config, world.Forward, world.SourceEntry, world.DoorEntry, world.Pattern, world.OriginEntry}
		entries = func(sheet Sheet, e act.Entry) bool {
			return (slices.Contains(s.Carriers, sheet.Place) || slices.Contains(s.Pages, sheet.Place)) && e.Action != act.Remove &&
				slices.Contains(kinds, e.Kind)
		}
	case ChoosePrimaries:
		entries = func(sheet Sheet, e act.Entry) bool {
			return e.Kind == world.Primary || e.Kind == world.Pattern && estate.CarrierKind(sheet.By).Row().OwnSteps
		}
	case RemoveStaleDS, RemoveDS:
		entries = func(_ Sheet, e act.Entry) bool { return e.Kind == world.DSEntry && about(e.Domain) }
	case ChangeNameServers, DelegateZones:
		entries = func(_ Sheet, e act.Entry) bool { return e.Kind == world.NameServers && about(e.Domain) }
	case CopyZones, CreateZones:
		entries = func(_ Sheet, e act.Entry) bool { return e.Kind == world.ZoneEntry && about(e.Domain) }
	}
	return lines, entries
}

// untiesMail reports whether a line gives mail a way of its own.
func untiesMail(l Line) bool { return (&act.Change{Reasons: l.Reasons}).UntiesMail() }
