package live

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/survey"
)

// signing looks at the keys and signatures of a zone, and whether resolvers take them.
func (l *looker) signing(ctx context.Context) {
	s := survey.Signing{Barred: l.barred(ctx)}
	if len(l.domain.Parent.DS) > 0 || len(s.Barred) > 0 {
		keys := l.matchKeys(ctx)
		s.Signatures = l.signatures(ctx, keys)
	}
	if len(s.Signatures) > 0 || len(s.Barred) > 0 {
		l.domain.Signing = &s
	}
}

// barred gives the resolvers that answer about the zone only where they are asked not to check
// signatures.
func (l *looker) barred(ctx context.Context) []string {
	var all []string
	r := l.web.resolver
	for _, server := range r.servers {
		question := resolverQuestion(dns.Fqdn(l.domain.Name), dns.TypeSOA)
		answer, err := r.askServer(ctx, question, server)
		if err == nil && r.unsigned(ctx, question, server, answer) != nil {
			all = append(all, "the resolver "+server)
		}
	}
	return all
}

// keys asks for the zone's keys, with their signatures.
func (l *looker) keys(ctx context.Context) (*dns.Msg, error) {
	if len(l.sessions) > 0 {
		return l.sessions[0].askSigned(ctx, l.domain.Name, dns.TypeDNSKEY)
	}
	answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(l.domain.Name), dns.TypeDNSKEY)
	if refused != nil {
		return nil, refused
	}
	return answer, nil
}

// matchKeys looks which DS records of the parent stand for a key of the zone (RFC 4034 section
// 5.1.4). It returns the answer that holds the keys, nil where there is none.
func (l *looker) matchKeys(ctx context.Context) *dns.Msg {
	answer, err := l.keys(ctx)
	if err == nil && answer.Rcode != dns.RcodeSuccess {
		err = fmt.Errorf("it says %s", dns.RcodeToString[answer.Rcode])
	}
	if err != nil {
		if len(l.sessions) > 0 || l.byResolver {
			l.unseen("the keys of %s could not be asked for: %s", l.domain.Name, plainError(err))
		}
		for i := range l.domain.Parent.DS {
			l.domain.Parent.DS[i].Matched = true // nothing is known against it
		}
		return nil
	}
	for i, ds := range l.domain.Parent.DS {
		l.domain.Parent.DS[i].Matched = standsFor(ds.Text, answer.Answer)
	}
	return answer
}

// standsFor reports whether a DS record stands for one of the keys.
func standsFor(ds string, keys []dns.RR) bool {
	for _, rr := range keys {
		key, ok := rr.(*dns.DNSKEY)
		if !ok {
			continue
		}
		for _, digest := range []uint8{dns.SHA256, dns.SHA384, dns.SHA1} {
			if made := key.ToDS(digest); made != nil && strings.EqualFold(rdata(made), ds) {
				return true
			}
		}
	}
	return false
}

// mostSigned is how many name servers are asked for their signatures: each may hold others.
const mostSigned = 8

// signatures looks at the signatures of the keys, of the SOA record at every server, and of the
// hosts' addresses.
func (l *looker) signatures(ctx context.Context, keys *dns.Msg) []survey.Signature {
	if keys == nil || len(l.sessions) == 0 {
		return nil
	}
	zone := l.domain.Name
	all := signaturesIn(keys, zone, dns.TypeDNSKEY, keys.Answer)
	ask := func(s *session, name string, kind uint16) {
		answer, err := s.askSigned(ctx, name, kind)
		if err != nil || answer.Rcode != dns.RcodeSuccess || !answer.Authoritative {
			return
		}
		for _, one := range signaturesIn(answer, name, kind, keys.Answer) {
			if !slices.Contains(all, one) {
				all = append(all, one)
			}
		}
	}
	for _, s := range l.sessions[:min(len(l.sessions), mostSigned)] {
		ask(s, zone, dns.TypeSOA)
	}
	for _, h := range l.subject.Hosts {
		for _, kind := range []uint16{dns.TypeA, dns.TypeAAAA, dns.TypeCNAME} {
			ask(l.sessions[0], h.String(), kind)
		}
	}
	return all
}

// signaturesIn gives the signatures of a record set in an answer; one without times and with its
// fault where there is none. An algorithm that cannot be checked here is no fault.
func signaturesIn(answer *dns.Msg, name string, kind uint16, keys []dns.RR) []survey.Signature {
	var set []dns.RR
	for _, rr := range answer.Answer {
		if plain(rr.Header().Name) == name && rr.Header().Rrtype == kind {
			set = append(set, rr)
		}
	}
	if len(set) == 0 {
		return nil
	}
	var all []survey.Signature
	for _, rr := range answer.Answer {
		sig, ok := rr.(*dns.RRSIG)
		if !ok || plain(sig.Hdr.Name) != name || sig.TypeCovered != kind {
			continue
		}
		all = append(all, survey.Signature{
			Name:  name,
			Type:  dns.TypeToString[kind],
			From:  signatureTime(sig.Inception),
			Ends:  signatureEnds(sig),
			Fault: signatureFault(sig, set, keys),
		})
	}
	if len(all) == 0 {
		return []survey.Signature{{Name: name, Type: dns.TypeToString[kind], Fault: "there is none"}}
	}
	return all
}

// signatureFault says why a signature does not fit its records, whatever the day; "" where it does.
func signatureFault(sig *dns.RRSIG, set, keys []dns.RR) string {
	fault := "no key of the zone made it"
	for _, rr := range keys {
		key, ok := rr.(*dns.DNSKEY)
		if !ok || key.KeyTag() != sig.KeyTag || key.Algorithm != sig.Algorithm {
			continue
		}
		if err := sig.Verify(key, set); err == nil || err == dns.ErrAlg {
			return ""
		}
		fault = "its key did not make it"
	}
	return fault
}

// signatureEnds gives the end of a signature (RFC 4034 section 3.1.5).
func signatureEnds(sig *dns.RRSIG) time.Time { return signatureTime(sig.Expiration) }

// signatureTime gives the time that 32 bits stand for: the one nearest to now (RFC 1982).
func signatureTime(seconds uint32) time.Time {
	now := time.Now().Unix()
	return time.Unix(now+int64(int32(seconds-uint32(now))), 0).UTC() // meant to wrap
}
