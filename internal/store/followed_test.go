package store_test

import (
	"context"
	"database/sql"
	"errors"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/store"
)

// TestAStoreOfAnEarlierVersionGrows opens one, whose runs note neither what they hang on nor goals,
// from several programs at once, as two audits begun side by side do.
func TestAStoreOfAnEarlierVersionGrows(t *testing.T) {
	ctx := context.Background()
	for range 10 {
		folder := t.TempDir()
		s, err := store.Open(at(folder))
		require.NoError(t, err)
		run, err := s.BeginRun(ctx,
			store.Run{Digest: "list", Total: 1, Bound: map[string]string{"rules.csv": "1"}})
		require.NoError(t, err)
		kept := old.Followed{URL: "http://a.example/", Method: "GET", Weight: 7, Goal: "g"}
		require.NoError(t, s.KeepFollowed(ctx, run.ID, []old.Followed{kept}))
		require.NoError(t, s.Close())
		asBefore(t, folder)

		const programs = 4
		found, errs := make([]store.Run, programs), make([]error, programs)
		var all sync.WaitGroup
		for i := range programs {
			all.Go(func() {
				s, err := store.Open(at(folder))
				if err == nil {
					found[i], err = s.LastRun(ctx, "list")
					err = errors.Join(err, s.Close())
				}
				errs[i] = err
			})
		}
		all.Wait()
		for i := range programs {
			require.NoError(t, errs[i])
			assert.Equal(t, run.ID, found[i].ID)
			assert.Nil(t, found[i].Bound, "nothing was noted of what the verdicts hang on")
		}
		s, err = store.Open(at(folder))
		require.NoError(t, err)
		part, err := s.PartOf(ctx, run.ID, 0, 10)
		require.NoError(t, err)
		require.Len(t, part, 1)
		assert.Equal(t, 7, int(part[0].Weight))
		assert.Empty(t, part[0].Goal)
		require.NoError(t, s.Close())
	}
}

// asBefore takes from a store what an earlier version did not have.
func asBefore(t *testing.T, folder string) {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(folder, store.Folder, "store.db"))
	require.NoError(t, err)
	for _, s := range []string{
		"ALTER TABLE old_runs DROP COLUMN bound", "ALTER TABLE old_runs DROP COLUMN scope",
		"ALTER TABLE old_followed DROP COLUMN goal",
	} {
		_, err := db.Exec(s)
		require.NoError(t, err)
	}
	require.NoError(t, db.Close())
}
