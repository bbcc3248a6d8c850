package store

import (
	"context"
	"database/sql"
	"time"
)

// Reading is the newest reading of a linked system, with how it went since.
type Reading struct {
	System string
	At     time.Time // when the system held it; zero: there is none
	Body   []byte    // packed; ReadingBody reads it
	Failed int       // how many readings failed since
	Error  string    // why the last one failed
	Tried  time.Time // when the last one was tried
}

// Readings lists the newest readings, by system, without their bodies.
func (s *Store) Readings(ctx context.Context) ([]Reading, error) {
	return query(ctx, s, func(rows *sql.Rows, r *Reading) error {
		var at sql.NullInt64
		var tried int64
		err := rows.Scan(&r.System, &at, &r.Failed, &r.Error, &tried)
		if at.Valid {
			r.At = moment(at.Int64)
		}
		r.Tried = moment(tried)
		return err
	}, `SELECT system, at, failed, error, tried FROM readings ORDER BY system`)
}

// ReadingBody is the body of the newest reading of a system; nil: there is none.
func (s *Store) ReadingBody(ctx context.Context, system string) ([]byte, error) {
	list, err := query(
		ctx,
		s,
		func(rows *sql.Rows, body *[]byte) error { return rows.Scan(body) },
		`SELECT body FROM readings WHERE system = ?`,
		system,
	)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return list[0], nil
}

// KeepReading keeps how a reading of a system went: a body takes the place of the one before, and
// without one that stays. entries are for the audit.
func (s *Store) KeepReading(ctx context.Context, r *Reading, entries ...Entry) error {
	return s.within(ctx, func(tx *tx) error {
		if _, err := tx.ExecContext(ctx,
			`INSERT INTO readings (system, at, body, failed, error, tried) VALUES (?, ?, ?, ?, ?, ?)
			ON CONFLICT (system) DO UPDATE SET at = coalesce(excluded.at, at), body = coalesce(excluded.body, body),
				failed = excluded.failed, error = excluded.error, tried = excluded.tried`,
			r.System, orNull(r.At), r.Body, r.Failed, r.Error, nanos(r.Tried)); err != nil {
			return err
		}
		return s.auditAll(ctx, tx, entries)
	})
}
