package store

import (
	"context"
	"database/sql"
	"errors"
)

// Setting gives a setting; "" if it was never set.
func (s *Store) Setting(ctx context.Context, name string) (string, error) {
	var value string
	err := s.db.QueryRowContext(ctx, `SELECT value FROM settings WHERE name = ?`, name).Scan(&value)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return value, s.explain(err)
}

// Set writes settings; where there are entries they are added to the audit with them.
func (s *Store) Set(ctx context.Context, values map[string]string, entries ...Entry) error {
	return s.within(ctx, func(tx *tx) error {
		for name, value := range values {
			if _, err := tx.ExecContext(ctx,
				`INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value`, name,
				value); err != nil {
				return err
			}
		}
		for _, e := range entries {
			if err := s.audit(ctx, tx, e); err != nil {
				return err
			}
		}
		return nil
	})
}
