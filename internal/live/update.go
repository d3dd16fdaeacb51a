package live

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/core/web"
)

// Updater reads and changes zones at a name server that takes DNS UPDATE (RFC 2136), signed with
// TSIG (RFC 8945) where there is a key. It is a send.Place.
type Updater struct {
	Web     *Client
	Server  string // its name, or an address
	Port    uint16
	Key     *TransferKey // nil: nothing is signed
	Timeout time.Duration
}

// The algorithms of keys that are used (RFC 8945 section 6).
var tsigAlgorithms = []string{dns.HmacSHA256, dns.HmacSHA384, dns.HmacSHA512}

// KnownAlgorithm gives the name of an algorithm of TSIG in full, false where it is not used here.
func KnownAlgorithm(name string) (string, bool) {
	for _, a := range tsigAlgorithms {
		if strings.EqualFold(dns.Fqdn(name), a) {
			return a, true
		}
	}
	return "", false
}

// errUnsigned says that an answer bears no signature, though the question did.
const errUnsigned = spoken("its answer is not signed, so that it may be anybody's")

// spoken is an error in words of ours.
type spoken string

func (s spoken) Error() string { return string(s) }

// inWords gives an error of a connection in words.
func inWords(err error) error {
	var ours spoken
	if errors.As(err, &ours) {
		return ours
	}
	return spoken(plainError(err))
}

// notSent says that nothing of a message left this machine.
type notSent struct{ error }

// connect opens a TCP connection to the first address of the server that takes one.
func (u *Updater) connect(ctx context.Context) (*dns.Conn, error) {
	var targets []netip.AddrPort
	if a, err := netip.ParseAddr(u.Server); err == nil {
		targets = append(targets, netip.AddrPortFrom(a, u.Port))
	} else {
		h, err := web.ParseHost(u.Server)
		if err != nil {
			return nil, err
		}
		if to, pointed := u.Web.dialer.pointed(h, u.Port); pointed {
			targets = append(targets, to)
		} else {
			for _, a := range u.Web.nameServer(ctx, u.Server, nil).addresses {
				targets = append(targets, netip.AddrPortFrom(a, u.Port))
			}
		}
	}
	err := errNoAddress
	for _, target := range targets {
		var c net.Conn
		if c, err = (&session{web: u.Web, name: u.Server, target: target}).stream(ctx); err == nil {
			conn := &dns.Conn{Conn: c}
			if u.Key != nil {
				conn.TsigSecret = map[string]string{dns.CanonicalName(u.Key.Name): u.Key.Secret}
			}
			return conn, nil
		}
	}
	return nil, err
}

// sign has a message signed as it is written.
func (u *Updater) sign(m *dns.Msg) {
	if u.Key != nil {
		m.SetTsig(dns.CanonicalName(u.Key.Name), dns.CanonicalName(u.Key.Algorithm), 300,
			time.Now().Unix())
	}
}

// exchange asks over a connection, and reads an answer that is signed as the question was. The
// error is a notSent where nothing of the question was written.
func (u *Updater) exchange(ctx context.Context, c *dns.Conn, m *dns.Msg) (*dns.Msg, error) {
	u.sign(m)
	// the library counts what was asked before on a connection into a signature
	c = &dns.Conn{Conn: c.Conn, TsigSecret: c.TsigSecret}
	_ = c.SetDeadline(time.Now().Add(u.Timeout))
	defer context.AfterFunc(ctx, func() { _ = c.SetDeadline(time.Now()) })()
	if _, err := m.Pack(); err != nil {
		return nil, notSent{fmt.Errorf("it cannot be put into one message (64 KiB at most): %w", err)}
	}
	if err := c.WriteMsg(m); err != nil {
		return nil, err
	}
	for {
		answer, err := c.ReadMsg()
		switch {
		case answer == nil && err != nil:
			return nil, err
		case answer.Id != m.Id || !answer.Response:
			if err != nil {
				return nil, errUnreadable
			}
			continue
		case answer.Opcode != m.Opcode:
			return nil, errOtherQuestion
		}
		if u.Key == nil {
			return answer, err
		}
		switch t := answer.IsTsig(); {
		case answer.Rcode == dns.RcodeNotAuth && t != nil && t.Error != 0:
			return nil, badKey(t)
		case answer.Rcode == dns.RcodeNotAuth && err != nil:
			return nil, &send.Refused{Says: "it does not know this key, or its secret is another"}
		case errors.Is(err, dns.ErrTime):
			return nil, spoken("the time of its answer is not that of this machine: set the clocks")
		case err != nil:
			return nil, spoken("the signature of its answer is not that of this key")
		case t == nil && answer.Rcode == dns.RcodeNotAuth:
			return nil, &send.Refused{Says: "it takes no updates of this zone, or does not know this key"}
		case t == nil && answer.Rcode == dns.RcodeRefused:
			return nil, &send.Refused{Says: "it refuses"}
		case t == nil:
			return nil, errUnsigned
		}
		return answer, nil
	}
}

// badKey says what a server does not like about a signature (RFC 8945 section 5.2).
func badKey(t *dns.TSIG) error {
	switch t.Error {
	case dns.RcodeBadKey:
		return &send.Refused{Says: "it does not know the key " + plain(t.Hdr.Name)}
	case dns.RcodeBadSig:
		return &send.Refused{Says: "the secret of the key " + plain(t.Hdr.Name) +
			" is not the one that it has"}
	case dns.RcodeBadTime:
		return &send.Refused{Says: "its clock and that of this machine differ by more than 5 minutes"}
	}
	return &send.Refused{Says: "it does not take the signature: " + dns.RcodeToString[int(t.Error)]}
}

// Read asks for sets, each by a question of its own over one connection.
func (u *Updater) Read(ctx context.Context, _ string, keys []record.Key) ([]record.Set, error) {
	c, err := u.connect(ctx)
	if err != nil {
		return nil, inWords(err)
	}
	defer c.Close()
	var all []record.Set
	for _, key := range keys {
		kind, known := dns.StringToType[key.Type]
		if !known {
			return nil, fmt.Errorf("%s is no type that can be asked for", key.Type)
		}
		q := new(dns.Msg)
		q.SetQuestion(dns.Fqdn(key.Name), kind)
		q.RecursionDesired = false
		answer, err := u.exchange(ctx, c, q)
		switch {
		case err != nil:
			return nil, inWords(err)
		case answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError:
			return nil, fmt.Errorf("it says %s", dns.RcodeToString[answer.Rcode])
		case !answersTo(answer, q):
			return nil, errOtherQuestion
		case !answer.Authoritative && kind == dns.TypeNS && refers(answer, key.Name):
			answer.Answer = answer.Ns // a delegation is answered with a referral (RFC 1034 section 4.3.2)
		case !answer.Authoritative:
			return nil, errors.New("it answers without authority")
		}
		if told := toldBy(answer, key.Name, kind); len(told.Values) > 0 {
			all = append(all, record.Set{Name: key.Name, Type: key.Type, TTL: told.TTL,
				Values: told.Values})
		}
	}
	return all, nil
}

// refers reports whether an answer is a referral to the servers of a name.
func refers(answer *dns.Msg, name string) bool {
	return len(answer.Answer) == 0 && slices.ContainsFunc(answer.Ns, func(rr dns.RR) bool {
		return rr.Header().Rrtype == dns.TypeNS && plain(rr.Header().Name) == name
	})
}

// Change sends one update with all changes of a zone. Its prerequisites are what has to stand there
// before (RFC 2136 section 2.4), so that it is taken whole, or not at all.
func (u *Updater) Change(ctx context.Context, t send.Transfer) (string, error) {
	m, err := update(t)
	if err != nil {
		return "", &send.NotSent{Why: err.Error()}
	}
	c, err := u.connect(ctx)
	if err != nil {
		return "", &send.NotSent{Why: plainError(err)}
	}
	defer c.Close()
	answer, err := u.exchange(ctx, c, m)
	var early notSent
	var refused *send.Refused
	switch {
	case errors.As(err, &early):
		return "", &send.NotSent{Why: early.Error()}
	case errors.As(err, &refused):
		return "", refused
	case err != nil:
		return "", inWords(err)
	}
	code := dns.RcodeToString[answer.Rcode]
	switch answer.Rcode {
	case dns.RcodeSuccess:
		return code, nil
	case dns.RcodeNXRrset, dns.RcodeYXRrset, dns.RcodeYXDomain, dns.RcodeNameError:
		return code, &send.Refused{Says: "the zone is not as it has to be before (" + code + ")",
			Changed: true}
	case dns.RcodeRefused:
		return code, &send.Refused{Says: "it takes no such update from here, or with this key (REFUSED)"}
	case dns.RcodeNotAuth, dns.RcodeNotZone:
		return code, &send.Refused{Says: "it is not the server of this zone (" + code + ")"}
	case dns.RcodeNotImplemented:
		return code, &send.Refused{Says: "it takes no updates at all (NOTIMP)"}
	}
	return code, fmt.Errorf("it says %s", code)
}

// update makes the message.
func update(t send.Transfer) (*dns.Msg, error) {
	m := new(dns.Msg)
	m.SetUpdate(dns.Fqdn(t.Zone))
	for _, b := range t.Beside() {
		rr := []dns.RR{&dns.ANY{Hdr: dns.RR_Header{Name: dns.Fqdn(b.Name)}}}
		if b.Alias {
			m.NameNotUsed(rr)
			continue
		}
		rr[0].Header().Rrtype = dns.TypeCNAME
		m.RRsetNotUsed(rr)
	}
	for _, c := range t.Changes {
		kind, known := dns.StringToType[c.Type]
		if !known {
			return nil, fmt.Errorf("%s is no type that can be sent", c.Type)
		}
		before, err := rrs(c.Before)
		if err != nil {
			return nil, err
		}
		if c.Before == nil {
			m.RRsetNotUsed([]dns.RR{&dns.ANY{Hdr: dns.RR_Header{Name: dns.Fqdn(c.Name), Rrtype: kind}}})
			continue
		}
		for _, rr := range before {
			rr.Header().Ttl = 0
		}
		m.Used(before)
	}
	cleared := map[string]bool{} // names that an alias takes over
	for _, c := range t.Changes {
		cleared[c.Name] = cleared[c.Name] || c.Type == "CNAME" && c.Before == nil && c.After != nil
	}
	m.RRsetNotUsed(besides(t, cleared))
	for _, c := range t.Changes { // what goes comes first, so that an alias finds its name empty
		if c.Before == nil {
			continue
		}
		if cleared[c.Name] {
			m.RemoveName([]dns.RR{&dns.ANY{Hdr: dns.RR_Header{Name: dns.Fqdn(c.Name)}}})
			continue
		}
		before, err := rrs(c.Before)
		if err != nil {
			return nil, err
		}
		if c.Name == t.Zone && c.Type == "NS" { // the last one there is never deleted (section 3.4.2.4)
			continue
		}
		m.RemoveRRset(before[:1])
	}
	for _, c := range t.Changes {
		after, err := rrs(c.After)
		if err != nil {
			return nil, err
		}
		m.Insert(after)
		if c.Name == t.Zone && c.Type == "NS" && c.Before != nil {
			before, _ := rrs(c.Before)
			for _, rr := range before {
				if !holdsRR(after, rr) {
					m.Remove([]dns.RR{rr})
				}
			}
		}
	}
	return m, nil
}

// besides gives the sets that must not be there where a name is emptied for an alias. In a signed
// zone some servers take an alias only where the whole name goes, with its signatures; what nobody
// knows of must not go with it.
func besides(t send.Transfer, cleared map[string]bool) []dns.RR {
	goes := map[record.Key]bool{}
	some := map[string]bool{}
	for _, c := range t.Changes {
		goes[record.Key{Name: c.Name, Type: c.Type}] = true
		some[c.Name] = some[c.Name] || c.Before != nil
	}
	var all []dns.RR
	for name := range cleared {
		if !cleared[name] || !some[name] {
			continue
		}
		for kind, text := range dns.TypeToString {
			switch kind {
			case dns.TypeNone, dns.TypeANY, dns.TypeAXFR, dns.TypeIXFR, dns.TypeMAILA, dns.TypeMAILB,
				dns.TypeOPT, dns.TypeTSIG, dns.TypeTKEY, dns.TypeRRSIG, dns.TypeNSEC, dns.TypeNSEC3,
				dns.TypeSIG, dns.TypeReserved:
				continue
			}
			if !goes[record.Key{Name: name, Type: text}] {
				all = append(all, &dns.ANY{Hdr: dns.RR_Header{Name: dns.Fqdn(name), Rrtype: kind}})
			}
		}
	}
	return all
}

func holdsRR(all []dns.RR, rr dns.RR) bool {
	for _, o := range all {
		if dns.IsDuplicate(o, rr) {
			return true
		}
	}
	return false
}

// rrs gives the records of a set.
func rrs(s *record.Set) ([]dns.RR, error) {
	if s == nil {
		return nil, nil
	}
	var all []dns.RR
	for _, v := range s.Values {
		rr, err := dns.NewRR(fmt.Sprintf("%s %d IN %s %s", dns.Fqdn(s.Name), s.TTL, s.Type, v))
		if err != nil || rr == nil {
			return nil, fmt.Errorf("%s %s %s cannot be read: %w", s.Name, s.Type, v, err)
		}
		all = append(all, rr)
	}
	return all, nil
}
