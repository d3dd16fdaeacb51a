package live_test

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

const day = 24 * time.Hour

// records makes a zone of everything.
func records(t *testing.T, lines ...string) []stage.Zone {
	t.Helper()
	var all []dns.RR
	for _, l := range lines {
		rr, err := dns.NewRR(l)
		require.NoError(t, err, l)
		all = append(all, rr)
	}
	return []stage.Zone{{Origin: ".", Records: all}}
}

func page(title string) func(web.URL) stage.Reply {
	return func(web.URL) stage.Reply { return stage.Reply{Status: 200, Title: title} }
}

// look starts a scene and returns a web that sees it, with short time-outs.
func look(t *testing.T, scene stage.Scene, change func(*live.Vantage)) *live.Client {
	t.Helper()
	s, err := stage.Start(scene)
	require.NoError(t, err)
	v := s.Vantage()
	v.Timeout = 500 * time.Millisecond // a busy machine is slow, and no name server of a test is
	if change != nil {
		change(&v)
	}
	w, err := live.New(v)
	require.NoError(t, err)
	t.Cleanup(func() {
		w.Close()
		_ = s.Close()
	})
	return w
}

func ask(w *live.Client, u string) chain.Answer {
	return w.Answer(context.Background(), chain.Ask{URL: web.MustParseURL(u)})
}

func TestNamesAreFollowedToTheirAddresses(t *testing.T) {
	lines := []string{
		"a.example. 300 IN A 192.0.2.1", "www.a.example. 60 IN CNAME edge.b.example.",
		"edge.b.example. 120 IN CNAME a.example.",
		"six.example. 300 IN AAAA 2001:db8::1", "both.example. 30 IN A 192.0.2.99",
		"both.example. 30 IN A 192.0.2.1",
		"round.example. 300 IN CNAME robin.example.", "robin.example. 300 IN CNAME round.example.",
		"text.example. 300 IN TXT \"x\"", "dangling.example. 300 IN CNAME nowhere.example.",
		"*.wild.example. 300 IN A 192.0.2.1",
	}
	for i := range 80 {
		lines = append(lines, fmt.Sprintf("many.example. 300 IN A 192.0.2.%d", i+100))
	}
	lines = append(lines, "many.example. 300 IN A 192.0.2.1")
	w := look(t,
		stage.Scene{Zones: records(t, lines...), Endpoints: map[netip.AddrPort]*stage.Endpoint{
			netip.MustParseAddrPort("192.0.2.1:80"):       {Answer: page("one")},
			netip.MustParseAddrPort("[2001:db8::1]:80"):   {Answer: page("six")},
			netip.MustParseAddrPort("[2001:db8::1]:8080"): {Answer: page("six on a port")},
		}}, nil)
	a := ask(w, "http://www.a.example/")
	assert.Equal(t, 200, a.Status)
	assert.Equal(t, "192.0.2.1:80", a.Address)
	assert.Equal(t, []string{"edge.b.example", "a.example"}, a.Aliases)
	assert.Equal(t, 300, a.TTL)
	assert.Equal(t, "[2001:db8::1]:80", ask(w, "http://six.example/").Address)
	assert.Equal(t, "[2001:db8::1]:8080", ask(w, "http://six.example:8080/").Address)
	assert.Equal(
		t,
		"192.0.2.1:80",
		ask(w, "http://both.example/").Address,
		"the second address is tried where the first does not answer",
	)
	assert.Equal(t, 200, ask(w, "http://any.wild.example/").Status)
	assert.Equal(t, 200, ask(w, "http://192.0.2.1/").Status, "an address needs no name")
	for host, says := range map[string]string{
		"none.example": "does not exist", "text.example": "neither A nor AAAA",
		"dangling.example": "does not exist (by way of the alias nowhere.example)",
	} {
		a := ask(w, "http://"+host+"/")
		assert.Contains(t, []chain.Refusal{chain.NoAddress, chain.NoDomain}, a.Refusal, host)
		assert.Contains(t, a.Detail, says, host)
	}
	round := ask(w, "http://round.example/")
	assert.Equal(t, chain.AliasLoop, round.Refusal)
	assert.Contains(t, round.Detail, "form a loop: ")
	assert.Contains(t, ask(w, "http://many.example/").Address, "192.0.2.",
		"an answer too long for UDP comes over TCP")
}

func TestRefusalsAreSorted(t *testing.T) {
	w := look(t, stage.Scene{
		Zones: records(
			t,
			"up.example. 1 IN A 192.0.2.1",
			"silent.example. 1 IN A 192.0.2.2",
			"gone.example. 1 IN A 192.0.2.3",
		),
		Endpoints: map[netip.AddrPort]*stage.Endpoint{
			netip.MustParseAddrPort("192.0.2.1:80"):   {Answer: page("x")},
			netip.MustParseAddrPort("192.0.2.1:8443"): {Answer: page("plain http where TLS is expected")},
			netip.MustParseAddrPort("192.0.2.2:80"):   {Silent: true},
		}}, nil)
	for u, want := range map[string]chain.Refusal{
		"https://up.example/":      chain.Refused,
		"http://silent.example/":   chain.Timeout,
		"http://gone.example/":     chain.Unreachable,
		"https://up.example:8443/": chain.TLSFailed,
	} {
		a := ask(w, u)
		assert.Equal(t, want, a.Refusal, u)
		assert.NotEmpty(t, a.Detail, u)
		assert.NotEmpty(t, a.Address, u)
	}
	assert.GreaterOrEqual(t, ask(w, "http://silent.example/").MS, 0.0)
}

func TestASilentAddressIsNotWaitedForAgainAndAgain(t *testing.T) {
	w := look(
		t,
		stage.Scene{Zones: records(t, "silent.example. 1 IN A 192.0.2.2"),
			Endpoints: map[netip.AddrPort]*stage.Endpoint{
				netip.MustParseAddrPort("192.0.2.2:80"): {Silent: true},
			}},
		nil,
	)
	first := ask(w, "http://silent.example/")
	assert.Equal(t, chain.Timeout, first.Refusal)
	second := ask(w, "http://silent.example/other")
	assert.Equal(t, chain.Timeout, second.Refusal)
	assert.Equal(t, first.Detail, second.Detail)
	assert.Less(t, second.MS, first.MS/2, "it was tried twice for the first URL")
}

func TestAVantageThatDoesNotWorkIsNoFaultOfTheDoor(t *testing.T) {
	scene := stage.Scene{Zones: records(t, "up.example. 1 IN A 192.0.2.1")}
	for name, change := range map[string]func(*live.Vantage){
		"no proxy":    func(v *live.Vantage) { v.Proxy = "127.0.0.1:1" },
		"no resolver": func(v *live.Vantage) { v.Resolvers = []string{"127.0.0.1:1"} },
	} {
		w := look(t, scene, change)
		assert.NoError(t, w.Broken(), name)
		assert.Equal(t, chain.Unseen, ask(w, "http://up.example/").Refusal, name)
		assert.ErrorContains(t, w.Broken(), "127.0.0.1:1", name)
	}
}

func TestCertificatesAreJudgedAsBrowsersDo(t *testing.T) {
	const host = "a.example"
	names := []string{host, "www.a.example"}
	for want, c := range map[string]stage.Certificate{
		"":              {Names: names},
		"wrong-name":    {Names: []string{"other.example"}},
		"expired":       {Names: names, From: -90 * day, Until: -2 * day},
		"not-yet-valid": {Names: names, From: 2 * day, Until: 90 * day},
		"untrusted":     {Names: names, SignedBy: stage.ByStranger},
		"broken-chain":  {Names: names, LeaveOut: true},
		"expires-soon":  {Names: names, From: -80 * day, Until: 10 * day},
		"wrong-name expired untrusted": {Names: nil, From: -90 * day, Until: -2 * day,
			SignedBy: stage.ByItself},
	} {
		w := look(t,
			stage.Scene{Zones: records(t, host+". 1 IN A 192.0.2.1"),
				Endpoints: map[netip.AddrPort]*stage.Endpoint{
					netip.MustParseAddrPort("192.0.2.1:443"): {Answer: page("x"),
						Certificates: []stage.Certificate{c}},
				}}, nil)
		a := ask(w, "https://"+host+"/")
		require.NotNil(t, a.TLS, want)
		assert.Equal(t, want, strings.Join(finding.Names(a.TLS.Faults), " "))
		assert.Equal(t, 200, a.Status, "the answer is read even where the certificate is bad")
		assert.Equal(t, "TLS 1.3", a.TLS.Version)
		assert.Equal(t, "h2", a.TLS.ALPN)
		assert.NotEmpty(t, a.TLS.Issuer)
	}
}

func TestAnotherTimeJudgesCertificatesOtherwise(t *testing.T) {
	w := look(
		t,
		stage.Scene{Zones: records(t, "a.example. 1 IN A 192.0.2.1"),
			Endpoints: map[netip.AddrPort]*stage.Endpoint{
				netip.MustParseAddrPort("192.0.2.1:443"): {
					Answer:       page("x"),
					Certificates: []stage.Certificate{{Names: []string{"a.example"}}},
				},
			}},
		func(v *live.Vantage) { v.AsOf = time.Now().Add(61 * day) },
	)
	assert.Equal(t, []finding.Code{finding.Expired}, ask(w, "https://a.example/").TLS.Faults)
}

// raw serves fixed octets to every connection, directly on loopback.
func raw(t *testing.T, answer func(net.Conn)) live.Point {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				buffer := make([]byte, 4096)
				_, _ = c.Read(buffer)
				answer(c)
			}()
		}
	}()
	at := netip.MustParseAddrPort(l.Addr().String())
	return live.Point{Host: web.MustParseHost("bad.example"), Address: at.Addr(), To: at.Port()}
}

func TestHostileAnswersAreFindingsAndNeverAHang(t *testing.T) {
	endless := func(start, more string) func(net.Conn) {
		return func(c net.Conn) {
			_, err := c.Write([]byte(start))
			for err == nil {
				_, err = c.Write([]byte(more))
			}
		}
	}
	says := func(text string) func(net.Conn) {
		return func(c net.Conn) { _, _ = c.Write([]byte(text)) }
	}
	redirect := func(headers string) func(net.Conn) {
		return says("HTTP/1.1 301 Moved\r\n" + headers + "Content-Length: 0\r\nConnection: close\r\n\r\n")
	}
	for name, c := range map[string]struct {
		answer func(net.Conn)
		want   string
	}{
		"garbage":     {says("\x00\x1b[31mSSH-2.0\r\n"), "bad-answer"},
		"nothing":     {says(""), "bad-answer"},
		"half a head": {says("HTTP/1.1 200"), "bad-answer"},
		"silence":     {func(net.Conn) { time.Sleep(2 * time.Second) }, "timeout"},
		"endless header": {endless("HTTP/1.1 200 OK\r\n", "X: "+strings.Repeat("y", 1000)+"\r\n"),
			"bad-answer"},
		"endless line": {endless("HTTP/1.1 200 OK\r\nX: ", strings.Repeat("y", 4096)), "bad-answer"},
		"endless body": {endless("HTTP/1.1 200 OK\r\n\r\n", strings.Repeat("z", 4096)),
			"plain-arrival"},
		"broken chunks": {says("HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\n"),
			"plain-arrival"},
		"no location":    {redirect(""), "bad-location"},
		"empty location": {redirect("Location: \r\n"), "bad-location"},
		"spaces":         {redirect("Location: http://bad.example/a b\r\n"), "bad-location"},
		"script":         {redirect("Location: javascript:alert(1)\r\n"), "bad-location"},
		"tab":            {redirect("Location: http://bad.example/\tx\r\n"), "bad-location"},
		// no header may hold it
		"control": {redirect("Location: http://bad.example/\x1b[2Jx\r\n"), "bad-answer"},
		"two locations": {
			redirect("Location: http://bad.example/1\r\nLocation: http://bad.example/2\r\n"),
			"bad-location"},
		"outside ASCII": {redirect("Location: http://bad.example/\xc3\xb8\r\n"), "bad-location"},
		"unknown host":  {redirect("Location: http://:80/\r\n"), "bad-location"},
	} {
		w := look(t, stage.Scene{}, func(v *live.Vantage) {
			v.Proxy, v.Points = "", []live.Point{raw(t, c.answer)}
		})
		done := make(chan chain.Chain, 1)
		go func() {
			done <- chain.Follow(context.Background(), w,
				chain.Ask{URL: web.MustParseURL("http://bad.example/x")}, chain.Asked)
		}()
		select {
		case got := <-done:
			chain.Judge{Now: time.Now()}.Chain(&got, chain.Goal{})
			var codes []string
			for _, f := range got.Findings {
				codes = append(codes, f.Code.String())
			}
			assert.Contains(t, codes, c.want, name)
		case <-time.After(8 * time.Second):
			t.Fatalf("%s: it hangs", name)
		}
	}
}

func TestLocalhostAsksNobody(t *testing.T) {
	server := httptest.NewServer(http.NotFoundHandler())
	defer server.Close()
	w := look(t, stage.Scene{}, func(v *live.Vantage) {
		v.Proxy, v.Resolvers = "", []string{"127.0.0.1:1"}
	})
	at := netip.MustParseAddrPort(strings.TrimPrefix(server.URL, "http://"))
	assert.Equal(t, 404, ask(w, fmt.Sprintf("http://dev.localhost:%d/", at.Port())).Status)
}

func TestPathsGoOutToTheLetter(t *testing.T) {
	var got string
	w := look(t, stage.Scene{}, func(v *live.Vantage) {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { _ = l.Close() })
		server := &http.Server{
			Handler: http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { got = r.RequestURI })}
		go func() { _ = server.Serve(l) }()
		at := netip.MustParseAddrPort(l.Addr().String())
		v.Proxy, v.Points = "",
			[]live.Point{{Host: web.MustParseHost("a.example"), Address: at.Addr(), To: at.Port()}}
	})
	for _, uri := range []string{"/", "/a%2Fb|c?x=%20|y", "//two", "/a//b", `/say"hi"`, "/{x}",
		"/%7e~", "/?", "/a?b?c"} {
		require.Equal(t, 200, ask(w, "http://a.example"+uri).Status, uri)
		assert.Equal(t, strings.TrimSuffix(uri, "?"), got)
	}
}

func TestPointsGoAroundDNSAndKeepToTheWay(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "UpperPath/test", r.UserAgent())
		http.Redirect(w, r, "https://www.n.example"+r.RequestURI, http.StatusMovedPermanently)
	}))
	defer server.Close()
	p, err := live.ParsePoint("old.example:80=" + strings.TrimPrefix(server.URL, "http://"))
	require.NoError(t, err)
	w := look(
		t,
		stage.Scene{},
		func(v *live.Vantage) { v.Points, v.Proxy, v.Agent = []live.Point{p}, "", "UpperPath/test" },
	)
	a := ask(w, "http://old.example/a%2Fb?c")
	assert.Equal(t, 301, a.Status)
	assert.Equal(t, "https://www.n.example/a%2Fb?c", a.Location)
	assert.Equal(t, strings.TrimPrefix(server.URL, "http://"), a.Address)
	assert.Equal(
		t,
		chain.NoDomain,
		ask(w, "https://old.example/").Refusal,
		"a point with a port holds for that port alone",
	)
}

// TestAPointNeverLeavesTheStage points at a server on loopback, which the stage's proxy does not
// know.
func TestAPointNeverLeavesTheStage(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		t.Error("the point was asked around the proxy")
	}))
	defer server.Close()
	p, err := live.ParsePoint("old.example=" + strings.TrimPrefix(server.URL, "http://"))
	require.NoError(t, err)
	w := look(t, stage.Scene{}, func(v *live.Vantage) { v.Points = []live.Point{p} })
	assert.Equal(t, chain.Unreachable, ask(w, "http://old.example/").Refusal)
}

func TestAFrameIsSeenInWhatAServerAnswers(t *testing.T) {
	const page = `<html><frameset rows="*"><frame src="https://www.n.example/"></frameset></html>`
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/text":
			w.Header().Set("Content-Type", "text/plain")
		case "/missing":
			w.WriteHeader(http.StatusNotFound)
		}
		_, _ = io.WriteString(w, page)
	}))
	defer server.Close()
	p, err := live.ParsePoint("old.example:80=" + strings.TrimPrefix(server.URL, "http://"))
	require.NoError(t, err)
	w := look(t, stage.Scene{}, func(v *live.Vantage) { v.Proxy, v.Points = "", []live.Point{p} })
	assert.Equal(t, "https://www.n.example/", ask(w, "http://old.example/").Framed)
	assert.Empty(t, ask(w, "http://old.example/text").Framed, "it is text")
	assert.Empty(t, ask(w, "http://old.example/missing").Framed, "it is an error page")
}

func TestParsePoint(t *testing.T) {
	for in, want := range map[string]live.Point{
		"a.example=192.0.2.1": {Host: web.MustParseHost("a.example"),
			Address: netip.MustParseAddr("192.0.2.1")},
		"a.example:443=192.0.2.1:8443": {
			Host: web.MustParseHost("a.example"), Port: 443, Address: netip.MustParseAddr("192.0.2.1"),
			To: 8443,
		},
		"a.example:80=[2001:db8::1]:81": {
			Host: web.MustParseHost("a.example"), Port: 80, Address: netip.MustParseAddr("2001:db8::1"),
			To: 81,
		},
		"møllehuset.example=[2001:db8::1]": {
			Host:    web.MustParseHost("xn--mllehuset-l8a.example"),
			Address: netip.MustParseAddr("2001:db8::1"),
		},
	} {
		got, err := live.ParsePoint(in)
		require.NoError(t, err, in)
		assert.Equal(t, want, got, in)
	}
	for _, bad := range []string{"", "a.example", "a.example=b.example", "=192.0.2.1",
		"a.example/x=192.0.2.1",
		"a.example=192.0.2.1:99999"} {
		_, err := live.ParsePoint(bad)
		assert.ErrorContains(t, err, "HOST[:PORT]=ADDRESS[:PORT]", bad)
	}
}

func TestTrustFiles(t *testing.T) {
	path := filepath.Join(t.TempDir(), "ca.pem")
	_, err := live.FromEstate("x", estate.Vantage{Trust: path})
	assert.ErrorContains(t, err, "cannot be read: no such file")
	_, _, trust, err := stage.Files(stage.Certificate{Names: []string{"a.example"}})
	require.NoError(t, err)
	for text, want := range map[string]string{
		"nothing":     "it contains no certificate",
		string(trust): "",
		string(trust) +
			"-----BEGIN CERTIFICATE-----\nAAAA\n-----END CERTIFICATE-----\n": fmt.Sprintf("ca.pem:%d: a "+
			"certificate cannot be read", strings.Count(string(trust), "\n")+1),
	} {
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		_, err = live.FromEstate("x", estate.Vantage{Trust: path})
		if want == "" {
			assert.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, want)
	}
}

func TestOneAddressCanBeAskedAlone(t *testing.T) {
	w := look(
		t,
		stage.Scene{
			Zones: records(t, "a.example. 1 IN A 192.0.2.1", "a.example. 1 IN A 192.0.2.2"),
			Endpoints: map[netip.AddrPort]*stage.Endpoint{
				netip.MustParseAddrPort("192.0.2.1:80"): {Answer: page("one")},
				netip.MustParseAddrPort("192.0.2.2:80"): {Answer: func(web.URL) stage.Reply {
					return stage.Reply{Status: 503}
				}},
			},
		},
		nil,
	)
	for address, status := range map[string]int{"192.0.2.1": 200, "192.0.2.2": 503} {
		a := w.Answer(
			context.Background(),
			chain.Ask{URL: web.MustParseURL("http://a.example/"), Address: netip.MustParseAddr(address)},
		)
		assert.Equal(t, status, a.Status)
	}
}
