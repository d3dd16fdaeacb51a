package plan

import (
	"fmt"
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

// Zone is a domain with the records that the plan needs in it, and the changes that lead there from what was seen.
type Zone struct {
	Name      string     `json:"name"`
	RecordsAt string     `json:"records_at,omitempty"` // where its records are typed
	State     string     `json:"state"`                // planned or moved
	Records   []Record   `json:"records"`
	Seen      *time.Time `json:"seen,omitempty"` // when the zone was seen; absent: never, and there are no changes
	Partial   bool       `json:"partial,omitempty"`
	Changes   []Change   `json:"changes,omitempty"` // in the order in which to make them, then what stays
	TTLs      []TTL      `json:"ttls,omitempty"`
	AbsentFor int        `json:"absent_for,omitempty"` // for how long resolvers remember that a name is not there, in seconds
	Move      *Move      `json:"move,omitempty"`       // to other name servers

	domain *estate.Domain
	whole  []record.Set // all records after the changes, where the zone was seen
}

// Record is a DNS record set.
type Record struct {
	Name   string   `json:"name"` // in full, without its last dot
	Type   string   `json:"type"` // ALIAS: the provider's alias at the apex
	TTL    int      `json:"ttl"`  // in seconds
	Values []string `json:"values"`
}

// Set gives the record as a set in zone-file form.
func (r Record) Set() record.Set {
	s := record.Set{Name: r.Name, Type: r.Type, TTL: r.TTL}
	for _, v := range r.Values {
		s.Values = append(s.Values, record.Dotted(r.Type, v))
	}
	return s
}

// Action says what is to be done with a record set.
type Action string

// The actions.
const (
	Add     Action = "add"
	Replace Action = "replace"
	Remove  Action = "remove"
	Keep    Action = "keep"
)

// Change is a record set to add, replace, remove or keep, with the reason.
type Change struct {
	Step    int      `json:"step"` // from 1, in the order in which to make them; 0 for what stays
	Action  Action   `json:"action"`
	Name    string   `json:"name"` // in full, without its last dot
	Type    string   `json:"type"`
	TTL     int      `json:"ttl"` // as it has to be typed, in seconds; of what stays or goes, as it is
	Before  []string `json:"before"`
	After   []string `json:"after"`
	Typed   []string `json:"typed,omitempty"`   // what is typed at an edge network instead of what the world sees
	Through string   `json:"through,omitempty"` // the edge network through which it goes
	Reason  string   `json:"reason"`
}

// TTLs, in seconds: of the records that the plan asks for, and of those that change while they do.
const (
	RecordTTL = 3600
	MovingTTL = 300
)

// RaiseAfter is how long a changed record keeps its short TTL, so that the way back stays short.
const RaiseAfter = 24 * time.Hour

// TTL says how the TTL of a record set is led around its change.
type TTL struct {
	Name        string `json:"name"`
	Type        string `json:"type"`
	Seen        int    `json:"seen"`         // in seconds, as all of these
	LowerTo     int    `json:"lower_to"`     // what to lower it to before the change; as seen where that is short already
	LowerBefore int    `json:"lower_before"` // how long before the change at least: the old TTL has to run out; 0: not at all
	WaitAfter   int    `json:"wait_after"`   // for how long after the change some resolvers may still give the old answer
	RaiseTo     int    `json:"raise_to"`     // what to raise it to a day after the change; 0: it goes
}

// want is a record set that the plan needs, and why.
type want struct {
	record.Set
	carrier *estate.Carrier // who answers there; nil for what is no door
	host    web.Host
	why     string
	wanted  bool     // somebody asked for it
	typed   []string // at an edge network
}

// zoneWork is the work on one zone.
type zoneWork struct {
	plan    *Plan
	zone    *Zone
	domain  *estate.Domain
	seen    *survey.Domain // nil: nobody has
	have    map[string][]record.Set
	want    []want
	phases  [5][]Change // in their order; the last holds what stays
	touched map[record.Key]bool
	moves   map[string][]record.Set // names whose addresses change: what was there
}

func (p *Plan) zones() {
	for _, d := range p.Domains() {
		p.Zones = append(p.Zones, Zone{Name: d.Name.String(), RecordsAt: d.RecordsAt, State: string(d.State), Records: []Record{}, domain: d})
	}
	p.zoneAt = make(map[string]int, len(p.Zones))
	for i, z := range p.Zones {
		p.zoneAt[z.Name] = i
	}
	moving := map[string]*zoneWork{}
	for i := range p.Zones {
		z := &p.Zones[i]
		w := p.workOn(z)
		w.records()
		if w.seen != nil {
			w.change()
		}
		for name := range w.moves {
			moving[name] = w
		}
	}
	p.unseenZones()
	p.dependedOn(moving)
	p.checkEarlier()
}

// checkEarlier checks the zones that earlier waves have moved: what they did is taken as done, and looked at.
func (p *Plan) checkEarlier() {
	for _, d := range p.earlier() {
		apart := *p
		apart.tally, apart.Notes = chain.Tally{}, nil
		w := apart.workOn(&Zone{Name: d.Name.String(), State: string(d.State), domain: d})
		w.records()
		if w.seen == nil {
			continue
		}
		w.change()
		for _, f := range apart.tally.Findings() {
			if f.Code.Kind().AfterMove {
				p.tally.Add(f)
			}
		}
	}
}

func (p *Plan) workOn(z *Zone) *zoneWork {
	w := &zoneWork{plan: p, zone: z, domain: z.domain, have: map[string][]record.Set{}, touched: map[record.Key]bool{}, moves: map[string][]record.Set{}}
	w.seen = p.seen(z.Name)
	if w.seen == nil {
		return w
	}
	when := w.seen.Looked
	if when.IsZero() {
		when = p.input.Survey.Started
	}
	z.Seen, z.Partial = &when, w.seen.Partial
	for _, s := range w.seen.Records {
		w.have[s.Name] = append(w.have[s.Name], s)
	}
	return w
}

// seen returns what was seen of a domain last, nil where nobody has looked.
func (p *Plan) seen(name string) *survey.Domain {
	if p.seenAt == nil {
		p.seenAt = map[string]*survey.Domain{}
		if v := p.input.Survey; v != nil {
			for i := range v.Domains {
				if d := &v.Domains[i]; d.Seen() {
					p.seenAt[d.Name] = d
				}
			}
		}
	}
	return p.seenAt[name]
}

// unseenZones says which zones nobody has looked at.
func (p *Plan) unseenZones() {
	var unseen []string
	for _, z := range p.Zones {
		if z.Seen == nil {
			unseen = append(unseen, z.domain.Name.Unicode())
		}
	}
	switch {
	case len(unseen) == 0:
	case len(unseen) == len(p.Zones):
		p.note("Nobody has looked at the zones yet, so there are records, but no changes. upperpath survey looks; plan --zone FILE takes a zone file.")
	default:
		p.note("Nobody has seen the zones of %s, so there are records, but no changes for them. upperpath survey looks; plan --zone FILE takes a zone file.", strings.Join(unseen, ", "))
	}
}

func (p *Plan) note(format string, args ...any) {
	p.Notes = append(p.Notes, fmt.Sprintf(format, args...))
}

func (w *zoneWork) set(name, kind string) (record.Set, bool) {
	return record.Find(w.have[name], name, kind)
}

// records works out what the plan needs in the zone: the doors, what is wanted, and what says that there is no mail.
func (w *zoneWork) records() {
	site := &estate.Carrier{Name: SiteName, Addresses: w.plan.Estate.Site.Addresses, Alias: w.plan.Estate.Site.Alias}
	for _, h := range w.domain.Hosts() {
		c := w.domain.Carry[h]
		if c == nil {
			c = site
		}
		if through := w.domain.Through[h]; through != nil {
			c = through
		}
		sets := w.door(h, c)
		w.want = append(w.want, sets...)
		if c == site && len(sets) == 0 {
			w.plan.note("The estate file does not say where the site lives (site.addresses or site.alias), so there is no record for %s.", h)
		}
	}
	w.wantedRecords()
	if w.domain.Mail == "none" && len(w.mailSeen()) == 0 {
		w.noMail()
		if w.seen == nil {
			w.plan.note("Nobody has looked whether %s receives mail or sends it; survey it before you type the records that say that it does not.", w.zone.Name)
		}
	}
	for _, n := range w.want {
		r := Record{n.Name, n.Type, n.TTL, nil}
		for _, v := range n.Values {
			r.Values = append(r.Values, record.Plain(n.Type, v))
		}
		w.zone.Records = append(w.zone.Records, r)
	}
}

// door gives the record sets that lead a host to whoever carries it. Below the apex an alias is taken where there is one and
// nothing else has to stand at the name; at the apex it cannot stand (RFC 1034 section 3.6.2), unless the provider offers one.
func (w *zoneWork) door(h web.Host, c *estate.Carrier) []want {
	if c.ApexOnly && !h.IsApex() {
		return nil
	}
	name := h.String()
	made := func(kind string, values []string) want {
		return want{Set: record.Set{Name: name, Type: kind, TTL: RecordTTL, Values: values}, carrier: c, host: h, typed: w.typedAt(c, kind)}
	}
	if !c.Alias.IsZero() && (!h.IsApex() || w.domain.ApexAlias) && (len(c.Addresses) == 0 || len(w.beside(name)) == 0 || h.IsApex()) {
		kind := "CNAME"
		if h.IsApex() {
			kind = record.Alias
		}
		return []want{made(kind, []string{c.Alias.String() + "."})}
	}
	var sets []want
	for _, kind := range []string{"A", "AAAA"} {
		if values := addressesOf(c.Addresses, kind); len(values) > 0 {
			sets = append(sets, made(kind, values))
		}
	}
	return sets
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

// Placeholders stand where nothing is behind an edge network (RFC 5737, RFC 6666).
const (
	placeholder4 = "192.0.2.1"
	placeholder6 = "100::1"
)

// typedAt gives what is typed at an edge network that holds the zone: the addresses of what is behind it, or a placeholder.
func (w *zoneWork) typedAt(c *estate.Carrier, kind string) []string {
	if c.By != estate.Edge || len(c.NameServers) == 0 {
		return nil
	}
	behind := w.plan.Estate.Site.Addresses
	if !slices.ContainsFunc(w.domain.Hosts(), func(h web.Host) bool { return w.domain.Through[h] == c }) {
		behind = nil
	}
	if b := w.plan.Estate.Carrier(c.Behind); b != nil {
		behind = b.Addresses
	}
	if values := addressesOf(behind, kind); len(values) > 0 {
		return values
	}
	if kind == "AAAA" {
		return []string{placeholder6}
	}
	return []string{placeholder4}
}

// beside gives the types that stand at a name and cannot stand beside an alias.
func (w *zoneWork) beside(name string) []string {
	var kinds []string
	for _, s := range w.have[name] {
		if !isWeb(s.Type) && !isSignature(s.Type) {
			kinds = append(kinds, s.Type)
		}
	}
	for _, wanted := range w.domain.Wanted {
		if wanted.Name == name {
			kinds = append(kinds, wanted.Type)
		}
	}
	return kinds
}

// isWeb tells whether a type decides where a browser goes.
func isWeb(kind string) bool {
	return kind == "A" || kind == "AAAA" || kind == "CNAME" || kind == "HTTPS" || kind == record.Alias
}

func isAddress(kind string) bool { return kind == "A" || kind == "AAAA" || kind == "CNAME" }

// isSignature tells whether a type is made by signing the zone, and goes with it.
func isSignature(kind string) bool {
	switch kind {
	case "RRSIG", "NSEC", "NSEC3", "NSEC3PARAM", "DNSKEY", "CDS", "CDNSKEY", "TYPE65534": // the last is bind's own note of its work
		return true
	}
	return false
}

// wantedRecords adds what somebody asks for, unless it has done its work.
func (w *zoneWork) wantedRecords() {
	for _, r := range w.domain.Wanted {
		if w.plan.doneWith(w.domain, w.seen, r) != "" {
			continue
		}
		why := "Somebody asks for it; it is looked for in every survey."
		if r.By != "" {
			why = r.By + " asks for it."
		}
		if r.Until.Certificate {
			why += " It may go once the certificate is there."
		}
		i := slices.IndexFunc(w.want, func(n want) bool { return n.wanted && n.Name == r.Name && n.Type == r.Type })
		if i < 0 {
			w.want = append(w.want, want{Set: record.Set{Name: r.Name, Type: r.Type, TTL: RecordTTL}, why: why, wanted: true})
			i = len(w.want) - 1
		}
		if !slices.Contains(w.want[i].Values, r.Value) {
			w.want[i].Values = append(w.want[i].Values, r.Value)
		}
	}
}

// doneWith says why a wanted record is wanted no longer, "" where it still is.
func (p *Plan) doneWith(d *estate.Domain, seen *survey.Domain, r estate.Wanted) string {
	switch {
	case !r.Until.Date.IsZero() && !p.input.Now.IsZero() && !p.input.Now.Before(r.Until.Date):
		return "It was wanted until " + r.Until.Date.Format(time.DateOnly) + "."
	case r.Until.Certificate && seen != nil && p.certified(d, seen):
		return "It was wanted until the certificate is there, and it is."
	}
	return ""
}

// certified tells whether every carried host that should speak TLS was seen with a good certificate at its planned carrier.
func (p *Plan) certified(d *estate.Domain, seen *survey.Domain) bool {
	some := false
	for h, c := range d.Carry {
		if c == nil || !c.TLS {
			continue
		}
		good := false
		for _, ch := range seen.Chains {
			first := ch.Hops[0]
			if ch.Entry.Host() == h && ch.Entry.Scheme() == web.HTTPS && first.TLS != nil && len(first.TLS.Faults) == 0 && first.Refusal == "" {
				a, err := netip.ParseAddrPort(first.Address)
				here := a.Addr()
				if err != nil {
					here, _ = netip.ParseAddr(first.Address)
				}
				good = good || len(c.Addresses) == 0 || slices.Contains(c.Addresses, here)
			}
		}
		if !good {
			return false
		}
		some = true
	}
	return some
}
