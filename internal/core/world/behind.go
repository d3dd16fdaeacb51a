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

// Behind gives what was seen of a domain as it stands on its provider's page. Where an edge network
// holds the zone the world meets the network's own addresses at some names; what stands behind them
// somebody wrote down, or a zone file from that page says it. Such a file may hold an alias at the
// apex too, which the provider resolves itself. through has the network, by name. Without any of
// that the domain is as it was seen.
func Behind(e *estate.Estate, d *estate.Domain, seen *survey.Domain) (is *survey.Domain,
	through map[string]string) {
	edge := HeldBy(e, seen)
	exported := isExport(seen, edge)
	if !exported && (edge == nil || len(d.Origin) == 0) {
		return seen, nil
	}
	through = map[string]string{}
	made := *seen
	made.Records = nil
	for _, s := range seen.Records {
		origin := d.OriginOf(s.Name)
		atEdge := edge != nil && (s.Type == "A" || s.Type == "AAAA") && allOf(edge, s.Values)
		switch {
		case atEdge && len(origin) > 0:
			if through[s.Name] == "" { // else its other addresses
				through[s.Name] = edge.Name
				made.Records = append(made.Records, originSets(s.Name, s.TTL, origin)...)
			}
			continue
		case exported && edge != nil && isAddressing(s.Type) &&
			goesThrough(d, edge, seen, s.Name):
			through[s.Name] = edge.Name
		case s.Type == "CNAME" && s.Name == seen.Name && Flattens(e, d, seen):
			s.Type = record.Alias
		}
		made.Records = append(made.Records, s)
	}
	record.Sort(made.Records)
	return &made, through
}

// isExport reports whether records come from the page of the provider that holds the zone. What
// names the network's own addresses was asked of the world.
func isExport(seen *survey.Domain, edge *estate.Carrier) bool {
	return seen != nil && seen.Source == survey.File && (edge == nil ||
		!slices.ContainsFunc(seen.Records, func(s record.Set) bool {
			return isAddressing(s.Type) && slices.ContainsFunc(s.Values, func(v string) bool {
				a, err := netip.ParseAddr(v)
				return err == nil && slices.Contains(edge.Addresses, a)
			})
		}))
}

// Flattens reports whether the provider that holds a zone resolves an alias at its apex itself, and
// gives the addresses.
func Flattens(e *estate.Estate, d *estate.Domain, seen *survey.Domain) bool {
	edge := HeldBy(e, seen)
	return isExport(seen, edge) && (d.ApexAlias || edge != nil)
}

func isAddressing(kind string) bool { return kind == "A" || kind == "AAAA" || kind == "CNAME" }

// goesThrough reports whether a name of a zone file goes through the network that holds the zone,
// which no such file says: it is meant to, and no door was met elsewhere.
func goesThrough(d *estate.Domain, edge *estate.Carrier, seen *survey.Domain, name string) bool {
	h, err := web.ParseHost(name)
	if err != nil || d.Carry[h] != edge && d.Through[h] != edge {
		return false
	}
	met, _ := metAt(seen, name)
	return len(met) == 0 || allOf(edge, met)
}

// metAt gives the addresses at which the doors of a host were met.
func metAt(seen *survey.Domain, name string) (all []string, some bool) {
	for _, c := range seen.Chains {
		if len(c.Hops) == 0 || c.Entry.Host().String() != name {
			continue
		}
		if a, err := netip.ParseAddrPort(c.Hops[0].Address); err == nil {
			all = append(all, a.Addr().String())
		} else if a, err := netip.ParseAddr(c.Hops[0].Address); err == nil {
			all = append(all, a.String())
		}
	}
	return all, len(all) > 0
}

// ThroughUnseen gives the names of a zone file of which nobody saw whether they go through the
// network that holds the zone.
func ThroughUnseen(seen *survey.Domain, through map[string]string) []string {
	if seen == nil || seen.Source != survey.File {
		return nil
	}
	var names []string
	for name := range through {
		if _, some := metAt(seen, name); !some {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
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
