package live_test

import (
	"context"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

// oneServer is a parent, and the zone a.example on one name server that misbehaves.
func oneServer(t *testing.T, n *stage.NameServer, others ...*stage.NameServer) stage.Scene {
	t.Helper()
	lines := []string{"@ IN NS p", "p IN A 192.0.2.50", "a IN NS ns1.h", "a IN NS ns2.h",
		"h IN NS ns1.h"}
	parent := zone(t, "example", append([]string{soa}, lines...)...)
	hosts := zone(t, "h.example", soa, "@ IN NS ns1", "ns1 IN A 192.0.2.51", "ns2 IN A 192.0.2.52")
	a := zone(
		t,
		"a.example",
		soa,
		"@ IN NS ns1.h.example.",
		"@ IN NS ns2.h.example.",
		"@ IN A 192.0.2.1",
		"@ IN MX 10 mail",
		"mail IN A 192.0.2.3",
		"www IN A 192.0.2.1",
		"www IN HTTPS 1 . alpn=h2",
		"@ IN CAA 0 issue \"ca.example\"",
	)
	at := netip.MustParseAddr
	n.Zones = []stage.Zone{a, hosts}
	scene := stage.Scene{
		Zones: []stage.Zone{parent, hosts, a}, Endpoints: map[netip.AddrPort]*stage.Endpoint{},
		NameServers: map[netip.Addr]*stage.NameServer{at("192.0.2.50"): {Zones: []stage.Zone{parent}},
			at("192.0.2.51"): n},
	}
	for _, o := range others {
		o.Zones = n.Zones
		scene.NameServers[at("192.0.2.52")] = o
	}
	return scene
}

// looked surveys a.example in a scene.
func looked(t *testing.T, scene stage.Scene) survey.Domain {
	t.Helper()
	s, err := stage.Start(scene)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	v := s.Vantage()
	v.Timeout = time.Second
	w, err := live.New(v)
	require.NoError(t, err)
	t.Cleanup(w.Close)
	surveyor := live.Surveyor{Web: w, NamesAlone: true}
	return surveyor.Domain(context.Background(), subject("a.example"))
}

func holds(d survey.Domain, name, kind string) bool {
	_, ok := record.Find(d.Records, name, kind)
	return ok
}

// TestAServerIsNotCondemnedForOneType surveys a zone whose only server never answers about rare
// types, as old firewalls have it: what it answers about is seen, and the rest is missed, and not
// absent.
func TestAServerIsNotCondemnedForOneType(t *testing.T) {
	d := looked(t, oneServer(t, &stage.NameServer{Drops: []string{"HTTPS", "SVCB", "CAA"}}))
	assert.Equal(t, survey.Answers, d.Servers[0].State)
	assert.True(t, holds(d, "www.a.example", "A"))
	assert.True(t, holds(d, "a.example", "MX"))
	assert.True(t, holds(d, "mail.a.example", "A"))
	for _, kind := range []string{"HTTPS", "SVCB", "CAA"} {
		assert.True(t, d.Misses("www.a.example", kind), kind)
		assert.False(t, holds(d, "www.a.example", kind))
	}
	assert.False(t, d.Misses("www.a.example", "AAAA"), "it was answered: there is none")
	said := slices.DeleteFunc(slices.Clone(d.Unseen), func(s string) bool {
		return !strings.Contains(s, "no answer to")
	})
	assert.Len(t, said, 1, "one line a server")
}

func TestWhatOneServerFailsAtIsAskedOfTheNext(t *testing.T) {
	d := looked(t, oneServer(t, &stage.NameServer{Fails: []string{"CAA", "MX"}}, &stage.NameServer{}))
	assert.True(t, holds(d, "a.example", "CAA"))
	assert.True(t, holds(d, "a.example", "MX"))
	assert.Empty(t, d.Missed)
	require.NotEmpty(t, d.Failed, "it is kept all the same")
	assert.Equal(t, "it says SERVFAIL", d.Failed[0].Why)
	assert.Contains(t, strings.Join(d.Unseen, "\n"),
		"it says SERVFAIL; another of the servers did answer")
	d = looked(t, oneServer(t, &stage.NameServer{Fails: []string{"MX"}}))
	assert.True(t, d.Misses("a.example", "MX"))
	assert.Contains(t, strings.Join(d.Unseen, "\n"), "SERVFAIL")
}

func TestANameThatHasAnAddressExistsThoughAServerDeniesIt(t *testing.T) {
	d := looked(t, oneServer(t, &stage.NameServer{Denies: []string{"AAAA"}}))
	assert.True(t, holds(d, "www.a.example", "A"))
	assert.True(t, holds(d, "www.a.example", "HTTPS"), "RFC 4074: other types are asked all the same")
	assert.True(t, holds(d, "a.example", "MX"))
}

func TestAServerWithoutEDNSIsAskedWithout(t *testing.T) {
	d := looked(t, oneServer(t, &stage.NameServer{NoEDNS: true}))
	assert.Equal(t, survey.Answers, d.Servers[0].State)
	assert.True(t, holds(d, "www.a.example", "A"))
	assert.Empty(t, d.Missed)
}

// TestAliasesOfKeysNeedNoAddress has aliases to texts that are there, and to one that is not.
func TestAliasesOfKeysNeedNoAddress(t *testing.T) {
	scene := oneServer(t, &stage.NameServer{Transfer: true})
	a := zone(t, "a.example", soa, "@ IN NS ns1.h.example.", "k1._domainkey IN CNAME key.h.example.",
		"_dmarc IN CNAME gone.h.example.", "old IN CNAME key.h.example.")
	hosts := zone(
		t,
		"h.example",
		soa,
		"@ IN NS ns1",
		"ns1 IN A 192.0.2.51",
		"ns2 IN A 192.0.2.52",
		"key IN TXT \"v=DKIM1; p=x\"",
	)
	scene.Zones = []stage.Zone{scene.Zones[0], hosts, a}
	scene.NameServers[netip.MustParseAddr("192.0.2.51")].Zones = []stage.Zone{a, hosts}
	d := looked(t, scene)
	exists := map[string]bool{}
	for _, end := range d.Aliases {
		exists[end.Name] = end.Exists
	}
	assert.Equal(
		t,
		map[string]bool{"k1._domainkey.a.example": true, "_dmarc.a.example": false,
			"old.a.example": false},
		exists,
	)
}

// TestTheNewestServerCounts has the first name server a version behind.
func TestTheNewestServerCounts(t *testing.T) {
	scene := oneServer(t, &stage.NameServer{}, &stage.NameServer{})
	newer := zone(
		t,
		"a.example",
		strings.Replace(soa, " 7 ", " 8 ", 1),
		"@ IN NS ns1.h.example.",
		"@ IN NS ns2.h.example.",
		"www IN A 192.0.2.99",
	)
	at := netip.MustParseAddr("192.0.2.52")
	scene.NameServers[at].Zones = []stage.Zone{newer, scene.Zones[1]}
	d := looked(t, scene)
	www, ok := record.Find(d.Records, "www.a.example", "A")
	require.True(t, ok)
	assert.Equal(t, []string{"192.0.2.99"}, www.Values)
}

// TestWhatTheZoneRefersToIsAskedFor has names that nobody would guess, to which records refer, one
// of them in two steps.
func TestWhatTheZoneRefersToIsAskedFor(t *testing.T) {
	scene := oneServer(t, &stage.NameServer{})
	a := zone(
		t,
		"a.example",
		soa,
		"@ IN NS odd-ns",
		"@ IN NS ns1.h.example.",
		"odd-ns IN A 192.0.2.53",
		"@ IN MX 10 mx-seven",
		"mx-seven IN A 192.0.2.7",
		"@ IN TXT \"v=spf1 include:_spf-x.a.example a:sender.a.example/24 -all\"",
		"_spf-x IN TXT \"v=spf1 include:_spf-y.a.example\"",
		"_spf-y IN TXT \"v=spf1 ip4:192.0.2.9\"",
		"sender IN A 192.0.2.10",
		"_imaps._tcp IN SRV 0 1 993 box-3",
		"box-3 IN CNAME box-4",
		"box-4 IN AAAA 2001:db8::4",
		"www IN CNAME front",
		"front IN A 192.0.2.1",
		"@ IN HTTPS 0 svc-9",
		"svc-9 IN A 192.0.2.19",
		"unknown IN A 192.0.2.99",
	)
	scene.NameServers[netip.MustParseAddr("192.0.2.51")].Zones[0] = a
	scene.Zones[2] = a
	d := looked(t, scene)
	for _, want := range []string{"odd-ns A", "mx-seven A", "_spf-x TXT", "_spf-y TXT", "sender A",
		"box-3 CNAME",
		"box-4 AAAA",
		"front A", "svc-9 A"} {
		label, kind, _ := strings.Cut(want, " ")
		assert.True(t, holds(d, label+".a.example", kind), want)
	}
	assert.False(t, holds(d, "unknown.a.example", "A"))
	assert.True(t, d.Partial)
}
