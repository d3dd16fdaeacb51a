package live

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/miekg/dns"
)

// What is wrong with an answer that came.
var (
	errOtherQuestion = errors.New("its answer is not for the question")
	errUnreadable    = errors.New("its answer cannot be read")
)

// readAnswer reads the answer to a question: late ones to earlier questions are passed over. One
// that holds less than it says cannot be read, wherever it ends: the DNS library takes what ends
// between two records for whole.
func readAnswer(c *dns.Conn, question *dns.Msg) (*dns.Msg, error) {
	for {
		var h dns.Header
		octets, err := c.ReadMsgHeader(&h)
		switch {
		case err != nil && octets == nil:
			return nil, err
		case h.Id != question.Id:
			continue
		}
		answer := new(dns.Msg)
		if err != nil || answer.Unpack(octets) != nil || len(answer.Answer) != int(h.Ancount) ||
			len(answer.Ns) != int(h.Nscount) || len(answer.Extra) != int(h.Arcount) {
			if h.Bits&truncatedBit == 0 {
				return nil, errUnreadable
			}
			answer.Truncated = true // it says so
			return answer, nil
		}
		if !answersTo(answer, question) {
			return nil, errOtherQuestion
		}
		return answer, nil
	}
}

// truncatedBit is that of TC in the header (RFC 1035 section 4.1.1).
const truncatedBit = 1 << 9

// answersTo reports whether an answer is one to a question. Servers that say FORMERR may leave the
// question out.
func answersTo(answer, question *dns.Msg) bool {
	q := question.Question[0]
	if len(answer.Question) == 0 && answer.Rcode == dns.RcodeFormatError {
		return answer.Response
	}
	return answer.Response && len(answer.Question) == 1 &&
		strings.EqualFold(answer.Question[0].Name, q.Name) &&
		answer.Question[0].Qtype == q.Qtype
}

// exchange asks over a connection of its own, which the end of the context closes: the DNS library
// minds its deadline alone.
func exchange(
	ctx context.Context, s *sockets, client *dns.Client, question *dns.Msg, server string,
) (*dns.Msg, error) {
	c, err := holding(ctx, s, func() (*dns.Conn, error) { return client.DialContext(ctx, server) })
	if why := ofOurs(err); why != nil {
		return nil, why
	}
	if err != nil {
		return nil, err
	}
	defer s.leave()
	defer c.Close()
	defer context.AfterFunc(ctx, func() { _ = c.Close() })()
	_ = c.SetDeadline(time.Now().Add(client.Timeout))
	c.UDPSize = max(client.UDPSize, dns.MinMsgSize)
	if err := c.WriteMsg(question); err != nil {
		return nil, err
	}
	answer, err := readAnswer(c, question)
	if err != nil {
		return nil, err
	}
	return counted(ctx, answer)
}
