package stage_test

import (
	"context"
	"fmt"
	"net/netip"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
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
		if task.Step.Wave > 1 {
			continue // it moves with the first one
		}
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

// demoSeen makes the demo's plan from a survey of its stage.
func demoSeen(t *testing.T) *plan.Plan {
	t.Helper()
	e, err := files.ReadEstate(filepath.Join(demoFolder(t), files.EstateName))
	require.NoError(t, err)
	scene, err := stage.FromFolder(filepath.Join(demoFolder(t), "stage"), time.Now())
	require.NoError(t, err)
	w := start(t, scene)
	var subjects []live.Subject
	for _, d := range e.Domains {
		s := live.Subject{Name: d.Name, Hosts: d.Hosts(), Coming: d.MovesTo()}
		for _, wanted := range d.Wanted {
			s.Wanted = append(s.Wanted, record.Key{Name: wanted.Name, Type: wanted.Type})
		}
		subjects = append(subjects, s)
	}
	now := time.Now()
	v := &survey.Survey{Schema: survey.Schema, Started: now}
	v.Domains = (&live.Surveyor{Web: w, Parallel: 8}).All(t.Context(), subjects, func() {})
	return plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules,
		Pages: e.Pages, Survey: v, Now: now})
}

// TestEveryStepIsUndone carries the demo's plan out step by step, and takes each one back before it
// goes on: the stage then answers as it did, and the carriers know what they knew.
func TestEveryStepIsUndone(t *testing.T) {
	p := demoSeen(t)
	today, err := stage.FromFolder(filepath.Join(demoFolder(t), "stage"), time.Now())
	require.NoError(t, err)
	player, err := stage.Play(today, p)
	require.NoError(t, err)
	defer player.Close()
	var names []string
	for _, z := range p.Zones {
		names = append(names, z.Name)
		for _, c := range z.Changes {
			if c.Step > 0 && !slices.Contains(names, c.Name) {
				names = append(names, c.Name)
			}
		}
	}
	answers := func() []string {
		var all []string
		for _, name := range names {
			for _, kind := range []uint16{dns.TypeA, dns.TypeAAAA, dns.TypeCNAME, dns.TypeMX, dns.TypeTXT,
				dns.TypeNS, dns.TypeDS} {
				q := new(dns.Msg).SetQuestion(dns.Fqdn(name), kind)
				answer, err := dns.Exchange(q, player.Vantage().Resolvers[0])
				require.NoError(t, err)
				for _, rr := range answer.Answer {
					all = append(all, rr.String())
				}
			}
		}
		slices.Sort(all)
		return all
	}
	undone := 0
	for n, b := range p.Backs() {
		before := answers()
		for _, task := range p.Tasks() {
			if task.Number == n+1 {
				require.NoError(t, player.Do(task))
			}
		}
		if len(b.Rows) == 0 {
			continue
		}
		after := answers()
		require.NoError(t, player.Undo(b.Rows))
		require.Equal(t, strings.Join(before, "\n"), strings.Join(answers(), "\n"), "step %d", n+1)
		undone++
		for _, task := range p.Tasks() { // and on
			if task.Number == n+1 {
				require.NoError(t, player.Do(task))
			}
		}
		require.Equal(t, after, answers(), "step %d, done again", n+1)
	}
	assert.Greater(t, undone, 8)
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
