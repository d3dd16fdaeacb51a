package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/scope"
)

const followedSchema = `
CREATE TABLE IF NOT EXISTS old_runs (
	id      INTEGER PRIMARY KEY,
	started TEXT NOT NULL,
	vantage TEXT NOT NULL,
	source  TEXT NOT NULL, -- the file with the old URLs
	digest  TEXT NOT NULL, -- of what stood in it
	total   INTEGER NOT NULL,
	ended   TEXT NOT NULL, -- '': it was cut off
	-- what its verdicts hang on, as JSON: names and digests
	bound   TEXT NOT NULL DEFAULT '',
	scope   TEXT NOT NULL DEFAULT '', -- as JSON; '': an earlier version noted none
	estate  TEXT NOT NULL DEFAULT '',
	canonical TEXT NOT NULL DEFAULT ''
);
CREATE TABLE IF NOT EXISTS old_followed (
	run     INTEGER NOT NULL,
	at      INTEGER NOT NULL, -- its number in the list, from 0
	url     TEXT NOT NULL,
	method  TEXT NOT NULL,
	domain  TEXT NOT NULL,
	weight  INTEGER NOT NULL,
	met     TEXT NOT NULL,    -- how somebody fares who follows it
	arrival TEXT NOT NULL,
	status  INTEGER NOT NULL,
	hops    INTEGER NOT NULL,
	long    INTEGER NOT NULL,
	codes   TEXT NOT NULL,    -- of findings, with spaces between
	says    TEXT NOT NULL,
	goal    TEXT NOT NULL DEFAULT '', -- a digest of where it should have led
	PRIMARY KEY (run, at)
) WITHOUT ROWID`

// Run is old URLs that are, or were, followed in the real web.
type Run struct {
	ID      int64
	Started time.Time
	Vantage string
	Source  string
	Digest  string
	Total   int
	Ended   bool
	Bound   map[string]string // what its verdicts hang on beside the list, each with a digest
	Scope   *scope.Scope      // nil: an earlier version kept it
}

// BeginRun begins to keep the old URLs of a list that is followed.
func (s *Store) BeginRun(ctx context.Context, r Run) (Run, error) {
	if err := s.tables(ctx); err != nil {
		return r, err
	}
	bound, err := json.Marshal(r.Bound)
	if err != nil {
		return r, err
	}
	of, err := json.Marshal(r.Scope)
	if err != nil {
		return r, err
	}
	made, err := s.db.ExecContext(ctx,
		"INSERT INTO old_runs (estate, canonical, started, vantage, source, digest, total, ended, "+
			"bound, scope) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, '', ?, ?)", s.of.Name, s.of.Canonical,
		r.Started.UTC().Format(time.RFC3339Nano), r.Vantage, r.Source, r.Digest, r.Total, string(bound),
		string(of))
	if err != nil {
		return r, wrong(s.path, err)
	}
	r.ID, err = made.LastInsertId()
	return r, err
}

// tables makes what runs are kept in, and what stores of an earlier version lack of it: at once,
// since two programs may begin side by side.
func (s *Store) tables(ctx context.Context) error {
	return s.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, followedSchema); err != nil {
			return wrong(s.path, err)
		}
		for _, c := range [][2]string{{"old_runs", "bound"}, {"old_followed", "goal"},
			{"old_runs", "estate"}, {"old_runs", "canonical"}, {"old_runs", "scope"}} {
			if err := addColumn(tx, c[0], c[1], "TEXT NOT NULL DEFAULT ''"); err != nil {
				return wrong(s.path, err)
			}
		}
		return nil
	})
}

// LastRun gives the last run over a list with a digest; ErrEmpty where there is none.
func (s *Store) LastRun(ctx context.Context, digest string) (Run, error) {
	all, err := s.runs(ctx, "digest = ?", digest)
	if err == nil && len(all) == 0 {
		err = ErrEmpty
	}
	if err != nil {
		return Run{}, err
	}
	return all[0], nil
}

// Runs gives all runs, whatever their lists, the newest first.
func (s *Store) Runs(ctx context.Context) ([]Run, error) {
	if there, err := s.has(ctx, "old_runs"); !there {
		return nil, err
	}
	return s.runs(ctx, "1")
}

func (s *Store) runs(ctx context.Context, which string, args ...any) ([]Run, error) {
	if s.db == nil {
		return nil, nil
	}
	if err := s.tables(ctx); err != nil {
		if has, columnErr := s.hasColumn(ctx, "old_runs", "scope"); !barred(err) || columnErr != nil {
			return nil, errors.Join(err, columnErr)
		} else if !has {
			return nil, &Error{s.path, Older, errVersion}
		}
	}
	mine, mineArgs := s.mine()
	rows, err := s.db.QueryContext(ctx,
		"SELECT id, started, vantage, source, digest, total, ended, bound, scope FROM old_runs "+
			"WHERE "+which+" AND "+mine+" ORDER BY id DESC", append(args, mineArgs...)...)
	if err != nil {
		return nil, wrong(s.path, err)
	}
	defer rows.Close()
	var all []Run
	for rows.Next() {
		var r Run
		var started, ended, bound, of string
		if err := rows.Scan(&r.ID, &started, &r.Vantage, &r.Source, &r.Digest, &r.Total, &ended,
			&bound, &of); err != nil {
			return nil, wrong(s.path, err)
		}
		r.Started, _ = time.Parse(time.RFC3339Nano, started)
		r.Ended = ended != ""
		if json.Unmarshal([]byte(bound), &r.Bound) != nil {
			r.Bound = nil // an earlier version noted nothing
		}
		if json.Unmarshal([]byte(of), &r.Scope) != nil {
			r.Scope = nil
		}
		all = append(all, r)
	}
	return all, wrong(s.path, rows.Err())
}

// hasColumn reports whether a table has a column.
func (s *Store) hasColumn(ctx context.Context, table, column string) (bool, error) {
	var n int
	err := s.db.QueryRowContext(ctx, "SELECT count(*) FROM pragma_table_info(?) WHERE name = ?", table,
		column).Scan(&n)
	return n > 0, wrong(s.path, err)
}

// barred reports whether a store may be read and not written to.
func barred(err error) bool {
	var failed *Error
	return errors.As(err, &failed) && failed.Reason == Barred
}

// DoneOf gives which numbers of a run are kept: how many from 0 on without a gap, and those behind.
func (s *Store) DoneOf(ctx context.Context, run int64) (first int, beyond map[int]bool, err error) {
	beyond = map[int]bool{}
	rows, err := s.db.QueryContext(ctx, "SELECT at FROM old_followed WHERE run = ? ORDER BY at", run)
	if err != nil {
		return 0, nil, wrong(s.path, err)
	}
	defer rows.Close()
	for rows.Next() {
		var at int
		if err := rows.Scan(&at); err != nil {
			return 0, nil, wrong(s.path, err)
		}
		if at == first {
			first++
		} else {
			beyond[at] = true
		}
	}
	return first, beyond, wrong(s.path, rows.Err())
}

// KeepFollowed keeps old URLs that were followed, all of them or none.
func (s *Store) KeepFollowed(ctx context.Context, run int64, all []old.Followed) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return wrong(s.path, err)
	}
	defer func() { _ = tx.Rollback() }()
	insert, err := tx.PrepareContext(
		ctx,
		"INSERT OR REPLACE INTO old_followed (run, at, url, method, domain, weight, met, arrival, "+
			"status, hops, long, "+
			"codes, says, goal) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
	)
	if err != nil {
		return wrong(s.path, err)
	}
	defer insert.Close()
	for i := range all {
		f := &all[i]
		_, err := insert.ExecContext(ctx, run, f.Number, f.URL, f.Method, domainOf(f.URL), f.Weight,
			f.Met.String(),
			f.Arrival, f.Status, f.Hops, f.Long, strings.Join(f.Codes, " "), f.Says.String(), f.Goal)
		if err != nil {
			return wrong(s.path, err)
		}
	}
	return wrong(s.path, tx.Commit())
}

// domainOf gives the host of a URL without its www.
func domainOf(url string) string {
	_, rest, _ := strings.Cut(url, "://")
	host, _, _ := strings.Cut(rest, "/")
	host, _, _ = strings.Cut(host, "?")
	return strings.TrimPrefix(host, "www.")
}

// EndRun says that all of a run was followed, and gives the numbers of older ones that went for
// their age.
func (s *Store) EndRun(ctx context.Context, run int64, at time.Time) ([]int64, error) {
	if err := s.endRun(ctx, run, at); err != nil || s.of.Now.IsZero() {
		return nil, err
	}
	var old []int64
	err := s.within(ctx, func(tx *sql.Tx) error {
		all, err := s.runsIn(ctx, tx)
		if err != nil {
			return err
		}
		old = s.of.Keep.Old(all, s.of.Now)
		for _, id := range old {
			for _, q := range []string{"DELETE FROM old_followed WHERE run = ?",
				"DELETE FROM old_runs WHERE id = ?"} {
				if _, err := tx.ExecContext(ctx, q, id); err != nil {
					return wrong(s.path, err)
				}
			}
		}
		return nil
	})
	return old, err
}

// runsIn lists the runs that were ended; of each list, and of each part of it that was meant, the
// last two stay.
func (s *Store) runsIn(ctx context.Context, tx *sql.Tx) ([]scope.Kept, error) {
	mine, args := s.mine()
	rows, err := tx.QueryContext(ctx, "SELECT id, started, source, scope FROM old_runs "+
		"WHERE ended <> '' AND "+mine, args...)
	if err != nil {
		return nil, wrong(s.path, err)
	}
	defer rows.Close()
	var all []scope.Kept
	for rows.Next() {
		k := scope.Kept{Scope: &scope.Scope{}}
		var started, source, of string
		if err := rows.Scan(&k.ID, &started, &source, &of); err != nil {
			return nil, wrong(s.path, err)
		}
		k.Started, _ = time.Parse(time.RFC3339Nano, started)
		if json.Unmarshal([]byte(of), &k.Scope) != nil || k.Scope == nil {
			k.Scope = &scope.Scope{}
		}
		k.Scope.Estate, k.Scope.Domains = s.of.Name, []string{source + "\n" + k.Scope.Only}
		all = append(all, k)
	}
	return all, wrong(s.path, rows.Err())
}

func (s *Store) endRun(ctx context.Context, run int64, at time.Time) error {
	_,
		err := s.db.ExecContext(ctx, "UPDATE old_runs SET ended = ? WHERE id = ?",
		at.UTC().Format(time.RFC3339Nano), run)
	return wrong(s.path, err)
}

// AreasOf gives how the old URLs of a run fare, by domain, and how many of them take more hops than
// planned.
func (s *Store) AreasOf(ctx context.Context, run int64) (areas []old.MetArea, long old.Share,
	err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT domain, met, long, count(*), "+
		"CAST(min(total(weight), 9e18) AS INTEGER) FROM old_followed WHERE run = ? "+
		"GROUP BY domain, met, long ORDER BY domain", run)
	if err != nil {
		return nil, long, wrong(s.path, err)
	}
	defer rows.Close()
	for rows.Next() {
		var name, met string
		var isLong bool
		var share old.Share
		if err := rows.Scan(&name, &met, &isLong, &share.URLs, &share.Weight); err != nil {
			return nil, long, wrong(s.path, err)
		}
		if len(areas) == 0 || areas[len(areas)-1].Name != name {
			areas = append(areas, old.MetArea{Name: name})
		}
		m, known := old.MetNamed(met)
		if !known {
			m = old.NotSeen // a later version knows more
		}
		areas[len(areas)-1].Take(m, share)
		if isLong {
			long.URLs += share.URLs
			long.Weight = old.Plus(long.Weight, share.Weight)
		}
	}
	old.SortAreas(areas)
	return areas, long, wrong(s.path, rows.Err())
}

const followedColumns = "SELECT at, url, method, weight, met, arrival, status, hops, long, " +
	"codes, says, goal " +
	"FROM old_followed "

// WorstOf gives the heaviest of a run that do not fare well: of a domain and in a way, or of all
// where these are "".
func (s *Store) WorstOf(ctx context.Context, run int64, domain string, met string,
	most int) ([]old.Followed, error) {
	query, args := followedColumns+"WHERE run = ? AND met NOT IN ('right', 'gone') ", []any{run}
	if met != "" {
		query, args = query+"AND domain = ? AND met = ? ", append(args, domain, met)
	}
	var all []old.Followed
	err := s.eachFollowed(ctx, query+"ORDER BY weight DESC, at LIMIT ?", append(args, most),
		func(f old.Followed) bool {
			all = append(all, f)
			return true
		})
	return all, err
}

// EachOf calls a function with every old URL of a run, in the order of the list, until it says that
// it is enough.
func (s *Store) EachOf(ctx context.Context, run int64, each func(old.Followed) bool) error {
	return s.eachFollowed(ctx, followedColumns+"WHERE run = ? ORDER BY at", []any{run}, each)
}

// PartOf gives what is kept of a run whose number in the list is at least one, so many numbers on.
func (s *Store) PartOf(ctx context.Context, run int64, at, most int) ([]old.Followed, error) {
	var all []old.Followed
	err := s.eachFollowed(ctx, followedColumns+"WHERE run = ? AND at >= ? AND at < ? ORDER BY at",
		[]any{run, at, at + most}, func(f old.Followed) bool {
			all = append(all, f)
			return true
		})
	return all, err
}

func (s *Store) eachFollowed(ctx context.Context, query string, args []any,
	each func(old.Followed) bool) error {
	rows, err := s.db.QueryContext(ctx, query, args...)
	if err != nil {
		return wrong(s.path, err)
	}
	defer rows.Close()
	for rows.Next() {
		var f old.Followed
		var met, codes, says string
		err := rows.Scan(
			&f.Number,
			&f.URL,
			&f.Method,
			&f.Weight,
			&met,
			&f.Arrival,
			&f.Status,
			&f.Hops,
			&f.Long,
			&codes,
			&says,
			&f.Goal,
		)
		if err != nil {
			return wrong(s.path, err)
		}
		f.Says = fact.Plain(says)
		known := false
		if f.Met, known = old.MetNamed(met); !known {
			f.Met = old.NotSeen
		}
		if codes != "" {
			f.Codes = strings.Split(codes, " ")
		}
		if !each(f) {
			return nil
		}
	}
	return wrong(s.path, rows.Err())
}
