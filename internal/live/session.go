package live

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"sync"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// session asks one name server at one address, over one socket: UDP, or TCP where the vantage has a
// proxy. It is not for several goroutines at once.
type session struct {
	web     *Client
	name    string // of the name server
	target  netip.AddrPort
	conn    *dns.Conn
	leave   func() // gives its socket back
	queries int
	serial  uint32 // of the zone, as it said
	bare    bool   // it wants no EDNS (RFC 6891 section 7)
	// how many names it did not answer about, by type, though it does about others
	unheard map[uint16]int
	longest time.Duration // that an answer took; 0: none came yet
	proven  dns.Question  // that it has answered
}

// The port of name servers (RFC 1035 section 4.2).
const dnsPort = 53

// newSession makes a session with a name server at one of its addresses, or where a point of the
// vantage says.
func (w *Client) newSession(h web.Host, a netip.Addr) *session {
	s := &session{web: w, name: h.String(), target: netip.AddrPortFrom(a, dnsPort)}
	if to, pointed := w.dialer.pointed(h, dnsPort); pointed {
		s.target = to
	}
	return s
}

func (s *session) proxied() bool { return s.web.dialer.proxy != nil }

// who names the server for people.
func (s *session) who() string { return fmt.Sprintf("%s (%s)", s.name, s.target) }

func (s *session) close() {
	if s.conn != nil {
		_ = s.conn.Close()
		s.leave()
		s.conn = nil
	}
}

var errMute = errors.New("it answers about other things, but not about this")

// mostUnheard is for how many names a server is asked about a type about which it never answers.
const mostUnheard = 2

// question makes a question as this server takes it.
func (s *session) question(name string, kind uint16) *dns.Msg {
	q := new(dns.Msg)
	q.SetQuestion(dns.Fqdn(name), kind)
	q.RecursionDesired = false
	if !s.bare {
		q.SetEdns0(1232, false)
	}
	return q
}

// ask asks for one name and type. A lost datagram is asked for once more, without EDNS where the
// server has answered nothing else or says FORMERR (RFC 6891 section 7); a connection that broke is
// opened again. An answer that does not fit, cannot be read or does not get through is asked for
// over TCP (RFC 7766 section 5). Where a server answers, but not about a type, it is not taken for
// dead: the error is errMute, and it is soon not asked about that type any more.
func (s *session) ask(ctx context.Context, name string, kind uint16) (*dns.Msg, error) {
	return s.askFor(ctx, s.question(name, kind))
}

// askSigned asks as ask does, for signatures too (RFC 4035 section 3.2.1).
func (s *session) askSigned(ctx context.Context, name string, kind uint16) (*dns.Msg, error) {
	question := s.question(name, kind)
	if opt := question.IsEdns0(); opt != nil {
		opt.SetDo()
	}
	return s.askFor(ctx, question)
}

func (s *session) askFor(ctx context.Context, question *dns.Msg) (*dns.Msg, error) {
	kind := question.Question[0].Qtype
	if s.unheard[kind] >= mostUnheard {
		return nil, errMute
	}
	if why := s.web.dialer.isDead(s.target); why != nil {
		return nil, why
	}
	answer, err := s.twice(ctx, question)
	if err == nil && answer.Rcode == dns.RcodeFormatError && !s.bare {
		bare := question.Copy()
		bare.Extra = nil
		if second, secondErr := s.exchange(ctx, bare); secondErr == nil &&
			second.Rcode != dns.RcodeFormatError {
			answer, s.bare = second, true
		}
	}
	if s.proxied() || err == nil && !answer.Truncated ||
		err != nil && !errors.Is(err, errUnreadable) && !errors.Is(err, errMute) {
		return answer, err
	}
	whole, tcpErr := exchange(ctx, s.web.dialer.sockets,
		&dns.Client{Net: "tcp", Timeout: s.patience()}, question,
		s.target.String())
	switch {
	case tcpErr == nil:
		delete(s.unheard, kind)
		return whole, nil
	case errors.Is(err, errMute):
		return nil, err
	}
	return nil, tcpErr
}

// twice asks once more where nothing comes back. It finds out whether the server is dead, or mute
// about a type.
func (s *session) twice(ctx context.Context, question *dns.Msg) (*dns.Msg, error) {
	kind, began := question.Question[0].Qtype, time.Now()
	answer, err := s.exchange(ctx, question)
	if err == nil || ctx.Err() != nil || errors.Is(err, errOtherQuestion) ||
		errors.Is(err, errUnreadable) ||
		isUnseen(err) || budgetOf(ctx).over() != nil {
		return answer, err
	}
	if s.unheard[kind] == 0 || !isTimeout(err) {
		s.close()
		again := question
		if isTimeout(err) && s.longest == 0 { // some drop what has EDNS
			again = question.Copy()
			again.Extra = nil
		}
		answer, err = s.exchange(ctx, again)
		if err == nil && again != question {
			s.bare = true
		}
	}
	switch {
	case !isTimeout(err):
		return answer, err
	case s.longest > 0 && s.alive(ctx):
		if s.unheard == nil {
			s.unheard = map[uint16]int{}
		}
		s.unheard[kind]++
		return nil, errMute
	}
	why := &refusal{chain.Timeout,
		fmt.Sprintf("%s does not answer within %s", s.target, s.web.vantage.Timeout)}
	s.web.dialer.timedOut(s.target, began, why)
	s.web.dialer.timedOut(s.target, time.Now(), why)
	return answer, err
}

// alive asks for what the server has answered before: whether it still does.
func (s *session) alive(ctx context.Context) bool {
	s.close()
	_, err := s.exchange(ctx, s.question(s.proven.Name, s.proven.Qtype))
	return err == nil
}

// patience is how long to wait for an answer: less, where the server has shown how quick it is.
func (s *session) patience() time.Duration {
	if s.longest == 0 {
		return s.web.vantage.Timeout
	}
	return min(s.web.vantage.Timeout, max(time.Second, 20*s.longest))
}

func (s *session) exchange(ctx context.Context, question *dns.Msg) (*dns.Msg, error) {
	if s.conn == nil {
		c, err := s.dial(ctx)
		if err != nil {
			return nil, err
		}
		s.conn = &dns.Conn{Conn: c, UDPSize: 1232}
	}
	if why := budgetOf(ctx).ask(); why != nil {
		return nil, why
	}
	s.queries++
	began := time.Now()
	_ = s.conn.SetDeadline(began.Add(s.patience()))
	stop := context.AfterFunc(ctx, func() { _ = s.conn.SetDeadline(time.Now()) })
	defer stop()
	if err := s.conn.WriteMsg(question); err != nil {
		return nil, err
	}
	answer, err := readAnswer(s.conn, question)
	if err != nil {
		return nil, err
	}
	s.web.saw.Store(true)
	s.longest, s.proven = max(s.longest, time.Since(began)), question.Question[0]
	return counted(ctx, answer)
}

// dial opens the socket: UDP, or TCP through the proxy.
func (s *session) dial(ctx context.Context) (net.Conn, error) {
	s.leave = func() {}
	if s.proxied() {
		return s.stream(ctx)
	}
	c, err := holding(ctx, s.web.dialer.sockets, func() (net.Conn, error) {
		return s.web.dialer.direct.DialContext(ctx, "udp", s.target.String())
	})
	if err == nil {
		s.leave = sync.OnceFunc(s.web.dialer.sockets.leave)
	} else if why := ofOurs(err); why != nil {
		return nil, why
	}
	return c, err
}

// stream opens a TCP connection, through the proxy where there is one.
func (s *session) stream(ctx context.Context) (net.Conn, error) {
	c, refused := s.web.dialer.dial(ctx, s.target)
	if refused != nil {
		return nil, refused
	}
	return c, nil
}

// TransferKey is a key for zone transfers (TSIG, RFC 8945).
type TransferKey struct {
	Name, Algorithm, Secret string // the secret in base64
}

// measured is a connection of which so many octets are read at most.
type measured struct {
	net.Conn
	budget *budget
}

func (m measured) Read(to []byte) (int, error) {
	n, err := m.Conn.Read(to)
	if why := m.budget.read(n); why != nil {
		return 0, why
	}
	return n, err
}

// transfer fetches the whole zone (AXFR, RFC 5936).
func (s *session) transfer(ctx context.Context, zone string, key *TransferKey) ([]dns.RR, error) {
	most := transferTimes * s.web.vantage.Timeout
	ctx, cancel := context.WithTimeoutCause(
		ctx,
		most,
		&refusal{chain.Unseen, fmt.Sprintf("it has not finished after %s", most)},
	)
	defer cancel()
	records, err := s.transferAll(ctx, zone, key)
	var ours *refusal
	if err != nil && errors.As(context.Cause(ctx), &ours) {
		return nil, ours
	}
	return records, err
}

func (s *session) transferAll(ctx context.Context, zone string, key *TransferKey) ([]dns.RR,
	error) {
	stream, err := s.stream(ctx)
	if err != nil {
		return nil, err
	}
	c := measured{stream, newBudget("the transfer", 0, mostTransfer, budgetOf(ctx).survey())}
	defer c.Close()
	defer context.AfterFunc(ctx, func() { _ = c.Close() })()
	request := new(dns.Msg)
	request.SetAxfr(dns.Fqdn(zone))
	t := dns.Transfer{Conn: &dns.Conn{Conn: c}, ReadTimeout: s.web.vantage.Timeout,
		WriteTimeout: s.web.vantage.Timeout}
	if key != nil {
		name := dns.CanonicalName(key.Name)
		request.SetTsig(name, dns.CanonicalName(key.Algorithm), 300, time.Now().Unix())
		t.TsigSecret = map[string]string{name: key.Secret}
	}
	envelopes, err := t.In(request, s.target.String())
	if err != nil {
		return nil, err
	}
	var records []dns.RR
	for e := range envelopes {
		if e.Error != nil && err == nil {
			err = e.Error
			_ = c.Close()
		}
		if len(records) > mostRecords {
			err, records = &refusal{chain.Unseen, fmt.Sprintf("it has more than %d records", mostRecords)},
				nil
			_ = c.Close()
		}
		if err != nil {
			continue
		}
		records = append(records, e.RR...)
	}
	if err != nil {
		return nil, err
	}
	if len(records) < 2 || records[0].Header().Rrtype != dns.TypeSOA ||
		records[len(records)-1].Header().Rrtype != dns.TypeSOA {
		return nil, errors.New("it breaks off before its end")
	}
	return records[:len(records)-1], nil
}
