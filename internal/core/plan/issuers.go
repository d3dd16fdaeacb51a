package plan

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// Issuance is what the CAA records that hold for a name say (RFC 8659): who may issue, with what limits.
type Issuance struct {
	At     string   // the name where the records stand; "" where there are none, and everybody may
	May    []string // the issuers that may
	Limits []string // of account and method (RFC 8657), as they stand
	Bars   bool     // nobody may, whoever asks
}

// Allows tells whether an issuer may issue.
func (i Issuance) Allows(issuer string) bool {
	return i.At == "" || !i.Bars && slices.ContainsFunc(i.May, func(m string) bool { return strings.EqualFold(m, issuer) })
}

// issuance climbs from a name up to the zone's apex until CAA records are found (RFC 8659 section 3), and reads them. A name that
// starts with "*." is asked about as a wildcard.
func issuance(name string, records []record.Set) Issuance {
	plain, wild := strings.CutPrefix(name, "*.")
	for at := plain; at != ""; {
		if s, ok := record.Find(records, at, "CAA"); ok {
			return readCAA(s, wild)
		}
		_, at, _ = strings.Cut(at, ".")
	}
	return Issuance{}
}

func readCAA(s record.Set, wild bool) Issuance {
	i := Issuance{At: s.Name}
	tag := "issue"
	values := map[string][]string{}
	for _, v := range s.Values {
		f := strings.SplitN(v, " ", 3)
		if len(f) != 3 {
			continue
		}
		kind := strings.ToLower(f[1])
		values[kind] = append(values[kind], record.Unquote(f[2]))
		known := slices.Contains([]string{"issue", "issuewild", "iodef", "contactemail", "contactphone", "issuemail", "issuevmc"}, kind)
		i.Bars = i.Bars || !known && len(f[0]) == 3 && f[0] >= "128" // the critical flag (RFC 8659 section 4.1)
	}
	if wild && len(values["issuewild"]) > 0 {
		tag = "issuewild"
	}
	if len(values[tag]) == 0 && !i.Bars {
		return Issuance{} // nothing restricts this kind of certificate
	}
	for _, v := range values[tag] {
		issuer, limits, limited := strings.Cut(v, ";")
		if issuer = strings.TrimSpace(issuer); issuer == "" {
			continue
		}
		i.May = append(i.May, issuer)
		if limits = strings.TrimSpace(limits); limited && limits != "" {
			i.Limits = append(i.Limits, issuer+": "+limits)
		}
	}
	i.Bars = i.Bars || len(i.May) == 0
	return i
}

// issuers looks for every certificate whether its issuer may issue it, and for how long visitors would meet a warning.
func (p *Plan) issuers() {
	for i := range p.Certificates {
		c := &p.Certificates[i]
		carrier := p.Estate.Carrier(c.Carrier)
		if carrier != nil && c.Issuer == "" {
			c.Issuer = carrier.Issuer
		}
		for _, name := range c.Names {
			p.issuer(c, name)
		}
		if carrier == nil || c.Domain == "" {
			continue
		}
		if c.When == string(estate.After) {
			c.Gap = "From the moment the name points there until the certificate is issued, most often some minutes, everybody who comes by https meets a warning."
		}
		if carrier.By == estate.Server && c.When == string(estate.Before) {
			for _, name := range c.Names {
				c.ByDNS = append(c.ByDNS, "_acme-challenge."+strings.TrimPrefix(name, "*."))
			}
		}
	}
}

func (p *Plan) issuer(c *Certificate, name string) {
	records, seen := p.recordsAbove(name)
	if !seen {
		return
	}
	i := issuance(name, records)
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
		note := fmt.Sprintf("The CAA records at %s let only %s issue certificates; the estate file does not say who issues those of %s (issuer:).", i.At, may, c.Carrier)
		if !slices.Contains(p.Notes, note) {
			p.Notes = append(p.Notes, note)
		}
	case c.Issuer == "" || !i.Allows(c.Issuer):
		tag := "issue"
		if strings.HasPrefix(name, "*.") {
			tag = "issuewild"
		}
		wants := c.Issuer
		if wants == "" {
			wants = "whoever issues the certificates of " + c.Carrier
		}
		fix := fmt.Sprintf("Add CAA 0 %s %q at %s before the certificate is asked for.", tag, c.Issuer, i.At)
		if c.Issuer == "" {
			fix = fmt.Sprintf("Find out who issues the certificates of %s, write it as issuer:, and add a CAA record for it at %s.", c.Carrier, i.At)
		}
		p.tally.Add(finding.New(finding.IssuerBarred, name, fmt.Sprintf("The CAA records at %s let %s issue certificates for %s, and not %s, who is to issue that of %s.", i.At, may, name, wants, c.Carrier), fix,
			map[string]any{"at": i.At, "may": i.May, "issuer": c.Issuer}))
	}
}

// recordsAbove gives the records of the zone that holds a name, as the plan leaves it.
func (p *Plan) recordsAbove(name string) ([]record.Set, bool) {
	name = strings.TrimPrefix(name, "*.")
	for above := name; above != ""; _, above, _ = strings.Cut(above, ".") {
		if i, ok := p.zoneAt[above]; ok {
			return p.Zones[i].whole, p.Zones[i].Seen != nil
		}
	}
	if h, err := web.ParseHost(name); err == nil {
		if d := p.Estate.DomainOf(h); d != nil {
			if seen := p.seen(d.Name.String()); seen != nil {
				return seen.Records, true
			}
		}
	}
	return nil, false
}
