package plan

import (
	"cmp"
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// Task is a step at one place, with what is typed there and what has to be seen once it is done.
type Task struct {
	Step    act.Step
	Number  int    // of the step, from 1
	Place   string // "" where nothing is typed
	Zones   []string
	Lines   []Line
	Entries []act.Entry
	Expects []expect.Expectation
}

// Tasks gives the steps of the plan, those that are done at several places once for each, in their
// order.
func (p *Plan) Tasks() []Task { return p.TasksOf(p.Sheets()) }

// TasksOf gives the tasks in which sheets are typed, whoever wrote these.
func (p *Plan) TasksOf(sheets []Sheet) []Task {
	var all []Task
	for i, s := range p.Steps {
		for _, t := range p.tasksOf(s, sheets) {
			t.Number = i + 1
			all = append(all, t)
		}
	}
	return all
}

func (p *Plan) tasksOf(s act.Step, sheets []Sheet) []Task {
	lines, entries := typedIn(s)
	var all []Task
	if len(s.Places) > 1 {
		sheets = slices.Clone(sheets)
		slices.SortStableFunc(sheets, func(a, b Sheet) int {
			return cmp.Compare(slices.Index(s.Places, a.Place), slices.Index(s.Places, b.Place))
		})
	}
	for _, sheet := range sheets {
		t := Task{Step: s, Place: sheet.Place}
		for _, l := range sheet.Lines {
			if lines(l) {
				t.Lines = append(t.Lines, l)
			}
		}
		for _, e := range sheet.Entries {
			if entries(sheet, e) {
				t.Entries = append(t.Entries, e)
			}
		}
		if len(t.Lines)+len(t.Entries) > 0 {
			t.Zones = zonesIn(t)
			all = append(all, t)
		}
	}
	// What forwarded a door until now goes first.
	slices.SortStableFunc(all, func(a, b Task) int {
		return cmp.Compare(min(1, len(a.Lines)), min(1, len(b.Lines)))
	})
	if len(all) == 0 {
		all = []Task{{Step: s, Place: s.Provider, Zones: s.Zones}}
	}
	for i := range all {
		all[i].Expects = p.expects(&all[i])
	}
	return all
}

// RowsOf gives the rows of a task.
func (p *Plan) RowsOf(t Task) []world.Row {
	sheet := Sheet{Place: t.Place, Lines: t.Lines, Entries: t.Entries}
	return p.Rows([]Sheet{sheet})
}

func zonesIn(t Task) []string {
	var zones []string
	add := func(zone string) {
		if zone != "" && !slices.Contains(zones, zone) {
			zones = append(zones, zone)
		}
	}
	for _, l := range t.Lines {
		add(l.Zone)
	}
	for _, e := range t.Entries {
		add(e.Domain)
	}
	return zones
}

// expects says what has to be seen once a task is done. Nothing: it cannot be seen from outside.
func (p *Plan) expects(t *Task) []expect.Expectation {
	isAbout := func(d PlannedDoor) bool {
		return len(t.Step.Zones) == 0 || slices.Contains(t.Step.Zones, d.Domain)
	}
	switch t.Step.Kind {
	case act.LowerTTLs, act.RaiseTTLs:
		return ttlsExpected(t.Lines)
	case act.UntieMail, act.MakeEarly, act.MakeChanges, act.SetRecords, act.TidyUp:
		return recordsExpected(t.Lines)
	case act.RemoveStaleDS, act.RemoveDS:
		return eachZone(t, expect.Expectation{Kind: expect.NoDS})
	case act.ChangeNameServers, act.DelegateZones:
		return eachZone(t, expect.Expectation{Kind: expect.Delegation, Values: t.Step.Servers})
	case act.CopyZones, act.CreateZones:
		return p.zonesExpected(t)
	case act.SeeAgreement:
		return p.agreementExpected(t)
	case act.GetCertificates, act.CertifyNew:
		return p.certificatesExpected(t)
	case act.PlaceRedirects:
		return p.redirectsExpected(web.HTTP, t.Place)
	case act.TryRedirects:
		return p.examples(p.redirectsExpected(web.HTTPS, slices.Concat(p.placed()...)...))
	case act.IssueCertificates:
		all := p.doorsExpected(func(d PlannedDoor) bool {
			return d.Door.Scheme == web.HTTPS && p.late(t.Step, d)
		})
		for i := range all {
			all[i].Kind, all[i].Values = expect.Certificate, nil
		}
		return all
	case act.ChoosePrimaries:
		return p.doorsExpected(func(d PlannedDoor) bool {
			return d.Carrier == t.Place && (t.Place == predict.SiteName || isAbout(d))
		})
	case act.AuditDoors:
		all := p.examples(p.doorsExpected(isAbout))
		for i := range all {
			all[i].Strict = true
		}
		return all
	}
	return nil
}

func eachZone(t *Task, e expect.Expectation) []expect.Expectation {
	var all []expect.Expectation
	for _, z := range t.Zones {
		e.Name = z
		all = append(all, e)
	}
	return all
}

func ttlsExpected(lines []Line) []expect.Expectation {
	var all []expect.Expectation
	for _, l := range lines {
		e := expect.Expectation{Kind: expect.TTLAtMost, Name: l.Name, Type: l.Type,
			Server: l.Check.Server, TTL: l.TTL}
		if l.Do == act.Raise {
			e.Kind = expect.TTLAtLeast
		}
		if l.Type == record.Alias || l.Through != "" || l.Check.Server == "" {
			continue // the provider decides on what is answered
		}
		if !slices.ContainsFunc(all, func(o expect.Expectation) bool {
			return o.Name == e.Name && o.Type == e.Type
		}) {
			all = append(all, e)
		}
	}
	return all
}

func recordsExpected(lines []Line) []expect.Expectation {
	var all []expect.Expectation
	for _, l := range lines {
		c := l.Check
		if c.Kind != expect.Records || c.Server == "" {
			continue
		}
		e := expect.Expectation{
			Kind:   expect.Records,
			Name:   c.Name,
			Type:   c.Type,
			Server: c.Server,
			Values: c.Values,
			Alias:  c.Alias,
		}
		// which addresses an alias gives is not known, but which it must not give any more is
		for _, o := range lines {
			if e.Alias && o.Name == l.Name && o.Type == e.Type && o.Was != "" {
				e.Not = append(e.Not, record.Dotted(o.Type, o.Was))
			}
		}
		if !slices.ContainsFunc(all, func(o expect.Expectation) bool {
			return o.Name == e.Name && o.Type == e.Type && o.Server == e.Server
		}) {
			all = append(all, e)
		}
	}
	return all
}

func (p *Plan) zoneNamed(name string) *zone.Zone {
	if i := slices.IndexFunc(p.Zones, func(z zone.Zone) bool { return z.Name == name }); i >= 0 {
		return &p.Zones[i]
	}
	return nil
}

// nextServers gives the name servers that a zone is to have.
func (p *Plan) nextServers(name string) []string {
	switch z := p.zoneNamed(name); {
	case z == nil:
	case z.Move != nil:
		return z.Move.To
	case z.New != nil:
		return z.New.To
	}
	return nil
}

func (p *Plan) zonesExpected(t *Task) []expect.Expectation {
	var all []expect.Expectation
	for _, z := range t.Step.Zones {
		for _, server := range p.nextServers(z) {
			all = append(all, expect.Expectation{Kind: expect.Zone, Name: z, Server: server})
		}
	}
	return all
}

// agreementExpected asks the next servers for everything that the present ones say.
func (p *Plan) agreementExpected(t *Task) []expect.Expectation {
	all := p.zonesExpected(t)
	for _, name := range t.Step.Zones {
		z := p.zoneNamed(name)
		if z == nil || z.Move == nil {
			continue
		}
		for _, set := range p.atCopying(z) {
			for _, server := range z.Move.To {
				all = append(all,
					expect.Expectation{Kind: expect.Records, Name: set.Name, Type: set.Type, Server: server,
						Values: set.Values})
			}
		}
	}
	return all
}

// atCopying gives the records of a zone as they are when it is copied, but for what belongs to the
// name servers themselves.
func (p *Plan) atCopying(z *zone.Zone) []record.Set {
	sets, err := p.AsItIs(z)
	if err != nil {
		return nil
	}
	return slices.DeleteFunc(sets, func(s record.Set) bool {
		return s.Type == "SOA" || s.Type == "NS" && s.Name == z.Name
	})
}

// certificatesExpected looks at the https doors of names at the carrier that is to hold their
// certificate.
func (p *Plan) certificatesExpected(t *Task) []expect.Expectation {
	var names []string
	for _, c := range p.Certificates {
		if c.Carrier == t.Place && slices.Contains(t.Zones, c.Domain) {
			names = append(names, c.Names...)
		}
	}
	all := p.pointed(func(d PlannedDoor) bool {
		// what a server shows is seen only once its redirects are in place
		c := p.Web.Carrier(d.Door.Host)
		return d.Door.Scheme == web.HTTPS && d.Carrier == t.Place && !c.By.Row().Configured &&
			slices.Contains(names, d.Door.Host.String())
	})
	for i := range all {
		all[i].Kind, all[i].Values = expect.Certificate, nil
	}
	return all
}

// placed gives the carriers whose redirects are put in place before the records change.
func (p *Plan) placed() [][]string {
	var all [][]string
	for _, s := range p.Steps {
		if s.Kind == act.PlaceRedirects {
			all = append(all, s.Carriers, s.Pages)
		}
	}
	return all
}

// redirectsExpected looks at the doors of carriers by http, and by https too where the certificates
// should be there.
func (p *Plan) redirectsExpected(upTo web.Scheme, carriers ...string) []expect.Expectation {
	return p.pointed(func(d PlannedDoor) bool {
		return slices.Contains(carriers, d.Carrier) && (d.Door.Scheme == web.HTTP || upTo == web.HTTPS)
	})
}

// pointed looks at doors at the address of whoever carries them, before any name leads there. A
// carrier that is known by an alias alone cannot be looked at so, nor one whose redirects come
// last.
func (p *Plan) pointed(wanted func(PlannedDoor) bool) []expect.Expectation {
	var all []expect.Expectation
	for _, d := range p.Doors {
		c := p.Web.Carrier(d.Door.Host)
		if c == nil || len(c.Addresses) == 0 || !wanted(d) || c.By.Row().OwnSteps {
			continue
		}
		all = append(
			all,
			expect.Expectation{Kind: expect.Door, URL: d.Door.URL("/", "").String(),
				Values:  []string{d.LeadsTo.String()},
				Address: c.Addresses[0].String()},
		)
	}
	return all
}

func (p *Plan) doorsExpected(wanted func(PlannedDoor) bool) []expect.Expectation {
	var all []expect.Expectation
	for _, d := range p.Doors {
		if wanted(d) {
			all = append(
				all,
				expect.Expectation{Kind: expect.Door, URL: d.Door.URL("/", "").String(),
					Values: []string{d.LeadsTo.String()}},
			)
		}
	}
	return all
}

// late reports whether the certificate of a door can be had only once the names lead there.
func (p *Plan) late(s act.Step, d PlannedDoor) bool {
	return slices.ContainsFunc(s.Late, func(l act.Late) bool {
		return slices.Contains(l.Names, d.Door.Host.String())
	})
}

// MostExamples is how many rules are tried out by example where doors are looked at.
const MostExamples = 500

// Tried counts the rules that are tried by example among expectations.
func Tried(expects []expect.Expectation) int {
	n := 0
	for _, e := range expects {
		if p := chain.Probe(e.Probe); p == chain.ByRule || p == chain.ByPattern {
			n++
		}
	}
	return n
}

// examples adds to doors that are looked at a made-up path and query at each, and an example of
// each rule, where they are looked at.
func (p *Plan) examples(doors []expect.Expectation) []expect.Expectation {
	at := map[web.Door]string{}
	for _, e := range doors {
		if u, err := web.ParseURL(e.URL); err == nil {
			at[u.Door()] = e.Address
		}
	}
	rules := 0
	for _, ask := range p.Asks(true) {
		address, looked := at[ask.URL.Door()]
		if !looked || ask.Probe == chain.Root {
			continue
		}
		if ask.Probe == chain.ByRule || ask.Probe == chain.ByPattern {
			if rules++; rules > MostExamples {
				continue
			}
		}
		target := ""
		if goal := p.Goal(ask.URL); !goal.Gone && !goal.Target.IsZero() {
			target = goal.Target.String()
		}
		doors = append(doors, expect.Expectation{
			Kind: expect.Door, URL: ask.URL.String(), Values: []string{target}, Address: address,
			Probe: string(ask.Probe),
		})
	}
	return doors
}
