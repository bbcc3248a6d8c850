package store

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"time"
)

// Told is what a receiver of notices was told of something that stands.
type Told struct {
	Receiver string // folded
	ID       string
	Since    time.Time
	Body     []byte // JSON
}

// Notice is what a receiver is told. It was given up where it has ended with an error.
type Notice struct {
	Number   int64
	Receiver string // folded
	At, Due  time.Time
	Tries    int
	Error    string    // of the last try
	Ended    time.Time // zero: it was not sent yet
	Body     []byte    // JSON
}

// Told are what all receivers were told.
func (s *Store) Told(ctx context.Context) ([]Told, error) {
	return query(ctx, s, func(rows *sql.Rows, t *Told) error {
		var since int64
		err := rows.Scan(&t.Receiver, &t.ID, &since, &t.Body)
		t.Since = moment(since)
		return err
	}, `SELECT receiver, id, since, body FROM told`)
}

// Tell notes what a receiver knows from now on, and what it is to be told. Each notice is due
// together with those that wait, else at its own time.
func (s *Store) Tell(ctx context.Context, receiver string, known []Told, notices []Notice) error {
	return s.within(ctx, func(tx *tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM told WHERE receiver = ?`, receiver); err != nil {
			return err
		}
		for i := range known {
			if _, err := tx.ExecContext(ctx, `INSERT INTO told (receiver, id, since, body) VALUES (?, ?, ?, ?)`,
				receiver, known[i].ID, nanos(known[i].Since), known[i].Body); err != nil {
				return err
			}
		}
		for i := range notices {
			n := &notices[i]
			const insert = `INSERT INTO notices (receiver, at, due, body) VALUES (?1, ?2,
				coalesce((SELECT max(due) FROM notices WHERE receiver = ?1 AND ended IS NULL AND due > ?2), ?3), ?4)`
			if _, err := tx.ExecContext(ctx, insert, receiver, nanos(n.At), nanos(n.Due), n.Body); err != nil {
				return err
			}
		}
		return nil
	})
}

const noticeColumns = `SELECT number, receiver, at, due, tries, error, coalesce(ended, 0), body FROM notices `

// DueNotices are the oldest that are due for a receiver, at most so many.
func (s *Store) DueNotices(ctx context.Context, receiver string, now time.Time, most int) ([]Notice, error) {
	return s.notices(
		ctx,
		noticeColumns+`WHERE receiver = ? AND ended IS NULL AND due <= ? ORDER BY number LIMIT ?`,
		receiver,
		nanos(now),
		most,
	)
}

// Notices are the newest, before a number where one is given, at most so many.
func (s *Store) Notices(ctx context.Context, before int64, most int) ([]Notice, error) {
	return s.notices(ctx, noticeColumns+`WHERE ?1 = 0 OR number < ?1 ORDER BY number DESC LIMIT ?2`, before, most)
}

func (s *Store) notices(ctx context.Context, statement string, args ...any) ([]Notice, error) {
	return query(ctx, s, func(rows *sql.Rows, n *Notice) error {
		var at, due, ended int64
		err := rows.Scan(&n.Number, &n.Receiver, &at, &due, &n.Tries, &n.Error, &ended, &n.Body)
		n.At, n.Due, n.Ended = moment(at), moment(due), moment(ended)
		return err
	}, statement, args...)
}

// Waiting says how many notices wait for each receiver, and when the first of them is due.
type Waiting struct {
	Receiver string // folded
	Notices  int
	Due      time.Time
	Tries    int    // of the one that was tried most
	Error    string // of its last try
}

// WaitingNotices are the receivers for which notices wait.
func (s *Store) WaitingNotices(ctx context.Context) ([]Waiting, error) {
	return query(ctx, s, func(rows *sql.Rows, w *Waiting) error {
		var due int64
		err := rows.Scan(&w.Receiver, &w.Notices, &due, &w.Tries, &w.Error)
		w.Due = moment(due)
		return err
	},
		`SELECT receiver, count(*), min(due), max(tries), max(error)
			FROM notices WHERE ended IS NULL GROUP BY receiver ORDER BY receiver`)
}

// EndNotices notes that notices of a receiver up to a number were sent, or where why is given that
// they are given up, and lets those go that ended long ago.
func (s *Store) EndNotices(ctx context.Context, receiver string, upTo int64, at time.Time, why string) error {
	return s.within(ctx, func(tx *tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM notices WHERE ended < ?`, nanos(at.Add(-keptFor))); err != nil {
			return err
		}
		_, err := tx.ExecContext(
			ctx,
			`UPDATE notices SET ended = ?, tries = tries + 1, error = ? WHERE receiver = ? AND number <= ? AND ended IS NULL`,
			nanos(at),
			why,
			receiver,
			upTo,
		)
		return err
	})
}

// DelayNotices notes that what was due for a receiver could not be sent, and when it is tried again.
// What came meanwhile waits as long: it must not arrive before what could not be sent.
func (s *Store) DelayNotices(ctx context.Context, receiver string, now, again time.Time, why string) error {
	return s.within(ctx, func(tx *tx) error {
		_, err := tx.ExecContext(
			ctx,
			`UPDATE notices SET due = ?1, tries = tries + (due <= ?2), error = iif(due <= ?2, ?3, error)
				WHERE receiver = ?4 AND ended IS NULL AND due < ?1`,
			nanos(again),
			nanos(now),
			why,
			receiver,
		)
		return err
	})
}

// KeepReceivers forgets what is kept of all receivers but some.
func (s *Store) KeepReceivers(ctx context.Context, folded []string) error {
	args := make([]any, len(folded))
	for i, r := range folded {
		args[i] = r
	}
	others := `receiver NOT IN (` + strings.TrimSuffix(strings.Repeat("?, ", len(folded)), ", ") + `)`
	return s.within(ctx, func(tx *tx) error {
		for _, table := range []string{"told", "notices"} {
			if _, err := tx.ExecContext(ctx, fmt.Sprintf(`DELETE FROM %s WHERE %s`, table, others), args...); err != nil {
				return err
			}
		}
		return nil
	})
}

// HastenNotices lets what waits for a receiver that could not be sent be tried again now.
func (s *Store) HastenNotices(ctx context.Context, receiver string, now time.Time) error {
	return s.within(ctx, func(tx *tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE notices SET due = ?1 WHERE receiver = ?2 AND ended IS NULL
			AND EXISTS (SELECT 1 FROM notices WHERE receiver = ?2 AND ended IS NULL AND tries > 0)`, nanos(now), receiver)
		return err
	})
}
