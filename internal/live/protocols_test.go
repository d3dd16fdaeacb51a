package live_test

import (
	"bufio"
	"bytes"
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/http2"
	"golang.org/x/net/http2/hpack"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

// spoken is what a server says to each request, by either protocol.
type spoken struct {
	one func(c net.Conn, request *http.Request)
	two func(f *http2.Framer, stream uint32, c net.Conn)
}

// speaks serves TLS on loopback by one protocol, and answers as it is told to.
func speaks(t *testing.T, protocol string, s spoken) live.Point {
	t.Helper()
	certificate, key, _, err := stage.Files(stage.Certificate{Names: []string{"bad.example"}})
	require.NoError(t, err)
	pair, err := tls.X509KeyPair(certificate, key)
	require.NoError(t, err)
	l, err := tls.Listen("tcp", "127.0.0.1:0", &tls.Config{Certificates: []tls.Certificate{pair},
		NextProtos: []string{protocol}, MinVersion: tls.VersionTLS12})
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
				if protocol == "h2" {
					framed(c, s.two)
					return
				}
				reader := bufio.NewReader(c)
				for {
					r, err := http.ReadRequest(reader)
					if err != nil {
						return
					}
					s.one(c, r)
				}
			}()
		}
	}()
	at := netip.MustParseAddrPort(l.Addr().String())
	return live.Point{Host: web.MustParseHost("bad.example"), Address: at.Addr(), To: at.Port()}
}

// framed speaks HTTP/2 (RFC 9113) as far as is needed to be asked, and hands every request on.
func framed(c net.Conn, answer func(*http2.Framer, uint32, net.Conn)) {
	if _, err := io.ReadFull(c, make([]byte, len(http2.ClientPreface))); err != nil {
		return
	}
	f := http2.NewFramer(c, c)
	_ = f.WriteSettings()
	for {
		frame, err := f.ReadFrame()
		if err != nil {
			return
		}
		switch frame := frame.(type) {
		case *http2.SettingsFrame:
			if !frame.IsAck() {
				_ = f.WriteSettingsAck()
			}
		case *http2.HeadersFrame:
			answer(f, frame.StreamID, c)
		}
	}
}

func block(pairs ...string) []byte {
	var b bytes.Buffer
	e := hpack.NewEncoder(&b)
	for i := 0; i+1 < len(pairs); i += 2 {
		_ = e.WriteField(hpack.HeaderField{Name: pairs[i], Value: pairs[i+1]})
	}
	return b.Bytes()
}

func heads(f *http2.Framer, stream uint32, end bool, pairs ...string) {
	_ = f.WriteHeaders(
		http2.HeadersFrameParam{StreamID: stream, BlockFragment: block(pairs...), EndHeaders: true,
			EndStream: end},
	)
}

const whole = "<!doctype html><title>Whole</title><h1>Whole</h1>"

// TestBothProtocolsAreJudgedAlike has servers misbehave in the same way by HTTP/1.1 and HTTP/2:
// what is found is the same.
func TestBothProtocolsAreJudgedAlike(t *testing.T) {
	text := func(s string, shut bool) func(net.Conn, *http.Request) {
		return func(c net.Conn, _ *http.Request) {
			_, _ = c.Write([]byte(s))
			if shut {
				_ = c.Close()
			}
		}
	}
	ok := fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: %d\r\n\r\n%s",
		len(whole), whole)
	var firstOne, firstTwo atomic.Bool
	for name, c := range map[string]struct {
		says spoken
		want string // the codes, trust and HSTS aside
	}{
		"as it should be": {spoken{text(ok, false), func(f *http2.Framer, s uint32, _ net.Conn) {
			heads(f, s, false, ":status", "200", "content-type", "text/html")
			_ = f.WriteData(s, true, []byte(whole))
		}}, ""},
		"frames that make no sense": {
			spoken{text("\x00\x00\x04garbage\r\n\r\n", true), func(_ *http2.Framer, _ uint32,
				c net.Conn) {
				_, _ = c.Write([]byte("\xff\xff\xffgarbage that is no frame at all"))
			}}, "bad-answer"},
		"a status that is none": {
			spoken{text("HTTP/1.1 abc Bad\r\n\r\n", true), func(f *http2.Framer, s uint32, _ net.Conn) {
				heads(f, s, true, ":status", "abc")
			}}, "bad-answer"},
		"no status at all": {
			spoken{text("Content-Type: text/html\r\n\r\n", true),
				func(f *http2.Framer, s uint32, _ net.Conn) {
					heads(f, s, true, "content-type", "text/html")
				}}, "bad-answer"},
		"it goes away instead of answering": {
			spoken{text("", true), func(f *http2.Framer, _ uint32, c net.Conn) {
				_ = f.WriteGoAway(0, http2.ErrCodeNo, nil)
				_ = c.Close()
			}}, "bad-answer"},
		"it takes the request back": {spoken{text("", true), func(f *http2.Framer, s uint32, _ net.Conn) {
			_ = f.WriteRSTStream(s, http2.ErrCodeInternal)
		}}, "bad-answer"},
		"it answers, and says that it goes away": {
			spoken{text(strings.Replace(ok, "\r\n\r\n", "\r\nConnection: close\r\n\r\n", 1),
				true), func(f *http2.Framer, s uint32, _ net.Conn) {
				_ = f.WriteGoAway(s, http2.ErrCodeNo, nil)
				heads(f, s, false, ":status", "200", "content-type", "text/html")
				_ = f.WriteData(s, true, []byte(whole))
			}}, ""},
		"it closes without a word after the first answer": {spoken{func(c net.Conn, r *http.Request) {
			if firstOne.CompareAndSwap(false, true) {
				text("HTTP/1.1 301 Moved\r\nLocation: /next\r\nContent-Length: 0\r\n\r\n", true)(c, r)
				return
			}
			text(ok, false)(c, r)
		}, func(f *http2.Framer, s uint32, c net.Conn) {
			if firstTwo.CompareAndSwap(false, true) {
				heads(f, s, true, ":status", "301", "location", "/next")
				_ = c.Close()
				return
			}
			heads(f, s, false, ":status", "200", "content-type", "text/html")
			_ = f.WriteData(s, true, []byte(whole))
		}}, ""},
		"an answer cut short": {
			spoken{text("HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: 9999\r\n\r\n"+whole,
				true),
				func(f *http2.Framer, s uint32, c net.Conn) {
					heads(f, s, false, ":status", "200", "content-type", "text/html", "content-length", "9999")
					_ = f.WriteData(s, false, []byte(whole))
					_ = c.Close()
				}}, "soft-redirect"}, // a note: what follows was not seen
		"two Locations": {spoken{
			text("HTTP/1.1 301 Moved\r\nLocation: /a\r\nLocation: /b\r\nContent-Length: 0\r\n\r\n", false),
			func(f *http2.Framer, s uint32, _ net.Conn) {
				heads(f, s, true, ":status", "301", "location", "/a", "location", "/b")
			}}, "bad-location"},
		"silence": {spoken{func(net.Conn, *http.Request) {}, func(*http2.Framer, uint32, net.Conn) {}},
			"timeout"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			for _, protocol := range []string{"http/1.1", "h2"} {
				w := look(t, stage.Scene{}, func(v *live.Vantage) {
					v.Proxy, v.Timeout, v.Points = "", time.Second, []live.Point{speaks(t, protocol, c.says)}
				})
				got := chain.Follow(context.Background(), w,
					chain.Ask{URL: web.MustParseURL("https://bad.example/x")}, chain.Asked)
				chain.Judge{Now: time.Now()}.Chain(&got, chain.Goal{})
				var codes []string
				for _, f := range got.Findings {
					if code := f.Code.String(); code != "untrusted" && code != "broken-chain" &&
						code != "hsts-missing" {
						codes = append(codes, code)
					}
				}
				slices.Sort(codes)
				assert.Equal(t, c.want, strings.Join(codes, " "), "%s: %+v", protocol, got.Last())
				if tlsSeen := got.Hops[0].TLS; tlsSeen != nil {
					assert.Equal(t, protocol, tlsSeen.ALPN)
				}
			}
		})
	}
}
