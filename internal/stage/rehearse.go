package stage

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

// Rehearsal plays the steps of a plan on a stage that begins as the survey saw it, and looks over
// real sockets what visitors and mail meet behind each.
type Rehearsal struct {
	Most int // how many mixtures of older and new answers are tried behind a step

	player *Player
	plan   *plan.Plan
	all    []plan.PlannedDoor // of the whole estate, whatever the plan is about
	meant  map[web.Door]bool  // those that it is about
	blind  map[string]bool    // domains whose zone nobody has seen
	asker  func() (*live.Asker, *live.Client, error)
	tasks  map[int][]plan.Task
	backs  []plan.Back
	begins map[web.Door]string // how doors answered before anything was typed
	mail   map[string]string   // where the mail of domains ended then
	dark   map[string]string   // of hosts: what was said beforehand of them
	done   int
	last   plan.Met
	at     map[string]string // where hosts led when all doors were looked at last
	told   *predict.Typed    // and what carriers knew then
}

// MostMixtures is how many mixtures of older and new answers are tried behind a step, where nobody
// asks for fewer.
const MostMixtures = 40

// NewRehearsal starts the stage. doors are those that are looked at: of the whole estate, though
// the plan be about a part of it. ask gives somebody who asks on it; it is called again after each
// change, since connections that are kept would show what was there before. Close it in the end.
func NewRehearsal(ctx context.Context, p *plan.Plan, doors []plan.PlannedDoor,
	ask func(v *live.Vantage) (*live.Asker, *live.Client, error)) (*Rehearsal, error) {
	today, err := FromSurvey(p)
	if err != nil {
		return nil, err
	}
	player, err := Play(today, p)
	if err != nil {
		return nil, err
	}
	r := &Rehearsal{Most: MostMixtures, player: player, plan: p, tasks: map[int][]plan.Task{},
		backs: p.Backs(), dark: map[string]string{}, all: doors, meant: map[web.Door]bool{}}
	for _, d := range p.Doors {
		r.meant[d.Door] = true
	}
	r.blind = unseenDomains(p)
	r.asker = func() (*live.Asker, *live.Client, error) {
		v := player.Vantage()
		return ask(&v)
	}
	for _, t := range p.Tasks() {
		r.tasks[t.Number] = append(r.tasks[t.Number], t)
	}
	_, w, err := r.asker()
	if err != nil {
		player.Close()
		return nil, err
	}
	defer w.Close()
	r.begins = r.signatures(ctx, w, r.doors(nil))
	r.mail = r.mailNow()
	return r, nil
}

// unseenDomains gives the domains of which nobody knows what stands in their zone today.
func unseenDomains(p *plan.Plan) map[string]bool {
	known := map[string]bool{}
	if v := p.Seen(); v != nil {
		for i := range v.Domains {
			d := &v.Domains[i]
			known[d.Name] = d.Seen() || d.Nowhere()
		}
	}
	made := map[string]bool{}
	for _, d := range p.Estate.Domains {
		made[d.Name.String()] = !known[d.Name.String()]
	}
	return made
}

// Close ends the stage.
func (r *Rehearsal) Close() { _ = r.player.Close() }

// doors gives the doors of some names, and of what follows them; of all for nil.
func (r *Rehearsal) doors(names map[string]bool) []plan.PlannedDoor {
	zones := map[string]bool{}
	for name := range names {
		if h, err := web.ParseHost(name); err == nil && r.plan.Estate.DomainOf(h) != nil {
			zones[r.plan.Estate.DomainOf(h).Name.String()] = true
		}
	}
	return slices.DeleteFunc(slices.Clone(r.all), func(d plan.PlannedDoor) bool {
		return names != nil && !zones[d.Domain]
	})
}

// signatures says how doors answer.
func (r *Rehearsal) signatures(ctx context.Context, w *live.Client,
	doors []plan.PlannedDoor) map[web.Door]string {
	said := make([]string, len(doors))
	crew.Each(len(doors), func(i int) { said[i] = signature(ctx, w, doors[i].Door) })
	made := map[web.Door]string{}
	for i, d := range doors {
		made[d.Door] = said[i]
	}
	return made
}

// signature says how a door answers: what a browser meets first.
func signature(ctx context.Context, w *live.Client, d web.Door) string {
	a := w.Answer(ctx, chain.Ask{URL: d.URL("/", "")})
	if a.Refusal != "" {
		return string(a.Refusal)
	}
	text := fmt.Sprint(a.Status, " ", a.Location)
	if a.TLS != nil {
		for _, f := range a.TLS.Faults {
			text += " " + f.String()
		}
	}
	return strings.TrimSpace(text)
}

// Next does the next step, and says what is met then.
func (r *Rehearsal) Next(ctx context.Context) (plan.Met, error) {
	r.done++
	before := r.player.now
	for _, t := range r.tasks[r.done] {
		if err := r.player.Do(t); err != nil {
			return plan.Met{}, err
		}
	}
	r.foretell()
	m := plan.Met{Step: r.done}
	if kind := r.plan.Steps[r.done-1].Kind; r.done > 1 && idle[kind] {
		m = r.last // nothing has changed since somebody looked
		m.Step, m.Mixtures, m.All, m.Undo = r.done, 0, 0, 0
		return m, nil
	}
	defer func() { r.last = m }()
	if err := r.look(ctx, &m, r.doors(nil), nil); err != nil {
		return m, err
	}
	if err := r.mixtures(ctx, &m, before); err != nil {
		return m, err
	}
	return m, r.andBack(&m, before)
}

// idle are the steps in which nothing is typed, and whose doors nobody says to be right by then.
var idle = map[act.StepKind]bool{act.OutlastTTLs: true, act.WaitForTTLs: true, act.LeaveOld: true,
	act.SeeAgreement: true, act.FindDS: true, act.SurveyFirst: true, act.TryRedirects: true}

// andBack undoes the step that was done last, looks whether everything stands as it did, and does
// the step again.
func (r *Rehearsal) andBack(m *plan.Met, before Scene) error {
	rows := r.backs[m.Step-1].Rows
	if len(rows) == 0 {
		return nil
	}
	after, typed, told := r.player.now, r.player.rows, r.player.told.Load()
	if err := r.player.Undo(rows); err != nil {
		return err
	}
	for _, name := range changedNames(before, r.player.now, true) {
		m.Broken = append(m.Broken, plan.Broken{What: strings.TrimSuffix(name, "."),
			Met: "other records once the step is undone"})
	}
	for _, what := range r.backs[m.Step-1].Differs {
		m.Broken = append(m.Broken, plan.Broken{What: what, Met: "another state once the step is undone"})
	}
	m.Undo = len(rows)
	r.player.now, r.player.rows = after, typed
	r.player.told.Store(told)
	return r.player.SetNames(after)
}

// foretell notes of which hosts the steps so far said that they will fail for a while, and until
// when.
func (r *Rehearsal) foretell() {
	r.dark = map[string]string{}
	for i, s := range r.plan.Steps {
		says := ""
		switch s.Kind {
		case act.IssueCertificates:
			says = "its certificate is issued only then"
		case act.ChoosePrimaries:
			says = "it redirects only then"
		case act.ClaimAfter:
			says = "it is claimed only then"
		}
		if i+1 > r.done && says != "" {
			for _, place := range s.Places {
				c := r.plan.Estate.Carrier(place)
				for _, z := range s.Zones {
					r.tell(z, c, fmt.Sprintf("step %d: %s", i+1, says))
				}
			}
		}
		if len(s.Dark) > 0 && i+1 == r.done {
			for _, h := range s.Dark {
				r.dark[h] = fmt.Sprintf("step %d says so", i+1)
			}
		}
	}
}

func (r *Rehearsal) tell(zone string, c *estate.Carrier, says string) {
	for _, d := range r.all {
		front := r.plan.Estate.Carrier(d.Carrier)
		its := c != nil && (d.Carrier == c.Name || front != nil && front.Behind == c.Name)
		if d.Domain == zone && its && r.dark[d.Door.Host.String()] == "" {
			r.dark[d.Door.Host.String()] = says
		}
	}
}

// look looks at doors, and at all mail where old is nil: names of which older answers are held.
func (r *Rehearsal) look(ctx context.Context, m *plan.Met, doors []plan.PlannedDoor,
	old []string) error {
	asker, w, err := r.asker()
	if err != nil {
		return err
	}
	defer w.Close()
	at := r.addresses()
	// what carriers were told is the same, and names lead where they led: doors answer as they did
	if r.told == r.player.told.Load() && maps.Equal(at, r.at) {
		if old == nil {
			m.Arrive, m.Today, m.Said, m.Unseen = r.last.Arrive, r.last.Today, r.last.Said,
				r.last.Unseen
			m.Broken = slices.DeleteFunc(slices.Clone(r.last.Broken), func(b plan.Broken) bool {
				return b.Old != nil || strings.HasPrefix(b.What, mailOf)
			})
		}
		if old != nil || !audits(r.plan.Steps[r.done-1].Kind) {
			r.lookAtMail(m, old)
			return nil
		}
		m.Arrive, m.Today, m.Said, m.Unseen, m.Broken = 0, 0, nil, nil, nil
	}
	if old == nil {
		r.told, r.at = r.player.told.Load(), at
	}
	type verdict struct {
		fine, unseen bool
		meets        string // of those that are not fine
	}
	said := make([]verdict, len(doors))
	crew.Each(len(doors), func(i int) {
		e := expect.Expectation{Kind: expect.Door, URL: doors[i].Door.URL("/", "").String(),
			Values: []string{doors[i].LeadsTo.String()}}
		seen := e.Judge(asker.Ask(ctx, e, e.Where()))
		said[i] = verdict{fine: e.Missing(seen) == nil, unseen: e.Unanswered(seen) != nil}
		if said[i].fine = said[i].fine && !said[i].unseen; !said[i].fine {
			said[i].meets = signature(ctx, w, doors[i].Door)
		}
	})
	if err := ctx.Err(); err != nil {
		return err
	}
	for i, d := range doors {
		name, host, meets := d.Door.String(), d.Door.Host.String(), said[i].meets
		asToday := meets == r.begins[d.Door]
		switch {
		case said[i].fine:
			if old == nil {
				m.Arrive++
			}
		case r.blind[d.Domain], !asToday && r.isBlind(d.LeadsTo.Host().String()):
			if old == nil { // the stage began without its records, or those of where it leads
				m.Unseen = append(m.Unseen, name)
			}
		case asToday && old == nil && r.audited(d):
			m.Broken = append(m.Broken, plan.Broken{What: name, Met: meets})
		case asToday:
			if old == nil {
				m.Today++
			}
		case said[i].unseen && meets != string(chain.NoAddress):
			m.Unseen = append(m.Unseen, name)
		case r.dark[host] != "":
			if old == nil {
				m.Said = append(m.Said, name+" ("+r.dark[host]+")")
			}
		default:
			m.Broken = append(m.Broken, plan.Broken{What: name, Met: meets, Old: old})
		}
	}
	r.lookAtMail(m, old)
	return nil
}

// mailOf stands before a domain whose mail is meant.
const mailOf = "mail of "

func audits(kind act.StepKind) bool { return kind == act.AuditDoors }

// addresses asks the name server where the hosts of all doors lead, and the canonical one.
func (r *Rehearsal) addresses() map[string]string {
	hosts := map[string]bool{r.plan.Estate.Canonical.Host.String(): true}
	for _, d := range r.all {
		hosts[d.Door.Host.String()] = true
	}
	made := map[string]string{}
	for host := range hosts {
		for _, kind := range []uint16{dns.TypeA, dns.TypeAAAA} {
			var ends []string
			for _, rr := range r.ask(host, kind) {
				if a, is := addressOf(rr); is {
					ends = append(ends, a.String())
				}
			}
			slices.Sort(ends)
			made[host] += " " + strings.Join(ends, " ")
		}
	}
	return made
}

// audited reports whether the step that was done last says that a door is where it should be.
func (r *Rehearsal) audited(d plan.PlannedDoor) bool {
	if r.done == 0 || r.done > len(r.plan.Steps) {
		return false
	}
	s := r.plan.Steps[r.done-1]
	return audits(s.Kind) && r.meant[d.Door] &&
		(len(s.Zones) == 0 || slices.Contains(s.Zones, d.Domain))
}

// lookAtMail compares where mail ends with where it ended. Where somebody asks that it goes
// elsewhere, it may end there too, and nowhere else; where there is to be none, nowhere.
func (r *Rehearsal) lookAtMail(m *plan.Met, old []string) {
	now := r.mailNow()
	for _, name := range slices.Sorted(maps.Keys(r.mail)) {
		d := r.plan.Estate.DomainOf(web.MustParseHost(name))
		may := machines(r.mail[name])
		fine := now[name] == r.mail[name] || d.Mail == "none" && now[name] == ""
		for _, w := range d.Wanted {
			if w.Type == "MX" && w.Name == name {
				may = append(may, r.machinesOf(record.Target("MX", w.Value))...)
				fine = true
			}
		}
		for _, machine := range machines(now[name]) {
			fine = fine && slices.Contains(may, machine)
		}
		switch {
		case !fine, now[name] == "" && d.Mail != "none":
			m.Broken = append(m.Broken, plan.Broken{What: mailOf + name, Met: now[name], Old: old})
		case old == nil:
			m.Mail++
		}
	}
}

// machines gives the machines that mailNow names.
func machines(text string) []string {
	return strings.Fields(strings.ReplaceAll(text, ", then", ""))
}

// machinesOf asks where a name of a machine ends, as mailNow says it.
func (r *Rehearsal) machinesOf(name string) []string {
	var ends []string
	for _, kind := range []uint16{dns.TypeA, dns.TypeAAAA} {
		for _, rr := range r.ask(name, kind) { // nobody reaches a machine without an address
			if a, is := addressOf(rr); is {
				ends = append(ends, a.String())
			}
		}
	}
	if !r.inEstate(name) || r.isBlind(name) { // whatever it leads to
		ends = append(ends, dns.Fqdn(name))
	}
	return ends
}

// ask asks the stage's resolver.
func (r *Rehearsal) ask(name string, kind uint16) []dns.RR {
	answer, err := dns.Exchange(new(dns.Msg).SetQuestion(dns.Fqdn(name), kind),
		r.player.Vantage().Resolvers[0])
	if err != nil {
		return nil
	}
	return answer.Answer
}

// mailNow asks the name server where the mail of each domain ends that has some: its MX records,
// and the addresses of their machines.
func (r *Rehearsal) mailNow() map[string]string {
	made := map[string]string{}
	v := r.plan.Seen()
	if v == nil {
		return made
	}
	for i := range v.Domains {
		d := &v.Domains[i]
		if !d.Seen() || r.plan.Estate.DomainOf(web.MustParseHost(d.Name)) == nil {
			continue
		}
		ends := map[int][]string{} // by preference
		for _, rr := range r.ask(d.Name, dns.TypeMX) {
			mx, is := rr.(*dns.MX)
			if !is || mx.Mx == "." {
				continue
			}
			if all := r.machinesOf(mx.Mx); len(all) > 0 {
				ends[int(mx.Preference)] = append(ends[int(mx.Preference)], all...)
			}
		}
		var turns []string // machines that are tried alike, then others
		for _, preference := range slices.Sorted(maps.Keys(ends)) {
			alike := ends[preference]
			slices.Sort(alike)
			turns = append(turns, strings.Join(slices.Compact(alike), " "))
		}
		if len(turns) > 0 {
			made[d.Name] = strings.Join(turns, ", then ")
		}
	}
	return made
}

// isBlind reports whether a name stands in a zone that nobody has seen.
func (r *Rehearsal) isBlind(name string) bool {
	h, err := web.ParseHost(strings.TrimSuffix(name, "."))
	if err != nil || r.plan.Estate.DomainOf(h) == nil {
		return false
	}
	return r.blind[r.plan.Estate.DomainOf(h).Name.String()]
}

func (r *Rehearsal) inEstate(name string) bool {
	h, err := web.ParseHost(strings.TrimSuffix(name, "."))
	return err == nil && r.plan.Estate.DomainOf(h) != nil
}

// mixtures has resolvers hold older answers of some of the names that a step changed, and looks at
// what follows them: of all, of each alone, of all but each, and of others at random.
func (r *Rehearsal) mixtures(ctx context.Context, m *plan.Met, before Scene) error {
	after := r.player.now
	changed := r.askedBefore(changedNames(before, after, false), before)
	if len(changed) == 0 {
		return nil
	}
	all := subsets(changed)
	m.All = len(all)
	if m.All > r.Most {
		rand.New(rand.NewPCG(1, uint64(m.Step))).Shuffle(len(all)-1, func(i, j int) {
			all[i+1], all[j+1] = all[j+1], all[i+1]
		})
		all = all[:r.Most]
	}
	names := map[string]bool{}
	for _, name := range changed {
		names[strings.TrimSuffix(name, ".")] = true
	}
	defer func() { _ = r.player.SetNames(after) }()
	for _, old := range all {
		mixed := after
		mixed.Zones = mix(before.Zones, after.Zones, old)
		mixed.NameServers = maps.Clone(after.NameServers)
		for a, n := range after.NameServers {
			c := *n
			if was := before.NameServers[a]; was != nil {
				c.Zones = mix(was.Zones, n.Zones, old)
			}
			mixed.NameServers[a] = &c
		}
		if err := r.player.SetNames(mixed); err != nil {
			return err
		}
		if err := r.look(ctx, m, r.doors(names), old); err != nil {
			return err
		}
		m.Mixtures++
	}
	return nil
}

// askedBefore leaves out the names that did not exist before and are no hosts: nobody has ever
// asked for them, so that nobody holds that they are missing.
func (r *Rehearsal) askedBefore(names []string, before Scene) []string {
	asked := map[string]bool{}
	for _, z := range before.Zones {
		for _, rr := range z.Records {
			asked[strings.ToLower(rr.Header().Name)] = true
		}
	}
	for _, d := range r.all {
		asked[dns.Fqdn(d.Door.Host.String())] = true
	}
	return slices.DeleteFunc(names, func(name string) bool { return !asked[name] })
}

// changedNames gives the owners whose records differ, in order; in nothing but a TTL where those
// count.
func changedNames(before, after Scene, ttls bool) []string {
	owned := func(s Scene) map[string]string {
		made := map[string]string{}
		for _, z := range s.Zones {
			for _, rr := range z.Records {
				key := strings.ToLower(rr.Header().Name)
				plain := dns.Copy(rr)
				if !ttls || plain.Header().Rrtype == dns.TypeNS { // the parent gives those another
					plain.Header().Ttl = 0
				}
				made[key] += plain.String() + "\n"
			}
		}
		for key, text := range made {
			lines := strings.Split(text, "\n")
			slices.Sort(lines)
			made[key] = strings.Join(slices.Compact(lines), "\n")
		}
		return made
	}
	was, is := owned(before), owned(after)
	names := map[string]bool{}
	for name := range was {
		names[name] = names[name] || was[name] != is[name]
	}
	for name := range is {
		names[name] = names[name] || was[name] != is[name]
	}
	var all []string
	for _, name := range slices.Sorted(maps.Keys(names)) {
		if names[name] {
			all = append(all, name)
		}
	}
	return all
}

// subsets gives sets of names: all of them, each alone, and all but each.
func subsets(names []string) [][]string {
	all := [][]string{names}
	if len(names) < 2 {
		return all
	}
	for i := range names {
		all = append(all, names[i:i+1])
		if len(names) > 2 {
			all = append(all, slices.Delete(slices.Clone(names), i, i+1))
		}
	}
	return all
}

// mix gives zones with the older records of some names.
func mix(before, after []Zone, old []string) []Zone {
	is := map[string]bool{}
	for _, name := range old {
		is[name] = true
	}
	held := func(rr dns.RR) bool { return is[strings.ToLower(rr.Header().Name)] }
	made := make([]Zone, len(after))
	for i, z := range after {
		made[i] = Zone{Origin: z.Origin, Records: slices.DeleteFunc(slices.Clone(z.Records), held)}
		for _, o := range before {
			if o.Origin != z.Origin {
				continue
			}
			for _, rr := range o.Records {
				if held(rr) {
					made[i].Records = append(made[i].Records, rr)
				}
			}
		}
	}
	return made
}
