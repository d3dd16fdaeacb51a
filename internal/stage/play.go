package stage

import (
	"fmt"
	"maps"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// Player plays a cutover: a stage that begins as it is today, and on which steps of a plan are
// carried out one by one. Carriers answer as they do today until they are told of a host, and then
// as they were told; they hold a certificate once they were told to get it.
type Player struct {
	*Stage
	plan  *plan.Plan
	first Scene // as it was when the play began
	now   Scene
	rows  []world.Row                   // entries that were typed so far
	told  atomic.Pointer[predict.Typed] // what comes of them
}

// Play starts a stage that plays a scene of today, and that can become what a plan makes of it.
// Resolvers remember nothing there: time does not pass by itself on a stage. An error comes back
// where the plan cannot be played or the stage cannot start.
func Play(today Scene, p *plan.Plan) (*Player, error) {
	typed, err := TypedOf(p)
	if err != nil {
		return nil, err
	}
	planned, err := sceneOf(p, typed)
	if err != nil {
		return nil, err
	}
	player := &Player{plan: p, first: today, now: today}
	nothing := p.Told(nil)
	player.told.Store(&nothing)
	player.now.Remember = false
	player.now.Signed = maps.Clone(today.Signed)
	endpoints := maps.Clone(today.Endpoints)
	for at, later := range planned.scene.Endpoints {
		before, who := today.Endpoints[at], planned.who[at.Addr()]
		both := &Endpoint{Later: later.Certificates, Held: player.held(who)}
		if before != nil {
			both.Certificates = before.Certificates
		}
		if len(both.Certificates) == 0 && len(later.Certificates) > 0 { // it speaks TLS from the start
			both.Certificates = []Certificate{{Names: []string{"nobody.stage.example"}}}
		}
		both.Visit = func(u web.URL, r *http.Request) Reply {
			if reply, told := planned.reply(*player.told.Load(), u, who); told &&
				(before == nil || player.wasTold(who, u)) {
				return reply
			}
			if before != nil {
				return before.reply(u, r)
			}
			return Reply{Status: 404, Title: "Nothing is here yet"}
		}
		endpoints[at] = both
	}
	player.now.Endpoints = endpoints
	player.Stage, err = Start(player.now)
	return player, err
}

// wasTold reports whether any of those at an address was told something of a host by now, so that
// they no longer answer as they do today.
func (p *Player) wasTold(who []string, u web.URL) bool {
	state := p.told.Load().State
	return slices.ContainsFunc(who, func(name string) bool {
		if name == predict.SiteName {
			s := p.plan.Estate.SiteOf(u.Host())
			return s != nil && slices.Contains(s.Also, u.Host()) &&
				state.Redirects(name, u.Host().String(), s.Canonical.Host.String())
		}
		return state.WasTold(name, u)
	})
}

// held reports whether any of those at an address holds a certificate for a host by now.
func (p *Player) held(who []string) func(host string) bool {
	return func(host string) bool {
		return slices.ContainsFunc(who, func(name string) bool {
			c := p.plan.Estate.Carrier(name)
			if c == nil || !slices.Contains(c.Steps, estate.Issue) {
				return true // nobody asks it for any: it sees to them itself
			}
			return p.told.Load().State.Certified(name, host)
		})
	}
}

// Do carries a task out on the stage: types its records and its entries, changes delegations. What
// is done at a provider and seen by nobody changes nothing here. An error comes back where a record
// cannot be read.
func (p *Player) Do(t plan.Task) error {
	p.takeUpdates()
	switch t.Step.Kind {
	case act.RemoveStaleDS, act.RemoveDS:
		for _, zone := range t.Zones {
			p.edit(func(rr dns.RR) bool { return isSet(rr, zone, dns.TypeDS) }, nil)
			if how, signed := p.now.Signed[dns.Fqdn(zone)]; signed {
				how.NoDS = true
				p.now.Signed[dns.Fqdn(zone)] = how
			}
		}
	case act.ChangeNameServers, act.DelegateZones:
		for _, z := range t.Zones {
			if err := p.delegate(z, t.Step.Servers); err != nil {
				return err
			}
		}
	}
	if len(t.Entries) > 0 {
		p.rows = append(p.rows, p.plan.Rows([]plan.Sheet{{Place: t.Place, Entries: t.Entries}})...)
		told := p.plan.Told(p.rows)
		p.told.Store(&told)
	}
	for _, l := range t.Lines {
		if err := p.line(l); err != nil {
			return err
		}
	}
	return p.SetNames(p.now)
}

// Undo types rows that take something back on the stage. A DS record that is published again is the
// one that was there. An error comes back where a record cannot be read.
func (p *Player) Undo(rows []world.Row) error {
	p.takeUpdates()
	p.rows = slices.Clip(p.rows)
	for _, r := range rows {
		switch {
		case r.IsRecord():
			name, err := record.Name(r.Label, r.Zone)
			if err != nil {
				return fmt.Errorf("playing %s: %w", r, err)
			}
			if err := p.line(plan.Line{Name: name, Type: r.Type, TTL: r.TTL, Do: act.Action(r.Do),
				Was: r.Was, Value: r.Value, Dotted: inFull(r.Type, r.Value)}); err != nil {
				return err
			}
			continue
		case r.Kind == world.DSEntry:
			p.publish(r.Domain)
		case r.Kind == world.NameServers:
			var servers []string
			for _, f := range r.Fields {
				servers = append(servers, f.Value)
			}
			if err := p.delegate(r.Domain, servers); err != nil {
				return err
			}
		}
		p.rows = append(p.rows, r)
	}
	told := p.plan.Told(p.rows)
	p.told.Store(&told)
	return p.SetNames(p.now)
}

// takeUpdates takes over what name servers were sent meanwhile.
func (p *Player) takeUpdates() {
	playing := p.Playing()
	p.now.Zones, p.now.NameServers = playing.Zones, playing.NameServers
}

// inFull gives a value that forms show as zone files have it.
func inFull(kind, value string) string {
	full, err := record.Value(kind, value)
	if err != nil || value == "" {
		return record.Dotted(kind, value)
	}
	return full
}

// publish has the parent of a zone name the DS record again that it named when the play began.
func (p *Player) publish(zone string) {
	name := dns.Fqdn(zone)
	if how, signed := p.now.Signed[name]; signed {
		how.NoDS = p.first.Signed[name].NoDS
		p.now.Signed[name] = how
	}
	var comes []dns.RR
	add := func(all []Zone) {
		for _, z := range all {
			for _, rr := range z.Records {
				if isSet(rr, zone, dns.TypeDS) && !slices.ContainsFunc(comes, func(o dns.RR) bool {
					return dns.IsDuplicate(o, rr)
				}) {
					comes = append(comes, rr)
				}
			}
		}
	}
	add(p.first.Zones)
	for _, n := range p.first.NameServers {
		add(n.Zones)
	}
	put := func(all []Zone) {
		for i := range all {
			for _, rr := range comes {
				if dns.IsSubDomain(all[i].Origin, name) && !strings.EqualFold(all[i].Origin, name) {
					all[i].Records = append(slices.Clip(all[i].Records), rr)
				}
			}
		}
	}
	p.edit(func(rr dns.RR) bool { return isSet(rr, zone, dns.TypeDS) }, nil)
	put(p.now.Zones)
	for _, n := range p.now.NameServers {
		put(n.Zones)
	}
}

func isSet(rr dns.RR, name string, kind uint16) bool {
	return strings.EqualFold(rr.Header().Name, dns.Fqdn(name)) && rr.Header().Rrtype == kind
}

// edit takes records away from every zone, and adds others to those zones to which they belong.
func (p *Player) edit(goes func(dns.RR) bool, comes []dns.RR) {
	change := func(all []Zone) []Zone {
		changed := make([]Zone, len(all))
		for i, z := range all {
			records := slices.DeleteFunc(slices.Clone(z.Records), goes)
			for _, rr := range comes {
				if belongs(rr, z, all) {
					records = append(records, rr)
				}
			}
			changed[i] = Zone{z.Origin, records}
		}
		return changed
	}
	p.now.Zones = change(p.now.Zones)
	servers := map[netip.Addr]*NameServer{}
	for a, n := range p.now.NameServers {
		c := *n
		c.Zones = change(n.Zones)
		servers[a] = &c
	}
	p.now.NameServers = servers
}

// belongs reports whether a record stands in a zone: in that whose name is the longest around it,
// and a delegation in the one above.
func belongs(rr dns.RR, z Zone, all []Zone) bool {
	name := rr.Header().Name
	longest := ""
	for _, o := range all {
		delegates := rr.Header().Rrtype == dns.TypeNS && strings.EqualFold(o.Origin, name)
		if dns.IsSubDomain(o.Origin, name) && len(o.Origin) > len(longest) && !delegates {
			longest = o.Origin
		}
	}
	return strings.EqualFold(z.Origin, longest)
}

// delegate has the parent zone name other servers for a zone, and the zone name them itself.
func (p *Player) delegate(zone string, servers []string) error {
	var above []dns.RR
	for _, s := range servers {
		rr, err := dns.NewRR(fmt.Sprintf("%s 3600 IN NS %s", dns.Fqdn(zone), dns.Fqdn(s)))
		if err != nil {
			return fmt.Errorf("playing the name servers of %s: %w", zone, err)
		}
		above = append(above, rr)
	}
	p.edit(func(rr dns.RR) bool { return isSet(rr, zone, dns.TypeNS) }, above)
	within := func(all []Zone) {
		for i := range all {
			if strings.EqualFold(all[i].Origin, dns.Fqdn(zone)) {
				all[i].Records = append(all[i].Records, above...)
			}
		}
	}
	within(p.now.Zones)
	for _, n := range p.now.NameServers {
		within(n.Zones)
	}
	return nil
}

// line types one record.
func (p *Player) line(l plan.Line) error {
	kind, value := l.Type, l.Dotted
	values := []string{value}
	if kind == record.Alias { // the provider answers with addresses
		kind, values = "A", nil
		for _, d := range p.plan.Doors {
			if d.Door.Host.String() != l.Name || values != nil {
				continue
			}
			if c := p.plan.Estate.Carrier(d.Carrier); c != nil {
				for _, a := range c.Addresses {
					if a.Is4() {
						values = append(values, a.String())
					}
				}
			}
		}
	}
	alias := values
	if l.Value == "" || l.Do == act.Remove {
		values = nil
	}
	var comes []dns.RR
	for _, v := range values {
		rr, err := dns.NewRR(fmt.Sprintf("%s %d IN %s %s", dns.Fqdn(l.Name), l.TTL, kind, v))
		if err != nil {
			return fmt.Errorf("playing %s %s: %w", l.Name, l.Type, err)
		}
		comes = append(comes, rr)
	}
	goes := func(dns.RR) bool { return false }
	switch was := inFull(l.Type, l.Was); {
	case l.Type == record.Alias && l.Was != "":
		goes = func(rr dns.RR) bool {
			a, is := rr.(*dns.A)
			return is && isSet(rr, l.Name, dns.TypeA) && slices.Contains(alias, a.A.String())
		}
	case l.Do == act.Lower || l.Do == act.Raise:
		goes = func(rr dns.RR) bool {
			return slices.ContainsFunc(comes, func(c dns.RR) bool { return dns.IsDuplicate(c, rr) })
		}
	case l.Was != "":
		goes = func(rr dns.RR) bool {
			old, err := dns.NewRR(fmt.Sprintf("%s 0 IN %s %s", dns.Fqdn(l.Name), l.Type, was))
			return err == nil && old != nil && dns.IsDuplicate(old, rr)
		}
	}
	p.edit(goes, comes)
	return nil
}
