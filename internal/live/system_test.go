package live

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// TestTheSystemsResolverIsAskedWhereNoServersAreNamed looks up a name that no system knows.
func TestTheSystemsResolverIsAskedWhereNoServersAreNamed(t *testing.T) {
	r := &resolver{system: true, timeout: 2 * time.Second}
	missing := r.ask(context.Background(), web.MustParseHost("upper-path.invalid"))
	assert.Empty(t, missing.addresses)
	if assert.NotNil(t, missing.refusal) {
		assert.Equal(t, chain.NoAddress, missing.refusal.kind)
		assert.Contains(t, missing.refusal.detail, "the system's resolver")
	}
}
