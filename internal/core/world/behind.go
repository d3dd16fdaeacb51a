package world

import (
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Behind gives what was seen of a domain as it stands on the page of the edge network that holds
// its zone: the world meets the network's own addresses at some names, and somebody wrote down what
// stands behind them. through has the network by name. Without such a network, or where nobody
// wrote anything down, the domain is as it was seen.
func Behind(e *estate.Estate, d *estate.Domain, seen *survey.Domain) (is *survey.Domain,
	through map[string]string) {
	edge := HeldBy(e, seen)
	if edge == nil || len(d.Origin) == 0 {
		return seen, nil
	}
	through = map[string]string{}
	made := *seen
	made.Records = nil
	for _, s := range seen.Records {
		origin := d.OriginOf(s.Name)
		if (s.Type != "A" && s.Type != "AAAA") || len(origin) == 0 || !allOf(edge, s.Values) {
			made.Records = append(made.Records, s)
			continue
		}
		if through[s.Name] != "" {
			continue // its other addresses
		}
		through[s.Name] = edge.Name
		made.Records = append(made.Records, originSets(s.Name, s.TTL, origin)...)
	}
	record.Sort(made.Records)
	return &made, through
}

// HeldBy gives the edge network that holds a zone, by its name servers; nil where none does.
func HeldBy(e *estate.Estate, seen *survey.Domain) *estate.Carrier {
	if seen == nil {
		return nil
	}
	servers := DelegatedTo(seen)
	for _, c := range e.Carriers {
		if c.By.Row().TakesZone && len(c.NameServers) > 0 &&
			slices.Equal(web.Names(c.NameServers), servers) {
			return c
		}
	}
	return nil
}

// DelegatedTo gives the name servers that the parent names, or else the zone, in order.
func DelegatedTo(seen *survey.Domain) []string {
	servers := seen.Parent.Servers
	if len(servers) == 0 {
		ns, _ := record.Find(seen.Records, seen.Name, "NS")
		for _, v := range ns.Values {
			servers = append(servers, record.Target("NS", v))
		}
	}
	return slices.Compact(inOrder(servers))
}

// allOf reports whether all values are addresses of a carrier.
func allOf(c *estate.Carrier, values []string) bool {
	return !slices.ContainsFunc(values, func(v string) bool {
		a, err := netip.ParseAddr(v)
		return err != nil || !slices.Contains(c.Addresses, a)
	})
}

func originSets(name string, ttl int, origin []string) []record.Set {
	var sets []record.Set
	for _, v := range origin {
		kind := "CNAME"
		if a, err := netip.ParseAddr(v); err == nil {
			if kind = "A"; a.Is6() {
				kind = "AAAA"
			}
		} else {
			v += "."
		}
		if i := slices.IndexFunc(sets, func(s record.Set) bool { return s.Type == kind }); i >= 0 {
			sets[i].Values = append(sets[i].Values, v)
			continue
		}
		sets = append(sets, record.Set{Name: name, Type: kind, TTL: ttl, Values: []string{v}})
	}
	return sets
}

// atEdges gives the names that lead to an edge network which holds their zone, beside doors: they
// go dark where the zone leaves it.
func (w *World) atEdges(doors []web.Host) []web.Host {
	listed := map[string]bool{}
	for _, h := range doors {
		listed[h.String()] = true
	}
	var all []web.Host
	for _, c := range w.estate.Carriers {
		if !c.By.Row().TakesZone || len(c.NameServers) == 0 {
			continue
		}
		for _, z := range w.zones {
			if !slices.Equal(z.servers, web.Names(c.NameServers)) {
				continue
			}
			for owner, sets := range z.sets {
				h, err := web.ParseHost(owner)
				if err != nil || listed[owner] || !slices.ContainsFunc(sets, func(s Set) bool {
					return slices.ContainsFunc(s.Values, func(v Value) bool {
						return v.Through == c.Name ||
							isAddress(s.Type) && slices.Contains(w.places.byEnd[v.Text], c.Name)
					})
				}) {
					continue
				}
				listed[owner] = true
				all = append(all, h)
			}
		}
	}
	slices.SortFunc(all, func(a, b web.Host) int { return strings.Compare(a.String(), b.String()) })
	return all
}
