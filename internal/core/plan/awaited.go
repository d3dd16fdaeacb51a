package plan

import (
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
)

// Awaited gives everything that has to be seen once the plan is carried out: record sets with what
// stood there before, what the zones above say, certificates and doors with where they lead.
func (p *Plan) Awaited() (zones []await.Zone, all []expect.Expectation) {
	for i := range p.Zones {
		z := &p.Zones[i]
		a := await.Zone{Domain: z.Name, Servers: p.nextServers(z.Name)}
		if seen := p.input.Survey.Of(z.Name); seen != nil {
			for _, s := range seen.Servers {
				if !slices.Contains(a.Known, s.Name) {
					a.Known = append(a.Known, s.Name)
				}
			}
		}
		parent := p.parentWants(z)
		a.Parent = len(parent) > 0
		zones, all = append(zones, a), append(append(all, p.wantsOf(z)...), parent...)
	}
	for _, d := range p.Doors {
		e := expect.Expectation{Kind: expect.Certificate, Domain: d.Domain,
			URL: d.Door.URL("/", "").String()}
		if d.Door.Scheme == web.HTTPS {
			all = append(all, e)
		}
		e.Kind, e.Values = expect.Redirect, []string{d.LeadsTo.String()}
		all = append(all, e)
	}
	return zones, all
}

// parentWants gives what the parent zone is to say of a zone that moves, that is new, or whose DS
// record fits no key.
func (p *Plan) parentWants(z *zone.Zone) []expect.Expectation {
	var all []expect.Expectation
	if to := p.nextServers(z.Name); len(to) > 0 {
		e := expect.Expectation{Kind: expect.Delegation, Domain: z.Name, Name: z.Name, Type: "NS",
			Holds:  "NS",
			Values: inFull(to)}
		if z.Move != nil {
			e.Not, e.Lasts = inFull(z.Move.From), z.Move.OldLives
		}
		all = append(all, e)
	}
	for _, s := range p.Steps {
		if (s.Kind == act.RemoveStaleDS || s.Kind == act.RemoveDS) && slices.Contains(s.Zones, z.Name) {
			all = append(all, expect.Expectation{Kind: expect.NoDS, Domain: z.Name, Name: z.Name, Type: "DS",
				Holds: "DS"})
		}
	}
	return all
}

func inFull(names []string) []string {
	all := make([]string, len(names))
	for i, n := range names {
		all[i] = record.Dotted("NS", n)
	}
	return all
}

// wantsOf gives the record sets that a zone is to hold, and those that are to go. An address of a
// door is asked for by either type, as browsers do: where an alias comes, the old address has to be
// gone from every cache.
func (p *Plan) wantsOf(z *zone.Zone) []expect.Expectation {
	values, before := map[record.Key][]string{}, map[record.Key][]string{}
	var order []record.Key
	put := func(name, kind string, after []string) {
		key := record.Key{Name: name, Type: kind}
		if _, known := values[key]; !known {
			order = append(order, key)
		}
		values[key] = zone.Record{Name: name, Type: kind, Values: after}.Set().Values
	}
	for _, r := range z.Records {
		put(r.Name, r.Type, r.Values)
	}
	for i := range z.Changes {
		c := &z.Changes[i]
		if c.Step == 0 {
			continue
		}
		if c.Action == act.Remove {
			put(c.Name, c.Type, nil)
		} else {
			put(c.Name, c.Type, c.After)
		}
		before[record.Key{Name: c.Name, Type: c.Type}] = zone.Record{Name: c.Name, Type: c.Type,
			Values: c.Before}.Set().Values
	}
	// for how long somebody may hold what was there, or that nothing was
	lasts := func(name string, before []string, kinds ...string) int {
		if len(before) == 0 {
			return max(z.AbsentFor, p.today.Lives(z.Name, name, kinds...))
		}
		return p.today.Lives(z.Name, name, kinds...)
	}
	var all []expect.Expectation
	done := map[string]bool{}
	for _, key := range order {
		if !leads(key.Type) {
			if record.IsSigning(key.Type) {
				continue
			}
			w := expect.Expectation{Kind: expect.Records, Domain: z.Name, Name: key.Name, Type: key.Type,
				Holds: key.Type, Values: values[key],
				Not: before[key], Lasts: lasts(key.Name, before[key], key.Type)}
			all = append(all, w)
			continue
		}
		if done[key.Name] {
			continue
		}
		done[key.Name] = true
		all = append(all, addressWants(z, key.Name, values, before, lasts)...)
	}
	return all
}

// leads reports whether records of a type lead a name somewhere.
func leads(kind string) bool {
	return record.LeadsToAddress(kind) || kind == "CNAME" || kind == record.Alias
}

// addressWants gives what a name should answer to each type of address.
func addressWants(z *zone.Zone, name string, values, before map[record.Key][]string,
	lasts func(name string, before []string, kinds ...string) int) []expect.Expectation {
	of := func(m map[record.Key][]string, kind string) []string {
		return m[record.Key{Name: name, Type: kind}]
	}
	var all []expect.Expectation
	for _, kind := range []string{"A", "AAAA"} {
		w := expect.Expectation{Kind: expect.Records, Domain: z.Name, Name: name, Type: kind, Holds: kind,
			Values: of(values, kind)}
		w.Not = slices.Concat(of(before, kind), of(before, "CNAME"))
		switch alias := of(values, "CNAME"); {
		case len(alias) > 0:
			w.Holds, w.Values = "CNAME", alias
		case len(of(values, record.Alias)) > 0:
			if w.Values, w.Alias = of(values, record.Alias), true; kind == "AAAA" {
				continue // whether it has any is the provider's business
			}
		}
		w.Lasts = lasts(name, w.Not, kind, "CNAME")
		all = append(all, w)
	}
	return all
}
