package zone

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// moveOf works out the move of a zone whose name servers are to be others; nil where they are not.
func moveOf(s Sight, required []requirement, whole []record.Set) (*Move, found) {
	var f found
	to := web.Names(s.domain.MovesTo())
	from := s.delegated()
	if len(to) == 0 || len(from) == 0 || slices.Equal(from, to) {
		return nil, f
	}
	ns, _ := s.set(s.zone(), "NS")
	m := &Move{From: from, To: to, OldLives: max(s.seen.Parent.TTL, ns.TTL)}
	m.Keys = slices.ContainsFunc(s.have[s.zone()], func(set record.Set) bool {
		return record.IsSigning(set.Type)
	})
	m.ParentUnseen = s.seen.Parent.Server == ""
	m.Unknown = s.seen.Parent.TTL == 0
	if m.Unknown {
		m.OldLives = max(m.OldLives, act.UnknownTTL)
	}
	for _, ds := range s.seen.Parent.DS {
		m.DS = append(m.DS, ds.Text)
	}
	movedUnseen(s, to, &f)
	m.Loses = losesWithServers(s, to, &f)
	providerBound(s, m, &f)
	staleDS(s, m, &f)
	m.Ready = comingAgrees(s, to, differences{s, required, whole}, &f)
	return m, f
}

// movedUnseen says that a move rests on a picture of which parts are missing: what nobody saw is
// not copied.
func movedUnseen(s Sight, to []string, f *found) {
	var why fact.Facts
	switch {
	case s.seen.Partial:
		why = fact.AskedByName{}
	case len(s.seen.Missed) > 0:
		m := s.seen.Missed[0]
		why = fact.NobodyAnswered{Name: m.Name, Type: m.Type}
	default:
		return
	}
	f.Find(
		finding.MovedUnseen,
		s.zone(),
		fact.ZoneNotWhole{Partial: s.seen.Partial, Missed: len(s.seen.Missed), To: to, Zone: s.zone(),
			Why: why},
	)
}

// providerBound says what the present provider does beside its name servers, and may end with them.
func providerBound(s Sight, m *Move, f *found) {
	theirs := map[string]bool{}
	for _, n := range m.From {
		if apex := registrable(n); apex != "" && apex != s.zone() {
			theirs[apex] = true
		}
	}
	add := func(what fact.Facts, evidence map[string]any) {
		f.Find(
			finding.ProviderBound,
			s.zone(),
			fact.ProviderDoesMore{Zone: s.zone(), From: m.From, What: what}, evidence,
		)
	}
	mx, _ := s.set(s.zone(), "MX")
	for _, v := range mx.Values {
		if target := record.Target("MX", v); theirs[registrable(target)] {
			add(fact.MailOfProvider{Target: target},
				map[string]any{"mx": record.Plain("MX", v)})
			break
		}
	}
	for _, l := range m.Loses {
		switch l.Kind {
		case LosesToday:
			add(fact.ForwardedByZone{Host: l.Host, Carrier: l.Carrier},
				map[string]any{"host": l.Host, "carrier": l.Carrier})
		case LosesAlias:
			add(
				fact.ProvidersAlias{Host: l.Host},
				map[string]any{"host": l.Host},
			)
		}
	}
}

// registrable gives the registrable domain of a name, "" where it has none.
func registrable(name string) string {
	h, err := web.ParseObservedHost(name)
	if err != nil {
		return ""
	}
	if apex, ok := h.Apex(); ok {
		return apex.String()
	}
	return ""
}

// losesWithServers says what works only on the old provider's name servers.
func losesWithServers(s Sight, to []string, f *found) []Loss {
	var all []Loss
	for _, h := range s.domain.Hosts() {
		c := s.domain.Carry[h]
		if c == nil || !c.By.Row().WithZone || slices.Equal(web.Names(c.NameServers), to) {
			continue
		}
		all = append(all, Loss{LosesForwarding, h.String(), c.Name})
		f.Find(
			finding.BeyondCarrier,
			h.String(),
			fact.FormLosesServers{Carrier: c.Name, Host: h.String(), To: to},
		)
	}
	if s.domain.ApexAlias && len(s.domain.NameServers) > 0 {
		all = append(all, Loss{Kind: LosesAlias, Host: s.zone()})
	}
	for _, h := range s.domain.Hosts() {
		for _, set := range s.have[h.String()] {
			for _, c := range s.estate.Carriers {
				if c.By.Row().WithZone && c != s.domain.Carry[h] &&
					slices.ContainsFunc(c.Addresses, func(a netip.Addr) bool {
						return slices.Contains(set.Values, a.String())
					}) {
					all = append(all, Loss{LosesToday, h.String(), c.Name})
				}
			}
		}
	}
	return all
}

// formElsewhere says where hosts are to be forwarded by a form that works on its provider's own
// name servers, and the zone is, and stays, at others.
func formElsewhere(s Sight) found {
	var f found
	at := s.delegated()
	if len(s.domain.MovesTo()) > 0 || len(at) == 0 {
		return f // a move says so itself
	}
	byCarrier := map[*estate.Carrier][]string{}
	for _, h := range s.domain.Hosts() {
		if c := s.domain.Carry[h]; c != nil && c.By.Row().WithZone && len(c.NameServers) > 0 &&
			!slices.Equal(web.Names(c.NameServers), at) {
			byCarrier[c] = append(byCarrier[c], h.String())
		}
	}
	for _, c := range s.estate.Carriers {
		if hosts := byCarrier[c]; len(hosts) > 0 {
			f.Find(
				finding.BeyondCarrier,
				s.zone(),
				fact.FormElsewhere{Carrier: c.Name, Hosts: hosts, Zone: at,
					NameServers: web.Names(c.NameServers)},
			)
		}
	}
	return f
}

// staleDS says that a DS record would be left behind: the new servers hold other keys, or none.
func staleDS(s Sight, m *Move, f *found) {
	if m.ParentUnseen && m.Keys {
		f.Find(finding.MovedUnseen, s.zone(), fact.DSUnseen{Zone: s.zone(), To: m.To})
	}
	if len(m.DS) == 0 ||
		len(s.seen.Coming) > 0 &&
			!slices.ContainsFunc(s.seen.Coming, func(c survey.Coming) bool { return !c.Keys }) {
		return
	}
	f.Find(
		finding.StaleDS,
		s.zone(),
		fact.DSLeftBehind{DS: m.DS, To: m.To, Zone: s.seen.Parent.Zone,
			OldLives: max(s.seen.Parent.TTL, m.OldLives)},
	)
}

// comingAgrees compares what the new name servers say with what the zone should hold, name by name.
func comingAgrees(s Sight, to []string, d differences, f *found) bool {
	asked := map[string]bool{}
	agrees := true
	for _, c := range s.seen.Coming {
		asked[c.Name] = true
		who := strings.TrimSpace(c.Name + " " + c.Address)
		if c.State != survey.Answers {
			agrees = false
			var facts fact.Facts = fact.ComingSilent{At: who, Zone: s.zone(), Detail: c.Says, Server: c.Name,
				Address: c.Address}
			if c.State == survey.Unasked {
				facts = fact.ComingUnasked{At: who, Zone: s.zone(), Detail: c.Says, Server: c.Name,
					Address: c.Address}
			}
			f.Find(finding.ZoneDiffers, s.zone(), facts)
			continue
		}
		var unanswered []string
		for _, d := range d.at(c) {
			agrees = false
			if c.Misses(d.name, d.kind) {
				unanswered = append(unanswered, d.name+" "+d.kind)
				continue
			}
			differs := fact.ComingDiffers{At: who, Name: d.name, Type: d.kind, There: d.there,
				Wanted: d.wanted, Now: d.now, Server: c.Name,
				OldDiffers: !record.SameMeaning(d.kind, d.now, d.wanted)}
			if d.mail && len(d.there) == 0 {
				f.Find(finding.MailLost, d.name+" "+d.kind, fact.ComingLacksMail(differs))
				continue
			}
			f.Find(finding.ZoneDiffers, d.name+" "+d.kind, differs)
		}
		if len(unanswered) > 0 {
			f.Notes = append(f.Notes,
				act.Note{Notice: act.ServerSilent, Names: []string{s.zone(), who}, Values: unanswered})
		}
	}
	var missing []string
	for _, n := range to {
		if !asked[n] {
			missing, agrees = append(missing, n), false
		}
	}
	if len(missing) > 0 {
		f.Notes = append(f.Notes,
			act.Note{Notice: act.ServersUnasked, Names: []string{s.zone()}, Values: missing})
	}
	return agrees
}

// differences is what the records of a new name server are compared with.
type differences struct {
	s        Sight
	required []requirement
	whole    []record.Set
}

type zoneDifference struct {
	name, kind         string
	there, wanted, now []string
	mail               bool
}

// at gives what a new name server says otherwise than the old ones do and than the plan wants. What
// belongs to the servers and signatures is theirs.
func (d differences) at(c survey.Coming) []zoneDifference {
	type pair struct{ there, wanted, now []string }
	pairs := map[record.Key]*pair{}
	at := func(s record.Set) *pair {
		key := record.Key{Name: s.Name, Type: s.Type}
		if pairs[key] == nil {
			pairs[key] = &pair{}
		}
		return pairs[key]
	}
	theirs := func(s record.Set) bool {
		return s.Type == "SOA" || record.IsSigning(s.Type) || s.Type == "NS" && s.Name == d.s.zone()
	}
	for _, s := range d.whole {
		switch {
		case theirs(s):
		case s.Type == record.Alias:
			for _, n := range d.required {
				if n.Name == s.Name && n.Type == s.Type {
					for _, kind := range []string{"A", "AAAA"} {
						if values := record.Addresses(n.carrier.Addresses, kind); len(values) > 0 {
							at(record.Set{Name: s.Name, Type: kind}).wanted = values
						}
					}
				}
			}
		default:
			at(s).wanted = s.Values
		}
	}
	for _, s := range d.s.seen.Records {
		if !theirs(s) {
			at(s).now = s.Values
		}
	}
	there := answeringAt(c.Records, d.s.zone())
	for _, s := range c.Records {
		if !theirs(s) {
			at(s)
		}
	}
	for key, p := range pairs {
		p.there = there(key)
	}
	var all []zoneDifference
	for key, p := range pairs {
		if !record.SameMeaning(key.Type, p.there, p.wanted) &&
			!record.SameMeaning(key.Type, p.there, p.now) {
			all = append(
				all,
				zoneDifference{
					key.Name,
					key.Type,
					record.PlainAll(key.Type, p.there),
					record.PlainAll(key.Type, p.wanted),
					record.PlainAll(key.Type, p.now),
					isMail(record.Set{Name: key.Name, Type: key.Type, Values: p.wanted}),
				},
			)
		}
	}
	slices.SortFunc(all, func(a, b zoneDifference) int {
		if n := record.CompareNames(a.name, b.name); n != 0 {
			return n
		}
		return strings.Compare(a.kind, b.kind)
	})
	return all
}

// answeringAt gives what records answer at a name, by a wildcard among them where the name is not
// there itself (RFC 4592).
func answeringAt(records []record.Set, zone string) func(key record.Key) []string {
	exists, all := map[string]bool{}, map[record.Key][]string{}
	for _, s := range records {
		for at := s.Name; at != zone && at != "" && !exists[at]; _, at, _ = strings.Cut(at, ".") {
			exists[at] = true
		}
		all[s.Key()] = s.Values
	}
	return func(key record.Key) []string {
		above := key.Name
		if exists[above] || above == zone {
			return all[key]
		}
		for above != zone && above != "" {
			if _, above, _ = strings.Cut(above, "."); exists[above] {
				break
			}
		}
		return all[record.Key{Name: "*." + above, Type: key.Type}]
	}
}

// sinceEarlier says what came and went since an earlier survey without being planned.
func sinceEarlier(s Sight, required []requirement, both *worlds) found {
	var f found
	if s.earlier == nil {
		return f
	}
	for _, c := range record.Changes(s.earlier.Records, s.seen.Records) {
		if c.Type == "SOA" || record.IsSigning(c.Type) || isPlanned(s, required, c) || s.unsure(c) ||
			both.meansTheSame(s, c) {
			continue
		}
		subject := c.Name + " " + c.Type
		switch c.Action {
		case record.Went:
			code := finding.RecordLost
			if isMail(*c.Before) {
				code = finding.MailLost
			}
			f.Findings = append(
				f.Findings,
				finding.New(
					code,
					subject,
					fact.RecordGone{Before: record.PlainAll(c.Type, c.Before.Values), Name: c.Name, Type: c.Type,
						Date: s.when},
				).With(finding.KeptRecords),
			)
		case record.Came:
			f.Find(
				finding.UnplannedChange,
				subject,
				fact.RecordCame{After: record.PlainAll(c.Type, c.After.Values), Name: c.Name, Type: c.Type,
					Date: s.when},
			)
		default:
			if record.SameMeaning(c.Type, c.Before.Values, c.After.Values) {
				continue
			}
			f.Find(
				finding.UnplannedChange,
				subject,
				fact.RecordChanged{Before: record.PlainAll(c.Type, c.Before.Values),
					After: record.PlainAll(c.Type, c.After.Values), Name: c.Name, Type: c.Type, Date: s.when},
			)
		}
	}
	return f
}

// unsure reports whether a set may only look as if it came or went, because one of the two pictures
// was made by asking for names, and nobody asked for this one.
func (s Sight) unsure(c record.Change) bool {
	if c.Action == record.Went && s.seen.Misses(c.Name, c.Type) ||
		c.Action == record.Came && s.earlier.Misses(c.Name, c.Type) {
		return true
	}
	if s.isHost(c.Name) || s.isWanted(c.Name) {
		// asked about in every survey, since it is in the estate file
		return c.Action == record.Came && s.earlier.Partial && !askedThen(s.earlier, c.Name)
	}
	return c.Action == record.Went && s.seen.Partial && !s.earlier.Partial ||
		c.Action == record.Came && s.earlier.Partial && !s.seen.Partial
}

func (s Sight) isWanted(name string) bool {
	return slices.ContainsFunc(s.domain.Wanted, func(w estate.Wanted) bool { return w.Name == name })
}

// askedThen reports whether an earlier survey asked about a name: it showed something there, or
// looked at its doors, or could not see it. Apex and www are asked about always.
func askedThen(d *survey.Domain, name string) bool {
	return name == d.Name || name == "www."+d.Name ||
		slices.ContainsFunc(d.Records, func(set record.Set) bool { return set.Name == name }) ||
		slices.ContainsFunc(d.Missed, func(m survey.Missed) bool { return m.Name == name }) ||
		slices.ContainsFunc(d.Chains, func(c chain.Chain) bool {
			return c.Entry.Host().String() == name
		})
}

// isPlanned reports whether a change that was seen is one that the plan wants: it leads to what is
// wanted, or away from what is to be removed.
func isPlanned(s Sight, required []requirement, c record.Change) bool {
	isDoor := func(n requirement) bool { return n.Name == c.Name && !n.host.IsZero() }
	if record.LeadsBrowsers(c.Type) && slices.ContainsFunc(required, isDoor) {
		return true // what differs at a door is said by the changes themselves
	}
	if n := s.neededAs(c.Name); n != nil && n.To != "" && record.LeadsToAddress(c.Type) &&
		slices.ContainsFunc(s.have[c.Name], func(set record.Set) bool {
			return slices.Contains(record.PlainAll(set.Type, set.Values), n.To)
		}) {
		return true // somebody says that it is to be there
	}
	if c.Type == "NS" && c.Name == s.zone() && len(s.domain.MovesTo()) > 0 {
		return true
	}
	for _, n := range required {
		if n.Name == c.Name && n.Type == c.Type && c.After != nil &&
			!slices.ContainsFunc(n.Values, func(v string) bool {
				return !slices.Contains(record.Normal(c.Type, c.After.Values), v)
			}) {
			return true
		}
	}
	return c.Action == record.Went && strings.HasPrefix(c.Name, "*.")
}

// carriedOut checks a zone that counts as moved: what is still to do there is a fault.
func carriedOut(s Sight, required []requirement, changes []act.Change) found {
	var f found
	for _, c := range changes {
		if c.Step == 0 || c.UntiesMail() {
			continue
		}
		subject := c.Name + " " + c.Type
		add := func(code finding.Code, facts fact.Facts, because ...act.Reason) {
			made := finding.New(code, subject, facts)
			if len(because) > 0 {
				made.Because = because
			}
			f.Findings = append(f.Findings, made)
		}
		door := slices.ContainsFunc(required, func(n requirement) bool {
			return n.Name == c.Name && !n.host.IsZero()
		})
		if !door || !record.LeadsBrowsers(c.Type) {
			if c.Action == act.Add && s.misses(c.Name, c.Type) {
				continue // a note says that nobody answered
			}
			if c.Action == act.Add {
				add(finding.RecordLost, fact.MovedLacksRecord{Zone: s.zone(), Name: c.Name, Type: c.Type,
					Wanted: c.After}, c.Reasons...)
			}
			continue
		}
		left, missing := record.Without(c.Before, c.After), record.Without(c.After, c.Before)
		right := leadsRight(changes, c.Name)
		others := otherWay(changes, c, right)
		zone, there, wanted := s.zone(), c.Before, c.After
		switch {
		case c.Action == act.Remove && right:
			add(finding.LeftoverAddress, fact.MovedLeftover{Zone: zone, Name: c.Name, Left: c.Before,
				There: there, Wanted: wanted}, c.Reasons...)
		case c.Action == act.Remove:
		case len(left) == len(c.Before) && (len(left) > 0 || others != ""):
			leads := cmp.Or(strings.Join(left, ", "), others)
			add(finding.WrongTarget, fact.MovedElsewhere{Zone: zone, Name: c.Name, Leads: leads,
				There: there, Wanted: wanted})
		case len(missing) > 0 && (len(c.Before) > 0 || right):
			add(finding.MissingAddress, fact.MovedLacks{Zone: zone, Name: c.Name, Missing: missing,
				There: there, Wanted: wanted})
		case len(missing) > 0:
			add(finding.MissingAddress, fact.MovedNowhere{Zone: zone, Name: c.Name, Type: c.Type,
				There: there, Wanted: wanted})
		}
		if len(left) > 0 && len(left) < len(c.Before) {
			add(finding.LeftoverAddress, fact.MovedByChance{Zone: zone, Name: c.Name, Left: left,
				There: there, Wanted: wanted})
		}
	}
	return f
}

// otherWay gives where a door leads by a record of another type that is to go, "" where there is
// none.
func otherWay(changes []act.Change, c act.Change, right bool) string {
	for _, o := range changes {
		if o.Name == c.Name && o.Action == act.Remove && record.LeadsToAddress(o.Type) &&
			c.Action == act.Add && !right {
			return wording.Shortly(o.Before)
		}
	}
	return ""
}

// leadsRight reports whether a door has a record that leads where it should, whatever else stands
// beside it.
func leadsRight(changes []act.Change, name string) bool {
	return slices.ContainsFunc(changes, func(c act.Change) bool {
		return c.Name == name && record.LeadsBrowsers(c.Type) && c.Type != "HTTPS" &&
			(c.Action == act.Keep ||
				len(c.Before) > 0 && len(record.Without(c.Before, c.After)) < len(c.Before))
	})
}

// places says where the records of a zone are typed: until it moves, and from then on.
func places(d *estate.Domain, m *Move) (present, next string) {
	if m == nil {
		at := cmp.Or(d.RecordsAt, d.RecordsFrom, "records of "+d.Name.String())
		return at, at
	}
	return cmp.Or(d.RecordsFrom, "the present name servers "+strings.Join(m.From, " and ")),
		NextPlace(d, m.To)
}

func NextPlace(d *estate.Domain, to []string) string {
	if edge := d.Edge(); edge != nil && slices.Equal(web.Names(edge.NameServers), to) {
		return edge.Name
	}
	if d.RecordsAt != "" && d.RecordsAt != d.RecordsFrom {
		return d.RecordsAt
	}
	return "the next name servers " + strings.Join(to, " and ")
}
