package store_test

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/store"
)

var taken = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

func state(day int) *recheck.State {
	return &recheck.State{Schema: recheck.Schema, Taken: taken.AddDate(0, 0, day),
		Domains: []string{"a.example"}}
}

func TestTheLastAcceptedStateHolds(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	r, err := store.Read(at(folder))
	require.NoError(t, err)
	_, err = r.Accepted(ctx)
	require.ErrorIs(t, err, store.ErrEmpty)
	lived, err := r.Lived(ctx)
	require.NoError(t, err)
	assert.Empty(t, lived)
	s, err := store.Open(at(folder))
	require.NoError(t, err)
	defer s.Close()
	for day := range 5 {
		require.NoError(t, accept(ctx, s, state(day)))
		got, err := s.Accepted(ctx)
		require.NoError(t, err)
		assert.Equal(t, state(day), got)
	}
}

// at gives whose results are meant in tests of one estate.
func at(folder string) store.Of { return store.Of{Folder: folder, Name: "upperpath.yaml"} }

func accept(ctx context.Context, s *store.Store, state *recheck.State) error {
	return s.Accept(ctx, func(*recheck.State) *recheck.State { return state })
}

// TestAKilledWriterLeavesTheStateBefore copies the store in the middle of a writing, journal
// included, as a machine that goes down leaves it: it can be read and written again, and holds what
// was accepted before.
func TestAKilledWriterLeavesTheStateBefore(t *testing.T) {
	ctx, folder, left := context.Background(), t.TempDir(), t.TempDir()
	s, err := store.Open(at(folder))
	require.NoError(t, err)
	require.NoError(t, accept(ctx, s, state(0)))
	require.NoError(t, s.Close())
	path := filepath.Join(folder, store.Folder, "store.db")
	db, err := sql.Open("sqlite", "file:"+filepath.ToSlash(path))
	require.NoError(t, err)
	defer db.Close()
	db.SetMaxOpenConns(1)
	_, err = db.Exec("PRAGMA cache_size = 1")
	require.NoError(t, err)
	tx, err := db.Begin()
	require.NoError(t, err)
	for range 50 { // more than the cache holds, so that the file itself is written to
		_, err = tx.Exec("INSERT INTO states (taken, doc) VALUES ('', ?)", strings.Repeat("x", 4096))
		require.NoError(t, err)
	}
	require.NoError(t, os.MkdirAll(filepath.Join(left, store.Folder), 0o755))
	for _, name := range []string{"store.db", "store.db-journal"} {
		data, err := os.ReadFile(filepath.Join(folder, store.Folder, name))
		require.NoError(t, err, "there is a journal while it is written")
		require.NoError(t, os.WriteFile(filepath.Join(left, store.Folder, name), data, 0o600))
	}
	require.NoError(t, tx.Rollback())
	r, err := store.Read(at(left))
	require.NoError(t, err)
	got, err := r.Accepted(ctx)
	require.NoError(t, errors.Join(err, r.Close()))
	assert.Equal(t, state(0), got)
	w, err := store.Open(at(left))
	require.NoError(t, err)
	got, err = w.Accepted(ctx)
	require.NoError(t, errors.Join(err, w.Close()))
	assert.Equal(t, state(0), got)
}
