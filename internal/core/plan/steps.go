package plan

import (
	"slices"

	"upperpath.example/upperpath/internal/core/estate"
)

// StepKind says what is done in a step.
type StepKind uint8

// The steps of a cutover, in the order in which they are done.
const (
	_ StepKind = iota

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

// Way says how a step is taken back.
type Way uint8

// The ways back.
const (
	NoWay         Way = iota // nothing was changed
	TypeOldValues            // what stood there before, from the kept survey
	OldServers               // the old delegation; the old servers still answer
	Unclaim                  // give the hosts up there
	OldDS                    // publish the DS record again, while the zone is still signed
)

// Step is one act of the cutover, as data: reports say it in words.
type Step struct {
	Kind     StepKind
	Provider string     // at whose page; "" where that differs or nothing is typed
	Zones    []string   // that it is about
	Hosts    []string   // that it is about
	Names    []string   // record sets: name and type
	Carriers []string   // whom it is for
	Software []string   // of servers that get a configuration: what each of Carriers runs
	ByHand   []string   // of those, whose certificates somebody puts there
	Pages    []string   // carriers with pages of their own
	Servers  []string   // name servers
	Late     []Late     // certificates
	Partial  []string   // zones of which not everything was seen
	Count    int        // of what is done
	After    []StepKind // what has to be done before
	Wait     int        // how long to wait then, in seconds
	Unknown  bool       // the TTL that decides on it is not known, and may be longer
	Check    Check      // what shows that it worked
	Back     Way
}

// Late is names whose certificate can be had only after they point to a carrier.
type Late struct {
	Names   []string
	Carrier string
}

// sequence says of each kind of step what has to be done before it, what shows that it worked, and
// how it is taken back.
var sequence = map[StepKind]struct {
	after []StepKind
	check CheckKind
	back  Way
}{
	SurveyFirst:     {},
	RemoveStaleDS:   {check: SurveyZone, back: OldDS},
	LowerTTLs:       {after: []StepKind{SurveyFirst}, check: PlanAgain, back: TypeOldValues},
	GetCertificates: {check: AuditAll},
	ClaimHosts:      {back: Unclaim},
	MakeEarly:       {after: []StepKind{SurveyFirst}, check: PlanAgain, back: TypeOldValues},
	PlaceRedirects:  {check: AuditAll},
	TryRedirects:    {after: []StepKind{PlaceRedirects, GetCertificates}, check: AuditAll},
	UntieMail:       {after: []StepKind{SurveyFirst}, check: PlanAgain, back: TypeOldValues},
	MakeChanges: {
		after: []StepKind{LowerTTLs, UntieMail, ClaimHosts, TryRedirects},
		check: PlanAgain,
		back:  TypeOldValues,
	},
	WaitForTTLs:       {after: []StepKind{MakeChanges}},
	SetRecords:        {after: []StepKind{TryRedirects}, check: PlanAgain, back: TypeOldValues},
	ChangeNameServers: {after: []StepKind{SeeAgreement, RemoveDS}, check: SurveyZone, back: OldServers},
	ClaimAfter:        {after: []StepKind{MakeChanges}, back: Unclaim},
	IssueCertificates: {after: []StepKind{MakeChanges}, check: AuditAll},
	ChoosePrimaries:   {after: []StepKind{IssueCertificates}, check: AuditAll},
	AuditDoors:        {after: []StepKind{WaitForTTLs}, check: AuditAll},
	RaiseTTLs:         {after: []StepKind{AuditDoors}, check: PlanAgain},
	CopyZones:         {after: []StepKind{LowerTTLs, UntieMail, MakeEarly}, check: SurveyZone},
	SeeAgreement:      {after: []StepKind{CopyZones}, check: PlanAgain},
	FindDS:            {after: []StepKind{SeeAgreement}},
	RemoveDS:          {after: []StepKind{SeeAgreement}, check: SurveyZone, back: OldDS},
	LeaveOld:          {after: []StepKind{ChangeNameServers}},
	SignAnew:          {after: []StepKind{LeaveOld}, check: SurveyZone},
	CreateZones:       {check: SurveyZone},
	CertifyNew:        {after: []StepKind{DelegateZones}, check: AuditAll},
	DelegateZones:     {after: []StepKind{CreateZones, TryRedirects}, check: SurveyZone},
}

// step completes a step by what holds for all of its kind.
func step(s Step) Step {
	row := sequence[s.Kind]
	s.After, s.Back = row.after, row.back
	if s.Check.Kind == NoCheck {
		s.Check.Kind = row.check
	}
	if s.Check.Kind == SurveyZone && len(s.Zones) > 0 {
		s.Check.Host = s.Zones[0]
	}
	return s
}

// stepsOf says in which order to carry a plan out, so that no door is dark on the way.
func stepsOf(zones []Zone, carriers []Carried, certificates []Certificate) []Step {
	open := slices.DeleteFunc(slices.Clone(zones), func(z Zone) bool { return z.domain.State == estate.Moved })
	moved := map[string]bool{}
	moves, fresh := map[string]bool{}, map[string]bool{}
	for _, z := range zones {
		moved[z.Name] = z.domain.State == estate.Moved
		fresh[z.Name] = z.New != nil && !moved[z.Name]
		moves[z.Name] = z.Move != nil
	}
	certificates = slices.DeleteFunc(
		slices.Clone(certificates),
		func(c Certificate) bool { return c.Domain == "" || moved[c.Domain] },
	)
	var early, late []Certificate // of zones that do not exist yet, none can be had before they are delegated
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

func stepsOfLooking(open []Zone, carriers []Carried, moves map[string]bool) []Step {
	var all []Step
	if slices.ContainsFunc(open, func(z Zone) bool { return z.Seen == nil && z.New == nil }) {
		all = append(all, step(Step{Kind: SurveyFirst}))
	}
	for _, c := range carriers {
		for _, e := range c.Entries {
			if e.Kind == DSEntry && !moves[e.Domain] {
				all = append(all, step(Step{Kind: RemoveStaleDS, Provider: c.Name, Zones: []string{e.Domain}}))
			}
		}
	}
	return all
}

// stepsOfLowering says which TTLs to lower beforehand, and for how long to wait then.
func stepsOfLowering(open []Zone) []Step {
	s := Step{Kind: LowerTTLs}
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
	return []Step{step(s)}
}

// stepsOfMail says which changes untie mail from the web, and how long to wait until nobody
// remembers how it was.
func stepsOfMail(open []Zone) []Step {
	s := Step{Kind: UntieMail}
	for i := range open {
		if n, wait := MailFirst(&open[i]); n > 0 {
			s.Zones = append(s.Zones, open[i].Name)
			s.Count, s.Wait = s.Count+n, max(s.Wait, wait)
		}
	}
	if s.Count == 0 {
		return nil
	}
	return []Step{step(s)}
}

// MailFirst gives how many changes of a zone untie its mail from the web, and for how long
// resolvers remember how it was, in seconds: so long is waited before the web moves.
func MailFirst(z *Zone) (count, wait int) {
	for _, c := range z.Changes {
		if c.Step == 0 || !c.UntiesMail() {
			continue
		}
		count++
		old := c.TTL // of what is there
		if c.Action == Add {
			old = z.AbsentFor
		}
		wait = max(wait, old)
		if z.Remaining {
			wait = max(wait, unknownTTL)
		}
	}
	return count, wait
}

// UntiesMail tells whether a change gives mail a way of its own, so that the web can move.
func (c *Change) UntiesMail() bool {
	return slices.ContainsFunc(c.Reasons, func(r Reason) bool {
		return slices.Contains([]Why{MailHung, MailWent, MailOwnName, MailAlias, NameFollowed, TermFollowed}, r.Why)
	})
}

func stepsOfCertificates(kind StepKind, all []Certificate) []Step {
	s := Step{Kind: kind}
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
	return []Step{step(s)}
}

// stepsOfTelling says what carriers have to be told before any record leads there; or, of those
// that take hosts only then, once they do.
func stepsOfTelling(carriers []Carried, after bool) []Step {
	var all []Step
	for _, c := range carriers {
		claims := Step{Kind: ClaimHosts, Provider: c.Name}
		if c.claimsAfter != after {
			continue
		}
		if after {
			claims.Kind = ClaimAfter
		}
		for _, e := range c.Entries {
			if e.Kind == HostEntry {
				claims.Hosts = append(claims.Hosts, e.Fields[0].Value)
			}
		}
		if len(claims.Hosts) > 0 {
			all = append(all, step(claims))
		}
	}
	return all
}

func stepsOfRedirects(carriers []Carried) []Step {
	s := Step{Kind: PlaceRedirects}
	byKind, runs := map[estate.Kind][]string{}, map[string]string{}
	for _, c := range carriers {
		if c.redirects {
			byKind[estate.Kind(c.By)] = append(byKind[estate.Kind(c.By)], c.Name)
			runs[c.Name] = c.software
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
	return []Step{step(s), step(Step{Kind: TryRedirects})}
}

func stepsOfRecords(open []Zone) []Step {
	s := Step{Kind: MakeChanges}
	wait, unseen := 0, false
	for _, z := range open {
		unseen = unseen || z.Seen == nil && z.New == nil
		n := 0
		for _, c := range z.Changes {
			if c.Step == 0 || c.UntiesMail() || c.Early {
				continue
			}
			n++
			if c.Action == Add {
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
		return []Step{step(s), step(Step{Kind: WaitForTTLs, Wait: wait})}
	case unseen:
		return []Step{step(Step{Kind: SetRecords})}
	}
	return nil
}

// stepsOfEarly says which changes of zones that move are made before they are copied, mail left
// aside.
func stepsOfEarly(open []Zone) []Step {
	var all []Step
	for i := range open {
		z := &open[i]
		n := 0
		for _, c := range z.Changes {
			if c.Early && !c.UntiesMail() {
				n++
			}
		}
		if n > 0 {
			all = append(all, step(Step{Kind: MakeEarly, Provider: z.Present, Zones: []string{z.Name}, Count: n}))
		}
	}
	return together(all)
}

// stepsOfDelegations gives the steps of some kinds of all zones that move, in the order of the
// kinds.
func stepsOfDelegations(open []Zone, kinds ...StepKind) []Step {
	var all []Step
	for _, kind := range kinds {
		var same []Step
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
func together(all []Step) []Step {
	var joined []Step
	for _, s := range all {
		i := slices.IndexFunc(joined, func(o Step) bool {
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

func stepsOfEnding(open []Zone, carriers []Carried, certificates []Certificate) []Step {
	var all []Step
	late := Step{Kind: IssueCertificates}
	for _, c := range certificates {
		if c.When == string(estate.After) {
			late.Late = append(late.Late, Late{c.Names, c.Carrier})
		}
	}
	if len(late.Late) > 0 {
		all = append(all, step(late))
	}
	primaries := Step{Kind: ChoosePrimaries}
	for _, c := range carriers {
		if c.redirects && estate.Kind(c.By).Row().OwnSteps {
			primaries.Pages = append(primaries.Pages, c.Name)
		}
	}
	if len(primaries.Pages) > 0 {
		all = append(all, step(primaries))
	}
	all = append(all, step(Step{Kind: AuditDoors}))
	raise := Step{Kind: RaiseTTLs, Wait: int(RaiseAfter.Seconds())}
	for _, z := range open {
		for _, c := range z.Changes {
			if shortLived(&c) {
				raise.Count++
			}
		}
	}
	if raise.Count > 0 {
		all = append(all, step(raise))
	}
	return all
}

// partlySeen tells whether records of the zone may be there that nobody has seen.
func partlySeen(z *Zone) bool { return z.Seen != nil && (z.Partial || len(z.Missed) > 0) }

// StepsOfMove says in which order a zone moves to other name servers: it is copied as it is,
// compared, and only then does the delegation change.
func StepsOfMove(z *Zone) []Step {
	about := []string{z.Name}
	d, m := z.domain, z.Move
	copying := Step{Kind: CopyZones, Zones: about, Servers: m.To, Provider: nextPlace(d, m.To)}
	if partlySeen(z) {
		copying.Partial = about
	}
	all := []Step{step(copying), step(Step{Kind: SeeAgreement, Zones: about})}
	if m.Keys && len(m.DS) == 0 && m.ParentUnseen {
		all = append(all, step(Step{Kind: FindDS, Zones: about, Provider: d.Registrar}))
	}
	if len(m.DS) > 0 {
		all = append(
			all,
			step(Step{Kind: RemoveDS, Zones: about, Provider: d.Registrar, Wait: m.OldLives, Unknown: m.Unknown}),
		)
	}
	all = append(
		all,
		step(Step{Kind: ChangeNameServers, Zones: about, Provider: d.Registrar, Servers: m.To}),
		step(Step{Kind: LeaveOld, Zones: about, Wait: m.OldLives, Unknown: m.Unknown}),
	)
	if len(m.DS) > 0 {
		all = append(all, step(Step{Kind: SignAnew, Zones: about}))
	}
	return all
}

// stepsOfNew says how zones that do not exist yet come to be: made where they are to stand, and delegated last of all,
// for that is what leads visitors there.
func stepsOfNew(open []Zone) []Step {
	var made, delegated []Step
	for _, z := range open {
		if z.New == nil {
			continue
		}
		about := []string{z.Name}
		made = append(made, step(Step{Kind: CreateZones, Zones: about, Provider: z.Next}))
		delegated = append(
			delegated,
			step(Step{Kind: DelegateZones, Zones: about, Provider: z.domain.Registrar, Servers: z.New.To}),
		)
	}
	return append(together(made), together(delegated)...)
}
