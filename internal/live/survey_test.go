package live_test

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

// zone makes a zone of lines relative to its origin.
func zone(t *testing.T, origin string, lines ...string) stage.Zone {
	t.Helper()
	z := stage.Zone{Origin: dns.Fqdn(origin)}
	text := "$ORIGIN " + z.Origin + "\n$TTL 600\n" + strings.Join(lines, "\n") + "\n"
	p := dns.NewZoneParser(strings.NewReader(text), z.Origin, "")
	for rr, ok := p.Next(); ok; rr, ok = p.Next() {
		z.Records = append(z.Records, rr)
	}
	require.NoError(t, p.Err())
	return z
}

const soa = "@ IN SOA ns1.h.example. hostmaster.h.example. 7 7200 3600 1209600 120"

// world is a parent, and the zone a.example on name servers that differ.
func world(t *testing.T) stage.Scene {
	parent := zone(
		t,
		"example",
		strings.Replace(soa, "120", "300", 1),
		"@ IN NS p",
		"p IN A 192.0.2.50",
		"a IN NS ns1.h",
		"a IN NS ns2.h",
		"a IN NS lame.h",
		"a IN NS quiet.h",
		"a IN NS nowhere.h",
		"a IN NS other.h",
		"h IN NS ns1.h",
	)
	hosts := zone(
		t,
		"h.example",
		soa,
		"@ IN NS ns1",
		"ns1 IN A 192.0.2.51",
		"ns2 IN A 192.0.2.52",
		"lame IN A 192.0.2.53",
		"quiet IN A 192.0.2.54",
		"other IN A 192.0.2.55",
		"extra IN A 192.0.2.56",
	)
	a := zone(
		t,
		"a.example",
		soa,
		"@ IN NS ns1.h.example.",
		"@ IN NS extra.h.example.",
		"@ IN A 192.0.2.1",
		"www IN A 192.0.2.1",
		"*.wild IN A 192.0.2.9",
		"_dmarc IN TXT \"v=DMARC1; p=none\"",
		"k9._domainkey IN TXT \"v=DKIM1; p=x\"",
		"hidden IN A 192.0.2.8",
	)
	b := zone(
		t,
		"a.example",
		strings.Replace(soa, " 7 ", " 8 ", 1),
		"@ IN NS ns1.h.example.",
		"@ IN A 192.0.2.2",
		"www IN A 192.0.2.1",
		"_dmarc IN TXT \"v=DMARC1; p=none\"",
		"k9._domainkey IN TXT \"v=DKIM1; p=x\"",
	)
	at := netip.MustParseAddr
	return stage.Scene{
		Zones:     []stage.Zone{parent, hosts, a},
		Endpoints: map[netip.AddrPort]*stage.Endpoint{},
		Remember:  true,
		NameServers: map[netip.Addr]*stage.NameServer{
			at("192.0.2.50"): {Zones: []stage.Zone{parent}},
			at("192.0.2.51"): {Zones: []stage.Zone{a, hosts}},
			at("192.0.2.52"): {Zones: []stage.Zone{b}},
			at("192.0.2.53"): {Refuses: true},
			at("192.0.2.54"): {Silent: true},
			at("192.0.2.55"): {Zones: []stage.Zone{parent}},
			at("192.0.2.56"): {Zones: []stage.Zone{a}},
		},
	}
}

func subject(name string) live.Subject {
	h := web.MustParseHost(name)
	return live.Subject{Name: h, Hosts: []web.Host{h, h.WWW()}, Selectors: []string{"k9"}}
}

func TestDelegationIsAskedOfEverybody(t *testing.T) {
	w := look(t, world(t), nil)
	s := &live.Surveyor{Web: w, NamesAlone: true}
	d := s.Domain(context.Background(), subject("a.example"))
	states := map[string]string{}
	for _, n := range d.Servers {
		states[n.Name] = string(n.State) + " " + strings.Join(n.By, "+") + " " + n.Says
	}
	assert.Equal(t, "example", d.Parent.Zone)
	assert.Equal(t, 600, d.Parent.TTL)
	assert.Equal(t, "answers parent+zone ", states["ns1.h.example"])
	assert.Equal(t, "answers parent ", states["ns2.h.example"])
	assert.Equal(t, "answers zone ", states["extra.h.example"], "one that only the zone names")
	assert.Equal(t, "lame parent it says REFUSED", states["lame.h.example"])
	assert.Equal(t, "silent parent it does not answer within 500ms", states["quiet.h.example"])
	assert.Equal(t, "no-address parent its name leads to no address", states["nowhere.h.example"])
	assert.Contains(t, states["other.h.example"], "lame parent it answers without authority")
	assert.True(t, d.Partial)
	for _, want := range []string{"_dmarc.a.example", "k9._domainkey.a.example", "www.a.example"} {
		assert.Contains(t, names(d.Records), want)
	}
	assert.NotContains(t, names(d.Records), "hidden.a.example")
	require.NotEmpty(t, d.Differences)
	assert.Equal(t, "a.example", d.Differences[0].Name)
	findings := survey.Judge{Now: time.Now()}.All(&survey.Survey{Domains: []survey.Domain{d}})
	assert.GreaterOrEqual(t, len(findings), 6)
}

func names(sets []record.Set) []string {
	var all []string
	for _, s := range sets {
		all = append(all, s.Name)
	}
	return all
}

func TestComingNameServersAreAskedAboutEverything(t *testing.T) {
	w := look(t, world(t), nil)
	s := &live.Surveyor{Web: w, NamesAlone: true}
	sub := subject("a.example")
	for _, name := range []string{"ns1.h.example", "lame.h.example", "nowhere.h.example"} {
		sub.Coming = append(sub.Coming, web.MustParseHost(name))
	}
	d := s.Domain(context.Background(), sub)
	assert.Empty(t, d.Coming, "all of them are in the delegation already")

	scene := world(t)
	moved := zone(t, "a.example", soa, "@ IN NS new.h.example.", "@ IN A 192.0.2.1", "www IN CNAME @")
	scene.Zones[1] = zone(
		t,
		"h.example",
		soa,
		"@ IN NS ns1",
		"ns1 IN A 192.0.2.51",
		"new IN A 192.0.2.57",
		"lost IN A 192.0.2.53",
	)
	scene.NameServers[netip.MustParseAddr("192.0.2.51")].Zones[1] = scene.Zones[1]
	scene.NameServers[netip.MustParseAddr("192.0.2.57")] = &stage.NameServer{
		Zones: []stage.Zone{moved}}
	w = look(t, scene, nil)
	s = &live.Surveyor{Web: w, NamesAlone: true}
	sub = subject("a.example")
	sub.Coming = []web.Host{
		web.MustParseHost("new.h.example"),
		web.MustParseHost("lost.h.example"),
		web.MustParseHost("none.h.example"),
	}
	sub.Wanted = []record.Key{{Name: "hidden.a.example", Type: "A"}}
	d = s.Domain(context.Background(), sub)
	assert.Contains(t, names(d.Records), "hidden.a.example", "what somebody wants is asked for")
	require.Len(t, d.Coming, 3)
	assert.Equal(
		t,
		[]survey.State{survey.Answers, survey.Lame, survey.Nowhere},
		[]survey.State{d.Coming[0].State, d.Coming[1].State, d.Coming[2].State},
	)
	said := map[string]string{}
	for _, r := range d.Coming[0].Records {
		said[r.Name+" "+r.Type] = strings.Join(r.Values, " ")
	}
	assert.Equal(
		t,
		map[string]string{"a.example A": "192.0.2.1", "a.example NS": "new.h.example.",
			"www.a.example CNAME": "a.example."},
		said,
	)
}

func TestResolversThatRememberAreFoundOut(t *testing.T) {
	scene := world(t)
	scene.Speed = 1
	s, err := stage.Start(scene)
	require.NoError(t, err)
	defer s.Close()
	w, err := live.New(s.Vantage())
	require.NoError(t, err)
	defer w.Close()
	hosts := []web.Host{web.MustParseHost("a.example"), web.MustParseHost("new.a.example")}
	before := w.Voices(context.Background(), hosts)
	for _, d := range before {
		assert.NotEqual(t, "new.a.example", d.Name)
	}

	changed := world(t)
	changed.Zones[2] = zone(t, "a.example", soa, "@ IN NS ns1.h.example.", "@ IN A 192.0.2.77",
		"new IN A 192.0.2.78")
	changed.NameServers[netip.MustParseAddr("192.0.2.51")].Zones[0] = changed.Zones[2]
	s.SetZones(changed.Zones)
	// The name server itself says the new thing; a fresh stage of the changed world has it, the
	// resolver of the old one not.
	fresh, err := stage.Start(changed)
	require.NoError(t, err)
	defer fresh.Close()
	v := fresh.Vantage()
	v.Resolvers = s.Vantage().Resolvers
	w2, err := live.New(v)
	require.NoError(t, err)
	defer w2.Close()
	says := ""
	for _, f := range survey.Split(w2.Voices(context.Background(), hosts)) {
		says += f.Says.String() + " " + f.Fix.String() + "\n"
	}
	assert.Contains(t, says, "ns1.h.example (192.0.2.51:53) says 192.0.2.77")
	assert.Regexp(t, `the resolver \S+ says 192\.0\.2\.1, for up to 10 minutes more`, says)
	assert.Regexp(
		t,
		`Answers about new\.a\.example A differ: ns1\.h\.example \(192\.0\.2\.51:53\) says 192\.0\.2\.78; .*the resolver `+
			`\S+ says nothing, for up to (2 minutes|1 minute 59 seconds) more`,
		says,
		"an old absence (RFC 2308)",
	)
}

// server answers every question with what make gives, on UDP and TCP.
func server(t *testing.T, answer func(dns.ResponseWriter, *dns.Msg)) netip.AddrPort {
	t.Helper()
	packets, stream := bothPorts(t)
	for _, s := range []*dns.Server{{PacketConn: packets, Handler: dns.HandlerFunc(answer)},
		{Listener: stream, Handler: dns.HandlerFunc(answer)}} {
		started := make(chan struct{})
		s.NotifyStartedFunc = func() { close(started) }
		go func() { _ = s.ActivateAndServe() }()
		<-started
		t.Cleanup(func() { _ = s.Shutdown() })
	}
	return netip.MustParseAddrPort(packets.LocalAddr().String())
}

// bothPorts finds a port that is free for UDP and TCP.
func bothPorts(t *testing.T) (net.PacketConn, net.Listener) {
	t.Helper()
	for range 50 {
		stream, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		packets, err := net.ListenPacket("udp", stream.Addr().String())
		if err == nil {
			return packets, stream
		}
		_ = stream.Close()
	}
	t.Fatal("no port is free for both")
	return nil, nil
}

// against surveys a.example whose only name server is the one given.
func against(t *testing.T, answer func(dns.ResponseWriter, *dns.Msg)) survey.Domain {
	t.Helper()
	at := server(t, answer)
	scene := stage.Scene{Zones: []stage.Zone{zone(t, "a.example", soa, "@ IN NS ns.bad.example.")}}
	w := look(t, scene, func(v *live.Vantage) {
		v.Proxy = ""
		v.Points = []live.Point{
			{Host: web.MustParseHost("ns.bad.example"), Port: 53, Address: at.Addr(), To: at.Port()}}
	})
	done := make(chan survey.Domain, 1)
	go func() {
		done <- (&live.Surveyor{Web: w, NamesAlone: true}).Domain(context.Background(),
			subject("a.example"))
	}()
	select {
	case d := <-done:
		return d
	case <-time.After(15 * time.Second):
		t.Fatal("it hangs")
		return survey.Domain{}
	}
}

func rr(t *testing.T, s string) dns.RR {
	t.Helper()
	r, err := dns.NewRR(s)
	require.NoError(t, err, s)
	return r
}

// authoritative answers like the zone a.example, with special answers for some types.
func authoritative(
	t *testing.T,
	special map[uint16]func(dns.ResponseWriter, *dns.Msg),
) func(dns.ResponseWriter, *dns.Msg) {
	return func(w dns.ResponseWriter, q *dns.Msg) {
		if f := special[q.Question[0].Qtype]; f != nil {
			f(w, q)
			return
		}
		m := new(dns.Msg)
		m.SetReply(q)
		m.Authoritative = true
		switch q.Question[0].Qtype {
		case dns.TypeSOA:
			m.Answer = []dns.RR{rr(t, "a.example. 60 IN SOA ns.bad.example. h.bad.example. 1 2 3 4 5")}
		case dns.TypeNS:
			m.Answer = []dns.RR{rr(t, "a.example. 60 IN NS ns.bad.example.")}
		case dns.TypeAXFR:
			m.Rcode = dns.RcodeRefused
		}
		_ = w.WriteMsg(m)
	}
}

func TestHostileNameServersAreSaidAndNeverHang(t *testing.T) {
	reply := func(change func(*dns.Msg)) func(dns.ResponseWriter, *dns.Msg) {
		return func(w dns.ResponseWriter, q *dns.Msg) {
			m := new(dns.Msg)
			m.SetReply(q)
			m.Authoritative = true
			change(m)
			_ = w.WriteMsg(m)
		}
	}
	t.Run("an answer to another question", func(t *testing.T) {
		d := against(t, reply(func(m *dns.Msg) { m.Question[0].Name = "other.example." }))
		assert.Equal(t, survey.Silent, d.Servers[0].State)
		assert.Contains(t, d.Servers[0].Says, "not for the question")
	})
	t.Run("garbage", func(t *testing.T) {
		d := against(t, func(w dns.ResponseWriter, _ *dns.Msg) {
			_, _ = w.Write([]byte("\x1b[31mgarbage"))
		})
		assert.Equal(t, survey.Silent, d.Servers[0].State)
	})
	t.Run("a transfer that breaks off", func(t *testing.T) {
		d := against(
			t,
			authoritative(t,
				map[uint16]func(dns.ResponseWriter,
					*dns.Msg){dns.TypeAXFR: func(w dns.ResponseWriter, q *dns.Msg) {
					m := new(dns.Msg)
					m.SetReply(q)
					m.Answer = []dns.RR{
						rr(t, "a.example. 60 IN SOA ns.bad.example. h.bad.example. 1 2 3 4 5"),
						rr(t, "x.a.example. 60 IN A 192.0.2.1"),
					}
					_ = w.WriteMsg(m)
					_ = w.Close()
				}}),
		)
		assert.True(t, d.Partial)
		assert.Contains(t, strings.Join(d.Unseen, "\n"), "gives no transfer of the zone")
	})
	t.Run("a CNAME loop", func(t *testing.T) {
		d := against(t,
			authoritative(t,
				map[uint16]func(dns.ResponseWriter, *dns.Msg){dns.TypeA: reply(func(m *dns.Msg) {
					m.Answer = []dns.RR{
						&dns.CNAME{
							Hdr: dns.RR_Header{Name: m.Question[0].Name, Rrtype: dns.TypeCNAME, Class: dns.ClassINET,
								Ttl: 60},
							Target: m.Question[0].Name,
						},
					}
				})}))
		assert.Contains(t, names(d.Records), "www.a.example")
	})
	t.Run("TXT with control characters and in pieces", func(t *testing.T) {
		d := against(t,
			authoritative(t,
				map[uint16]func(dns.ResponseWriter, *dns.Msg){dns.TypeTXT: reply(func(m *dns.Msg) {
					if m.Question[0].Name == "a.example." {
						m.Answer = []dns.RR{
							&dns.TXT{
								Hdr: dns.RR_Header{Name: "a.example.", Rrtype: dns.TypeTXT, Class: dns.ClassINET, Ttl: 60},
								Txt: []string{`\027[2Jx`, strings.Repeat("y", 255), "z"},
							},
						}
					}
				})}))
		set, ok := record.Find(d.Records, "a.example", "TXT")
		require.True(t, ok)
		assert.NotContains(t, set.Values[0], "\x1b")
		assert.Equal(t, "\x1b[2Jx"+strings.Repeat("y", 255)+"z", record.Unquote(set.Values[0]))
	})
}

func TestFiveHundredDomainsWithDeadNameServersEndInTime(t *testing.T) {
	dead, err := net.ListenPacket("udp", "127.0.0.1:0") // nobody reads it
	require.NoError(t, err)
	defer dead.Close()
	at := netip.MustParseAddrPort(dead.LocalAddr().String())
	z := zone(t, "example", soa, "@ IN NS ns.dead.example.")
	for i := range 500 {
		z.Records = append(z.Records, rr(t, fmt.Sprintf("d%d.example. 60 IN NS ns.dead.example.", i)))
	}
	w := look(t, stage.Scene{Zones: []stage.Zone{z}}, func(v *live.Vantage) {
		v.Proxy = ""
		v.Points = []live.Point{
			{Host: web.MustParseHost("ns.dead.example"), Port: 53, Address: at.Addr(), To: at.Port()}}
		v.Timeout = 2 * time.Second // for those that live: 500 of them at once, on a busy machine
	})
	s := &live.Surveyor{Web: w, NamesAlone: true, Parallel: 32}
	var subjects []live.Subject
	for i := range 500 {
		subjects = append(subjects, subject(fmt.Sprintf("d%d.example", i)))
	}
	began := time.Now()
	said := s.All(context.Background(), subjects, func() {})
	require.Len(t, said, 500)
	// one after the other they would take half an hour
	assert.Less(t, time.Since(began), 30*time.Second)
	for _, d := range said {
		require.Len(t, d.Servers, 1)
		assert.Equal(t, survey.Silent, d.Servers[0].State)
		assert.NotEmpty(t, d.Unseen)
	}
}

func TestRegistrationIsRead(t *testing.T) {
	body := `{"objectClassName":"domain","status":["active","client ` +
		`hold"],"events":[{"eventAction":"registration","eventDate":"2001-01-01T00:00:00Z"},{"eventAction":"expiration","eventDate":"2027-03-01T00:00:00Z"}],"nameservers":[{"ldhName":"NS1.H.example."}],"entities":[{"roles":["registrar"],"vcardArray":["vcard",[["version",{},"text","4.0"],["fn",{},"text","Registrar A"]]]}]}`
	answers := map[string]stage.Reply{
		"/rdap/domain/a.example": {Status: 200, Text: body},
		"/rdap/domain/b.example": {Status: 200, Text: "<html>"},
	}
	w := look(
		t,
		stage.Scene{Zones: records(t, "rdap.example. 60 IN A 192.0.2.90"),
			Endpoints: map[netip.AddrPort]*stage.Endpoint{
				netip.MustParseAddrPort("192.0.2.90:80"): {Answer: func(u web.URL) stage.Reply {
					if r, ok := answers[u.Path()]; ok {
						return r
					}
					return stage.Reply{Status: 404}
				}},
			}},
		nil,
	)
	s := &live.Surveyor{Web: w, Registry: live.Registry{Base: "http://rdap.example/rdap/"}}
	d := s.Domain(context.Background(), subject("a.example"))
	require.NotNil(t, d.Registration)
	assert.Equal(t, "2027-03-01", d.Registration.Ends.Format(time.DateOnly))
	assert.Equal(t, []string{"active", "client hold"}, d.Registration.Status)
	assert.Equal(t, []string{"ns1.h.example"}, d.Registration.NameServers)
	assert.Equal(t, "Registrar A", d.Registration.Registrar)
	for name, want := range map[string]string{"b.example": "not a registration",
		"c.example": "answers 404"} {
		assert.Contains(t, strings.Join(s.Domain(context.Background(), subject(name)).Unseen, "\n"), want)
	}
}

func TestDifferentAddressesWithTheSameAnswerAreFine(t *testing.T) {
	at := netip.MustParseAddr
	one := zone(
		t,
		"a.example",
		soa,
		"@ IN NS ns1.h.example.",
		"@ IN NS ns2.h.example.",
		"@ IN A 192.0.2.1",
		"www IN A 192.0.2.1",
	)
	two := zone(
		t,
		"a.example",
		soa,
		"@ IN NS ns1.h.example.",
		"@ IN NS ns2.h.example.",
		"@ IN A 192.0.2.2",
		"www IN A 192.0.2.3",
	)
	hosts := zone(t, "h.example", soa, "ns1 IN A 192.0.2.51", "ns2 IN A 192.0.2.52")
	w := look(t,
		stage.Scene{Zones: []stage.Zone{one, hosts}, Endpoints: map[netip.AddrPort]*stage.Endpoint{
			netip.MustParseAddrPort("192.0.2.1:80"): {Answer: page("x")},
			netip.MustParseAddrPort("192.0.2.2:80"): {Answer: page("x")},
			netip.MustParseAddrPort("192.0.2.3:80"): {Answer: func(web.URL) stage.Reply {
				return stage.Reply{Status: 404}
			}},
		}, NameServers: map[netip.Addr]*stage.NameServer{at("192.0.2.51"): {Zones: []stage.Zone{one}},
			at("192.0.2.52"): {Zones: []stage.Zone{two}}}}, nil)
	differences := w.Voices(
		context.Background(),
		[]web.Host{web.MustParseHost("a.example"), web.MustParseHost("www.a.example")},
	)
	require.Len(t, differences, 1)
	assert.Equal(t, "www.a.example", differences[0].Name)
}

func TestBootstrapFilesNameTheRegistry(t *testing.T) {
	path := filepath.Join(t.TempDir(), "dns.json")
	require.NoError(
		t,
		os.WriteFile(
			path,
			[]byte(
				`{"version":"1.0","services":[[["example","test"],["http://plain.rdap.example/","http://rdap.example/rdap"]],[["a.example"],["http://rdap.example/special"]]]}`,
			),
			0o600,
		),
	)
	r, err := live.ReadBootstrap(path)
	require.NoError(t, err)
	asked := []string{}
	w := look(
		t,
		stage.Scene{
			Zones: records(t, "rdap.example. 60 IN A 192.0.2.90", "plain.rdap.example. 60 IN A 192.0.2.90"),
			Endpoints: map[netip.AddrPort]*stage.Endpoint{
				netip.MustParseAddrPort("192.0.2.90:80"): {Answer: func(u web.URL) stage.Reply {
					asked = append(asked, u.String())
					return stage.Reply{Status: 404}
				}},
			},
		},
		nil,
	)
	s := &live.Surveyor{Web: w, Registry: r}
	s.Domain(context.Background(), subject("a.example"))
	s.Domain(context.Background(), subject("b.example"))
	assert.Equal(
		t,
		[]string{"http://rdap.example/special/domain/a.example",
			"http://plain.rdap.example/domain/b.example"},
		asked,
	)
	for text, want := range map[string]string{"{": "RFC 9224", "": "RFC 9224"} {
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		_, err = live.ReadBootstrap(path)
		assert.ErrorContains(t, err, want)
	}
}
