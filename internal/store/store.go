// Package store keeps what was seen, audits and surveys, whole, in an SQLite file in .upperpath/
// beside the estate file; nothing of that is ever changed. Beside it lies what was done of
// runbooks, one for each scope, and what was accepted: the state with which others are compared,
// and faults that somebody lives with until a date.
//
//	s, err := store.Open(estateFolder)
//	defer s.Close()
//	id, err := s.Keep(ctx, audit)
//	last, err := s.Last(ctx)
package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"modernc.org/sqlite" // the driver "sqlite", in pure Go
	sqlite3 "modernc.org/sqlite/lib"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/survey"
)

// Folder is what the folder is called in which the store lives.
const Folder = ".upperpath"

// ErrEmpty says that nothing has been kept yet.
var ErrEmpty = errors.New("nothing has been saved yet")

// Store is an open store.
type Store struct {
	db   *sql.DB // nil: there is none yet, and nothing in it
	path string
}

const schema = `CREATE TABLE IF NOT EXISTS audits (
	id      INTEGER PRIMARY KEY,
	started TEXT NOT NULL,
	vantage TEXT NOT NULL,
	doc     BLOB NOT NULL  -- the audit as JSON, docs/schema/audit.json, compressed (gzip)
);
CREATE TABLE IF NOT EXISTS surveys (
	id      INTEGER PRIMARY KEY,
	started TEXT NOT NULL,
	vantage TEXT NOT NULL,
	doc     BLOB NOT NULL  -- the survey as JSON, docs/schema/survey.json, compressed (gzip)
);
CREATE TABLE IF NOT EXISTS runbooks (
	scope TEXT PRIMARY KEY, -- which domains are meant: '' for all, a wave or a domain
	doc   BLOB NOT NULL     -- the runbook as JSON, docs/schema/runbook.json, compressed (gzip)
);
CREATE TABLE IF NOT EXISTS states (
	id    INTEGER PRIMARY KEY,
	taken TEXT NOT NULL,
	doc   BLOB NOT NULL -- what was accepted as it was, as JSON, compressed (gzip); the last one holds
);
CREATE TABLE IF NOT EXISTS acceptances (
	code    TEXT NOT NULL, -- of a finding or a change
	subject TEXT NOT NULL,
	until   TEXT NOT NULL, -- on this date it comes back
	why     TEXT NOT NULL,
	given   TEXT NOT NULL,
	PRIMARY KEY (code, subject)
)`

// Reason says why a store could not be used.
type Reason int

// The reasons that somebody can do something about.
const (
	Other   Reason = iota
	Full           // the disk is full
	Barred         // the rights of the store or its folder, or the disk, do not let us
	Damaged        // it is no store, or not all of it can be read
	Busy           // another program writes to it, and does not come to an end
)

// Error says that the store could not be used.
type Error struct {
	Path   string // of the store
	Reason Reason
	Err    error
}

func (e *Error) Error() string {
	says := map[Reason]string{Full: "the disk is full", Barred: "no permission to read or write there",
		Damaged: "it is damaged",
		Busy:    "another program is writing to it"}[e.Reason]
	if says == "" {
		return fmt.Sprintf("the store %s cannot be used: %s", e.Path, e.Err)
	}
	return fmt.Sprintf("the store %s cannot be used: %s (%s)", e.Path, says, e.Err)
}

func (e *Error) Unwrap() error { return e.Err }

// wrong makes an Error of whatever the system or SQLite says (its result codes:
// sqlite.org/rescode.html).
func wrong(path string, err error) error {
	if err == nil || errors.Is(err, ErrEmpty) || errors.Is(err, context.Canceled) {
		return err
	}
	e := &Error{Path: path, Err: err}
	var code *sqlite.Error
	switch {
	case errors.As(err, &code):
		e.Reason = map[int]Reason{sqlite3.SQLITE_FULL: Full, sqlite3.SQLITE_READONLY: Barred,
			sqlite3.SQLITE_PERM:     Barred,
			sqlite3.SQLITE_CANTOPEN: Barred, sqlite3.SQLITE_CORRUPT: Damaged, sqlite3.SQLITE_NOTADB: Damaged,
			sqlite3.SQLITE_BUSY: Busy, sqlite3.SQLITE_LOCKED: Busy}[code.Code()&0xff]
	case errors.Is(err, syscall.ENOSPC):
		e.Reason = Full
	case errors.Is(err, fs.ErrPermission), errors.Is(err, syscall.EROFS):
		e.Reason = Barred
	}
	return e
}

// Open opens the store beside an estate file for writing, and makes it where there is none. The
// error is an *Error.
func Open(estateFolder string) (*Store, error) {
	path := pathOf(estateFolder)
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return nil, wrong(path, err)
	}
	// It is made whole or not at all; whether it can be written to is known before the work.
	return open(path, "rw", "BEGIN IMMEDIATE", schema, "COMMIT",
		"BEGIN", "INSERT INTO audits (started, vantage, doc) VALUES ('', '', '')", "ROLLBACK")
}

// Read opens the store beside an estate file for reading; it may lie in a place that cannot be
// written to. Where there is none, nothing has been kept in what comes back. The error is an
// *Error.
func Read(estateFolder string) (*Store, error) {
	path := pathOf(estateFolder)
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		return &Store{path: path}, nil
	}
	if begun(path) {
		return &Store{path: path}, nil
	}
	first := []string{"SELECT count(*) FROM audits", "SELECT count(*) FROM surveys"}
	s, err := open(path, "ro", first...)
	if !cutOff(err) {
		return s, err
	}
	// Somebody was killed while writing; whoever may write takes that back, and no one else can read.
	if s, err := open(path, "rw", first...); err == nil {
		_ = s.Close()
	}
	return open(path, "ro", first...)
}

// begun reports whether a store has no tables yet: whoever makes it is at it, or was killed at it.
func begun(path string) bool {
	s, err := open(path, "ro")
	if err != nil {
		return false
	}
	defer s.Close()
	tables := -1
	err = s.db.QueryRow("SELECT count(*) FROM sqlite_master").Scan(&tables)
	return err == nil && tables == 0
}

// cutOff reports whether a store cannot be read since a writing was cut off
// (sqlite.org/rescode.html, readonly_rollback).
func cutOff(err error) bool {
	var code *sqlite.Error
	return errors.As(err, &code) && code.Code() == sqlite3.SQLITE_READONLY_ROLLBACK
}

func pathOf(estateFolder string) string { return filepath.Join(estateFolder, Folder, "store.db") }

func open(path, mode string, first ...string) (*Store, error) {
	// A transaction holds the store from its first reading on, so that what it changes is what it
	// read.
	query := "?_pragma=busy_timeout(5000)&_pragma=journal_mode(delete)&_txlock=immediate&mode=rwc"
	if mode == "ro" {
		query = "?_pragma=busy_timeout(5000)&mode=ro"
	}
	// sqlite.org/uri.html
	name := strings.NewReplacer("%", "%25", "?", "%3f", "#", "%23").Replace(filepath.ToSlash(path))
	db, err := sql.Open("sqlite", "file:"+name+query)
	if err != nil {
		return nil, wrong(path, err)
	}
	db.SetMaxOpenConns(1)
	for _, statement := range first {
		if _, err := db.Exec(statement); err != nil {
			return nil, errors.Join(wrong(path, err), db.Close())
		}
	}
	return &Store{db, path}, nil
}

// Close closes the store.
func (s *Store) Close() error {
	if s.db == nil {
		return nil
	}
	return s.db.Close()
}

// Keep adds an audit and returns its number.
func (s *Store) Keep(ctx context.Context, a *chain.Audit) (int64, error) {
	return s.add(ctx, "INSERT INTO audits (started, vantage, doc) VALUES (?, ?, ?)", a.Started,
		a.Vantage, a)
}

// KeepSurvey adds a survey and returns its number.
func (s *Store) KeepSurvey(ctx context.Context, v *survey.Survey) (int64, error) {
	return s.add(ctx, "INSERT INTO surveys (started, vantage, doc) VALUES (?, ?, ?)", v.Started,
		v.Vantage, v)
}

func (s *Store) add(ctx context.Context, query string, started time.Time, vantage string,
	v any) (int64, error) {
	doc, err := pack(v)
	if err != nil {
		return 0, fmt.Errorf("saving what was seen: %w", err)
	}
	r, err := s.db.ExecContext(ctx, query, started.UTC().Format(time.RFC3339Nano), vantage, doc)
	if err != nil {
		return 0, wrong(s.path, err)
	}
	return r.LastInsertId()
}

// Last returns the audit that was kept last; ErrEmpty where there is none.
func (s *Store) Last(ctx context.Context) (*chain.Audit, error) {
	return one[chain.Audit](ctx, s, "SELECT id, doc FROM audits ORDER BY id DESC LIMIT 1")
}

// shortDocument is how many octets a kept audit may have that is read beside other work.
const shortDocument = 2 << 20

// LastShort returns the audit that was kept last, unless it is a long one; ErrEmpty where there is
// none.
func (s *Store) LastShort(ctx context.Context) (*chain.Audit, error) {
	return one[chain.Audit](ctx, s,
		"SELECT id, doc FROM (SELECT id, doc FROM audits ORDER BY id DESC LIMIT 1) "+
			"WHERE length(doc) <= ?", shortDocument)
}

// Get returns the audit with a number; ErrEmpty where there is none.
func (s *Store) Get(ctx context.Context, id int64) (*chain.Audit, error) {
	return one[chain.Audit](ctx, s, "SELECT id, doc FROM audits WHERE id = ?", id)
}

// GetSurvey returns the survey with a number; ErrEmpty where there is none.
func (s *Store) GetSurvey(ctx context.Context, id int64) (*survey.Survey, error) {
	return one[survey.Survey](ctx, s, "SELECT id, doc FROM surveys WHERE id = ?", id)
}

// MostSurveys is how many surveys LatestSurveys looks back: hourly ones of two weeks, or those of
// three days that are ten minutes apart.
const MostSurveys = 400

// LatestSurveys returns the surveys that are kept, the newest first, as far back as more asks for:
// it is given each and reports whether an older one is wanted too. Those that are damaged are left
// out, and come back as errors of their own.
func (s *Store) LatestSurveys(
	ctx context.Context,
	more func(*survey.Survey) bool,
) (all []*survey.Survey, damaged []error, err error) {
	kept, err := s.ListSurveys(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, k := range kept[:min(len(kept), MostSurveys)] {
		v, err := s.GetSurvey(ctx, k.ID)
		var broken *Error
		if errors.As(err, &broken) && broken.Reason == Damaged {
			damaged = append(damaged, err)
			continue
		}
		if err != nil {
			return nil, nil, err
		}
		if all = append(all, v); !more(v) {
			break
		}
	}
	return all, damaged, nil
}

func one[T any, P interface {
	*T
	Check() error
}](ctx context.Context, s *Store, query string, args ...any) (*T, error) {
	if s.db == nil {
		return nil, ErrEmpty
	}
	return oneIn[T, P](ctx, s, s.db, query, args...)
}

// reader is a database, or a transaction in it.
type reader interface {
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

func oneIn[T any, P interface {
	*T
	Check() error
}](ctx context.Context, s *Store, in reader, query string, args ...any) (*T, error) {
	var number int64
	var doc []byte
	err := in.QueryRowContext(ctx, query, args...).Scan(&number, &doc)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrEmpty
	}
	if err != nil {
		return nil, wrong(s.path, err)
	}
	v := new(T)
	if err = unpack(doc, v); err == nil {
		err = P(v).Check()
	}
	if err != nil {
		return nil, &Error{s.path, Damaged, fmt.Errorf("record %d: %w", number, err)}
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
	if s.db == nil {
		return nil, nil
	}
	rows, err := s.db.QueryContext(ctx, query)
	if err != nil {
		return nil, wrong(s.path, err)
	}
	defer rows.Close()
	var all []Kept
	for rows.Next() {
		var k Kept
		var started string
		if err := rows.Scan(&k.ID, &started, &k.Vantage); err != nil {
			return nil, wrong(s.path, err)
		}
		k.Started, _ = time.Parse(time.RFC3339Nano, started)
		all = append(all, k)
	}
	return all, wrong(s.path, rows.Err())
}

// within does something in one transaction, whole or not at all.
func (s *Store) within(ctx context.Context, do func(*sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return wrong(s.path, err)
	}
	defer func() { _ = tx.Rollback() }()
	if err := do(tx); err != nil {
		return err
	}
	return wrong(s.path, tx.Commit())
}

// ChangeRunbook keeps what a function makes of the runbook of a scope that is kept, nil where none
// is, in place of it. Nobody else changes it meanwhile. An error of the function comes back as it
// is, and nothing is changed.
func (s *Store) ChangeRunbook(
	ctx context.Context, scope string, change func(kept *runbook.Book) (*runbook.Book, error),
) error {
	return s.within(ctx, func(tx *sql.Tx) error {
		kept, err := oneIn[runbook.Book](ctx, s, tx, "SELECT 0, doc FROM runbooks WHERE scope = ?", scope)
		if err != nil && !errors.Is(err, ErrEmpty) {
			return err
		}
		b, err := change(kept)
		if err != nil {
			return err
		}
		doc, err := pack(b)
		if err != nil {
			return fmt.Errorf("saving the runbook: %w", err)
		}
		_, err = tx.ExecContext(
			ctx,
			"INSERT INTO runbooks (scope, doc) VALUES (?, ?) ON CONFLICT (scope) DO UPDATE SET doc = "+
				"excluded.doc",
			b.Scope,
			doc,
		)
		return wrong(s.path, err)
	})
}

// Runbook returns the runbook of a scope; ErrEmpty where none was begun.
func (s *Store) Runbook(ctx context.Context, scope string) (*runbook.Book, error) {
	if s.db == nil {
		return nil, ErrEmpty
	}
	var n int
	there := s.db.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE name = 'runbooks'")
	if err := there.Scan(&n); err != nil ||
		n == 0 {
		// a store that was made before there were runbooks
		return nil, cmp.Or(wrong(s.path, err), ErrEmpty)
	}
	return one[runbook.Book](ctx, s, "SELECT 0, doc FROM runbooks WHERE scope = ?", scope)
}
