package live

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Subject is a domain to survey.
type Subject struct {
	Name      web.Host
	Hosts     []web.Host // apex, www and further hosts
	Selectors []string   // of DKIM keys, beside those that are widely used
	Zone      []dns.RR   // the zone, where a file has it
	Partial   bool       // that file is a partial picture
	Missed    []survey.Missed
	Renews    time.Time    // what the client knows of the registration's end; zero: nothing
	Coming    []web.Host   // the name servers to which the zone is to move
	Wanted    []record.Key // what somebody asks for: looked for too
}

// Surveyor looks at domains.
type Surveyor struct {
	Web         *Web
	Key         *TransferKey
	NoTransfer  bool
	NamesAlone  bool // leave doors and registration out
	Registry    Registry
	Parallel    int // how many URLs are followed at once, and four times as many domains looked at; 0: one after the other
	turnsOnce   sync.Once
	turns       chan struct{}
	parentsLock sync.Mutex
	parents     map[string]*parentZone
}

// The types that are asked of hosts, and the names that are commonly there: for hosts their addresses, for policies
// TXT.
var (
	commonTypes = []uint16{dns.TypeA, dns.TypeAAAA, dns.TypeCNAME, dns.TypeMX, dns.TypeTXT, dns.TypeNS}
	rareTypes   = []uint16{dns.TypeCAA, dns.TypeSRV, dns.TypeHTTPS, dns.TypeSVCB} // asked last: some servers drop them
	hostTypes   = slices.Concat(commonTypes, rareTypes)
	commonHosts = []string{
		"mail",
		"smtp",
		"imap",
		"pop",
		"webmail",
		"autodiscover",
		"autoconfig",
		"ftp",
		"shop",
		"blog",
		"dev",
		"test",
		"staging",
		"intranet",
		"vpn",
		"cdn",
		"static",
		"img",
		"m",
		"api",
		"ns1",
		"ns2",
		"mx",
		"ww",
		"wwww",
		"www.www",
		"w",
	}
	policyNames = []string{"_dmarc", "_mta-sts", "_smtp._tls", "default._bimi"}
	selectors   = []string{"default", "mail", "dkim", "k1", "k2", "s1", "s2", "selector1", "selector2", "google"}
	services    = []string{"_autodiscover._tcp", "_imaps._tcp", "_submission._tcp", "_sip._tls", "_caldavs._tcp"}
	madeUpLabel = "upper-path-made-up"
)

// mostParents is how many addresses of the zone above are tried: where none of these answers, the way is barred.
const mostParents = 3

// All looks at many domains at once and returns those that were seen whole before the context ended, in their order. It
// calls step after each.
func (s *Surveyor) All(ctx context.Context, subjects []Subject, step func()) []survey.Domain {
	seen := make([]*survey.Domain, len(subjects))
	ctx, cancel := context.WithTimeout(
		withBudget(ctx, newBudget("this survey", mostAllQuestions, mostAllOctets, nil)),
		mostAllTime,
	)
	defer cancel()
	turns := make(chan struct{}, 4*max(1, s.Parallel)) // most of the time a look at a domain waits for somebody
	var all crew.Crew
	for i, subject := range subjects {
		turns <- struct{}{}
		all.Go(func() {
			defer func() { <-turns }()
			if ctx.Err() != nil {
				return
			}
			d := s.Domain(ctx, subject)
			if ctx.Err() == nil {
				seen[i] = &d
			}
			step()
		})
	}
	all.Wait()
	domains := []survey.Domain{}
	for _, d := range seen {
		if d != nil {
			domains = append(domains, *d)
		}
	}
	return domains
}

// turn waits until one more URL may be followed, and returns what gives the turn back.
func (s *Surveyor) turn() func() {
	s.turnsOnce.Do(func() { s.turns = make(chan struct{}, max(1, s.Parallel)) })
	s.turns <- struct{}{}
	return func() { <-s.turns }
}

// Domain looks at one domain. What could not be seen is said in the result; it never fails as a whole.
func (s *Surveyor) Domain(ctx context.Context, subject Subject) survey.Domain {
	l := &looker{
		surveyor: s,
		web:      s.Web,
		subject:  subject,
		domain:   survey.Domain{Name: subject.Name.String(), Servers: []survey.Server{}, Records: []record.Set{}},
	}
	whole := ctx
	spend := newBudget("this domain", mostQuestions, mostOctets, budgetOf(ctx))
	ctx, cancel := context.WithTimeout(withBudget(ctx, spend), mostDomainTime)
	defer cancel()
	l.delegation(ctx)
	l.zone(ctx)
	l.coming(ctx)
	l.voices(ctx)
	l.aliasEnds(ctx)
	if !s.NamesAlone {
		l.doors(ctx)
		l.registration(ctx)
	}
	for _, session := range l.sessions {
		session.close()
	}
	if why := spend.over(); why != nil {
		l.unseen("%s", why.detail)
	} else if ctx.Err() != nil && whole.Err() == nil {
		l.unseen("this domain was not done after %s; what was left was not looked at", mostDomainTime)
	}
	slices.Sort(l.domain.Unseen)
	l.domain.Unseen = slices.Compact(l.domain.Unseen)
	return l.domain
}

// looker is the look at one domain.
type looker struct {
	surveyor *Surveyor
	web      *Web
	subject  Subject
	domain   survey.Domain
	sessions []*session // of the servers that answer, the first being the one that is asked for everything
	asked    int        // addresses of name servers
	lock     sync.Mutex
}

func (l *looker) unseen(format string, args ...any) {
	l.lock.Lock()
	defer l.lock.Unlock()
	l.domain.Unseen = append(l.domain.Unseen, fmt.Sprintf(format, args...))
}

// parentZone is the zone above a domain and who serves it.
type parentZone struct {
	once    sync.Once
	name    string
	servers []*nameServer
}

type nameServer struct {
	name      string
	addresses []netip.Addr
	only6     bool         // it has addresses, of which this vantage reaches none
	private   []netip.Addr // in private networks, which a stranger's zone has no business to have us ask
}

// parent finds the zone above a name: the nearest one for which the resolvers know name servers.
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

// nameServer finds the addresses of a name server: what the resolvers say, or else the glue of a delegation.
func (w *Web) nameServer(ctx context.Context, name string, glue map[string][]netip.Addr) *nameServer {
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
		n.private = slices.DeleteFunc(slices.Clone(all), func(a netip.Addr) bool { return !web.IsPrivate(a) })
	}
	if !w.dialer.ipv6 {
		all := len(n.addresses)
		n.addresses = slices.DeleteFunc(slices.Clone(n.addresses), func(a netip.Addr) bool { return a.Is6() })
		n.only6 = all > 0 && len(n.addresses) == 0
	}
	return n
}

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
	slices.SortStableFunc(l.sessions, func(a, b *session) int { // the newest is asked first, and counts
		return cmp.Compare(int32(b.serial-a.serial), 0) // serial number arithmetic (RFC 1982 section 3.2)
	})
	for i := range l.domain.Servers {
		l.domain.Servers[i].By = names[l.domain.Servers[i].Name]
	}
	if len(names) == 0 {
		l.unseen("no name server of %s is known: neither the parent nor the resolvers name one", l.domain.Name)
	}
}

// askParent asks the zone above for the delegation and DS. It returns the names of the servers, and their glue.
func (l *looker) askParent(ctx context.Context) ([]string, map[string][]netip.Addr) {
	p := l.surveyor.parent(ctx, l.domain.Name)
	l.domain.Parent.Zone = cmp.Or(p.name, ".")
	tries := 0
	for _, server := range p.servers {
		for _, a := range server.addresses {
			if tries++; tries > mostParents || ctx.Err() != nil {
				break
			}
			h, _ := web.ParseObservedHost(server.name)
			session := l.web.newSession(h, a)
			answer, err := session.ask(ctx, l.domain.Name, dns.TypeNS)
			if err != nil || answer.Rcode != dns.RcodeSuccess {
				session.close()
				continue
			}
			l.domain.Parent.Server = session.who()
			names, glue := l.readDelegation(answer)
			if ds, err := session.ask(ctx, l.domain.Name, dns.TypeDS); err == nil {
				for _, rr := range ds.Answer {
					if d, ok := rr.(*dns.DS); ok {
						l.domain.Parent.DS = append(l.domain.Parent.DS, survey.DS{Text: rdata(d)})
					}
				}
			}
			session.close()
			return names, glue
		}
	}
	l.unseen("no server of the zone above (%s) could be asked", l.domain.Parent.Zone)
	return nil, nil
}

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
		switch rr := rr.(type) {
		case *dns.A:
			if a, ok := netip.AddrFromSlice(rr.A.To4()); ok {
				glue[plain(rr.Hdr.Name)] = append(glue[plain(rr.Hdr.Name)], a)
			}
		case *dns.AAAA:
			if a, ok := netip.AddrFromSlice(rr.AAAA); ok {
				glue[plain(rr.Hdr.Name)] = append(glue[plain(rr.Hdr.Name)], a)
			}
		}
	}
	slices.Sort(names)
	l.domain.Parent.Servers = slices.Compact(names)
	return l.domain.Parent.Servers, glue
}

// askServers looks whether name servers answer for the zone, all side by side, and returns the NS records of those that
// do.
func (l *looker) askServers(ctx context.Context, names []string, glue map[string][]netip.Addr) []string {
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
			results = append(results, &found{server: survey.Server{Name: name, Address: a.String(), State: survey.Inside,
				Says: "its address lies in a private network, and was not asked"}})
		}
		if n.only6 {
			l.unseen("%s has only IPv6 addresses, and this vantage has no IPv6", name)
			continue
		}
		if len(n.addresses)+len(n.private) == 0 {
			results = append(
				results,
				&found{server: survey.Server{Name: name, State: survey.Nowhere, Says: "its name leads to no address"}},
			)
		}
		for _, a := range n.addresses {
			if l.asked++; l.asked > mostServerSessions {
				l.unseen("the name servers have more than %d addresses; the others were not asked", mostServerSessions)
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
	if err != nil {
		server.State, server.Says = survey.Silent, fmt.Sprintf("it does not answer within %s", l.web.vantage.Timeout)
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
		server.State, server.Says = survey.Other, "it answers for the zone "+plain(soaOf(answer.Ns).Hdr.Name)
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

func plainError(err error) string {
	var r *refusal
	if errors.As(err, &r) {
		return r.detail
	}
	if errors.Is(err, errOtherQuestion) || errors.Is(err, errMute) {
		return err.Error()
	}
	return "the connection fails"
}

// rdata gives the data of a record as it stands in a zone file.
func rdata(rr dns.RR) string {
	if _, unknown := rr.(*dns.RFC3597); unknown {
		s := rr.String()
		return s[strings.Index(s, `\#`):] // RFC 3597 section 5
	}
	return strings.TrimSpace(strings.TrimPrefix(rr.String(), rr.Header().String()))
}

// zone fetches the records: from a file, by transfer, or by asking for what is commonly there.
func (l *looker) zone(ctx context.Context) {
	if l.subject.Zone != nil {
		l.domain.Source = survey.File
		l.keep(l.subject.Zone)
		l.domain.Partial, l.domain.Missed = l.subject.Partial, l.subject.Missed
		l.matchKeys(ctx)
		return
	}
	if !l.surveyor.NoTransfer {
		for _, s := range l.sessions {
			records, err := s.transfer(ctx, l.domain.Name, l.surveyor.Key)
			if err != nil && l.surveyor.Key != nil && ctx.Err() == nil {
				// The key may be another server's: this one may hand its zone out without.
				if open, openErr := s.transfer(ctx, l.domain.Name, nil); openErr == nil {
					records, err = open, nil
				}
			}
			if err == nil {
				l.domain.Source = survey.Transfer
				l.keep(records)
				l.matchKeys(ctx)
				return
			}
			var cut *refusal
			if errors.As(err, &cut) && cut.kind == chain.Unseen {
				l.unseen("the transfer of the zone from %s was cut off: %s", s.who(), cut.detail)
			} else if ctx.Err() == nil {
				l.unseen("%s gives no transfer of the zone: %s", s.who(), transferReason(err))
			}
		}
	}
	l.domain.Source, l.domain.Partial = survey.Asked, true
	if len(l.sessions) > 0 {
		l.askNames(ctx)
	}
	l.matchKeys(ctx)
}

func transferReason(err error) string {
	var r *refusal
	switch {
	case errors.As(err, &r):
		return r.detail
	case isTimeout(err):
		return "it does not go on"
	case strings.Contains(err.Error(), "bad xfr rcode"):
		return "it refuses"
	}
	return problemText(err)
}

func problemText(err error) string { return strings.TrimPrefix(err.Error(), "dns: ") }

// keep puts records of the zone into sets.
func (l *looker) keep(records []dns.RR) {
	sets, wildcards := Sets(l.domain.Name, records)
	l.domain.Records, l.domain.Wildcards = sets, wildcards
}

// presented gives type and data of a record as a zone file has them: where the usual form cannot be read back as the
// same record, in the form for types that nobody knows (RFC 3597 section 5).
func presented(rr dns.RR) (kind, data string) {
	h := rr.Header()
	kind, data = dns.TypeToString[h.Rrtype], rdata(rr)
	if _, unknown := rr.(*dns.RFC3597); !unknown && kind != "" {
		again, err := dns.NewRR(fmt.Sprintf(". %d IN %s %s", h.Ttl, kind, data))
		if err == nil && again != nil && dns.IsDuplicate(under(rr), again) {
			return kind, data
		}
	}
	general := new(dns.RFC3597)
	if general.ToRFC3597(rr) == nil {
		data = rdata(general)
	}
	return fmt.Sprintf("TYPE%d", h.Rrtype), data
}

// under gives a record with the root for its owner, for comparing data alone.
func under(rr dns.RR) dns.RR {
	c := dns.Copy(rr)
	c.Header().Name = "."
	return c
}

// Sets puts records into sets in canonical order, those outside the zone left out, and returns the names below which
// wildcards stand beside them.
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
		been[value{key, set.Values[0]}] = true
		if label, isWildcard := strings.CutPrefix(name, "*."); isWildcard && !below[label] {
			wildcards, below[label] = append(wildcards, label), true
		}
	}
	record.Sort(sets)
	return sets, wildcards
}

// mostAsked is how many of a zone's servers are asked a question, one after the other, until one answers.
const mostAsked = 3

// askAny asks the zone's servers one after the other until one says whether there is something. Where none does, the
// question is noted as missed, and nil comes back.
func (l *looker) askAny(ctx context.Context, name string, kind uint16) *dns.Msg {
	missed := survey.Missed{Name: name, Type: dns.TypeToString[kind]}
	for _, s := range l.sessions[:min(len(l.sessions), mostAsked)] {
		answer, err := s.ask(ctx, name, kind)
		switch {
		case ctx.Err() != nil:
			return nil
		case err != nil:
			missed.By, missed.Why = s.who(), plainError(err)
		case answer.Rcode == dns.RcodeSuccess || answer.Rcode == dns.RcodeNameError:
			return answer
		default:
			missed.By, missed.Why = s.who(), "it says "+dns.RcodeToString[answer.Rcode]
		}
	}
	l.domain.Missed = append(l.domain.Missed, missed)
	return nil
}

// mostReferred is how many names of a zone are asked about in all, those included that its records refer to.
const mostReferred = 500

// referredTo gives the names within a zone to which records refer: mail hosts, name servers, the ends of aliases and
// services, and what SPF records look up (RFC 7208 sections 5 and 6.1).
func referredTo(zone string, records []dns.RR) []string {
	var all []string
	add := func(name string) {
		if name = plain(name); strings.HasSuffix(name, "."+zone) && !strings.Contains(name, "%{") {
			all = append(all, name)
		}
	}
	for _, rr := range records {
		switch rr := rr.(type) {
		case *dns.MX:
			add(rr.Mx)
		case *dns.NS:
			add(rr.Ns)
		case *dns.SRV:
			add(rr.Target)
		case *dns.CNAME:
			add(rr.Target)
		case *dns.DNAME:
			add(rr.Target)
		case *dns.NAPTR:
			add(rr.Replacement)
		case *dns.HTTPS:
			add(rr.Target)
		case *dns.SVCB:
			add(rr.Target)
		case *dns.TXT:
			terms := strings.Fields(strings.Join(rr.Txt, ""))
			if len(terms) == 0 || !strings.EqualFold(terms[0], "v=spf1") {
				continue
			}
			for _, term := range terms[1:] {
				term = strings.ToLower(strings.TrimLeft(term, "+-~?"))
				for _, kind := range []string{"a:", "mx:", "include:", "exists:", "redirect="} {
					if target, is := strings.CutPrefix(term, kind); is {
						target, _, _ = strings.Cut(target, "/")
						add(target)
					}
				}
			}
		}
	}
	return all
}

// saidMissed says in a line for each reason what nobody answered about.
func (l *looker) saidMissed(all []survey.Missed) {
	byWhy := map[string][]string{}
	var order []string
	for _, m := range all {
		why := m.By + ": " + m.Why
		if byWhy[why] == nil {
			order = append(order, why)
		}
		if !slices.Contains(byWhy[why], m.Type) {
			byWhy[why] = append(byWhy[why], m.Type)
		}
	}
	for _, why := range order {
		n := 0
		for _, m := range all {
			if m.By+": "+m.Why == why {
				n++
			}
		}
		l.unseen("no answer to %d questions about %s: %s", n, strings.Join(byWhy[why], ", "), why)
	}
}

// askNames asks the name servers for the names that matter and those that are commonly there. A made-up name finds out
// a wildcard, whose answers are then not taken for names of their own.
func (l *looker) askNames(ctx context.Context) {
	asked := map[string]bool{}
	ask := func(name string, kinds ...uint16) []dns.RR {
		var all []dns.RR
		asked[name] = true
		for i, kind := range kinds {
			if ctx.Err() != nil {
				return all
			}
			answer := l.askAny(ctx, name, kind)
			switch {
			case answer == nil:
				continue
			case answer.Rcode == dns.RcodeNameError && i == 0:
				return all // no such name: no other type either
			}
			for _, rr := range answer.Answer {
				if plain(rr.Header().Name) == name && rr.Header().Rrtype != dns.TypeRRSIG {
					all = append(all, rr)
				}
			}
		}
		return all
	}
	zone := l.domain.Name
	wild := ask(madeUpLabel+"."+zone, dns.TypeA, dns.TypeAAAA, dns.TypeTXT, dns.TypeMX)
	var records []dns.RR
	for _, rr := range wild {
		c := dns.Copy(rr)
		c.Header().Name = "*." + zone + "."
		records = append(records, c)
	}
	byWildcard := func(rr dns.RR) bool {
		return slices.ContainsFunc(wild, func(w dns.RR) bool {
			return w.Header().Rrtype == rr.Header().Rrtype && rdata(w) == rdata(rr)
		})
	}
	take := func(name string, rrs []dns.RR) {
		for _, rr := range rrs {
			if name == zone || !byWildcard(rr) {
				records = append(records, rr)
			}
		}
	}
	take(zone, ask(zone, append([]uint16{dns.TypeSOA}, commonTypes...)...))
	for _, h := range l.subject.Hosts {
		if h.String() != zone {
			take(h.String(), ask(h.String(), commonTypes...))
		}
	}
	for _, label := range commonHosts {
		name := label + "." + zone
		take(name, ask(name, dns.TypeA, dns.TypeAAAA, dns.TypeMX, dns.TypeTXT))
	}
	for _, label := range []string{zone, "www." + zone, "mail." + zone, "_dmarc." + zone} {
		name := label + "." + zone
		take(name, ask(name, dns.TypeA, dns.TypeAAAA, dns.TypeTXT))
	}
	for _, label := range policyNames {
		take(label+"."+zone, ask(label+"."+zone, dns.TypeTXT))
	}
	for _, label := range slices.Compact(slices.Sorted(slices.Values(slices.Concat(selectors, l.subject.Selectors)))) {
		name := label + "._domainkey." + zone
		take(name, ask(name, dns.TypeTXT))
	}
	for _, label := range services {
		take(label+"."+zone, ask(label+"."+zone, dns.TypeSRV))
	}
	for _, w := range l.subject.Wanted {
		take(w.Name, ask(w.Name, dns.StringToType[w.Type]))
	}
	read := 0
	follow := func() { // what is referred to may refer on
		for read < len(records) {
			names := referredTo(zone, records[read:])
			read = len(records)
			for _, name := range names {
				if !asked[name] && len(asked) < mostReferred {
					take(name, ask(name, dns.TypeA, dns.TypeAAAA, dns.TypeCNAME, dns.TypeTXT))
				}
			}
		}
	}
	follow()
	take(zone, ask(zone, append([]uint16{dns.TypeDNSKEY}, rareTypes...)...))
	for _, h := range l.subject.Hosts {
		if h.String() != zone {
			take(h.String(), ask(h.String(), rareTypes...))
		}
	}
	follow()
	l.keep(records)
	l.saidMissed(l.domain.Missed)
}

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

// voices asks every name server and every resolver about the hosts, and notes where they differ.
func (l *looker) voices(ctx context.Context) {
	var names []string
	for _, h := range l.subject.Hosts {
		names = append(names, h.String())
	}
	l.domain.Differences = append(l.domain.Differences, l.web.compareVoices(ctx, names, l.sessions)...)
}

// Voices asks the name servers of the zones that hold some hosts, and the resolvers, about the hosts' addresses, and
// returns where not all say the same.
func (w *Web) Voices(ctx context.Context, hosts []web.Host) []survey.Difference {
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

// compareVoices asks name servers and resolvers about names, and returns where not all say the same. Resolvers count
// only beside servers.
func (w *Web) compareVoices(ctx context.Context, names []string, sessions []*session) []survey.Difference {
	kinds := hostTypes
	var voices []*said
	var all crew.Crew
	for _, s := range sessions {
		v := &said{voice: survey.Voice{Who: s.who()}, sets: map[record.Key]*survey.Voice{}}
		voices = append(voices, v)
		all.Go(func() {
			v.hear(names, kinds, func(name string, kind uint16) (*dns.Msg, error) { return s.ask(ctx, name, kind) })
		})
	}
	if len(sessions) > 0 && !w.resolver.system {
		for _, server := range w.resolver.servers {
			v := &said{voice: survey.Voice{Who: "the resolver " + server, Resolver: true}, sets: map[record.Key]*survey.Voice{}}
			voices = append(voices, v)
			all.Go(func() {
				v.hear(names, kinds, func(name string, kind uint16) (*dns.Msg, error) {
					question := new(dns.Msg)
					question.SetQuestion(dns.Fqdn(name), kind)
					question.SetEdns0(1232, false)
					return w.resolver.askServer(ctx, question, server)
				})
			})
		}
	}
	all.Wait()
	var differences []survey.Difference
	for _, name := range names {
		for _, kind := range kinds {
			d, differ := difference(voices, record.Key{Name: name, Type: dns.TypeToString[kind]})
			if differ && !w.sameBehind(ctx, d) {
				differences = append(differences, d)
			}
		}
	}
	return differences
}

// sameBehind tells whether different addresses all answer the same over http, which is how many networks share their
// load, and no fault.
func (w *Web) sameBehind(ctx context.Context, d survey.Difference) bool {
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
			answer := w.once(ctx, chain.Ask{URL: web.Door{Scheme: web.HTTP, Host: h}.URL("/", ""), Address: a})
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

// hear asks for every name and type. A voice that falls silent is left out of the comparison from then on.
func (v *said) hear(names []string, kinds []uint16, ask func(string, uint16) (*dns.Msg, error)) {
	for _, name := range names {
		for _, kind := range kinds {
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

// aliasEnds looks whether the targets of aliases have addresses.
func (l *looker) aliasEnds(ctx context.Context) {
	for _, s := range l.domain.Records {
		if s.Type != "CNAME" || len(s.Values) == 0 || ctx.Err() != nil {
			continue
		}
		target := plain(s.Values[0])
		h, err := web.ParseObservedHost(target)
		end := survey.AliasEnd{Name: s.Name, Target: target}
		if survey.ForNoHost(
			s.Name,
		) { // keys, policies and proofs: what counts is that the name is there, with or without addresses
			answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(target), dns.TypeTXT)
			end.Exists = refused != nil || answer.Rcode != dns.RcodeNameError
		} else if err == nil {
			found := l.web.resolver.lookup(ctx, h)
			end.Exists = len(found.addresses) > 0 || found.refusal != nil && found.refusal.kind != chain.NoAddress
		}
		l.domain.Aliases = append(l.domain.Aliases, end)
	}
}

// doors follows every door, asks each address of a host alone, and reads robots.txt.
func (l *looker) doors(ctx context.Context) {
	judge := chain.Judge{Now: l.web.Now()}
	for _, h := range l.subject.Hosts {
		addresses := l.web.resolver.lookup(ctx, h).addresses
		for _, d := range web.Doors(h) {
			probes := chain.Probes(d)
			for _, probe := range chain.ProbeOrder {
				if ctx.Err() != nil {
					return
				}
				done := l.surveyor.turn()
				c := chain.Follow(ctx, l.web, chain.Ask{URL: probes[probe]}, probe)
				done()
				judge.Chain(&c, chain.Want{})
				l.domain.Chains = append(l.domain.Chains, c)
			}
			if len(addresses) > 1 {
				l.askEachAddress(ctx, d, addresses)
			}
			if len(addresses) > 0 {
				l.robots(ctx, d)
			}
		}
	}
}

// askEachAddress asks every address of a door alone; different addresses with the same answer are fine.
func (l *looker) askEachAddress(ctx context.Context, d web.Door, addresses []netip.Addr) {
	diff := survey.Difference{Name: d.String()}
	for _, a := range addresses {
		if a.Is6() && !l.web.dialer.ipv6 {
			continue
		}
		answer := l.web.Answer(ctx, chain.Ask{URL: d.URL("/", ""), Address: a})
		says := string(answer.Refusal)
		if answer.Refusal == "" {
			says = strings.TrimSpace(fmt.Sprintf("%d %s", answer.Status, answer.Location))
		}
		diff.Voices = append(diff.Voices, survey.Voice{Who: a.String(), Values: []string{says}})
	}
	if slices.ContainsFunc(diff.Voices, func(v survey.Voice) bool { return v.Values[0] != diff.Voices[0].Values[0] }) {
		l.domain.Differences = append(l.domain.Differences, diff)
	}
}

// robots reads robots.txt of a door that serves one itself.
func (l *looker) robots(ctx context.Context, d web.Door) {
	status, location, body, err := l.web.fetchOnce(ctx, d.URL("/robots.txt", ""), "text/plain", new(bool))
	if err != nil || status != 200 || location != "" {
		return
	}
	if line := survey.Bars(string(body)); line != "" {
		l.domain.Robots = append(l.domain.Robots, survey.Robots{Door: d.String(), Line: line})
	}
}

func (l *looker) registration(ctx context.Context) {
	if ctx.Err() != nil {
		return
	}
	r, err := l.web.registration(ctx, l.surveyor.Registry, l.domain.Name)
	if err != nil {
		l.unseen("the registration of %s: %s", l.domain.Name, problemText(err))
		if !l.subject.Renews.IsZero() {
			l.domain.Registration = &survey.Registration{From: "the estate file", Ends: &l.subject.Renews}
		}
		return
	}
	l.domain.Registration = r
}
