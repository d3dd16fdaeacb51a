package zone

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// Sight is what the phases of one zone read: what the estate wants of it, and what was seen of it.
// Nothing of it is ever changed.
type Sight struct {
	estate  *estate.Estate
	domain  *estate.Domain
	seen    *survey.Domain // nil: nobody has
	nowhere *survey.Domain // where there is no such zone yet; else nil
	earlier *survey.Domain // what was seen before that; nil: nothing
	have    map[string][]record.Set
	// names that hold something, and those on the way to them (RFC 4592 section 2.2.2)
	exists map[string]bool
	// names that an edge network answers with its own addresses today, though what stands behind them
	// is known
	through map[string]string
	when    time.Time // of the earlier survey
	now     time.Time // for what is wanted until a date; zero: nothing ends
}

// Surveys is what was seen of domains, by name: last, and before that.
type Surveys struct{ Last, before, Nowhere map[string]*survey.Domain }

// SurveysOf sorts what was seen. What nobody looked at is not there.
func SurveysOf(in Known) Surveys {
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
	all := Surveys{
		Last:    byName(in.Survey, (*survey.Domain).Seen),
		before:  byName(in.Earlier, func(*survey.Domain) bool { return true }),
		Nowhere: byName(in.Survey, (*survey.Domain).Nowhere),
	}
	// a zone that was there has ended, and is not made anew without being looked for
	for name := range all.before {
		if all.before[name].Seen() {
			delete(all.Nowhere, name)
		}
	}
	return all
}

// SightOf gathers what the phases of a domain's zone read.
func SightOf(in Known, seen Surveys, d *estate.Domain) Sight {
	s := Sight{estate: in.Estate, domain: d, now: in.Now, have: map[string][]record.Set{},
		exists: map[string]bool{}}
	s.nowhere = seen.Nowhere[d.Name.String()]
	if s.seen = seen.Last[d.Name.String()]; s.seen == nil {
		return s
	}
	s.seen, s.through = world.Behind(in.Estate, d, s.seen)
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

func (s Sight) zone() string { return s.domain.Name.String() }

func (s Sight) set(name, kind string) (record.Set, bool) {
	return record.Find(s.have[name], name, kind)
}

// misses reports whether nobody answered about a name and any of some types, so that what stands
// there is unknown.
func (s Sight) misses(name string, kinds ...string) bool {
	return s.seen != nil &&
		slices.ContainsFunc(kinds, func(kind string) bool { return s.seen.Misses(name, kind) })
}

// isHost reports whether a name is one of the hosts that have doors.
func (s Sight) isHost(name string) bool {
	return slices.ContainsFunc(s.domain.Hosts(), func(h web.Host) bool { return h.String() == name })
}

// delegated gives the name servers that the parent names, or else the zone, in order.
func (s Sight) delegated() []string {
	return world.DelegatedTo(s.seen)
}

// alreadyAt reports whether the zone is served by a carrier's name servers.
func (s Sight) alreadyAt(c *estate.Carrier) bool {
	return len(c.NameServers) > 0 && slices.Equal(s.delegated(), web.Names(c.NameServers))
}

// wildcardOver gives the name below which a wildcard answers for a name that does not exist, ""
// where none does: only one right below the nearest name above that exists can (RFC 4592 section
// 3.3.1).
func (s Sight) wildcardOver(name string) string {
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
		slices.ContainsFunc(s.have["*."+above], func(set record.Set) bool {
			return record.LeadsToAddress(set.Type)
		}) {
		return above
	}
	return ""
}

// owner says to which carrier of the estate addresses belong.
func (s Sight) owner(addresses []string) []act.Reason {
	for _, c := range s.estate.Carriers {
		for _, a := range c.Addresses {
			if slices.Contains(addresses, a.String()) {
				why := act.BelongsTo
				if c.By.Row().WithZone {
					why = act.BelongsToForm
				}
				return []act.Reason{{Why: why, Values: []string{a.String()}, Carrier: c.Name}}
			}
		}
	}
	return nil
}

// today says what the survey met at a host's http door.
func (s Sight) today(name string) []act.Reason {
	for _, c := range s.seen.Chains {
		if c.Probe != chain.Root || c.Entry.Host().String() != name || c.Entry.Scheme() != web.HTTP {
			continue
		}
		switch h := c.Hops[0]; {
		case h.IsRedirect() && h.Location != "":
			return []act.Reason{{Why: act.TodayForwards, URL: h.Location}}
		case h.Status == 200:
			return []act.Reason{{Why: act.TodayPage}}
		case h.Status > 0:
			return []act.Reason{{Why: act.TodayAnswers, Count: h.Status}}
		}
	}
	return nil
}

// claim says what a carrier has to be told before a name points to it.
func claim(name string, c *estate.Carrier) []act.Reason {
	if c.Name == predict.SiteName && !c.Alias.IsZero() {
		return []act.Reason{{Why: act.ClaimAtAlias, Name: name, Values: []string{c.Alias.String()}}}
	}
	if !c.By.Row().Claims || len(c.Steps) > 0 && c.Steps[0] != estate.Claim {
		return nil
	}
	if c.By.Row().Shared {
		return []act.Reason{{Why: act.AddFirst, Name: name, Carrier: c.Name}}
	}
	return []act.Reason{{Why: act.ClaimFirst, Name: name, Carrier: c.Name}}
}

// Known is what zones are worked out from.
type Known struct {
	Estate  *estate.Estate
	Survey  *survey.Survey // what was seen last; nil: nobody has looked
	Earlier *survey.Survey // what was seen before that; nil: nothing
	// all that was seen before the last time, from the newest: some may still hold it
	Past []*survey.Survey
	Now  time.Time // for what is wanted until a date; the zero value ends nothing
}
