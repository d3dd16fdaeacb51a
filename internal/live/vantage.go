// Package live asks the world: it resolves names, opens connections, speaks TLS and HTTP, and
// brings back plain facts. It judges nothing but certificates, where a browser would stop, and
// follows nothing; core does both.
//
//	w, err := live.New(live.Vantage{Name: "office", Timeout: 10 * time.Second})
//	answer := w.Answer(ctx, chain.Ask{URL: web.MustParseURL("http://old.example/")})
//
// # A survey
//
// live.Surveyor looks at one domain: the resolvers say who serves the parent zone; one of those
// says who serves the domain, and its DS; every server so named, and every one that the zone itself
// names, is asked for its SOA over a session of its own (one socket: UDP, or TCP through the
// proxy). The first that answers is asked for the whole zone, or walked from name to name (NSEC),
// or else asked for names; where none answers, a resolver is. All of them and the resolvers are
// asked about the hosts and about mail, and where voices differ that is kept with who says what. A
// question that none of the zone's servers answers is survey.Missed: three things are told apart
// wherever records are read, seen, absent and missed. The result is a survey.Domain of plain facts;
// survey.Judge reads it and gives findings. Every socket is taken from live/sockets.go, which opens
// fewer at once where the machine gives no more. An address that timed out twice is dead for half a
// minute, for name servers as for web servers, so that hundreds of dead domains end in the time of
// a few; so is a resolver for a whole one. Every file of live that begins with a looker method is
// one thing that is looked at; wire.go reads answers, and knows one that ends too early. What a
// record refers to is read in one place, survey.Refers: what is asked for, and what depends on
// what, follow from it. internal/core/survey/oddities_test.go names every oddity, with a domain
// that has it and one that nearly has.
package live

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
	"unicode"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// The limits of what is read of an answer, and how long each stage may take where nobody says
// otherwise.
const (
	MostBody       = 256 << 10
	MostHeader     = 256 << 10
	DefaultTimeout = 10 * time.Second
	mostPerHost    = 4
)

// Vantage is a place to look from, ready to use.
type Vantage struct {
	Name      string
	Resolvers []string       // address and port; empty: the system's
	Proxy     string         // address and port of a SOCKS5 proxy; "": none
	Roots     *x509.CertPool // nil: the system's
	Timeout   time.Duration  // of each stage; 0: DefaultTimeout
	Points    []Point
	AsOf      time.Time        // certificates are judged at this time; zero: what Clock shows
	Clock     func() time.Time // nil: that of the machine
	Agent     string           // the User-Agent header
	PerHost   int              // how many questions at a host go on at a time; 0: mostPerHost
	Rate      float64          // how many questions a second begin at a host; 0: as many as come
	As        string           // what that makes one look like, such as a phone; "": this program
	Private   bool             // what public addresses lead to in private networks is asked too
}

// Point says that a host is reached at an address, whatever DNS says.
type Point struct {
	Host    web.Host
	Port    uint16 // 0: every port
	Address netip.Addr
	To      uint16 // port to dial; 0: the one asked
}

// ParsePoint reads HOST[:PORT]=ADDRESS[:PORT].
func ParsePoint(s string) (Point, error) {
	fail := func(says string) (Point, error) {
		return Point{}, fmt.Errorf(
			"%q: %s; expected HOST[:PORT]=ADDRESS[:PORT], such as www.northmoor.example:443=203.0.113.10",
			s,
			says,
		)
	}
	left, right, ok := strings.Cut(s, "=")
	if !ok {
		return fail("there is no =")
	}
	var p Point
	u, err := web.ParseURL("http://" + left)
	if err != nil || u.RequestURI() != "/" {
		return fail("the left side is not a host")
	}
	p.Host, p.Port = u.Host(), u.Door().Port
	if strings.HasSuffix(left, ":80") {
		p.Port = 80
	}
	if ap, err := netip.ParseAddrPort(right); err == nil {
		p.Address, p.To = ap.Addr(), ap.Port()
		return p, nil
	}
	if p.Address, err = netip.ParseAddr(strings.Trim(right, "[]")); err != nil {
		return fail("the right side is not an address")
	}
	return p, nil
}

// FromEstate makes a vantage of what an estate or vantage file says. An error names the trust file
// that is none.
func FromEstate(name string, v estate.Vantage) (Vantage, error) {
	out := Vantage{Name: name, Resolvers: v.Resolvers, Timeout: v.Timeout}
	if v.Proxy != "" {
		u, err := url.Parse(v.Proxy)
		if err != nil {
			return out, fmt.Errorf("proxy %q: %w", v.Proxy, err)
		}
		out.Proxy = u.Host
	}
	if v.Trust == "" {
		return out, nil
	}
	var err error
	out.Roots, err = ReadRoots(v.Trust)
	return out, err
}

// ReadRoots reads trusted certificates from a PEM file (RFC 7468). The error is a problem.List: the
// file cannot be read, a certificate in it cannot, or there is none.
func ReadRoots(path string) (*x509.CertPool, error) {
	data, err := readFile(path)
	if err != nil {
		return nil, problem.List{
			{File: path, Fault: fact.TrustUnread{Why: plainReason(err)}},
		}
	}
	pool := x509.NewCertPool()
	var faults problem.List
	found := 0
	for rest := data; ; {
		block, behind := pem.Decode(rest)
		if block == nil {
			break
		}
		line := 1 + bytes.Count(
			data[:len(data)-len(rest)],
			[]byte("\n"),
		) + bytes.Count(
			rest[:max(0, bytes.Index(rest, []byte("-----BEGIN")))],
			[]byte("\n"),
		)
		rest = behind
		if block.Type != "CERTIFICATE" {
			continue
		}
		c, err := x509.ParseCertificate(block.Bytes)
		if err != nil {
			faults.Add(
				problem.Problem{File: path, Line: line, Value: "-----BEGIN CERTIFICATE-----",
					Fault: fact.CertificateUnread{Why: err.Error()}},
			)
			continue
		}
		found++
		pool.AddCert(c)
	}
	if found == 0 && len(faults) == 0 {
		faults.Add(
			problem.Problem{File: path, Fault: fact.NoPEM{}},
		)
	}
	return pool, faults.Err()
}

func plainReason(err error) string {
	var pathErr *os.PathError
	if errors.As(err, &pathErr) {
		return pathErr.Err.Error()
	}
	return err.Error()
}

// Client is the observed web: a chain.Asker that asks for real. It is safe for many goroutines.
type Client struct {
	vantage     Vantage
	resolver    *resolver
	dialer      *dialer
	shared      *http.Transport
	pinned      map[netip.Addr]*http.Transport
	judged      map[judgedKey][]finding.Code
	said        map[[sha256.Size]byte]certified // by certificates
	pages       map[uint64]markup               // by URL and octets
	revocations revocations
	busy        map[web.Host]bool // hosts that stayed busy when they were asked once more
	hosts       map[web.Host]*turn
	saw         atomic.Bool // anything was seen at all
	held        atomic.Bool // some host has asked to be left alone for a while
	kept        keeper      // connections over http
	onward      *shared     // nil: each chain asks for itself
	header      http.Header // what every request says
	lines       string      // the same as it goes out, and the end of the line before
	reading     sync.RWMutex
	texts       map[netip.AddrPort]string // addresses and ports as text
	private     bool                      // private networks are asked too, whoever led there
	lock        sync.Mutex
}

// turn lets so many questions at a host go on at a time.
type turn struct {
	slots chan struct{}
	free  time.Time     // when the next question may begin
	pause time.Duration // that it asks for between two of them
	users int
	kept  bool // for as long as the web is looked at; the first of them are
}

// accept is what a browser says that it takes, in short.
const accept = "text/html,*/*;q=0.8"

// New makes a web that is seen from a vantage.
func New(v Vantage) (*Client, error) {
	v.Timeout = cmp.Or(v.Timeout, DefaultTimeout)
	v.Agent = strings.Map(func(r rune) rune { // it goes out as a line
		if unicode.IsControl(r) {
			return -1
		}
		return r
	}, v.Agent)
	d, err := newDialer(v)
	if err != nil {
		return nil, err
	}
	r, err := newResolver(v.Resolvers, v.Timeout, d.sockets)
	if err != nil {
		return nil, err
	}
	w := &Client{vantage: v, resolver: r, dialer: d, pinned: map[netip.Addr]*http.Transport{},
		judged: map[judgedKey][]finding.Code{}, said: map[[sha256.Size]byte]certified{},
		pages: map[uint64]markup{}, busy: map[web.Host]bool{},
		texts: map[netip.AddrPort]string{},
		hosts: map[web.Host]*turn{}}
	d.sockets.relieve = w.relieve
	w.shared, w.header = w.transport(netip.Addr{}),
		http.Header{"User-Agent": {v.Agent}, "Accept": {accept}}
	w.lines = "\r\n"
	if v.Agent != "" {
		w.lines += "User-Agent: " + v.Agent + "\r\n"
	}
	w.lines += "Accept: " + accept + "\r\n"
	w.private = v.Private || v.inside()
	return w, nil
}

// inside reports whether a vantage was set up to look from inside a private network: its own proxy
// or resolvers lie there. Those of the system do nearly everywhere, and say nothing.
func (v Vantage) inside() bool {
	for _, at := range append([]string{v.Proxy}, v.Resolvers...) {
		host, _, err := net.SplitHostPort(at)
		if err != nil {
			continue
		}
		if a, err := netip.ParseAddr(host); err == nil && web.IsPrivate(a) || host == "localhost" {
			return true
		}
	}
	return false
}

// Vantage returns the vantage.
func (w *Client) Vantage() Vantage { return w.vantage }

// Now returns the time at which certificates are judged.
func (w *Client) Now() time.Time {
	switch {
	case !w.vantage.AsOf.IsZero():
		return w.vantage.AsOf
	case w.vantage.Clock != nil:
		return w.vantage.Clock()
	}
	return time.Now()
}

// Notes says what this vantage cannot see.
func (w *Client) Notes() []string {
	var notes []string
	if w.resolver.system {
		notes = append(
			notes,
			"The system's resolver file names no resolvers, so the system's own resolver was used: "+
				"aliases and TTLs are not shown.",
		)
	}
	if w.dialer.skipped.Load() {
		notes = append(notes, "This vantage has no IPv6: AAAA records were seen but not tried.")
	}
	for _, why := range w.resolver.notes() {
		notes = append(notes, strings.ToUpper(why[:1])+why[1:]+".")
	}
	if why := w.dialer.sockets.note(); why != "" {
		notes = append(notes, why)
	}
	if why := w.revocations.note(); why != "" {
		notes = append(notes, why)
	}
	if why := w.broken(); why != nil && w.saw.Load() {
		notes = append(notes, "Only what needs no request was seen: "+why.Error()+".")
	}
	return notes
}

// Broken returns an error where the vantage itself does not work, so that nothing could be seen
// from it: its proxy or all of its resolvers do not answer. What was seen in spite of that, by way
// of a point, is a result; Notes says then what was not.
func (w *Client) Broken() error {
	if w.saw.Load() {
		return nil
	}
	return w.broken()
}

func (w *Client) broken() error { return errors.Join(w.dialer.broken(), w.resolver.broken()) }

// Close drops the connections that are kept.
func (w *Client) Close() {
	w.kept.close()
	w.relieve()
}

// relieve drops connections that only wait for another question.
func (w *Client) relieve() {
	w.kept.clear()
	w.shared.CloseIdleConnections()
	w.lock.Lock()
	pinned := slices.Collect(maps.Values(w.pinned))
	w.lock.Unlock()
	for _, t := range pinned {
		t.CloseIdleConnections()
	}
}

// await waits for a turn at a host, and returns what gives it back; false where the context ended
// first.
func (w *Client) await(ctx context.Context, h web.Host) (func(), bool) {
	w.lock.Lock()
	t := w.hosts[h]
	if t == nil {
		t = w.newTurn()
		w.hosts[h] = t
	}
	t.users++
	w.lock.Unlock()
	leave := func() {
		if t.kept {
			return
		}
		w.lock.Lock()
		defer w.lock.Unlock()
		if t.users--; t.users == 0 {
			delete(w.hosts, h)
		}
	}
	select {
	case t.slots <- struct{}{}:
	case <-ctx.Done():
		leave()
		return nil, false
	}
	if !w.pace(ctx, t) {
		<-t.slots
		leave()
		return nil, false
	}
	return func() { <-t.slots; leave() }, true
}

func (w *Client) newTurn() *turn {
	return &turn{slots: make(chan struct{}, cmp.Or(w.vantage.PerHost, mostPerHost)),
		kept: len(w.hosts) < mostKnown}
}

// pace waits until a question may begin at a host; false where the context ended first.
func (w *Client) pace(ctx context.Context, t *turn) bool {
	if w.vantage.Rate == 0 && !w.held.Load() {
		return true
	}
	w.lock.Lock()
	now := time.Now()
	at := t.free
	if at.Before(now) {
		at = now
	}
	t.free = at
	pause := t.pause
	if w.vantage.Rate > 0 {
		pause = max(pause, time.Duration(float64(time.Second)/w.vantage.Rate))
	}
	t.free = at.Add(pause)
	w.lock.Unlock()
	return sleep(ctx, at.Sub(now))
}

// sleep waits; false where the context ended first.
func sleep(ctx context.Context, d time.Duration) bool {
	if d <= 0 {
		return ctx.Err() == nil
	}
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
		return true
	case <-ctx.Done():
		return false
	}
}

// hold has nobody ask at a host for some time, since it said so.
func (w *Client) hold(h web.Host, d time.Duration) {
	w.lock.Lock()
	defer w.lock.Unlock()
	w.held.Store(true)
	if t := w.hosts[h]; t != nil {
		if until := time.Now().Add(d); until.After(t.free) {
			t.free = until
		}
	}
}

// space has questions to a host begin no closer to each other than this, since it asks for that.
// The one to its robots.txt, which says so, counts as the first.
func (w *Client) space(h web.Host, pause time.Duration) {
	w.lock.Lock()
	defer w.lock.Unlock()
	w.held.Store(true)
	t := w.hosts[h]
	if t == nil {
		t = w.newTurn()
		w.hosts[h] = t
	}
	t.kept, t.pause = true, pause
	if until := time.Now().Add(pause); until.After(t.free) {
		t.free = until
	}
}

// refusal is why there is no answer, on its way through net/http.
type refusal struct {
	kind   chain.Refusal
	detail string
}

func (r *refusal) Error() string { return r.detail }

func isTimeout(err error) bool {
	var n net.Error
	return errors.Is(err, context.DeadlineExceeded) || errors.As(err, &n) && n.Timeout()
}
