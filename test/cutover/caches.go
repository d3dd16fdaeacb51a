package cutover

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
)

// cache is what one resolver holds, by name and type.
type cache struct{ held map[string]heldAnswer }

type heldAnswer struct {
	values []string
	alias  string
	until  int
}

const (
	zoneTTL   = 3600 // of all records of the zones of today
	nothingIs = 900  // for how long it is held that there is nothing
)

// behind gives the player as somebody sees it who asks a resolver: what that holds it says, and the
// rest it asks for, and holds then.
func (pl *Player) behind(c *cache) *Player {
	seen := *pl
	seen.ask = func(name, kind string) ([]string, string) {
		for _, k := range []string{kind, "CNAME"} {
			if h, is := c.held[name+" "+k]; is && h.until > pl.clock && (k == kind || h.alias != "") {
				return h.values, h.alias
			}
		}
		values, alias := pl.live(name, kind)
		c.take(pl, name, kind, values, alias)
		return values, alias
	}
	return &seen
}

func (c *cache) take(pl *Player, name, kind string, values []string, alias string) {
	ttl, at := nothingIs, kind
	owner := pl.owner(name)
	of := func(kind string) int {
		if known, is := pl.ttl[owner+" "+kind]; is {
			return known
		}
		return zoneTTL
	}
	switch {
	case alias != "":
		ttl, at = of("CNAME"), "CNAME"
	case len(values) > 0:
		ttl = of(kind)
	}
	c.held[name+" "+at] = heldAnswer{slices.Clone(values), alias, pl.clock + ttl}
}

// remember has resolvers ask before something is typed: one for all that anybody may ask about, and
// one for some of it, by chance. Those that hold nothing old any more are forgotten.
func (pl *Player) remember() {
	if pl.alone {
		return
	}
	pl.caches = slices.DeleteFunc(pl.caches, func(c *cache) bool {
		for _, h := range c.held {
			if h.until > pl.clock {
				return false
			}
		}
		return true
	})
	names := slices.Concat(pl.doors, pl.needed)
	for name, at := range pl.lines {
		names = append(names, name)
		for _, v := range slices.Concat(at["MX"], at["CNAME"], at["SRV"]) {
			names = append(names, strings.TrimSuffix(v[strings.LastIndex(v, " ")+1:], "."))
		}
	}
	slices.Sort(names)
	all, some := &cache{map[string]heldAnswer{}}, &cache{map[string]heldAnswer{}}
	for _, name := range slices.Compact(names) {
		if pl.zone(name) == "" || strings.HasPrefix(name, "*.") {
			continue
		}
		for _, kind := range []string{"A", "AAAA", "MX", "TXT", "SRV"} {
			values, alias := pl.live(name, kind)
			all.take(pl, name, kind, values, alias)
			if pl.random.IntN(2) == 0 {
				some.take(pl, name, kind, values, alias)
			}
		}
	}
	pl.caches = append(pl.caches, all, some)
}

// Run types all tasks of a plan, each as soon as what has to come before it is done and waited for,
// and says what broke. When the plan says that everything is to be audited, nobody may be led
// anywhere else than whoever asks now.
func (pl *Player) Run(p *plan.Plan, tasks []plan.Task) []string {
	var broken []string
	over := map[int]int{} // by step
	for _, t := range tasks {
		begin := pl.clock
		for _, n := range t.Step.Needs {
			begin = max(begin, over[n])
		}
		if t.Step.Kind == act.RaiseTTLs {
			begin += t.Step.Wait
		}
		pl.clock = begin
		if t.Step.Kind == act.AuditDoors {
			broken = append(broken, pl.stillHeld(p, t.Step.Zones)...)
		}
		broken = append(broken, pl.Type(t)...)
		over[t.Number] = max(over[t.Number], pl.clock+t.Step.Wait)
	}
	return broken
}

// stillHeld says which doors of zones, or of all, some are led from to elsewhere than whoever asks
// now.
func (pl *Player) stillHeld(p *plan.Plan, zones []string) []string {
	var all []string
	for _, c := range pl.caches {
		seen := pl.behind(c)
		for _, d := range p.Domains() {
			if d.State == "moved" || len(zones) > 0 && !slices.Contains(zones, d.Name.String()) {
				continue
			}
			for _, h := range d.Hosts() {
				if is, was := pl.ends(h.String(), 0), seen.ends(h.String(), 0); !slices.Equal(is, was) {
					all = append(all, "still held: "+h.String()+" at "+strings.Join(was, " "))
				}
			}
		}
	}
	return all
}
