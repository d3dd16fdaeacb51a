package live

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"golang.org/x/net/proxy"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// dialer opens connections to addresses, directly or through a SOCKS5 proxy.
type dialer struct {
	direct  net.Dialer
	proxy   proxy.ContextDialer // nil: none
	through string
	timeout time.Duration
	points  map[web.Host][]Point
	ipv6    bool
	skipped atomic.Bool // an IPv6 address was left out
	failure atomic.Pointer[string]
	worked  atomic.Bool
	sockets *sockets
	lock    sync.Mutex
	dead    map[netip.AddrPort]death
}

// death is an address that timed out: once, or also when it was tried again after that.
type death struct {
	when  time.Time // of the last time-out
	again *refusal  // nil: it timed out once
}

// For so long an address that timed out twice is not tried once more, so that the next URLs on it
// need not wait too.
const deadFor = 30 * time.Second

// timedOut remembers that a try that began at a time ended in a time-out. Tries side by side count
// as one.
func (d *dialer) timedOut(target netip.AddrPort, began time.Time, why *refusal) {
	d.lock.Lock()
	defer d.lock.Unlock()
	before, known := d.dead[target]
	now := death{when: time.Now()}
	if known && began.After(before.when) {
		now.again = why
	} else if known {
		now = before
	}
	d.dead[target] = now
}

func (d *dialer) isDead(target netip.AddrPort) *refusal {
	d.lock.Lock()
	defer d.lock.Unlock()
	if at := d.dead[target]; at.again != nil && time.Since(at.when) < deadFor {
		return at.again
	}
	return nil
}

func newDialer(v Vantage) (*dialer, error) {
	d := &dialer{timeout: v.Timeout, through: v.Proxy, ipv6: true, dead: map[netip.AddrPort]death{},
		sockets: newSockets(v.Timeout, mostSockets())}
	d.direct.Timeout = v.Timeout
	for _, p := range v.Points {
		if d.points == nil {
			d.points = map[web.Host][]Point{}
		}
		d.points[p.Host] = append(d.points[p.Host], p)
	}
	if v.Proxy == "" {
		d.ipv6 = hasIPv6()
		return d, nil
	}
	through, err := proxy.SOCKS5("tcp", v.Proxy, nil, toProxy{&d.direct})
	if err != nil {
		return nil, fmt.Errorf("proxy %s: %w", v.Proxy, err)
	}
	d.proxy = through.(proxy.ContextDialer)
	return d, nil
}

// hasIPv6 reports whether the system has a route for IPv6. Connecting UDP sends nothing.
func hasIPv6() bool {
	c, err := net.Dial("udp6", "[2001:db8::1]:53")
	if err != nil {
		return ofOurs(err) != nil // then nobody knows
	}
	return c.Close() == nil
}

// toProxy opens the connection to the proxy itself, and marks its failures as such.
type toProxy struct{ *net.Dialer }

type proxyFailure struct{ error }

func (p toProxy) Dial(network, address string) (net.Conn, error) {
	return p.DialContext(context.Background(), network, address)
}

func (p toProxy) DialContext(ctx context.Context, network, address string) (net.Conn, error) {
	c, err := p.Dialer.DialContext(ctx, network, address)
	if err != nil {
		return nil, proxyFailure{err}
	}
	return c, nil
}

// broken tells that the proxy has never been reached, though it was tried.
func (d *dialer) broken() error {
	if why := d.failure.Load(); why != nil && !d.worked.Load() {
		return errors.New(*why)
	}
	return nil
}

// pointed returns the address that a point of the vantage sets for a host and port.
func (d *dialer) pointed(h web.Host, port uint16) (netip.AddrPort, bool) {
	for _, p := range d.points[h] {
		if p.Port == 0 || p.Port == port {
			to := p.To
			if to == 0 {
				to = port
			}
			return netip.AddrPortFrom(p.Address, to), true
		}
	}
	return netip.AddrPort{}, false
}

// conn is a connection that knows where it leads, also behind a proxy.
type conn struct {
	net.Conn
	target netip.AddrPort
	leave  func() // gives its socket back
}

// Close closes the connection.
func (c *conn) Close() error {
	err := c.Conn.Close()
	c.leave()
	return err
}

// first dials the addresses one after the other until one accepts, as browsers do in the end. The
// refusal is the first one.
func (d *dialer) first(ctx context.Context, addresses []netip.Addr, port uint16) (*conn,
	netip.AddrPort, *refusal) {
	var why *refusal
	var tried netip.AddrPort
	began := time.Now()
	for _, a := range addresses {
		if why != nil && time.Since(began) > 3*d.timeout {
			break // a browser gives up too
		}
		if a.Is6() && !d.ipv6 {
			d.skipped.Store(true)
			continue
		}
		target := netip.AddrPortFrom(a, port)
		c, refused := d.dial(ctx, target)
		if refused == nil {
			return c, target, nil
		}
		if why == nil {
			why, tried = refused, target
		}
	}
	if why == nil {
		why = &refusal{chain.Unseen, "it has only IPv6 addresses, and this vantage has no IPv6"}
	}
	return nil, tried, why
}

// dial opens a connection by the vantage's way, which is its proxy where it has one, whoever names
// the address.
func (d *dialer) dial(ctx context.Context, target netip.AddrPort) (*conn, *refusal) {
	if why := d.isDead(target); why != nil {
		return nil, why
	}
	var began time.Time
	c, err := holding(ctx, d.sockets, func() (net.Conn, error) {
		began = time.Now()
		ctx, cancel := context.WithTimeout(ctx, d.timeout)
		defer cancel()
		if d.proxy != nil {
			return d.proxy.DialContext(ctx, "tcp", target.String())
		}
		c, err := d.direct.DialContext(ctx, "tcp", target.String())
		// it has no address to come from
		if target.Addr().Is6() && errors.Is(err, syscall.EADDRNOTAVAIL) {
			d.skipped.Store(true)
			err = &refusal{chain.Unseen, "this vantage has no IPv6"}
		}
		return c, err
	})
	var own *refusal
	if errors.As(err, &own) {
		return nil, own
	}
	if err != nil {
		why := d.sort(err, target)
		if why.kind == chain.Timeout {
			d.timedOut(target, began, why)
		}
		return nil, why
	}
	d.worked.Store(true)
	return &conn{c, target, sync.OnceFunc(d.sockets.leave)}, nil
}

// sort makes one of our refusals of whatever the system, the proxy library or the proxy says.
func (d *dialer) sort(err error, target netip.AddrPort) *refusal {
	if why := ofOurs(err); why != nil {
		return why
	}
	var ours proxyFailure
	says := err.Error()
	if errors.As(err, &ours) {
		why := fmt.Sprintf("the proxy %s cannot be reached", d.through)
		d.failure.Store(&why)
		return &refusal{chain.Unseen, why}
	}
	d.worked.Store(true)
	switch {
	case isTimeout(err), strings.HasSuffix(says, "TTL expired"):
		return &refusal{chain.Timeout,
			fmt.Sprintf("%s accepts no connection within %s", target, d.timeout)}
	case errors.Is(err, syscall.ECONNREFUSED), strings.HasSuffix(says, "connection refused"):
		return &refusal{chain.Refused, fmt.Sprintf("%s refuses the connection", target)}
	case target.Addr().Is6() && d.proxy != nil &&
		(strings.HasSuffix(says, "network unreachable") ||
			strings.HasSuffix(says, "address type not supported")):
		d.skipped.Store(true)
		return &refusal{chain.Unseen, fmt.Sprintf("the proxy %s has no IPv6", d.through)}
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH),
		strings.HasSuffix(says, "unreachable"):
		return &refusal{chain.Unreachable, fmt.Sprintf("%s is unreachable", target)}
	case strings.HasSuffix(says, "connection not allowed by ruleset"):
		return &refusal{chain.Unseen, fmt.Sprintf("the proxy does not allow %s", target)}
	}
	return &refusal{chain.Refused, fmt.Sprintf("%s accepts no connection", target)}
}
