package workspace

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"gatemap/operator"
	"gatemap/service/audit"
)

// Backup writes a copy of the database, as it is at one moment.
func (s *Service) Backup(ctx context.Context, by operator.Actor, to io.Writer) error {
	// It is made beside the database, where there is room for it if anywhere.
	folder, err := os.MkdirTemp(s.store.Folder(), "backup-")
	if err != nil {
		return fmt.Errorf("no room for a backup: %w", err)
	}
	defer os.RemoveAll(folder)
	file := filepath.Join(folder, "gatemap.db")
	if err := s.Audit.Note(ctx, by, "backup", "", audit.Done, ""); err != nil {
		return err
	}
	if err := s.store.Backup(ctx, file); err != nil {
		return err
	}
	copied, err := os.Open(file)
	if err != nil {
		return err
	}
	_, err = io.Copy(to, copied)
	return errors.Join(err, copied.Close())
}
