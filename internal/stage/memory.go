package stage

import (
	"cmp"
	"context"
	"crypto/x509"
	"net/netip"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Asker asks a scene without any socket: the same records, answers and names of certificates as the
// stage plays, for whoever asks very often. Of several addresses it gives the answer of one that
// answers otherwise than the first, where there is one.
func (s Scene) Asker() chain.Asker {
	all := slices.Clone(s.Zones)
	for _, n := range s.NameServers {
		all = append(all, n.Zones...)
	}
	return memory{s, newZones(all)}
}

type memory struct {
	scene Scene
	names zones
}

// Answer gives what a URL answers.
func (m memory) Answer(_ context.Context, ask chain.Ask) chain.Answer {
	u := ask.URL
	var addresses []netip.Addr
	for _, kind := range []uint16{dns.TypeA, dns.TypeAAAA} {
		answer := new(dns.Msg)
		m.names.resolve(answer, u.Host().String()+".", kind)
		for _, rr := range answer.Answer {
			switch rr := rr.(type) {
			case *dns.A:
				a, _ := netip.AddrFromSlice(rr.A.To4())
				addresses = append(addresses, a)
			case *dns.AAAA:
				a, _ := netip.AddrFromSlice(rr.AAAA.To16())
				addresses = append(addresses, a)
			}
		}
	}
	if len(addresses) == 0 {
		return chain.Answer{URL: u, Refusal: chain.NoAddress}
	}
	var first chain.Answer
	for i, a := range addresses {
		got := m.at(a, u)
		switch {
		case i == 0:
			first = got
		case got.Refusal != first.Refusal || got.Status != first.Status ||
			got.Location != first.Location || faults(got) != faults(first):
			return got
		}
	}
	return first
}

func faults(a chain.Answer) int {
	if a.TLS == nil {
		return 0
	}
	return len(a.TLS.Faults)
}

func (m memory) at(a netip.Addr, u web.URL) chain.Answer {
	port := cmp.Or(u.Door().Port, u.Scheme().Port())
	e := m.scene.Endpoints[netip.AddrPortFrom(a, port)]
	if e == nil {
		return chain.Answer{URL: u, Refusal: chain.Refused}
	}
	reply := e.reply(u, nil)
	answer := chain.Answer{URL: u, Status: reply.Status, Location: reply.Location}
	if u.Scheme() != web.HTTPS {
		return answer
	}
	answer.TLS = &chain.TLS{}
	for _, c := range e.Certificates {
		leaf := x509.Certificate{DNSNames: c.Names}
		if leaf.VerifyHostname(strings.TrimSuffix(u.Host().String(), ".")) == nil {
			return answer
		}
	}
	answer.TLS.Faults = []finding.Code{finding.WrongName}
	return answer
}
