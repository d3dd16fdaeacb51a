package carry

import (
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
)

// contradiction is something that a carrier was seen to do otherwise than the estate file says.
type contradiction struct {
	facts func(carrier string, urls []string) fact.Facts
	urls  []string // that met it, in order
}

// DeclaredOtherwise says where a survey or an audit met carriers that do otherwise than the estate
// file says. What was seen counts: at addresses of carriers whose redirects others make, on hosts
// that they already lead into the estate.
func DeclaredOtherwise(e *estate.Estate, seen *survey.Survey,
	audited []chain.Chain) []finding.Finding {
	var chains []chain.Chain
	if seen != nil {
		for i := range seen.Domains {
			chains = append(chains, seen.Domains[i].Chains...)
		}
	}
	chains = append(chains, audited...)
	var all []finding.Finding
	for _, c := range e.Carriers {
		if row := c.By.Row(); row.Configured || row.Stars {
			continue // what is seen there today is our own doing
		}
		for _, s := range contradictions(e, c, chains) {
			all = append(all, finding.New(finding.DeclaredOtherwise, c.Name, s.facts(c.Name, s.urls)))
		}
	}
	return all
}

// contradictions gives what was seen of one carrier.
func contradictions(e *estate.Estate, c *estate.Carrier, chains []chain.Chain) []contradiction {
	leads := map[web.Host]bool{} // hosts that it was seen to lead into the estate
	for i := range chains {
		first := chains[i].Hops[0]
		if next, _, ok := first.Next(); ok && metAt(first, c) && first.IsRedirect() &&
			e.Holds(next.Host()) &&
			next.Host() != chains[i].Entry.Host() {
			leads[chains[i].Entry.Host()] = true
		}
		if framedInto(e, first) && metAt(first, c) {
			leads[chains[i].Entry.Host()] = true
		}
	}
	noTLS := contradiction{facts: func(carrier string, urls []string) fact.Facts {
		return fact.SeenNoTLS{Carrier: carrier, URLs: urls}
	}}
	cuts := contradiction{facts: func(carrier string, urls []string) fact.Facts {
		return fact.SeenPathCut{Carrier: carrier, URLs: urls}
	}}
	query := contradiction{facts: func(carrier string, urls []string) fact.Facts {
		return fact.SeenQueryCut{Carrier: carrier, URLs: urls}
	}}
	forNow := contradiction{facts: func(carrier string, urls []string) fact.Facts {
		return fact.SeenForNow{Carrier: carrier, URLs: urls}
	}}
	frame := contradiction{facts: func(carrier string, urls []string) fact.Facts {
		return fact.SeenFrame{Carrier: carrier, URLs: urls}
	}}
	for i := range chains {
		ch := &chains[i]
		first := ch.Hops[0]
		if !leads[ch.Entry.Host()] || !metAt(first, c) {
			continue
		}
		see := func(s *contradiction, when bool) {
			if when && !slices.Contains(s.urls, ch.Entry.String()) {
				s.urls = append(s.urls, ch.Entry.String())
			}
		}
		refused := first.Refusal == chain.Refused ||
			first.Refusal == chain.TLSFailed && !c.By.Row().Claims
		see(&noTLS, c.TLS && ch.Entry.Scheme() == web.HTTPS && refused)
		see(&frame, !c.Frames && framedInto(e, first))
		next, _, ok := first.Next()
		if !ok || !first.IsRedirect() || next.Host() == ch.Entry.Host() {
			continue
		}
		see(&cuts,
			c.KeepsPath && ch.Probe == chain.Deep && !strings.HasSuffix(next.Path(), ch.Entry.Path()))
		see(&query,
			c.KeepsQuery && ch.Probe == chain.Query && !web.QueryHolds(next.Query(), ch.Entry.Query()))
		see(&forNow, first.Status == 302 || first.Status == 303 || first.Status == 307)
	}
	return slices.DeleteFunc(
		[]contradiction{noTLS, cuts, query, forNow, frame},
		func(s contradiction) bool { return len(s.urls) == 0 },
	)
}

// framedInto reports whether a page shows one of the estate in a frame.
func framedInto(e *estate.Estate, a chain.Answer) bool {
	u, err := web.ParseURL(a.Framed)
	return err == nil && e.Holds(u.Host())
}

// metAt reports whether an answer came from an address of a carrier.
func metAt(a chain.Answer, c *estate.Carrier) bool {
	at, err := netip.ParseAddrPort(a.Address)
	return err == nil && slices.Contains(c.Addresses, at.Addr())
}

// ClaimedAt reports whether a host was met at a carrier that knows it already: its http door
// answers there, and does not say that there is nothing of the kind.
func ClaimedAt(all zone.Surveys, zone string, h web.Host, c *estate.Carrier) bool {
	seen := all.Last[zone]
	if seen == nil {
		return false
	}
	claimed := false
	for _, ch := range seen.Chains {
		first := ch.Hops[0]
		if ch.Entry.Host() != h || ch.Probe != chain.Root || !metThere(first, c) {
			continue
		}
		switch {
		case first.Status == 404, first.Status == 421, first.Status == 410:
			return false
		case first.Status > 0 && ch.Entry.Scheme() == web.HTTP:
			claimed = true
		}
	}
	return claimed
}

// metThere reports whether an answer came from a carrier: at one of its addresses, or by way of its
// alias.
func metThere(a chain.Answer, c *estate.Carrier) bool {
	return metAt(a, c) || !c.Alias.IsZero() && slices.Contains(a.Aliases, c.Alias.String())
}

// CertifiedThere reports whether a host's https door was met at a carrier with a certificate that
// browsers take.
func CertifiedThere(all zone.Surveys, zone string, h web.Host, c *estate.Carrier) bool {
	seen := all.Last[zone]
	return seen != nil && slices.ContainsFunc(seen.Chains, func(ch chain.Chain) bool {
		first := ch.Hops[0]
		return ch.Entry.Host() == h && ch.Entry.Scheme() == web.HTTPS && metThere(first, c) &&
			first.TLS != nil &&
			len(first.TLS.Faults) == 0
	})
}
