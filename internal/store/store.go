// Package store keeps what was seen: audits and surveys, whole, in an SQLite file in .upperpath/ beside the estate
// file. Nothing that is kept is ever changed.
//
//	s, err := store.Open(estateFolder)
//	defer s.Close()
//	id, err := s.Keep(ctx, audit)
//	last, err := s.Last(ctx)
package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	_ "modernc.org/sqlite" // the driver "sqlite", in pure Go

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/survey"
)

// Folder is what the folder is called in which the store lives.
const Folder = ".upperpath"

// ErrEmpty says that nothing has been kept yet.
var ErrEmpty = errors.New("nothing has been kept yet")

// Store is an open store.
type Store struct{ db *sql.DB }

const schema = `CREATE TABLE IF NOT EXISTS audits (
	id      INTEGER PRIMARY KEY,
	started TEXT NOT NULL,
	vantage TEXT NOT NULL,
	doc     TEXT NOT NULL  -- the audit as JSON, docs/schema/audit.json
);
CREATE TABLE IF NOT EXISTS surveys (
	id      INTEGER PRIMARY KEY,
	started TEXT NOT NULL,
	vantage TEXT NOT NULL,
	doc     TEXT NOT NULL  -- the survey as JSON, docs/schema/survey.json
)`

// Open opens the store beside an estate file, and makes it where there is none.
func Open(estateFolder string) (*Store, error) {
	folder := filepath.Join(estateFolder, Folder)
	if err := os.MkdirAll(folder, 0o777); err != nil {
		return nil, fmt.Errorf("making the store: %w", err)
	}
	path := filepath.Join(folder, "store.db")
	db, err := sql.Open("sqlite", "file:"+filepath.ToSlash(path)+"?_pragma=busy_timeout(5000)&_pragma=journal_mode(wal)")
	if err != nil {
		return nil, fmt.Errorf("opening the store %s: %w", path, err)
	}
	if _, err := db.Exec(schema); err != nil {
		return nil, errors.Join(
			fmt.Errorf("opening the store %s: %w; if it is damaged, move it away and a new one is made", path, err),
			db.Close(),
		)
	}
	return &Store{db}, nil
}

// Close closes the store.
func (s *Store) Close() error { return s.db.Close() }

// Keep adds an audit and returns its number.
func (s *Store) Keep(ctx context.Context, a *chain.Audit) (int64, error) {
	return s.add(ctx, "INSERT INTO audits (started, vantage, doc) VALUES (?, ?, ?)", a.Started, a.Vantage, a)
}

// KeepSurvey adds a survey and returns its number.
func (s *Store) KeepSurvey(ctx context.Context, v *survey.Survey) (int64, error) {
	return s.add(ctx, "INSERT INTO surveys (started, vantage, doc) VALUES (?, ?, ?)", v.Started, v.Vantage, v)
}

func (s *Store) add(ctx context.Context, query string, started time.Time, vantage string, v any) (int64, error) {
	doc, err := json.Marshal(v)
	if err != nil {
		return 0, fmt.Errorf("keeping what was seen: %w", err)
	}
	r, err := s.db.ExecContext(ctx, query, started.UTC().Format(time.RFC3339Nano), vantage, string(doc))
	if err != nil {
		return 0, fmt.Errorf("keeping what was seen: %w", err)
	}
	return r.LastInsertId()
}

// Last returns the audit that was kept last; ErrEmpty where there is none.
func (s *Store) Last(ctx context.Context) (*chain.Audit, error) {
	return one[chain.Audit](ctx, s, "SELECT doc FROM audits ORDER BY id DESC LIMIT 1")
}

// Get returns the audit with a number; ErrEmpty where there is none.
func (s *Store) Get(ctx context.Context, id int64) (*chain.Audit, error) {
	return one[chain.Audit](ctx, s, "SELECT doc FROM audits WHERE id = ?", id)
}

// GetSurvey returns the survey with a number; ErrEmpty where there is none.
func (s *Store) GetSurvey(ctx context.Context, id int64) (*survey.Survey, error) {
	return one[survey.Survey](ctx, s, "SELECT doc FROM surveys WHERE id = ?", id)
}

// mostSurveys is how many surveys LatestSurveys looks back.
const mostSurveys = 100

// LatestSurveys returns the surveys that are kept, the newest first, as far back as more asks for: it is given each and
// tells whether an older one is wanted too.
func (s *Store) LatestSurveys(ctx context.Context, more func(*survey.Survey) bool) ([]*survey.Survey, error) {
	kept, err := s.ListSurveys(ctx)
	if err != nil {
		return nil, err
	}
	var all []*survey.Survey
	for _, k := range kept[:min(len(kept), mostSurveys)] {
		v, err := s.GetSurvey(ctx, k.ID)
		if err != nil {
			return nil, err
		}
		if all = append(all, v); !more(v) {
			break
		}
	}
	return all, nil
}

// Exists tells whether there is a store beside an estate file.
func Exists(estateFolder string) bool {
	_, err := os.Stat(filepath.Join(estateFolder, Folder, "store.db"))
	return err == nil
}

func one[T any](ctx context.Context, s *Store, query string, args ...any) (*T, error) {
	var doc string
	err := s.db.QueryRowContext(ctx, query, args...).Scan(&doc)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrEmpty
	}
	if err != nil {
		return nil, fmt.Errorf("reading the store: %w", err)
	}
	v := new(T)
	if err := json.Unmarshal([]byte(doc), v); err != nil {
		return nil, fmt.Errorf("reading the store: %w", err)
	}
	return v, nil
}

// Kept is a line of the list of what is kept.
type Kept struct {
	ID      int64     `json:"id"`
	Started time.Time `json:"started"`
	Vantage string    `json:"vantage"`
}

// List returns the audits that are kept, the last first.
func (s *Store) List(ctx context.Context) ([]Kept, error) {
	return s.list(ctx, "SELECT id, started, vantage FROM audits ORDER BY id DESC")
}

// ListSurveys returns the surveys that are kept, the last first.
func (s *Store) ListSurveys(ctx context.Context) ([]Kept, error) {
	return s.list(ctx, "SELECT id, started, vantage FROM surveys ORDER BY id DESC")
}

func (s *Store) list(ctx context.Context, query string) ([]Kept, error) {
	rows, err := s.db.QueryContext(ctx, query)
	if err != nil {
		return nil, fmt.Errorf("reading the store: %w", err)
	}
	defer rows.Close()
	var all []Kept
	for rows.Next() {
		var k Kept
		var started string
		if err := rows.Scan(&k.ID, &started, &k.Vantage); err != nil {
			return nil, fmt.Errorf("reading the store: %w", err)
		}
		k.Started, _ = time.Parse(time.RFC3339Nano, started)
		all = append(all, k)
	}
	return all, rows.Err()
}
