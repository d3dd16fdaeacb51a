package live_test

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

const benchDomains = 1000

// loopbackNames is a name server on loopback that answers for every domain below bench.example and
// counts questions.
func loopbackNames(b *testing.B) (netip.AddrPort, *atomic.Int64) {
	b.Helper()
	packets, err := net.ListenPacket("udp", "127.0.0.1:0")
	if err != nil {
		b.Fatal(err)
	}
	asked := new(atomic.Int64)
	answer := func(w dns.ResponseWriter, q *dns.Msg) {
		asked.Add(1)
		m := new(dns.Msg)
		m.SetReply(q)
		m.Authoritative = true
		name := q.Question[0].Name
		labels := dns.SplitDomainName(name)
		zone := strings.Join(labels[max(0, len(labels)-2):], ".") + "."
		header := func(kind uint16) dns.RR_Header {
			return dns.RR_Header{Name: zone, Rrtype: kind, Class: dns.ClassINET, Ttl: 60}
		}
		soa := &dns.SOA{
			Hdr:     header(dns.TypeSOA),
			Ns:      "ns.bench.example.",
			Mbox:    "h.bench.example.",
			Serial:  1,
			Refresh: 2,
			Retry:   3,
			Expire:  4,
			Minttl:  5,
		}
		switch {
		case q.Question[0].Qtype == dns.TypeSOA && name == zone:
			m.Answer = []dns.RR{soa}
		case q.Question[0].Qtype == dns.TypeNS && name == zone:
			m.Answer = []dns.RR{&dns.NS{Hdr: header(dns.TypeNS), Ns: "ns.bench.example."}}
		case q.Question[0].Qtype == dns.TypeMX && name == zone:
			m.Answer = []dns.RR{&dns.MX{Hdr: header(dns.TypeMX), Preference: 10, Mx: "mx.mail.example."}}
		case name != zone && !strings.HasPrefix(name, "www."):
			m.Rcode = dns.RcodeNameError
			m.Ns = []dns.RR{soa}
		default:
			m.Ns = []dns.RR{soa}
		}
		_ = w.WriteMsg(m)
	}
	s := &dns.Server{PacketConn: packets, Handler: dns.HandlerFunc(answer)}
	started := make(chan struct{})
	s.NotifyStartedFunc = func() { close(started) }
	go func() { _ = s.ActivateAndServe() }()
	<-started
	b.Cleanup(func() { _ = s.Shutdown() })
	return netip.MustParseAddrPort(packets.LocalAddr().String()), asked
}

// BenchmarkSurvey compares a survey of 1,000 domains against a loopback name server with a bare
// loop over the same DNS library that sends as many questions, with the same parallelism, in the
// same run. It prints questions per second of both, their ratio, and the heap that the survey left.
func BenchmarkSurvey(b *testing.B) {
	at, asked := loopbackNames(b)
	v := live.Vantage{Timeout: 2 * time.Second, Resolvers: []string{at.String()},
		Points: []live.Point{
			{Host: web.MustParseHost("ns.bench.example"), Port: 53, Address: at.Addr(), To: at.Port()}}}
	var engine, plain time.Duration
	var engineAsked, plainAsked int64
	var memory uint64
	for range b.N {
		asked.Store(0)
		engine += timed(func() { memory = max(memory, surveyMany(b, v)) })
		n := asked.Load()
		engineAsked += n
		plain += timed(func() { bareLoop(b, at.String(), int(n)) })
		plainAsked += asked.Load() - n
	}
	b.ReportMetric(float64(engineAsked)/engine.Seconds(), "survey-queries/s")
	b.ReportMetric(float64(plainAsked)/plain.Seconds(), "bare-queries/s")
	b.ReportMetric((float64(engineAsked)/engine.Seconds())/(float64(plainAsked)/plain.Seconds()),
		"ratio")
	b.ReportMetric(float64(memory)/1e6, "MB")
}

func surveyMany(b *testing.B, v live.Vantage) uint64 {
	w, err := live.New(v)
	if err != nil {
		b.Fatal(err)
	}
	defer w.Close()
	s := &live.Surveyor{Web: w, Parallel: benchParallel / 4, NamesAlone: true, NoTransfer: true}
	var subjects []live.Subject
	for i := range benchDomains {
		subjects = append(subjects, subject(fmt.Sprintf("d%d.example", i)))
	}
	domains := s.All(context.Background(), subjects, func() {})
	if len(domains) != benchDomains {
		b.Fatalf("%d domains were seen", len(domains))
	}
	for _, d := range domains {
		if len(d.Servers) != 1 || d.Servers[0].State != survey.Answers || len(d.Records) < 3 {
			b.Fatalf("%s: %+v", d.Name, d)
		}
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	runtime.KeepAlive(domains)
	return m.Sys
}

func bareLoop(b *testing.B, at string, questions int) {
	jobs := make(chan int)
	var all sync.WaitGroup
	for range benchParallel {
		all.Go(func() {
			client := dns.Client{Timeout: 2 * time.Second}
			for i := range jobs {
				m := new(dns.Msg)
				m.SetQuestion(fmt.Sprintf("www.d%d.example.", i%benchDomains), dns.TypeA)
				m.SetEdns0(1232, true)
				if _, _, err := client.Exchange(m, at); err != nil {
					b.Error(err)
				}
			}
		})
	}
	for i := range questions {
		jobs <- i
	}
	close(jobs)
	all.Wait()
}
