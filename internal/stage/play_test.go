package stage_test

import (
	"context"
	"fmt"
	"net/netip"
	"path/filepath"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

// TestCarriersAnswerWhatTheyWereToldSoFar carries the demo's plan out task by task, and looks at
// the doors that a platform carries after each.
func TestCarriersAnswerWhatTheyWereToldSoFar(t *testing.T) {
	p := demoPlan(t)
	today, err := stage.FromFolder(filepath.Join(demoFolder(t), "stage"), time.Now())
	require.NoError(t, err)
	player, err := stage.Play(today, p)
	require.NoError(t, err)
	defer player.Close()
	after := map[act.StepKind]string{}
	for _, task := range p.Tasks() {
		require.NoError(t, player.Do(task))
		w, err := live.New(player.Vantage())
		require.NoError(t, err)
		a := w.Answer(context.Background(),
			chain.Ask{URL: web.MustParseURL("https://www.northmoormuseum.example/")})
		w.Close()
		after[task.Step.Kind] = string(a.Refusal)
		if a.Refusal == "" {
			after[task.Step.Kind] = fmt.Sprintf("%d %v", a.Status, a.TLS.Faults)
		}
	}
	assert.Equal(t, "no-address", after[act.ClaimHosts], "no record leads there")
	assert.Equal(t, "404 [wrong-name]", after[act.SetRecords]+after[act.MakeChanges],
		"the host is claimed, and nothing else")
	assert.Equal(t, "404 []", after[act.IssueCertificates])
	assert.Equal(t, "301 []", after[act.ChoosePrimaries])
}

// TestASignedZoneStaysSigned edits a signed zone: its signatures fit the key that the parent's DS
// record stands for, before and after, those of what a wildcard answers too.
func TestASignedZoneStaysSigned(t *testing.T) {
	zone := func(origin string, lines ...string) stage.Zone {
		z := stage.Zone{Origin: origin}
		for _, l := range append([]string{origin +
			" 3600 IN SOA ns.x.example. h.x.example. 1 7200 3600 1209600 300"}, lines...) {
			rr, err := dns.NewRR(l)
			require.NoError(t, err)
			z.Records = append(z.Records, rr)
		}
		return z
	}
	parent := zone("example.", "a.example. 3600 IN NS ns.x.example.")
	scene := func(address string) stage.Scene {
		all := []stage.Zone{parent, zone("a.example.", "a.example. 3600 IN NS ns.x.example.",
			"a.example. 3600 IN A "+address, "*.a.example. 3600 IN A "+address)}
		return stage.Scene{
			Zones:       all,
			NameServers: map[netip.Addr]*stage.NameServer{netip.MustParseAddr("192.0.2.53"): {Zones: all}},
			Signed: map[string]stage.Signed{"a.example.": {From: -time.Hour * 24,
				Until: time.Hour * 24 * 20}},
		}
	}
	s, err := stage.Start(scene("192.0.2.1"))
	require.NoError(t, err)
	defer s.Close()
	ask := func(name string, kind uint16) []dns.RR {
		q := new(dns.Msg).SetQuestion(name, kind)
		q.SetEdns0(4096, true)
		answer, err := dns.Exchange(q, s.Vantage().Resolvers[0])
		require.NoError(t, err)
		require.Equal(t, dns.RcodeSuccess, answer.Rcode, name)
		return answer.Answer
	}
	check := func(address string) {
		var key *dns.DNSKEY
		for _, rr := range ask("a.example.", dns.TypeDNSKEY) {
			if k, is := rr.(*dns.DNSKEY); is {
				key = k
			}
		}
		require.NotNil(t, key)
		ds := ask("a.example.", dns.TypeDS)
		require.NotEmpty(t, ds)
		assert.Equal(t, key.ToDS(dns.SHA256).Digest, ds[0].(*dns.DS).Digest)
		for _, name := range []string{"a.example.", "any.a.example."} {
			var set []dns.RR
			var sig *dns.RRSIG
			for _, rr := range ask(name, dns.TypeA) {
				switch rr := rr.(type) {
				case *dns.A:
					assert.Equal(t, address, rr.A.String())
					set = append(set, rr)
				case *dns.RRSIG:
					sig = rr
				}
			}
			require.NotNil(t, sig, name)
			assert.NoError(t, sig.Verify(key, set), name)
		}
	}
	check("192.0.2.1")
	require.NoError(t, s.SetNames(scene("192.0.2.2")))
	check("192.0.2.2")
}
