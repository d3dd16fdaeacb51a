package store_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/store"
)

const siteA, siteB = "https://www.a.example", "https://www.b.example"

// of names an estate file of a folder, and writes it, so that it is there.
func of(t *testing.T, folder, name, site string) store.Of {
	t.Helper()
	require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte("x"), 0o600))
	return store.Of{Folder: folder, Name: name, Canonical: site}
}

func auditOf(site string, started time.Time, domains ...string) *chain.Audit {
	return &chain.Audit{Schema: chain.AuditSchema, Canonical: site, Started: started, Vantage: "here",
		Chains: []chain.Chain{}, Findings: []finding.Finding{},
		Scope: &scope.Scope{Estate: "x.yaml", Domains: domains, Meant: 1, Done: 1}}
}

func open(t *testing.T, o store.Of) *store.Store {
	t.Helper()
	s, err := store.Open(o)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func TestTwoEstatesOfOneFolderKnowNothingOfEachOther(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	a := open(t, of(t, folder, "a.yaml", siteA))
	id, _, err := a.Keep(ctx, auditOf(siteA, taken, "a.example"))
	require.NoError(t, err)
	_, _, err = a.KeepSurvey(ctx, &survey.Survey{Schema: survey.Schema, Canonical: siteA,
		Started: taken, Domains: []survey.Domain{{Name: "a.example"}}, Findings: []finding.Finding{}})
	require.NoError(t, err)
	require.NoError(t, accept(ctx, a, state(1)))
	require.NoError(t, a.Tell(ctx, []recheck.Fact{{Code: "loop", Subject: "x"}}))
	change := func(s *store.Store, site string) error {
		return s.ChangeRunbook(ctx, "", func(b *runbook.Book) (*runbook.Book, error) {
			if b == nil {
				b = runbook.New(site, "", []runbook.Task{{Says: "x"}}, taken)
			}
			return b, b.Mark(1, taken)
		})
	}
	require.NoError(t, change(a, siteA))

	b := open(t, of(t, folder, "b.yaml", siteB))
	_, err = b.Last(ctx)
	require.ErrorIs(t, err, store.ErrEmpty)
	_, err = b.Accepted(ctx)
	require.ErrorIs(t, err, store.ErrEmpty)
	_, err = b.Runbook(ctx, "")
	require.ErrorIs(t, err, store.ErrEmpty)
	told, err := b.Told(ctx)
	require.NoError(t, err)
	assert.Empty(t, told)
	surveys, err := b.ListSurveys(ctx)
	require.NoError(t, err)
	assert.Empty(t, surveys)
	_, err = b.Get(ctx, id)
	var other *store.OtherError
	require.ErrorAs(t, err, &other, "its number is no secret")
	assert.Equal(t, "a.yaml", other.Estate)
	for range 4 { // what one accepts pushes nothing out of the other
		require.NoError(t, accept(ctx, b, state(9)))
	}
	require.NoError(t, b.Tell(ctx, nil))
	require.NoError(t, change(b, siteB))

	got, err := a.Accepted(ctx)
	require.NoError(t, err)
	assert.Equal(t, state(1), got)
	told, err = a.Told(ctx)
	require.NoError(t, err)
	assert.Len(t, told, 1)
	book, err := a.Runbook(ctx, "")
	require.NoError(t, err)
	assert.Equal(t, siteA, book.Canonical)
}

func TestAnEstateFileWithAnotherNameIsTheSameEstate(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	first := open(t, of(t, folder, "old.yaml", siteA))
	_, _, err := first.Keep(ctx, auditOf(siteA, taken, "a.example"))
	require.NoError(t, err)
	require.NoError(t, accept(ctx, first, state(1)))
	copied := open(t, of(t, folder, "copy.yaml", siteA))
	_, err = copied.Last(ctx)
	require.ErrorIs(t, err, store.ErrEmpty, "the other file is there: it is another estate")
	require.NoError(t, os.Rename(filepath.Join(folder, "old.yaml"), filepath.Join(folder, "new.yaml")))
	renamed := open(t, store.Of{Folder: folder, Name: "new.yaml", Canonical: siteA})
	a, err := renamed.Last(ctx)
	require.NoError(t, err)
	assert.Equal(t, siteA, a.Canonical)
	_, err = renamed.Accepted(ctx)
	require.NoError(t, err)
	seen, _, err := renamed.KeepSurvey(ctx, &survey.Survey{Schema: survey.Schema, Canonical: siteA,
		Started: taken, Domains: []survey.Domain{{Name: "a.example"}}, Findings: []finding.Finding{}})
	require.NoError(t, err)
	_, err = copied.GetSurvey(ctx, seen)
	require.NoError(t, err, "what was seen is no matter of one file of a site")
	stranger := open(t, of(t, folder, "stranger.yaml", siteB))
	_, err = stranger.GetSurvey(ctx, seen)
	require.Error(t, err)
	_, err = stranger.Last(ctx)
	require.ErrorIs(t, err, store.ErrEmpty)
}

// TestAStoreWithoutEstatesIsTakenOver has a store as earlier versions made it.
func TestAStoreWithoutEstatesIsTakenOver(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(folder, store.Folder), 0o777))
	db, err := sql.Open("sqlite", filepath.Join(folder, store.Folder, "store.db"))
	require.NoError(t, err)
	made := auditOf(siteA, taken, "a.example")
	made.Scope = nil
	doc, err := json.Marshal(made)
	require.NoError(t, err)
	book, err := json.Marshal(runbook.New(siteA, "", []runbook.Task{{Says: "x"}}, taken))
	require.NoError(t, err)
	for _, s := range []string{
		"CREATE TABLE audits (id INTEGER PRIMARY KEY, started TEXT NOT NULL, vantage TEXT NOT NULL, " +
			"doc BLOB NOT NULL)",
		"CREATE TABLE surveys (id INTEGER PRIMARY KEY, started TEXT NOT NULL, vantage TEXT NOT NULL, " +
			"doc BLOB NOT NULL)",
		"CREATE TABLE runbooks (scope TEXT PRIMARY KEY, doc BLOB NOT NULL)",
		"CREATE TABLE acceptances (code TEXT NOT NULL, subject TEXT NOT NULL, until TEXT NOT NULL, " +
			"why TEXT NOT NULL, given TEXT NOT NULL, PRIMARY KEY (code, subject))",
		"INSERT INTO acceptances VALUES ('refused', 'x', '2027-01-01T00:00:00Z', 'w', " +
			"'2026-11-01T00:00:00Z'), ('record-changed', 'x A', '2027-01-01T00:00:00Z', 'w', " +
			"'2026-11-01T00:00:00Z')",
	} {
		_, err := db.Exec(s)
		require.NoError(t, err)
	}
	_, err = db.Exec("INSERT INTO audits (started, vantage, doc) VALUES (?, 'here', ?)",
		taken.Format(time.RFC3339Nano), doc)
	require.NoError(t, err)
	_, err = db.Exec("INSERT INTO runbooks VALUES ('', ?)", book)
	require.NoError(t, err)
	require.NoError(t, db.Close())

	r, err := store.Read(of(t, folder, "a.yaml", siteA))
	require.NoError(t, err)
	a, err := r.Last(ctx)
	require.NoError(t, err)
	assert.Equal(t, siteA, a.Canonical)
	_, err = r.Runbook(ctx, "")
	require.NoError(t, err)
	lived, err := r.Lived(ctx)
	require.NoError(t, err)
	require.Len(t, lived, 1, "of a change no value was noted")
	was, err := r.Unlive(ctx, "refused", "x")
	require.NoError(t, err)
	assert.True(t, was)
	require.NoError(t, r.Close())
	other := open(t, of(t, folder, "b.yaml", siteB))
	_, err = other.Last(ctx)
	require.ErrorIs(t, err, store.ErrEmpty, "it is of another site")
}

func TestAStoreOfALaterVersionIsLeftAlone(t *testing.T) {
	folder := t.TempDir()
	s, err := store.Open(at(folder))
	require.NoError(t, err)
	require.NoError(t, s.Close())
	db, err := sql.Open("sqlite", filepath.Join(folder, store.Folder, "store.db"))
	require.NoError(t, err)
	_, err = db.Exec("PRAGMA user_version = 99")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	for _, open := range []func(store.Of) (*store.Store, error){store.Open, store.Read} {
		_, err := open(at(folder))
		var failed *store.Error
		require.ErrorAs(t, err, &failed)
		assert.Equal(t, store.Later, failed.Reason)
	}
}

func TestOldResultsGoAndAreNamed(t *testing.T) {
	ctx := context.Background()
	o := of(t, t.TempDir(), "a.yaml", siteA)
	o.Keep, o.Now = scope.DefaultKeep, taken.AddDate(3, 0, 0)
	s := open(t, o)
	var gone []int64
	for i := range 30 {
		id, old, err := s.Keep(ctx, auditOf(siteA, taken.AddDate(0, i, 0), "a.example"))
		require.NoError(t, err)
		gone = append(gone, old...)
		if i == 5 {
			require.NoError(t, s.Pin(ctx, id, 0))
		}
	}
	list, err := s.List(ctx)
	require.NoError(t, err)
	stays := map[int64]bool{}
	for _, k := range list {
		stays[k.ID] = true
	}
	assert.Len(t, list, 30-len(gone))
	for _, id := range gone {
		assert.False(t, stays[id])
	}
	assert.True(t, stays[1] && stays[6] && stays[29] && stays[30], "first, accepted, the last two")
	assert.False(t, stays[3])
	noted, err := s.Gone(ctx, "audits")
	require.NoError(t, err)
	assert.Equal(t, gone, noted)
	_, err = s.Get(ctx, 3)
	require.ErrorIs(t, err, store.ErrEmpty)
}

func TestManyKeepAtOnceAndNothingIsLost(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	var all sync.WaitGroup
	errs := make([]error, 8)
	for i := range errs {
		all.Go(func() {
			o := store.Of{Folder: folder, Name: fmt.Sprintf("%d.yaml", i%2), Canonical: siteA}
			s, err := store.Open(o)
			if err == nil {
				_, _, err = s.Keep(ctx, auditOf(siteA, taken, fact.Plain("a.example").String()))
				_ = s.Close()
			}
			errs[i] = err
		})
	}
	all.Wait()
	for _, err := range errs {
		require.NoError(t, err)
	}
	s := open(t, store.Of{Folder: folder, Name: "0.yaml", Canonical: siteB})
	list, err := s.List(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 4)
}
