package store

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

func audit(vantage string) *chain.Audit {
	u := web.MustParseURL("http://old.example/a%2Fb?c")
	return &chain.Audit{
		Schema:    chain.AuditSchema,
		Vantage:   vantage,
		Canonical: "https://www.n.example",
		Started:   time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC),
		Chains: []chain.Chain{
			{
				Entry:    u,
				Probe:    chain.Asked,
				Arrival:  u,
				End:      chain.Page,
				Hops:     []chain.Answer{{URL: u, Status: 200}},
				Findings: []finding.Finding{},
			},
		},
		Findings: []finding.Finding{},
	}
}

func TestWhatIsKeptComesBackWhole(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := Open(folder)
	require.NoError(t, err)
	_, err = s.Last(ctx)
	require.ErrorIs(t, err, ErrEmpty)
	first, err := s.Keep(ctx, audit("first"))
	require.NoError(t, err)
	_, err = s.Keep(ctx, audit("second"))
	require.NoError(t, err)
	require.NoError(t, s.Close())

	s, err = Open(folder)
	require.NoError(t, err)
	defer s.Close()
	last, err := s.Last(ctx)
	require.NoError(t, err)
	assert.Equal(t, audit("second"), last)
	again, err := s.Get(ctx, first)
	require.NoError(t, err)
	assert.Equal(t, audit("first"), again)
	_, err = s.Get(ctx, 99)
	require.ErrorIs(t, err, ErrEmpty)
	list, err := s.List(ctx)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "second", list[0].Vantage)
	assert.Equal(t, audit("x").Started, list[0].Started)
}

func TestADamagedStoreIsSaid(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(folder, Folder), 0o755))
	require.NoError(
		t,
		os.WriteFile(
			filepath.Join(folder, Folder, "store.db"),
			[]byte("this is no database, and long enough to be seen as none"),
			0o600,
		),
	)
	_, err := Open(folder)
	assert.ErrorContains(t, err, "move it away")
}
