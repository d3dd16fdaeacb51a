package live_test

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

const ours = "192.0.2.51"

// withZone gives the one server, and the world's resolvers, another zone a.example.
func withZone(t *testing.T, scene stage.Scene, lines ...string) stage.Scene {
	t.Helper()
	a := zone(t, "a.example", append([]string{soa, "@ IN NS ns1.h.example."}, lines...)...)
	scene.Zones[2] = a
	scene.NameServers[netip.MustParseAddr(ours)].Zones = []stage.Zone{a, scene.Zones[1]}
	return scene
}

func judge(domains ...survey.Domain) []finding.Finding {
	return survey.Judge{Now: time.Now(),
		Estate: []string{"a.example"}}.All(&survey.Survey{Domains: domains})
}

func codes(findings []finding.Finding) []string {
	var all []string
	for _, f := range findings {
		all = append(all, f.Code.String()+" "+f.Subject)
	}
	return all
}

var signed = map[string]stage.Signed{"a.example.": {From: -10 * day, Until: 20 * day}}

func TestASignedZoneIsWalkedFromNameToName(t *testing.T) {
	scene := withZone(t, oneServer(t, &stage.NameServer{}), "@ IN A 192.0.2.1", "www IN CNAME @",
		"hidden-7 IN TXT \"x\"",
		"*.wild IN A 192.0.2.9", "below IN NS ns.below", "ns.below IN A 192.0.2.77",
		"z.y.x IN AAAA 2001:db8::5")
	scene.Signed = signed
	d := looked(t, scene)
	assert.Equal(t, survey.Walked, d.Source)
	assert.False(t, d.Partial)
	for _, want := range []string{"hidden-7 TXT", "*.wild A", "below NS", "ns.below A", "z.y.x AAAA",
		"www CNAME"} {
		label, kind, _ := strings.Cut(want, " ")
		assert.True(t, holds(d, label+".a.example", kind), want)
	}
	assert.False(t, holds(d, "below.a.example", "A"))
	assert.True(t, d.Parent.DS[0].Matched)
	for _, s := range d.Signing.Signatures {
		assert.Empty(t, s.Fault, s.Name+" "+s.Type)
	}
	assert.GreaterOrEqual(t, len(d.Signing.Signatures), 3)
	assert.Empty(t, d.Signing.Barred)
	assert.NotContains(t, strings.Join(codes(judge(d)), "\n"), "signature")
}

// TestAWalkWithoutEndIsGivenUp has a server that names ever another next name, and one that makes
// its NSEC records up.
func TestAWalkWithoutEndIsGivenUp(t *testing.T) {
	for name, next := range map[string]func(string) string{
		"ever more": func(owner string) string {
			return "a" + strings.TrimSuffix(owner, "a.example.") + "a.example."
		},
		"made up":     func(owner string) string { return `\000.` + owner },
		"elsewhere":   func(string) string { return "other.example." },
		"to itself":   func(owner string) string { return owner },
		"in a circle": func(string) string { return "x.a.example." },
	} {
		t.Run(name, func(t *testing.T) {
			d := against(t, authoritative(t, map[uint16]func(dns.ResponseWriter, *dns.Msg){
				dns.TypeNSEC: func(w dns.ResponseWriter, q *dns.Msg) {
					m := new(dns.Msg)
					m.SetReply(q)
					m.Authoritative = true
					owner := q.Question[0].Name
					m.Answer = []dns.RR{
						&dns.NSEC{Hdr: dns.RR_Header{Name: owner, Rrtype: dns.TypeNSEC, Class: dns.ClassINET,
							Ttl: 60},
							NextDomain: next(owner), TypeBitMap: []uint16{dns.TypeNSEC}}}
					_ = w.WriteMsg(m)
				}}))
			if name != "to itself" { // a zone of one name, which is what it says
				assert.Equal(t, survey.Asked, d.Source)
				assert.True(t, d.Partial)
			}
		})
	}
}

func TestWhereNoServerCanBeReachedAResolverIsAsked(t *testing.T) {
	scene := withZone(
		t,
		oneServer(t, &stage.NameServer{Silent: true}),
		"@ IN A 192.0.2.1",
		"@ IN MX 10 mail",
		"mail IN A 192.0.2.3",
		"www IN A 192.0.2.1",
		"_dmarc IN TXT \"v=DMARC1; p=none\"",
	)
	for _, a := range []string{"192.0.2.50", "192.0.2.52"} { // nor the parent zone
		scene.NameServers[netip.MustParseAddr(a)] = &stage.NameServer{Silent: true}
	}
	d := looked(t, scene)
	assert.Equal(t, survey.Resolver, d.Source)
	assert.True(t, d.Partial)
	assert.True(t, d.Remaining)
	assert.True(t, d.Seen())
	for _, want := range []string{"www.a.example A", "a.example MX", "mail.a.example A",
		"_dmarc.a.example TXT",
		"a.example SOA"} {
		name, kind, _ := strings.Cut(want, " ")
		assert.True(t, holds(d, name, kind), want)
	}
	assert.Contains(t, strings.Join(d.Unseen, "\n"),
		"no name server of a.example could be reached from here")
	assert.NotContains(t, strings.Join(codes(judge(d)), "\n"), "split-answers",
		"none of them is to blame")
}

// TestASilentResolverIsNamedAndLeftOut has a resolver that never answers before one that does.
func TestASilentResolverIsNamedAndLeftOut(t *testing.T) {
	dead, err := net.ListenPacket("udp", "127.0.0.1:0") // nobody answers
	require.NoError(t, err)
	defer dead.Close()
	asked := new(atomic.Int64)
	go func() {
		buffer := make([]byte, 512)
		for {
			if _, _, err := dead.ReadFrom(buffer); err != nil {
				return
			}
			asked.Add(1)
		}
	}()
	w := look(t, oneServer(t, &stage.NameServer{}), func(v *live.Vantage) {
		v.Resolvers = append([]string{dead.LocalAddr().String()}, v.Resolvers...)
	})
	surveyor := live.Surveyor{Web: w, NamesAlone: true}
	d := surveyor.Domain(context.Background(), subject("a.example"))
	assert.True(t, holds(d, "www.a.example", "A"))
	assert.LessOrEqual(t, asked.Load(), int64(8), "those that were asked at once, twice each")
	before := asked.Load()
	surveyor.Domain(context.Background(), subject("b.example"))
	assert.Equal(t, before, asked.Load(), "it is not asked any more")
	assert.Contains(t, strings.Join(w.Notes(), "\n"),
		"The resolver "+dead.LocalAddr().String()+" does not answer within")
}

// TestALargeAnswerThatDoesNotGetThroughComesOverTCP has a server whose large datagrams are lost,
// and one whose large answers are cut without a word.
func TestALargeAnswerThatDoesNotGetThroughComesOverTCP(t *testing.T) {
	large := func(m *dns.Msg) {
		for i := range 40 {
			m.Answer = append(
				m.Answer,
				rr(t,
					fmt.Sprintf("%s 60 IN TXT \"text %d %s\"", m.Question[0].Name, i, strings.Repeat("x", 40))),
			)
		}
	}
	overTCP := func(w dns.ResponseWriter) bool { _, tcp := w.RemoteAddr().(*net.TCPAddr); return tcp }
	for name, overUDP := range map[string]func(dns.ResponseWriter, *dns.Msg){
		"lost": func(dns.ResponseWriter, *dns.Msg) {},
		"cut": func(w dns.ResponseWriter, m *dns.Msg) {
			octets, _ := m.Pack()
			_, _ = w.Write(octets[:1000])
		},
	} {
		t.Run(name, func(t *testing.T) {
			d := against(t, authoritative(t, map[uint16]func(dns.ResponseWriter, *dns.Msg){
				dns.TypeTXT: func(w dns.ResponseWriter, q *dns.Msg) {
					m := new(dns.Msg)
					m.SetReply(q)
					m.Authoritative = true
					if q.Question[0].Name == "a.example." {
						if large(m); !overTCP(w) {
							overUDP(w, m)
							return
						}
					}
					_ = w.WriteMsg(m)
				}}))
			texts, ok := record.Find(d.Records, "a.example", "TXT")
			require.True(t, ok)
			assert.Len(t, texts.Values, 40)
			assert.Empty(t, d.Missed)
		})
	}
}

// TestAnAnswerThatIsCutEverywhereIsUnseen has the stage's server cut long answers off, over TCP
// too.
func TestAnAnswerThatIsCutEverywhereIsUnseen(t *testing.T) {
	scene := withZone(
		t,
		oneServer(t, &stage.NameServer{Cuts: 200}),
		"@ IN TXT \""+strings.Repeat("x", 250)+"\"",
		"www IN A 192.0.2.1",
	)
	d := looked(t, scene)
	assert.True(t, holds(d, "www.a.example", "A"))
	assert.True(t, d.Misses("a.example", "TXT"))
	assert.Contains(t, strings.Join(d.Unseen, "\n"), "its answer cannot be read")
}

func TestSignaturesThatDoNotHoldAreTheCause(t *testing.T) {
	for name, c := range map[string]struct {
		how  stage.Signed
		want finding.Code
		door chain.Refusal
	}{
		"ended": {stage.Signed{From: -30 * day, Until: -day}, finding.SignatureExpired,
			chain.OldSigned},
		"another DS": {stage.Signed{From: -day, Until: 20 * day, StaleDS: true}, finding.StaleDS,
			chain.BadSigned},
	} {
		t.Run(name, func(t *testing.T) {
			scene := withZone(t, oneServer(t, &stage.NameServer{}), "@ IN A 192.0.2.1", "www IN A 192.0.2.1")
			scene.Signed = map[string]stage.Signed{"a.example.": c.how}
			w := look(t, scene, nil)
			surveyor := live.Surveyor{Web: w}
			d := surveyor.Domain(context.Background(), subject("a.example"))
			require.NotNil(t, d.Signing)
			assert.Len(t, d.Signing.Barred, 1)
			found := judge(d)
			about := slices.DeleteFunc(codes(found), func(c string) bool {
				return !strings.Contains(c, "signature") && !strings.Contains(c, "stale") &&
					!strings.Contains(c, "no-address")
			})
			assert.Equal(t, []string{c.want.String() + " a.example"}, about,
				"one cause is one finding, for all its doors")
			answer := ask(w, "http://www.a.example/")
			assert.Equal(t, c.door, answer.Refusal)
			assert.NotContains(t, found[0].Fix.String(), "Create an A")
		})
	}
	scene := withZone(t, oneServer(t, &stage.NameServer{}), "www IN A 192.0.2.1")
	scene.Signed = map[string]stage.Signed{"a.example.": {From: -day, Until: 6 * day}}
	d := looked(t, scene)
	found := judge(d)
	at := slices.Index(codes(found), "signature-expired a.example")
	require.GreaterOrEqual(t, at, 0)
	assert.Equal(t, finding.Warning, found[at].Severity)
}

func TestAnOlderSerialIsSeenAndTheNewestCounts(t *testing.T) {
	scene := oneServer(t, &stage.NameServer{Behind: 2}, &stage.NameServer{})
	d := looked(t, scene)
	assert.Equal(t, []uint32{5, 7}, []uint32{d.Servers[0].Serial, d.Servers[1].Serial})
	set, _ := record.Find(d.Records, "a.example", "SOA")
	assert.Contains(t, set.Values[0], " 7 ")
	assert.Contains(t, strings.Join(codes(judge(d)), "\n"), "split-answers a.example")
}

func TestAliasesInACircleAreOneFinding(t *testing.T) {
	scene := withZone(
		t,
		oneServer(t, &stage.NameServer{Transfer: true}),
		"@ IN A 192.0.2.1",
		"www IN CNAME x",
		"x IN CNAME y",
		"y IN CNAME x",
		"shop IN CNAME r1.h.example.",
	)
	scene.Zones[1] = zone(
		t,
		"h.example",
		soa,
		"@ IN NS ns1",
		"ns1 IN A 192.0.2.51",
		"ns2 IN A 192.0.2.52",
		"r1 IN CNAME r2",
		"r2 IN CNAME r1",
	)
	w := look(t, scene, nil)
	surveyor := live.Surveyor{Web: w}
	d := surveyor.Domain(context.Background(), subject("a.example"))
	loops := slices.DeleteFunc(codes(judge(d)), func(c string) bool {
		return !strings.HasPrefix(c, "alias-loop") && !strings.HasPrefix(c, "dangling") &&
			!strings.HasPrefix(c, "no-address www")
	})
	assert.Equal(t, []string{"alias-loop r1.h.example", "alias-loop x.a.example"}, loops)
}

func TestWhatIsDelegatedBelowIsSeen(t *testing.T) {
	scene := withZone(
		t,
		oneServer(t, &stage.NameServer{}),
		"@ IN A 192.0.2.1",
		"shop IN NS ns.shop",
		"ns.shop IN A 192.0.2.77",
	)
	d := looked(t, scene)
	assert.True(t, holds(d, "shop.a.example", "NS"))
	assert.True(t, holds(d, "ns.shop.a.example", "A"))
	assert.NotContains(t, strings.Join(codes(judge(d)), "\n"), "cut-off")
	assert.Contains(
		t,
		fmt.Sprint(d.Odd()),
		"shop.a.example is delegated to other name servers (ns.shop.a.example)",
	)
}

func TestTheServersOfTheZoneAboveAreCompared(t *testing.T) {
	scene := oneServer(t, &stage.NameServer{}, &stage.NameServer{})
	one := append(
		slices.Clone(scene.Zones[0].Records),
		rr(t, "example. 60 IN NS p2.example."),
		rr(t, "p2.example. 60 IN A 192.0.2.60"),
	)
	two := append(slices.Clone(one), rr(t, "a.example. 60 IN DS 1 13 2 "+strings.Repeat("AB", 32)))
	scene.Zones[0].Records = one
	scene.NameServers[netip.MustParseAddr("192.0.2.50")].Zones[0].Records = one
	scene.NameServers[netip.MustParseAddr("192.0.2.60")] = &stage.NameServer{
		Zones: []stage.Zone{{Origin: "example.", Records: two}},
	}
	d := looked(t, scene)
	require.Len(t, d.Differences, 1)
	assert.Equal(t, "DS", d.Differences[0].Type)
	assert.Len(t, d.Differences[0].Voices, 2)
}

func TestADomainThatTheZoneAboveDoesNotKnow(t *testing.T) {
	w := look(t, oneServer(t, &stage.NameServer{}), nil)
	surveyor := live.Surveyor{Web: w, NamesAlone: true}
	d := surveyor.Domain(context.Background(), subject("unknown.example"))
	assert.True(t, d.Parent.Unknown)
	assert.False(t, d.Seen())
	assert.Equal(t, []string{"on-hold unknown.example"}, codes(judge(d)))
	assert.False(t, surveyor.Domain(context.Background(), subject("a.example")).Parent.Unknown)
}

// TestADomainThatOneServerOfTheZoneAboveKnows has a delegation that has not reached all servers of
// the parent zone.
func TestADomainThatOneServerOfTheZoneAboveKnows(t *testing.T) {
	scene := oneServer(t, &stage.NameServer{}, &stage.NameServer{})
	knows := append(
		slices.Clone(scene.Zones[0].Records),
		rr(t, "example. 60 IN NS p2.example."),
		rr(t, "p2.example. 60 IN A 192.0.2.60"),
	)
	lacks := slices.DeleteFunc(slices.Clone(knows), func(r dns.RR) bool {
		name := r.Header().Name
		return name == "a.example." || strings.HasSuffix(name, ".a.example.")
	})
	for _, at := range []string{"192.0.2.50", "192.0.2.60"} { // whichever of them is asked first
		scene.Zones[0].Records = knows
		for _, server := range []string{"192.0.2.50", "192.0.2.60"} {
			records := knows
			if server == at {
				records = lacks
			}
			scene.NameServers[netip.MustParseAddr(server)] = &stage.NameServer{
				Zones: []stage.Zone{{Origin: "example.", Records: records}},
			}
		}
		d := looked(t, scene)
		assert.False(t, d.Parent.Unknown, "%s lacks it", at)
		assert.NotEmpty(t, d.Parent.Servers)
		assert.False(t, d.Nowhere())
	}
}

func TestServersThatDifferAtMailAreFoundOut(t *testing.T) {
	lines := []string{"@ IN MX 10 mail", "mail IN A 192.0.2.3", "_dmarc IN TXT \"v=DMARC1; p=none\""}
	scene := withZone(t, oneServer(t, &stage.NameServer{}, &stage.NameServer{}), lines...)
	lines[1], lines[2] = "mail IN A 192.0.2.4", "_dmarc IN TXT \"v=DMARC1; p=reject\""
	other := zone(t, "a.example", append([]string{soa, "@ IN NS ns1.h.example."}, lines...)...)
	scene.NameServers[netip.MustParseAddr("192.0.2.52")].Zones = []stage.Zone{other, scene.Zones[1]}
	d := looked(t, scene)
	var about []string
	for _, diff := range d.Differences {
		about = append(about, diff.Name+" "+diff.Type)
	}
	assert.Equal(t, []string{"_dmarc.a.example TXT", "mail.a.example A"}, about)
}

// TestMachinesAndPoliciesElsewhereAreLookedAt has mail at an alias and at nothing in another zone,
// and an SPF record that leads through three zones.
func TestMachinesAndPoliciesElsewhereAreLookedAt(t *testing.T) {
	scene := withZone(t, oneServer(t, &stage.NameServer{}), "@ IN MX 10 alias.h.example.",
		"@ IN MX 20 none.h.example.",
		"@ IN MX 30 real.h.example.", "@ IN TXT \"v=spf1 include:one.h.example redirect=_own.a.example\"",
		"_own IN TXT \"v=spf1 include:three.h.example -all\"")
	scene.Zones[1] = zone(
		t,
		"h.example",
		soa,
		"@ IN NS ns1",
		"ns1 IN A 192.0.2.51",
		"ns2 IN A 192.0.2.52",
		"alias IN CNAME real",
		"real IN A 192.0.2.80",
		"one IN TXT \"v=spf1 include:two.h.example -all\"",
		"two IN TXT \"v=spf1 mx a -all\"",
		"three IN TXT \"no policy\"",
	)
	d := looked(t, scene)
	said := map[string]string{}
	for _, target := range d.Targets {
		if target.Type == "MX" {
			said[target.Target] = fmt.Sprintf("%v %s %v", target.Addresses, target.Alias, target.Absent)
		}
	}
	assert.Equal(t,
		map[string]string{"alias.h.example": "[192.0.2.80] real.h.example false",
			"none.h.example": "[]  true",
			"real.h.example": "[192.0.2.80]  false"}, said)
	assert.Equal(t,
		[]survey.Senders{{Name: "one.h.example", Text: "v=spf1 include:two.h.example -all"},
			{Name: "three.h.example"}, {Name: "two.h.example", Text: "v=spf1 mx a -all"}}, d.Senders)
	broken := slices.DeleteFunc(codes(judge(d)), func(c string) bool {
		return !strings.HasPrefix(c, "mail-broken")
	})
	assert.Len(t, broken, 2)
}

// TestAResolverThatFailsIsNoProofOfAbsence has resolvers that say SERVFAIL about where mail goes.
func TestAResolverThatFailsIsNoProofOfAbsence(t *testing.T) {
	failing := server(t, func(w dns.ResponseWriter, q *dns.Msg) {
		m := new(dns.Msg)
		m.SetRcode(q, dns.RcodeServerFailure)
		switch {
		case q.Question[0].Qtype == dns.TypeNS && q.Question[0].Name == "a.example.":
			m.Rcode = dns.RcodeSuccess
			m.Answer = []dns.RR{rr(t, "a.example. 60 IN NS ns.bad.example.")}
		}
		_ = w.WriteMsg(m)
	})
	at := server(
		t,
		authoritative(t,
			map[uint16]func(dns.ResponseWriter,
				*dns.Msg){dns.TypeMX: func(w dns.ResponseWriter, q *dns.Msg) {
				m := new(dns.Msg)
				m.SetReply(q)
				m.Authoritative = true
				m.Answer = []dns.RR{rr(t, q.Question[0].Name+" 60 IN MX 10 mx.far.example.")}
				_ = w.WriteMsg(m)
			}}),
	)
	w := look(t, stage.Scene{}, func(v *live.Vantage) {
		v.Resolvers, v.Proxy = []string{failing.String()}, ""
		v.Points = []live.Point{
			{Host: web.MustParseHost("ns.bad.example"), Port: 53, Address: at.Addr(), To: at.Port()}}
	})
	surveyor := live.Surveyor{Web: w, NamesAlone: true}
	d := surveyor.Domain(context.Background(), subject("a.example"))
	require.NotEmpty(t, d.Targets)
	assert.False(t, d.Targets[0].Absent)
	assert.NotContains(t, strings.Join(codes(judge(d)), "\n"), "mail-broken")
	answer := ask(w, "http://other.example/")
	assert.Equal(t, chain.Unresolved, answer.Refusal)
	assert.Contains(t, answer.Detail, "SERVFAIL")
}

func TestOneBadFieldOfARegistrationDropsNoOther(t *testing.T) {
	answers := map[string]string{
		"bad-events.example": `{"status":["active"],"events":[{"eventAction":7},{"eventAction":"expiration","eventDate":"2027-03-01T00:00:00"}],
			"nameservers":[{"ldhName":5},{"ldhName":"NS1.h.example"}],"entities":"x"}`,
		"day.example": `{"events":[{"eventAction":"expiration","eventDate":"2027-03-01"}],"status":null}`,
		"odd.example": `{"events":[{"eventAction":"expiration","eventDate":"next ` +
			`year"}],"status":["ok",{}],"nameservers":[]}`,
		"list.example":   `["domain"]`,
		"large.example":  `{"status":["active"],"notices":"` + strings.Repeat("n", 900<<10) + `"}`,
		"larger.example": `{"status":["active"],"notices":"` + strings.Repeat("n", 1100<<10) + `"}`,
	}
	w := look(
		t,
		stage.Scene{Zones: records(t, "rdap.example. 60 IN A 192.0.2.90"),
			Endpoints: map[netip.AddrPort]*stage.Endpoint{
				netip.MustParseAddrPort("192.0.2.90:80"): {Answer: func(u web.URL) stage.Reply {
					return stage.Reply{Status: 200, Text: answers[strings.TrimPrefix(u.Path(), "/domain/")]}
				}},
			}},
		nil,
	)
	s := &live.Surveyor{Web: w, Registry: live.Registry{Base: "http://rdap.example"}}
	seen := func(name string) survey.Domain { return s.Domain(context.Background(), subject(name)) }

	r := seen("bad-events.example").Registration
	require.NotNil(t, r)
	assert.Equal(t, "2027-03-01", r.Ends.Format(time.DateOnly), "a date without a zone counts as UTC")
	assert.Equal(t, []string{"active"}, r.Status)
	assert.Equal(t, []string{"ns1.h.example"}, r.NameServers)
	assert.Equal(t, []string{"events", "nameservers", "entities"}, r.Unread)
	assert.Equal(t, "2027-03-01", seen("day.example").Registration.Ends.Format(time.DateOnly))
	odd := seen("odd.example")
	assert.Nil(t, odd.Registration.Ends)
	assert.Equal(t, []string{"ok"}, odd.Registration.Status)
	assert.Contains(t, strings.Join(odd.Unseen, "\n"),
		"a part of these could not be read: status, events")
	assert.Nil(t, seen("list.example").Registration)
	assert.NotNil(t, seen("large.example").Registration, "up to 1 MB")
	assert.Contains(t, strings.Join(seen("larger.example").Unseen, "\n"), "more than 1048576 octets")
}
