package stage

import (
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/crew"
)

// Zone is one zone: what stands in its file.
type Zone struct {
	Origin  string // in full, with its last dot
	Records []dns.RR
}

// NameServer is a name server at an address.
type NameServer struct {
	Silent   bool
	Refuses  bool // it answers, but knows no zone
	Transfer bool // it hands out whole zones
	Zones    []Zone

	// How servers misbehave in the world, by type of record.
	Drops  []string // never answered, as old firewalls do
	Fails  []string // answered SERVFAIL
	Denies []string // answered NXDOMAIN, though the name exists (RFC 4074 section 4.2)
	NoEDNS bool     // FORMERR to whatever has EDNS
	Cuts   int      // answers longer than so many octets end there, and do not say so; 0: none does
	Behind uint32   // by so much its serials are older than those in the files

	Key *UpdateKey // with which it takes updates; nil: it takes none
}

// behind gives a server's zones with the serials that it says.
func (n *NameServer) behind(all []Zone) []Zone {
	if n.Behind == 0 {
		return all
	}
	var older []Zone
	for _, z := range all {
		z.Records = slices.Clone(z.Records)
		for i, rr := range z.Records {
			if soa, ok := rr.(*dns.SOA); ok {
				c := dns.Copy(soa).(*dns.SOA)
				c.Serial -= n.Behind
				z.Records[i] = c
			}
		}
		older = append(older, z)
	}
	return older
}

// write sends an answer, cut off where it is longer than this server lets through.
func (n *NameServer) write(w dns.ResponseWriter, answer *dns.Msg) {
	if n.Cuts > 0 {
		if octets, err := answer.Pack(); err == nil && len(octets) > n.Cuts {
			_, _ = w.Write(octets[:n.Cuts])
			return
		}
	}
	_ = w.WriteMsg(answer)
}

// misbehaves carries out what the fields say, and reports whether that was all.
func (n *NameServer) misbehaves(w dns.ResponseWriter, question, answer *dns.Msg) bool {
	kind := dns.TypeToString[question.Question[0].Qtype]
	switch {
	case slices.Contains(n.Drops, kind):
		return true
	case n.NoEDNS && question.IsEdns0() != nil:
		answer.Rcode = dns.RcodeFormatError
	case slices.Contains(n.Fails, kind):
		answer.Rcode = dns.RcodeServerFailure
	case slices.Contains(n.Denies, kind):
		answer.Rcode, answer.Authoritative = dns.RcodeNameError, true
	default:
		return false
	}
	_ = w.WriteMsg(answer)
	return true
}

// zoneData is a zone ready for questions.
type zoneData struct {
	origin string
	sets   map[key][]dns.RR
	have   map[string]bool // names that exist, empty ones on the way to others included
	all    []dns.RR
}

type key struct {
	name string
	kind uint16
}

func newZone(z Zone) *zoneData {
	d := &zoneData{origin: strings.ToLower(z.Origin), sets: map[key][]dns.RR{},
		have: map[string]bool{}, all: z.Records}
	for _, rr := range z.Records {
		name := strings.ToLower(rr.Header().Name)
		k := key{name, rr.Header().Rrtype}
		d.sets[k] = append(d.sets[k], rr)
		for at := name; at != "." && dns.IsSubDomain(d.origin, at); {
			d.have[at] = true
			i, end := dns.NextLabel(at, 0)
			if end {
				break
			}
			at = at[i:]
		}
	}
	return d
}

func (z *zoneData) soa() dns.RR {
	if set := z.sets[key{z.origin, dns.TypeSOA}]; len(set) > 0 {
		return set[0]
	}
	return nil
}

// cut returns the delegation at or above a name and below the apex, "" where there is none.
func (z *zoneData) cut(name string) string {
	found := ""
	for at := name; at != z.origin && dns.IsSubDomain(z.origin, at) && at != "."; {
		if len(z.sets[key{at, dns.TypeNS}]) > 0 {
			found = at
		}
		i, end := dns.NextLabel(at, 0)
		if end {
			break
		}
		at = at[i:]
	}
	return found
}

// source gives the name whose records answer for a name: itself, or a wildcard above it (RFC 4592);
// "" for none.
func (z *zoneData) source(name string) string {
	if z.have[name] {
		return name
	}
	for at := name; ; {
		i, end := dns.NextLabel(at, 0)
		if end {
			return ""
		}
		at = at[i:]
		if z.have["*."+at] {
			return "*." + at
		}
		if z.have[at] {
			return ""
		}
	}
}

// zones is a set of zones, the deepest first.
type zones []*zoneData

func newZones(all []Zone) zones {
	var z zones
	for _, one := range all {
		z = append(z, newZone(one))
	}
	slices.SortStableFunc(z, func(a, b *zoneData) int {
		return dns.CountLabel(b.origin) - dns.CountLabel(a.origin)
	})
	return z
}

// holding returns the deepest zone that holds a name; for DS, which stands above the cut, the one
// above it.
func (z zones) holding(name string, kind uint16) *zoneData {
	for _, one := range z {
		if dns.IsSubDomain(one.origin, name) && !(kind == dns.TypeDS && one.origin == name) {
			return one
		}
	}
	return nil
}

// resolve fills an answer as a resolver does that knows nothing but these zones, following aliases.
func (z zones) resolve(answer *dns.Msg, name string, kind uint16) {
	for range 16 {
		zone := z.holding(name, kind)
		if zone == nil {
			answer.Rcode = dns.RcodeNameError
			return
		}
		source := zone.source(name)
		if source == "" {
			answer.Rcode = dns.RcodeNameError
			answer.Ns = negative(zone)
			return
		}
		if set := zone.sets[key{source, kind}]; len(set) > 0 {
			answer.Answer = append(answer.Answer, renamed(set, name)...)
			return
		}
		alias := zone.sets[key{source, dns.TypeCNAME}]
		if len(alias) == 0 || kind == dns.TypeCNAME {
			answer.Ns = negative(zone)
			return
		}
		answer.Answer = append(answer.Answer, renamed(alias[:1], name)...)
		name = strings.ToLower(alias[0].(*dns.CNAME).Target)
	}
}

// negative gives the authority section that says for how long an absence may be remembered (RFC
// 2308 section 3).
func negative(z *zoneData) []dns.RR {
	soa, ok := z.soa().(*dns.SOA)
	if !ok {
		return nil
	}
	c := dns.Copy(soa).(*dns.SOA)
	c.Hdr.Ttl = min(c.Hdr.Ttl, c.Minttl)
	return []dns.RR{c}
}

// addresses gives the addresses of a name, for a proxy that is given names.
func (z zones) addresses(name string) []net.IP {
	m := new(dns.Msg)
	z.resolve(m, strings.ToLower(dns.Fqdn(name)), dns.TypeA)
	var all []net.IP
	for _, rr := range m.Answer {
		if a, ok := rr.(*dns.A); ok {
			all = append(all, a.A)
		}
	}
	return all
}

// serve answers a name server's question: with authority, with a delegation, or not at all (RFC
// 1034 section 4.3.2).
func (n *NameServer) serve(z zones, w dns.ResponseWriter, question *dns.Msg) {
	answer := new(dns.Msg)
	answer.SetReply(question)
	if len(question.Question) != 1 {
		answer.Rcode = dns.RcodeFormatError
		_ = w.WriteMsg(answer)
		return
	}
	if n.misbehaves(w, question, answer) {
		return
	}
	q := question.Question[0]
	name := strings.ToLower(q.Name)
	zone := z.holding(name, q.Qtype)
	switch {
	case zone == nil || n.Refuses || zone.soa() == nil:
		answer.Rcode = dns.RcodeRefused
	case q.Qtype == dns.TypeAXFR || q.Qtype == dns.TypeIXFR:
		n.handOut(zone, name, w, question)
		return
	default:
		cut := zone.cut(name)
		if cut != "" && !(q.Qtype == dns.TypeDS && cut == name) {
			answer.Ns = zone.sets[key{cut, dns.TypeNS}]
			if opt := question.IsEdns0(); opt != nil && opt.Do() { // RFC 4035 section 3.1.4
				if ds := zone.sets[key{cut, dns.TypeDS}]; len(ds) > 0 {
					answer.Ns = slices.Concat(answer.Ns, ds)
				} else {
					answer.Ns = slices.Concat(answer.Ns, zone.sets[key{cut, dns.TypeNSEC}])
				}
			}
			for _, rr := range zone.sets[key{cut, dns.TypeNS}] {
				target := strings.ToLower(rr.(*dns.NS).Ns)
				answer.Extra = append(answer.Extra, zone.sets[key{target, dns.TypeA}]...)
				answer.Extra = append(answer.Extra, zone.sets[key{target, dns.TypeAAAA}]...)
			}
			break
		}
		answer.Authoritative = true
		zones{zone}.resolve(answer, name, q.Qtype)
		if len(answer.Answer) > 0 && answer.Rcode == dns.RcodeNameError {
			answer.Rcode = dns.RcodeSuccess // an alias out of the zone
		}
		if opt := question.IsEdns0(); opt != nil && opt.Do() {
			zones{zone}.withSignatures(answer)
		}
	}
	n.write(w, answer)
}

// handOut transfers a zone (RFC 5936) to whoever asks, if it may.
func (n *NameServer) handOut(z *zoneData, name string, w dns.ResponseWriter, question *dns.Msg) {
	if !n.Transfer || name != z.origin {
		refused := new(dns.Msg)
		refused.SetRcode(question, dns.RcodeRefused)
		_ = w.WriteMsg(refused)
		return
	}
	records := []dns.RR{z.soa()}
	for _, rr := range z.all {
		if rr.Header().Rrtype != dns.TypeSOA {
			records = append(records, rr)
		}
	}
	envelopes := make(chan *dns.Envelope, 1)
	envelopes <- &dns.Envelope{RR: append(records, z.soa())}
	close(envelopes)
	_ = new(dns.Transfer).Out(w, question, envelopes)
}

// resolver answers from all zones, and with a memory goes on giving an old answer until its TTL has
// run out, so many times faster than real time as its speed says.
type resolver struct {
	zones    atomic.Pointer[zones]
	signed   atomic.Pointer[map[string]Signed] // by origin
	remember bool
	speed    float64
	lock     sync.Mutex
	memory   map[key]remembered
}

type remembered struct {
	answer *dns.Msg
	at     time.Time
}

// ServeDNS answers one question.
func (r *resolver) ServeDNS(w dns.ResponseWriter, question *dns.Msg) {
	answer := new(dns.Msg)
	switch {
	case len(question.Question) != 1:
		answer.Rcode = dns.RcodeFormatError
	case !question.CheckingDisabled &&
		r.bogus(strings.ToLower(question.Question[0].Name), question.Question[0].Qtype):
		answer.Rcode = dns.RcodeServerFailure
	default:
		answer = r.answer(question.Question[0])
		if opt := question.IsEdns0(); opt != nil && opt.Do() {
			answer = answer.Copy()
			r.zones.Load().withSignatures(answer)
		}
	}
	rcode := answer.Rcode
	answer.SetReply(question)
	answer.Rcode, answer.RecursionAvailable = rcode, true
	size := dns.MinMsgSize
	if opt := question.IsEdns0(); opt != nil {
		answer.SetEdns0(1232, false)
		size = int(opt.UDPSize())
	}
	if _, udp := w.RemoteAddr().(*net.UDPAddr); udp {
		answer.Truncate(size)
	}
	_ = w.WriteMsg(answer)
}

func (r *resolver) answer(q dns.Question) *dns.Msg {
	k := key{strings.ToLower(q.Name), q.Qtype}
	r.lock.Lock()
	defer r.lock.Unlock()
	if old, ok := r.memory[k]; ok {
		if left, fresh := r.aged(old); fresh {
			return left
		}
	}
	answer := new(dns.Msg)
	r.zones.Load().resolve(answer, k.name, k.kind)
	if r.remember {
		r.memory[k] = remembered{answer.Copy(), time.Now()}
	}
	return answer
}

// aged gives a remembered answer with what is left of its TTLs, and false where one has run out.
func (r *resolver) aged(old remembered) (*dns.Msg, bool) {
	passed := uint32(time.Since(old.at).Seconds() * r.speed)
	answer := old.answer.Copy()
	for _, section := range [][]dns.RR{answer.Answer, answer.Ns} {
		for _, rr := range section {
			if rr.Header().Ttl <= passed {
				return nil, false
			}
			rr.Header().Ttl -= passed
		}
	}
	return answer, len(answer.Answer)+len(answer.Ns) > 0
}

func renamed(set []dns.RR, name string) []dns.RR {
	out := make([]dns.RR, len(set))
	for i, rr := range set {
		out[i] = dns.Copy(rr)
		out[i].Header().Name = name
	}
	return out
}

// calm keeps a question that makes a handler panic from ending the whole stage: it is not answered.
func calm(h dns.Handler) dns.Handler {
	return dns.HandlerFunc(func(w dns.ResponseWriter, q *dns.Msg) {
		if fault := crew.Try(func() { h.ServeDNS(w, q) }); fault != nil {
			slog.Error("a question could not be answered", "question", q.Question)
		}
	})
}

// serveDNS starts the resolver on UDP and TCP, both on one port.
func (s *Stage) serveDNS() error {
	handler := calm(s.names)
	var lastErr error
	for range 50 {
		stream, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return fmt.Errorf("listening for DNS: %w", err)
		}
		packets, err := net.ListenPacket("udp", stream.Addr().String())
		if err != nil {
			lastErr = err
			_ = stream.Close()
			continue
		}
		for _, server := range []*dns.Server{{PacketConn: packets, Handler: handler},
			{Listener: stream, Handler: handler}} {
			started := make(chan struct{})
			server.NotifyStartedFunc = func() { close(started) }
			go func() { _ = server.ActivateAndServe() }()
			<-started
			s.closers = append(s.closers, server.Shutdown)
		}
		s.resolver = packets.LocalAddr().String()
		return nil
	}
	return fmt.Errorf("no port is free for DNS on both UDP and TCP: %w", lastErr)
}

// signing signs answers to questions that are signed.
type signing struct {
	dns.ResponseWriter
	server   *NameServer
	question *dns.Msg
}

func (s signing) WriteMsg(m *dns.Msg) error {
	signReply(s.server, s.ResponseWriter, s.question, m)
	return s.ResponseWriter.WriteMsg(m)
}

// acceptUpdates has updates read, with as many records as they bring.
func acceptUpdates(h dns.Header) dns.MsgAcceptAction {
	if h.Bits>>11&15 == dns.OpcodeUpdate {
		return dns.MsgAccept
	}
	return dns.DefaultMsgAcceptFunc(h)
}

// serveNames starts a name server, which is reached over TCP through the proxy.
func (s *Stage) serveNames(at netip.AddrPort, n *NameServer) error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return fmt.Errorf("listening for the name server %s: %w", at, err)
	}
	known := new(atomic.Pointer[zones])
	s.served[at.Addr()] = known
	z := newZones(n.behind(n.Zones))
	known.Store(&z)
	server := &dns.Server{
		Listener: l,
		Handler: calm(dns.HandlerFunc(func(w dns.ResponseWriter, q *dns.Msg) {
			if q.Opcode == dns.OpcodeUpdate {
				s.update(at.Addr(), n, w, q)
				return
			}
			n.serve(*known.Load(), signing{w, n, q}, q)
		})),
	}
	if n.Key != nil {
		server.TsigSecret = map[string]string{dns.CanonicalName(n.Key.Name): n.Key.Secret}
		server.MsgAcceptFunc = acceptUpdates
	}
	started := make(chan struct{})
	server.NotifyStartedFunc = func() { close(started) }
	go func() { _ = server.ActivateAndServe() }()
	<-started
	s.closers = append(s.closers, server.Shutdown)
	s.doors[at] = l.Addr().String()
	return nil
}
