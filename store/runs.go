package store

import (
	"context"
	"database/sql"
	"time"
)

// Run is one run of an intake as it is logged.
type Run struct {
	ID        int64
	Directory string
	How       string // hand, schedule, stream, push or folder
	StartedBy string
	State     string
	Started   time.Time
	Ended     time.Time // zero: not yet
	Revision  int       // the one that it made; 0: none
	Report    []byte    // JSON
	Preview   []byte    // what it changes, packed; only written, and read by RunPreview
}

// BeginRun logs that a run begins, and gives it its number. entry is what the audit is
// to say of it, if it says anything.
func (s *Store) BeginRun(ctx context.Context, r *Run, entry func(id int64) *Entry) error {
	return s.within(ctx, func(tx *tx) error {
		if err := insertRun(ctx, tx, r); err != nil {
			return err
		}
		if e := entry(r.ID); e != nil {
			return s.audit(ctx, tx, *e)
		}
		return nil
	})
}

func insertRun(ctx context.Context, tx *tx, r *Run) error {
	result, err := tx.ExecContext(
		ctx,
		`INSERT INTO runs (directory, how, started_by, state, started, report) VALUES (?, ?, ?, ?, ?, ?)`,
		r.Directory,
		r.How,
		r.StartedBy,
		r.State,
		nanos(r.Started),
		r.Report,
	)
	if err != nil {
		return err
	}
	r.ID, err = result.LastInsertId()
	return err
}

// What the log of runs keeps.
const (
	keptRuns = 10_000
	keptFor  = 90 * 24 * time.Hour
)

// PruneRuns lets runs go that ended long ago, or have too many after them.
func (s *Store) PruneRuns(ctx context.Context, now time.Time) error {
	_, err := s.exec(
		ctx,
		`DELETE FROM runs WHERE ended IS NOT NULL AND (ended < ? OR id <= (SELECT max(id) FROM runs) - ?)`,
		nanos(now.Add(-keptFor)),
		keptRuns,
	)
	return err
}

// RemoveRun lets a run go.
func (s *Store) RemoveRun(ctx context.Context, id int64) error {
	_, err := s.exec(ctx, `DELETE FROM runs WHERE id = ?`, id)
	return err
}

// UpdateRun logs how far a run is, with entries of the audit. Without a preview the one that
// it has stays.
func (s *Store) UpdateRun(ctx context.Context, r *Run, entries ...Entry) error {
	var revision any
	if r.Revision > 0 {
		revision = r.Revision
	}
	return s.within(ctx, func(tx *tx) error {
		if _, err := tx.ExecContext(ctx,
			`UPDATE runs SET state = ?, ended = ?, revision = ?, report = ?, preview = coalesce(?, preview) WHERE id = ?`,
			r.State, orNull(r.Ended), revision, r.Report, r.Preview, r.ID); err != nil {
			return err
		}
		return s.auditAll(ctx, tx, entries)
	})
}

// Runs lists the newest runs before one, the newest first: of one directory, or
// of all where it is "". before 0 begins with the newest.
func (s *Store) Runs(ctx context.Context, directory string, before int64, limit int) ([]Run, error) {
	return s.runs(
		ctx,
		`SELECT id, directory, how, started_by, state, started, coalesce(ended, 0), coalesce(revision, 0), report FROM runs
		WHERE (?1 = '' OR directory = ?1) AND (?2 = 0 OR id < ?2) ORDER BY id DESC LIMIT ?3`,
		directory,
		before,
		limit,
	)
}

// Run is one run; ok is false if there is none with this number.
func (s *Store) Run(ctx context.Context, id int64) (r Run, ok bool, err error) {
	return firstOf(
		s.runs(
			ctx,
			`SELECT id, directory, how, started_by, state, started, coalesce(ended, 0), coalesce(revision, 0), report
				FROM runs WHERE id = ?1`,
			id,
		),
	)
}

// RunPreview is what a run changes, as it was written; nil where that is not kept.
func (s *Store) RunPreview(ctx context.Context, id int64) ([]byte, error) {
	preview, _, err := firstOf(
		query(
			ctx,
			s,
			func(rows *sql.Rows, p *[]byte) error { return rows.Scan(p) },
			`SELECT preview FROM runs WHERE id = ?`,
			id,
		),
	)
	return preview, err
}

// OpenRuns lists the runs that have not ended: after a start, those that a stop
// cut off.
func (s *Store) OpenRuns(ctx context.Context) ([]Run, error) {
	return s.runs(
		ctx,
		`SELECT id, directory, how, started_by, state, started, 0, 0, report FROM runs WHERE ended IS NULL ORDER BY id`,
	)
}

func (s *Store) runs(ctx context.Context, statement string, args ...any) ([]Run, error) {
	return query(ctx, s, func(rows *sql.Rows, r *Run) error {
		var started, ended int64
		err := rows.Scan(&r.ID, &r.Directory, &r.How, &r.StartedBy, &r.State, &started, &ended, &r.Revision, &r.Report)
		r.Started, r.Ended = moment(started), moment(ended)
		return err
	}, statement, args...)
}
