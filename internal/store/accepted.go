package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
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
		query, args := s.lastAccepted()
		before, err := oneIn[recheck.State](ctx, s, tx, query, args...)
		if err != nil && !errors.Is(err, ErrEmpty) {
			return err
		}
		state := change(before)
		doc, err := pack(state)
		if err != nil {
			return fmt.Errorf("saving the accepted state: %w", err)
		}
		mine, args := s.mine()
		_, err = tx.ExecContext(ctx,
			"INSERT INTO states (estate, canonical, taken, doc) VALUES (?, ?, ?, ?)", s.of.Name,
			s.of.Canonical, state.Taken.UTC().Format(time.RFC3339Nano), doc)
		if err == nil {
			_, err = tx.ExecContext(ctx, "DELETE FROM states WHERE "+mine+" AND id NOT IN "+
				"(SELECT id FROM states WHERE "+mine+" ORDER BY id DESC LIMIT ?)",
				append(append(slices.Clone(args), args...), mostStates)...)
		}
		return wrong(s.path, err)
	})
}

func (s *Store) lastAccepted() (string, []any) {
	mine, args := s.mine()
	return "SELECT id, doc FROM states WHERE " + mine + " ORDER BY id DESC LIMIT 1", args
}

// Accepted returns the state that was accepted last; ErrEmpty where none was.
func (s *Store) Accepted(ctx context.Context) (*recheck.State, error) {
	query, args := s.lastAccepted()
	return one[recheck.State](ctx, s, query, args...)
}

// Told returns the findings that were told as new since something was accepted, and are not mended
// yet; nil where there are none.
func (s *Store) Told(ctx context.Context) ([]recheck.Fact, error) {
	if s.db == nil {
		return nil, nil
	}
	mine, args := s.mine()
	var doc []byte
	err := s.db.QueryRowContext(ctx, "SELECT doc FROM told WHERE "+mine+
		" ORDER BY estate = ? DESC LIMIT 1", append(args, s.of.Name)...).Scan(&doc)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, wrong(s.path, err)
	}
	var told []recheck.Fact
	if err := unpack(doc, &told); err != nil {
		return nil, &Error{s.path, Damaged, fmt.Errorf("what was told: %w", err)}
	}
	return told, nil
}

// Tell keeps the findings that were told as new, in place of those before.
func (s *Store) Tell(ctx context.Context, told []recheck.Fact) error {
	doc, err := pack(told)
	if err != nil {
		return fmt.Errorf("saving what was told: %w", err)
	}
	_, err = s.db.ExecContext(ctx, "INSERT INTO told (estate, canonical, doc) VALUES (?, ?, ?) "+
		"ON CONFLICT (estate) DO UPDATE SET doc = excluded.doc", s.of.Name, s.of.Canonical, doc)
	return wrong(s.path, err)
}

// has reports whether there is a table.
func (s *Store) has(ctx context.Context, table string) (bool, error) {
	if s.db == nil {
		return false, nil
	}
	var n int
	err := s.db.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE name = ?",
		table).Scan(&n)
	return n > 0, wrong(s.path, err)
}

// Lived returns what an earlier version kept here of findings that somebody lives with, by date; it
// stands in the estate file now. Changes are left out: no value was noted with them.
func (s *Store) Lived(ctx context.Context) ([]recheck.Acceptance, error) {
	if ok, err := s.has(ctx, "acceptances"); !ok {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx,
		"SELECT code, subject, until, why, given FROM acceptances ORDER BY until, code, subject")
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
		if a.Until, err = time.Parse(time.RFC3339, until); err != nil {
			return nil, &Error{s.path, Damaged, fmt.Errorf("the date of what was accepted: %w", err)}
		}
		a.Given, _ = time.Parse(time.RFC3339, given)
		if !finding.IsChange(a.Code) {
			all = append(all, a)
		}
	}
	return all, wrong(s.path, rows.Err())
}

// Unlive takes back that somebody lives with something that an earlier version kept here, and
// reports whether it was.
func (s *Store) Unlive(ctx context.Context, code, subject string) (bool, error) {
	if ok, err := s.has(ctx, "acceptances"); !ok {
		return false, err
	}
	r, err := s.db.ExecContext(ctx, "DELETE FROM acceptances WHERE code = ? AND subject = ?", code,
		subject)
	if err != nil {
		return false, wrong(s.path, err)
	}
	n, err := r.RowsAffected()
	return n > 0, wrong(s.path, err)
}
