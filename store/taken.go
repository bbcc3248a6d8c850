package store

import (
	"context"
	"database/sql"
	"time"
)

// Taken is what one change took away from a directory.
type Taken struct {
	Directory string
	At        time.Time
	What      []byte // JSON
}

// Taken lists what was taken away from a directory since a time.
func (s *Store) Taken(ctx context.Context, directory string, since time.Time) ([]Taken, error) {
	return query(ctx, s, func(rows *sql.Rows, t *Taken) error {
		var at int64
		err := rows.Scan(&t.Directory, &at, &t.What)
		t.At = moment(at)
		return err
	}, `SELECT directory, at, what FROM taken WHERE directory = ? AND at >= ? ORDER BY at`, directory, nanos(since))
}

// ForgetTaken forgets what was taken away from a directory before a time.
func (s *Store) ForgetTaken(ctx context.Context, directory string, before time.Time) error {
	_, err := s.exec(ctx, `DELETE FROM taken WHERE directory = ? AND at < ?`, directory, nanos(before))
	return err
}

// noteTaken notes what a revision takes away.
func noteTaken(ctx context.Context, tx *tx, t *Taken) error {
	if t == nil {
		return nil
	}
	_, err := tx.ExecContext(
		ctx,
		`INSERT INTO taken (directory, at, what) VALUES (?, ?, ?)`,
		t.Directory,
		nanos(t.At),
		t.What,
	)
	return err
}
