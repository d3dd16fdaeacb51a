package plan

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Move is the way of a zone to other name servers.
type Move struct {
	From     []string `json:"from"`
	To       []string `json:"to"`
	OldLives int      `json:"old_lives"`       // for how long resolvers may go on asking the old servers, in seconds
	Ready    bool     `json:"ready"`           // every new server was asked and says what it should
	DS       []string `json:"ds,omitempty"`    // at the parent today
	Loses    []string `json:"loses,omitempty"` // what works only on the old provider's servers
	Order    []string `json:"order"`
}

// move works out the move of a zone whose name servers are to be others.
func (w *zoneWork) move() {
	to := names(w.domain.MovesTo())
	from := w.delegated()
	if len(to) == 0 || len(from) == 0 || slices.Equal(from, to) {
		return
	}
	ns, _ := w.set(w.zone.Name, "NS")
	m := &Move{From: from, To: to, OldLives: max(w.seen.Parent.TTL, ns.TTL)}
	w.zone.Move = m
	for _, ds := range w.seen.Parent.DS {
		m.DS = append(m.DS, ds.Text)
	}
	w.losesWithServers(m)
	w.staleDS(m)
	m.Ready = w.comingAgrees(m)
	m.Order = w.moveOrder(m)
}

// losesWithServers says what works only on the old provider's name servers.
func (w *zoneWork) losesWithServers(m *Move) {
	for _, h := range w.domain.Hosts() {
		c := w.domain.Carry[h]
		if c == nil || c.By != estate.Form || slices.Equal(names(c.NameServers), m.To) {
			continue
		}
		m.Loses = append(m.Loses, fmt.Sprintf("the forwarding of %s at %s", h, c.Name))
		w.plan.tally.Add(finding.New(finding.BeyondCarrier, h.String(), fmt.Sprintf("%s is to be forwarded by %s, whose form works only on its own provider's name servers; the zone moves to %s, and the forwarding goes.", h, c.Name, strings.Join(m.To, " and ")),
			fmt.Sprintf("Give %s to a carrier that does not depend on the name servers, or leave the zone where it is.", h), map[string]any{"carrier": c.Name, "host": h.String(), "to": m.To}))
	}
	if w.domain.ApexAlias && len(w.domain.NameServers) > 0 {
		m.Loses = append(m.Loses, fmt.Sprintf("the alias at the apex of %s, unless the new provider offers one too", w.zone.Name))
	}
	for _, h := range w.domain.Hosts() {
		for _, s := range w.have[h.String()] {
			for _, c := range w.plan.Estate.Carriers {
				if c.By == estate.Form && c != w.domain.Carry[h] && slices.ContainsFunc(c.Addresses, func(a netip.Addr) bool { return slices.Contains(s.Values, a.String()) }) {
					m.Loses = append(m.Loses, fmt.Sprintf("what %s forwards for %s today", c.Name, h))
				}
			}
		}
	}
}

// staleDS says that a DS record would be left behind: the new servers hold other keys, or none.
func (w *zoneWork) staleDS(m *Move) {
	if len(m.DS) == 0 || len(w.seen.Coming) > 0 && !slices.ContainsFunc(w.seen.Coming, func(c survey.Coming) bool { return !c.Keys }) {
		return
	}
	w.plan.tally.Add(finding.New(finding.StaleDS, w.zone.Name, fmt.Sprintf("The zone moves to %s, and the DS record at %s would be left behind: resolvers that check signatures would find nothing.", strings.Join(m.To, " and "), w.seen.Parent.Zone),
		fmt.Sprintf("In this order: have the registrar remove the DS record, wait %s, move the zone, sign it there, and only then publish the new DS.", Words(max(w.seen.Parent.TTL, m.OldLives))), map[string]any{"ds": m.DS}))
}

// comingAgrees compares what the new name servers say with what the zone should hold, name by name.
func (w *zoneWork) comingAgrees(m *Move) bool {
	asked := map[string]bool{}
	agrees := true
	for _, c := range w.seen.Coming {
		asked[c.Name] = true
		who := strings.TrimSpace(c.Name + " " + c.Address)
		if c.State != survey.Answers {
			agrees = false
			w.plan.tally.Add(finding.New(finding.ZoneDiffers, w.zone.Name, fmt.Sprintf("The new name server %s does not answer for %s: %s.", who, w.zone.Name, c.Says),
				"Create the zone there before the delegation changes.", map[string]any{"server": c.Name, "address": c.Address}))
			continue
		}
		for _, d := range w.differs(c) {
			agrees = false
			code, fix := finding.ZoneDiffers, "Type it there as the plan says, before the delegation changes."
			if d.mail && len(d.there) == 0 {
				code, fix = finding.MailLost, "Copy it to the new servers before the delegation changes; otherwise mail stops with it."
			}
			old := ""
			if !same(d.kind, d.now, d.wanted) {
				old = fmt.Sprintf("; the old ones say %s", orNothing(d.now))
			}
			w.plan.tally.Add(finding.New(code, d.name+" "+d.kind, fmt.Sprintf("The new name server %s says %s for %s %s, and %s is wanted%s.", who, orNothing(d.there), d.name, d.kind, orNothing(d.wanted), old), fix,
				map[string]any{"server": c.Name, "there": d.there, "wanted": d.wanted, "now": d.now}))
		}
	}
	var missing []string
	for _, n := range m.To {
		if !asked[n] {
			missing, agrees = append(missing, n), false
		}
	}
	if len(missing) > 0 {
		w.plan.note("The new name servers %s of %s have not been asked yet. Create the zone there (upperpath write zone), then survey again: they must agree before the delegation changes.", strings.Join(missing, " and "), w.zone.Name)
	}
	return agrees
}

func orNothing(values []string) string {
	if len(values) == 0 {
		return "nothing"
	}
	return shortly(values)
}

type zoneDifference struct {
	name, kind         string
	there, wanted, now []string
	mail               bool
}

// differs gives what a new name server says otherwise than the old ones do and than the plan wants. What belongs to the servers
// and signatures is theirs.
func (w *zoneWork) differs(c survey.Coming) []zoneDifference {
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
		return s.Type == "SOA" || isSignature(s.Type) || s.Type == "NS" && s.Name == w.zone.Name
	}
	for _, s := range w.zone.whole {
		switch {
		case theirs(s):
		case s.Type == record.Alias:
			for _, n := range w.want {
				if n.Name == s.Name && n.Type == s.Type {
					for _, kind := range []string{"A", "AAAA"} {
						if values := addressesOf(n.carrier.Addresses, kind); len(values) > 0 {
							at(record.Set{Name: s.Name, Type: kind}).wanted = values
						}
					}
				}
			}
		default:
			at(s).wanted = s.Values
		}
	}
	for _, s := range w.seen.Records {
		if !theirs(s) {
			at(s).now = s.Values
		}
	}
	for _, s := range c.Records {
		if !theirs(s) {
			at(s).there = s.Values
		}
	}
	var all []zoneDifference
	for key, p := range pairs {
		if !same(key.Type, p.there, p.wanted) && !same(key.Type, p.there, p.now) {
			all = append(all, zoneDifference{key.Name, key.Type, plain(key.Type, p.there), plain(key.Type, p.wanted), plain(key.Type, p.now), isMail(record.Set{Name: key.Name, Type: key.Type, Values: p.wanted})})
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

func (w *zoneWork) moveOrder(m *Move) []string {
	to := strings.Join(m.To, " and ")
	order := []string{fmt.Sprintf("Create the zone at %s with everything that it holds, changed as the plan says (upperpath write zone).", to),
		"Survey again: the old and the new servers are asked for everything known, and must agree."}
	if len(m.DS) > 0 {
		order = append(order, fmt.Sprintf("Have the registrar remove the DS record, and wait %s.", Words(m.OldLives)))
	}
	order = append(order, fmt.Sprintf("Change the name servers at the registrar to %s.", to),
		fmt.Sprintf("Leave the old servers as they are for %s: so long the old delegation lives (its TTL).", Words(m.OldLives)))
	if len(m.DS) > 0 {
		order = append(order, "Sign the zone at the new servers, and only then publish the new DS at the registrar.")
	}
	return order
}

// since says what came and went since an earlier survey without being planned.
func (w *zoneWork) since() {
	earlier := w.plan.input.Earlier.Of(w.zone.Name)
	if earlier == nil {
		return
	}
	when := earlier.Looked
	if when.IsZero() {
		when = w.plan.input.Earlier.Started
	}
	day := when.Format("2006-01-02 15:04")
	for _, c := range record.Changes(earlier.Records, w.seen.Records) {
		if c.Type == "SOA" || isSignature(c.Type) || w.isPlanned(c) || w.unsure(c, earlier) {
			continue
		}
		subject := c.Name + " " + c.Type
		switch c.Action {
		case record.Went:
			code := finding.RecordLost
			if isMail(*c.Before) {
				code = finding.MailLost
			}
			w.plan.tally.Add(finding.New(code, subject, fmt.Sprintf("%s %s (%s) was there on %s, is gone, and the plan does not remove it.", c.Name, c.Type, shortly(plain(c.Type, c.Before.Values)), day),
				"Put it back, unless somebody took it away on purpose; upperpath survey --show has its values.", map[string]any{"before": plain(c.Type, c.Before.Values)}))
		case record.Came:
			w.plan.tally.Add(finding.New(finding.UnplannedChange, subject, fmt.Sprintf("%s %s (%s) came since %s, and the plan does not know of it; it stays.", c.Name, c.Type, shortly(plain(c.Type, c.After.Values)), day),
				"Ask who created it. If it is wanted, write it under wanted:.", map[string]any{"after": plain(c.Type, c.After.Values)}))
		default:
			if same(c.Type, c.Before.Values, c.After.Values) {
				continue
			}
			w.plan.tally.Add(finding.New(finding.UnplannedChange, subject, fmt.Sprintf("%s %s changed since %s from %s to %s, which nobody planned.", c.Name, c.Type, day, shortly(plain(c.Type, c.Before.Values)), shortly(plain(c.Type, c.After.Values))),
				"Ask who changed it, and why; then change it back or the estate file.", map[string]any{"before": plain(c.Type, c.Before.Values), "after": plain(c.Type, c.After.Values)}))
		}
	}
}

// unsure tells whether a set may only look as if it came or went, because one of the two pictures was made by asking for names, and
// nobody asked for this one.
func (w *zoneWork) unsure(c record.Change, earlier *survey.Domain) bool {
	if slices.ContainsFunc(w.domain.Hosts(), func(h web.Host) bool { return h.String() == c.Name }) {
		return false // asked about in every survey
	}
	return c.Action == record.Went && w.seen.Partial && !earlier.Partial || c.Action == record.Came && earlier.Partial && !w.seen.Partial
}

// isPlanned tells whether a change that was seen is one that the plan wants: it leads to what is wanted, or away from what is
// to be removed.
func (w *zoneWork) isPlanned(c record.Change) bool {
	if isWeb(c.Type) && slices.ContainsFunc(w.want, func(n want) bool { return n.Name == c.Name && !n.host.IsZero() }) {
		return true // what differs at a door is said by the changes themselves
	}
	if c.Type == "NS" && c.Name == w.zone.Name && len(w.domain.MovesTo()) > 0 {
		return true
	}
	for _, n := range w.want {
		if n.Name == c.Name && n.Type == c.Type && c.After != nil && !slices.ContainsFunc(n.Values, func(v string) bool { return !slices.Contains(normal(c.Type, c.After.Values), v) }) {
			return true
		}
	}
	return c.Action == record.Went && strings.HasPrefix(c.Name, "*.")
}

// carriedOut checks a zone that counts as moved: what is still to do there is a fault.
func (w *zoneWork) carriedOut() {
	for _, c := range w.zone.Changes {
		if c.Step == 0 {
			continue
		}
		subject := c.Name + " " + c.Type
		add := func(code finding.Code, says, fix string, evidence map[string]any) {
			w.plan.tally.Add(finding.New(code, subject, says, fix, evidence))
		}
		door := slices.ContainsFunc(w.want, func(n want) bool { return n.Name == c.Name && !n.host.IsZero() })
		if !door || !isWeb(c.Type) {
			if c.Action == Add {
				add(finding.RecordLost, fmt.Sprintf("%s counts as moved, and its %s record %s (%s) is not there.", w.zone.Name, c.Type, c.Name, shortly(c.After)), "Add it. "+c.Reason, map[string]any{"wanted": c.After})
			}
			continue
		}
		left, missing := without(c.Before, c.After), without(c.After, c.Before)
		others := w.otherWay(c)
		evidence := map[string]any{"there": c.Before, "wanted": c.After}
		switch {
		case c.Action == Remove && w.leadsRight(c.Name):
			add(finding.LeftoverAddress, fmt.Sprintf("%s counts as moved, but %s still leads to %s too.", w.zone.Name, c.Name, shortly(c.Before)), "Remove it. "+c.Reason, evidence)
		case c.Action == Remove:
		case len(left) == len(c.Before) && (len(left) > 0 || others != ""):
			there := cmp.Or(strings.Join(left, ", "), others)
			add(finding.WrongTarget, fmt.Sprintf("%s counts as moved, but %s leads to %s instead of %s.", w.zone.Name, c.Name, there, shortly(c.After)), "Replace it, or write state: planned.", evidence)
		case len(missing) > 0 && (len(c.Before) > 0 || w.leadsRight(c.Name)):
			add(finding.MissingAddress, fmt.Sprintf("%s counts as moved, but %s lacks %s.", w.zone.Name, c.Name, shortly(missing)), "Add it: all addresses of a carrier form one record set.", evidence)
		case len(missing) > 0:
			add(finding.MissingAddress, fmt.Sprintf("%s counts as moved, but %s has no address at all.", w.zone.Name, c.Name), "Add "+c.Type+" "+shortly(c.After)+".", evidence)
		}
		if len(left) > 0 && len(left) < len(c.Before) {
			add(finding.LeftoverAddress, fmt.Sprintf("%s counts as moved, but %s still leads to %s too: visitors get one or the other by chance.", w.zone.Name, c.Name, shortly(left)), "Remove it.", evidence)
		}
	}
}

// otherWay gives where a door leads by a record of another type that is to go, "" where there is none.
func (w *zoneWork) otherWay(c Change) string {
	for _, o := range w.zone.Changes {
		if o.Name == c.Name && o.Action == Remove && isAddress(o.Type) && c.Action == Add && !w.leadsRight(c.Name) {
			return shortly(o.Before)
		}
	}
	return ""
}

// leadsRight tells whether a door has a record that leads where it should, whatever else stands beside it.
func (w *zoneWork) leadsRight(name string) bool {
	return slices.ContainsFunc(w.zone.Changes, func(c Change) bool {
		return c.Name == name && isWeb(c.Type) && c.Type != "HTTPS" && (c.Action == Keep || len(c.Before) > 0 && len(without(c.Before, c.After)) < len(c.Before))
	})
}

// without returns what is in a and not in b.
func without(a, b []string) []string {
	return slices.DeleteFunc(slices.Clone(a), func(v string) bool { return slices.Contains(b, v) })
}

// dependedOn finds what refers to a name whose address changes, in every zone that was seen: it would follow to a carrier that
// knows nothing of it.
func (p *Plan) dependedOn(moving map[string]*zoneWork) {
	if p.input.Survey == nil {
		return
	}
	for i := range p.input.Survey.Domains {
		d := &p.input.Survey.Domains[i]
		var own *estate.Domain
		if h, err := web.ParseHost(d.Name); err == nil {
			own = p.Estate.DomainOf(h)
		}
		for _, s := range d.Records {
			for _, v := range s.Values {
				target := record.Target(s.Type, v)
				w := moving[target]
				if w == nil || s.Type == "NS" && w.zone.Name == d.Name || s.Type == "MX" && s.Name == d.Name && w.zone.Name == d.Name {
					continue
				}
				if own != nil && slices.ContainsFunc(own.Hosts(), func(h web.Host) bool { return h.String() == s.Name }) && s.Type == "CNAME" {
					continue // the plan leads it elsewhere itself
				}
				p.tally.Add(finding.New(finding.DependedOn, target, fmt.Sprintf("The %s record of %s refers to %s, whose address changes; it would follow to a machine that knows nothing of it.", s.Type, s.Name, target),
					fmt.Sprintf("Lead %s to today's address itself, or list it under hosts: if it is a door, before %s changes.", s.Name, target), map[string]any{"name": s.Name, "type": s.Type, "value": record.Plain(s.Type, v)}))
			}
		}
	}
}

// Words gives a time in seconds as people say it: "5 minutes", "4 hours", "1 day 2 hours".
func Words(seconds int) string {
	if seconds <= 0 {
		return "no time"
	}
	var parts []string
	for _, u := range []struct {
		size int
		name string
	}{{86400, "day"}, {3600, "hour"}, {60, "minute"}, {1, "second"}} {
		if n := seconds / u.size; n > 0 && len(parts) < 2 {
			if seconds %= u.size; n > 1 {
				u.name += "s"
			}
			parts = append(parts, fmt.Sprintf("%d %s", n, u.name))
		}
	}
	return strings.Join(parts, " ")
}
