package world

import (
	"net/netip"
	"slices"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// Seen gives what a survey would see of this state of the zones that an earlier one saw: their
// records, who is delegated to, and what those answer to which a zone moves. How doors answered is
// kept where names lead where they led then, and left out elsewhere. What that survey did not see,
// this one does not either.
func (w *World) Seen(before *survey.Survey, first *World) *survey.Survey {
	made := *before
	made.Domains = slices.Clone(before.Domains)
	for i := range made.Domains {
		d := &made.Domains[i]
		z := w.zones[d.Name]
		if z == nil || z.unseen || !d.Seen() {
			continue
		}
		d.Looked = before.Started
		d.Records = w.setsSeen(z)
		moved := !slices.Equal(DelegatedTo(&before.Domains[i]), z.servers)
		d.Parent.Servers = z.servers
		d.Parent.DS = slices.DeleteFunc(slices.Clone(d.Parent.DS), func(ds survey.DS) bool {
			return !slices.Contains(z.ds, ds.Text)
		})
		d.Coming = slices.Clone(d.Coming)
		if coming := w.coming[d.Name]; coming != nil {
			for j := range d.Coming {
				d.Coming[j].State, d.Coming[j].Records = survey.Answers, w.setsSeen(coming)
				d.Coming[j].Missed = nil
			}
		}
		if moved {
			d.Coming, d.Servers = nil, nil
			for _, name := range z.servers {
				d.Servers = append(d.Servers, survey.Server{Name: name, State: survey.Answers})
			}
		}
		d.Chains = nil
		for _, c := range before.Domains[i].Chains {
			host := c.Entry.Host().String()
			if w.Lead(host).Same(first.Lead(host)) {
				d.Chains = append(d.Chains, c)
			}
		}
	}
	return &made
}

// setsSeen gives the records of a zone as the world sees them: of what goes through an edge
// network, and of the provider's alias, the addresses.
func (w *World) setsSeen(z *zone) []record.Set {
	var all []record.Set
	at := map[record.Key]int{}
	add := func(name, kind, value string, ttl int) {
		key := record.Key{Name: name, Type: kind}
		i, known := at[key]
		if !known {
			i = len(all)
			at[key] = i
			all = append(all, record.Set{Name: name, Type: kind, TTL: ttl})
		}
		if s := &all[i]; !slices.Contains(s.Values, value) {
			s.Values, s.TTL = append(s.Values, value), max(s.TTL, ttl)
		}
	}
	address := func(name, value string, ttl int) {
		if a, err := netip.ParseAddr(value); err == nil {
			kind := "A"
			if a.Is6() {
				kind = "AAAA"
			}
			add(name, kind, value, ttl)
		}
	}
	for owner, sets := range z.sets {
		for _, s := range sets {
			for _, v := range s.Values {
				switch {
				case v.Through != "":
					for _, a := range w.places.at(v.Through) {
						address(owner, a, v.TTL)
					}
				case s.Type == record.Alias:
					for _, kind := range []string{"A", "AAAA"} {
						for _, a := range w.AddressesAt(record.Target("CNAME", v.Text), kind) {
							address(owner, a, v.TTL)
						}
					}
				default:
					add(owner, s.Type, v.Text, v.TTL)
				}
			}
		}
	}
	record.Sort(all)
	return all
}
