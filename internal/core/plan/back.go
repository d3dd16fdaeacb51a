package plan

import (
	"fmt"
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/world"
)

// Back is the way back from a step: what takes it back, and what that costs right after it.
type Back struct {
	Rows []world.Row // in the order in which they are typed
	// for how long some still meet what was there in between, in seconds
	Lasts int
	Keeps bool // browsers keep the permanent redirects that they have met
	// what shows that it is taken back, by place, and how many rows nothing shows
	Expects map[string][]expect.Expectation
	Hidden  map[string]int
	Breaks  []finding.Finding // what breaks on the way back
	Differs []string          // in what the state is not what it was before the step; none
}

// Backs gives the way back from each step: it plays them in their order, and after each of them,
// on a state of its own, what takes it back.
func (p *Plan) Backs() []Back {
	pl := newPlayer(p)
	pl.watch = world.NewWatch(pl.world, pl.wishes())
	pl.servers = map[[2]string]string{}
	for _, s := range p.Sheets() {
		for _, l := range s.Lines {
			if at := [2]string{s.Place, l.Zone}; pl.servers[at] == "" {
				pl.servers[at] = l.Check.Server
			}
		}
	}
	all := make([]Back, len(p.Steps))
	number := 0
	p.walk(pl.world, p.Typed(), func(i int, _ act.Step, deeds []deed) {
		if i == len(p.Steps) || len(deeds) == 0 {
			for _, d := range deeds {
				pl.world.Act(d.rows)
			}
			return
		}
		before := pl.world.Fork()
		var acts [][]world.Row
		keeps := false
		for _, d := range deeds {
			keeps = keeps || Lasting(d.rows)
			number++
			if rows := pl.world.Back(d.rows); len(rows) > 0 {
				acts = append(acts, rows)
			}
			pl.watch.Act(number, d.rows)
		}
		slices.Reverse(acts)
		all[i] = p.takeBack(pl, before, acts)
		all[i].Keeps = keeps
	})
	return all
}

// takeBack plays acts that take something back, from the state of a player, and compares what comes
// of them with the state before.
func (p *Plan) takeBack(pl *player, before *world.World, acts [][]world.Row) Back {
	state := pl.world.Fork()
	watch := pl.watch.Fork(state)
	said := &player{plan: p, world: state, said: map[string]bool{}, step: pl.step}
	made := Back{Expects: map[string][]expect.Expectation{}, Hidden: map[string]int{}}
	for n, rows := range acts {
		said.broke(watch.Act(n+1, rows))
		made.Rows = append(made.Rows, rows...)
	}
	made.Breaks, made.Differs = said.tally.Findings(), before.Differs(state)
	names := map[string]map[string]bool{}
	for _, r := range made.Rows {
		name, err := record.Name(r.Label, r.Zone)
		switch {
		case r.Kind == world.NameServers:
			put(names, r.Domain, "")
		case r.IsRecord() && err == nil && r.Do != world.Lower && r.Do != world.Raise:
			put(names, r.Zone, name)
		}
	}
	made.Lasts, _ = said.longest(names, false, func(string) bool { return true })
	for _, r := range made.Rows {
		shown := made.expectEntry
		if r.IsRecord() {
			shown = func(r world.Row) bool {
				return made.expectRecord(pl.servers[[2]string{r.Place, r.Zone}], before, r)
			}
		}
		if !shown(r) {
			made.Hidden[r.Place]++
		}
	}
	return made
}

// expectRecord adds what the zone's name server answers once a record is taken back; false where
// nobody can see it.
func (b *Back) expectRecord(server string, before *world.World, r world.Row) bool {
	name, err := record.Name(r.Label, r.Zone)
	if err != nil || server == "" || r.Type == record.Alias || r.Through != "" {
		return false // the provider decides on what is answered
	}
	e := expect.Expectation{Kind: expect.Records, Name: name, Type: r.Type, Server: server}
	if r.Do == world.Lower || r.Do == world.Raise {
		e.Kind, e.TTL = expect.TTLAtLeast, r.TTL
		if r.Do == world.Lower {
			e.Kind = expect.TTLAtMost
		}
	} else {
		there, _ := before.Set(r.Zone, record.Key{Name: name, Type: r.Type})
		for _, v := range there {
			e.Values = append(e.Values, v.Text)
		}
		if len(there) == 0 && r.Type != "CNAME" {
			if alias, is := before.Set(r.Zone, record.Key{Name: name, Type: "CNAME"}); is &&
				len(alias) > 0 {
				return true // the alias answers in its place, and is asked for itself
			}
		}
	}
	for _, o := range b.Expects[r.Place] {
		if o.Kind == e.Kind && o.Name == e.Name && o.Type == e.Type && o.Server == e.Server {
			return true
		}
	}
	b.Expects[r.Place] = append(b.Expects[r.Place], e)
	return true
}

// expectEntry adds what the parent zone says once an entry is taken back; false where nobody sees
// it from outside.
func (b *Back) expectEntry(r world.Row) bool {
	if r.Kind != world.NameServers {
		return false
	}
	e := expect.Expectation{Kind: expect.Delegation, Name: r.Domain}
	for _, f := range r.Fields {
		e.Values = append(e.Values, f.Value)
	}
	b.Expects[r.Place] = append(b.Expects[r.Place], e)
	return true
}

// BackNow gives what it costs to take something back now: once what was typed so far is typed, each
// in its order, and some seconds have passed since. What a survey has seen since is there already.
func (p *Plan) BackNow(done []world.Typing, since int, undo []world.Row) Back {
	pl := newPlayer(p)
	pl.watch = world.NewWatch(pl.world, pl.wishes())
	number := 0
	for _, d := range done {
		pl.world.Wait(d.After)
		for _, act := range actsOf(d.Rows) {
			number++
			pl.watch.Act(number, act)
		}
	}
	pl.world.Wait(since)
	return p.takeBack(pl, pl.world.Fork(), actsOf(undo))
}

// actsOf parts rows into those that are typed at once.
func actsOf(rows []world.Row) [][]world.Row {
	var all [][]world.Row
	for begin := 0; begin < len(rows); {
		end := begin + 1
		for end < len(rows) && rows[end].IsRecord() == rows[begin].IsRecord() {
			end++
		}
		if rows[begin].IsRecord() {
			all = append(all, atOnce(rows[begin:end])...)
		} else {
			for i := begin; i < end; i++ {
				all = append(all, rows[i:i+1])
			}
		}
		begin = end
	}
	return all
}

// Means tells what a task has people put on a server beyond what its entries say, a line each: the
// doors and rules that its configuration holds; nothing where there is none.
func (p *Plan) Means(t Task) []string {
	i := slices.IndexFunc(t.Entries, func(e act.Entry) bool { return e.Kind == world.Config })
	if i < 0 {
		return nil
	}
	var all []string
	for _, d := range p.Doors {
		if d.Carrier == t.Place || p.Estate.Carrier(d.Carrier) != nil &&
			p.Estate.Carrier(d.Carrier).Behind == t.Place {
			all = append(all, fmt.Sprintln(d.Door, d.LeadsTo, d.Fallback))
		}
	}
	for _, r := range p.Rules {
		if slices.Contains(r.Carriers, t.Place) {
			all = append(all, fmt.Sprintln(r.Old, r.New, r.Status, r.Query))
		}
	}
	return all
}

// Lasting reports whether visitors meet permanent redirects once rows are typed, which their
// browsers keep: doors lead elsewhere, or somebody redirects them.
func Lasting(rows []world.Row) bool {
	return slices.ContainsFunc(rows, func(r world.Row) bool {
		return r.IsRecord() && record.LeadsBrowsers(r.Type) && r.Do != world.Lower &&
			r.Do != world.Raise || r.Kind == world.Primary
	})
}
