package store

import (
	"context"
	"database/sql"
)

// Departed is a name that documents have, of a record of a source that is gone, with the
// identifier to which it led: another record that bears the name later is another one.
type Departed struct {
	Directory, Kind string
	Name            string // folded
	ID              string
}

// Departed lists what has departed from a directory.
func (s *Store) Departed(ctx context.Context, directory string) ([]Departed, error) {
	return query(ctx, s, func(rows *sql.Rows, d *Departed) error {
		return rows.Scan(&d.Directory, &d.Kind, &d.Name, &d.ID)
	}, `SELECT directory, kind, name, id FROM departed WHERE directory = ?`, directory)
}

// depart notes the names that a revision takes the records of, and forgets those that lead
// to something again.
func depart(ctx context.Context, tx *tx, r *Revision) error {
	for _, d := range r.Departed {
		if _, err := tx.ExecContext(ctx,
			`INSERT INTO departed (directory, kind, name, id) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING`, d.Directory, d.Kind,
			d.Name, d.ID); err != nil {
			return err
		}
	}
	for _, d := range r.Returned {
		if _, err := tx.ExecContext(ctx, `DELETE FROM departed WHERE directory = ? AND kind = ? AND name = ?`, d.Directory,
			d.Kind, d.Name); err != nil {
			return err
		}
	}
	return nil
}
