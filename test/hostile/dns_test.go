package hostile

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// names is a DNS that misbehaves as its fields say: the resolver, and behind a proxy every name
// server there is.
type names struct {
	Silent  bool                          // it never answers
	Servers func(asked int64) []string    // the name servers of old.example, at each asking
	Zone    func(c *dns.Conn, q *dns.Msg) // what a transfer sends; nil: it refuses
	Text    int                           // octets of the text that every question for TXT gets
	Alias   bool                          // every name is an alias of a longer one
	Many    int                           // addresses that every name has, all of them dead; 0: one

	Mute     bool         // behind the proxy, what is no name server says nothing
	muted    atomic.Int64 // how often it did
	asked    atomic.Int64
	resolver string
	proxy    string
}

// start starts the resolver and the proxy.
func (n *names) start(t *testing.T) {
	t.Helper()
	stream, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	packets, err := net.ListenPacket("udp", stream.Addr().String())
	require.NoError(t, err)
	proxy, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	n.resolver, n.proxy = stream.Addr().String(), proxy.Addr().String()
	t.Cleanup(func() {
		_ = stream.Close()
		_ = packets.Close()
		_ = proxy.Close()
	})
	go func() {
		buffer := make([]byte, 64<<10)
		for {
			size, from, err := packets.ReadFrom(buffer)
			if err != nil {
				return
			}
			q := new(dns.Msg)
			if n.Silent {
				n.asked.Add(1)
			}
			if n.Silent || q.Unpack(buffer[:size]) != nil {
				continue
			}
			a := n.answer(q)
			if wire, err := a.Pack(); err == nil && len(wire) > 1200 {
				a = &dns.Msg{MsgHdr: a.MsgHdr, Question: a.Question}
				a.Truncated = true
			}
			if wire, err := a.Pack(); err == nil {
				_, _ = packets.WriteTo(wire, from)
			}
		}
	}()
	go accept(stream, n.serve)
	go accept(proxy, func(c net.Conn) {
		if n.lead(c) == 53 {
			n.serve(c)
		}
	})
}

func accept(l net.Listener, serve func(net.Conn)) {
	for {
		c, err := l.Accept()
		if err != nil {
			return
		}
		go func() {
			defer c.Close()
			serve(c)
		}()
	}
}

// lead speaks SOCKS5 (RFC 1928), takes every connection, and gives the port that was asked for.
func (n *names) lead(c net.Conn) uint16 {
	head := make([]byte, 262)
	if _, err := io.ReadFull(c, head[:2]); err != nil {
		return 0
	}
	_, _ = io.ReadFull(c, head[:head[1]])
	_, _ = c.Write([]byte{5, 0})
	if _, err := io.ReadFull(c, head[:4]); err != nil {
		return 0
	}
	size := map[byte]int{1: 4, 4: 16}[head[3]]
	_, _ = io.ReadFull(c, head[:size+2])
	port := binary.BigEndian.Uint16(head[size:])
	if port != 53 && n.Mute {
		n.muted.Add(1)
		_, _ = io.ReadFull(c, head[:1]) // until who asked leaves
		return 0
	}
	if port != 53 {
		_, _ = c.Write([]byte{5, 5, 0, 1, 0, 0, 0, 0, 0, 0})
		return 0
	}
	_, _ = c.Write([]byte{5, 0, 0, 1, 0, 0, 0, 0, 0, 0})
	return port
}

func (n *names) serve(stream net.Conn) {
	c := &dns.Conn{Conn: stream}
	for {
		q, err := c.ReadMsg()
		if err != nil {
			return
		}
		if n.Silent {
			n.asked.Add(1)
			continue
		}
		if q.Question[0].Qtype == dns.TypeAXFR && n.Zone != nil {
			n.Zone(c, q)
			continue
		}
		if c.WriteMsg(n.answer(q)) != nil {
			return
		}
	}
}

func record(text string) dns.RR {
	rr, err := dns.NewRR(text)
	if err != nil {
		panic(err)
	}
	return rr
}

const soaText = "old.example. 60 IN SOA ns0.old.example. h.old.example. 1 60 60 60 60"

func (n *names) answer(q *dns.Msg) *dns.Msg {
	n.asked.Add(1)
	a := new(dns.Msg)
	a.SetReply(q)
	a.Authoritative = true
	name := q.Question[0].Name
	add := func(format string, args ...any) {
		a.Answer = append(a.Answer, record(fmt.Sprintf(format, args...)))
	}
	switch kind := q.Question[0].Qtype; {
	case n.Alias && kind != dns.TypeNS:
		add("%s 60 IN CNAME x%s", name, name)
	case kind == dns.TypeA && n.Many > 0 && !strings.HasPrefix(name, "ns"):
		for i := range n.Many {
			add("%s 60 IN A 198.51.100.%d", name, i)
		}
	case kind == dns.TypeA:
		add("%s 60 IN A 192.0.2.7", name)
	case kind == dns.TypeNS && name == "old.example.":
		for _, s := range n.Servers(n.asked.Load()) {
			add("%s 60 IN NS %s", name, s)
		}
	case kind == dns.TypeNS && name == "example.":
		add("%s 60 IN NS ns.registry.example.", name)
	case kind == dns.TypeSOA:
		add(soaText)
	case kind == dns.TypeTXT && n.Text > 0:
		a.Answer = append(a.Answer, text(name, n.Text))
	}
	return a
}

// text makes a TXT record of so many octets.
func text(name string, octets int) dns.RR {
	t := record(name + ` 60 IN TXT "x"`).(*dns.TXT)
	t.Txt = nil
	for ; octets > 0; octets -= 255 {
		t.Txt = append(t.Txt, strings.Repeat("x", 255))
	}
	return t
}

func oneServer(int64) []string { return []string{"ns0.old.example."} }

// estateFolder makes an estate of one domain.
func estateFolder(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "upperpath.yaml"), []byte(estate), 0o600))
	return folder
}

// survey surveys old.example through a DNS, within a time, and gives what the program said and its
// peak of memory.
func (n *names) survey(t *testing.T, most time.Duration, args ...string) (said string, peak int) {
	t.Helper()
	n.start(t)
	c := exec.Command(program,
		append([]string{"survey", "--resolver", n.resolver, "--proxy", "socks5://" + n.proxy,
			"--only", "old.example"}, args...)...)
	c.Dir = estateFolder(t)
	var out bytes.Buffer
	c.Stdout, c.Stderr = &out, &out
	began := time.Now()
	require.NoError(t, c.Start())
	late := time.AfterFunc(most, func() { _ = c.Process.Kill() })
	_ = c.Wait()
	require.True(t, late.Stop(), "it does not end within %s", most)
	t.Logf(
		"%s, %d questions, %d MB",
		time.Since(began).Round(time.Millisecond),
		n.asked.Load(),
		peakOf(c.ProcessState)>>20,
	)
	assert.LessOrEqual(t, c.ProcessState.ExitCode(), 1, out.String())
	return strings.Join(strings.Fields(out.String()), " "), peakOf(c.ProcessState)
}

// envelope sends one message of a transfer.
func envelope(c *dns.Conn, q *dns.Msg, records ...dns.RR) error {
	a := new(dns.Msg)
	a.SetReply(q)
	a.Authoritative = true
	a.Answer = records
	return c.WriteMsg(a)
}

func TestATransferWithoutEndEnds(t *testing.T) {
	n := &names{Servers: oneServer, Zone: func(c *dns.Conn, q *dns.Msg) {
		err := envelope(c, q, record(soaText))
		for i := 0; err == nil; i++ {
			err = envelope(c, q, text(fmt.Sprintf("t%d.old.example.", i), 60_000))
		}
	}}
	said, peak := n.survey(t, time.Minute)
	assert.Contains(t, said, "the transfer takes more octets than any honest one")
	assertPeak(t, peak, 64<<20*10+(100<<20))
}

func TestATransferOfManyRecordsEnds(t *testing.T) {
	n := &names{Servers: oneServer, Zone: func(c *dns.Conn, q *dns.Msg) {
		err := envelope(c, q, record(soaText))
		for i := 0; err == nil; i++ {
			var records []dns.RR
			for j := range 500 {
				records = append(records, &dns.A{A: net.IPv4(192, 0, byte(i), byte(j)),
					Hdr: dns.RR_Header{Name: "www.old.example.", Rrtype: dns.TypeA, Class: dns.ClassINET,
						Ttl: 60}})
			}
			err = envelope(c, q, records...)
		}
	}}
	said, peak := n.survey(t, time.Minute)
	assert.Contains(t, said, "it has more than 500000 records")
	assertPeak(t, peak, 64<<20*10+(100<<20))
}

func TestATransferThatDripsEnds(t *testing.T) {
	n := &names{Servers: oneServer, Zone: func(c *dns.Conn, q *dns.Msg) {
		err := envelope(c, q, record(soaText))
		for i := 0; err == nil; i++ {
			time.Sleep(50 * time.Millisecond)
			err = envelope(c, q, text(fmt.Sprintf("t%d.old.example.", i), 10))
		}
	}}
	ends := regexp.MustCompile("it has not finished after 5s|it does not go on")
	said := ""
	for range 4 { // where this machine is busy, a survey may not even come to the transfer
		if said, _ = n.survey(t, time.Minute, "--timeout", "500ms"); ends.MatchString(said) {
			return
		}
	}
	assert.Regexp(t, ends, said)
}

func TestNameServersThatNameEverMoreEnd(t *testing.T) {
	n := &names{Text: 200, Servers: func(asked int64) []string {
		var all []string
		for i := range 20 {
			all = append(all, fmt.Sprintf("ns%d-%d.old.example.", asked, i))
		}
		return all
	}}
	said, peak := n.survey(t, time.Minute)
	assert.Contains(t, said, "more than 32 name servers are named; the others were not asked")
	assert.Less(t, n.asked.Load(), int64(60_000))
	assertPeak(t, peak, 400<<20)
}

func TestLargeAnswersEnd(t *testing.T) {
	n := &names{Text: 60_000, Servers: func(int64) []string {
		var all []string
		for i := range 30 {
			all = append(all, fmt.Sprintf("ns%d.old.example.", i))
		}
		return all
	}}
	_, peak := n.survey(t, time.Minute)
	assertPeak(t, peak, 32<<20*10+(100<<20))
}

func TestAliasesWithoutEndEnd(t *testing.T) {
	n := &names{Alias: true, Servers: oneServer}
	n.survey(t, time.Minute)
	assert.Less(t, n.asked.Load(), int64(20_000))
}

// TestManyDeadAddressesEnd has every host at 250 addresses that say nothing: some are tried, and
// how many were not is said.
func TestManyDeadAddressesEnd(t *testing.T) {
	n := &names{Many: 250, Servers: oneServer, Mute: true}
	said, _ := n.survey(t, time.Minute, "--timeout", "100ms")
	assert.Contains(t, said,
		"Of the 250 addresses of old.example, 16 were tried; the other 234 were not seen.")
	assert.LessOrEqual(t, n.muted.Load(), int64(2*2*16*9), "no address is tried again and again")
}

// TestAnInterruptIsHeeded interrupts commands that wait for a resolver that never answers: at most
// half a second, and no result is lost.
func TestAnInterruptIsHeeded(t *testing.T) {
	n := &names{Silent: true}
	n.start(t)
	for _, command := range []string{"look old.example", "audit", "survey",
		"survey --proxy socks5://" + n.proxy} {
		c := exec.Command(program,
			append(strings.Fields(command), "--resolver", n.resolver, "--timeout", "30s")...)
		c.Dir = estateFolder(t)
		var said bytes.Buffer
		c.Stderr = &said
		before := n.asked.Load()
		require.NoError(t, c.Start())
		require.Eventually(t, func() bool { return n.asked.Load() > before }, time.Minute,
			10*time.Millisecond, "it waits")
		began := time.Now()
		require.NoError(t, c.Process.Signal(syscall.SIGINT))
		_ = c.Wait()
		took := time.Since(began)
		t.Logf("%s: %s", command, took.Round(time.Millisecond))
		assert.Less(t, took, 5*time.Second, command)
		assert.Equal(t, 130, c.ProcessState.ExitCode(), "%s: %s", command, said.String())
	}
}

// TestALargeZoneIsSurveyed transfers a zone just below the bound: it is kept whole, and nothing
// takes its square.
func TestALargeZoneIsSurveyed(t *testing.T) {
	n := &names{Servers: oneServer, Zone: func(c *dns.Conn, q *dns.Msg) {
		err := envelope(c, q, record(soaText))
		for i := 0; i < 200 && err == nil; i++ {
			var records []dns.RR
			for j := range 500 {
				records = append(records, &dns.A{A: net.IPv4(192, 0, byte(i), byte(j)),
					Hdr: dns.RR_Header{
						Name:   fmt.Sprintf("h%d-%d.old.example.", i, j),
						Rrtype: dns.TypeA,
						Class:  dns.ClassINET,
						Ttl:    60,
					}})
			}
			err = envelope(c, q, records...)
		}
		_ = envelope(c, q, record(soaText))
	}}
	said, peak := n.survey(t, time.Minute)
	assert.Contains(t, said, "100001 records")
	assertPeak(t, peak, 64<<20*10+(100<<20))
}

// TestAnInterruptIsHeededInTheMidstOfComputing interrupts a plan of many domains, which no part of
// it minds.
func TestAnInterruptIsHeededInTheMidstOfComputing(t *testing.T) {
	folder := t.TempDir()
	path := filepath.Join(folder, "upperpath.yaml")
	text := strings.Replace(estate, "[old.example]", "\n"+numbered(30_000, "- d#.example\n"), 1)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	for _, command := range []string{"plan", "plan --format json", "prove", "rules straighten"} {
		c := exec.Command(program, append(strings.Fields(command), "--estate", path)...)
		require.NoError(t, c.Start())
		time.Sleep(time.Second)
		began := time.Now()
		require.NoError(t, c.Process.Signal(syscall.SIGINT))
		_ = c.Wait()
		took := time.Since(began)
		t.Logf("%s: %s, exit %d", command, took.Round(time.Millisecond), c.ProcessState.ExitCode())
		assert.Less(t, took, 5*time.Second, command)
	}
}
