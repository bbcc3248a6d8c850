package store

import (
	"context"
	"database/sql"
	"time"
)

// Write is what a commit writes where the records of a directory come from.
type Write struct {
	ID        int64
	Directory string
	Began     time.Time
	Ended     time.Time // zero: not yet
	Body      []byte    // JSON: the modifications, until it has ended
}

// BeginWrite notes what is about to be written, and gives it its number.
func (s *Store) BeginWrite(ctx context.Context, w *Write, e Entry) error {
	return s.within(ctx, func(tx *tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM writes WHERE ended < ?`, nanos(w.Began.Add(-keptFor))); err != nil {
			return err
		}
		const insert = `INSERT INTO writes (directory, began, body) VALUES (?, ?, ?)`
		result, err := tx.ExecContext(ctx, insert, w.Directory, nanos(w.Began), w.Body)
		if err != nil {
			return err
		}
		if w.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		return s.audit(ctx, tx, e)
	})
}

// TookBack notes that what was written is taken back.
func (s *Store) TookBack(ctx context.Context, id int64, at time.Time, e Entry) error {
	return s.within(ctx, func(tx *tx) error {
		if err := endWrite(ctx, tx.Tx, id, at, 0); err != nil {
			return err
		}
		return s.audit(ctx, tx, e)
	})
}

// endWrite ends a write as one of a revision, or of none where that is 0.
func endWrite(ctx context.Context, tx *sql.Tx, id int64, at time.Time, revision int) error {
	_, err := tx.ExecContext(ctx, `UPDATE writes SET ended = ?, revision = ?, body = x'' WHERE id = ?`,
		nanos(at), sql.NullInt64{Int64: int64(revision), Valid: revision > 0}, id)
	return err
}

const writeColumns = `SELECT id, directory, began, coalesce(ended, 0), body FROM writes `

// OpenWrites are those that have not ended.
func (s *Store) OpenWrites(ctx context.Context) ([]Write, error) {
	return s.writes(ctx, writeColumns+`WHERE ended IS NULL ORDER BY id`)
}

// WritesOf are those of a revision.
func (s *Store) WritesOf(ctx context.Context, revision int) ([]Write, error) {
	return s.writes(ctx, writeColumns+`WHERE revision = ? ORDER BY directory`, revision)
}

func (s *Store) writes(ctx context.Context, statement string, args ...any) ([]Write, error) {
	return query(ctx, s, func(rows *sql.Rows, w *Write) error {
		var began, ended int64
		err := rows.Scan(&w.ID, &w.Directory, &began, &ended, &w.Body)
		w.Began, w.Ended = moment(began), moment(ended)
		return err
	}, statement, args...)
}
