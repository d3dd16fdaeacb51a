// Package store keeps what was seen, audits and surveys, whole, in an SQLite file in .upperpath/
// beside the estate file; nothing of that is ever changed. Beside it lies what was done of
// runbooks, one for each scope, and what was accepted: the state with which others are compared,
// and faults that somebody lives with until a date.
//
// A folder can have several estate files: everything is kept with the estate that it is of, and
// nobody reads what is another's. Every audit and survey holds its scope, by which old ones go.
//
//	s, err := store.Open(store.Of{Folder: folder, Name: "upperpath.yaml", Canonical: site})
//	defer s.Close()
//	id, gone, err := s.Keep(ctx, audit)
//	last, err := s.Last(ctx)
package store

import (
	"context"
	"database/sql"
	"encoding/json"
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
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
)

// Folder is what the folder is called in which the store lives.
const Folder = ".upperpath"

// ErrEmpty says that nothing has been kept yet.
var ErrEmpty = errors.New("nothing has been saved yet")

// Of says whose results are meant: those of one estate file in a folder.
type Of struct {
	Folder    string
	Name      string // of the estate file
	Canonical string // its canonical site; "" where the estate could not be read
	Keep      scope.Keep
	Now       time.Time // by which old results go; the zero time: none goes
}

// Store is an open store.
type Store struct {
	db    *sql.DB // nil: there is none yet, and nothing in it
	path  string
	of    Of
	names []string // of the estate file: its own first, then those that it had before
}

// Reason says why a store could not be used.
type Reason int

// The reasons that somebody can do something about.
const (
	Other   Reason = iota
	Full           // the disk is full
	Barred         // the rights of the store or its folder, or the disk, do not let us
	Damaged        // it is no store, or not all of it can be read
	Busy           // another program writes to it, and does not come to an end
	Later          // a later version of this program made it
	Older          // an earlier version made it, and it cannot be brought up to date where it lies
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
		Busy:    "another program is writing to it", Later: "a later version of this program made it",
		Older: "an earlier version made it, and it cannot be written to"}[e.Reason]
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
func Open(of Of) (*Store, error) {
	path := pathOf(of.Folder)
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return nil, wrong(path, err)
	}
	s, err := open(path, "rw")
	if err != nil {
		return nil, err
	}
	s.of = of
	// It is made whole or not at all; whether it can be written to is known before the work.
	for _, step := range []func() error{s.upToDate, s.tryWriting, s.known} {
		if err := step(); err != nil {
			return nil, errors.Join(err, s.Close())
		}
	}
	return s, nil
}

// tryWriting tells whether something can be kept, and keeps nothing.
func (s *Store) tryWriting() error {
	for _, statement := range []string{"BEGIN",
		"INSERT INTO audits (started, vantage, doc) VALUES ('', '', '')", "ROLLBACK"} {
		if _, err := s.db.Exec(statement); err != nil {
			return wrong(s.path, err)
		}
	}
	return nil
}

// Read opens the store beside an estate file for reading; it may lie in a place that cannot be
// written to. Where there is none, nothing has been kept in what comes back. The error is an
// *Error.
func Read(of Of) (*Store, error) {
	path := pathOf(of.Folder)
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) || begun(path) {
		return &Store{path: path, of: of}, nil
	}
	first := []string{"SELECT count(*) FROM audits", "SELECT count(*) FROM surveys"}
	s, err := open(path, "ro", first...)
	if cutOff(err) {
		// Somebody was killed while writing; whoever may write takes that back, and no one else can
		// read.
		if s, err := open(path, "rw", first...); err == nil {
			_ = s.Close()
		}
		s, err = open(path, "ro", first...)
	}
	if err != nil {
		return nil, err
	}
	s.of = of
	switch version, err := s.version(); {
	case err != nil:
		return nil, errors.Join(err, s.Close())
	case version < thisVersion:
		return s.made(of)
	case version > thisVersion:
		return nil, errors.Join(&Error{path, Later, errVersion}, s.Close())
	}
	if err := s.known(); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// made gives the store of an earlier version once it was brought up to date.
func (s *Store) made(of Of) (*Store, error) {
	if err := s.Close(); err != nil {
		return nil, wrong(s.path, err)
	}
	fresh, err := Open(of)
	var failed *Error
	if errors.As(err, &failed) && failed.Reason == Barred {
		failed.Reason = Older
	}
	return fresh, err
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
	return &Store{db: db, path: path}, nil
}

// Estate gives the name of the estate file whose results are meant.
func (s *Store) Estate() string { return s.of.Name }

// Close closes the store.
func (s *Store) Close() error {
	if s.db == nil {
		return nil
	}
	return s.db.Close()
}

// Last returns the audit that was kept last; ErrEmpty where there is none.
func (s *Store) Last(ctx context.Context) (*chain.Audit, error) {
	mine, args := s.mine()
	return one[chain.Audit](ctx, s,
		"SELECT id, doc FROM audits WHERE "+mine+" ORDER BY id DESC LIMIT 1", args...)
}

// Get returns the audit with a number; ErrEmpty where there is none, an *OtherError where it is of
// another estate.
func (s *Store) Get(ctx context.Context, id int64) (*chain.Audit, error) {
	if err := s.isMine(ctx, "audits", id); err != nil {
		return nil, err
	}
	return one[chain.Audit](ctx, s, "SELECT id, doc FROM audits WHERE id = ?", id)
}

// GetSurvey returns the survey with a number; ErrEmpty where there is none, an *OtherError where it
// is of another estate.
func (s *Store) GetSurvey(ctx context.Context, id int64) (*survey.Survey, error) {
	if err := s.isMine(ctx, "surveys", id); err != nil {
		return nil, err
	}
	return one[survey.Survey](ctx, s, "SELECT id, doc FROM surveys WHERE id = ?", id)
}

// MostAudits is how many audits LatestAudits looks back.
const MostAudits = 60

// MostSurveys is how many surveys LatestSurveys looks back: hourly ones of two weeks, or those of
// three days that are ten minutes apart.
const MostSurveys = 400

// LatestAudits returns the audits that are kept, the newest first, as far back as more asks for.
func (s *Store) LatestAudits(ctx context.Context, longest int,
	more func(*chain.Audit) bool) (all []*chain.Audit, damaged []error, err error) {
	kept, err := s.List(ctx)
	if err != nil {
		return nil, nil, err
	}
	return s.Audits(ctx, kept[:min(len(kept), MostAudits)], longest, more)
}

// LatestSurveys returns the surveys that are kept, the newest first, as far back as more asks for.
func (s *Store) LatestSurveys(ctx context.Context,
	more func(*survey.Survey) bool) (all []*survey.Survey, damaged []error, err error) {
	kept, err := s.ListSurveys(ctx)
	if err != nil {
		return nil, nil, err
	}
	return s.Surveys(ctx, kept[:min(len(kept), MostSurveys)], more)
}

// Audits reads those of a list, in its order, as far as more asks for: it is given each and reports
// whether the next is wanted too. Those longer than so many octets as they are kept are left out,
// where that is not 0; those that are damaged are, and come back as errors of their own.
func (s *Store) Audits(ctx context.Context, kept []scope.Kept, longest int,
	more func(*chain.Audit) bool) (all []*chain.Audit, damaged []error, err error) {
	return each(kept, func(id int64) (*chain.Audit, error) {
		if longest > 0 {
			var n int
			err := s.db.QueryRowContext(ctx, "SELECT length(doc) FROM audits WHERE id = ?", id).Scan(&n)
			if err == nil && n > longest {
				return nil, ErrEmpty
			}
		}
		return s.Get(ctx, id)
	}, more)
}

// Surveys reads those of a list as Audits does.
func (s *Store) Surveys(ctx context.Context, kept []scope.Kept,
	more func(*survey.Survey) bool) (all []*survey.Survey, damaged []error, err error) {
	return each(kept, func(id int64) (*survey.Survey, error) { return s.GetSurvey(ctx, id) }, more)
}

func each[T any](kept []scope.Kept, read func(int64) (*T, error),
	more func(*T) bool) (all []*T, damaged []error, err error) {
	for _, k := range kept {
		one, err := read(k.ID)
		var broken *Error
		switch {
		case errors.As(err, &broken) && broken.Reason == Damaged:
			damaged = append(damaged, err)
			continue
		case errors.Is(err, ErrEmpty): // it went meanwhile
			continue
		case err != nil:
			return nil, nil, err
		}
		if all = append(all, one); !more(one) {
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
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
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

// List returns the audits that are kept, the last first.
func (s *Store) List(ctx context.Context) ([]scope.Kept, error) { return s.list(ctx, "audits") }

// ListSurveys returns the surveys that are kept, the last first.
func (s *Store) ListSurveys(ctx context.Context) ([]scope.Kept, error) {
	return s.list(ctx, "surveys")
}

func (s *Store) list(ctx context.Context, table string) ([]scope.Kept, error) {
	if s.db == nil {
		return nil, nil
	}
	return s.listIn(ctx, s.db, table)
}

func (s *Store) listIn(ctx context.Context, in reader, table string) ([]scope.Kept, error) {
	mine, args := s.mineIn(table)
	rows, err := in.QueryContext(ctx, "SELECT id, started, vantage, scope, pinned FROM "+table+
		" WHERE "+mine+" ORDER BY id DESC", args...)
	if err != nil {
		return nil, wrong(s.path, err)
	}
	defer rows.Close()
	var all []scope.Kept
	for rows.Next() {
		var k scope.Kept
		var started, made string
		if err := rows.Scan(&k.ID, &started, &k.Vantage, &made, &k.Accepted); err != nil {
			return nil, wrong(s.path, err)
		}
		k.Started, _ = time.Parse(time.RFC3339Nano, started)
		if made != "" {
			k.Scope = &scope.Scope{}
			if json.Unmarshal([]byte(made), k.Scope) != nil {
				k.Scope = nil // as good as unknown
			}
		}
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
		query, args := s.bookOf(scope)
		kept, err := oneIn[runbook.Book](ctx, s, tx, query, args...)
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
		_, err = tx.ExecContext(ctx,
			"INSERT INTO books (estate, canonical, scope, doc) VALUES (?, ?, ?, ?) "+
				"ON CONFLICT (estate, scope) DO UPDATE SET doc = excluded.doc",
			s.of.Name, b.Canonical, b.Scope, doc)
		return wrong(s.path, err)
	})
}

// bookOf asks for the runbook of a scope; where the estate file had another name, the one under its
// present name holds.
func (s *Store) bookOf(scope string) (string, []any) {
	mine, args := s.mine()
	return "SELECT 0, doc FROM books WHERE scope = ? AND " + mine +
			" ORDER BY estate = ? DESC, rowid DESC LIMIT 1",
		append(append([]any{scope}, args...), s.of.Name)
}

// Runbook returns the runbook of a scope; ErrEmpty where none was begun.
func (s *Store) Runbook(ctx context.Context, scope string) (*runbook.Book, error) {
	query, args := s.bookOf(scope)
	return one[runbook.Book](ctx, s, query, args...)
}
