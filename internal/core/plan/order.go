package plan

import (
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/order"
	"upperpath.example/upperpath/internal/core/world"
)

// zonal are the kinds of steps whose zones wait for themselves alone.
var zonal = map[act.StepKind]bool{
	act.MakeEarly: true, act.CopyZones: true, act.SeeAgreement: true, act.FindDS: true,
	act.RemoveDS: true, act.ChangeNameServers: true, act.LeaveOld: true, act.CreateZones: true,
	act.DelegateZones: true, act.CertifyNew: true, act.SetRecords: true, act.RemoveStaleDS: true,
}

// waved are the kinds of steps with which a wave begins to move: they wait until the wave before it
// has been looked at.
var waved = map[act.StepKind]bool{
	act.MakeChanges: true, act.SetRecords: true, act.CopyZones: true, act.ChangeNameServers: true,
	act.DelegateZones: true,
}

// ofCarrier says to which of a carrier's own steps a kind of step belongs.
var ofCarrier = map[act.StepKind]estate.CarrierStep{
	act.ClaimHosts: estate.Claim, act.ClaimAfter: estate.Claim, act.GetCertificates: estate.Issue,
	act.IssueCertificates: estate.Issue, act.ChoosePrimaries: estate.Redirect,
	act.MakeChanges: estate.Point, act.SetRecords: estate.Point,
}

// graph says of steps what has to be done before each.
type graph struct {
	steps    []act.Step
	carriers map[string]carry.Carried
	zones    map[string]map[string]bool // of carriers
	about    []map[string]bool          // zones of each step
}

// before gives, for each step, the indexes of those that have to be done before it: what always
// comes first, what its carrier wants first, and the wave before its own.
func (g *graph) before() [][]int {
	byKind := map[act.StepKind][]int{}
	for i, s := range g.steps {
		byKind[s.Kind] = append(byKind[s.Kind], i)
		about := map[string]bool{}
		for _, z := range s.Zones {
			about[z] = true
		}
		g.about = append(g.about, about)
	}
	all := make([][]int, len(g.steps))
	for i := range g.steps {
		s := &g.steps[i]
		for _, kind := range sequence[s.Kind].after {
			for _, j := range byKind[kind] {
				if j != i && g.waitsFor(i, j) {
					all[i] = append(all[i], j)
				}
			}
		}
		for kind := range ofCarrier {
			for _, j := range byKind[kind] {
				if j != i && g.carrierWants(j, i) {
					all[i] = append(all[i], j)
				}
			}
		}
		if waved[s.Kind] && s.Wave > 0 {
			for _, j := range byKind[act.AuditDoors] {
				if g.steps[j].Wave < s.Wave {
					all[i] = append(all[i], j)
				}
			}
		}
		if s.Kind != act.SurveyFirst && s.Kind != act.AuditFirst &&
			!slices.ContainsFunc(all[i], func(j int) bool { return g.steps[j].Kind != act.SurveyFirst }) {
			all[i] = append(all[i], byKind[act.AuditFirst]...)
		}
		slices.Sort(all[i])
		all[i] = slices.Compact(all[i])
	}
	return all
}

// waitsFor reports whether a step waits for another of a kind that comes before its own.
func (g *graph) waitsFor(i, j int) bool {
	s, o := &g.steps[i], &g.steps[j]
	switch {
	case s.Kind == act.LeaveAliases && o.Kind == s.Kind:
		return o.Round > s.Round
	case s.Kind == act.AuditDoors && o.Wave > s.Wave, s.Wave > 0 && o.Wave > s.Wave:
		return false
	case s.Kind != act.AuditDoors && s.Kind != act.RaiseTTLs && s.Wave > 0 && o.Wave > 0 &&
		s.Wave != o.Wave:
		return false
	case s.Kind != act.AuditDoors && zonal[o.Kind] && len(s.Zones) > 0 && len(o.Zones) > 0:
		return g.share(i, j)
	}
	return true
}

// share reports whether two steps are about a zone both.
func (g *graph) share(i, j int) bool {
	a, b := g.about[i], g.about[j]
	if len(b) < len(a) {
		a, b = b, a
	}
	for z := range a {
		if b[z] {
			return true
		}
	}
	return false
}

// carrierWants reports whether a carrier wants one step done before another, by its own steps.
func (g *graph) carrierWants(first, then int) bool {
	a, b := &g.steps[first], &g.steps[then]
	own, later := ofCarrier[a.Kind], ofCarrier[b.Kind]
	if own == "" || later == "" || own == later || a.Wave > 0 && b.Wave > 0 && a.Wave != b.Wave {
		return false
	}
	wants := func(carrier string, zones map[string]bool) bool {
		c, known := g.carriers[carrier]
		at, before := slices.Index(c.Steps, later), slices.Index(c.Steps, own)
		if !known || before < 0 || at < before {
			return false
		}
		for z := range g.zones[carrier] {
			if zones == nil || zones[z] {
				return true
			}
		}
		return false
	}
	switch {
	case own == estate.Point:
		return len(b.Places) == 1 && wants(b.Places[0], g.about[first])
	case later == estate.Point:
		return len(a.Places) == 1 && wants(a.Places[0], g.about[then])
	}
	return len(a.Places) == 1 && slices.Equal(a.Places, b.Places) && wants(a.Places[0], nil)
}

// mostPlayed is how many rows the orders that are tried may have, all together.
const mostPlayed = 30_000

// mostTried is how many orders are tried at most.
const mostTried = 240

// inOrder puts the steps of the plan into the best order (package order), and says which wait for
// which. What an order costs is seen when it is played.
func (p *Plan) inOrder(sheets []Sheet) {
	steps := p.Steps
	g := p.graphOf(steps)
	before := g.before()
	deeds := deedsOf(p, sheets)
	rows := 1
	made := make([]order.Step, len(steps))
	for i, s := range steps {
		made[i] = order.Step{Before: before[i], Places: placesIn(deeds[i]), Wait: s.Wait,
			Free: s.Kind == act.LowerTTLs || s.Kind == act.RaiseTTLs}
		if s.Kind == act.RaiseTTLs {
			made[i].Wait = 0 // it waits before it is done
		}
		for _, d := range deeds[i] {
			rows += len(d.rows)
		}
	}
	p.Steps = p.ordered(steps, made, identity(len(steps)))
	if p.waitsOut(sheets, steps) {
		p.inOrder(sheets)
		return
	}
	tries := min(mostTried, mostPlayed/rows)
	if tries < 2 {
		return
	}
	dark := 0
	if !p.today.HoldsAny() { // what is held from before runs out meanwhile
		given := p.played(sheets)
		for i := range made {
			made[i].Wait = max(made[i].Wait, given.waits[i])
		}
		dark = given.Dark // TTLs are lowered before in every order, so that it is the same in all
	}
	best, _ := order.Best(made, func(o []int) order.Played {
		p.Steps = p.ordered(steps, made, o)
		return p.played(sheets).Played
	}, tries, dark)
	p.Steps = p.ordered(steps, made, best)
	_, places := order.Visits(made, best, p.played(sheets).Begins)
	for i := range p.Steps {
		if len(places[i]) > 1 && made[best[i]].Free {
			p.Steps[i].Places = places[i]
		}
	}
}

func (p *Plan) graphOf(steps []act.Step) *graph {
	g := &graph{steps: steps, carriers: map[string]carry.Carried{},
		zones: map[string]map[string]bool{}}
	for _, c := range p.Carriers {
		g.carriers[c.Name] = c
	}
	for _, z := range p.Zones {
		for _, c := range p.Estate.Carriers {
			if len(carry.CarriedBy(p.Estate, z.Domain, c)) > 0 {
				if g.zones[c.Name] == nil {
					g.zones[c.Name] = map[string]bool{}
				}
				g.zones[c.Name][z.Name] = true
			}
		}
	}
	return g
}

// waitsOut has people wait before anything changes, where answers of before break something for
// those who still hold them, and wait for nothing yet. It reports whether they do.
func (p *Plan) waitsOut(sheets []Sheet, steps []act.Step) bool {
	waits := slices.ContainsFunc(steps, func(s act.Step) bool { return s.Kind == act.OutlastTTLs })
	if waits || !p.today.HoldsAny() {
		return false
	}
	breaks := p.played(sheets).Warnings
	if breaks == 0 {
		return false
	}
	pl := &player{plan: p, world: p.today}
	names := map[string]map[string]bool{}
	for _, z := range p.Zones {
		for _, o := range p.today.Olds(z.Name) {
			put(names, z.Name, o.Name)
		}
	}
	wait, holds := pl.longest(names, false, func(string) bool { return true })
	if wait == 0 {
		return false
	}
	ordered := p.Steps
	p.Steps = slices.Insert(slices.Clone(steps), 0, step(act.Step{Kind: act.OutlastTTLs, Wait: wait,
		Holds: holds}))
	longer := p.Steps
	g := p.graphOf(longer)
	made := make([]order.Step, len(longer))
	for i, before := range g.before() {
		made[i].Before = before
	}
	p.Steps = p.ordered(longer, made, identity(len(longer)))
	if p.played(sheets).Warnings >= breaks {
		p.Steps = ordered
		return false
	}
	p.Steps = longer
	return true
}

func identity(n int) []int {
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	return all
}

// ordered gives steps in an order, each with those that have to be done before it.
func (p *Plan) ordered(steps []act.Step, made []order.Step, by []int) []act.Step {
	at := make([]int, len(steps))
	for to, from := range by {
		at[from] = to
	}
	all := make([]act.Step, len(by))
	for to, from := range by {
		s := steps[from]
		s.Needs = nil
		for _, b := range made[from].Before {
			if at[b] < to { // what waits for each other is said when it is played
				s.Needs = append(s.Needs, at[b]+1)
			}
		}
		slices.Sort(s.Needs)
		all[to] = s
	}
	return all
}

// placesIn gives the places at which deeds are typed, each once where they follow each other.
func placesIn(deeds []deed) []string {
	var all []string
	for _, d := range deeds {
		if at := d.rows[0].Place; len(all) == 0 || all[len(all)-1] != at {
			all = append(all, at)
		}
	}
	return all
}

// trial is what came of playing the steps.
type trial struct {
	order.Played
	waits []int // behind each step
}

// played plays the steps in their order, and gives what breaks and how long it takes.
func (p *Plan) played(sheets []Sheet) trial {
	steps := p.Steps
	defer func() { p.Steps = steps }()
	p.Steps = slices.Clone(steps)
	pl := newPlayer(p)
	pl.watch = world.NewWatch(pl.world, pl.wishes())
	t := Typed{Sheets: sheets, own: true}
	made := trial{waits: make([]int, len(steps))}
	var turning []deed
	number := 0
	p.walk(pl.world, t, func(i int, s act.Step, deeds []deed) {
		if i < len(steps) {
			made.Begins = append(made.Begins, pl.world.Now())
		}
		if s.Kind == act.MakeChanges {
			turning = append(turning, deeds...)
		}
		for _, d := range deeds {
			number++
			made.Warnings += len(pl.watch.Act(number, d.rows))
		}
		if i < len(steps) {
			pl.wait(i, deeds, turning)
			s := &p.Steps[i]
			made.Dark += s.DarkFor * len(s.Dark)
			if s.Kind != act.RaiseTTLs { // which waits before it is done
				made.waits[i] = s.Wait
			}
			made.Length = max(made.Length, pl.world.Now()+made.waits[i])
		}
	})
	return made
}

// merged joins steps of one kind that follow each other without a wait in between, and numbers
// those that they wait for anew.
func merged(steps []act.Step) []act.Step {
	var all []act.Step
	to := make([]int, len(steps)+1) // new numbers by old ones
	for i, s := range steps {
		if last := len(all) - 1; last >= 0 && joins(&all[last], &s) {
			o := &all[last]
			o.Zones = united(o.Zones, s.Zones)
			o.Carriers, o.Software = append(slices.Clip(o.Carriers), s.Carriers...),
				append(slices.Clip(o.Software), s.Software...)
			o.ByHand, o.Pages = append(slices.Clip(o.ByHand), s.ByHand...),
				append(slices.Clip(o.Pages), s.Pages...)
			o.Places, o.Late = append(slices.Clip(o.Places), s.Places...),
				append(slices.Clip(o.Late), s.Late...)
			o.Count, o.Needs = o.Count+s.Count, united(o.Needs, s.Needs)
			to[i+1] = last + 1
			continue
		}
		all = append(all, s)
		to[i+1] = len(all)
	}
	for i := range all {
		var needs []int
		for _, n := range all[i].Needs {
			if to[n] <= i && !slices.Contains(needs, to[n]) {
				needs = append(needs, to[n])
			}
		}
		all[i].Needs = needs
	}
	return all
}

func united[T comparable](a, b []T) []T {
	all := slices.Clip(a)
	for _, v := range b {
		if !slices.Contains(all, v) {
			all = append(all, v)
		}
	}
	return all
}

// joins reports whether two steps that follow each other are said as one.
func joins(a, b *act.Step) bool {
	switch a.Kind {
	case act.GetCertificates, act.CertifyNew, act.IssueCertificates, act.PlaceRedirects,
		act.ChoosePrimaries:
		return a.Kind == b.Kind && a.Wave == b.Wave && a.Wait == 0 && b.Wait == 0
	}
	return false
}

// Costing gives a function that says what it costs to do the steps of the plan in another order, by
// their indexes. The order has to respect what each of them needs.
func (p *Plan) Costing() func(by []int) order.Cost {
	steps, sheets := p.Steps, p.Sheets()
	made := make([]order.Step, len(steps))
	deeds := deedsOf(p, sheets)
	for i, s := range steps {
		made[i] = order.Step{Places: placesIn(deeds[i]),
			Free: s.Kind == act.LowerTTLs || s.Kind == act.RaiseTTLs}
		for _, n := range s.Needs {
			made[i].Before = append(made[i].Before, n-1)
		}
	}
	return func(by []int) order.Cost {
		defer func() { p.Steps = steps }()
		p.Steps = p.ordered(steps, made, by)
		return order.CostOf(made, by, p.played(sheets).Played)
	}
}
