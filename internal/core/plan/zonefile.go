package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
)

// ErrUnseen says that no survey holds a zone.
var ErrUnseen = fact.Err(fact.ZoneUnseen{})

// ErrNoServers says that nobody names the name servers of a zone that is to be made.
var ErrNoServers = fact.Err(fact.ServersUnsaid{})

// File gives the whole zone as it is after the changes, to be written as a zone file: with its SOA,
// whose serial is one higher, and the name servers to which it moves. An alias at the apex stands
// there as the addresses of its carrier, and what goes through an edge network as it is typed
// there. The error says what is not known.
func (p *Plan) File(z *zone.Zone) ([]record.Set, error) { return p.file(z, z.Whole, true) }

// AsItIs gives the whole zone as it is when it is copied to the name servers to which it moves: as
// it was seen, with its SOA and those name servers, with the TTLs that are lowered and the changes
// that are made before. A zone that does not move is as it was seen. The error says what is not
// known.
func (p *Plan) AsItIs(z *zone.Zone) ([]record.Set, error) {
	sets, err := p.file(z, z.AsItIs, false)
	if err != nil || z.Move == nil {
		return sets, err
	}
	early := map[record.Key]*act.Change{}
	for i := range z.Changes {
		if c := &z.Changes[i]; c.Early {
			early[record.Key{Name: c.Name, Type: c.Type}] = c
		}
	}
	lower := map[record.Key]int{}
	for _, t := range z.TTLs {
		if t.LowerBefore > 0 {
			lower[record.Key{Name: t.Name, Type: t.Type}] = t.LowerTo
		}
	}
	var all []record.Set
	for _, s := range sets {
		key := s.Key()
		if early[key] != nil {
			continue
		}
		if ttl, lowered := lower[key]; lowered {
			s.TTL = ttl
		}
		all = append(all, s)
	}
	for _, c := range z.Changes {
		if c.Early && c.Action != act.Remove && c.Action != act.Keep {
			all = append(all, zone.Record{Name: c.Name, Type: c.Type, TTL: c.TTL, Values: c.After}.Set())
		}
	}
	record.Sort(all)
	return all, nil
}

// BeforeCopy gives how many rows are typed in a zone that moves before it is copied, of which the
// survey has not seen that they are.
func (p *Plan) BeforeCopy(z *zone.Zone) int {
	n := 0
	if z.Move == nil {
		return 0
	}
	for _, s := range p.Sheets() {
		for _, l := range s.Lines {
			if l.Zone == z.Name && (l.Early || l.Do == act.Lower) {
				n++
			}
		}
	}
	return n
}

func (p *Plan) file(z *zone.Zone, whole []record.Set, changed bool) ([]record.Set, error) {
	switch {
	case z.New != nil && changed:
		return newFile(z)
	case z.New != nil:
		return nil, fact.Err(fact.NothingToCopy{Zone: z.Name})
	}
	if z.Seen == nil {
		return nil, fact.ErrOf(ErrUnseen, fact.WouldLose{Zone: z.Name})
	}
	to := web.Names(z.Domain.MovesTo())
	var sets []record.Set
	soa := false
	for _, h := range heldSets(z, whole, changed) {
		s := h.Set
		switch {
		case record.IsSigning(s.Type):
			continue // made anew by whoever signs the zone
		case s.Type == "SOA":
			s.Values = []string{nextSOA(s.Values, to, z.Move != nil)}
			soa = true
		case s.Type == "NS" && s.Name == z.Name && z.Move != nil:
			s.Values = dotted(to)
		case s.Type == record.Alias:
			sets = append(sets, p.aliasAddresses(z, s)...)
			continue
		case h.through && s.Type == "CNAME" && s.Name == z.Name:
			continue // no zone file can say it
		}
		sets = append(sets, s)
	}
	if !soa {
		return nil,
			fact.Err(fact.SOAUnseen{Zone: z.Name})
	}
	return sets, nil
}

// Through says of a set of a zone's file that it has to go through an edge network: typed or
// imported plainly it would lead nowhere, or past the network.
type Through struct {
	record.Set
	Carrier     string
	Placeholder bool // nothing stands behind it
	Unwritten   bool // no zone file can hold it: an alias at the apex
}

// ThroughEdge gives the sets of a zone that have to go through the edge network that holds it.
func (p *Plan) ThroughEdge(z *zone.Zone) []Through {
	var all []Through
	for _, c := range z.Changes {
		if c.Through == "" || c.Action == act.Remove {
			continue
		}
		t := Through{Set: record.Set{Name: c.Name, Type: c.Type, TTL: c.TTL,
			Values: zone.Record{Name: c.Name, Type: c.Type, TTL: c.TTL, Values: c.After}.Set().Values},
			Carrier: c.Through}
		if c.Action != act.Keep {
			if len(c.Typed) == 0 {
				continue // another record of the name brings it
			}
			t.Type, t.Values = c.TypedAs, c.Typed
			t.Placeholder = zone.IsPlaceholder(c.Typed)
		}
		t.Unwritten = t.Type == "CNAME" && t.Name == z.Name
		all = append(all, t)
	}
	return all
}

// heldSet is a set as it stands where the zone is held.
type heldSet struct {
	record.Set
	through bool // an edge network answers with its own addresses
}

// heldSets gives sets of the zone as they are typed where it is held: what goes through an edge
// network is typed otherwise there than the world sees it, and not at all where another record of
// the name brings it.
func heldSets(z *zone.Zone, whole []record.Set, changed bool) []heldSet {
	var all []heldSet
	through := throughEdge(z)
	for _, s := range whole {
		c := through[record.Key{Name: s.Name, Type: s.Type}]
		switch {
		case c == nil || !changed:
			all = append(all, heldSet{Set: s})
		case len(c.Typed) > 0:
			s.Type, s.Values = c.TypedAs, c.Typed
			all = append(all, heldSet{s, true})
		}
	}
	return all
}

func dotted(all []string) []string {
	values := make([]string, len(all))
	for i, n := range all {
		values[i] = n + "."
	}
	return values
}

// throughEdge gives the changes that make sets go through an edge network.
func throughEdge(z *zone.Zone) map[record.Key]*act.Change {
	all := map[record.Key]*act.Change{}
	for i := range z.Changes {
		c := &z.Changes[i]
		if key := (record.Key{Name: c.Name, Type: c.Type}); c.Through != "" && c.Action != act.Keep &&
			all[key] == nil {
			all[key] = c
		}
	}
	return all
}

// nextSOA gives the value of a SOA with a serial one higher (RFC 1982), and the first new name
// server as its primary.
func nextSOA(values, to []string, moves bool) string {
	if len(values) == 0 {
		return ""
	}
	f := strings.Fields(values[0])
	if len(f) != 7 {
		return values[0]
	}
	if serial, err := strconv.ParseUint(f[2], 10, 32); err == nil {
		f[2] = strconv.FormatUint(uint64(uint32(serial+1)), 10)
	}
	if moves && len(to) > 0 {
		f[0] = to[0] + "."
	}
	return strings.Join(f, " ")
}

// aliasAddresses gives the addresses that stand for the provider's alias at the apex, none where
// its carrier names none.
func (p *Plan) aliasAddresses(z *zone.Zone, s record.Set) []record.Set {
	c := p.Estate.Carrier(carrierAt(z, s.Name))
	if c == nil {
		return nil
	}
	var sets []record.Set
	for _, kind := range []string{"A", "AAAA"} {
		if values := record.Addresses(c.Addresses, kind); len(values) > 0 {
			sets = append(sets, record.Set{Name: s.Name, Type: kind, TTL: s.TTL, Values: values})
		}
	}
	return sets
}

func carrierAt(z *zone.Zone, name string) string {
	for h, c := range z.Domain.Carry {
		if h.String() == name && c != nil {
			return c.Name
		}
	}
	return ""
}

// Lost gives what a zone file cannot hold: an alias at the apex, in whose place stand the addresses
// of its carrier, or nothing where that names none.
func (p *Plan) Lost(z *zone.Zone) []finding.Finding {
	var all []finding.Finding
	for _, c := range z.Changes {
		if c.Through == "" || c.TypedAs != "CNAME" || c.Name != z.Name {
			continue
		}
		target := strings.Join(record.PlainAll("CNAME", c.Typed), ", ")
		all = append(all, finding.New(
			finding.AliasConflict,
			c.Name,
			fact.AliasBehindFile{Target: target, Through: c.Through, Name: c.Name},
		))
	}
	for _, s := range z.Whole {
		if s.Type != record.Alias {
			continue
		}
		var instead []string
		for _, set := range p.aliasAddresses(z, s) {
			instead = append(instead, set.Values...)
		}
		target := strings.Join(record.PlainAll(s.Type, s.Values), ", ")
		var facts fact.Facts = fact.AliasOutsideFile{Name: s.Name, Target: target}
		if len(instead) > 0 {
			facts = fact.AddressesInFile{Name: s.Name, Target: target, Instead: instead}
		}
		all = append(all, finding.New(finding.AliasConflict, s.Name, facts))
	}
	return all
}

// newFile gives a zone that does not exist yet as its zone file: a SOA (RFC 1035 section 3.3.13,
// with the times that RFC 1912 section 2.2 recommends), its name servers, and its records.
func newFile(z *zone.Zone) ([]record.Set, error) {
	to := z.New.To
	if len(to) == 0 {
		return nil, fact.ErrOf(ErrNoServers, fact.NoServers{Zone: z.Name})
	}
	sets := []record.Set{
		{Name: z.Name, Type: "SOA", TTL: act.RecordTTL, Values: []string{
			fmt.Sprintf("%s. hostmaster.%s. %d 7200 3600 1209600 3600", to[0], z.Name, z.New.Serial),
		}},
		{Name: z.Name, Type: "NS", TTL: act.RecordTTL, Values: dotted(to)},
	}
	for _, c := range z.Comes {
		s := record.Set{Name: c.Name, Type: c.Type, TTL: c.TTL}
		values := c.After
		if c.Through != "" {
			if len(c.Typed) == 0 || c.TypedAs == "CNAME" && c.Name == z.Name {
				continue // another record of the name brings it, or no zone file can say it
			}
			s.Type, values = c.TypedAs, c.Typed
		}
		if s.Type == record.Alias {
			continue
		}
		for _, v := range values {
			s.Values = append(s.Values, record.Dotted(s.Type, v))
		}
		sets = append(sets, s)
	}
	for _, server := range to {
		inside := server == z.Name || strings.HasSuffix(server, "."+z.Name)
		if inside &&
			!slices.ContainsFunc(sets, func(s record.Set) bool {
				return s.Name == server && record.LeadsToAddress(s.Type)
			}) {
			return nil, fact.Err(fact.ServerInZone{Server: server, Zone: z.Name})
		}
	}
	return sets, nil
}
