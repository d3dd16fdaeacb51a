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
}

// resolver asks a vantage's resolvers, and remembers the answers for as long as one command runs.
type resolver struct {
	servers  []string
	system   bool // nothing names servers: Go's own resolver is asked
	timeout  time.Duration
	once     singleflight.Group
	lock     sync.Mutex
	known    map[web.Host]found
	answered atomic.Bool
	failure  atomic.Pointer[string]
}

// The most CNAMEs that are followed, and the most names that are remembered.
const (
	mostAliases = 12
	mostKnown   = 20_000
)

func newResolver(servers []string, timeout time.Duration) (*resolver, error) {
	r := &resolver{servers: servers, timeout: timeout, known: map[web.Host]found{}}
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

// lookup returns the addresses of a host. Many who ask for the same name at once share one question.
func (r *resolver) lookup(ctx context.Context, h web.Host) found {
	if a, ok := h.Address(); ok {
		return found{addresses: []netip.Addr{a}}
	}
	if h.String() == "localhost" || strings.HasSuffix(h.String(), ".localhost") {
		// RFC 6761 section 6.3: browsers ask nobody.
		return found{addresses: []netip.Addr{netip.AddrFrom4([4]byte{127, 0, 0, 1}), netip.IPv6Loopback()}}
	}
	r.lock.Lock()
	f, ok := r.known[h]
	r.lock.Unlock()
	if ok {
		return f
	}
	result, _, _ := r.once.Do(h.String(), func() (any, error) {
		f := r.ask(ctx, h)
		if ctx.Err() != nil {
			return f, nil
		}
		r.lock.Lock()
		defer r.lock.Unlock()
		if len(r.known) >= mostKnown {
			clear(r.known)
		}
		r.known[h] = f
		return f, nil
	})
	return result.(found)
}

func (r *resolver) ask(ctx context.Context, h web.Host) found {
	if r.system {
		return r.askSystem(ctx, h)
	}
	ctx, cancel := context.WithTimeout(ctx, time.Duration(2+2*len(r.servers))*r.timeout) // however long its aliases take
	defer cancel()
	types := []uint16{dns.TypeA, dns.TypeAAAA}
	parts := make([]found, len(types))
	var both crew.Crew
	for i, t := range types {
		both.Go(func() { parts[i] = r.chase(ctx, h, t) })
	}
	both.Wait()
	f := found{addresses: append(parts[0].addresses, parts[1].addresses...), aliases: parts[0].aliases, ttl: parts[0].ttl}
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
			f.refusal = &refusal{chain.NoAddress, "its aliases lead round in a circle or are too many" + through(f.aliases)}
			return f
		case len(f.addresses) > 0:
			return f
		case answer.Rcode == dns.RcodeNameError:
			f.refusal = &refusal{chain.NoAddress, "the name does not exist" + through(f.aliases)}
			return f
		case last == name:
			return f
		}
		name = last
	}
}

// walk follows the aliases inside one answer, and returns the last name; false where they do not end.
func (r *resolver) walk(answer *dns.Msg, name string, kind uint16, f *found) (string, bool) {
	for {
		alias := take(answer, name, kind, f)
		if alias == "" {
			return name, true
		}
		if slices.Contains(f.aliases, alias) || len(f.aliases) == mostAliases {
			return name, false
		}
		f.aliases = append(f.aliases, alias)
		name = alias
	}
}

// take puts the addresses that an answer gives for a name into f, or returns the name for which it is an alias.
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

// exchange asks one server after the other until one answers.
func (r *resolver) exchange(ctx context.Context, name string, kind uint16) (*dns.Msg, *refusal) {
	question := new(dns.Msg)
	question.SetQuestion(name, kind)
	question.SetEdns0(1232, false)
	if why := budgetOf(ctx).over(); why != nil {
		return nil, why
	}
	var last string
	for _, server := range r.servers {
		answer, err := r.askServer(ctx, question, server)
		switch {
		case budgetOf(ctx).over() != nil:
			return nil, budgetOf(ctx).over()
		case err != nil:
			last = fmt.Sprintf("the resolver %s does not answer", server)
			if isTimeout(err) {
				last += fmt.Sprintf(" within %s", r.timeout)
			}
			continue
		case answer.Rcode == dns.RcodeSuccess || answer.Rcode == dns.RcodeNameError:
			r.answered.Store(true)
			return answer, nil
		}
		r.answered.Store(true)
		last = fmt.Sprintf("the resolver %s says %s", server, dns.RcodeToString[answer.Rcode])
	}
	if !r.answered.Load() {
		r.failure.Store(&last)
		return nil, &refusal{chain.Unseen, last}
	}
	return nil, &refusal{chain.NoAddress, last}
}

// askServer asks over UDP, once more where nothing comes, and over TCP where the answer is cut (RFC 7766 section 5).
func (r *resolver) askServer(ctx context.Context, question *dns.Msg, server string) (*dns.Msg, error) {
	ask := func(network string) (*dns.Msg, error) {
		if why := budgetOf(ctx).ask(); why != nil {
			return nil, why
		}
		return exchange(ctx, &dns.Client{Net: network, Timeout: r.timeout, UDPSize: 1232}, question, server)
	}
	answer, err := ask("udp")
	if err != nil && ctx.Err() == nil && isTimeout(err) {
		answer, err = ask("udp")
	}
	if err == nil && answer.Truncated {
		return ask("tcp")
	}
	return answer, err
}

// exchange asks over a connection of its own, which the end of the context closes: the DNS library minds its deadline
// alone.
func exchange(ctx context.Context, client *dns.Client, question *dns.Msg, server string) (*dns.Msg, error) {
	c, err := client.DialContext(ctx, server)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	defer context.AfterFunc(ctx, func() { _ = c.Close() })()
	answer, _, err := client.ExchangeWithConnContext(ctx, question, c)
	if err != nil {
		return nil, err
	}
	return counted(ctx, answer)
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
		return found{refusal: &refusal{chain.NoAddress, "the system's resolver finds no such name"}}
	}
	return found{refusal: &refusal{chain.NoAddress, "the system's resolver fails: " + err.Error()}}
}
