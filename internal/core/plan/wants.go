package plan

import (
	"cmp"
	"net/netip"
	"slices"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// want is a record set that the plan needs, and why.
type want struct {
	record.Set
	carrier *estate.Carrier // who answers there; nil for what is no door
	host    web.Host
	why     []Reason
	wanted  bool     // somebody asked for it
	typed   []string // at an edge network
}

// wantsOf works out what the plan needs in a zone: the doors, what is wanted, and what says that there is no mail.
func wantsOf(s sight) (wants []want, notes []Note) {
	site := &estate.Carrier{Name: SiteName, Addresses: s.estate.Site.Addresses, Alias: s.estate.Site.Alias}
	for _, h := range s.domain.Hosts() {
		c := cmp.Or(s.domain.Carry[h], s.domain.Served[h], site)
		if through := s.domain.Through[h]; through != nil {
			c = through
		}
		sets := s.leadTo(h, c)
		wants = append(wants, sets...)
		if c == site && len(sets) == 0 {
			notes = append(notes, Note{Notice: SiteUnplaced, Names: []string{h.String()}})
		}
	}
	wants = withAsked(s, wants)
	if s.domain.Mail == "none" && len(s.mailSeen()) == 0 {
		wants = withoutMail(s, wants)
		if s.seen == nil {
			notes = append(notes, Note{Notice: MailUnseen, Names: []string{s.zone()}})
		}
	}
	for i := range wants {
		wants[i].Values = oneSPF(wants[i].Type, wants[i].Values)
	}
	return wants, notes
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
			all[at] = record.Quote(spf.Join(record.Unquote(all[at]), text))
		}
	}
	return all
}

// recordsOf gives what is wanted as records.
func recordsOf(wants []want) []Record {
	all := []Record{}
	for _, n := range wants {
		r := Record{n.Name, n.Type, n.TTL, nil}
		for _, v := range n.Values {
			r.Values = append(r.Values, record.Plain(n.Type, v))
		}
		all = append(all, r)
	}
	return all
}

// leadTo gives the record sets that lead a host to whoever carries it. Below the apex an alias is taken where there is
// one and nothing else has to stand at the name; at the apex it cannot stand (RFC 1034 section 3.6.2), unless the
// provider offers one.
func (s sight) leadTo(h web.Host, c *estate.Carrier) []want {
	if c.ApexOnly && !h.IsApex() {
		return nil
	}
	name := h.String()
	made := func(kind string, values []string) want {
		return want{
			Set:     record.Set{Name: name, Type: kind, TTL: RecordTTL, Values: values},
			carrier: c,
			host:    h,
			typed:   s.typedAt(c, kind),
		}
	}
	if !c.Alias.IsZero() && (!h.IsApex() || s.domain.ApexAlias) &&
		(len(c.Addresses) == 0 || len(s.beside(name)) == 0 || h.IsApex()) {
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

// Placeholders stand where nothing is behind an edge network (RFC 5737, RFC 6666).
const (
	placeholder4 = "192.0.2.1"
	placeholder6 = "100::1"
)

// typedAt gives what is typed at an edge network that holds the zone: the addresses of what is behind it, or a
// placeholder.
func (s sight) typedAt(c *estate.Carrier, kind string) []string {
	if !c.By.Row().TakesZone || len(c.NameServers) == 0 {
		return nil
	}
	behind := s.estate.Site.Addresses
	if !slices.ContainsFunc(s.domain.Hosts(), func(h web.Host) bool { return s.domain.Through[h] == c }) {
		behind = nil
	}
	if b := s.estate.Carrier(c.Behind); b != nil {
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
func (s sight) beside(name string) []string {
	var kinds []string
	for _, set := range s.have[name] {
		if !isWeb(set.Type) && !isSignature(set.Type) {
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
func withAsked(s sight, wants []want) []want {
	for _, r := range s.domain.Wanted {
		if s.doneWith(r) != nil {
			continue
		}
		why := []Reason{{Why: SomebodyAsks}}
		if r.By != "" {
			why = []Reason{{Why: CarrierAsks, Carrier: r.By}}
		}
		if r.Until.Certificate {
			why = append(why, Reason{Why: MayGoWithCertificate})
		}
		i := slices.IndexFunc(wants, func(n want) bool { return n.wanted && n.Name == r.Name && n.Type == r.Type })
		if i < 0 {
			wants = append(wants, want{Set: record.Set{Name: r.Name, Type: r.Type, TTL: RecordTTL}, why: why, wanted: true})
			i = len(wants) - 1
		}
		if !slices.Contains(wants[i].Values, r.Value) {
			wants[i].Values = append(wants[i].Values, r.Value)
		}
	}
	return wants
}

// doneWith says why a wanted record is wanted no longer, nil where it still is.
func (s sight) doneWith(r estate.Wanted) []Reason {
	switch {
	case !r.Until.Date.IsZero() && !s.now.IsZero() && !s.now.Before(r.Until.Date):
		return []Reason{{Why: WantedUntil, Date: r.Until.Date}}
	case r.Until.Certificate && s.seen != nil && certified(s.domain, s.seen):
		return []Reason{{Why: WantedUntilCertificate}}
	}
	return nil
}

// certified tells whether every carried host that should speak TLS was seen with a good certificate at its planned
// carrier.
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
		if ch.Entry.Host() != h || ch.Entry.Scheme() != web.HTTPS || first.TLS == nil || len(first.TLS.Faults) > 0 ||
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

// withoutMail adds the records that say that a domain neither receives mail nor sends it: a null MX (RFC 7505), an SPF
// record that allows nobody (RFC 7208), a policy that rejects the rest (RFC 7489).
func withoutMail(s sight, wants []want) []want {
	apex := s.zone()
	for _, n := range []want{
		{Set: record.Set{Name: apex, Type: "MX", Values: []string{"0 ."}}, why: []Reason{{Why: ReceivesNoMail}}},
		{Set: record.Set{Name: apex, Type: "TXT", Values: []string{`"v=spf1 -all"`}}, why: []Reason{{Why: SendsNoMail}}},
		{
			Set: record.Set{Name: "_dmarc." + apex, Type: "TXT", Values: []string{`"v=DMARC1; p=reject"`}},
			why: []Reason{{Why: RejectsForged}},
		},
	} {
		n.TTL, n.wanted = RecordTTL, true
		if i := slices.IndexFunc(wants, func(o want) bool { return o.Name == n.Name && o.Type == n.Type }); i >= 0 {
			wants[i].Values = append(wants[i].Values, n.Values...)
			wants[i].why = append(wants[i].why, n.why...)
			continue
		}
		wants = append(wants, n)
	}
	return wants
}
