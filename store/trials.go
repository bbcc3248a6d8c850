package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Trial is a set of staged changes.
type Trial struct {
	Name    string
	Note    string
	Author  string
	Created time.Time
	Base    int    // the revision that the newest change was staged on
	Version int    // counts up with every change to the trial; with the name, it is never used again
	Reverts int    // the revision that it reverts; 0: none
	Changes []byte // JSON
}

// ErrTaken says that there is something by this name already.
var ErrTaken = errors.New("there is one by this name already")

// CreateTrial begins a trial, at the version that it has or at a higher one. The error
// is ErrTaken where its name is.
func (s *Store) CreateTrial(ctx context.Context, t *Trial, e Entry) error {
	return s.within(ctx, func(tx *tx) error { return s.audited(ctx, tx, insertTrial(ctx, tx, t), e) })
}

func insertTrial(ctx context.Context, tx *tx, t *Trial) error {
	err := tx.QueryRowContext(
		ctx,
		`INSERT INTO trials (name, note, author, created, base, version, reverts, changes)
		SELECT ?, ?, ?, ?, ?, max(?, last + 1), ?, ? FROM trial_versions WHERE true ON CONFLICT DO NOTHING RETURNING version`,
		t.Name,
		t.Note,
		t.Author,
		seconds(t.Created),
		t.Base,
		t.Version,
		sql.NullInt64{Int64: int64(t.Reverts), Valid: t.Reverts > 0},
		t.Changes,
	).Scan(&t.Version)
	if errors.Is(err, sql.ErrNoRows) {
		return ErrTaken
	}
	return err
}

// UpdateTrial writes a trial in the place of the version before. The error is
// ErrMoved where that one is not there.
func (s *Store) UpdateTrial(ctx context.Context, t *Trial, e Entry) error {
	err := s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(
			ctx,
			`UPDATE trials SET note = ?, base = ?, version = version + 1, changes = ? WHERE name = ? AND version = ?`,
			t.Note,
			t.Base,
			t.Changes,
			t.Name,
			t.Version,
		)
		return s.audited(ctx, tx, s.changedOne(result, err, ErrMoved), e)
	})
	if err == nil {
		t.Version++
	}
	return err
}

// RemoveTrial lets a version of a trial go. The error is ErrMoved where it is not
// there.
func (s *Store) RemoveTrial(ctx context.Context, name string, version int, e Entry) error {
	return s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(ctx, `DELETE FROM trials WHERE name = ? AND version = ?`, name, version)
		return s.audited(ctx, tx, s.changedOne(result, err, ErrMoved), e)
	})
}

// changedOne gives another error where a statement has changed nothing.
func (s *Store) changedOne(result sql.Result, err, none error) error {
	if err != nil {
		return s.explain(err)
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return none
	}
	return nil
}

// TrialsAfter lists the trials whose names come after one, by name; after "" all do.
func (s *Store) TrialsAfter(ctx context.Context, name string) ([]Trial, error) {
	return s.trials(ctx, `WHERE name > ? ORDER BY name`, name)
}

// Trial finds a trial; ok is false if there is none by this name.
func (s *Store) Trial(ctx context.Context, name string) (t Trial, ok bool, err error) {
	return firstOf(s.trials(ctx, `WHERE name = ?`, name))
}

func (s *Store) trials(ctx context.Context, which string, args ...any) ([]Trial, error) {
	return query(ctx, s, func(rows *sql.Rows, t *Trial) error {
		var created int64
		err := rows.Scan(&t.Name, &t.Note, &t.Author, &created, &t.Base, &t.Version, &t.Reverts, &t.Changes)
		t.Created = moment(created)
		return err
	}, `SELECT name, note, author, created, base, version, coalesce(reverts, 0), changes FROM trials `+which, args...)
}

// query reads rows one by one.
func query[T any](
	ctx context.Context,
	s *Store,
	scan func(*sql.Rows, *T) error,
	statement string,
	args ...any,
) ([]T, error) {
	rows, err := s.db.QueryContext(ctx, statement, args...)
	if err != nil {
		return nil, s.explain(err)
	}
	defer rows.Close()
	var list []T
	for rows.Next() {
		var one T
		if err := scan(rows, &one); err != nil {
			return nil, s.explain(err)
		}
		list = append(list, one)
	}
	return list, s.explain(rows.Err())
}
