// Package stage is the stand-in web: name servers, web servers and a proxy on loopback that
// together play a whole internet of documentation addresses (RFC 5737, RFC 3849), so that a plan
// can be rehearsed and every fault be met without touching anything real. It needs no root and no
// network.
//
// What is played is a Scene: it comes from a folder of plain files (FromFolder) or from a plan
// (FromPlan).
//
//	s, err := stage.Start(scene)
//	defer s.Close()
//	w, err := live.New(s.Vantage()) // asks the stage as it would ask the world
package stage

import (
	"cmp"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

// Scene is what a stage plays.
type Scene struct {
	Now         time.Time // of certificates and signatures; zero: that of the machine
	Zones       []Zone    // what the world's resolvers know
	Endpoints   map[netip.AddrPort]*Endpoint
	NameServers map[netip.Addr]*NameServer
	Signed      map[string]Signed // zones that are signed, by origin with the last dot
	Provider    *Provider
	Remember    bool // resolvers go on giving old answers until their TTL has run out
	// how many times faster than real time TTLs run out; 0: as in real time
	Speed float64
}

// Endpoint is what listens at an address and port. A port without one refuses connections.
type Endpoint struct {
	Silent  bool // takes no connection and says nothing
	Nowhere bool // there is no way to it
	// a real server on loopback, such as 127.0.0.1:8080, answers there instead
	Relay        string
	RelayTo      func() string // the same, where that is known later
	Certificates []Certificate // with any, it speaks TLS; the first is shown where none fits
	// those that it shows to whoever asks for a host for which it holds one by then
	Later     []Certificate
	Held      func(host string) bool
	NewestTLS uint16 // such as tls.VersionTLS11; 0: the newest there is
	Strict    bool   // it shakes hands only for names that a certificate holds
	OnlyHTTP1 bool   // it offers no HTTP/2
	Answer    func(web.URL) Reply
	Visit     func(web.URL, *http.Request) Reply // instead of Answer, where it matters who asks
}

// reply gives what the endpoint says.
func (e *Endpoint) reply(u web.URL, r *http.Request) Reply {
	if e.Visit != nil {
		return e.Visit(u, r)
	}
	return e.Answer(u)
}

// Reply is what an endpoint says to a request.
type Reply struct {
	Status   int
	Location string
	Title    string // of a page
	Text     string // a body of plain text instead of a page
	HTML     string // a page to the letter
	Headers  map[string]string
	Raw      string // these octets instead of HTTP
	Endless  string // "headers" or "body": never comes to an end
}

// Timeout is how long whoever looks at a stage waits at each step; everything on it is near.
const Timeout = 2 * time.Second

// Stage is a stand-in web that runs.
type Stage struct {
	scene     Scene
	names     *resolver
	served    map[netip.Addr]*atomic.Pointer[zones] // by each name server
	authority *authority
	signers   map[string]*signer // by the origin of their zones
	resolver  string
	proxy     net.Listener
	doors     map[netip.AddrPort]string // endpoint to the loopback address where it listens
	closers   []func() error
	editing   sync.Mutex
	playing   Scene // as it is by now, before anything is signed
}

// Start starts everything on loopback ports that the system chooses. An error comes back where a
// port cannot be had or a certificate cannot be made; nothing is left running then.
func Start(scene Scene) (*Stage, error) {
	if scene.Now.IsZero() {
		scene.Now = time.Now()
	}
	a, err := newAuthority(scene.Now)
	if err != nil {
		return nil, err
	}
	signers, playing := map[string]*signer{}, scene
	if scene, err = signAll(scene, signers); err != nil {
		return nil, err
	}
	s := &Stage{
		scene:     scene,
		playing:   playing,
		authority: a,
		doors:     map[netip.AddrPort]string{},
		served:    map[netip.Addr]*atomic.Pointer[zones]{},
		names: &resolver{remember: scene.Remember, speed: cmp.Or(scene.Speed, 1),
			memory: map[key]remembered{},
		},
		signers: signers,
	}
	s.names.signed.Store(&scene.Signed)
	s.SetZones(scene.Zones)
	if err := s.start(); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

func (s *Stage) start() error {
	if err := s.serveDNS(); err != nil {
		return err
	}
	for at, e := range s.scene.Endpoints {
		if e.Silent || e.Nowhere {
			continue
		}
		if err := s.serveEndpoint(at, e); err != nil {
			return fmt.Errorf("serving %s: %w", at, err)
		}
	}
	if p := s.scene.Provider; p != nil {
		if err := s.serveEndpoint(p.At, &Endpoint{Visit: p.visit(s)}); err != nil {
			return fmt.Errorf("serving %s: %w", p.At, err)
		}
	}
	for a, n := range s.scene.NameServers {
		if n.Silent {
			continue
		}
		if err := s.serveNames(netip.AddrPortFrom(a, 53), n); err != nil {
			return err
		}
	}
	return s.serveProxy()
}

// SetZones gives the world's resolvers other zones to ask. What they remember they go on saying.
func (s *Stage) SetZones(all []Zone) {
	z := newZones(all)
	s.names.zones.Store(&z)
}

// SetNames takes the zones of another scene over: name servers serve them at once, resolvers go on
// saying what they remember. A name server that was not there before does not start to be. Zones
// that are signed are signed anew, with the keys that they have. An error comes back where that
// cannot be done, and nothing is taken over then.
func (s *Stage) SetNames(scene Scene) error {
	s.editing.Lock()
	defer s.editing.Unlock()
	return s.setNames(scene)
}

func (s *Stage) setNames(scene Scene) error {
	scene.Now = s.scene.Now
	s.playing = scene
	scene, err := signAll(scene, s.signers)
	if err != nil {
		return err
	}
	s.names.signed.Store(&scene.Signed)
	s.SetZones(scene.Zones)
	for a, n := range scene.NameServers {
		if known := s.served[a]; known != nil {
			z := newZones(n.behind(n.Zones))
			known.Store(&z)
		}
	}
	return nil
}

// Close ends everything.
func (s *Stage) Close() error {
	var errs []error
	for _, c := range s.closers {
		errs = append(errs, c())
	}
	return errors.Join(errs...)
}

// Vantage is the place from which the stage is seen as the world.
func (s *Stage) Vantage() live.Vantage {
	roots := x509.NewCertPool()
	roots.AddCert(s.authority.root)
	return live.Vantage{
		Name:      "stage",
		Resolvers: []string{s.resolver},
		Proxy:     s.proxy.Addr().String(),
		Roots:     roots,
		Timeout:   Timeout,
	}
}

// VantageFile gives the same as a vantage file; the trusted certificate stands in the file trust.
func (s *Stage) VantageFile(trust string) []byte {
	return fmt.Appendf(
		nil,
		"resolvers: [%q]\nproxy: %q\ntrust: %s\ntimeout: %s\n",
		s.resolver,
		"socks5://"+s.proxy.Addr().String(),
		trust,
		Timeout,
	)
}

// Issue gives a certificate of the stage's authority with its chain and its key, as PEM, for a real
// server that a scene relays to.
func (s *Stage) Issue(c Certificate) (certificate, key []byte, err error) {
	return s.authority.files(c)
}

// Trust gives the stage's authority as PEM.
func (s *Stage) Trust() []byte { return s.authority.pem() }

func (s *Stage) serveEndpoint(at netip.AddrPort, e *Endpoint) error {
	if e.Relay != "" || e.RelayTo != nil {
		s.doors[at] = e.Relay
		return nil
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	server := &http.Server{
		Handler:           handler{e, len(e.Certificates) > 0, at.Port()},
		ReadHeaderTimeout: 10 * time.Second,
		ErrorLog:          slog.NewLogLogger(slog.Default().Handler(), slog.LevelDebug),
	}
	s.closers = append(s.closers, server.Close)
	s.doors[at] = l.Addr().String()
	if len(e.Certificates) == 0 {
		go func() { _ = server.Serve(l) }()
		return nil
	}
	certificates, err := s.authority.mintAll(e.Certificates)
	if err != nil {
		return err
	}
	later, err := s.authority.mintAll(e.Later)
	if err != nil {
		return err
	}
	server.TLSConfig = &tls.Config{
		MinVersion: tls.VersionTLS12,
		MaxVersion: e.NewestTLS,
		GetCertificate: func(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
			for _, c := range later {
				if c.Leaf.VerifyHostname(hello.ServerName) == nil && e.Held(hello.ServerName) {
					return c, nil
				}
			}
			for _, c := range certificates {
				if c.Leaf.VerifyHostname(hello.ServerName) == nil {
					return c, nil
				}
			}
			if e.Strict {
				return nil, errStranger
			}
			return certificates[0], nil
		},
	}
	if e.NewestTLS != 0 && e.NewestTLS < tls.VersionTLS12 {
		server.TLSConfig.MinVersion = tls.VersionTLS10
	}
	if e.OnlyHTTP1 || server.TLSConfig.MinVersion < tls.VersionTLS12 { // RFC 9113 section 9.2
		server.TLSNextProto = map[string]func(*http.Server, *tls.Conn, http.Handler){}
	}
	go func() { _ = server.ServeTLS(l, "", "") }()
	return nil
}

var errStranger = errors.New("there is no certificate for this name")

// handler answers the requests of one endpoint.
type handler struct {
	endpoint *Endpoint
	secure   bool
	port     uint16
}

func (h handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	u, err := h.requested(r)
	if err != nil {
		http.Error(w, "this is not a URL", http.StatusBadRequest)
		return
	}
	reply := h.endpoint.reply(u, r)
	for name, value := range reply.Headers {
		w.Header().Add(name, value)
	}
	switch {
	case reply.Raw != "" || reply.Endless == "headers":
		misbehave(w, reply)
		return
	case reply.Location != "":
		w.Header().Set("Location", reply.Location)
	}
	if reply.Text != "" {
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		w.WriteHeader(reply.Status)
		_, _ = io.WriteString(w, reply.Text)
		return
	}
	if w.Header().Get("Content-Type") == "" {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
	}
	w.WriteHeader(reply.Status)
	if reply.HTML != "" {
		_, _ = io.WriteString(w, reply.HTML)
		return
	}
	_, _ = fmt.Fprintf(w, "<!doctype html>\n<title>%s</title>\n<h1>%[1]s</h1>\n", pageTitle(reply))
	for reply.Endless == "body" {
		if _, err := w.Write(make([]byte, 16<<10)); err != nil {
			return
		}
	}
}

func pageTitle(r Reply) string {
	if r.Title != "" {
		return r.Title
	}
	return http.StatusText(r.Status)
}

// requested gives the URL that a request asks for, its path as it came.
func (h handler) requested(r *http.Request) (web.URL, error) {
	scheme := web.HTTP
	if h.secure {
		scheme = web.HTTPS
	}
	name := r.Host
	if host, _, err := net.SplitHostPort(name); err == nil {
		name = host
	}
	host, err := web.ParseObservedHost(name)
	if err != nil {
		return web.URL{}, err
	}
	d := web.Door{Scheme: scheme, Host: host}
	if h.port != scheme.Port() {
		d.Port = h.port
	}
	path, query, _ := strings.Cut(r.RequestURI, "?")
	if !strings.HasPrefix(path, "/") {
		path = r.URL.EscapedPath()
	}
	return d.URL(path, query), nil
}

// misbehave takes the connection over and says what is no proper HTTP.
func misbehave(w http.ResponseWriter, reply Reply) {
	c, buffer, err := http.NewResponseController(w).Hijack()
	if err != nil {
		http.Error(w, "raw answers need HTTP/1.1", http.StatusHTTPVersionNotSupported)
		return
	}
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(30 * time.Second))
	_, _ = buffer.WriteString(reply.Raw)
	if reply.Endless == "headers" {
		_, _ = buffer.WriteString("HTTP/1.1 200 OK\r\n")
		for err == nil {
			_, err = buffer.WriteString("X-More: " + strings.Repeat("m", 1000) + "\r\n")
		}
	}
	_ = buffer.Flush()
}
