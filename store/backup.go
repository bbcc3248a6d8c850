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
	"strings"
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
	if _, err = s.db.ExecContext(ctx, `VACUUM INTO ?`, file); err != nil {
		return s.explain(err)
	}
	return s.signCopy(ctx, file)
}

// settingHead is where a backup keeps the head of its audit.
const settingHead = "audit-head"

// signCopy puts the signed head of its audit into a copy of the database.
func (s *Store) signCopy(ctx context.Context, file string) error {
	db, err := sql.Open("sqlite", uri(file))
	if err != nil {
		return err
	}
	copied := &Store{db: db, path: file, seal: s.seal, keyed: s.keyed}
	head, err := copied.newestHead(ctx)
	if err == nil {
		_, err = db.ExecContext(ctx, `INSERT OR REPLACE INTO settings (name, value) VALUES (?, ?)`, settingHead,
			head.String())
	}
	return errors.Join(copied.explain(err), db.Close())
}

// Folder is where the database lies.
func (s *Store) Folder() string { return filepath.Dir(s.path) }

// Restore puts a backup into a data folder that no process uses. A database that is
// there already is kept beside it where instead is said, and else refused. The seal of the
// backup must be of the folder's key (see Open). That it was restored is an entry of the
// audit. The error is an *OpenError, and then the folder is as it was, unless only that
// entry is missing.
func Restore(ctx context.Context, backup, folder, keyFile string, instead bool) error {
	if err := private(folder); err != nil {
		return err
	}
	lock, err := take(folder)
	if err != nil {
		return err
	}
	handed := false
	defer func() {
		if !handed {
			_ = lock.Close()
		}
	}()
	if err := finishRestore(folder); err != nil {
		return err
	}
	target, fresh := filepath.Join(folder, database), filepath.Join(folder, database+".restored")
	_, err = os.Stat(target)
	if err == nil && !instead {
		return &OpenError{folder,
			"there is a database in it; say --instead to put the backup in its place, which keeps the old one beside it", nil}
	}
	if err := copyFile(backup, fresh); err != nil {
		return &OpenError{backup, "it cannot be copied", err}
	}
	defer os.Remove(fresh)
	if err := whole(ctx, fresh); err != nil {
		return &OpenError{backup, "this is not a backup that can be used", err}
	}
	if err := sealFits(ctx, fresh, folder, keyFile); err != nil {
		return err
	}
	// From here on whoever opens the folder finishes what is not finished.
	if err := os.Rename(fresh, filepath.Join(folder, ready)); err != nil {
		return &OpenError{folder, "the backup cannot be put in place", err}
	}
	if err := finishRestore(folder); err != nil {
		return err
	}
	handed = true // to the store, which gives it back
	s, err := openLocked(ctx, folder, keyFile, lock)
	if err != nil {
		return err
	}
	head, err := s.newestHead(ctx)
	if err == nil {
		err = s.Audit(ctx, Entry{Actor: "host", Act: "restore", Result: "done",
			Detail: fmt.Sprintf("from %s, whose audit ended with entry %d", filepath.Base(backup), head.Number)})
	}
	return errors.Join(err, s.Close())
}

// The names of the database, and of a backup that is to take its place.
const (
	database = "gatemap.db"
	ready    = database + ".restore"
)

// finishRestore puts a backup that is ready in the place of the database. It may be cut
// off anywhere and be begun again.
func finishRestore(folder string) error {
	next := filepath.Join(folder, ready)
	if _, err := os.Stat(next); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	target, head := filepath.Join(folder, database), headFile(folder)
	if _, err := os.Stat(target); err == nil {
		// The database last: what else there is of it must never stand beside the new one.
		for _, file := range []string{target + "-wal", target + "-shm", head, target} {
			if err := os.Rename(file, file+".before-restore"); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return &OpenError{file, "it cannot be put aside", err}
			}
		}
	}
	if err := writeHeadOf(next, head); err != nil {
		return err
	}
	if err := os.Rename(next, target); err != nil {
		return &OpenError{folder, "the backup cannot be put in place", err}
	}
	return nil
}

// writeHeadOf takes the head of the audit out of a backup.
func writeHeadOf(backup, file string) error {
	text, err := settingOf(context.Background(), backup, settingHead)
	if err == nil && text != "" {
		err = os.WriteFile(file, []byte(text+"\n"), 0o600)
	}
	if err != nil {
		return &OpenError{backup, "the head of its audit cannot be put in place", err}
	}
	return nil
}

// sealFits sees that a backup was sealed with the key that a folder has.
func sealFits(ctx context.Context, backup, folder, keyFile string) error {
	mark, err := settingOf(ctx, backup, settingSeal)
	if err != nil || mark == "" {
		return err
	}
	raw, err := sealKey(folder, keyFile, false)
	if err != nil {
		return err
	}
	s, err := newSeal(raw)
	if err == nil && s.mark() != mark {
		err = &OpenError{backup, otherKey, nil}
	}
	return err
}

// settingOf reads a setting of a database that is not open; "" if it has none.
func settingOf(ctx context.Context, file, name string) (value string, err error) {
	db, err := sql.Open("sqlite", uri(file)+"?mode=ro")
	if err != nil {
		return "", err
	}
	defer db.Close()
	err = db.QueryRowContext(ctx, `SELECT value FROM settings WHERE name = ?`, name).Scan(&value)
	if errors.Is(err, sql.ErrNoRows) || err != nil && strings.Contains(err.Error(), "no such table") {
		return "", nil // a database of before
	}
	return value, err
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
	db, err := sql.Open("sqlite", uri(file)+"?mode=ro")
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
