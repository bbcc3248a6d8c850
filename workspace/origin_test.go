package workspace_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/service/intake"
	"gatemap/stage"
	"gatemap/store"
	"gatemap/workspace"
)

// A restart with a folder undoes nothing that was committed since, and takes what was
// changed in the folder alone.
func TestAFolderUndoesNothing(t *testing.T) {
	dir, data := t.TempDir(), t.TempDir()
	write := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "dome.yaml"), []byte(text), 0o600))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "gatemap.yaml"), []byte("title: Dome\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "people.csv"), []byte("name\nbo\n"), 0o600))
	const first = "directory: dome\nusers: [{userName: ilse}, {userName: teo}]\ngroups:\n  - {name: crew, members: {users: [ilse]}}\n---\ndirectory: club\nsource: {csv: {file: people.csv}, users: {name: name}}\n"
	write(first)
	var s *workspace.Service
	restart := func(insist bool) error {
		if s != nil {
			require.NoError(t, s.Close())
		}
		var err error
		s, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
		require.NoError(t, err)
		return s.Folders.Take(ctx, dir, "gatemap serve", insist)
	}
	defer func() { _ = s.Close() }()
	head := func() int { return s.Head().Revision.Number }
	require.NoError(t, restart(false))
	require.Equal(t, 1, head())
	require.NoError(t, restart(false))
	require.Equal(t, 1, head(), "nothing has changed")

	begin(t, s, "joins", stage.Change{Do: stage.Join, Group: "crew", Member: "teo"})
	require.NoError(t, commit(s, ada, "joins", ""))
	require.NoError(t, restart(false))
	assert.Equal(t, 2, head(), "the folder was not changed")
	assert.Contains(t, s.Head().Documents()["dome.yaml"], "teo]", "and undoes nothing")

	write(strings.Replace(first, "[ilse]", "[]", 1))
	err := restart(false)
	var moved *intake.FolderMovedError
	require.ErrorAs(t, err, &moved)
	assert.Equal(t, intake.FolderMovedError{Folder: dir, Since: 1, Head: 2}, *moved)
	for _, advice := range []string{"gatemap trial from", "gatemap export", "--take-folder"} {
		assert.ErrorContains(t, err, advice)
	}
	assert.Equal(t, 2, head(), "the service has what it had")
	log, err := s.Audit.List(ctx, store.Asked{Actor: "folder"}, 10, "")
	require.NoError(t, err)
	assert.Len(t, log.Entries, 1)

	require.NoError(t, restart(true))
	assert.Equal(t, 3, head())
	assert.Contains(t, s.Head().Revision.Reason, "in the place of revision 2")
	write(strings.Replace(first, "[ilse]", "[teo]", 1))
	require.NoError(t, restart(false), "only the folder has changed since")
	assert.Equal(t, 4, head())

	// What an intake brings in is no change of the files.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "people.csv"), []byte("name\nbo\nfreya\n"), 0o600))
	require.NoError(t, restart(false))
	assert.Equal(t, 5, head())
	write(first)
	require.NoError(t, restart(false))
	assert.Equal(t, 6, head())

	// A folder that was exported says itself where it came from.
	require.NoError(t, intake.WriteOrigin(dir, 6, s.Head().Documents()))
	begin(t, s, "joins", stage.Change{Do: stage.Join, Group: "crew", Member: "teo"})
	require.NoError(t, commit(s, ada, "joins", ""))
	write(strings.Replace(first, "[ilse]", "[]", 1))
	require.ErrorAs(t, restart(false), &moved)
	assert.Equal(t, 6, moved.Since)
	for path, text := range s.Head().Documents() {
		require.NoError(t, os.WriteFile(filepath.Join(dir, path), []byte(text), 0o600))
	}
	require.NoError(t, intake.WriteOrigin(dir, 7, s.Head().Documents()))
	write(strings.Replace(first, "[ilse]", "[]", 1))
	require.NoError(t, restart(false))
	assert.Equal(t, 8, head(), "it was exported again, then changed")
	require.NoError(t, restart(false))
	assert.Equal(t, 8, head())
}
