package live

import (
	"bufio"
	"container/list"
	"context"
	"errors"
	"io"
	"net/http"
	"net/netip"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// Connections over http are our own: one question and its answer at a time (RFC 9112), read by
// net/http's reader on the goroutine that asks. Those over https are net/http's, since it speaks
// HTTP/2 too.

const (
	mostKept = 256              // connections that wait for another question
	keptFor  = 10 * time.Second // and for how long
)

// way is what a connection is kept for: a host and port, as browsers have it, and the address where
// one was named.
type way struct {
	host    web.Host
	port    uint16
	address netip.Addr
}

// keptConn is a connection on which one question is asked at a time.
type keptConn struct {
	*conn
	way    way
	reader *bufio.Reader
	out    []byte // what is sent is put together here
	left   int    // octets that the head of an answer may still have
	heard  bool   // something came since the question
	failed error  // of the last reading that failed
	reused bool
	since  time.Time // it waits since then
}

var errLongHead = errors.New("headers exceeded what they may have")

// Read reads from the connection; a head that is longer than it may be is an error.
func (c *keptConn) Read(p []byte) (int, error) {
	if c.left <= 0 {
		return 0, errLongHead
	}
	n, err := c.conn.Read(p[:min(len(p), c.left)])
	c.left -= n
	c.heard = c.heard || n > 0
	if err != nil {
		c.failed = err
	}
	return n, err
}

// ask sends a question and reads the head of its answer, which has to be there within so long. The
// error is that of the connection or of net/http's reader, or errLongHead.
func (c *keptConn) ask(question []byte, request *http.Request,
	within time.Duration) (*http.Response, error) {
	c.left, c.heard, c.failed = MostHeader, false, nil
	if err := c.SetDeadline(time.Now().Add(within)); err != nil {
		return nil, err
	}
	if _, err := c.Write(question); err != nil {
		return nil, err
	}
	for { // early answers (RFC 9110 section 15.2) count for the length of the head
		response, err := http.ReadResponse(c.reader, request)
		if err != nil && c.failed != nil && isTimeout(c.failed) {
			return nil, c.failed // the reader makes a malformed head of what breaks off
		}
		if err != nil || response.StatusCode/100 != 1 ||
			response.StatusCode == http.StatusSwitchingProtocols {
			return response, err
		}
	}
}

// body says that the body is read now, and within how long.
func (c *keptConn) body(within time.Duration) error {
	c.left = int(^uint(0) >> 1)
	return c.SetReadDeadline(time.Now().Add(within))
}

// ending reports whether a body was read to its end.
type ending struct {
	io.ReadCloser
	ended bool
}

func (e *ending) Read(p []byte) (int, error) {
	n, err := e.ReadCloser.Read(p)
	e.ended = e.ended || err == io.EOF //nolint:errorlint // the readers of bodies never wrap it
	return n, err
}

// keeper keeps connections for the next question. It is safe for many goroutines.
type keeper struct {
	lock    sync.Mutex
	waiting map[way][]*list.Element // the one that waits for the shortest time comes last
	all     list.List               // of *keptConn, the one that waits longest first
	sweeper *time.Timer
	closed  bool
}

// take gives a connection that waits; nil where there is none.
func (k *keeper) take(to way) *keptConn {
	k.lock.Lock()
	defer k.lock.Unlock()
	for {
		there := k.waiting[to]
		if len(there) == 0 {
			return nil
		}
		c := k.out(there[len(there)-1])
		if time.Since(c.since) < keptFor && quiet(c.Conn) {
			c.reused = true
			return c
		}
		_ = c.Close()
	}
}

// put keeps a connection whose answer was read to its end.
func (k *keeper) put(c *keptConn) {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.closed {
		_ = c.Close()
		return
	}
	if k.all.Len() >= mostKept {
		_ = k.out(k.all.Front()).Close()
	}
	if k.waiting == nil {
		k.waiting = map[way][]*list.Element{}
	}
	c.since = time.Now()
	k.waiting[c.way] = append(k.waiting[c.way], k.all.PushBack(c))
	if k.sweeper == nil {
		k.sweeper = time.AfterFunc(keptFor, k.sweep)
	}
}

// out takes a connection out.
func (k *keeper) out(e *list.Element) *keptConn {
	c := k.all.Remove(e).(*keptConn)
	there := k.waiting[c.way]
	for i := range there {
		if there[i] == e {
			there = append(there[:i], there[i+1:]...)
			break
		}
	}
	if k.waiting[c.way] = there; len(there) == 0 {
		delete(k.waiting, c.way)
	}
	return c
}

// sweep closes what has waited for too long.
func (k *keeper) sweep() {
	k.lock.Lock()
	defer k.lock.Unlock()
	for first := k.all.Front(); first != nil; first = k.all.Front() {
		if rest := keptFor - time.Since(first.Value.(*keptConn).since); rest > 0 && !k.closed {
			k.sweeper.Reset(rest)
			return
		}
		_ = k.out(first).Close()
	}
	k.sweeper = nil
}

// drop closes what waits for a host.
func (k *keeper) drop(h web.Host) {
	k.lock.Lock()
	defer k.lock.Unlock()
	for e := k.all.Front(); e != nil; {
		next := e.Next()
		if e.Value.(*keptConn).way.host == h {
			_ = k.out(e).Close()
		}
		e = next
	}
}

// clear closes all that wait.
func (k *keeper) clear() {
	k.lock.Lock()
	defer k.lock.Unlock()
	for first := k.all.Front(); first != nil; first = k.all.Front() {
		_ = k.out(first).Close()
	}
}

func (k *keeper) close() {
	k.lock.Lock()
	defer k.lock.Unlock()
	k.closed = true
	for first := k.all.Front(); first != nil; first = k.all.Front() {
		_ = k.out(first).Close()
	}
	if k.sweeper != nil {
		k.sweeper.Stop()
	}
}

// plainly asks over http, and hands the answer to read, whose error comes back. A connection that
// was kept may have been closed at the other end before the question came: then another one is
// asked, as browsers do (RFC 9110 section 9.2.2), and also where a server says 408 for a question
// that it never read. What is sent with POST goes over a connection of its own, and once.
func (w *Client) plainly(
	ctx context.Context, ask chain.Ask, seen *evidence, a *chain.Answer,
	read func(*http.Response) *refusal,
) *refusal {
	door := ask.URL.Door()
	to := way{door.Host, door.PortNumber(), ask.Address}
	request := &http.Request{Method: ask.Method}
	for {
		var c *keptConn
		if ask.Method == "" {
			c = w.kept.take(to)
		}
		if c == nil {
			opened, refused := w.open(ctx, seen, to.host, to.port, to.address)
			if refused != nil {
				return refused
			}
			c = &keptConn{conn: opened, way: to}
			c.reader = bufio.NewReader(c)
		}
		seen.met(c.target, c.reused)
		c.out = w.question(c.out[:0], ask, a)
		over := context.AfterFunc(ctx, func() { _ = c.Close() })
		response, err := c.ask(c.out, request, w.vantage.Timeout)
		if err == nil && c.reused && response.StatusCode == http.StatusRequestTimeout ||
			err != nil && c.reused && !c.heard && !isTimeout(err) && ctx.Err() == nil {
			over()
			_ = c.Close()
			continue
		}
		var refused *refusal
		body := &ending{}
		switch {
		case ctx.Err() != nil:
			refused = w.sortHTTP(ctx.Err(), seen)
		case err != nil:
			refused = w.sortHTTP(err, seen)
		case response.StatusCode == http.StatusSwitchingProtocols:
			// what follows is no HTTP, and never ends by itself
			refused = &refusal{chain.BadAnswer, otherProtocol}
		default:
			_ = c.body(4 * w.vantage.Timeout) // where it fails, so does the first reading
			body.ReadCloser, body.ended = response.Body, response.ContentLength == 0
			response.Body = body
			refused = read(response)
		}
		if over() && body.ended && !response.Close && c.reader.Buffered() == 0 {
			w.kept.put(c)
		} else {
			_ = c.Close()
		}
		return refused
	}
}

// question writes the head of a request (RFC 9112 section 3). The path goes out to the letter, as a
// browser sends it.
func (w *Client) question(out []byte, ask chain.Ask, a *chain.Answer) []byte {
	method := ask.Method
	if method == "" {
		method = http.MethodGet
	}
	out = append(append(out, method...), ' ')
	out = append(out, ask.URL.RequestURI()...)
	out = append(out, " HTTP/1.1\r\nHost: "...)
	out = append(out, ask.URL.Door().Authority()...)
	out = append(out, w.lines...)
	if ask.Method != "" {
		out = append(out, "Content-Length: 0\r\n"...)
	}
	if a.Sent = w.cookies(ask); a.Sent != "" {
		out = append(append(append(out, "Cookie: "...), a.Sent...), "\r\n"...)
	}
	return append(out, "\r\n"...)
}
