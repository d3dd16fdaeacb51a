package test

import (
	"context"
	"database/sql"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/store"
)

// TestWhatManySurveysHideIsSaid keeps more surveys of the last hours than a plan reads, and then as
// many old ones: a plan says what it did not look at only where an answer of then may still be
// held.
func TestWhatManySurveysHideIsSaid(t *testing.T) {
	for _, c := range []struct {
		ago  time.Duration
		many int
		said bool
	}{{3 * time.Hour, store.MostSurveys + 5, true}, {3 * time.Hour, store.MostSurveys - 5, false},
		{30 * 24 * time.Hour, store.MostSurveys + 5, false}} {
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(dir, "upperpath.yaml"), []byte(
			"canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\n"+
				"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
				"defaults: {carrier: g}\ndomains: [n.example, old.example]\n"), 0o600))
		s, err := store.Open(store.Of{Folder: dir, Name: "upperpath.yaml"})
		require.NoError(t, err)
		_, _, err = s.KeepSurvey(context.Background(), &survey.Survey{Schema: survey.Schema,
			Vantage: "here", Started: time.Now().Add(-c.ago).UTC(),
			Domains: []survey.Domain{{Name: "n.example"}}})
		require.NoError(t, err)
		require.NoError(t, s.Close())
		db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, store.Folder, "store.db"))
		require.NoError(t, err)
		_, err = db.Exec("WITH RECURSIVE n(i) AS (VALUES (1) UNION ALL SELECT i + 1 FROM n WHERE i < ?) "+
			"INSERT INTO surveys (started, vantage, estate, doc) "+
			"SELECT started, vantage, estate, doc FROM surveys, n",
			c.many-1)
		require.NoError(t, err)
		require.NoError(t, db.Close())
		plan := exec.Command(filepath.Join(folder, "upperpath"), "plan")
		plan.Dir = dir
		out, _ := plan.CombinedOutput()
		assert.Contains(t, string(out), "Plan: every door")
		said := "the 400 latest surveys go back 3 hours; what was there before is not counted"
		if c.said {
			assert.Contains(t, string(out), said)
		} else {
			assert.NotContains(t, string(out), "latest surveys")
		}
	}
}
