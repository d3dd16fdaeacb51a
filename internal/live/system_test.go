package live

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// TestTheSystemsResolverIsAskedWhereNoServersAreNamed looks up the one name that every system knows, and one that none does.
func TestTheSystemsResolverIsAskedWhereNoServersAreNamed(t *testing.T) {
	r := &resolver{system: true, timeout: 2 * time.Second}
	known := r.ask(context.Background(), web.MustParseHost("localhost"))
	assert.Nil(t, known.refusal)
	if assert.NotEmpty(t, known.addresses) {
		assert.True(t, known.addresses[0].IsLoopback())
	}
	missing := r.ask(context.Background(), web.MustParseHost("upper-path.invalid"))
	assert.Empty(t, missing.addresses)
	if assert.NotNil(t, missing.refusal) {
		assert.Equal(t, chain.NoAddress, missing.refusal.kind)
		assert.Contains(t, missing.refusal.detail, "the system's resolver")
	}
}
