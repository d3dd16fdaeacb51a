package live

import (
	"context"
	"slices"
	"strings"

	"github.com/miekg/dns"
)

// mostWalked is how many names of a zone are walked through.
const mostWalked = 5_000

// walk reads a zone that is signed with NSEC (RFC 4034 section 4) from name to name: each names the
// next and the types that it holds. It returns what was found, and whether that is the whole zone.
// Signers that make NSEC records up as they answer (RFC 4470) name a next name that is not there;
// there is nothing to walk then.
func (l *looker) walk(ctx context.Context) (records []dns.RR, whole bool) {
	if l.byResolver {
		return nil, false
	}
	zone := l.domain.Name
	at, been := zone, map[string]bool{}
	for !been[at] {
		if len(been) == mostWalked {
			l.unseen("%s is signed, so its names were followed one by one; this was stopped after %d of "+
				"them",
				zone, mostWalked)
			return records, false
		}
		been[at] = true
		next := l.nsec(ctx, at)
		if next == nil || ctx.Err() != nil {
			return records, false
		}
		to := plain(next.NextDomain)
		if strings.HasPrefix(next.NextDomain, `\000`) || to != zone && !strings.HasSuffix(to, "."+zone) {
			return records, false
		}
		records = append(records, l.typesAt(ctx, at, next.TypeBitMap)...)
		at = to
	}
	return records, at == zone && len(been) > 0
}

// nsec gives the NSEC record of a name, nil where there is none.
func (l *looker) nsec(ctx context.Context, name string) *dns.NSEC {
	for _, s := range l.sessions[:min(len(l.sessions), mostAsked)] {
		answer, err := s.askSigned(ctx, name, dns.TypeNSEC)
		if err != nil || answer.Rcode != dns.RcodeSuccess {
			continue
		}
		if n := nsecOf(answer, name); n != nil {
			return n
		}
		if answer.Authoritative || name == l.domain.Name {
			return nil // it answers, and has none
		}
		// At a delegation the record shows itself only where the zone has no DS there; else behind what
		// is below it.
		label, rest, _ := strings.Cut(dns.Fqdn(name), ".")
		if answer, err = s.askSigned(ctx, label+`\000.`+rest, dns.TypeA); err != nil {
			continue
		}
		return nsecOf(answer, name)
	}
	return nil
}

// nsecOf finds the NSEC record of a name in an answer.
func nsecOf(answer *dns.Msg, name string) *dns.NSEC {
	for _, rr := range slices.Concat(answer.Answer, answer.Ns) {
		if n, ok := rr.(*dns.NSEC); ok && plain(n.Hdr.Name) == name {
			return n
		}
	}
	return nil
}

// typesAt asks for the types that an NSEC record names; at a delegation, for what the zone holds of
// it.
func (l *looker) typesAt(ctx context.Context, name string, kinds []uint16) []dns.RR {
	var all []dns.RR
	has := map[uint16]bool{}
	for _, kind := range kinds {
		has[kind] = true
	}
	cut := has[dns.TypeNS] && !has[dns.TypeSOA]
	for _, kind := range kinds {
		if kind == dns.TypeNSEC || kind == dns.TypeRRSIG ||
			cut && kind != dns.TypeNS && kind != dns.TypeDS {
			continue
		}
		answer := l.askAny(ctx, name, kind)
		if answer == nil {
			continue
		}
		if below := l.delegated(answer, name); below != nil {
			all = append(all, below...)
		}
		for _, rr := range answer.Answer {
			if plain(rr.Header().Name) == name && rr.Header().Rrtype == kind {
				all = append(all, rr)
			}
		}
	}
	return all
}
