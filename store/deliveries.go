package store

import (
	"context"
	"database/sql"
	"time"
)

// Delivery is what is to be delivered to a linked system, or was.
type Delivery struct {
	ID       int64
	System   string
	Revision int
	How      string // hand, commit or time
	BegunBy  string
	State    string
	Began    time.Time
	Ended    time.Time // zero: not yet
	Report   []byte    // JSON
	Plan     []byte    // packed; DeliveryPlan reads it
}

// BeginDelivery logs a delivery, and gives it its number.
func (s *Store) BeginDelivery(ctx context.Context, d *Delivery, entries ...Entry) error {
	return s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(
			ctx,
			`INSERT INTO deliveries (system, revision, how, begun_by, state, began, ended, report, plan)
				VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			d.System,
			d.Revision,
			d.How,
			d.BegunBy,
			d.State,
			nanos(d.Began),
			orNull(d.Ended),
			d.Report,
			d.Plan,
		)
		if err != nil {
			return err
		}
		if d.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		return s.auditAll(ctx, tx, entries)
	})
}

// UpdateDelivery logs how far a delivery is, if its state is still one of some; moved says that it
// is another.
func (s *Store) UpdateDelivery(
	ctx context.Context,
	d *Delivery,
	from []string,
	entries ...Entry,
) (moved bool, err error) {
	err = s.within(ctx, func(tx *tx) error {
		var state string
		if err := tx.QueryRowContext(ctx, `SELECT state FROM deliveries WHERE id = ?`, d.ID).Scan(&state); err != nil {
			return err
		}
		moved = true
		for _, f := range from {
			moved = moved && f != state
		}
		if moved {
			return nil
		}
		if _, err := tx.ExecContext(ctx, `UPDATE deliveries SET state = ?, ended = ?, report = ? WHERE id = ?`, d.State,
			orNull(d.Ended), d.Report, d.ID); err != nil {
			return err
		}
		return s.auditAll(ctx, tx, entries)
	})
	return moved, err
}

func (s *Store) auditAll(ctx context.Context, tx *tx, entries []Entry) error {
	for _, e := range entries {
		if err := s.audit(ctx, tx, e); err != nil {
			return err
		}
	}
	return nil
}

const deliveryColumns = `SELECT id, system, revision, how, begun_by, state, began, coalesce(ended, 0), report
	FROM deliveries `

// Deliveries lists the newest deliveries before one, the newest first: of one system, or of all
// where it is "". before 0 begins with the newest.
func (s *Store) Deliveries(ctx context.Context, system string, before int64, limit int) ([]Delivery, error) {
	return s.deliveries(
		ctx,
		deliveryColumns+`WHERE (?1 = '' OR system = ?1) AND (?2 = 0 OR id < ?2) ORDER BY id DESC LIMIT ?3`,
		system,
		before,
		limit,
	)
}

// OpenDeliveries lists those that have not ended: that wait, or that a stop cut off.
func (s *Store) OpenDeliveries(ctx context.Context) ([]Delivery, error) {
	return s.deliveries(ctx, deliveryColumns+`WHERE ended IS NULL ORDER BY id`)
}

// Arrivals are, of each system, the first delivery after which it held what a revision says: one of
// it or of a later one.
func (s *Store) Arrivals(ctx context.Context, revision int) ([]Delivery, error) {
	return s.deliveries(ctx, deliveryColumns+`WHERE id IN
		(SELECT min(id) FROM deliveries WHERE revision >= ? AND state IN ('arrived', 'unchanged')
		GROUP BY system) ORDER BY system`, revision)
}

// Delivery is one of them; ok is false if there is none with this number.
func (s *Store) Delivery(ctx context.Context, id int64) (d Delivery, ok bool, err error) {
	return firstOf(s.deliveries(ctx, deliveryColumns+`WHERE id = ?`, id))
}

// DeliveryPlan is what a delivery was looked at with, packed.
func (s *Store) DeliveryPlan(ctx context.Context, id int64) ([]byte, error) {
	plan, _, err := firstOf(
		query(
			ctx,
			s,
			func(rows *sql.Rows, p *[]byte) error { return rows.Scan(p) },
			`SELECT plan FROM deliveries WHERE id = ?`,
			id,
		),
	)
	return plan, err
}

// PruneDeliveries lets deliveries go that ended long ago, or have too many after them.
func (s *Store) PruneDeliveries(ctx context.Context, now time.Time) error {
	_, err := s.exec(
		ctx,
		`DELETE FROM deliveries WHERE ended IS NOT NULL AND (ended < ? OR id <= (SELECT max(id) FROM deliveries) - ?)`,
		nanos(now.Add(-keptFor)),
		keptRuns,
	)
	return err
}

func (s *Store) deliveries(ctx context.Context, statement string, args ...any) ([]Delivery, error) {
	return query(ctx, s, func(rows *sql.Rows, d *Delivery) error {
		var began, ended int64
		err := rows.Scan(&d.ID, &d.System, &d.Revision, &d.How, &d.BegunBy, &d.State, &began, &ended, &d.Report)
		d.Began, d.Ended = moment(began), moment(ended)
		return err
	}, statement, args...)
}
