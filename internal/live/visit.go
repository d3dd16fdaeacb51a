package live

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptrace"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// Answer asks one URL for real. What goes wrong is a Refusal in the answer; a time-out is tried once more.
func (w *Web) Answer(ctx context.Context, ask chain.Ask) chain.Answer {
	leave, ok := w.await(ctx, ask.URL.Host())
	if !ok {
		return chain.Answer{URL: ask.URL, Refusal: chain.Unseen, Detail: "interrupted"}
	}
	defer leave()
	a := w.once(ctx, ask)
	if a.Refusal == chain.Timeout && ctx.Err() == nil {
		slog.Debug("asking once more", "url", ask.URL, "because", a.Detail)
		a = w.once(ctx, ask)
	}
	if slog.Default().Enabled(ctx, slog.LevelDebug) {
		slog.Debug("answer", "url", ask.URL, "status", a.Status, "refusal", a.Refusal, "address", a.Address, "ms", a.MS)
	}
	return a
}

// evidence is what the hooks beside a request gather. A connection that is being opened may outlive its request, hence
// the lock.
type evidence struct {
	host      found
	lock      sync.Mutex
	target    netip.AddrPort
	handshake error
	got       bool // a connection was handed over
}

// dialled notes where a connection is being opened to, unless the request has got one already.
func (e *evidence) dialled(target netip.AddrPort) {
	e.lock.Lock()
	defer e.lock.Unlock()
	if !e.got && target.IsValid() {
		e.target = target
	}
}

func (e *evidence) gotConn(info httptrace.GotConnInfo) {
	e.lock.Lock()
	defer e.lock.Unlock()
	if c, ok := plainConn(info.Conn).(*conn); ok {
		e.target, e.got, e.handshake = c.target, true, nil
	}
}

func (e *evidence) handshaken(_ tls.ConnectionState, err error) {
	e.lock.Lock()
	defer e.lock.Unlock()
	if !e.got {
		e.handshake = err
	}
}

func (e *evidence) read() (netip.AddrPort, error) {
	e.lock.Lock()
	defer e.lock.Unlock()
	return e.target, e.handshake
}

type evidenceKey struct{}

func (w *Web) once(ctx context.Context, ask chain.Ask) chain.Answer {
	start := time.Now()
	a := chain.Answer{URL: ask.URL}
	seen := &evidence{}
	door := ask.URL.Door()
	if ask.Address.IsValid() {
		seen.host = found{addresses: []netip.Addr{ask.Address}}
	} else if _, pointed := w.dialer.pointed(door.Host, door.PortNumber()); !pointed {
		seen.host = w.resolver.lookup(ctx, door.Host)
		a.Aliases, a.TTL = seen.host.aliases, seen.host.ttl
	}
	refused := seen.host.refusal
	if refused == nil && ask.Public {
		refused = w.keepOut(door.Host, seen)
	}
	if refused == nil {
		refused = w.request(ctx, ask, seen, &a)
	}
	if refused != nil {
		a.Refusal, a.Detail = refused.kind, refused.detail
	}
	if a.Refusal != chain.Unseen {
		w.saw.Store(true)
	}
	if target, _ := seen.read(); target.IsValid() {
		a.Address = target.String()
	}
	a.MS = float64(time.Since(start).Microseconds()) / 1000
	return a
}

// keepOut takes private addresses out of what a public address led to; the refusal says that there is no other.
func (w *Web) keepOut(h web.Host, seen *evidence) *refusal {
	if w.private || len(seen.host.addresses) == 0 {
		return nil
	}
	all := seen.host.addresses
	seen.host.addresses = slices.DeleteFunc(slices.Clone(all), web.IsPrivate)
	if len(seen.host.addresses) > 0 {
		return nil
	}
	return &refusal{
		chain.Private,
		fmt.Sprintf("%s is at %s, in a private network, and a public address led there", h, all[0]),
	}
}

// request sends the GET and reads the answer into a.
func (w *Web) request(ctx context.Context, ask chain.Ask, seen *evidence, a *chain.Answer) *refusal {
	ctx, cancel := context.WithTimeout(context.WithValue(ctx, evidenceKey{}, seen), 4*w.vantage.Timeout)
	defer cancel()
	ctx = httptrace.WithClientTrace(ctx, &httptrace.ClientTrace{GotConn: seen.gotConn, TLSHandshakeDone: seen.handshaken})
	request := &http.Request{Method: http.MethodGet, URL: asURL(ask.URL), Proto: "HTTP/1.1", ProtoMajor: 1, ProtoMinor: 1,
		Header: http.Header{"User-Agent": {w.vantage.Agent}, "Accept": {"text/html,*/*;q=0.8"}}}
	response, err := w.transportFor(ask).RoundTrip(request.WithContext(ctx))
	if err != nil {
		return w.sortHTTP(err, seen)
	}
	defer closeWith(ctx, response)()
	if response.StatusCode == http.StatusSwitchingProtocols { // what follows is no HTTP, and never ends by itself
		return &refusal{chain.BadAnswer, "it answers 101: it goes on in another protocol, for which nobody asked"}
	}
	a.Status = response.StatusCode
	if locations := response.Header["Location"]; len(locations) > 0 {
		for i, l := range locations { // nobody keeps a password, and it leads nowhere else
			locations[i] = web.MaskedReference(l)
		}
		a.Location, a.OtherLocations = locations[0], locations[1:]
	}
	if response.TLS != nil {
		a.TLS = w.certificate(response.TLS, ask.URL.Host())
	}
	body := io.LimitReader(response.Body, MostBody)
	if kind, _, _ := strings.Cut(response.Header.Get("Content-Type"), ";"); a.Status == http.StatusOK &&
		strings.TrimSpace(kind) == "text/html" {
		a.Framed = framed(ask.URL, body)
	}
	_, _ = io.Copy(io.Discard, body)
	return nil
}

// closeWith closes a response's body as soon as the context ends, since net/http gives a connection away that goes on
// in another protocol, and its reading would never end. The function that comes back closes the body now.
func closeWith(ctx context.Context, r *http.Response) func() {
	stop := context.AfterFunc(ctx, func() { _ = r.Body.Close() })
	return func() {
		stop()
		_ = r.Body.Close()
	}
}

// asURL gives a URL for net/http. Its path goes out to the letter, as a browser would send it; only one that starts
// with two slashes has to be left to net/url, which encodes some characters in it that browsers do not.
func asURL(u web.URL) *url.URL {
	host := strings.TrimPrefix(u.Door().String(), string(u.Scheme())+"://")
	out := &url.URL{Scheme: string(u.Scheme()), Host: host, Opaque: u.Path(), RawQuery: u.Query()}
	if strings.HasPrefix(u.Path(), "//") {
		out.Opaque = ""
		out.Path, out.RawPath = web.Decode(u.Path()), u.Path()
	}
	return out
}

// plainConn returns the connection below TLS.
func plainConn(c net.Conn) net.Conn {
	if t, ok := c.(*tls.Conn); ok {
		return t.NetConn()
	}
	return c
}

func (w *Web) transportFor(ask chain.Ask) *http.Transport {
	if !ask.Address.IsValid() {
		return w.shared
	}
	w.lock.Lock()
	defer w.lock.Unlock()
	t := w.pinned[ask.Address]
	if t == nil {
		t = w.transport(ask.Address)
		w.pinned[ask.Address] = t
	}
	return t
}

// transport makes an HTTP/1.1 and HTTP/2 transport that dials what DNS or a point says, or always one address. It takes
// every certificate, since the answer is read even where a browser would stop; the certificate is judged afterwards.
func (w *Web) transport(address netip.Addr) *http.Transport {
	return &http.Transport{
		DialContext: func(ctx context.Context, _, hostPort string) (net.Conn, error) {
			return w.connect(ctx, hostPort, address)
		},
		TLSClientConfig:        &tls.Config{InsecureSkipVerify: true}, //nolint:gosec // judged by certificate()
		ForceAttemptHTTP2:      true,
		DisableCompression:     true,
		TLSHandshakeTimeout:    w.vantage.Timeout,
		ResponseHeaderTimeout:  w.vantage.Timeout,
		IdleConnTimeout:        10 * time.Second,
		MaxIdleConns:           256,
		MaxIdleConnsPerHost:    mostPerHost,
		MaxResponseHeaderBytes: MostHeader,
	}
}

func (w *Web) connect(ctx context.Context, hostPort string, address netip.Addr) (net.Conn, error) {
	seen, _ := ctx.Value(evidenceKey{}).(*evidence)
	if seen == nil {
		return nil, errors.New("a connection that nobody asked for")
	}
	host, portText, err := net.SplitHostPort(hostPort)
	if err != nil {
		return nil, err
	}
	var port uint16
	if _, err := fmt.Sscan(portText, &port); err != nil {
		return nil, err
	}
	h, err := web.ParseObservedHost(host)
	if err != nil {
		return nil, err
	}
	if target, ok := w.dialer.pointed(h, port); ok && !address.IsValid() {
		seen.dialled(target)
		c, refused := w.dialer.dial(ctx, target, false)
		if refused != nil {
			return nil, refused
		}
		return c, nil
	}
	c, target, refused := w.dialer.first(ctx, seen.host.addresses, port)
	seen.dialled(target)
	if refused != nil {
		return nil, refused
	}
	return c, nil
}

// sortHTTP makes one of our refusals of what net/http says. The hooks tell how far the request came.
func (w *Web) sortHTTP(err error, seen *evidence) *refusal {
	var ours *refusal
	_, handshake := seen.read()
	switch {
	case errors.As(err, &ours):
		return ours
	case errors.Is(err, context.Canceled):
		return &refusal{chain.Unseen, "interrupted"}
	case isTimeout(err) || strings.Contains(err.Error(), "timeout awaiting response headers"):
		return &refusal{
			chain.Timeout,
			fmt.Sprintf("it accepts the connection and then sends nothing for %s", w.vantage.Timeout),
		}
	case handshake != nil:
		return &refusal{chain.TLSFailed, "no TLS connection can be made: " + tlsReason(handshake)}
	case strings.Contains(err.Error(), "server gave HTTP response to HTTPS client"):
		return &refusal{chain.TLSFailed, "it speaks plain HTTP on the https port"}
	}
	return &refusal{chain.BadAnswer, "what it sends is not HTTP: " + httpReason(err)}
}

func tlsReason(err error) string {
	var record tls.RecordHeaderError
	switch {
	case errors.As(err, &record):
		return "what it sends is not TLS"
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return "it closes the connection"
	}
	return strings.TrimPrefix(strings.TrimPrefix(err.Error(), "remote error: "), "tls: ")
}

func httpReason(err error) string {
	s := err.Error()
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), strings.Contains(s, "server closed idle connection"):
		return "it closes the connection without an answer"
	case strings.Contains(s, "headers exceeded"):
		return fmt.Sprintf("its headers are longer than %d KiB", MostHeader>>10)
	}
	for _, prefix := range []string{"net/http: HTTP/1.x transport connection broken: ", "net/http: ", "http2: "} {
		s = strings.TrimPrefix(s, prefix)
	}
	return s
}
