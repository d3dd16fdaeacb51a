package live

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/miekg/dns"
	"golang.org/x/sync/singleflight"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/web"
)

// found is what a name led to.
type found struct {
	addresses []netip.Addr // IPv4 first
	aliases   []string     // the CNAMEs on the way
	ttl       int          // the least of the address records, in seconds
	refusal   *refusal     // where there are none
	absent    bool         // it was answered that there are none
	circle    []string     // the aliases that lead round, where they do
}

// resolver asks a vantage's resolvers, and remembers the answers for as long as one command runs.
type resolver struct {
	servers  []string
	system   bool // nothing names servers: Go's own resolver is asked
	timeout  time.Duration
	sockets  *sockets
	once     singleflight.Group
	lock     sync.Mutex
	known    map[web.Host]found
	answered atomic.Bool
	failure  atomic.Pointer[string]
	crowded  map[web.Host]string     // of whose addresses not all are tried
	silent   map[string]leftOut      // servers that did not answer
	proven   map[string]dns.Question // that a server has answered
}

// The most CNAMEs that are followed, and the most names that are remembered.
const (
	mostAliases = 12
	mostKnown   = 20_000
	mostTried   = 16 // addresses of a host
	mostCrowded = 20 // hosts of which it is said that they have more
)

func newResolver(servers []string, timeout time.Duration, s *sockets) (*resolver, error) {
	r := &resolver{servers: servers, timeout: timeout, sockets: s,
		known: map[web.Host]found{}, crowded: map[web.Host]string{},
		silent: map[string]leftOut{}, proven: map[string]dns.Question{}}
	if len(servers) > 0 {
		return r, nil
	}
	config, err := dns.ClientConfigFromFile("/etc/resolv.conf")
	if err != nil || len(config.Servers) == 0 {
		r.system = true
		return r, nil
	}
	for _, s := range config.Servers {
		r.servers = append(r.servers, net.JoinHostPort(s, config.Port))
	}
	return r, nil
}

// broken tells that no resolver has ever answered, though they were asked.
func (r *resolver) broken() error {
	if why := r.failure.Load(); why != nil && !r.answered.Load() {
		return errors.New(*why)
	}
	return nil
}

// lookup returns the addresses of a host. Many who ask for the same name at once share one
// question.
func (r *resolver) lookup(ctx context.Context, h web.Host) found {
	if a, ok := h.Address(); ok {
		return found{addresses: []netip.Addr{a}}
	}
	if h.String() == "localhost" || strings.HasSuffix(h.String(), ".localhost") {
		// RFC 6761 section 6.3: browsers ask nobody.
		return found{addresses: []netip.Addr{netip.AddrFrom4([4]byte{127, 0, 0, 1}),
			netip.IPv6Loopback()}}
	}
	r.lock.Lock()
	f, ok := r.known[h]
	r.lock.Unlock()
	if ok {
		return f
	}
	result, _, _ := r.once.Do(h.String(), func() (any, error) {
		f := r.ask(ctx, h)
		all := len(f.addresses)
		f.addresses = fewer(f.addresses)
		if ctx.Err() != nil {
			return f, nil
		}
		r.lock.Lock()
		defer r.lock.Unlock()
		if all > len(f.addresses) && len(r.crowded) < mostCrowded {
			r.crowded[h] = fmt.Sprintf("of the %d addresses of %s, %d were tried; the other %d were not "+
				"seen",
				all, h.Unicode(), len(f.addresses), all-len(f.addresses))
		}
		if len(r.known) >= mostKnown {
			clear(r.known)
		}
		r.known[h] = f
		return f, nil
	})
	return result.(found)
}

// fewer gives the addresses that are tried where a host has very many: of both kinds where there
// are.
func fewer(all []netip.Addr) []netip.Addr {
	if len(all) <= mostTried {
		return all
	}
	six := slices.IndexFunc(all, netip.Addr.Is6)
	if six < 0 {
		six = len(all)
	}
	n := min(len(all)-six, max(mostTried-six, mostTried/2))
	return slices.Concat(all[:min(six, mostTried-n)], all[six:six+n])
}

func (r *resolver) ask(ctx context.Context, h web.Host) found {
	if r.system {
		return r.askSystem(ctx, h)
	}
	// however long its aliases take
	ctx, cancel := context.WithTimeout(ctx, time.Duration(4+4*len(r.servers))*r.timeout)
	defer cancel()
	types := []uint16{dns.TypeA, dns.TypeAAAA}
	parts := make([]found, len(types))
	var both crew.Crew
	for i, t := range types {
		both.Go(func() { parts[i] = r.chase(ctx, h, t) })
	}
	both.Wait()
	f := found{addresses: append(parts[0].addresses, parts[1].addresses...), aliases: parts[0].aliases,
		ttl: parts[0].ttl}
	if len(f.aliases) == 0 {
		f.aliases = parts[1].aliases
	}
	if len(parts[0].addresses) == 0 {
		f.ttl = parts[1].ttl
	}
	if len(f.addresses) > 0 {
		return f
	}
	f.refusal = parts[0].refusal
	if f.refusal == nil {
		f.refusal = parts[1].refusal
	}
	f.circle = append(parts[0].circle, parts[1].circle...)
	f.absent = (parts[0].refusal == nil || parts[0].absent) &&
		(parts[1].refusal == nil || parts[1].absent)
	if f.refusal == nil {
		f.refusal = &refusal{chain.NoAddress, "it has neither A nor AAAA records" + through(f.aliases)}
	}
	return f
}

func through(aliases []string) string {
	if len(aliases) == 0 {
		return ""
	}
	return " (by way of the alias " + aliases[len(aliases)-1] + ")"
}

// chase asks for one type, following CNAMEs that the resolver did not follow itself.
func (r *resolver) chase(ctx context.Context, h web.Host, kind uint16) found {
	var f found
	for name := h.String(); ; {
		answer, refused := r.exchange(ctx, dns.Fqdn(name), kind)
		if refused != nil {
			f.refusal = refused
			return f
		}
		last, ok := r.walk(answer, name, kind, &f)
		switch {
		case !ok:
			f.refusal = &refusal{chain.NoAddress,
				fmt.Sprintf("more than %d aliases follow each other%s", mostAliases,
					through(f.aliases))}
			if len(f.circle) > 0 {
				f.refusal = &refusal{chain.AliasLoop, "its aliases form a loop: " +
					strings.Join(append(f.circle, f.circle[0]), " → ")}
			}
			return f
		case len(f.addresses) > 0:
			return f
		case answer.Rcode == dns.RcodeNameError:
			f.refusal = &refusal{chain.NoAddress, "the name does not exist" + through(f.aliases)}
			if domain := r.noDomain(ctx, answer, name); domain != "" && len(f.aliases) > 0 {
				f.refusal.detail = "the domain " + domain + " does not exist" + through(f.aliases)
			} else if domain != "" {
				f.refusal = &refusal{chain.NoDomain, "the domain " + domain + " does not exist"}
			}
			f.absent = true
			return f
		case last == name:
			return f
		}
		name = last
	}
}

// noDomain gives the domain of a name that does not exist where the whole domain does not: whose
// denial comes from the zone above it (RFC 2308 section 2.1), or who is denied itself.
func (r *resolver) noDomain(ctx context.Context, denial *dns.Msg, name string) string {
	h, err := web.ParseObservedHost(name)
	if err != nil {
		return ""
	}
	apex, ok := h.Apex()
	if !ok {
		return ""
	}
	if soa := soaOf(denial.Ns); soa != nil {
		if zone := plain(soa.Hdr.Name); zone == apex.String() ||
			!dns.IsSubDomain(dns.Fqdn(zone), dns.Fqdn(apex.String())) {
			return ""
		}
		return apex.String()
	}
	if apex != h {
		if answer, refused := r.exchange(ctx, dns.Fqdn(apex.String()), dns.TypeSOA); refused != nil ||
			answer.Rcode != dns.RcodeNameError {
			return ""
		}
	}
	return apex.String()
}

// walk follows the aliases inside one answer, and returns the last name; false where they do not
// end.
func (r *resolver) walk(answer *dns.Msg, name string, kind uint16, f *found) (string, bool) {
	for {
		alias := take(answer, name, kind, f)
		if alias == "" {
			return name, true
		}
		if at := slices.Index(f.aliases, alias); at >= 0 {
			f.circle = slices.Clone(f.aliases[at:])
			return name, false
		}
		if len(f.aliases) == mostAliases {
			return name, false
		}
		f.aliases = append(f.aliases, alias)
		name = alias
	}
}

// take puts the addresses that an answer gives for a name into f, or returns the name for which it
// is an alias.
func take(answer *dns.Msg, name string, kind uint16, f *found) (alias string) {
	for _, rr := range answer.Answer {
		if !strings.EqualFold(rr.Header().Name, dns.Fqdn(name)) {
			continue
		}
		var address net.IP
		switch rr := rr.(type) {
		case *dns.CNAME:
			return strings.ToLower(strings.TrimSuffix(rr.Target, "."))
		case *dns.A:
			address = rr.A
		case *dns.AAAA:
			address = rr.AAAA
		}
		a, ok := netip.AddrFromSlice(address)
		if !ok || rr.Header().Rrtype != kind {
			continue
		}
		if ttl := int(rr.Header().Ttl); len(f.addresses) == 0 || ttl < f.ttl {
			f.ttl = ttl
		}
		f.addresses = append(f.addresses, a.Unmap())
	}
	return ""
}

// exchange asks one server after the other until one answers. Where one refuses because signatures
// do not hold, the refusal says so.
func (r *resolver) exchange(ctx context.Context, name string, kind uint16) (*dns.Msg, *refusal) {
	if why := budgetOf(ctx).over(); why != nil {
		return nil, why
	}
	question := resolverQuestion(name, kind)
	last := &refusal{chain.Unresolved, "there is no resolver to ask"}
	for _, server := range r.servers {
		answer, err := r.askServer(ctx, question, server)
		switch {
		case budgetOf(ctx).over() != nil:
			return nil, budgetOf(ctx).over()
		case ofOurs(err) != nil, isUnseen(err):
			return nil, &refusal{chain.Unseen, err.Error()}
		case err != nil:
			last = &refusal{chain.Unresolved, r.why(server, err)}
			continue
		case answer.Rcode == dns.RcodeSuccess || answer.Rcode == dns.RcodeNameError:
			return answer, nil
		}
		last = &refusal{chain.Unresolved,
			fmt.Sprintf("the resolver %s says %s", server, dns.RcodeToString[answer.Rcode])}
		if bad := r.unsigned(ctx, question, server, answer); bad != nil {
			last = bad
		}
	}
	if !r.answered.Load() {
		r.failure.Store(&last.detail)
		return nil, &refusal{chain.Unseen, last.detail}
	}
	return nil, last
}

func resolverQuestion(name string, kind uint16) *dns.Msg {
	question := new(dns.Msg)
	question.SetQuestion(name, kind)
	question.SetEdns0(1232, false)
	return question
}

// why says why a resolver gave no answer.
func (r *resolver) why(server string, err error) string {
	if errors.Is(err, errLeftOut) {
		r.lock.Lock()
		defer r.lock.Unlock()
		return r.silent[server].why
	}
	why := fmt.Sprintf("the resolver %s does not answer", server)
	if isTimeout(err) {
		why += fmt.Sprintf(" within %s", r.timeout)
	}
	return why
}

// unsigned reports whether a resolver that says SERVFAIL does so because signatures do not hold: it
// answers where it is asked not to check them (RFC 4035 section 3.2.2). The refusal says whether
// one has ended.
func (r *resolver) unsigned(ctx context.Context, question *dns.Msg, server string,
	answer *dns.Msg) *refusal {
	if answer.Rcode != dns.RcodeServerFailure {
		return nil
	}
	unchecked := question.Copy()
	unchecked.CheckingDisabled = true
	unchecked.IsEdns0().SetDo()
	second, err := r.askServer(ctx, unchecked, server)
	if err != nil || second.Rcode != dns.RcodeSuccess && second.Rcode != dns.RcodeNameError {
		return nil
	}
	now := time.Now()
	for _, rr := range slices.Concat(second.Answer, second.Ns) {
		if sig, ok := rr.(*dns.RRSIG); ok && signatureEnds(sig).Before(now) {
			return &refusal{
				chain.OldSigned,
				fmt.Sprintf("the resolver %s refuses answers about it: its signature expired on %s",
					server, signatureEnds(sig).Local().Format("2 January 2006 15:04 MST")),
			}
		}
	}
	return &refusal{
		chain.BadSigned,
		fmt.Sprintf("the resolver %s refuses answers about it: its signatures are not valid",
			server),
	}
}

var errLeftOut = errors.New("it did not answer before, and is no longer asked")

// leftOut is a server that is not asked for a while, and why.
type leftOut struct {
	why   string
	until time.Time
}

// asksAgain is how long a server that did not answer is left out.
const asksAgain = time.Minute

// skips reports whether a server is not asked now.
func (r *resolver) skips(server string) bool {
	r.lock.Lock()
	defer r.lock.Unlock()
	return time.Now().Before(r.silent[server].until)
}

// leaveOut has a server not be asked for a while.
func (r *resolver) leaveOut(server string) {
	r.lock.Lock()
	defer r.lock.Unlock()
	r.silent[server] = leftOut{
		fmt.Sprintf("the resolver %s does not answer within %s, and was left out", server, r.timeout),
		time.Now().Add(asksAgain),
	}
}

// notes says which servers were left out, in the order of their names.
func (r *resolver) notes() []string {
	r.lock.Lock()
	defer r.lock.Unlock()
	var all []string
	for _, l := range r.silent {
		all = append(all, l.why)
	}
	for _, why := range r.crowded {
		all = append(all, why)
	}
	slices.Sort(all)
	return all
}

// askServer asks over UDP, once more where nothing comes, and over TCP where the answer is cut (RFC
// 7766 section 5), cannot be read, or does not get through. A server that says nothing at all is
// left out from then on.
func (r *resolver) askServer(ctx context.Context, question *dns.Msg, server string) (*dns.Msg,
	error) {
	if r.skips(server) {
		return nil, errLeftOut
	}
	ask := func(network string, question *dns.Msg) (*dns.Msg, error) {
		if why := budgetOf(ctx).ask(); why != nil {
			return nil, why
		}
		answer, err := exchange(ctx, r.sockets,
			&dns.Client{Net: network, Timeout: r.timeout, UDPSize: 1232},
			question, server)
		if err == nil {
			r.answered.Store(true)
			r.lock.Lock()
			r.proven[server] = question.Question[0]
			r.lock.Unlock()
		}
		return answer, err
	}
	answer, err := ask("udp", question)
	if err != nil && ctx.Err() == nil && isTimeout(err) && !r.skips(server) {
		answer, err = ask("udp", question)
	}
	switch {
	case err == nil && answer.Truncated, errors.Is(err, errUnreadable):
		return ask("tcp", question)
	case !isTimeout(err) || ctx.Err() != nil:
		return answer, err
	}
	r.lock.Lock()
	proven, before := r.proven[server]
	r.lock.Unlock()
	if before { // it lives: a large answer may not get through
		if _, aliveErr := ask("udp", resolverQuestion(proven.Name, proven.Qtype)); aliveErr == nil {
			return ask("tcp", question)
		}
	}
	if ctx.Err() == nil {
		r.leaveOut(server)
	}
	return answer, err
}

func (r *resolver) askSystem(ctx context.Context, h web.Host) found {
	ctx, cancel := context.WithTimeout(ctx, r.timeout)
	defer cancel()
	addresses, err := net.DefaultResolver.LookupNetIP(ctx, "ip", h.String()+".")
	var missing *net.DNSError
	switch {
	case err == nil:
		for i, a := range addresses {
			addresses[i] = a.Unmap()
		}
		slices.SortStableFunc(addresses, func(a, b netip.Addr) int { return a.BitLen() - b.BitLen() })
		return found{addresses: addresses}
	case errors.As(err, &missing) && missing.IsNotFound:
		return found{absent: true,
			refusal: &refusal{chain.NoAddress, "the system's resolver finds no such name"}}
	}
	if why := ofOurs(err); why != nil {
		return found{refusal: why}
	}
	return found{refusal: &refusal{chain.Unresolved, "the system's resolver fails: " + err.Error()}}
}
