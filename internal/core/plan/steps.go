package plan

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// sequence says of each kind of step what has to be done before it, what shows that it worked, and
// how it is taken back. Whatever waits for nothing waits for the audit as things are today, where
// there is one. Everything else about the order follows from carriers' own steps, from waves, and
// from what breaks in the world when it is played (order.go).
var sequence = map[act.StepKind]struct {
	after []act.StepKind
	check expect.Kind
	back  act.Way
}{
	act.SurveyFirst: {},
	act.AuditFirst:  {after: []act.StepKind{act.SurveyFirst}},
	act.TidyUp: {after: []act.StepKind{act.UntieMail}, check: expect.NoDifference,
		back: act.TypeOldValues},
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
		after: []act.StepKind{act.LowerTTLs, act.OutlastTTLs, act.UntieMail,
			act.ClaimHosts, act.TryRedirects, act.LeaveOld, act.LeaveAliases},
		check: expect.NoDifference,
		back:  act.TypeOldValues,
	},
	act.MakeChanges: {
		after: []act.StepKind{act.LowerTTLs, act.OutlastTTLs, act.UntieMail,
			act.ClaimHosts, act.TryRedirects, act.LeaveOld, act.LeaveAliases},
		check: expect.NoDifference,
		back:  act.TypeOldValues,
	},
	act.WaitForTTLs: {after: []act.StepKind{act.MakeChanges}},
	act.SetRecords: {after: []act.StepKind{act.LowerTTLs, act.OutlastTTLs,
		act.UntieMail, act.ClaimHosts, act.TryRedirects, act.LeaveOld, act.LeaveAliases},
		check: expect.NoDifference, back: act.TypeOldValues},
	act.ChangeNameServers: {after: []act.StepKind{act.SeeAgreement, act.RemoveDS},
		check: expect.Survey, back: act.OldServers},
	act.ClaimAfter: {after: []act.StepKind{act.MakeChanges, act.SetRecords}, back: act.Unclaim},
	act.IssueCertificates: {after: []act.StepKind{act.MakeChanges, act.SetRecords},
		check: expect.Audit},
	act.ChoosePrimaries: {check: expect.Audit},
	act.AuditDoors: {after: []act.StepKind{act.TidyUp, act.RemoveStaleDS, act.WaitForTTLs,
		act.SetRecords, act.LeaveOld, act.ClaimAfter, act.IssueCertificates, act.ChoosePrimaries,
		act.DelegateZones,
		act.CertifyNew, act.TryRedirects}, check: expect.Audit},
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
	s.Back = row.back
	if s.Check.Kind == "" {
		s.Check.Kind = row.check
	}
	if s.Check.Kind == expect.Survey && len(s.Zones) > 0 {
		s.Check.Name = s.Zones[0]
	}
	return s
}

// work is what steps are made of.
type work struct {
	open     []zone.Zone // of domains that have not moved
	carriers []carry.Carried
	moves    map[string]bool
	waves    []int          // in their order; none where there is only one
	waveOf   map[string]int // by zone
	// certificates that can be had before their names are led there, of zones that exist, and others
	early, late, behind []carry.Certificate
}

// stepsOf says what steps a plan has, in the order in which people think of them: what is looked at
// first, what prepares the move, the move wave by wave, what ends it.
func stepsOf(zones []zone.Zone, carriers []carry.Carried,
	certificates []carry.Certificate) []act.Step {
	w := work{carriers: carriers, moves: map[string]bool{}, waveOf: map[string]int{}}
	w.open = slices.DeleteFunc(slices.Clone(zones), func(z zone.Zone) bool {
		return z.Domain.State == estate.Moved
	})
	moved, fresh := map[string]bool{}, map[string]bool{}
	for _, z := range zones {
		moved[z.Name] = z.Domain.State == estate.Moved
		fresh[z.Name] = z.New != nil && !moved[z.Name]
		w.moves[z.Name] = z.Move != nil
		if !moved[z.Name] && !z.Guest {
			w.waveOf[z.Name] = z.Domain.Wave
			w.waves = append(w.waves, z.Domain.Wave)
		}
	}
	slices.Sort(w.waves)
	if w.waves = slices.Compact(w.waves); len(w.waves) < 2 {
		w.waves, w.waveOf = []int{0}, map[string]int{}
	}
	for _, c := range certificates {
		switch {
		case c.Domain == "" || moved[c.Domain]:
		case c.When == string(estate.After):
			w.behind = append(w.behind, c)
		case fresh[c.Domain]: // none can be had before they are delegated
			w.late = append(w.late, c)
		default:
			w.early = append(w.early, c)
		}
	}
	all := slices.Concat(
		w.looking(),
		tidying(zones),
		w.lowering(),
		stepsOfMail(zones), // in zones that count as moved too
		w.earlyChanges(),
		w.delegations(act.CopyZones, act.SeeAgreement, act.FindDS, act.RemoveDS,
			act.ChangeNameServers, act.LeaveOld),
		w.telling(0, false),
		w.primaries(0, beforeCertificates),
		stepsOfCertificates(act.GetCertificates, w.early),
		w.primaries(0, beforeRecords),
		w.redirects(),
		w.created(),
		stepsOfCertificates(act.CertifyNew, w.late),
		w.rounds(),
	)
	for _, wave := range w.waves {
		all = slices.Concat(all, w.records(wave), w.telling(wave, true), w.issued(wave),
			w.primaries(wave, afterRecords), w.audits(wave))
	}
	return slices.Concat(all, w.raising(), w.delegations(act.SignAnew))
}

// in reports whether a zone changes with a wave.
func (w *work) in(zone string, wave int) bool { return w.waveOf[zone] == wave }

func (w *work) looking() []act.Step {
	var all []act.Step
	if slices.ContainsFunc(w.open, func(z zone.Zone) bool { return z.Seen == nil && z.New == nil }) {
		all = append(all, step(act.Step{Kind: act.SurveyFirst}))
	}
	if len(w.open) > 0 {
		all = append(all, step(act.Step{Kind: act.AuditFirst}))
	}
	for _, c := range w.carriers {
		for _, e := range c.Entries {
			if e.Kind == world.DSEntry && !w.moves[e.Domain] {
				all = append(all,
					step(act.Step{Kind: act.RemoveStaleDS, Provider: c.Name, Zones: []string{e.Domain}}))
			}
		}
	}
	return all
}

// tidying says what is left to be typed in zones that count as moved.
func tidying(zones []zone.Zone) []act.Step {
	s := act.Step{Kind: act.TidyUp}
	for i := range zones {
		n := 0
		for _, c := range zones[i].Changes {
			if zones[i].Domain.State == estate.Moved && !zones[i].Guest && c.Step > 0 && !c.UntiesMail() {
				n++
			}
		}
		if s.Count += n; n > 0 {
			s.Zones = append(s.Zones, zones[i].Name)
		}
	}
	if s.Count == 0 {
		return nil
	}
	return []act.Step{step(s)}
}

// lowering says which TTLs to lower beforehand, and for how long to wait then.
func (w *work) lowering() []act.Step {
	s := act.Step{Kind: act.LowerTTLs}
	for _, z := range w.open {
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

// stepsOfCertificates says which certificates to get, carrier by carrier.
func stepsOfCertificates(kind act.StepKind, all []carry.Certificate) []act.Step {
	var steps []act.Step
	listed := map[string]bool{}
	for _, c := range all {
		i := slices.IndexFunc(steps, func(s act.Step) bool { return s.Places[0] == c.Carrier })
		if i < 0 {
			i = len(steps)
			steps = append(steps, step(act.Step{Kind: kind, Places: []string{c.Carrier}}))
		}
		s := &steps[i]
		s.Count++
		if key := c.Carrier + " " + c.Domain; !listed[key] {
			listed[key] = true
			s.Zones = append(s.Zones, c.Domain)
		}
		if len(c.ByDNS) > 0 {
			s.Carriers = s.Places
		}
		if c.When == string(estate.ByHand) {
			s.ByHand = s.Places
		}
	}
	return steps
}

// telling says what carriers have to be told before any record leads there; or, of those that take
// hosts only then, once the records of a wave do.
func (w *work) telling(wave int, after bool) []act.Step {
	var all []act.Step
	for _, c := range w.carriers {
		claims := act.Step{Kind: act.ClaimHosts, Provider: c.Name, Places: []string{c.Name}}
		if c.ClaimsAfter != after {
			continue
		}
		if after {
			claims.Kind, claims.Wave = act.ClaimAfter, wave
		}
		for _, e := range c.Entries {
			if e.Kind == world.HostEntry && (!after || w.in(e.Domain, wave)) {
				claims.Hosts = append(claims.Hosts, e.Fields[0].Value)
				if after && !slices.Contains(claims.Zones, e.Domain) {
					claims.Zones = append(claims.Zones, e.Domain)
				}
			}
		}
		if len(claims.Hosts) > 0 {
			all = append(all, step(claims))
		}
	}
	return all
}

// redirects says where redirects are put in place, carrier by carrier, and that they are tried.
func (w *work) redirects() []act.Step {
	var all []act.Step
	for _, row := range estate.Kinds() {
		for _, c := range w.carriers {
			s := act.Step{Kind: act.PlaceRedirects, Places: []string{c.Name}}
			switch {
			case !c.Redirects || estate.CarrierKind(c.By) != row.Kind:
				continue
			case row.Configured:
				s.Carriers, s.Software = s.Places, []string{c.Software}
			case !row.OwnSteps: // a platform redirects last
				s.Pages = s.Places
			default:
				continue
			}
			all = append(all, step(s))
		}
	}
	if len(all) == 0 {
		return nil
	}
	return append(all, step(act.Step{Kind: act.TryRedirects}))
}

// records says which records change in a wave.
func (w *work) records(wave int) []act.Step {
	s := act.Step{Kind: act.MakeChanges, Wave: wave}
	unseen := act.Step{Kind: act.SetRecords, Wave: wave}
	for _, z := range w.open {
		if !w.in(z.Name, wave) {
			continue
		}
		if z.Seen == nil && z.New == nil {
			unseen.Zones = append(unseen.Zones, z.Name)
		}
		n := 0
		for _, c := range z.Changes {
			if c.Step > 0 && !c.UntiesMail() && !c.Early && c.Round == 0 {
				n++
			}
		}
		if s.Count += n; n > 0 {
			s.Zones = append(s.Zones, z.Name)
			if partlySeen(&z) {
				s.Partial = append(s.Partial, z.Name)
			}
		}
	}
	for _, c := range w.carriers {
		for _, e := range c.Entries {
			if e.Action == act.Remove && e.Kind == world.Forward && w.in(e.Domain, wave) {
				s.Dark = append(s.Dark, e.Fields[0].Value)
				s.DarkAt = append(s.DarkAt, c.Name)
			}
		}
	}
	var all []act.Step
	if s.Count > 0 {
		all = append(all, step(s), step(act.Step{Kind: act.WaitForTTLs, Wave: wave}))
	}
	if len(unseen.Zones) > 0 {
		all = append(all, step(unseen))
	}
	return all
}

// rounds says which names leave others before these move, round by round.
func (w *work) rounds() []act.Step {
	var all []act.Step
	most := 0
	for _, z := range w.open {
		for _, c := range z.Changes {
			most = max(most, c.Round)
		}
	}
	for round := most; round > 0; round-- {
		s := act.Step{Kind: act.LeaveAliases, Round: round}
		for _, z := range w.open {
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

// earlyChanges says which changes of zones that move are made before they are copied, mail left
// aside.
func (w *work) earlyChanges() []act.Step {
	var all []act.Step
	for i := range w.open {
		z := &w.open[i]
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

// delegations gives the steps of some kinds of all zones that move, in the order of the kinds.
func (w *work) delegations(kinds ...act.StepKind) []act.Step {
	var all []act.Step
	for _, kind := range kinds {
		var same []act.Step
		for _, z := range w.open {
			if z.Move == nil {
				continue
			}
			for _, s := range StepsOfMove(&z) {
				if s.Kind == kind {
					s.Wave = w.waveOf[z.Name]
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
			return o.Kind == s.Kind && o.Provider == s.Provider && o.Wave == s.Wave &&
				slices.Equal(o.Servers, s.Servers)
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

// issued says which certificates can be had only once the records of a wave lead there.
func (w *work) issued(wave int) []act.Step {
	var all []act.Step
	for _, c := range w.behind {
		if !w.in(c.Domain, wave) {
			continue
		}
		i := slices.IndexFunc(all, func(s act.Step) bool { return s.Places[0] == c.Carrier })
		if i < 0 {
			i = len(all)
			all = append(all, step(act.Step{Kind: act.IssueCertificates, Wave: wave,
				Places: []string{c.Carrier}}))
		}
		s := &all[i]
		s.Late = append(s.Late, act.Late{Names: c.Names, Carrier: c.Carrier})
		if !slices.Contains(s.Zones, c.Domain) {
			s.Zones = append(s.Zones, c.Domain)
		}
	}
	return all
}

// audits says that every door is looked at once a wave has moved: behind the last one all of them.
func (w *work) audits(wave int) []act.Step {
	s := act.Step{Kind: act.AuditDoors, Wave: wave}
	if wave != w.waves[len(w.waves)-1] {
		for _, z := range w.open {
			if w.in(z.Name, wave) {
				s.Zones = append(s.Zones, z.Name)
			}
		}
	}
	return []act.Step{step(s)}
}

// raising says how many TTLs are raised a day later.
func (w *work) raising() []act.Step {
	raise := act.Step{Kind: act.RaiseTTLs, Wait: int(act.RaiseAfter.Seconds())}
	for _, z := range w.open {
		for _, c := range z.Changes {
			if act.ShortLived(&c) {
				raise.Count++
			}
		}
	}
	if raise.Count == 0 {
		return nil
	}
	return []act.Step{step(raise)}
}

// When platforms are told their primary host, by their own orders of steps.
const (
	beforeCertificates = iota
	beforeRecords
	afterRecords
)

// primaries says at which platforms the primary host is chosen at a time, of a wave.
func (w *work) primaries(wave, when int) []act.Step {
	var all []act.Step
	for _, c := range w.carriers {
		if c.By == carry.SiteKind && len(c.Entries) > 0 && when == afterRecords &&
			wave == w.waves[0] {
			all = append(all, step(act.Step{Kind: act.ChoosePrimaries, Places: []string{c.Name},
				Pages: []string{c.Name}}))
		}
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
		if its != when {
			continue
		}
		s := act.Step{Kind: act.ChoosePrimaries, Places: []string{c.Name}, Pages: []string{c.Name},
			Wave: wave}
		for _, z := range w.open {
			of := slices.ContainsFunc(c.Hosts, func(h string) bool {
				return h == z.Name || strings.HasSuffix(h, "."+z.Name)
			})
			if of && (when != afterRecords || w.in(z.Name, wave)) {
				s.Zones = append(s.Zones, z.Name)
			}
		}
		if len(s.Zones) > 0 {
			all = append(all, step(s))
		}
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

// created says how zones that do not exist yet come to be: made where they are to stand, and
// delegated last of all, for that is what leads visitors there.
func (w *work) created() []act.Step {
	var made, delegated []act.Step
	for _, z := range w.open {
		if z.New == nil {
			continue
		}
		about := []string{z.Name}
		wave := w.waveOf[z.Name]
		made = append(made,
			step(act.Step{Kind: act.CreateZones, Zones: about, Provider: z.Next, Wave: wave}))
		delegated = append(
			delegated,
			step(act.Step{Kind: act.DelegateZones, Zones: about, Provider: z.Domain.Registrar,
				Servers: z.New.To, Wave: wave}),
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
	here := func(place string) bool { return slices.Contains(s.Places, place) }
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
			return e.Action == act.Remove && e.Kind != world.DSEntry && about(e.Domain)
		}
	case act.SetRecords:
		lines = func(l Line) bool { return l.Step > 0 && about(l.Zone) }
	case act.TidyUp:
		lines = func(l Line) bool { return l.Step > 0 && !untiesMail(l) && about(l.Zone) }
	case act.GetCertificates, act.CertifyNew, act.IssueCertificates:
		entries = func(sheet Sheet, e act.Entry) bool {
			return e.Kind == world.CertEntry && about(e.Domain) && here(sheet.Place)
		}
	case act.ClaimHosts, act.ClaimAfter:
		entries = func(sheet Sheet, e act.Entry) bool {
			return here(sheet.Place) && (e.Kind == world.HostEntry || e.Kind == world.Records) &&
				(len(s.Zones) == 0 || about(e.Domain))
		}
	case act.PlaceRedirects:
		kinds := []world.EntryKind{world.Config, world.Forward, world.SourceEntry, world.DoorEntry,
			world.Pattern, world.OriginEntry}
		entries = func(sheet Sheet, e act.Entry) bool {
			return here(sheet.Place) && e.Action != act.Remove && slices.Contains(kinds, e.Kind)
		}
	case act.ChoosePrimaries:
		entries = func(sheet Sheet, e act.Entry) bool {
			if !here(sheet.Place) || sheet.By != carry.SiteKind && !about(e.Domain) {
				return false
			}
			return (e.Kind == world.Primary ||
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
