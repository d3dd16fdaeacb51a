package live

import (
	"context"
	"strings"

	"github.com/miekg/dns"
)

// matchKeys looks which DS records of the parent stand for a key of the zone (RFC 4034 section 5.1.4).
func (l *looker) matchKeys(ctx context.Context) {
	if len(l.domain.Parent.DS) == 0 || len(l.sessions) == 0 {
		return
	}
	answer, err := l.sessions[0].ask(ctx, l.domain.Name, dns.TypeDNSKEY)
	if err != nil {
		l.unseen("the keys of %s could not be asked for: %s", l.domain.Name, plainError(err))
		for i := range l.domain.Parent.DS {
			l.domain.Parent.DS[i].Matched = true // nothing is known against it
		}
		return
	}
	for i, ds := range l.domain.Parent.DS {
		l.domain.Parent.DS[i].Matched = standsFor(ds.Text, answer.Answer)
	}
}

// standsFor tells whether a DS record stands for one of the keys.
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
