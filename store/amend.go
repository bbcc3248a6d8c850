package store

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"strconv"
)

// ErrMoved says that there is a newer revision than the one that was to be
// amended.
var ErrMoved = errors.New("there is a newer revision")

// ErrTrialMoved says that a trial was changed after a revision was computed from it.
var ErrTrialMoved = errors.New("the trial was changed")

// Pending is a row whose body is made when it is to be written.
type Pending struct {
	Key  Key
	Body func() ([]byte, error)
}

// Amend makes the revision after base, in which some rows are changed or new
// and others are gone, whole or not at all. The error is ErrMoved where base is
// not the newest, or ErrTrialMoved where the trial that it comes from has another version.
func (s *Store) Amend(ctx context.Context, base int, r Revision, put []Pending, gone []Key) (Revision, error) {
	r.Number = base + 1
	rows := make([]Row, len(put)) // made before the transaction: other writes wait for that
	for i, p := range put {
		body, err := p.Body()
		if err != nil {
			return r, err
		}
		rows[i] = Row{p.Key, body}
	}
	err := s.within(ctx, func(tx *tx) error {
		head, err := newest(ctx, tx.Tx)
		if err != nil {
			return err
		}
		if head != base {
			return ErrMoved
		}
		for _, row := range rows {
			gone = append(gone, row.Key)
		}
		return s.write(ctx, tx, r, rows, gone)
	})
	return r, err
}

func newest(ctx context.Context, tx *sql.Tx) (number int, err error) {
	err = tx.QueryRowContext(ctx, `SELECT coalesce(max(number), 0) FROM revisions`).Scan(&number)
	return number, err
}

// write writes a revision: the rows that end with it, and those that begin.
func (s *Store) write(ctx context.Context, tx *tx, r Revision, put []Row, gone []Key) error {
	text := func(s string) sql.NullString { return sql.NullString{String: s, Valid: s != ""} }
	if _, err := tx.ExecContext(ctx,
		`INSERT INTO revisions (number, at, author, reason, trial, changes, reverts, overrides, key)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		r.Number, seconds(r.At), r.Author, r.Reason, text(r.Trial), r.Changes,
		sql.NullInt64{Int64: int64(r.Reverts), Valid: r.Reverts > 0}, text(r.Overrides), text(r.Key)); err != nil {
		return err
	}
	if r.Trial != "" {
		result, err := tx.ExecContext(ctx, `DELETE FROM trials WHERE name = ? AND version = ?`, r.Trial, r.TrialVersion)
		if err := s.changedOne(result, err, ErrTrialMoved); err != nil {
			return err
		}
	}
	detail := r.Reason
	if r.Overrides != "" {
		detail += "; overridden by " + r.Overrides
	}
	if r.Exempt != "" {
		detail += " (the two-person rule does not apply to " + r.Exempt + ")"
	}
	if err := s.audit(ctx, tx, Entry{At: r.At, Actor: r.Author, Act: "commit",
		Object: "revision " + strconv.Itoa(r.Number), Result: "done", Detail: detail, Origin: r.Origin}); err != nil {
		return err
	}
	if err := errors.Join(depart(ctx, tx, &r), noteTaken(ctx, tx, r.Taken)); err != nil {
		return err
	}
	for _, id := range r.Writes {
		if err := endWrite(ctx, tx.Tx, id, r.At, r.Number); err != nil {
			return err
		}
	}
	for _, key := range gone {
		if err := end(ctx, tx.Tx, key, r.Number); err != nil {
			return err
		}
	}
	slices.SortFunc(put, func(a, b Row) int { return a.Key.compare(b.Key) }) // as they are stored
	begin, err := newBeginning(ctx, tx.Tx, r.Number)
	if err != nil {
		return err
	}
	for _, row := range put {
		if err := begin.put(ctx, row); err != nil {
			return err
		}
	}
	return nil
}

func end(ctx context.Context, tx *sql.Tx, k Key, revision int) error {
	if k.Path != "" {
		_, err := tx.ExecContext(ctx, `UPDATE documents SET until = ? WHERE path = ? AND until IS NULL`, revision, k.Path)
		return err
	}
	_, err := tx.ExecContext(
		ctx,
		`UPDATE records SET until = ? WHERE directory = ? AND kind = ? AND name = ? AND until IS NULL`,
		revision,
		k.Directory,
		k.Kind,
		k.Name,
	)
	return err
}

// beginning inserts rows that hold from a revision on.
type beginning struct {
	documents, records *sql.Stmt
	revision           int
}

func newBeginning(ctx context.Context, tx *sql.Tx, revision int) (*beginning, error) {
	documents, err := tx.PrepareContext(ctx, `INSERT INTO documents (path, content, since) VALUES (?, ?, ?)`)
	if err != nil {
		return nil, err
	}
	records, err := tx.PrepareContext(
		ctx,
		`INSERT INTO records (directory, kind, name, body, since) VALUES (?, ?, ?, ?, ?)`,
	)
	return &beginning{documents, records, revision}, err
}

func (b *beginning) put(ctx context.Context, row Row) (err error) {
	if k := row.Key; k.Path != "" {
		_, err = b.documents.ExecContext(ctx, k.Path, row.Body, b.revision)
	} else {
		_, err = b.records.ExecContext(ctx, k.Directory, k.Kind, k.Name, row.Body, b.revision)
	}
	return err
}
