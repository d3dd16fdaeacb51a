package live_test

import (
	"bufio"
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

const (
	benchHosts    = 32
	benchParallel = 32
	benchChains   = 4000 // of two hops each
)

// BenchmarkAuditEngine compares the engine (points, follower, judge, tally) with a plain net/http
// loop of the same parallelism, on 32 hosts that lead to one loopback server, in the same run. It
// prints hops per second of both, and their ratio.
func BenchmarkAuditEngine(b *testing.B) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/new") {
			_, _ = io.WriteString(w, "<!doctype html><title>Opening hours</title>")
			return
		}
		w.Header().Set("Location", "http://"+r.Host+"/new"+r.URL.Path)
		w.WriteHeader(http.StatusMovedPermanently)
	}))
	defer server.Close()
	at := netip.MustParseAddrPort(strings.TrimPrefix(server.URL, "http://"))
	var urls []web.URL
	v := live.Vantage{Timeout: 5 * time.Second, Resolvers: []string{"127.0.0.1:1"}}
	for i := range benchHosts {
		h := web.MustParseHost(fmt.Sprintf("host%d.example", i))
		v.Points = append(v.Points, live.Point{Host: h, Address: at.Addr(), To: at.Port()})
	}
	for i := range benchChains {
		urls = append(urls,
			web.MustParseURL(fmt.Sprintf("http://host%d.example/page%d", i%benchHosts, i)))
	}
	var engine, plain time.Duration
	for range b.N {
		plain += timed(func() { plainLoop(b, at.String(), urls) })
		engine += timed(func() { engineLoop(b, v, urls) })
	}
	hops := float64(2 * benchChains * b.N)
	b.ReportMetric(hops/engine.Seconds(), "engine-hops/s")
	b.ReportMetric(hops/plain.Seconds(), "plain-hops/s")
	b.ReportMetric(plain.Seconds()/engine.Seconds(), "ratio")
}

func timed(f func()) time.Duration {
	start := time.Now()
	f()
	return time.Since(start)
}

func engineLoop(b *testing.B, v live.Vantage, urls []web.URL) {
	w, err := live.New(v)
	if err != nil {
		b.Fatal(err)
	}
	defer w.Close()
	entries := func(yield func(chain.Entry) bool) {
		for _, u := range urls {
			if !yield(chain.Entry{Ask: chain.Ask{URL: u}, Probe: chain.Asked}) {
				return
			}
		}
	}
	var tally chain.Tally
	judge := chain.Judge{Now: time.Now()}
	err = chain.Run(context.Background(), w, entries, benchParallel, func(c chain.Chain) {
		if len(c.Hops) != 2 || c.Last().Status != 200 {
			b.Fatalf("%s: %d hops, %+v", c.Entry, len(c.Hops), c.Last())
		}
		judge.Chain(&c, chain.Goal{})
		tally.AddChain(c)
	})
	if err != nil {
		b.Fatal(err)
	}
}

func plainLoop(b *testing.B, at string, urls []web.URL) {
	transport := &http.Transport{
		MaxIdleConnsPerHost: 4,
		DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
			var d net.Dialer
			return d.DialContext(ctx, "tcp", at)
		},
	}
	defer transport.CloseIdleConnections()
	client := &http.Client{Transport: transport}
	jobs := make(chan string)
	var workers sync.WaitGroup
	for range benchParallel {
		workers.Go(func() {
			for u := range jobs {
				r, err := client.Get(u)
				if err != nil {
					b.Error(err)
					continue
				}
				_, _ = io.Copy(io.Discard, r.Body)
				_ = r.Body.Close()
			}
		})
	}
	for u := range slices.Values(urls) {
		jobs <- u.String()
	}
	close(jobs)
	workers.Wait()
}

// BenchmarkShared compares following many old URLs to few pages (40 to 1) with each chain asking
// for itself, in the same run, over TLS and with pages of 40 KB, as sites have them.
func BenchmarkShared(b *testing.B) {
	page := "<!doctype html><title>Opening hours</title><h1>Hours</h1>" + strings.Repeat(
		"<p>Open from ten to five.</p>\n",
		1400,
	)
	server := httptest.NewUnstartedServer(
		http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if strings.HasPrefix(r.URL.Path, "/new/") {
				w.Header().Set("Content-Type", "text/html")
				_, _ = io.WriteString(w, page+`<a href="`+r.URL.Path+`">`)
			}
		}))
	server.StartTLS()
	defer server.Close()
	old := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Location", "https://www.n.example/new/"+r.URL.Query().Get("page"))
		w.WriteHeader(http.StatusMovedPermanently)
	}))
	defer old.Close()
	roots := x509.NewCertPool()
	roots.AddCert(server.Certificate())
	v := live.Vantage{Timeout: 5 * time.Second, Resolvers: []string{"127.0.0.1:1"}, Roots: roots,
		PerHost: benchParallel,
		Points:  []live.Point{pointAt("www.n.example", server.URL)}}
	for i := range benchHosts {
		v.Points = append(v.Points, pointAt(fmt.Sprintf("host%d.example", i), old.URL))
	}
	var urls []web.URL
	for i := range 20_000 {
		urls = append(urls,
			web.MustParseURL(fmt.Sprintf("http://host%d.example/%d?page=%d", i%benchHosts, i, i%500)))
	}
	var shared, alone time.Duration
	for range b.N {
		alone += timed(func() { followAll(b, v, urls, false) })
		shared += timed(func() { followAll(b, v, urls, true) })
	}
	b.ReportMetric(alone.Seconds()/shared.Seconds(), "times-as-fast")
	b.ReportMetric(float64(len(urls)*b.N)/shared.Seconds(), "chains/s")
}

func pointAt(host, at string) live.Point {
	to := netip.MustParseAddrPort(at[strings.Index(at, "://")+3:])
	return live.Point{Host: web.MustParseHost(host), Address: to.Addr(), To: to.Port()}
}

func followAll(b *testing.B, v live.Vantage, urls []web.URL, share bool) {
	w, err := live.New(v)
	if err != nil {
		b.Fatal(err)
	}
	defer w.Close()
	if share {
		w.Share()
	}
	entries := func(yield func(chain.Entry) bool) {
		for i, u := range urls {
			if !yield(chain.Entry{Ask: chain.Ask{URL: u}, Probe: chain.Asked, Number: i}) {
				return
			}
		}
	}
	judge := chain.Judge{Now: time.Now()}
	err = chain.RunJudged(context.Background(), []chain.Visitor{{Asker: w}}, entries, benchParallel,
		func(all []chain.Chain) { judge.Chain(&all[0], chain.Goal{}) }, func(all []chain.Chain) {
			if c := all[0]; len(c.Hops) < 1 || c.Last().Status != 200 {
				b.Fatalf("%s: %d hops, %+v", c.Entry, len(c.Hops), c.Last())
			}
		})
	if err != nil {
		b.Fatal(err)
	}
}

// BenchmarkFreshTLS compares asking hosts whose connections are all new with a loop of crypto/tls
// alone, in the same run: a handshake, a question and its answer each.
func BenchmarkFreshTLS(b *testing.B) {
	server := httptest.NewUnstartedServer(
		http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			_, _ = io.WriteString(w, "<!doctype html><title>Opening hours</title>")
		}))
	server.TLS = &tls.Config{NextProtos: []string{"http/1.1"}}
	server.StartTLS()
	defer server.Close()
	roots := x509.NewCertPool()
	roots.AddCert(server.Certificate())
	at := server.URL[strings.Index(server.URL, "://")+3:]
	v := live.Vantage{Timeout: 5 * time.Second, Resolvers: []string{"127.0.0.1:1"}, Roots: roots}
	var urls []web.URL
	for i := range 1500 {
		name := fmt.Sprintf("host%d.example", i)
		v.Points = append(v.Points, pointAt(name, server.URL))
		urls = append(urls, web.MustParseURL("https://"+name+"/"))
	}
	var engine, bare time.Duration
	for range b.N {
		bare += timed(func() { bareTLS(b, at, roots, urls) })
		engine += timed(func() { followAll(b, v, urls, false) })
	}
	b.ReportMetric(bare.Seconds()/engine.Seconds(), "ratio")
	b.ReportMetric(float64(len(urls)*b.N)/engine.Seconds(), "handshakes/s")
}

// bareTLS asks each host over a connection of its own.
func bareTLS(b *testing.B, at string, roots *x509.CertPool, urls []web.URL) {
	jobs := make(chan web.URL)
	var workers sync.WaitGroup
	for range benchParallel {
		workers.Go(func() {
			for u := range jobs {
				// What it shows is not for this name, and is looked at all the same, as the engine does.
				c, err := tls.Dial("tcp", at,
					&tls.Config{ServerName: u.Host().String(), InsecureSkipVerify: true,
						NextProtos: []string{"http/1.1"}})
				if err != nil {
					b.Error(err)
					continue
				}
				_, err = c.ConnectionState().PeerCertificates[0].Verify(x509.VerifyOptions{Roots: roots})
				if err != nil {
					b.Error(err)
				}
				_, _ = fmt.Fprintf(c, "GET / HTTP/1.1\r\nHost: %s\r\n\r\n", u.Host())
				if r, err := http.ReadResponse(bufio.NewReader(c), nil); err == nil {
					_, _ = io.Copy(io.Discard, r.Body)
					_ = r.Body.Close()
				}
				_ = c.Close()
			}
		})
	}
	for _, u := range urls {
		jobs <- u
	}
	close(jobs)
	workers.Wait()
}
