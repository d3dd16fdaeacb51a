package plan

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
)

// lockedOut finds the hosts that browsers ask by https alone (RFC 6797 section 8.3), since they
// said so themselves, a host above did or browsers came with them, and whose https doors would have
// no certificate: at a carrier without TLS for good, at one that gets it once the name points there
// until then. Nobody can click such a warning away (section 12.1).
func lockedOut(p *Plan, memory *chain.Memory) act.Found {
	var f act.Found
	if memory == nil {
		return f
	}
	waits := map[web.Host]string{} // the carrier, by host
	for _, c := range p.Certificates {
		if !c.Gap {
			continue
		}
		for _, name := range c.Names {
			if h, err := web.ParseHost(name); err == nil {
				waits[h] = c.Carrier
			}
		}
	}
	for _, d := range p.Domains() {
		for _, h := range d.Hosts() {
			why, by, ends, covers := memory.Covering(h, p.input.Now)
			c := p.Estate.Holder(p.Web.Carrier(h))
			if !covers || c == nil {
				continue
			}
			host := h.String()
			switch carrier, pending := waits[h]; {
			case !c.TLS:
				f.Findings = append(f.Findings, finding.New(finding.HSTSTrap, host, fact.LockedOut{Host: host,
					Carrier: c.Name, Why: why, By: by.String(), Ends: ends}))
			case pending:
				f.Findings = append(f.Findings, finding.New(finding.HSTSTrap, host,
					fact.LockedOutAtFirst{Host: host, Carrier: carrier, Why: why, By: by.String(), Ends: ends}))
			}
		}
	}
	return f
}

// policyHSTS finds the hosts that policy.hsts would shut visitors out from: below a host that a
// server carries, at a carrier without TLS, or hosts of which the plan knows nothing but that they
// have addresses. It notes which steps are still to come.
func policyHSTS(p *Plan) act.Found {
	var f act.Found
	steps := p.Estate.Policy.HSTS
	if len(steps) == 0 {
		return f
	}
	var days, headers []string
	for _, s := range steps {
		if s.From.After(p.input.Now) {
			days, headers = append(days, s.From.Format(time.DateOnly)), append(headers, s.Header())
		}
	}
	if len(days) > 0 && !p.input.Now.IsZero() {
		f.Notes = append(f.Notes, act.Note{Notice: act.HSTSGoesOn, Names: days, Values: headers})
	}
	i := slices.IndexFunc(steps, func(s estate.HSTSStep) bool { return s.Below && s.MaxAge > 0 })
	if i < 0 {
		return f
	}
	from := steps[i].From
	for _, d := range p.Domains() {
		for _, by := range d.Hosts() {
			if c := p.Estate.Holder(p.Web.Carrier(by)); c == nil || c.By != estate.Server {
				continue
			}
			below := func(h string) bool { return strings.HasSuffix(h, "."+by.String()) }
			known := map[string]bool{}
			for _, h := range d.Hosts() {
				known[h.String()] = true
				c := p.Estate.Holder(p.Web.Carrier(h))
				if below(h.String()) && c != nil && !c.TLS {
					f.Findings = append(f.Findings, finding.New(finding.HSTSTrap, h.String(),
						fact.PolicyLocksOut{Host: h.String(), Carrier: c.Name, By: by.String(), From: from}))
				}
			}
			if others := p.unknownBelow(d, below, known); len(others) > 0 {
				f.Findings = append(f.Findings, finding.New(finding.HSTSTrap, by.String(),
					fact.PolicyCovers{Hosts: others, By: by.String(), From: from}).As(finding.Warning))
			}
		}
	}
	return f
}

// unknownBelow gives the hosts of a domain that are needed by others, or that a survey saw with
// addresses, and that the plan does not lead anywhere.
func (p *Plan) unknownBelow(d *estate.Domain, below func(string) bool,
	known map[string]bool) []string {
	var all []string
	take := func(h string) {
		if below(h) && !known[h] {
			known[h] = true
			all = append(all, h)
		}
	}
	for _, n := range d.Needed {
		take(n.Host.String())
	}
	if seen := zone.SurveysOf(p.input.known()).Last[d.Name.String()]; seen != nil {
		for _, set := range seen.Records {
			h, err := web.ParseHost(strings.TrimSuffix(set.Name, "."))
			if (set.Type == "A" || set.Type == "AAAA" || set.Type == "CNAME") && err == nil &&
				!p.Estate.Serves(h) {
				take(h.String())
			}
		}
	}
	slices.Sort(all)
	return all
}

// HSTS gives the Strict-Transport-Security header that a door is planned to send; "" for none.
func (p *Plan) HSTS(d web.Door) string { return p.Web.Treatment(d).HSTS }

// Preloaded is a host that browsers come with as one to be asked by https alone.
type Preloaded struct {
	Host  web.Host
	Below bool // hosts below it too
}
