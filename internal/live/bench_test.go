package live_test

import (
	"context"
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

// BenchmarkAuditEngine compares the engine (points, follower, judge, tally) with a plain net/http loop of the same
// parallelism, on 32 hosts that lead to one loopback server, in the same run. It prints hops per second of both, and
// their ratio.
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
		urls = append(urls, web.MustParseURL(fmt.Sprintf("http://host%d.example/page%d", i%benchHosts, i)))
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
