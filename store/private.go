package store

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// private makes a data folder, or sees that nobody but its owner can look into one that
// is there: what others can read is put right. The error is an *OpenError.
func private(folder string) error {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return &OpenError{folder, "the folder cannot be made", err}
	}
	info, err := os.Stat(folder)
	if err != nil {
		return &OpenError{folder, "the folder cannot be read", err}
	}
	if info.Mode()&fs.ModeSticky != 0 {
		return &OpenError{folder, "this folder is shared with others; name one of its own with --data", nil}
	}
	if err := closed(folder, info, 0o700); err != nil {
		return err
	}
	entries, err := os.ReadDir(folder)
	if err != nil {
		return &OpenError{folder, "the folder cannot be read", err}
	}
	for _, e := range entries {
		if !strings.HasPrefix(e.Name(), "gatemap.") || !e.Type().IsRegular() {
			continue
		}
		info, err := e.Info()
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err == nil {
			err = closed(filepath.Join(folder, e.Name()), info, 0o600)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// closed sees that others have no rights on a file.
func closed(path string, info fs.FileInfo, mode fs.FileMode) error {
	if info.Mode().Perm()&0o077 == 0 {
		return nil
	}
	if err := os.Chmod(path, mode); err != nil {
		return &OpenError{
			path,
			"others can read it, and that cannot be changed; give it the rights " + mode.String()[1:],
			err,
		}
	}
	return nil
}
