package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// Backup writes a copy of the database into a new file, as it is at one moment,
// while it is used.
func (s *Store) Backup(ctx context.Context, file string) error {
	fresh, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, fs.ErrExist) {
		return &OpenError{file, "there is a file already; a backup takes a new one", nil}
	}
	if err != nil {
		return &OpenError{file, "it cannot be written", err}
	}
	if err := fresh.Close(); err != nil {
		return &OpenError{file, "it cannot be written", err}
	}
	_, err = s.db.ExecContext(ctx, `VACUUM INTO ?`, file)
	return s.explain(err)
}

// Folder is where the database lies.
func (s *Store) Folder() string { return filepath.Dir(s.path) }

// Restore puts a backup into a data folder that no process uses. A database that is
// there already is kept beside it where instead is said, and else refused. The error
// is an *OpenError, and then the folder is as it was.
func Restore(ctx context.Context, backup, folder string, instead bool) error {
	if err := private(folder); err != nil {
		return err
	}
	lock, err := take(folder)
	if err != nil {
		return err
	}
	defer func() { _ = lock.Close() }()
	target, fresh := filepath.Join(folder, "gatemap.db"), filepath.Join(folder, "gatemap.db.restored")
	_, err = os.Stat(target)
	there := err == nil
	if there && !instead {
		return &OpenError{folder, "there is a database in it; say --instead to put the backup in its place, which keeps the old one beside it", nil}
	}
	if err := copyFile(backup, fresh); err != nil {
		return &OpenError{backup, "it cannot be copied", err}
	}
	defer os.Remove(fresh)
	if err := whole(ctx, fresh); err != nil {
		return &OpenError{backup, "this is not a backup that can be used", err}
	}
	if there {
		for _, end := range []string{"", "-wal", "-shm"} {
			if err := os.Rename(target+end, target+".before-restore"+end); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return &OpenError{folder, "the old database cannot be put aside", err}
			}
		}
	}
	if err := os.Rename(fresh, target); err != nil {
		return &OpenError{folder, "the backup cannot be put in place", err}
	}
	return nil
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Sync(), out.Close())
}

// whole sees that a file is a sound database of ours.
func whole(ctx context.Context, file string) error {
	db, err := sql.Open("sqlite", "file:"+file+"?mode=ro")
	if err != nil {
		return err
	}
	defer db.Close()
	var answer string
	if err := db.QueryRowContext(ctx, `PRAGMA integrity_check(1)`).Scan(&answer); err != nil {
		return err
	}
	if answer != "ok" {
		return fmt.Errorf("the database is damaged: %s", answer)
	}
	var n int
	return db.QueryRowContext(ctx, `SELECT count(*) FROM revisions`).Scan(&n)
}
