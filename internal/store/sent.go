package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/send"
)

// mostSent is how many entries are read: what an estate sends in many years.
const mostSent = 200_000

// KeepSent keeps what is sent, or what came of it: an entry that has a number is put in place of
// the one before. It gives a new entry its number.
func (s *Store) KeepSent(ctx context.Context, e *send.Entry) error {
	doc, err := pack(e)
	if err != nil {
		return fmt.Errorf("saving what is sent: %w", err)
	}
	if e.ID > 0 {
		_, err := s.db.ExecContext(ctx, "UPDATE sent SET doc = ? WHERE id = ?", doc, e.ID)
		return wrong(s.path, err)
	}
	r, err := s.db.ExecContext(ctx,
		"INSERT INTO sent (estate, canonical, began, doc) VALUES (?, ?, ?, ?)", s.of.Name,
		s.of.Canonical, e.Began.UTC().Format(time.RFC3339Nano), doc)
	if err == nil {
		e.ID, err = r.LastInsertId()
	}
	return wrong(s.path, err)
}

// Sent gives all that was sent, the oldest first.
func (s *Store) Sent(ctx context.Context) ([]send.Entry, error) {
	if ok, err := s.has(ctx, "sent"); !ok {
		return nil, err
	}
	mine, args := s.mine()
	rows, err := s.db.QueryContext(ctx, "SELECT id, doc FROM sent WHERE "+mine+
		" ORDER BY id DESC LIMIT ?", append(args, mostSent)...)
	if err != nil {
		return nil, wrong(s.path, err)
	}
	defer rows.Close()
	var all []send.Entry
	for rows.Next() {
		var id int64
		var doc []byte
		var e send.Entry
		if err := rows.Scan(&id, &doc); err != nil {
			return nil, wrong(s.path, err)
		}
		if err := errors.Join(unpack(doc, &e), e.Check()); err != nil {
			return nil, &Error{s.path, Damaged, fmt.Errorf("what was sent, number %d: %w", id, err)}
		}
		e.ID = id
		all = append(all, e)
	}
	slices.Reverse(all)
	return all, wrong(s.path, rows.Err())
}
