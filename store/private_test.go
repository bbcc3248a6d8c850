package store_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/store"
)

// Others read nothing of a data folder, whatever the rights were before.
func TestADataFolderIsPrivate(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "data")
	rights := func() {
		t.Helper()
		require.NoError(t, filepath.WalkDir(folder, func(path string, e os.DirEntry, err error) error {
			require.NoError(t, err)
			info, err := e.Info()
			require.NoError(t, err)
			assert.Zero(t, info.Mode().Perm()&0o077, "%s has %v", path, info.Mode())
			return nil
		}))
	}
	for range 2 {
		s, err := store.Open(ctx, folder, "")
		require.NoError(t, err)
		_, err = s.Commit(ctx, store.Revision{Author: "a", Reason: "r"}, nil)
		require.NoError(t, err)
		rights() // of the database, its log and the lock, while they are used
		require.NoError(t, s.Backup(ctx, filepath.Join(folder, "gatemap.copy")))
		require.NoError(t, s.Close())
		rights()
		require.NoError(t, os.Remove(filepath.Join(folder, "gatemap.copy")))
		require.NoError(t, os.Chmod(folder, 0o755))
		require.NoError(t, os.Chmod(filepath.Join(folder, "gatemap.db"), 0o644))
	}
	require.NoError(t, os.Chmod(folder, 0o777|os.ModeSticky))
	_, err := store.Open(ctx, folder, "")
	assert.ErrorContains(t, err, "this folder is shared with others; name one of its own with --data")
}
