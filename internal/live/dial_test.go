package live

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
)

func TestWithoutIPv6AAAAIsSkippedWithANoteAndNeverAFault(t *testing.T) {
	w, err := New(Vantage{Resolvers: []string{"127.0.0.1:1"}, Timeout: time.Second})
	require.NoError(t, err)
	w.dialer.ipv6 = false
	_, _, why := w.dialer.first(context.Background(), []netip.Addr{netip.MustParseAddr("2001:db8::1")},
		80)
	require.NotNil(t, why)
	assert.Equal(t, chain.Unseen, why.kind)
	require.Len(t, w.Notes(), 1)
	assert.Contains(t, w.Notes()[0], "no IPv6")
}
