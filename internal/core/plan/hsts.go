package plan

import (
	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
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

// Preloaded is a host that browsers come with as one to be asked by https alone.
type Preloaded struct {
	Host  web.Host
	Below bool // hosts below it too
}
