package stage

import (
	"fmt"
	"net"
	"strings"

	"github.com/miekg/dns"
)

// zones answers as a resolver does that knows nothing but the scene's records.
type zones struct {
	sets map[key][]dns.RR
	have map[string]bool // names that exist, empty ones on the way to others included
	soa  []*dns.SOA
}

type key struct {
	name string
	kind uint16
}

func newZones(records []dns.RR) *zones {
	z := &zones{sets: map[key][]dns.RR{}, have: map[string]bool{}}
	for _, rr := range records {
		name := strings.ToLower(rr.Header().Name)
		k := key{name, rr.Header().Rrtype}
		z.sets[k] = append(z.sets[k], rr)
		for at := name; at != "."; {
			z.have[at] = true
			i, end := dns.NextLabel(at, 0)
			if end {
				break
			}
			at = at[i:]
		}
		if soa, ok := rr.(*dns.SOA); ok {
			z.soa = append(z.soa, soa)
		}
	}
	return z
}

// ServeDNS answers one question, following aliases.
func (z *zones) ServeDNS(w dns.ResponseWriter, question *dns.Msg) {
	answer := new(dns.Msg)
	answer.SetReply(question)
	answer.RecursionAvailable = true
	if len(question.Question) == 1 {
		q := question.Question[0]
		z.fill(answer, strings.ToLower(q.Name), q.Qtype)
	} else {
		answer.Rcode = dns.RcodeFormatError
	}
	if opt := question.IsEdns0(); opt != nil {
		answer.SetEdns0(1232, false)
	}
	if _, udp := w.RemoteAddr().(*net.UDPAddr); udp {
		size := dns.MinMsgSize
		if opt := question.IsEdns0(); opt != nil {
			size = int(opt.UDPSize())
		}
		answer.Truncate(size)
	}
	_ = w.WriteMsg(answer)
}

func (z *zones) fill(answer *dns.Msg, name string, kind uint16) {
	for range 16 {
		source := z.source(name)
		if source == "" {
			answer.Rcode = dns.RcodeNameError
			break
		}
		if set := z.sets[key{source, kind}]; len(set) > 0 {
			answer.Answer = append(answer.Answer, renamed(set, name)...)
			return
		}
		alias := z.sets[key{source, dns.TypeCNAME}]
		if len(alias) == 0 || kind == dns.TypeCNAME {
			break
		}
		answer.Answer = append(answer.Answer, renamed(alias[:1], name)...)
		name = strings.ToLower(alias[0].(*dns.CNAME).Target)
	}
	for _, soa := range z.soa {
		if dns.IsSubDomain(soa.Hdr.Name, name) {
			answer.Ns = append(answer.Ns, soa)
			return
		}
	}
}

// source gives the name whose records answer for a name: itself, or a wildcard above it (RFC 4592); "" for none.
func (z *zones) source(name string) string {
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

func renamed(set []dns.RR, name string) []dns.RR {
	out := make([]dns.RR, len(set))
	for i, rr := range set {
		out[i] = dns.Copy(rr)
		out[i].Header().Name = name
	}
	return out
}

// addresses gives the addresses of a name, for a proxy that is given names.
func (z *zones) addresses(name string) []net.IP {
	m := new(dns.Msg)
	z.fill(m, strings.ToLower(dns.Fqdn(name)), dns.TypeA)
	var all []net.IP
	for _, rr := range m.Answer {
		if a, ok := rr.(*dns.A); ok {
			all = append(all, a.A)
		}
	}
	return all
}

// serveDNS starts the name server on UDP and TCP, both on one port.
func (s *Stage) serveDNS() error {
	handler := newZones(s.scene.Records)
	var lastErr error
	for range 20 {
		packets, err := net.ListenPacket("udp", "127.0.0.1:0")
		if err != nil {
			return fmt.Errorf("listening for DNS: %w", err)
		}
		stream, err := net.Listen("tcp", packets.LocalAddr().String())
		if err != nil {
			lastErr = err
			_ = packets.Close()
			continue
		}
		for _, server := range []*dns.Server{{PacketConn: packets, Handler: handler}, {Listener: stream, Handler: handler}} {
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
