package live

import (
	"cmp"
	"context"
	"net/netip"
	"slices"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// voices asks every name server and every resolver about the hosts, the machines of mail and its
// policy, and notes where they differ.
func (l *looker) voices(ctx context.Context) {
	var names []string
	for _, h := range l.subject.Hosts {
		names = append(names, h.String())
	}
	names = append(names, "_dmarc."+l.domain.Name)
	for _, s := range l.domain.Records {
		for _, value := range s.Values {
			if target := survey.Refers(s.Type, value); s.Type == "MX" && len(target) > 0 &&
				l.within(target[0]) &&
				!slices.Contains(names, target[0]) && len(names) < mostTargets {
				names = append(names, target[0])
			}
		}
	}
	l.domain.Differences = append(l.domain.Differences, l.web.compareVoices(ctx, names, l.sessions)...)
}

// Voices asks the name servers of the zones that hold some hosts, and the resolvers, about the
// hosts' addresses, and returns where not all say the same.
func (w *Client) Voices(ctx context.Context, hosts []web.Host) []survey.Difference {
	byZone := map[string][]string{}
	for _, h := range hosts {
		if apex, ok := h.Apex(); ok {
			byZone[apex.String()] = append(byZone[apex.String()], h.String())
		}
	}
	ctx, cancel := context.WithTimeout(
		ctx,
		2*w.vantage.Timeout,
	) // a silent name server is not worth more of somebody's time
	defer cancel()
	var differences []survey.Difference
	for zone, names := range byZone {
		answer, refused := w.resolver.exchange(ctx, dns.Fqdn(zone), dns.TypeNS)
		var sessions []*session
		for _, n := range nsNames(answer, refused, zone) {
			h, err := web.ParseObservedHost(n)
			if err != nil {
				continue
			}
			for _, a := range w.nameServer(ctx, n, nil).addresses {
				sessions = append(sessions, w.newSession(h, a))
			}
		}
		differences = append(differences, w.compareVoices(ctx, names, sessions)...)
		for _, s := range sessions {
			s.close()
		}
	}
	slices.SortFunc(differences, func(a, b survey.Difference) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Type, b.Type))
	})
	return differences
}

// said is what one voice says about every name and type that it was asked for.
type said struct {
	voice survey.Voice
	sets  map[record.Key]*survey.Voice
}

// compareVoices asks name servers and resolvers about names, and returns where not all say the
// same. Resolvers count only beside servers.
func (w *Client) compareVoices(ctx context.Context, names []string,
	sessions []*session) []survey.Difference {
	kinds := hostTypes
	var voices []*said
	var all crew.Crew
	for _, s := range sessions {
		v := &said{voice: survey.Voice{Who: s.who()}, sets: map[record.Key]*survey.Voice{}}
		voices = append(voices, v)
		all.Go(func() {
			v.hear(names, kinds, func(name string, kind uint16) (*dns.Msg, error) {
				return s.ask(ctx, name, kind)
			})
		})
	}
	if len(sessions) > 0 && !w.resolver.system {
		for _, server := range w.resolver.servers {
			v := &said{voice: survey.Voice{Who: "the resolver " + server, Resolver: true},
				sets: map[record.Key]*survey.Voice{}}
			voices = append(voices, v)
			all.Go(func() {
				v.hear(names, kinds, func(name string, kind uint16) (*dns.Msg, error) {
					return w.resolver.askServer(ctx, resolverQuestion(dns.Fqdn(name), kind), server)
				})
			})
		}
	}
	all.Wait()
	var differences []survey.Difference
	for _, name := range names {
		for _, kind := range kindsOf(name, kinds) {
			d, differ := difference(voices, record.Key{Name: name, Type: dns.TypeToString[kind]})
			if differ && !w.sameBehind(ctx, d) {
				differences = append(differences, d)
			}
		}
	}
	return differences
}

// sameBehind reports whether different addresses all answer the same over http, which is how many
// networks share their load, and no fault.
func (w *Client) sameBehind(ctx context.Context, d survey.Difference) bool {
	h, err := web.ParseObservedHost(d.Name)
	if err != nil || d.Type != "A" && d.Type != "AAAA" {
		return false
	}
	var first *chain.Answer
	for _, v := range d.Voices {
		if len(v.Values) == 0 {
			return false
		}
		for _, value := range v.Values {
			a, err := netip.ParseAddr(value)
			if err != nil || a.Is6() && !w.dialer.ipv6 {
				return false
			}
			answer := w.once(ctx,
				chain.Ask{URL: web.Door{Scheme: web.HTTP, Host: h}.URL("/", ""), Address: a})
			switch {
			case answer.Refusal != "":
				return false
			case first == nil:
				first = &answer
			case first.Status != answer.Status || first.Location != answer.Location:
				return false
			}
		}
	}
	return first != nil
}

// hear asks for every name and type. A voice that falls silent is left out of the comparison from
// then on.
func (v *said) hear(names []string, kinds []uint16, ask func(string, uint16) (*dns.Msg, error)) {
	for _, name := range names {
		for _, kind := range kindsOf(name, kinds) {
			answer, err := ask(name, kind)
			switch {
			case isTimeout(err):
				return
			case err != nil,
				answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError,
				!answer.Authoritative && !v.voice.Resolver:
				continue
			}
			says := v.voice
			says.Values = []string{}
			for _, rr := range answer.Answer {
				if plain(rr.Header().Name) == name && rr.Header().Rrtype == kind {
					says.Values = append(says.Values, rdata(rr))
					says.TTL = int(rr.Header().Ttl)
				}
			}
			if soa := soaOf(answer.Ns); len(says.Values) == 0 && soa != nil {
				says.TTL = int(min(soa.Hdr.Ttl, soa.Minttl)) // RFC 2308 section 5
			}
			slices.Sort(says.Values)
			v.sets[record.Key{Name: name, Type: dns.TypeToString[kind]}] = &says
		}
	}
}

// kindsOf gives the types that are worth asking about a name: at one of a policy, texts and
// aliases.
func kindsOf(name string, kinds []uint16) []uint16 {
	if survey.ForNoHost(name) {
		return []uint16{dns.TypeTXT, dns.TypeCNAME}
	}
	return kinds
}

func difference(voices []*said, key record.Key) (survey.Difference, bool) {
	d := survey.Difference{Name: key.Name, Type: key.Type}
	differ := false
	for _, v := range voices {
		says := v.sets[key]
		if says == nil {
			continue
		}
		if len(d.Voices) > 0 && !record.SameValues(d.Voices[0].Values, says.Values) {
			differ = true
		}
		d.Voices = append(d.Voices, *says)
	}
	return d, differ
}
