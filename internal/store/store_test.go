package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/survey"
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
	s, err := Open(at(folder))
	require.NoError(t, err)
	_, err = s.Last(ctx)
	require.ErrorIs(t, err, ErrEmpty)
	first, _, err := s.Keep(ctx, audit("first"))
	require.NoError(t, err)
	_, _, err = s.Keep(ctx, audit("second"))
	require.NoError(t, err)
	require.NoError(t, s.Close())

	s, err = Open(at(folder))
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
	for _, open := range []func(Of) (*Store, error){Open, Read} {
		_, err := open(at(folder))
		var wrong *Error
		require.ErrorAs(t, err, &wrong)
		assert.Equal(t, Damaged, wrong.Reason)
	}
}

func TestAStoreLiesBesideItsEstateWhateverTheFolderIsCalled(t *testing.T) {
	for _, name := range []string{"a?b", "a%41b", "a#b", "a b&mode=memory", "a%", "?", "ø"} {
		folder := filepath.Join(t.TempDir(), name)
		s, err := Open(at(folder))
		require.NoError(t, err, name)
		_, _, err = s.Keep(context.Background(), audit("first"))
		require.NoError(t, err, name)
		require.NoError(t, s.Close())
		assert.FileExists(t, filepath.Join(folder, Folder, "store.db"), name)
		s, err = Read(at(folder))
		require.NoError(t, err, name)
		_, err = s.Last(context.Background())
		require.NoError(t, err, name)
		require.NoError(t, s.Close())
		others, err := os.ReadDir(filepath.Dir(folder))
		require.NoError(t, err)
		assert.Len(t, others, 1, name)
	}
}

func TestReadingMakesNothing(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := Read(at(folder))
	require.NoError(t, err)
	_, err = s.Last(ctx)
	require.ErrorIs(t, err, ErrEmpty)
	list, err := s.ListSurveys(ctx)
	require.NoError(t, err)
	assert.Empty(t, list)
	require.NoError(t, s.Close())
	assert.NoDirExists(t, filepath.Join(folder, Folder))
}

// TestAStoreThatIsBeingMadeHoldsNothing reads one that has no tables yet, since its maker was
// killed or is still at it; and it is made whole or not at all.
func TestAStoreThatIsBeingMadeHoldsNothing(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(folder, Folder), 0o755))
	require.NoError(t, os.WriteFile(pathOf(folder), nil, 0o600))
	s, err := Read(at(folder))
	require.NoError(t, err)
	_, err = s.Last(ctx)
	require.ErrorIs(t, err, ErrEmpty)
	require.NoError(t, s.Close())
	var wait sync.WaitGroup
	for range 8 {
		wait.Go(func() {
			s, err := Open(at(folder))
			if assert.NoError(t, err) {
				assert.NoError(t, s.Close())
			}
		})
		wait.Go(func() {
			s, err := Read(at(folder))
			if assert.NoError(t, err, "half of it was seen") {
				assert.NoError(t, s.Close())
			}
		})
	}
	wait.Wait()
}

func TestDamagedRecordsAreSaidAndLeftOut(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := Open(at(folder))
	require.NoError(t, err)
	defer s.Close()
	_, _, err = s.KeepSurvey(ctx, &survey.Survey{Schema: survey.Schema, Vantage: "first"})
	require.NoError(t, err)
	for _, doc := range []string{"", "null", "{}",
		`{"schema":"upperpath/audit/1","chains":[{"hops":[]}]}`, "[1"} {
		for _, table := range []string{"audits", "surveys"} {
			_, err := s.db.Exec("INSERT INTO "+table+" (started, vantage, doc) VALUES ('', '', ?)", doc)
			require.NoError(t, err)
		}
	}
	var wrong *Error
	_, err = s.Last(ctx)
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, Damaged, wrong.Reason)
	assert.ErrorContains(t, err, "record 5")
	all, damaged, err := s.LatestSurveys(ctx, func(*survey.Survey) bool { return true })
	require.NoError(t, err)
	assert.Len(t, damaged, 5)
	require.Len(t, all, 1)
	assert.Equal(t, "first", all[0].Vantage)
}

func keepRunbook(t *testing.T, s *Store, b *runbook.Book) error {
	t.Helper()
	return s.ChangeRunbook(t.Context(), b.Scope, func(*runbook.Book) (*runbook.Book, error) {
		return b, nil
	})
}

// TestRunbooksAreKeptByScope keeps one for all and one for a wave, and puts a later state in the
// place of an earlier.
func TestRunbooksAreKeptByScope(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(at(dir))
	require.NoError(t, err)
	_, err = s.Runbook(t.Context(), "")
	require.ErrorIs(t, err, ErrEmpty)
	start := time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)
	all := runbook.New("https://www.n.example", "",
		[]runbook.Task{{Key: "a"}, {Key: "b", After: []int{1}}}, start)
	wave := runbook.New("https://www.n.example", "wave:2", []runbook.Task{{Key: "c"}}, start)
	require.NoError(t, keepRunbook(t, s, all))
	require.NoError(t, keepRunbook(t, s, wave))
	require.NoError(t, all.Mark(1, start))
	require.NoError(t, keepRunbook(t, s, all))
	require.NoError(t, s.Close())
	s, err = Read(at(dir))
	require.NoError(t, err)
	defer s.Close()
	again, err := s.Runbook(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, all, again)
	again, err = s.Runbook(t.Context(), "wave:2")
	require.NoError(t, err)
	assert.Equal(t, wave, again)
}

// TestDocumentsThatSomebodyTamperedWithEnd puts bombs into a store: each is damaged, and none takes
// the memory that it asks for.
func TestDocumentsThatSomebodyTamperedWithEnd(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(at(dir))
	require.NoError(t, err)
	defer s.Close()
	ctx := context.Background()
	squeeze := func(write func(w io.Writer)) []byte {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		write(z)
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	blank := bytes.Repeat([]byte(" "), 1<<20)
	bomb := squeeze(func(w io.Writer) {
		for range 1 << 7 {
			_, _ = w.Write(blank)
		}
	})
	lying := append(slices.Clone(bomb[:len(bomb)-4]), 0xff, 0xff, 0xff, 0xff)
	tasks := squeeze(func(w io.Writer) {
		fmt.Fprint(w, `{"schema":"upperpath/runbook/1","tasks":[{"number":1}`)
		for i := range 210_000 {
			fmt.Fprintf(w, `,{"number":%d,"key":"%x"}`, i+2, i*7919)
		}
		fmt.Fprint(w, `]}`)
	})
	empty := squeeze(func(w io.Writer) {
		fmt.Fprint(w, `{"schema":"upperpath/runbook/1","tasks":[{}`)
		for range 1_000_000 {
			_, _ = w.Write([]byte(",{}"))
		}
		fmt.Fprint(w, `]}`)
	})
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	docs := [][]byte{bomb, lying, tasks, empty}
	for i, doc := range docs {
		_,
			err := s.db.ExecContext(ctx, "INSERT INTO audits (started, vantage, doc) VALUES ('', '', ?)",
			doc)
		require.NoError(t, err)
		_, err = s.db.ExecContext(ctx, "INSERT INTO books (estate, canonical, scope, doc) "+
			"VALUES ('upperpath.yaml', '', ?, ?)", fmt.Sprint(i),
			doc)
		require.NoError(t, err)
	}
	damaged := func(err error) {
		t.Helper()
		var broken *Error
		require.ErrorAs(t, err, &broken)
		assert.Equal(t, Damaged, broken.Reason)
	}
	for i := range docs {
		_, err = s.Get(ctx, int64(i+1))
		damaged(err)
		_, err = s.Runbook(ctx, fmt.Sprint(i))
		damaged(err)
	}
	runtime.ReadMemStats(&after)
	assert.Less(t, int(after.TotalAlloc-before.TotalAlloc)>>20, 900, "MB in all, of eight documents")
}

func TestObjectsAreCountedOutsideOfTexts(t *testing.T) {
	for text, n := range map[string]int{
		`{}`: 1, `[{},{"a":{"b":"{{{"}}]`: 3, `"{\"{"`: 0, `{"a\\":{}}`: 2, `"{`: 0, ``: 0, `{"a":"\`: 1,
	} {
		assert.Equal(t, n, objectsIn([]byte(text)), text)
	}
}
