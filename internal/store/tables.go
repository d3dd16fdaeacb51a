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
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
)

// thisVersion is the version of the tables (PRAGMA user_version). 0 is that of stores in which
// nothing says of which estate it is.
const thisVersion = 3

var errVersion = errors.New("its tables are unknown")

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
CREATE TABLE IF NOT EXISTS states (
	id    INTEGER PRIMARY KEY,
	taken TEXT NOT NULL,
	doc   BLOB NOT NULL -- what was accepted as it was, as JSON, compressed (gzip); the last one holds
);
CREATE TABLE IF NOT EXISTS books (
	estate    TEXT NOT NULL,
	canonical TEXT NOT NULL,
	scope     TEXT NOT NULL, -- which domains are meant: '' for all, a wave or a domain
	doc       BLOB NOT NULL, -- the runbook as JSON, docs/schema/runbook.json, compressed (gzip)
	PRIMARY KEY (estate, scope)
);
CREATE TABLE IF NOT EXISTS gone (
	estate    TEXT NOT NULL,
	canonical TEXT NOT NULL,
	kind      TEXT NOT NULL, -- audits or surveys
	id        INTEGER NOT NULL -- its number: it went for its age
);
CREATE TABLE IF NOT EXISTS told (
	estate    TEXT PRIMARY KEY,
	canonical TEXT NOT NULL,
	doc       BLOB NOT NULL -- findings that were told as new, as JSON, compressed (gzip)
);
CREATE TABLE IF NOT EXISTS sent (
	id        INTEGER PRIMARY KEY,
	estate    TEXT NOT NULL,
	canonical TEXT NOT NULL,
	began     TEXT NOT NULL,
	doc       BLOB NOT NULL -- what was sent to a zone, docs/schema/sent.json, compressed (gzip)
);`

// columns are those that tables of an earlier version lack.
var columns = []struct{ table, column, kind string }{
	{"audits", "estate", "TEXT NOT NULL DEFAULT ''"}, // the name of the estate file
	{"audits", "canonical", "TEXT NOT NULL DEFAULT ''"},
	{"audits", "scope", "TEXT NOT NULL DEFAULT ''"}, // as JSON; '': nobody noted it
	{"audits", "pinned", "INTEGER NOT NULL DEFAULT 0"},
	{"surveys", "estate", "TEXT NOT NULL DEFAULT ''"},
	{"surveys", "canonical", "TEXT NOT NULL DEFAULT ''"},
	{"surveys", "scope", "TEXT NOT NULL DEFAULT ''"},
	{"surveys", "pinned", "INTEGER NOT NULL DEFAULT 0"},
	{"states", "estate", "TEXT NOT NULL DEFAULT ''"},
	{"states", "canonical", "TEXT NOT NULL DEFAULT ''"},
}

func (s *Store) version() (int, error) {
	var n int
	err := s.db.QueryRow("PRAGMA user_version").Scan(&n)
	return n, wrong(s.path, err)
}

// upToDate makes the tables, and what those of an earlier version lack, whole or not at all.
func (s *Store) upToDate() error {
	version, err := s.version()
	switch {
	case err != nil || version == thisVersion:
		return err
	case version > thisVersion:
		return &Error{s.path, Later, errVersion}
	}
	return s.within(context.Background(), func(tx *sql.Tx) error {
		if _, err := tx.Exec(schema); err != nil {
			return wrong(s.path, err)
		}
		for _, c := range columns {
			if err := addColumn(tx, c.table, c.column, c.kind); err != nil {
				return wrong(s.path, err)
			}
		}
		if err := takeBooks(tx); err != nil {
			return wrong(s.path, err)
		}
		for _, table := range []string{"audits", "surveys", "states", "books"} {
			if err := nameSites(tx, table); err != nil {
				return wrong(s.path, err)
			}
		}
		_, err := tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", thisVersion))
		return wrong(s.path, err)
	})
}

func addColumn(tx *sql.Tx, table, column, kind string) error {
	var n int
	err := tx.QueryRow("SELECT count(*) FROM pragma_table_info(?) WHERE name = ?", table, column).
		Scan(&n)
	if err == nil && n == 0 {
		_, err = tx.Exec("ALTER TABLE " + table + " ADD COLUMN " + column + " " + kind)
	}
	return err
}

// takeBooks takes over the runbooks of an earlier version.
func takeBooks(tx *sql.Tx) error {
	var n int
	err := tx.QueryRow("SELECT count(*) FROM sqlite_master WHERE name = 'runbooks'").Scan(&n)
	if err == nil && n > 0 {
		_, err = tx.Exec("INSERT OR IGNORE INTO books (estate, canonical, scope, doc) " +
			"SELECT '', '', scope, doc FROM runbooks; DROP TABLE runbooks")
	}
	return err
}

// nameSites notes to which canonical site the rows of an earlier version belong, as their documents
// say. What cannot be read stays as it is.
func nameSites(tx *sql.Tx, table string) error {
	rows, err := tx.Query("SELECT rowid FROM " + table + " WHERE estate = '' AND canonical = ''")
	if err != nil {
		return err
	}
	var ids []int64
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			return errors.Join(err, rows.Close())
		}
		ids = append(ids, id)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return err
	}
	for _, id := range ids {
		var doc []byte
		if err := tx.QueryRow("SELECT doc FROM "+table+" WHERE rowid = ?", id).Scan(&doc); err != nil {
			return err
		}
		var head struct {
			Canonical string `json:"canonical"`
		}
		if unpack(doc, &head) != nil {
			continue
		}
		_, err := tx.Exec("UPDATE "+table+" SET canonical = ? WHERE rowid = ?", head.Canonical, id)
		if err != nil {
			return err
		}
	}
	return nil
}

// known finds the names under which this estate's results are kept: its own, and those of files
// with the same canonical site that are no longer there, since somebody gave the file another name.
func (s *Store) known() error {
	s.names = []string{s.of.Name}
	if s.of.Canonical == "" || s.of.Name == "" {
		return nil
	}
	more := ""
	if has, err := s.has(context.Background(), "sent"); err != nil {
		return err
	} else if has {
		more = " UNION SELECT estate FROM sent WHERE canonical = ?1"
	}
	rows, err := s.db.Query("SELECT estate FROM audits WHERE canonical = ?1 UNION "+
		"SELECT estate FROM surveys WHERE canonical = ?1 UNION "+
		"SELECT estate FROM states WHERE canonical = ?1 UNION "+
		"SELECT estate FROM books WHERE canonical = ?1"+more, s.of.Canonical)
	if err != nil {
		return wrong(s.path, err)
	}
	defer rows.Close()
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return wrong(s.path, err)
		}
		if name == "" || name == s.of.Name || filepath.Base(name) != name {
			continue
		}
		if _, err := os.Stat(filepath.Join(s.of.Folder, name)); errors.Is(err, fs.ErrNotExist) {
			s.names = append(s.names, name)
		}
	}
	return wrong(s.path, rows.Err())
}

// mineIn gives the same for a table. What was seen of the world on a day is no matter of one file:
// a survey belongs to every estate of its canonical site.
func (s *Store) mineIn(table string) (string, []any) {
	mine, args := s.mine()
	if table == "surveys" && s.of.Name != "" && s.of.Canonical != "" {
		return "(" + mine + " OR canonical = ?)", append(args, s.of.Canonical)
	}
	return mine, args
}

// mine gives a condition of SQL for what is of this estate, and its arguments. What an earlier
// version kept belongs to every estate of its canonical site.
func (s *Store) mine() (string, []any) {
	if s.of.Name == "" {
		return "1", nil
	}
	args := []any{}
	for _, n := range s.names {
		args = append(args, n)
	}
	marks := strings.TrimSuffix(strings.Repeat("?, ", len(s.names)), ", ")
	return "(estate IN (" + marks + ") OR estate = '' AND " +
			"(canonical = ? OR canonical = '' OR ? = ''))",
		append(args, s.of.Canonical, s.of.Canonical)
}

// OtherError says that what has a number is of another estate.
type OtherError struct {
	ID     int64
	Estate string // the name of its file; "" where only its site is known
	Site   string
}

func (e *OtherError) Error() string {
	of := e.Estate
	if of == "" {
		of = e.Site
	}
	return fmt.Sprintf("number %d is of another estate, %s", e.ID, of)
}

// isMine reports whether what has a number is of this estate: nil, ErrEmpty or an *OtherError.
func (s *Store) isMine(ctx context.Context, table string, id int64) error {
	if s.db == nil {
		return ErrEmpty
	}
	mine, args := s.mineIn(table)
	other := &OtherError{ID: id}
	var is bool
	err := s.db.QueryRowContext(ctx, "SELECT estate, canonical, "+mine+" FROM "+table+
		" WHERE id = ?", append(args, id)...).Scan(&other.Estate, &other.Site, &is)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return ErrEmpty
	case err != nil:
		return wrong(s.path, err)
	case !is:
		return other
	}
	return nil
}

// Keep adds an audit and returns its number, and those of older ones that went.
func (s *Store) Keep(ctx context.Context, a *chain.Audit) (int64, []int64, error) {
	return s.add(ctx, "audits", a.Scope, scope.Kept{Started: a.Started, Vantage: a.Vantage},
		a.Canonical, a)
}

// KeepSurvey adds a survey and returns its number, and those of older ones that went.
func (s *Store) KeepSurvey(ctx context.Context, v *survey.Survey) (int64, []int64, error) {
	return s.add(ctx, "surveys", v.Scope, scope.Kept{Started: v.Started, Vantage: v.Vantage},
		v.Canonical, v)
}

func (s *Store) add(ctx context.Context, table string, of *scope.Scope, k scope.Kept, site string,
	v any) (id int64, old []int64, err error) {
	doc, err := pack(v)
	if err != nil {
		return 0, nil, fmt.Errorf("saving what was seen: %w", err)
	}
	made := []byte{}
	if of != nil {
		if made, err = json.Marshal(of); err != nil {
			return 0, nil, fmt.Errorf("saving what was seen: %w", err)
		}
	}
	err = s.within(ctx, func(tx *sql.Tx) error {
		r, err := tx.ExecContext(ctx, "INSERT INTO "+table+
			" (estate, canonical, scope, started, vantage, doc) VALUES (?, ?, ?, ?, ?, ?)", s.of.Name, site,
			string(made), k.Started.UTC().Format(time.RFC3339Nano), k.Vantage, doc)
		if err != nil {
			return wrong(s.path, err)
		}
		if id, err = r.LastInsertId(); err != nil {
			return wrong(s.path, err)
		}
		old, err = s.prune(ctx, tx, table)
		return err
	})
	return id, old, err
}

// prune takes away what is too old to stay, and gives its numbers.
func (s *Store) prune(ctx context.Context, tx *sql.Tx, table string) ([]int64, error) {
	if s.of.Now.IsZero() {
		return nil, nil
	}
	all, err := s.listIn(ctx, tx, table)
	if err != nil {
		return nil, err
	}
	old := s.of.Keep.Old(all, s.of.Now)
	for _, id := range old {
		if _, err := tx.ExecContext(ctx, "DELETE FROM "+table+" WHERE id = ?", id); err != nil {
			return nil, wrong(s.path, err)
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO gone (estate, canonical, kind, id) "+
			"VALUES (?, ?, ?, ?)",
			s.of.Name, s.of.Canonical, table, id)
		if err != nil {
			return nil, wrong(s.path, err)
		}
	}
	return old, nil
}

// Gone returns the numbers of audits or surveys that went for their age.
func (s *Store) Gone(ctx context.Context, kind string) ([]int64, error) {
	if s.db == nil {
		return nil, nil
	}
	mine, args := s.mine()
	rows, err := s.db.QueryContext(ctx, "SELECT id FROM gone WHERE kind = ? AND "+mine+" ORDER BY id",
		append([]any{kind}, args...)...)
	if err != nil {
		return nil, wrong(s.path, err)
	}
	defer rows.Close()
	var all []int64
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			return nil, wrong(s.path, err)
		}
		all = append(all, id)
	}
	return all, wrong(s.path, rows.Err())
}

// Pin has an audit and a survey stay for ever, since somebody accepted what they saw.
func (s *Store) Pin(ctx context.Context, audit, survey int64) error {
	_, err := s.db.ExecContext(ctx, "UPDATE audits SET pinned = 1 WHERE id = ?", audit)
	if err == nil {
		_, err = s.db.ExecContext(ctx, "UPDATE surveys SET pinned = 1 WHERE id = ?", survey)
	}
	return wrong(s.path, err)
}
