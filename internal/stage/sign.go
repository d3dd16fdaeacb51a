package stage

import (
	"crypto"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/record"
)

// Signed says how a zone is signed (RFC 4033). The stage makes a key for it and puts its DS record
// into the parent zone.
type Signed struct {
	From, Until time.Duration // of the signatures, from now
	StaleDS     bool          // the DS record stands for another key
	NoDS        bool          // the parent zone has none
}

// holds reports whether resolvers that check signatures take the zone.
func (s Signed) holds() bool { return s.NoDS || !s.StaleDS && s.Until > 0 && s.From < 0 }

// signAll signs the zones that are to be signed, wherever they are served, and gives the zones
// above their DS records. A zone that was signed before keeps its key.
func signAll(scene Scene, signers map[string]*signer) (Scene, error) {
	for _, origin := range slices.Sorted(maps.Keys(scene.Signed)) {
		how := scene.Signed[origin]
		k := signers[origin]
		if k == nil {
			var err error
			if k, err = newSigner(origin, how, scene.Now); err != nil {
				return scene, fmt.Errorf("signing %s: %w", origin, err)
			}
			signers[origin] = k
		}
		ds := k.key.ToDS(dns.SHA256)
		if how.StaleDS {
			ds.Digest = strings.Repeat("00", 32)
		}
		done := map[*dns.RR]Zone{} // several servers serve the same
		each := func(all []Zone) ([]Zone, error) {
			var err error
			all = slices.Clone(all)
			for i, z := range all {
				switch {
				case z.Origin == origin && len(z.Records) > 0:
					signed, was := done[&z.Records[0]]
					if !was {
						if signed, err = k.sign(z); err != nil {
							return nil, fmt.Errorf("signing %s: %w", origin, err)
						}
						done[&z.Records[0]] = signed
					}
					all[i] = signed
				case !how.NoDS && dns.IsSubDomain(z.Origin, origin) && isParent(z, origin):
					all[i].Records = append(slices.Clone(z.Records), ds)
				}
			}
			return all, nil
		}
		var err error
		if scene.Zones, err = each(scene.Zones); err != nil {
			return scene, err
		}
		servers := map[netip.Addr]*NameServer{}
		for a, n := range scene.NameServers {
			c := *n
			if c.Zones, err = each(n.Zones); err != nil {
				return scene, err
			}
			servers[a] = &c
		}
		scene.NameServers = servers
	}
	return scene, nil
}

// isParent reports whether a zone delegates another.
func isParent(z Zone, origin string) bool {
	return slices.ContainsFunc(z.Records, func(rr dns.RR) bool {
		return rr.Header().Rrtype == dns.TypeNS && strings.EqualFold(rr.Header().Name, origin)
	})
}

// signer signs one zone.
type signer struct {
	key     *dns.DNSKEY
	private crypto.Signer
	how     Signed
	now     time.Time
}

func newSigner(origin string, how Signed, now time.Time) (*signer, error) {
	key := &dns.DNSKEY{
		Hdr:       dns.RR_Header{Name: origin, Rrtype: dns.TypeDNSKEY, Class: dns.ClassINET, Ttl: 600},
		Flags:     dns.ZONE | dns.SEP,
		Protocol:  3,
		Algorithm: dns.ECDSAP256SHA256,
	}
	private, err := key.Generate(256)
	if err != nil {
		return nil, err
	}
	return &signer{key, private.(crypto.Signer), how, now}, nil
}

// sign adds the key, a chain of NSEC records and the signatures to a zone.
func (k *signer) sign(z Zone) (Zone, error) {
	records := append(slices.Clone(z.Records), dns.RR(k.key))
	sets := map[key][]dns.RR{}
	types := map[string][]uint16{}
	plain := newZone(Zone{Origin: z.Origin, Records: records})
	for _, rr := range records {
		name := strings.ToLower(rr.Header().Name)
		cut := plain.cut(name)
		if cut != "" &&
			(cut != name || rr.Header().Rrtype != dns.TypeNS && rr.Header().Rrtype != dns.TypeDS) {
			continue // another zone's, or glue
		}
		at := key{name, rr.Header().Rrtype}
		if sets[at] == nil {
			types[name] = append(types[name], at.kind)
		}
		sets[at] = append(sets[at], rr)
	}
	names := slices.SortedFunc(maps.Keys(types), record.CompareNames)
	for i, name := range names {
		kinds := append(types[name], dns.TypeNSEC, dns.TypeRRSIG)
		slices.Sort(kinds)
		nsec := &dns.NSEC{
			Hdr:        dns.RR_Header{Name: name, Rrtype: dns.TypeNSEC, Class: dns.ClassINET, Ttl: 300},
			NextDomain: names[(i+1)%len(names)],
			TypeBitMap: kinds,
		}
		records = append(records, nsec)
		sets[key{name, dns.TypeNSEC}] = []dns.RR{nsec}
	}
	for at, set := range sets {
		if at.kind == dns.TypeNS && at.name != z.Origin {
			continue // a delegation is not signed (RFC 4035 section 2.2)
		}
		sig := &dns.RRSIG{
			Hdr: dns.RR_Header{Name: set[0].Header().Name, Rrtype: dns.TypeRRSIG,
				Class: dns.ClassINET, Ttl: 600},
			Algorithm:  k.key.Algorithm,
			KeyTag:     k.key.KeyTag(),
			SignerName: z.Origin,
			Inception:  uint32(k.now.Add(k.how.From).Unix()),  // 32 bits on the wire
			Expiration: uint32(k.now.Add(k.how.Until).Unix()), // as above
		}
		if err := sig.Sign(k.private, set); err != nil {
			return z, err
		}
		records = append(records, sig)
	}
	return Zone{Origin: z.Origin, Records: records}, nil
}

// withSignatures adds the signatures of what stands in an answer, and of what says that nothing
// does.
func (z zones) withSignatures(answer *dns.Msg) {
	for _, section := range []*[]dns.RR{&answer.Answer, &answer.Ns} {
		been := map[key]bool{}
		for _, rr := range *section {
			at := key{strings.ToLower(rr.Header().Name), rr.Header().Rrtype}
			zone := z.holding(at.name, at.kind)
			if been[at] || zone == nil {
				continue
			}
			been[at] = true
			// what a wildcard answers is signed under the wildcard's name (RFC 4035 section 3.1.3.3): how
			// many labels that has stands in the signature
			for _, sig := range zone.sets[key{zone.source(at.name), dns.TypeRRSIG}] {
				if sig.(*dns.RRSIG).TypeCovered == at.kind {
					*section = append(*section, renamed([]dns.RR{sig}, rr.Header().Name)...)
				}
			}
		}
	}
}

// bogus reports whether a name lies in a zone whose signatures do not hold, so that a resolver that
// checks them gives no answer about it.
func (r *resolver) bogus(name string, kind uint16) bool {
	zone := r.zones.Load().holding(name, kind)
	if zone == nil {
		return false
	}
	how, signed := (*r.signed.Load())[zone.origin]
	return signed && !how.holds()
}
