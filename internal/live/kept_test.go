package live_test

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

// talker serves plain HTTP on loopback: say is told each request, and the number of its connection,
// from 1 on.
type talker struct {
	point       live.Point
	connections atomic.Int64
	said        chan string // the heads of the requests
}

func talks(t *testing.T, say func(c net.Conn, connection int64, request string)) *talker {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	at := netip.MustParseAddrPort(l.Addr().String())
	s := &talker{said: make(chan string, 1000)}
	s.point = live.Point{Host: web.MustParseHost("talk.example"), Address: at.Addr(), To: at.Port()}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			n := s.connections.Add(1)
			go func() {
				defer c.Close()
				for reader := bufio.NewReader(c); ; {
					var head strings.Builder
					for {
						line, err := reader.ReadString('\n')
						if err != nil {
							return
						}
						if line == "\r\n" {
							break
						}
						head.WriteString(line)
					}
					s.said <- head.String()
					say(c, n, head.String())
				}
			}()
		}
	}()
	return s
}

func (s *talker) web(t *testing.T, v live.Vantage) *live.Client {
	t.Helper()
	v.Points, v.Resolvers = []live.Point{s.point}, []string{"127.0.0.1:1"}
	w, err := live.New(v)
	require.NoError(t, err)
	t.Cleanup(w.Close)
	return w
}

var talked = chain.Ask{URL: web.MustParseURL("http://talk.example/a?b=1")}

const (
	short = "HTTP/1.1 200 OK\r\nContent-Length: 4\r\nContent-Type: text/plain\r\n\r\nhere"
	moved = "HTTP/1.1 301 Moved Permanently\r\nLocation: http://b.example/\r\n" +
		"Content-Length: 0\r\n\r\n"
	tooLate = "HTTP/1.1 408 Request Timeout\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
	chunked = "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\nTrailer: X\r\n\r\n4\r\nhere\r\n" +
		"0\r\nX: y\r\n\r\n"
	forGood  = "HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: 4\r\n\r\nhere"
	untilEnd = "HTTP/1.0 200 OK\r\nContent-Type: text/plain\r\n\r\nhere"
)

func TestConnectionsAreKeptForTheNextQuestion(t *testing.T) {
	for name, c := range map[string]struct {
		answer      string
		shut        bool
		connections int64
	}{
		"with a length":  {answer: short, connections: 1},
		"a redirect":     {answer: moved, connections: 1},
		"in chunks":      {answer: chunked, connections: 1},
		"without a body": {answer: "HTTP/1.1 204 No Content\r\n\r\n", connections: 1},
		"for good":       {answer: forGood, shut: true, connections: 5},
		"HTTP/1.0":       {answer: untilEnd, shut: true, connections: 5},
		// it is no answer to the next question
		"more than it said": {answer: short + moved, connections: 5},
	} {
		t.Run(name, func(t *testing.T) {
			s := talks(t, func(conn net.Conn, _ int64, _ string) {
				_, _ = io.WriteString(conn, c.answer)
				if c.shut {
					_ = conn.Close()
				}
			})
			w := s.web(t, live.Vantage{Agent: "Test"})
			first := w.Answer(context.Background(), talked)
			require.Empty(t, first.Refusal, first.Detail)
			for range 4 {
				again := w.Answer(context.Background(), talked)
				assert.Equal(t, []any{first.Status, first.Location, first.At},
					[]any{again.Status, again.Location, again.At})
			}
			assert.Equal(t, c.connections, s.connections.Load())
		})
	}
}

// TestWhatWasClosedMeanwhileIsAskedAnew has servers end what was kept, at once or as the next
// question comes, silently or with a 408 that belongs to no question.
func TestWhatWasClosedMeanwhileIsAskedAnew(t *testing.T) {
	for name, end := range map[string]func(c net.Conn, question int) bool{
		"at once": func(c net.Conn, _ int) bool { _ = c.Close(); return false },
		"with a 408": func(c net.Conn, _ int) bool {
			_, _ = io.WriteString(c, tooLate)
			return false
		},
		"with a 408, when asked": func(c net.Conn, n int) bool {
			_, _ = io.WriteString(c, tooLate)
			return n == 2
		},
		"when it is asked": func(c net.Conn, n int) bool { _ = c.Close(); return n == 2 },
	} {
		t.Run(name, func(t *testing.T) {
			var lock sync.Mutex
			questions := map[int64]int{}
			ended := make(chan bool, 100)
			s := talks(t, func(c net.Conn, n int64, _ string) {
				lock.Lock()
				questions[n]++
				second := questions[n] == 2
				lock.Unlock()
				if n%2 == 1 && second {
					end(c, 2)
					return
				}
				_, _ = io.WriteString(c, short)
				if n%2 == 1 && !strings.Contains(name, "when") {
					end(c, 1)
				}
				ended <- true
			})
			w := s.web(t, live.Vantage{Timeout: 5 * time.Second})
			for range 6 {
				a := w.Answer(context.Background(), talked)
				assert.Equal(t, http.StatusOK, a.Status, a.Detail)
				<-ended
			}
		})
	}
}

func TestWhatIsPostedGoesOutOnceAndAlone(t *testing.T) {
	s := talks(t, func(c net.Conn, _ int64, request string) {
		if strings.HasPrefix(request, "POST ") {
			_ = c.Close()
			return
		}
		_, _ = io.WriteString(c, short)
	})
	w := s.web(t, live.Vantage{Agent: "Test"})
	require.Empty(t, w.Answer(context.Background(), talked).Refusal)
	ask := talked
	ask.Method = http.MethodPost
	assert.Equal(t, chain.BadAnswer, w.Answer(context.Background(), ask).Refusal)
	assert.Equal(
		t,
		int64(2),
		s.connections.Load(),
		"the one that was kept may be closed, and then nobody knows what was done",
	)
	<-s.said
	assert.Equal(t, "POST /a?b=1 HTTP/1.1\r\nHost: talk.example\r\nUser-Agent: Test\r\n"+
		"Accept: text/html,*/*;q=0.8\r\nContent-Length: 0\r\n", <-s.said)
	assert.Empty(t, s.said)
}

func TestTheQuestionGoesOutToTheLetter(t *testing.T) {
	s := talks(t, func(c net.Conn, _ int64, _ string) { _, _ = io.WriteString(c, short) })
	w := s.web(t, live.Vantage{Agent: "Te\r\nst: x"})
	for _, path := range []string{"/", "//a//b", "/%7Ea/ü?q=a'b|c", "/a\r\nX:%20y?\r\nHost:\x00b",
		"/?"} {
		u := web.MustParseURL("http://talk.example" + path)
		require.Empty(t, w.Answer(context.Background(), chain.Ask{URL: u}).Refusal)
		lines := strings.Split(<-s.said, "\r\n")
		assert.Equal(t,
			[]string{"GET " + u.RequestURI() + " HTTP/1.1", "Host: talk.example", "User-Agent: Test: x",
				"Accept: text/html,*/*;q=0.8", ""}, lines, "one line each, whatever came from outside")
		assert.Len(t, strings.Fields(lines[0]), 3)
	}
}

// TestPlainAnswersAreReadAsNetHTTPReadsThem has a server say all kinds of things, right and wrong,
// and asks it by net/http's own transport too.
func TestPlainAnswersAreReadAsNetHTTPReadsThem(t *testing.T) {
	long := strings.Repeat("a", 300<<10)
	for i, says := range []string{
		short, moved, chunked, forGood, untilEnd, tooLate, "", "\r\n", "HTTP/1.1", "HTTP/1.1 200\r\n\r\n",
		"HTTP/1.1 2x0 OK\r\n\r\n",
		"HTTP/1.1 100 Continue\r\n\r\n" + short, "HTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\n" + moved,
		strings.Repeat("HTTP/1.1 103 Early Hints\r\n\r\n", 50) + short,
		strings.Repeat("HTTP/1.1 103 Early Hints\r\n\r\n", 20000) + short,
		"HTTP/1.1 101 Switching Protocols\r\nUpgrade: x\r\nConnection: upgrade\r\n\r\nhere",
		"HTTP/2.0 200 OK\r\n\r\n", "HTTP/3 200\r\n\r\n", "ICY 200 OK\r\n\r\nhere", "SSH-2.0-x\r\n",
		"220 mail.example ESMTP\r\n",
		"<html>no head</html>", "\x15\x03\x01\x00\x02\x02\x50", "HTTP/1.1 301 Moved\r\n\r\n",
		"HTTP/1.1 301 Moved\r\nLocation:\r\n\r\n",
		"HTTP/1.1 302 Found\r\nLocation: /a\r\nLocation: /b\r\nContent-Length: 0\r\n\r\n",
		"HTTP/1.1 200 OK\r\nContent-Length: 4\r\nContent-Length: 5\r\n\r\nhere",
		"HTTP/1.1 200 OK\r\nContent-Length: -1\r\n\r\n",
		"HTTP/1.1 200 OK\r\nContent-Length: 4\r\nContent-Length: 4\r\n\r\nhere",
		"HTTP/1.1 200 OK\r\nContent-Length: 400\r\n\r\nhere",
		"HTTP/1.1 200 OK\r\nContent-Length: x\r\n\r\nhere",
		"HTTP/1.1 200 OK\r\nTransfer-Encoding: gzip\r\n\r\nhere",
		"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\n",
		"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\nContent-Length: 9\r\n\r\n4\r\nhere\r\n0\r\n" +
			"\r\n",
		"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n4\r\nhe",
		"HTTP/1.1 200 OK\nContent-Length: 4\n\nhere",
		"HTTP/1.1 200 OK\r\nNo colon\r\n\r\n", "HTTP/1.1 200 OK\r\n: none\r\n\r\n",
		"HTTP/1.1 200 OK\r\nA b: c\r\n\r\n",
		"HTTP/1.1 200 OK\r\n folded\r\n\r\n",
		"HTTP/1.1 200 OK\r\nA: b\r\n folded\r\nContent-Length: 4\r\n\r\nhere",
		"HTTP/1.1 200 OK\r\nA: \x00\r\n\r\n", "HTTP/1.1 200 OK\r\nA: " + long + "\r\n\r\n",
		"HTTP/1.1 200 " + long + "\r\n\r\n",
		"HTTP/1.1 304 Not Modified\r\nContent-Length: 4\r\n\r\n",
		"HTTP/1.1 999 What\r\nContent-Length: 0\r\n\r\n",
		"HTTP/1.1 099 What\r\nContent-Length: 0\r\n\r\n",
		"HTTP/1.1 500 Oh\r\nContent-Length: 4\r\n\r\nhere",
	} {
		t.Run(fmt.Sprint(i), func(t *testing.T) {
			s := talks(t, func(c net.Conn, _ int64, _ string) {
				_, _ = io.WriteString(c, says)
				_ = c.Close()
			})
			ours := s.web(t, live.Vantage{Timeout: 5 * time.Second}).Answer(context.Background(), talked)
			theirs := &http.Transport{DisableKeepAlives: true, MaxResponseHeaderBytes: live.MostHeader,
				DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
					var d net.Dialer
					return d.DialContext(ctx, "tcp", netip.AddrPortFrom(s.point.Address, s.point.To).String())
				}}
			request, err := http.NewRequestWithContext(context.Background(), http.MethodGet,
				talked.URL.String(), http.NoBody)
			require.NoError(t, err)
			response, err := theirs.RoundTrip(request)
			if err != nil {
				assert.Equal(t, chain.BadAnswer, ours.Refusal, "net/http says %v; we have status %d", err,
					ours.Status)
				assert.NotContains(t, ours.Detail, "127.0.0.1:",
					"what the library says of sockets is for nobody")
				return
			}
			defer response.Body.Close()
			if response.StatusCode == http.StatusSwitchingProtocols {
				assert.Contains(t, ours.Detail, "a protocol")
				return
			}
			assert.Equal(t, response.StatusCode, ours.Status, ours.Detail)
			assert.Equal(t, response.Header.Get("Location"), ours.Location)
		})
	}
}

func TestAQuestionThatIsCutOffIsUnseen(t *testing.T) {
	s := talks(t, func(net.Conn, int64, string) {})
	w := s.web(t, live.Vantage{Timeout: time.Minute})
	ctx, cancel := context.WithCancel(context.Background())
	go func() { <-s.said; cancel() }()
	began := time.Now()
	a := w.Answer(ctx, talked)
	assert.Equal(t, []any{chain.Unseen, "interrupted"}, []any{a.Refusal, a.Detail})
	assert.Less(t, time.Since(began), 30*time.Second, "the vantage would wait for a minute")
}

func TestManyHostsKeepFewConnections(t *testing.T) {
	var open, most atomic.Int64
	server := &http.Server{ // it is asked by this test alone
		Handler: http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			_, _ = io.WriteString(w, "here")
		}),
		ConnState: func(_ net.Conn, s http.ConnState) {
			switch s {
			case http.StateNew:
				if n := open.Add(1); n > most.Load() {
					most.Store(n)
				}
			case http.StateClosed, http.StateHijacked:
				open.Add(-1)
			case http.StateActive, http.StateIdle:
			}
		},
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { _ = server.Close() })
	at := netip.MustParseAddrPort(l.Addr().String())
	v := live.Vantage{Resolvers: []string{"127.0.0.1:1"}}
	const hosts = 400
	for i := range hosts {
		h := web.MustParseHost(fmt.Sprintf("h%d.example", i))
		v.Points = append(v.Points, live.Point{Host: h, Address: at.Addr(), To: at.Port()})
	}
	w, err := live.New(v)
	require.NoError(t, err)
	for i := range hosts {
		a := w.Answer(context.Background(),
			chain.Ask{URL: web.MustParseURL(fmt.Sprintf("http://h%d.example/", i))})
		require.Equal(t, http.StatusOK, a.Status)
	}
	assert.Greater(t, most.Load(), int64(200), "they are kept")
	w.Close()
	assert.Eventually(t, func() bool { return open.Load() == 0 }, 10*time.Second, 10*time.Millisecond,
		"Close closes all")
	assert.Less(t, most.Load(), int64(hosts), "but not all of them")
}

// TestAServerThatAsksForTimeIsGivenIt has servers answer 429 and 503 once, with a time to come back
// or without.
func TestAServerThatAsksForTimeIsGivenIt(t *testing.T) {
	for name, c := range map[string]struct {
		says   string // what is answered first
		status int    // that is found in the end
		waits  time.Duration
		asked  int
	}{
		"429": {"HTTP/1.1 429 Slow\r\nContent-Length: 0\r\n\r\n", 200, time.Second, 2},
		"429, in a second": {"HTTP/1.1 429 Slow\r\nRetry-After: 1\r\nContent-Length: 0\r\n\r\n", 200,
			time.Second, 2},
		"503, at once": {"HTTP/1.1 503 Busy\r\nRetry-After: 0\r\nContent-Length: 0\r\n\r\n", 200,
			0, 2},
		"503, in an hour": {"HTTP/1.1 503 Busy\r\nRetry-After: 3600\r\nContent-Length: 0\r\n\r\n",
			503, 0, 1},
		"503, nobody knows": {"HTTP/1.1 503 Busy\r\nContent-Length: 0\r\n\r\n", 200, time.Second, 2},
		"503, at no time": {"HTTP/1.1 503 Busy\r\nRetry-After: soon\r\nContent-Length: 0\r\n\r\n",
			503, 0, 1},
		"503, a day long ago": {
			"HTTP/1.1 503 Busy\r\nRetry-After: Wed, 21 Oct 2015 07:28:00 GMT\r\nContent-Length: 0\r\n\r\n",
			200, 0, 2},
	} {
		t.Run(name, func(t *testing.T) {
			var asked atomic.Int64
			s := talks(t, func(conn net.Conn, _ int64, _ string) {
				if asked.Add(1) == 1 {
					_, _ = io.WriteString(conn, c.says)
					return
				}
				_, _ = io.WriteString(conn, short)
			})
			w := s.web(t, live.Vantage{})
			began := time.Now()
			a := w.Answer(context.Background(), talked)
			assert.Equal(t, c.status, a.Status)
			assert.GreaterOrEqual(t, time.Since(began), c.waits)
			assert.Equal(t, int64(c.asked), asked.Load())
		})
	}
}

func TestQuestionsAtAHostBeginAsOftenAsMayBe(t *testing.T) {
	s := talks(t, func(conn net.Conn, _ int64, _ string) { _, _ = io.WriteString(conn, short) })
	w := s.web(t, live.Vantage{Rate: 50, PerHost: 8})
	began := time.Now()
	var all sync.WaitGroup
	for range 11 {
		all.Go(func() { assert.Equal(t, http.StatusOK, w.Answer(context.Background(), talked).Status) })
	}
	all.Wait()
	assert.GreaterOrEqual(t, time.Since(began), 10*time.Second/50,
		"the first at once, then one every 20 ms")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	assert.Equal(t, chain.Unseen, w.Answer(ctx, talked).Refusal)
}

// TestAnAnswerThatBreaksOffInTheMiddle has servers send the beginning of a head and then nothing:
// that is silence, wherever it begins, and over TLS as without.
func TestAnAnswerThatBreaksOffInTheMiddle(t *testing.T) {
	for name, sent := range map[string]string{
		"in the protocol": "HT", "in the version": "HTTP/1.", "behind the version": "HTTP/1.1 ",
		"in the status": "HTTP/1.1 2", "in the reason": "HTTP/1.1 200 O",
		"behind the line": "HTTP/1.1 200 OK\r\n",
		"in a header":     "HTTP/1.1 200 OK\r\nContent-Ty",
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := talks(t, func(conn net.Conn, _ int64, _ string) {
				_, _ = io.WriteString(conn, sent)
			})
			w := s.web(t, live.Vantage{Timeout: 300 * time.Millisecond})
			a := w.Answer(context.Background(), talked)
			assert.Equal(t, chain.Timeout, a.Refusal, a.Detail)
		})
	}
}
