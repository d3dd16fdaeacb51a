package live

import (
	"context"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// TestPrivateNameServersAreNotAsked has a zone name a server of a private network, which a stranger
// may do.
func TestPrivateNameServersAreNotAsked(t *testing.T) {
	w, err := New(Vantage{Resolvers: []string{"192.0.2.53:53"}})
	require.NoError(t, err)
	l := &looker{surveyor: &Surveyor{Web: w}, web: w, domain: survey.Domain{Name: "old.example"}}
	ctx, cancel := context.WithCancel(context.Background())
	cancel() // nobody is asked
	l.askServers(ctx, []string{"10.1.2.3"}, nil)
	require.Len(t, l.domain.Servers, 1)
	assert.Equal(t, survey.Inside, l.domain.Servers[0].State)
	v := &survey.Survey{Schema: survey.Schema, Domains: []survey.Domain{l.domain}}
	found := survey.Judge{}.All(v)
	require.NotEmpty(t, found)
	assert.Equal(t, fact.ServerInside{}, found[0].Facts().(fact.ServerFails).Does)
}

func TestOfSeveralAddressesOnlyPublicOnesAreAsked(t *testing.T) {
	w, err := New(Vantage{Resolvers: []string{"192.0.2.53:53"}})
	require.NoError(t, err)
	h := web.MustParseHost("www.old.example")
	public, private := netip.MustParseAddr("203.0.113.1"), netip.MustParseAddr("10.0.0.1")
	seen := &evidence{host: found{addresses: []netip.Addr{private, public}}}
	require.Nil(t, w.keepOut(h, seen))
	assert.Equal(t, []netip.Addr{public}, seen.host.addresses)
	seen = &evidence{host: found{addresses: []netip.Addr{private}}}
	refused := w.keepOut(h, seen)
	require.NotNil(t, refused)
	assert.Equal(t, chain.Private, refused.kind)
	for _, v := range []Vantage{{Private: true}, {Resolvers: []string{
		"10.0.0.53:53"}}, {Proxy: "127.0.0.1:1080"}, {Proxy: "localhost:1"},
	} {
		inside, err := New(v)
		require.NoError(t, err)
		assert.Nil(t, inside.keepOut(h, &evidence{host: found{addresses: []netip.Addr{private}}}), "%+v",
			v)
	}
}

func TestAVantageWithoutIPv6SaysNothingBadOfServersWithIPv6Alone(t *testing.T) {
	w, err := New(Vantage{Resolvers: []string{"192.0.2.53:53"}})
	require.NoError(t, err)
	w.dialer.ipv6 = false
	l := &looker{surveyor: &Surveyor{Web: w}, web: w, domain: survey.Domain{Name: "old.example"}}
	l.askServers(context.Background(), []string{"[2001:db8::53]"}, nil)
	assert.Empty(t, l.domain.Servers)
	require.Len(t, l.domain.Unseen, 1)
	assert.Contains(t, l.domain.Unseen[0], "only IPv6 addresses")
}
