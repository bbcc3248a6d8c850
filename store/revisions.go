package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"maps"
	"slices"
	"strings"
	"time"
)

// Revision is one version of the map. Numbers count from 1.
type Revision struct {
	Number int
	At     time.Time
	Author string
	Reason string

	// What follows is of a revision that was tried first.
	Trial        string // the name of the trial
	TrialVersion int    // that of the trial which the revision is computed from, and which goes with it
	Changes      []byte // JSON
	Reverts      int    // the revision that it reverts; 0: none
	Overrides    string // what was overridden, by whom and why
	Key          string // by which its commit was asked for

	// For the audit: where the request came from, and why the two-person rule, where it is
	// on, did not apply.
	Origin string
	Exempt string

	// Of a run: names that lost their records by it, and names that lead to some again.
	Departed, Returned []Departed
	// Writes are the numbers of what was written for it where records come from.
	Writes []int64
	// Taken is what it took away, of a change that came by itself; nil: nothing counts.
	Taken *Taken
}

// Row is one thing that a revision holds: a document, or a record of a
// directory that comes from a source.
type Row struct {
	Key  Key
	Body []byte
}

// Key says what a row is. A document has a path alone; a record has a
// directory, a kind (user, group or device) and a name.
type Key struct{ Path, Directory, Kind, Name string }

func (k Key) compare(other Key) int {
	return cmp.Or(strings.Compare(k.Path, other.Path), strings.Compare(k.Directory, other.Directory),
		strings.Compare(k.Kind, other.Kind), strings.Compare(k.Name, other.Name))
}

// Head returns the newest revision; the zero Revision if there is none.
func (s *Store) Head(ctx context.Context) (Revision, error) {
	list, err := s.Revisions(ctx, 0, 1)
	if err != nil || len(list) == 0 {
		return Revision{}, err
	}
	return list[0], nil
}

// Revisions lists the newest revisions before one, the newest first; before 0 begins
// with the newest.
func (s *Store) Revisions(ctx context.Context, before, limit int) ([]Revision, error) {
	return s.revisions(ctx, `WHERE ?1 = 0 OR number < ?1 ORDER BY number DESC LIMIT ?2`, before, limit)
}

// Revision finds one by its number; ok is false if there is none.
func (s *Store) Revision(ctx context.Context, number int) (r Revision, ok bool, err error) {
	return firstOf(s.revisions(ctx, `WHERE number = ?`, number))
}

// RevisionByKey finds the one whose commit was asked for by a key.
func (s *Store) RevisionByKey(ctx context.Context, key string) (r Revision, ok bool, err error) {
	return firstOf(s.revisions(ctx, `WHERE key = ?`, key))
}

func firstOf[T any](list []T, err error) (first T, ok bool, _ error) {
	if err != nil || len(list) == 0 {
		return first, false, err
	}
	return list[0], true, nil
}

func (s *Store) revisions(ctx context.Context, which string, args ...any) ([]Revision, error) {
	return query(ctx, s, func(rows *sql.Rows, r *Revision) error {
		var at int64
		err := rows.Scan(&r.Number, &at, &r.Author, &r.Reason, &r.Trial, &r.Changes, &r.Reverts, &r.Overrides, &r.Key)
		r.At = moment(at)
		return err
	},
		`SELECT number, at, author, reason, coalesce(trial, ''), changes, coalesce(reverts, 0),
			coalesce(overrides, ''), coalesce(key, '') FROM revisions `+which, args...)
}

// Turn is a row that a revision wrote, with what stood there before and now; nil
// where nothing did.
type Turn struct {
	Key           Key
	Before, After []byte
}

// Turned lists the rows that a revision wrote, at most limit of them.
func (s *Store) Turned(ctx context.Context, revision, limit int) ([]Turn, error) {
	return query(ctx, s, func(rows *sql.Rows, t *Turn) error {
		return rows.Scan(&t.Key.Path, &t.Key.Directory, &t.Key.Kind, &t.Key.Name, &t.Before, &t.After)
	}, `SELECT path, '', '', '', max(CASE WHEN until = ?1 THEN content END), max(CASE WHEN since = ?1 THEN content END)
		FROM documents WHERE since = ?1 OR until = ?1 GROUP BY path
		UNION ALL
		SELECT '', directory, kind, name, max(CASE WHEN until = ?1 THEN body END), max(CASE WHEN since = ?1 THEN body END)
		FROM records WHERE since = ?1 OR until = ?1 GROUP BY directory, kind, name LIMIT ?2`, revision, limit)
}

// Load hands every row that holds in a revision to visit, documents first.
func (s *Store) Load(ctx context.Context, revision int, visit func(Row) error) error {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return s.explain(err)
	}
	err = load(ctx, tx, revision, visit)
	return errors.Join(s.explain(err), ignoreDone(tx.Rollback()))
}

// holding are the queries for what holds in a revision, documents first.
var holding = []string{
	`SELECT path, '', '', '', content FROM documents WHERE since <= ?1 AND (until IS NULL OR until > ?1)`,
	`SELECT '', directory, kind, name, body FROM records WHERE since <= ?1 AND (until IS NULL OR until > ?1)`,
}

func load(ctx context.Context, tx *sql.Tx, revision int, visit func(Row) error) error {
	for _, query := range holding {
		if err := loadSome(ctx, tx, query, revision, visit); err != nil {
			return err
		}
	}
	return nil
}

func loadSome(ctx context.Context, tx *sql.Tx, query string, revision int, visit func(Row) error) error {
	rows, err := tx.QueryContext(ctx, query, revision)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var r Row
		if err := rows.Scan(&r.Key.Path, &r.Key.Directory, &r.Key.Kind, &r.Key.Name, &r.Body); err != nil {
			return err
		}
		if err := visit(r); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Commit makes a revision that holds exactly these rows, whole or not at all.
// Where nothing differs from the newest revision, that one is returned and
// none is made.
func (s *Store) Commit(ctx context.Context, r Revision, rows []Row) (Revision, error) {
	err := s.within(ctx, func(tx *tx) error {
		head, err := newest(ctx, tx.Tx)
		if err != nil {
			return err
		}
		old := map[Key]string{}
		if err := load(ctx, tx.Tx, head, func(row Row) error { old[row.Key] = string(row.Body); return nil }); err != nil {
			return err
		}
		var put []Row
		for _, row := range rows {
			if body, ok := old[row.Key]; !ok || body != string(row.Body) {
				put = append(put, row)
			} else {
				delete(old, row.Key)
			}
		}
		if len(put)+len(old) == 0 && head > 0 {
			r.Number = head
			return nil
		}
		r.Number = head + 1
		return s.write(ctx, tx, r, put, slices.Collect(maps.Keys(old)))
	})
	return r, err
}
