package live

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/record"
)

// The DNS library loses a part of these, or has another form for them than every other program.
// Without them in its table it holds them as octets (RFC 3597).
func init() {
	for _, code := range []uint16{
		dns.TypeNXT, dns.TypeISDN, dns.TypeAMTRELAY, dns.TypeGID, dns.TypeUID, dns.TypeUINFO,
	} {
		delete(dns.TypeToRR, code)
	}
}

// rdata gives the data of a record as it stands in a zone file.
func rdata(rr dns.RR) string {
	if _, unknown := rr.(*dns.RFC3597); unknown {
		s := rr.String()
		return s[strings.Index(s, `\#`):] // RFC 3597 section 5
	}
	if c, is := rr.(*dns.CERT); is { // by number: not all programs have the same names
		return fmt.Sprintf("%d %d %d %s", c.Type, c.KeyTag, c.Algorithm, c.Certificate)
	}
	return strings.TrimSpace(strings.TrimPrefix(rr.String(), rr.Header().String()))
}

// presented gives type and data of a record as a zone file has them: where the usual form cannot be
// read back as the same record, in the form for types that nobody knows (RFC 3597 section 5).
func presented(rr dns.RR) (kind, data string) {
	h := rr.Header()
	kind, data = dns.TypeToString[h.Rrtype], rdata(rr)
	if _, unknown := rr.(*dns.RFC3597); !unknown && kind != "" {
		again, err := dns.NewRR(fmt.Sprintf(". %d IN %s %s", h.Ttl, kind, data))
		if err == nil && again != nil && sameOctets(under(rr), again) {
			return kind, data
		}
	}
	general := new(dns.RFC3597)
	if general.ToRFC3597(rr) == nil {
		data = rdata(general)
	}
	return fmt.Sprintf("TYPE%d", h.Rrtype), data
}

// sameOctets reports whether two records are the same on the wire.
func sameOctets(a, b dns.RR) bool {
	one, other := make([]byte, dns.Len(a)+1), make([]byte, dns.Len(b)+1)
	n, err := dns.PackRR(a, one, 0, nil, false)
	m, otherErr := dns.PackRR(b, other, 0, nil, false)
	return err == nil && otherErr == nil && bytes.Equal(one[:n], other[:m])
}

// under gives a record with the root for its owner, for comparing data alone.
func under(rr dns.RR) dns.RR {
	c := dns.Copy(rr)
	c.Header().Name = "."
	return c
}

// Sets puts records into sets in canonical order, those outside the zone left out, and returns the
// names below which wildcards stand beside them.
func Sets(zone string, records []dns.RR) (sets []record.Set, wildcards []string) {
	at := map[record.Key]int{}
	type value struct {
		key  record.Key
		text string
	}
	been, below := map[value]bool{}, map[string]bool{}
	for _, rr := range records {
		h := rr.Header()
		name := plain(h.Name)
		if name != zone && !strings.HasSuffix(name, "."+zone) {
			continue
		}
		kind, data := presented(rr)
		set := record.Set{Name: name, Type: kind, TTL: int(h.Ttl), Values: []string{data}}
		key := set.Key()
		i, have := at[key]
		switch {
		case !have:
			at[key] = len(sets)
			sets = append(sets, set)
		case !been[value{key, set.Values[0]}]:
			sets[i].Values = append(sets[i].Values, set.Values[0])
		}
		// one set has one TTL (RFC 2181 section 5.2); where they differ, the longest is waited for
		if have {
			sets[i].TTL = max(sets[i].TTL, set.TTL)
		}
		been[value{key, set.Values[0]}] = true
		if label, isWildcard := strings.CutPrefix(name, "*."); isWildcard && !below[label] {
			wildcards, below[label] = append(wildcards, label), true
		}
	}
	record.Sort(sets)
	return sets, wildcards
}
