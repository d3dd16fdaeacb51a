package live

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// parentZone is the parent zone a domain and who serves it.
type parentZone struct {
	once    sync.Once
	name    string
	servers []*nameServer
}

type nameServer struct {
	name      string
	addresses []netip.Addr
	only6     bool // it has addresses, of which this vantage reaches none
	// in private networks, which a stranger's zone has no business to have us ask
	private []netip.Addr
}

// nameServer finds the addresses of a name server: what the resolvers say, or else the glue of a
// delegation.
func (w *Client) nameServer(ctx context.Context, name string,
	glue map[string][]netip.Addr) *nameServer {
	n := &nameServer{name: name}
	h, err := web.ParseObservedHost(name)
	if err != nil {
		return n
	}
	if to, pointed := w.dialer.pointed(h, dnsPort); pointed {
		n.addresses = []netip.Addr{to.Addr()}
		return n
	}
	n.addresses = w.resolver.lookup(ctx, h).addresses
	if len(n.addresses) == 0 {
		n.addresses = glue[name]
	}
	if !w.private {
		all := n.addresses
		n.addresses = slices.DeleteFunc(slices.Clone(all), web.IsPrivate)
		n.private = slices.DeleteFunc(slices.Clone(all), func(a netip.Addr) bool {
			return !web.IsPrivate(a)
		})
	}
	if !w.dialer.ipv6 {
		all := len(n.addresses)
		n.addresses = slices.DeleteFunc(slices.Clone(n.addresses), func(a netip.Addr) bool {
			return a.Is6()
		})
		n.only6 = all > 0 && len(n.addresses) == 0
	}
	return n
}

// parent finds the parent zone a name: the nearest one for which the resolvers know name servers.
func (s *Surveyor) parent(ctx context.Context, name string) *parentZone {
	_, above, _ := strings.Cut(name, ".")
	s.parentsLock.Lock()
	if s.parents == nil {
		s.parents = map[string]*parentZone{}
	}
	p := s.parents[above]
	if p == nil {
		p = &parentZone{}
		s.parents[above] = p
	}
	s.parentsLock.Unlock()
	p.once.Do(func() {
		for zone := above; ; {
			answer, refused := s.Web.resolver.exchange(ctx, dns.Fqdn(zone), dns.TypeNS)
			if names := nsNames(answer, refused, zone); len(names) > 0 {
				p.name = zone
				for _, n := range names[:min(len(names), mostParentNames)] {
					p.servers = append(p.servers, s.Web.nameServer(ctx, n, nil))
				}
				return
			}
			if zone == "" {
				return
			}
			_, zone, _ = strings.Cut(zone, ".")
		}
	})
	return p
}

func nsNames(answer *dns.Msg, refused *refusal, zone string) []string {
	if refused != nil {
		return nil
	}
	var names []string
	for _, rr := range answer.Answer {
		if ns, ok := rr.(*dns.NS); ok && strings.EqualFold(ns.Hdr.Name, dns.Fqdn(zone)) {
			names = append(names, plain(ns.Ns))
		}
	}
	return names
}

func plain(name string) string { return strings.ToLower(strings.TrimSuffix(name, ".")) }

// delegation asks the parent and every name server of the zone at every address.
func (l *looker) delegation(ctx context.Context) {
	byParent, glue := l.askParent(ctx)
	zoneNames := func() []string {
		answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(l.domain.Name), dns.TypeNS)
		return nsNames(answer, refused, l.domain.Name)
	}
	names := map[string][]string{}
	for _, n := range byParent {
		names[n] = append(names[n], "parent")
	}
	if len(byParent) == 0 {
		for _, n := range zoneNames() {
			names[n] = append(names[n], "zone")
		}
	}
	asked := map[string]bool{}
	for len(asked) < len(names) {
		var next []string
		for n := range names {
			if !asked[n] {
				next = append(next, n)
				asked[n] = true
			}
		}
		slices.Sort(next)
		if all := len(asked); all > mostServers {
			next = next[:max(0, len(next)-(all-mostServers))]
			l.unseen("more than %d name servers are named; the others were not asked", mostServers)
		}
		if len(next) == 0 {
			break
		}
		for _, n := range l.askServers(ctx, next, glue) {
			if !slices.Contains(names[n], "zone") {
				names[n] = append(names[n], "zone")
			}
		}
	}
	// the newest is asked first, and counts
	slices.SortStableFunc(l.sessions, func(a, b *session) int {
		return cmp.Compare(int32(b.serial-a.serial), 0) // serial number arithmetic (RFC 1982 section 3.2)
	})
	for i := range l.domain.Servers {
		l.domain.Servers[i].By = names[l.domain.Servers[i].Name]
	}
	if len(names) == 0 {
		l.unseen("no name server of %s is known: neither the parent zone nor the resolvers name one",
			l.domain.Name)
	}
}

// parentSays is what one server of the parent zone says.
type parentSays struct {
	who        string
	delegation *dns.Msg // nil: it did not answer
	ds         *dns.Msg
}

// askParent asks the parent zone for the delegation and DS, at several of its servers, and notes
// where they differ. It returns the names of the servers, and their glue.
func (l *looker) askParent(ctx context.Context) ([]string, map[string][]netip.Addr) {
	p := l.surveyor.parent(ctx, l.domain.Name)
	l.domain.Parent.Zone = cmp.Or(p.name, ".")
	var all []*parentSays
	var asking crew.Crew
	for _, at := range p.someServers() {
		says := &parentSays{}
		all = append(all, says)
		asking.Go(func() { l.askParentServer(ctx, at, says) })
	}
	asking.Wait()
	all = slices.DeleteFunc(all, func(s *parentSays) bool { return s.delegation == nil })
	if len(p.servers) == 0 {
		l.unseen("the parent zone of %s is not known: no resolver names its servers", l.domain.Name)
		return nil, nil
	}
	if len(all) == 0 {
		l.unseen("no server of the parent zone (%s) could be asked", l.domain.Parent.Zone)
		return nil, nil
	}
	first := all[0] // where one knows the domain and another does not yet, there is such a domain
	if i := slices.IndexFunc(all, func(s *parentSays) bool {
		return s.delegation.Rcode == dns.RcodeSuccess
	}); i > 0 {
		first = all[i]
	}
	l.domain.Parent.Server = first.who
	l.domain.Parent.Unknown = first.delegation.Rcode == dns.RcodeNameError
	l.parentsDiffer(all)
	names, glue := l.readDelegation(first.delegation)
	for _, says := range all {
		if says.ds != nil {
			l.readDS(says.ds)
			l.dsAnswered = true
			break
		}
	}
	return names, glue
}

// addressed is a name server at one of its addresses.
type addressed struct {
	name string
	at   netip.Addr
}

// someServers gives the first address of each server, then the others, as many as are asked.
func (p *parentZone) someServers() []addressed {
	var all []addressed
	for round := 0; len(all) < mostParents; round++ {
		before := len(all)
		for _, s := range p.servers {
			if round < len(s.addresses) {
				all = append(all, addressed{s.name, s.addresses[round]})
			}
		}
		if len(all) == before {
			break
		}
	}
	return all[:min(len(all), mostParents)]
}

func (l *looker) askParentServer(ctx context.Context, at addressed, says *parentSays) {
	h, err := web.ParseObservedHost(at.name)
	if err != nil {
		return
	}
	s := l.web.newSession(h, at.at)
	defer s.close()
	answer, err := s.ask(ctx, l.domain.Name, dns.TypeNS)
	if err != nil || answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError {
		return
	}
	says.who, says.delegation = s.who(), answer
	if ds, err := s.ask(ctx, l.domain.Name, dns.TypeDS); err == nil &&
		(ds.Rcode == dns.RcodeSuccess || ds.Rcode == dns.RcodeNameError) {
		says.ds = ds
	}
}

// parentsDiffer notes where the servers of the parent zone do not say the same.
func (l *looker) parentsDiffer(all []*parentSays) {
	for _, kind := range []uint16{dns.TypeNS, dns.TypeDS} {
		var voices []*said
		key := record.Key{Name: l.domain.Name, Type: dns.TypeToString[kind]}
		for _, says := range all {
			m := says.delegation
			if kind == dns.TypeDS {
				m = says.ds
			}
			if m == nil {
				continue
			}
			v := survey.Voice{Who: says.who, Values: []string{}}
			for _, rr := range slices.Concat(m.Answer, m.Ns) {
				if rr.Header().Rrtype == kind && plain(rr.Header().Name) == l.domain.Name {
					v.Values = append(v.Values, strings.ToLower(rdata(rr)))
				}
			}
			slices.Sort(v.Values)
			voices = append(voices, &said{v, map[record.Key]*survey.Voice{key: &v}})
		}
		if d, differ := difference(voices, key); differ {
			l.domain.Differences = append(l.domain.Differences, d)
		}
	}
}

func (l *looker) readDS(answer *dns.Msg) {
	for _, rr := range answer.Answer {
		if d, ok := rr.(*dns.DS); ok {
			l.domain.Parent.DS = append(l.domain.Parent.DS, survey.DS{Text: rdata(d)})
		}
	}
}

// readDelegation reads who serves the zone, and the addresses of those whose names lie within it
// (glue).
func (l *looker) readDelegation(answer *dns.Msg) ([]string, map[string][]netip.Addr) {
	var names []string
	glue := map[string][]netip.Addr{}
	for _, rr := range slices.Concat(answer.Answer, answer.Ns) {
		if ns, ok := rr.(*dns.NS); ok && plain(ns.Hdr.Name) == l.domain.Name {
			names = append(names, plain(ns.Ns))
			l.domain.Parent.TTL = int(ns.Hdr.Ttl)
		}
	}
	for _, rr := range answer.Extra {
		var ip net.IP
		switch rr := rr.(type) {
		case *dns.A:
			ip = rr.A
		case *dns.AAAA:
			ip = rr.AAAA
		}
		if a, ok := netip.AddrFromSlice(ip); ok {
			name := plain(rr.Header().Name)
			glue[name] = append(glue[name], a.Unmap())
		}
	}
	slices.Sort(names)
	l.domain.Parent.Servers = slices.Compact(names)
	for _, name := range l.domain.Parent.Servers {
		if len(glue[name]) > 0 && strings.HasSuffix(name, "."+l.domain.Name) {
			g := survey.Glue{Name: name}
			for _, a := range glue[name] {
				g.Addresses = append(g.Addresses, a.String())
			}
			l.domain.Parent.Glue = append(l.domain.Parent.Glue, g)
		}
	}
	return l.domain.Parent.Servers, glue
}

// askServers looks whether name servers answer for the zone, all side by side, and returns the NS
// records of those that do.
func (l *looker) askServers(ctx context.Context, names []string,
	glue map[string][]netip.Addr) []string {
	type found struct {
		server  survey.Server
		session *session
		ns      []string
	}
	var results []*found
	var all crew.Crew
	for _, name := range names {
		n := l.web.nameServer(ctx, name, glue)
		for _, a := range n.private {
			results = append(results,
				&found{server: survey.Server{Name: name, Address: a.String(), State: survey.Inside,
					Says: "its address is in a private network, and was not asked"}})
		}
		if n.only6 {
			l.only6 = true
			l.unseen("%s has only IPv6 addresses, and this vantage has no IPv6", name)
			continue
		}
		if len(n.addresses)+len(n.private) == 0 {
			results = append(
				results,
				&found{server: survey.Server{Name: name, State: survey.Nowhere,
					Says: "its name leads to no address"}},
			)
		}
		for _, a := range n.addresses {
			if l.asked++; l.asked > mostServerSessions {
				l.unseen("the name servers have more than %d addresses; the others were not asked",
					mostServerSessions)
				break
			}
			f := &found{server: survey.Server{Name: name}}
			results = append(results, f)
			all.Go(func() {
				h, _ := web.ParseObservedHost(name)
				f.session = l.web.newSession(h, a)
				f.server.Address = f.session.target.String()
				f.ns = l.askServer(ctx, f.session, &f.server)
			})
		}
	}
	all.Wait()
	var ns []string
	for _, f := range results {
		l.domain.Servers = append(l.domain.Servers, f.server)
		switch {
		case f.session == nil:
		case f.server.State == survey.Answers:
			f.session.serial = f.server.Serial
			l.sessions = append(l.sessions, f.session)
			ns = append(ns, f.ns...)
		default:
			f.session.close()
		}
	}
	return ns
}

// askServer fills in how a name server answers for the zone.
func (l *looker) askServer(ctx context.Context, s *session, server *survey.Server) []string {
	answer, err := s.ask(ctx, l.domain.Name, dns.TypeSOA)
	if isUnseen(err) {
		server.State, server.Says = survey.Unasked, "it could not be asked: "+plainError(err)
		l.unseen("%s of %s could not be asked: %s", s.who(), l.domain.Name, plainError(err))
		return nil
	}
	if err != nil {
		server.State, server.Says = survey.Silent,
			fmt.Sprintf("it does not answer within %s", l.web.vantage.Timeout)
		var r *refusal
		if !isTimeout(err) && !(errors.As(err, &r) && r.kind == chain.Timeout) {
			server.Says = "it does not answer: " + plainError(err)
		}
		return nil
	}
	soa := soaOf(answer.Answer)
	switch {
	case soa != nil && plain(soa.Hdr.Name) == l.domain.Name && answer.Authoritative:
		server.State, server.Serial = survey.Answers, soa.Serial
	case soa != nil && answer.Authoritative:
		server.State, server.Says = survey.Other, "it answers for the zone "+plain(soa.Hdr.Name)
		return nil
	case soaOf(answer.Ns) != nil && answer.Authoritative:
		server.State, server.Says = survey.Other,
			"it answers for the zone "+plain(soaOf(answer.Ns).Hdr.Name)
		return nil
	default:
		server.State, server.Says = survey.Lame, "it says "+dns.RcodeToString[answer.Rcode]
		if answer.Rcode == dns.RcodeSuccess {
			server.Says = "it answers without authority"
		}
		return nil
	}
	ns, err := s.ask(ctx, l.domain.Name, dns.TypeNS)
	if err != nil {
		return nil
	}
	return nsNames(ns, nil, l.domain.Name)
}

func soaOf(section []dns.RR) *dns.SOA {
	for _, rr := range section {
		if soa, ok := rr.(*dns.SOA); ok {
			return soa
		}
	}
	return nil
}
