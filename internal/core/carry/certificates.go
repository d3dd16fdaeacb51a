package carry

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// Certificate is a certificate that somebody must hold.
type Certificate struct {
	Carrier string
	Domain  string // "" for the site's own
	Names   []string
	When    string // before the names point there, after it, or by-hand
	Issuer  string

	MayIssue []string // what CAA records say; none: everybody may
	Limits   []string // of account and method, in CAA records (RFC 8657)
	ByDNS    []string // where the issuer wants a TXT record, so that it can be had before
	// visitors meet a warning from the moment the name points there until it is issued
	Gap bool
}

// Certificates gives the certificates that carriers and the site must hold.
func Certificates(w *predict.Prediction) []Certificate {
	all := []Certificate{}
	for _, d := range w.Domains() {
		byCarrier := map[string]int{}
		for _, h := range d.Hosts() {
			for _, c := range holders(w.Estate, d, h) {
				at, have := byCarrier[c.Name]
				if !have {
					at = len(all)
					byCarrier[c.Name] = at
					all = append(all,
						Certificate{Carrier: c.Name, Domain: d.Name.String(), When: string(c.Certificate)})
				}
				all[at].Names = append(all[at].Names, h.String())
			}
		}
	}
	for _, s := range w.Estate.Sites() {
		site := Certificate{Carrier: predict.SiteName, When: string(estate.Before), Issuer: s.Issuer}
		for _, h := range slices.Concat(s.Hosts, s.Also) {
			if d := w.Estate.DomainOf(h); d != nil && d.Served[h] != nil && d.Through[h] == nil &&
				w.Means(d.Name) {
				continue // its carrier holds it
			}
			site.Names = append(site.Names, h.String())
		}
		if len(site.Names) > 0 {
			all = append(all, site)
		}
	}
	return all
}

// holders gives those who must hold a certificate for a host: its carrier, and what is behind that
// where it is asked over TLS.
func holders(e *estate.Estate, d *estate.Domain, h web.Host) []*estate.Carrier {
	var all []*estate.Carrier
	c := cmp.Or(d.Carry[h], d.Through[h], d.Served[h])
	if c != nil && c.TLS && !(c.ApexOnly && !h.IsApex()) {
		all = append(all, c)
	}
	if behind := e.Holder(c); behind != c && behind.TLS && c.Origin != estate.PlainOrigin {
		all = append(all, behind)
	}
	return all
}

// zoneRecords gives the records of the zone that holds a name, as the plan leaves it; false where
// nobody has seen it.
type zoneRecords func(name string) ([]record.Set, bool)

// RecordsAt gives the records of the plan's zones, and of the others as they were seen.
func RecordsAt(e *estate.Estate, seen zone.Surveys, zones []zone.Zone) zoneRecords {
	at := make(map[string]int, len(zones))
	for i, z := range zones {
		at[z.Name] = i
	}
	return func(name string) ([]record.Set, bool) {
		name = strings.TrimPrefix(name, "*.")
		for above := name; above != ""; _, above, _ = strings.Cut(above, ".") {
			if i, ok := at[above]; ok {
				return zones[i].Whole, zones[i].Seen != nil
			}
		}
		if h, err := web.ParseHost(name); err == nil {
			if d := e.DomainOf(h); d != nil {
				if last := seen.Last[d.Name.String()]; last != nil {
					return last.Records, true
				}
			}
		}
		return nil, false
	}
}

// WithIssuers looks for every certificate whether its issuer may issue it, and for how long
// visitors would meet a warning.
func WithIssuers(
	e *estate.Estate,
	all []Certificate,
	records zoneRecords,
	missed missedIssuers,
) ([]Certificate, act.Found) {
	var f act.Found
	unseen := map[string][]string{}
	var barring bars
	all = slices.Clone(all)
	for i := range all {
		c := &all[i]
		carrier := e.Carrier(c.Carrier)
		if carrier != nil && c.Issuer == "" {
			c.Issuer = carrier.Issuer
			for _, s := range e.Sites() {
				if carrier == s.Carrier {
					c.Issuer = cmp.Or(c.Issuer, s.Issuer)
				}
			}
		}
		for _, name := range c.Names {
			sets, seen := records(name)
			if !seen {
				continue
			}
			i := world.IssuanceOf(name, sets)
			if zone := missed(name, i.At); zone != "" {
				unseen[zone] = append(unseen[zone], name)
			}
			checkIssuer(c, name, i, &f, &barring)
		}
		if carrier == nil || c.Domain == "" {
			continue
		}
		c.Gap = c.When == string(estate.After)
		if carrier.By.Row().ProvesByDNS && c.When == string(estate.Before) {
			for _, name := range c.Names {
				c.ByDNS = append(c.ByDNS, proofAt(strings.TrimPrefix(name, "*."), records))
			}
		}
	}
	f.Findings = append(f.Findings, barring.findings()...)
	for _, zone := range slices.Sorted(maps.Keys(unseen)) {
		slices.Sort(unseen[zone])
		f.Note(act.IssuersUnseen, append([]string{zone}, slices.Compact(unseen[zone])...)...)
	}
	return all, f
}

// proofAt gives where the issuer looks for the proof of a name (RFC 8555 section 8.4): it follows
// aliases, and so the record is typed where they lead.
func proofAt(name string, records zoneRecords) string {
	at := "_acme-challenge." + name
	for range 8 {
		sets, seen := records(at)
		alias, is := record.Find(sets, at, "CNAME")
		if !seen || !is {
			break
		}
		at = record.Target("CNAME", alias.Values[0])
	}
	return at
}

// missedIssuers gives the zone where nobody answered about CAA records that would hold for a name
// before those at another, "" where all was answered.
type missedIssuers func(name, at string) string

func MissedIssuersOf(zones []zone.Zone) missedIssuers {
	missed := map[string]string{} // zones by the names about whose CAA nobody answered there
	for _, z := range zones {
		for _, m := range z.Missed {
			if m.Type == "CAA" {
				missed[m.Name] = z.Name
			}
		}
	}
	return func(name, at string) string {
		name = strings.TrimPrefix(name, "*.")
		for up := name; up != at && up != ""; _, up, _ = strings.Cut(up, ".") {
			if zone := missed[up]; zone != "" {
				return zone
			}
		}
		return ""
	}
}

// checkIssuer notes what CAA records say about a name of a certificate, and whether its issuer may
// issue it.
func checkIssuer(c *Certificate, name string, i world.Issuance, f *act.Found, b *bars) {
	for _, m := range i.May {
		if !slices.Contains(c.MayIssue, m) {
			c.MayIssue = append(c.MayIssue, m)
		}
	}
	for _, l := range i.Limits {
		if !slices.Contains(c.Limits, l) {
			c.Limits = append(c.Limits, l)
		}
	}
	may := "nobody"
	if len(i.May) > 0 && !i.Bars {
		may = strings.Join(i.May, " and ")
	}
	switch {
	case i.At == "":
	case c.Issuer == "" && !i.Bars:
		note := act.Note{Notice: act.IssuerUnknown, Names: []string{i.At, may, c.Carrier}}
		if !slices.ContainsFunc(f.Notes, func(n act.Note) bool {
			return slices.Equal(n.Names, note.Names)
		}) {
			f.Notes = append(f.Notes, note)
		}
	case c.Issuer == "" || !i.Allows(c.Issuer):
		tag := "issue"
		if strings.HasPrefix(name, "*.") {
			tag = "issuewild"
		}
		bar := barred{at: i.At, may: may, carrier: c.Carrier, tag: tag, issuer: c.Issuer,
			listed: i.May, critical: i.Critical}
		b.add(bar, name)
	}
}

// barred is an issuer that CAA records bar from issuing a carrier's certificates, and for which
// names.
type barred struct {
	at, may, carrier, tag, issuer string
	listed, names, critical       []string
}

// bars gathers what is barred: one cause, however many names there are.
type bars []barred

func (b *bars) add(one barred, name string) {
	i := slices.IndexFunc(*b, func(o barred) bool {
		return o.at == one.at && o.tag == one.tag && o.issuer == one.issuer && o.carrier == one.carrier
	})
	if i < 0 {
		i = len(*b)
		*b = append(*b, one)
	}
	(*b)[i].names = append((*b)[i].names, name)
}

func (b bars) findings() []finding.Finding {
	var all []finding.Finding
	for _, o := range b {
		all = append(all, finding.New(finding.IssuerBarred, o.at, fact.IssuerKeptOut{At: o.at, May: o.may,
			Issuer: o.issuer, Tag: o.tag, Carrier: o.carrier, Names: o.names, Listed: o.listed,
			Critical: o.critical}))
	}
	return all
}
