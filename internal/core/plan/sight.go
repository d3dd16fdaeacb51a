package plan

import (
	"net/netip"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// sight is what the phases of one zone read: what the estate wants of it, and what was seen of it. Nothing of it is
// ever changed.
type sight struct {
	estate  *estate.Estate
	domain  *estate.Domain
	seen    *survey.Domain // nil: nobody has
	nowhere *survey.Domain // where there is no such zone yet; else nil
	earlier *survey.Domain // what was seen before that; nil: nothing
	have    map[string][]record.Set
	exists  map[string]bool // names that hold something, and those on the way to them (RFC 4592 section 2.2.2)
	when    time.Time       // of the earlier survey
	now     time.Time       // for what is wanted until a date; zero: nothing ends
}

// surveys is what was seen of domains, by name: last, and before that.
type surveys struct{ last, before, nowhere map[string]*survey.Domain }

// surveysOf sorts what was seen. What nobody looked at is not there.
func surveysOf(in Known) surveys {
	byName := func(v *survey.Survey, look func(*survey.Domain) bool) map[string]*survey.Domain {
		all := map[string]*survey.Domain{}
		if v == nil {
			return all
		}
		for i := range v.Domains {
			if d := &v.Domains[i]; look(d) {
				all[d.Name] = d
			}
		}
		return all
	}
	all := surveys{
		last:    byName(in.Survey, (*survey.Domain).Seen),
		before:  byName(in.Earlier, func(*survey.Domain) bool { return true }),
		nowhere: byName(in.Survey, (*survey.Domain).Nowhere),
	}
	for name := range all.before { // a zone that was there has ended, and is not made anew without being looked for
		if all.before[name].Seen() {
			delete(all.nowhere, name)
		}
	}
	return all
}

// sightOf gathers what the phases of a domain's zone read.
func sightOf(in Known, seen surveys, d *estate.Domain) sight {
	s := sight{estate: in.Estate, domain: d, now: in.Now, have: map[string][]record.Set{}, exists: map[string]bool{}}
	s.nowhere = seen.nowhere[d.Name.String()]
	if s.seen = seen.last[d.Name.String()]; s.seen == nil {
		return s
	}
	for _, set := range s.seen.Records {
		s.have[set.Name] = append(s.have[set.Name], set)
		for at := set.Name; at != s.zone() && at != "" && !s.exists[at]; _, at, _ = strings.Cut(at, ".") {
			s.exists[at] = true
		}
	}
	if s.earlier = seen.before[d.Name.String()]; s.earlier != nil {
		if s.when = s.earlier.Looked; s.when.IsZero() {
			s.when = in.Earlier.Started
		}
	}
	return s
}

func (s sight) zone() string { return s.domain.Name.String() }

func (s sight) set(name, kind string) (record.Set, bool) {
	return record.Find(s.have[name], name, kind)
}

// misses tells whether nobody answered about a name and any of some types, so that what stands there is unknown.
func (s sight) misses(name string, kinds ...string) bool {
	return s.seen != nil && slices.ContainsFunc(kinds, func(kind string) bool { return s.seen.Misses(name, kind) })
}

// isHost tells whether a name is one of the hosts that have doors.
func (s sight) isHost(name string) bool {
	return slices.ContainsFunc(s.domain.Hosts(), func(h web.Host) bool { return h.String() == name })
}

// delegated gives the name servers that the parent names, or else the zone, in order.
func (s sight) delegated() []string {
	all := slices.Clone(s.seen.Parent.Servers)
	if len(all) == 0 {
		ns, _ := s.set(s.zone(), "NS")
		for _, v := range ns.Values {
			all = append(all, record.Target("NS", v))
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// alreadyAt tells whether the zone is served by a carrier's name servers.
func (s sight) alreadyAt(c *estate.Carrier) bool {
	return len(c.NameServers) > 0 && slices.Equal(s.delegated(), names(c.NameServers))
}

// wildcardOver gives the name below which a wildcard answers for a name that does not exist, "" where none does: only
// one right below the nearest name above that exists can (RFC 4592 section 3.3.1).
func (s sight) wildcardOver(name string) string {
	if s.exists[name] || name == s.zone() {
		return ""
	}
	above := name
	for above != s.zone() {
		if _, above, _ = strings.Cut(above, "."); s.exists[above] {
			break
		}
	}
	if slices.Contains(s.seen.Wildcards, above) ||
		slices.ContainsFunc(s.have["*."+above], func(set record.Set) bool { return isAddress(set.Type) }) {
		return above
	}
	return ""
}

// owner says to which carrier of the estate addresses belong.
func (s sight) owner(addresses []string) []Reason {
	for _, c := range s.estate.Carriers {
		for _, a := range c.Addresses {
			if slices.Contains(addresses, a.String()) {
				why := BelongsTo
				if c.By.Row().WithZone {
					why = BelongsToForm
				}
				return []Reason{{Why: why, Values: []string{a.String()}, Carrier: c.Name}}
			}
		}
	}
	return nil
}

// today says what the survey met at a host's http door.
func (s sight) today(name string) []Reason {
	for _, c := range s.seen.Chains {
		if c.Probe != chain.Root || c.Entry.Host().String() != name || c.Entry.Scheme() != web.HTTP {
			continue
		}
		switch h := c.Hops[0]; {
		case h.IsRedirect() && h.Location != "":
			return []Reason{{Why: TodayForwards, URL: h.Location}}
		case h.Status == 200:
			return []Reason{{Why: TodayPage}}
		case h.Status > 0:
			return []Reason{{Why: TodayAnswers, Count: h.Status}}
		}
	}
	return nil
}

// claim says what a carrier has to be told before a name points to it.
func claim(name string, c *estate.Carrier) []Reason {
	if !c.By.Row().Claims || len(c.Steps) > 0 && c.Steps[0] != estate.Claim {
		return nil
	}
	if c.By.Row().Shared {
		return []Reason{{Why: AddFirst, Name: name, Carrier: c.Name}}
	}
	return []Reason{{Why: ClaimFirst, Name: name, Carrier: c.Name}}
}

func names(hosts []web.Host) []string {
	var all []string
	for _, h := range hosts {
		all = append(all, h.String())
	}
	slices.Sort(all)
	return all
}

func addressesOf(all []netip.Addr, kind string) []string {
	var values []string
	for _, a := range all {
		if a.Is6() == (kind == "AAAA") {
			values = append(values, a.String())
		}
	}
	return values
}

// isWeb tells whether a type decides where a browser goes.
func isWeb(kind string) bool {
	return kind == "A" || kind == "AAAA" || kind == "CNAME" || kind == "HTTPS" || kind == record.Alias
}

func isAddress(kind string) bool { return kind == "A" || kind == "AAAA" || kind == "CNAME" }

// isSignature tells whether a type is made by signing the zone, and goes with it.
func isSignature(kind string) bool {
	switch kind {
	case "RRSIG",
		"NSEC",
		"NSEC3",
		"NSEC3PARAM",
		"DNSKEY",
		"CDS",
		"CDNSKEY",
		"TYPE65534": // the last is bind's own note of its work
		return true
	}
	return false
}

func plain(kind string, values []string) []string {
	all := make([]string, len(values))
	for i, v := range values {
		all[i] = record.Plain(kind, v)
	}
	return all
}

// same tells whether two lists of values mean the same records.
func same(kind string, a, b []string) bool {
	return record.SameValues(normal(kind, a), normal(kind, b))
}

func normal(kind string, values []string) []string {
	all := make([]string, len(values))
	for i, v := range values {
		n, err := record.Value(kind, v)
		if all[i] = n; err != nil {
			all[i] = v
		}
	}
	return all
}

// without returns what is in a and not in b.
func without(a, b []string) []string {
	return slices.DeleteFunc(slices.Clone(a), func(v string) bool { return slices.Contains(b, v) })
}

func shortly(values []string) string {
	s := strings.Join(values, ", ")
	if r := []rune(s); len(r) > 80 {
		return string(r[:79]) + "…"
	}
	return s
}

func orNothing(values []string) string {
	if len(values) == 0 {
		return "nothing"
	}
	return shortly(values)
}
