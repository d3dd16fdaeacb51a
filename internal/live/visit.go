package live

import (
	"bytes"
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptrace"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/publicsuffix"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Answer asks one URL for real. What goes wrong is a Refusal in the answer; a time-out is tried
// once more.
func (w *Client) Answer(ctx context.Context, ask chain.Ask) chain.Answer {
	if w.onward != nil && ask.Onward && ask.Method == "" && ask.Cookies == nil &&
		!ask.Address.IsValid() {
		return w.onward.answer(ctx, ask, w.answer)
	}
	return w.answer(ctx, ask)
}

// answer asks, whoever has asked before.
func (w *Client) answer(ctx context.Context, ask chain.Ask) chain.Answer {
	leave, ok := w.await(ctx, ask.URL.Host())
	if !ok {
		return chain.Answer{URL: ask.URL, Refusal: chain.Unseen, Detail: "interrupted"}
	}
	defer leave()
	a := w.once(ctx, ask)
	// A connection that was kept may have been closed at the other end before the question came:
	// browsers ask again too.
	if (a.Refusal == chain.Timeout || a.Refusal == chain.BadAnswer && a.Reused) && ctx.Err() == nil &&
		ask.Method == "" { // what is sent may do something, and is sent once
		slog.Debug("asking once more", "url", ask.URL, "because", a.Detail)
		a = w.once(ctx, ask)
	}
	if wait, asked := backOff(&a, time.Now()); asked && ask.Method == "" && w.hopeful(&a) {
		slog.Debug("asked to come back later", "url", ask.URL, "in", wait)
		w.hold(ask.URL.Host(), wait)
		if sleep(ctx, wait) {
			a = w.once(ctx, ask)
		}
		w.note(&a)
	}
	if slog.Default().Enabled(ctx, slog.LevelDebug) {
		slog.Debug("answer", "url", ask.URL, "status", a.Status, "refusal", a.Refusal, "address",
			a.Address, "ms", a.MS)
	}
	return a
}

// How long a server may have us wait before it is asked once more, and how long we wait where it
// does not say.
const (
	mostHeld = 30 * time.Second
	someHeld = time.Second
)

// backOff reports whether an answer asks to come back later, and when: 429 and 503 do (RFC 9110
// section 10.2.3, RFC 6585 section 4). What is too far off is taken as it is.
func backOff(a *chain.Answer, now time.Time) (time.Duration, bool) {
	if !a.Busy() || a.Headers != nil && a.Headers.Challenge {
		return 0, false
	}
	says := ""
	if a.Headers != nil {
		says = a.Headers.RetryIn
	}
	if says == "" {
		return someHeld, true
	}
	wait := time.Duration(0)
	if n, err := strconv.Atoi(says); err == nil && n >= 0 {
		wait = time.Duration(min(n, 1<<20)) * time.Second
	} else if at, err := http.ParseTime(says); err == nil {
		wait = max(0, at.Sub(now))
	} else {
		return 0, false
	}
	return wait, wait <= mostHeld
}

// hopeful reports whether it is of use to ask once more: a host that stayed busy, and does not say
// until when, would hold up all that is asked of it.
func (w *Client) hopeful(a *chain.Answer) bool {
	if a.Headers != nil && a.Headers.RetryIn != "" {
		return true
	}
	w.lock.Lock()
	defer w.lock.Unlock()
	return !w.busy[a.URL.Host()]
}

// note takes in what came of asking once more.
func (w *Client) note(a *chain.Answer) {
	w.lock.Lock()
	defer w.lock.Unlock()
	if len(w.busy) >= mostKnown {
		clear(w.busy)
	}
	if a.Busy() {
		w.busy[a.URL.Host()] = true
	} else {
		delete(w.busy, a.URL.Host())
	}
}

// evidence is what the hooks beside a request gather. A connection that is being opened may outlive
// its request, hence the lock.
type evidence struct {
	host      found
	lock      sync.Mutex
	target    netip.AddrPort
	handshake error
	got       bool // a connection was handed over
	reused    bool // the connection had answered before
	dials     int
}

// dialled notes where a connection is being opened to, unless the request has got one already.
func (e *evidence) dialled(target netip.AddrPort) {
	e.lock.Lock()
	defer e.lock.Unlock()
	if !e.got && target.IsValid() {
		e.target = target
	}
}

// mostDials is how often a connection is opened for one request: HTTP/2 asks again where a server
// goes away.
const mostDials = 2

func (e *evidence) again() int {
	e.lock.Lock()
	defer e.lock.Unlock()
	e.dials++
	return e.dials
}

func (e *evidence) gotConn(info httptrace.GotConnInfo) {
	if c, ok := plainConn(info.Conn).(*conn); ok {
		e.met(c.target, info.Reused)
	}
}

// met notes over which connection the question goes.
func (e *evidence) met(target netip.AddrPort, reused bool) {
	e.lock.Lock()
	defer e.lock.Unlock()
	e.target, e.got, e.handshake, e.reused = target, true, nil, reused
}

func (e *evidence) handshaken(_ tls.ConnectionState, err error) {
	e.lock.Lock()
	defer e.lock.Unlock()
	if !e.got {
		e.handshake = err
	}
}

func (e *evidence) kept() bool {
	e.lock.Lock()
	defer e.lock.Unlock()
	return e.reused
}

func (e *evidence) read() (netip.AddrPort, error) {
	e.lock.Lock()
	defer e.lock.Unlock()
	return e.target, e.handshake
}

type evidenceKey struct{}

func (w *Client) once(ctx context.Context, ask chain.Ask) chain.Answer {
	start := time.Now()
	a := chain.Answer{URL: ask.URL}
	seen := &evidence{}
	door := ask.URL.Door()
	if ask.Address.IsValid() {
		seen.host = found{addresses: []netip.Addr{ask.Address}}
	} else if _, pointed := w.dialer.pointed(door.Host, door.PortNumber()); !pointed {
		seen.host = w.resolver.lookup(ctx, door.Host)
		a.Aliases, a.TTL = seen.host.aliases, seen.host.ttl
		a.Found = w.within(seen.host.addresses)
	}
	refused := seen.host.refusal
	if refused == nil && ask.Public {
		refused = w.keepOut(door.Host, seen)
	}
	if refused == nil {
		refused = w.request(ctx, ask, seen, &a)
	}
	if refused != nil {
		a.Refusal, a.Detail, a.Reused = refused.kind, refused.detail, seen.kept()
	}
	if a.Refusal != chain.Unseen {
		w.saw.Store(true)
	}
	if target, _ := seen.read(); target.IsValid() {
		a.At, a.Address = target, w.text(target)
	}
	a.MS = float64(time.Since(start).Microseconds()) / 1000
	return a
}

// text gives an address as text, which is the same for all that is met there.
func (w *Client) text(at netip.AddrPort) string {
	w.reading.RLock()
	s, known := w.texts[at]
	w.reading.RUnlock()
	if known {
		return s
	}
	s = at.String()
	w.reading.Lock()
	defer w.reading.Unlock()
	if len(w.texts) >= mostKnown {
		clear(w.texts)
	}
	w.texts[at] = s
	return s
}

// keepOut takes private addresses out of what a public address led to; the refusal says that there
// is no other.
func (w *Client) keepOut(h web.Host, seen *evidence) *refusal {
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

// request sends the question and reads the answer into a.
func (w *Client) request(ctx context.Context, ask chain.Ask, seen *evidence,
	a *chain.Answer) *refusal {
	if ask.URL.Scheme() == web.HTTP {
		return w.plainly(ctx, ask, seen, a, func(r *http.Response) *refusal { return w.take(ask, r, a) })
	}
	// Dialling, shaking hands, waiting for the head and reading the page each end by themselves; but
	// HTTP/2 is tried again and again where a server goes away.
	ctx, cancel := context.WithTimeout(context.WithValue(ctx, evidenceKey{}, seen),
		4*w.vantage.Timeout)
	defer cancel()
	trace := &httptrace.ClientTrace{GotConn: seen.gotConn, TLSHandshakeDone: seen.handshaken}
	response, err := w.transportFor(ask).RoundTrip(
		w.asking(httptrace.WithClientTrace(ctx, trace), ask, a))
	if err != nil {
		return w.sortHTTP(err, seen)
	}
	defer response.Body.Close()
	// what follows is no HTTP, and never ends by itself
	if response.StatusCode == http.StatusSwitchingProtocols {
		return &refusal{chain.BadAnswer, otherProtocol}
	}
	late := time.AfterFunc(4*w.vantage.Timeout, func() { _ = response.Body.Close() })
	defer late.Stop()
	return w.take(ask, response, a)
}

const otherProtocol = "it answers 101: it switches to a protocol that was not requested"

// take reads an answer into a.
func (w *Client) take(ask chain.Ask, response *http.Response, a *chain.Answer) *refusal {
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
	a.Headers = headersOf(response.Header, a.Status)
	if jar, ok := ask.Cookies.(http.CookieJar); ok && a.Headers != nil && a.Headers.Cookies {
		jar.SetCookies(plainURL(ask.URL), response.Cookies())
	}
	refused := w.body(ask.URL, response, a)
	if response.TLS != nil && response.Request != nil {
		w.revoked(response.Request.Context(), a.TLS, response.TLS.PeerCertificates)
	}
	return refused
}

// body reads what an answer holds, as far as it tells where a visitor goes or what a visitor meets.
func (w *Client) body(at web.URL, response *http.Response, a *chain.Answer) *refusal {
	if response.ContentLength == 0 {
		w.refresh(response, a)
		return nil
	}
	switch {
	case a.IsRedirect():
	case at.Path() == "/robots.txt" && a.Status == http.StatusOK:
		if body, _, err := unpacked(response.Header, response.Body); err == nil {
			text, _ := io.ReadAll(io.LimitReader(body, MostBody))
			a.Bars = survey.Bars(string(text))
		}
	case isPage(response.Header):
		if refused := w.markup(at, response, a); refused != nil {
			return refused
		}
	}
	if a.Page == nil || a.Page.Octets >= MostPage {
		_, _ = io.CopyN(io.Discard, response.Body, MostBody)
	}
	w.refresh(response, a)
	return nil
}

// refresh reads the Refresh header.
func (w *Client) refresh(response *http.Response, a *chain.Answer) {
	if text := one(response.Header, "Refresh"); text != "" && !a.IsRedirect() {
		if to, after,
			ok := refresh(text); ok && to != "" && after <= mostPatience && len(to) <= mostURL &&
			(a.Soft == nil || after < a.Soft.After) {
			a.Soft = &chain.Soft{By: chain.ByHeader, To: web.MaskedReference(to), After: after}
		}
	}
}

// buffers are for pages that are being read.
var buffers = sync.Pool{New: func() any { return new(bytes.Buffer) }}

// markup reads a page. The refusal says that browsers cannot read it.
func (w *Client) markup(at web.URL, response *http.Response, a *chain.Answer) *refusal {
	buffer := buffers.Get().(*bytes.Buffer)
	defer buffers.Put(buffer)
	buffer.Reset()
	body, coding, err := unpacked(response.Header, response.Body)
	if err == nil {
		_, err = buffer.ReadFrom(&io.LimitedReader{R: body, N: MostPage})
	}
	switch {
	case errors.Is(err, errUnknownCoding):
		a.Unread = coding
		return nil
	case coding != "" && err != nil && buffer.Len() == 0 && a.Status == http.StatusOK:
		return &refusal{chain.BadAnswer, "its page is packed as " + coding + ", and cannot be unpacked"}
	}
	if one(response.Header, "Content-Type") == "" &&
		!strings.HasPrefix(http.DetectContentType(buffer.Bytes()), "text/html") {
		return nil
	}
	m := w.page(at, buffer.Bytes(), response.Header)
	a.Page, a.Soft = m.doc, m.soft
	if err != nil { // it broke off: what follows was not seen
		part := *m.doc
		part.Cut, a.Page = true, &part
	}
	if a.Status == http.StatusOK {
		a.Framed = m.framed
	}
	return nil
}

// isPage reports whether a browser reads an answer as HTML; where nothing says what it is, it looks
// itself.
func isPage(h http.Header) bool {
	kind, _, _ := strings.Cut(one(h, "Content-Type"), ";")
	switch strings.ToLower(strings.TrimSpace(kind)) {
	case "text/html", "application/xhtml+xml", "":
		return true
	}
	return false
}

// headersOf keeps the headers that tell who answers, and for how long; nil where there are none.
func headersOf(h http.Header, status int) *chain.Headers {
	var got chain.Headers
	for key, values := range h { // few of them are there, and each is looked at once
		if len(values) == 0 {
			continue
		}
		switch key {
		case "Server":
			got.Server = values[0]
		case "Via":
			got.Via = strings.Join(values, ", ")
		case "Cache-Control":
			got.Cache = strings.Join(values, ", ")
		case "Age":
			got.Age = values[0]
		case "Expires":
			got.Expires = values[0]
		case "Strict-Transport-Security":
			got.HSTS = values[0]
		case "X-Robots-Tag":
			got.Robots = strings.Join(values, "; ")
		case "Link":
			got.Canonical = canonicalOf(values)
		case "Set-Cookie":
			got.Cookies = true
		case "Retry-After":
			got.RetryIn = values[0]
		default: // guards say so in a header of their own name
			got.Challenge = got.Challenge ||
				status >= 400 && values[0] == "challenge" && strings.HasSuffix(key, "-Mitigated")
		}
	}
	if got == (chain.Headers{}) {
		return nil
	}
	kept := got
	return &kept
}

// one gives the first value of a header; the name is in its normal form.
func one(h http.Header, name string) string {
	if values := h[name]; len(values) > 0 {
		return values[0]
	}
	return ""
}

// canonicalOf gives the target of a Link header with rel=canonical (RFC 8288, RFC 6596).
func canonicalOf(values []string) string {
	for _, text := range values {
		for text != "" && len(text) < 64<<10 {
			_, rest, is := strings.Cut(text, "<")
			if !is {
				break
			}
			target, params, is := strings.Cut(rest, ">")
			if !is {
				break
			}
			params, text, _ = strings.Cut(params, ",")
			for p := range strings.SplitSeq(params, ";") {
				name, value, _ := strings.Cut(strings.TrimSpace(p), "=")
				if strings.EqualFold(name, "rel") && slices.Contains(
					strings.Fields(strings.ToLower(strings.Trim(value, `"`))), "canonical") &&
					len(target) <= mostURL {
					return target
				}
			}
		}
	}
	return ""
}

// asking makes the request for a question. What every request says is the same, and is never
// changed.
func (w *Client) asking(ctx context.Context, ask chain.Ask, a *chain.Answer) *http.Request {
	request := http.Request{Method: http.MethodGet, URL: asURL(ask.URL), Proto: "HTTP/1.1",
		ProtoMajor: 1, ProtoMinor: 1,
		Header: w.header}
	if ask.Method != "" {
		request.Method, request.Body = ask.Method, http.NoBody
	}
	if a.Sent = w.cookies(ask); a.Sent != "" {
		request.Header = w.header.Clone()
		request.Header.Set("Cookie", a.Sent)
	}
	return request.WithContext(ctx)
}

// cookies gives what a question says of cookies; "" where it has none.
func (w *Client) cookies(ask chain.Ask) string {
	jar, ok := ask.Cookies.(http.CookieJar)
	if !ok {
		return ""
	}
	carrier := http.Request{Header: http.Header{}}
	for _, c := range jar.Cookies(plainURL(ask.URL)) {
		carrier.AddCookie(c)
	}
	return carrier.Header.Get("Cookie")
}

// NewCookies gives an empty jar, as a browser has it (RFC 6265).
func (w *Client) NewCookies() chain.Cookies {
	jar, err := cookiejar.New(&cookiejar.Options{PublicSuffixList: publicsuffix.List})
	if err != nil {
		return nil
	}
	return jar
}

// plainURL gives a URL for a jar.
func plainURL(u web.URL) *url.URL {
	return &url.URL{Scheme: string(u.Scheme()), Host: u.Door().Host.String(),
		Path: web.Decode(u.Path())}
}

// within gives the addresses that this vantage can try.
func (w *Client) within(all []netip.Addr) []netip.Addr {
	if w.dialer.ipv6 || !slices.ContainsFunc(all, netip.Addr.Is6) {
		return all
	}
	w.dialer.skipped.Store(true)
	return slices.DeleteFunc(slices.Clone(all), netip.Addr.Is6)
}

// closeWith closes a response's body as soon as the context ends, since net/http gives a connection
// away that goes on in another protocol, and its reading would never end. The function that comes
// back closes the body now.
func closeWith(ctx context.Context, r *http.Response) func() {
	stop := context.AfterFunc(ctx, func() { _ = r.Body.Close() })
	return func() {
		stop()
		_ = r.Body.Close()
	}
}

// asURL gives a URL for net/http. Its path goes out to the letter, as a browser would send it; only
// one that starts with two slashes has to be left to net/url, which encodes some characters in it
// that browsers do not.
func asURL(u web.URL) *url.URL {
	out := &url.URL{Scheme: string(u.Scheme()), Host: u.Door().Authority(), Opaque: u.Path(),
		RawQuery: u.Query()}
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

func (w *Client) transportFor(ask chain.Ask) *http.Transport {
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

// transport makes an HTTP/1.1 and HTTP/2 transport that dials what DNS or a point says, or always
// one address. It takes every certificate, since the answer is read even where a browser would
// stop; the certificate is judged afterwards.
func (w *Client) transport(address netip.Addr) *http.Transport {
	return &http.Transport{
		DialContext: func(ctx context.Context, _, hostPort string) (net.Conn, error) {
			return w.connect(ctx, hostPort, address)
		},
		TLSClientConfig:        everyTLS(),
		ForceAttemptHTTP2:      true,
		DisableCompression:     true,
		TLSHandshakeTimeout:    w.vantage.Timeout,
		ResponseHeaderTimeout:  w.vantage.Timeout,
		IdleConnTimeout:        10 * time.Second,
		MaxIdleConns:           256,
		MaxIdleConnsPerHost:    cmp.Or(w.vantage.PerHost, mostPerHost),
		MaxResponseHeaderBytes: MostHeader,
	}
}

// everyTLS takes whatever a server speaks, so that what browsers refuse can be named; certificate
// judges it afterwards.
func everyTLS() *tls.Config {
	c := &tls.Config{InsecureSkipVerify: true, MinVersion: tls.VersionTLS10} // judged by certificate()
	for _, s := range slices.Concat(tls.CipherSuites(), tls.InsecureCipherSuites()) {
		c.CipherSuites = append(c.CipherSuites, s.ID)
	}
	return c
}

// connect opens a connection for net/http.
func (w *Client) connect(ctx context.Context, hostPort string, address netip.Addr) (net.Conn,
	error) {
	seen, _ := ctx.Value(evidenceKey{}).(*evidence)
	if seen == nil {
		return nil, errors.New("an unrequested connection")
	}
	if seen.again() > mostDials {
		return nil,
			&refusal{chain.BadAnswer,
				"it does not speak HTTP: it closes the connection without an answer"}
	}
	host, portText, err := net.SplitHostPort(hostPort)
	if err != nil {
		return nil, err
	}
	port, err := strconv.ParseUint(portText, 10, 16)
	if err != nil {
		return nil, err
	}
	h, err := web.ParseObservedHost(host)
	if err != nil {
		return nil, err
	}
	c, refused := w.open(ctx, seen, h, uint16(port), address)
	if refused != nil {
		return nil, refused
	}
	return c, nil
}

// open opens a connection to what DNS or a point says of a host, or to the one address.
func (w *Client) open(ctx context.Context, seen *evidence, h web.Host, port uint16,
	address netip.Addr) (*conn, *refusal) {
	if target, ok := w.dialer.pointed(h, port); ok && !address.IsValid() {
		seen.dialled(target)
		return w.dialer.dial(ctx, target)
	}
	c, target, refused := w.dialer.first(ctx, seen.host.addresses, port)
	seen.dialled(target)
	return c, refused
}

// sortHTTP makes one of our refusals of what net/http says. The hooks tell how far the request
// came.
func (w *Client) sortHTTP(err error, seen *evidence) *refusal {
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
			fmt.Sprintf("it accepts the connection, and then sends nothing for %s", w.vantage.Timeout),
		}
	case handshake != nil:
		return &refusal{chain.TLSFailed, "no TLS connection can be made: " + tlsReason(handshake)}
	case strings.Contains(err.Error(), "server gave HTTP response to HTTPS client"):
		return &refusal{chain.TLSFailed, "it speaks plain HTTP on the https port"}
	}
	return &refusal{chain.BadAnswer, "it does not speak HTTP: " + httpReason(err)}
}

func tlsReason(err error) string {
	var record tls.RecordHeaderError
	switch {
	case errors.As(err, &record):
		return "it does not speak TLS"
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return "it closes the connection"
	}
	return strings.TrimPrefix(strings.TrimPrefix(err.Error(), "remote error: "), "tls: ")
}

func httpReason(err error) string {
	s := err.Error()
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF),
		strings.Contains(s, "server closed idle connection"):
		return "it closes the connection without an answer"
	case strings.Contains(s, "headers exceeded"):
		return fmt.Sprintf("its headers are longer than %d KiB", MostHeader>>10)
	}
	for _, prefix := range []string{"net/http: HTTP/1.x transport connection broken: ", "net/http: ",
		"http2: "} {
		s = strings.TrimPrefix(s, prefix)
	}
	return s
}
