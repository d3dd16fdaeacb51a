package zone

import (
	"cmp"
	"net/netip"
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// requirement is a record set that the plan needs, and why.
type requirement struct {
	record.Set
	carrier *estate.Carrier // who answers there; nil for what is no door
	host    web.Host
	why     []act.Reason
	wanted  bool     // somebody asked for it
	silent  bool     // it says that there is no mail, and stands instead of what says less
	through bool     // an edge network that holds the zone
	typed   []string // there, instead of Values; nothing where another record brings it
	typedAs string   // the type of that
}

// requirementsOf works out what the plan needs in a zone: doors, what is wanted, and what says that
// there is no mail.
func requirementsOf(s Sight) (required []requirement, notes []act.Note) {
	site := &estate.Carrier{Name: predict.SiteName}
	for _, h := range s.domain.Hosts() {
		if of := s.estate.SiteOf(h); of != nil {
			site = &estate.Carrier{Name: predict.SiteName, Addresses: of.Addresses, Alias: of.Alias}
		}
		c := cmp.Or(s.domain.Carry[h], s.domain.Served[h], site)
		if through := s.domain.Through[h]; through != nil {
			c = through
		}
		sets := s.leadTo(h, c)
		required = append(required, sets...)
		if c == site && len(sets) == 0 {
			notes = append(notes, act.Note{Notice: act.SiteUnplaced, Names: []string{h.String()}})
		}
	}
	required = withAsked(s, required)
	if s.domain.Mail == "none" && len(s.MailSeen()) == 0 {
		required = withoutMail(s, required)
		if s.seen == nil && s.nowhere == nil {
			notes = append(notes, act.Note{Notice: act.MailUnseen, Names: []string{s.zone()}})
		}
	}
	if names := world.ThroughUnseen(s.seen, s.through); len(names) > 0 {
		notes = append(notes, act.Note{Notice: act.ThroughUnseen, Names: names})
	}
	for i := range required {
		required[i].Values = oneSPF(required[i].Type, required[i].Values)
	}
	return required, notes
}

// oneSPF joins the SPF records among the values of a set: two count as none (RFC 7208 section 4.5).
func oneSPF(kind string, values []string) []string {
	if kind != "TXT" {
		return values
	}
	var all []string
	at := -1
	for _, v := range values {
		text := record.Unquote(v)
		switch {
		case !spf.Is(text):
			all = append(all, v)
		case at < 0:
			at = len(all)
			all = append(all, v)
		default:
			joined, _ := spf.Join(record.Unquote(all[at]), text)
			all[at] = record.Quote(joined)
		}
	}
	return all
}

// recordsOf gives what is wanted as records.
func recordsOf(required []requirement) []Record {
	all := []Record{}
	for _, n := range required {
		r := Record{n.Name, n.Type, n.TTL, nil}
		for _, v := range n.Values {
			r.Values = append(r.Values, record.Plain(n.Type, v))
		}
		all = append(all, r)
	}
	return all
}

// leadTo gives the record sets that lead a host to whoever carries it. Below the apex an alias is
// taken where there is one and nothing else has to stand at the name; at the apex it cannot stand
// (RFC 1034 section 3.6.2), unless the provider offers one.
func (s Sight) leadTo(h web.Host, c *estate.Carrier) []requirement {
	if c.ApexOnly && !h.IsApex() {
		return nil
	}
	name := h.String()
	made := func(kind string, values []string) requirement {
		return requirement{Set: record.Set{Name: name, Type: kind, TTL: act.RecordTTL, Values: values},
			carrier: c, host: h}
	}
	if !c.Alias.IsZero() && (!h.IsApex() || s.domain.ApexAlias) &&
		(len(c.Addresses) == 0 || len(s.beside(name)) == 0 || h.IsApex()) {
		kind := "CNAME"
		if h.IsApex() {
			kind = record.Alias
		}
		return s.typedAtEdge(c, []requirement{made(kind, []string{c.Alias.String() + "."})})
	}
	var sets []requirement
	for _, kind := range []string{"A", "AAAA"} {
		if values := record.Addresses(c.Addresses, kind); len(values) > 0 {
			sets = append(sets, made(kind, values))
		}
	}
	return s.typedAtEdge(c, sets)
}

// Placeholders stand where nothing is behind an edge network (RFC 5737, RFC 6666).
const (
	placeholder4 = "192.0.2.1"
	placeholder6 = "100::1"
)

// typedAtEdge adds to the records of a host what is typed instead of them at an edge network that
// holds the zone: where what is behind it answers, or placeholders where there is nothing. A record
// for which nothing is left is not typed at all: the network answers with its own addresses, of
// both kinds, as soon as one is.
func (s Sight) typedAtEdge(c *estate.Carrier, required []requirement) []requirement {
	if !c.By.Row().TakesZone || len(c.NameServers) == 0 || len(required) == 0 {
		return required
	}
	origin := s.originOf(c, required[0].host)
	left := slices.Clone(origin)
	for i, n := range required {
		required[i].through = true
		at := slices.IndexFunc(left, func(o record.Set) bool { return o.Type == n.Type })
		if at < 0 {
			continue
		}
		required[i].typed, required[i].typedAs = left[at].Values, left[at].Type
		left = slices.Delete(left, at, at+1)
	}
	if len(left) == len(origin) {
		required[0].typed, required[0].typedAs = origin[0].Values, origin[0].Type
	}
	return required
}

// originOf gives what leads an edge network to what is behind it, for a host: addresses, or an
// alias where there are none or the name can hold one, which such networks resolve themselves, at
// the apex too; or placeholders, where nothing is behind it.
func (s Sight) originOf(c *estate.Carrier, h web.Host) []record.Set {
	var addresses []netip.Addr
	var alias web.Host
	switch b := s.estate.Carrier(c.Behind); {
	case b != nil:
		addresses, alias = b.Addresses, b.Alias
	case c.BehindSite,
		slices.ContainsFunc(s.domain.Hosts(), func(h web.Host) bool { return s.domain.Through[h] == c }):
		of := cmp.Or(s.estate.SiteOf(h), s.estate.Sites()[0])
		addresses, alias = of.Addresses, of.Alias
		if own := s.domain.OriginOf(h.String()); len(own) > 0 && c.IsAll(addresses) {
			addresses, alias = nil, web.Host{}
			for _, v := range own {
				if a, err := netip.ParseAddr(v); err == nil {
					addresses = append(addresses, a)
				} else {
					alias = web.MustParseHost(v)
				}
			}
		}
	}
	var sets []record.Set
	for _, kind := range []string{"A", "AAAA"} {
		if values := record.Addresses(addresses, kind); len(values) > 0 {
			sets = append(sets, record.Set{Type: kind, Values: values})
		}
	}
	if !alias.IsZero() && (len(sets) == 0 || !h.IsApex() && len(s.beside(h.String())) == 0) {
		return []record.Set{{Type: "CNAME", Values: []string{alias.String() + "."}}}
	}
	if len(sets) > 0 {
		return sets
	}
	return []record.Set{
		{Type: "A", Values: []string{placeholder4}}, {Type: "AAAA", Values: []string{placeholder6}},
	}
}

// beside gives the types that stand at a name and cannot stand beside an alias.
func (s Sight) beside(name string) []string {
	var kinds []string
	for _, set := range s.have[name] {
		if !record.LeadsBrowsers(set.Type) && !record.IsSigning(set.Type) {
			kinds = append(kinds, set.Type)
		}
	}
	for _, wanted := range s.domain.Wanted {
		if wanted.Name == name {
			kinds = append(kinds, wanted.Type)
		}
	}
	return kinds
}

// withAsked adds what somebody asks for, unless it has done its work.
func withAsked(s Sight, required []requirement) []requirement {
	for _, r := range s.domain.Wanted {
		if s.DoneWith(r) != nil {
			continue
		}
		why := []act.Reason{{Why: act.SomebodyAsks}}
		if r.By != "" {
			why = []act.Reason{{Why: act.CarrierAsks, Carrier: r.By}}
		}
		if r.Until.Certificate {
			why = append(why, act.Reason{Why: act.MayGoWithCertificate})
		}
		i := slices.IndexFunc(required, func(n requirement) bool {
			return n.wanted && n.Name == r.Name && n.Type == r.Type
		})
		if i < 0 {
			set := record.Set{Name: r.Name, Type: r.Type, TTL: act.RecordTTL}
			required = append(required, requirement{Set: set, why: why, wanted: true})
			i = len(required) - 1
		}
		if !slices.Contains(required[i].Values, r.Value) {
			required[i].Values = append(required[i].Values, r.Value)
		}
	}
	return required
}

// DoneWith says why a wanted record is wanted no longer, nil where it still is.
func (s Sight) DoneWith(r estate.Wanted) []act.Reason {
	switch {
	case !r.Until.Date.IsZero() && !s.now.IsZero() && !s.now.Before(r.Until.Date):
		return []act.Reason{{Why: act.WantedUntil, Date: r.Until.Date}}
	case r.Until.Certificate && s.seen != nil && certified(s.domain, s.seen):
		return []act.Reason{{Why: act.WantedUntilCertificate}}
	}
	return nil
}

// certified reports whether every carried host that should speak TLS was seen with a good
// certificate at its planned carrier.
func certified(d *estate.Domain, seen *survey.Domain) bool {
	some := false
	for _, h := range d.Hosts() {
		c := cmp.Or(d.Carry[h], d.Served[h])
		if c == nil || !c.TLS {
			continue
		}
		if !certifiedAt(h, c, seen) {
			return false
		}
		some = true
	}
	return some
}

func certifiedAt(h web.Host, c *estate.Carrier, seen *survey.Domain) bool {
	for _, ch := range seen.Chains {
		first := ch.Hops[0]
		if ch.Entry.Host() != h || ch.Entry.Scheme() != web.HTTPS || first.TLS == nil ||
			len(first.TLS.Faults) > 0 ||
			first.Refusal != "" {
			continue
		}
		a, err := netip.ParseAddrPort(first.Address)
		here := a.Addr()
		if err != nil {
			here, _ = netip.ParseAddr(first.Address)
		}
		if len(c.Addresses) == 0 || slices.Contains(c.Addresses, here) {
			return true
		}
	}
	return false
}

// withoutMail adds the records that say that a domain neither receives mail nor sends it: a null MX
// (RFC 7505), an SPF record that allows nobody (RFC 7208), a policy that rejects the rest (RFC
// 7489).
func withoutMail(s Sight, required []requirement) []requirement {
	apex := s.zone()
	for _, n := range []requirement{
		{Set: record.Set{Name: apex, Type: "MX", Values: []string{"0 ."}},
			why: []act.Reason{{Why: act.ReceivesNoMail}}},
		{Set: record.Set{Name: apex, Type: "TXT", Values: []string{`"v=spf1 -all"`}},
			why: []act.Reason{{Why: act.SendsNoMail}}},
		{
			Set: record.Set{Name: "_dmarc." + apex, Type: "TXT", Values: []string{`"v=DMARC1; p=reject"`}},
			why: []act.Reason{{Why: act.RejectsForged}},
		},
	} {
		n.TTL, n.wanted, n.silent = act.RecordTTL, true, true
		if i := slices.IndexFunc(required, func(o requirement) bool {
			return o.Name == n.Name && o.Type == n.Type
		}); i >= 0 {
			required[i].silent = true
			required[i].Values = append(required[i].Values, n.Values...)
			required[i].why = append(required[i].why, n.why...)
			continue
		}
		required = append(required, n)
	}
	return required
}
