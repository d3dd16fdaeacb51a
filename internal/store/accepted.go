package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"upperpath.example/upperpath/internal/core/recheck"
)

// mostStates is how many accepted states stay: the one that holds, and the one before it.
const mostStates = 2

// Accept keeps what a function makes of the state that was accepted, nil where none was, as the one
// with which others are compared. Until that is done whole, the one before holds, and nobody else
// changes it meanwhile.
func (s *Store) Accept(ctx context.Context,
	change func(before *recheck.State) *recheck.State) error {
	return s.within(ctx, func(tx *sql.Tx) error {
		before, err := oneIn[recheck.State](ctx, s, tx, lastAccepted)
		if err != nil && !errors.Is(err, ErrEmpty) {
			return err
		}
		state := change(before)
		doc, err := pack(state)
		if err != nil {
			return fmt.Errorf("saving the accepted state: %w", err)
		}
		_, err = tx.ExecContext(
			ctx,
			"INSERT INTO states (taken, doc) VALUES (?, ?)",
			state.Taken.UTC().Format(time.RFC3339Nano),
			doc,
		)
		if err == nil {
			_,
				err = tx.ExecContext(ctx,
				"DELETE FROM states WHERE id NOT IN (SELECT id FROM states ORDER BY id DESC LIMIT ?)",
				mostStates)
		}
		return wrong(s.path, err)
	})
}

const lastAccepted = "SELECT id, doc FROM states ORDER BY id DESC LIMIT 1"

// Accepted returns the state that was accepted last; ErrEmpty where none was.
func (s *Store) Accepted(ctx context.Context) (*recheck.State, error) {
	if ok, err := s.has(ctx, "states"); !ok {
		return nil, cmp.Or(err, ErrEmpty)
	}
	return one[recheck.State](ctx, s, lastAccepted)
}

// has reports whether there is a table: a store may be older than it.
func (s *Store) has(ctx context.Context, table string) (bool, error) {
	if s.db == nil {
		return false, nil
	}
	var n int
	err := s.db.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE name = ?",
		table).Scan(&n)
	return n > 0, wrong(s.path, err)
}

// Live keeps what somebody lives with, in place of what was said of the same before.
func (s *Store) Live(ctx context.Context, a recheck.Acceptance) error {
	_,
		err := s.db.ExecContext(ctx,
		"INSERT INTO acceptances (code, subject, until, why, given) VALUES (?, ?, ?, ?, ?) "+
			"ON CONFLICT (code, subject) DO UPDATE SET until = excluded.until, why = excluded.why, given "+
			"= excluded.given",
		a.Code, a.Subject, a.Until.UTC().Format(time.RFC3339), a.Why, a.Given.UTC().Format(time.RFC3339))
	return wrong(s.path, err)
}

// ErrNotLived says that nobody lives with something.
var ErrNotLived = errors.New("it was not accepted")

// Unlive takes back that somebody lives with something. The error is ErrNotLived where nobody does.
func (s *Store) Unlive(ctx context.Context, code, subject string) error {
	r,
		err := s.db.ExecContext(ctx, "DELETE FROM acceptances WHERE code = ? AND subject = ?", code,
		subject)
	if err != nil {
		return wrong(s.path, err)
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return cmp.Or(wrong(s.path, err), ErrNotLived)
	}
	return nil
}

// Lived returns what somebody lives with, by date.
func (s *Store) Lived(ctx context.Context) ([]recheck.Acceptance, error) {
	if ok, err := s.has(ctx, "acceptances"); !ok {
		return nil, err
	}
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT code, subject, until, why, given FROM acceptances ORDER BY until, code, subject",
	)
	if err != nil {
		return nil, wrong(s.path, err)
	}
	defer rows.Close()
	var all []recheck.Acceptance
	for rows.Next() {
		var a recheck.Acceptance
		var until, given string
		if err := rows.Scan(&a.Code, &a.Subject, &until, &a.Why, &given); err != nil {
			return nil, wrong(s.path, err)
		}
		a.Until, err = time.Parse(time.RFC3339, until)
		if err != nil {
			return nil, &Error{s.path, Damaged, fmt.Errorf("the date of what was accepted: %w", err)}
		}
		a.Given, _ = time.Parse(time.RFC3339, given)
		all = append(all, a)
	}
	return all, wrong(s.path, rows.Err())
}
