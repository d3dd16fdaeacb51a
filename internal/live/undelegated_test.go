package live_test

import (
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/live"
)

// TestWhatAResolverRemembersIsNotWhatTheZoneAboveSays has a resolver say that a name does not
// exist, as the zone above said once. Whether the domain is delegated is for that zone to say, by
// now: where it does not delegate it, the name is unseen; once it does, the resolver merely
// remembers, for as long as it says; and where the zone above does not answer, nothing is claimed
// of it.
func TestWhatAResolverRemembersIsNotWhatTheZoneAboveSays(t *testing.T) {
	var delegated, silent atomic.Bool
	var asked atomic.Int32
	at := server(t, func(w dns.ResponseWriter, q *dns.Msg) {
		m := new(dns.Msg)
		m.SetReply(q)
		m.Authoritative = true
		soa, err := dns.NewRR("example. 900 IN SOA ns.example. h.example. 1 2 3 4 900")
		assert.NoError(t, err)
		name := strings.ToLower(q.Question[0].Name)
		rr := func(s string) dns.RR {
			made, err := dns.NewRR(s)
			assert.NoError(t, err)
			return made
		}
		switch {
		case name == "example." && q.Question[0].Qtype == dns.TypeNS:
			m.Answer = []dns.RR{rr("example. 60 IN NS ns.example.")}
		case name == "ns.example.":
			m.Answer = []dns.RR{rr("ns.example. 60 IN A 127.0.0.1")}
		case name == "a.example.":
			asked.Add(1)
			if silent.Load() {
				m.Rcode = dns.RcodeServerFailure
				break
			}
			if delegated.Load() {
				m.Authoritative = false
				m.Ns = []dns.RR{rr("a.example. 60 IN NS ns.elsewhere.test.")}
				break
			}
			m.Rcode, m.Ns = dns.RcodeNameError, []dns.RR{soa}
		default:
			m.Rcode, m.Ns = dns.RcodeNameError, []dns.RR{soa}
		}
		_ = w.WriteMsg(m)
	})
	now := time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)
	point, err := live.ParsePoint("ns.example:53=" + at.String())
	require.NoError(t, err)
	web, err := live.New(live.Vantage{Name: "here", Resolvers: []string{at.String()},
		Points: []live.Point{point}, Timeout: time.Second, Clock: func() time.Time { return now }})
	require.NoError(t, err)
	defer web.Close()
	asker := &live.Asker{Surveyor: &live.Surveyor{Web: web, NamesAlone: true}}
	want := expect.Expectation{Kind: expect.Records, Domain: "a.example", Name: "www.a.example",
		Type: "A", Values: []string{"203.0.113.20"}, Holds: "A"}
	resolver := &expect.Place{Kind: expect.Resolver, Name: "resolver", At: at}
	say := func() expect.Answer { return asker.Ask(t.Context(), want, resolver) }

	answer := say()
	assert.Equal(t, "example", answer.Above)
	assert.Equal(t, expect.Unseen, want.Judge(answer).State)
	assert.Equal(t, map[string]string{"a.example": "example"}, asker.Undelegated())
	before := asked.Load()
	for range 50 {
		say()
	}
	assert.Equal(t, before, asked.Load(), "the zone above is not asked for each question")

	delegated.Store(true)
	now = now.Add(time.Minute)
	answer = say()
	assert.Empty(t, answer.Above)
	assert.Equal(t, expect.Nothing, want.Judge(answer).State)
	assert.Equal(t, 900, answer.TTL, "for so long it remembers")
	assert.Empty(t, asker.Undelegated())

	delegated.Store(false)
	silent.Store(true)
	now = now.Add(time.Minute)
	assert.Empty(t, say().Above, "what the zone above does not say is not claimed of it")

	silent.Store(false)
	now = now.Add(time.Minute)
	_, none := asker.Places(t.Context(), []await.Zone{{Domain: "a.example"}}, nil)
	assert.Equal(t, []string{"a.example"}, none)
	assert.Len(t, asker.Undelegated(), 1)
	delegated.Store(true)
	now = now.Add(time.Minute)
	asker.Ask(t.Context(), want, &expect.Place{Kind: expect.NameServer, Host: "ns.example", At: at})
	assert.Empty(t, asker.Undelegated(), "it is asked again while it is waited for")
}
