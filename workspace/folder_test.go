package workspace_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/situation"
	"gatemap/demo"
	"gatemap/stage"
	"gatemap/workspace"
)

// openFolder opens a map folder as a command does.
func openFolder(t testing.TB, dir string) *workspace.Folder {
	t.Helper()
	files, err := connect.OpenFolder(dir)
	require.NoError(t, err)
	f, err := workspace.OpenFolder(t.Context(), dir, connect.Host{Files: files})
	require.NoError(t, err)
	return f
}

func demoMap(t testing.TB) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "map")
	require.NoError(t, os.CopyFS(dir, demo.Map()))
	return dir
}

// contents are the files of a folder, but for the lock.
func contents(t testing.TB, dir string) map[string]string {
	t.Helper()
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() || d.Name() == ".gatemap-lock" {
			return err
		}
		raw, err := os.ReadFile(path)
		all[path] = string(raw)
		return err
	}))
	return all
}

// Commands that work on a folder at once lose nothing of each other.
func TestManyAtAFolderLoseNothing(t *testing.T) {
	dir := demoMap(t)
	const many = 6
	var group sync.WaitGroup
	for i := range many {
		group.Go(func() {
			_, err := openFolder(t, dir).BeginTrial(t.Context(), fmt.Sprint("trial-", i), "", nil)
			assert.NoError(t, err)
		})
	}
	group.Wait()
	all, err := openFolder(t, dir).Trials(t.Context())
	require.NoError(t, err)
	assert.Len(t, all.Trials, many)

	staged := make([]bool, many)
	for i := range many {
		group.Go(func() {
			_, err := openFolder(
				t,
				dir,
			).Stage(t.Context(), "trial-0", stage.Change{Do: stage.SetGroup, Group: "night-crew", Field: "description", Value: fmt.Appendf(nil, `"version %d"`, i)})
			var moved *answer.MovedError
			staged[i] = err == nil
			assert.True(t, err == nil || errors.As(err, &moved), "%v", err)
		})
	}
	group.Wait()
	trial, err := openFolder(t, dir).Trial(t.Context(), "trial-0")
	require.NoError(t, err)
	count := 0
	for _, ok := range staged {
		if ok {
			count++
		}
	}
	assert.Positive(t, count)
	assert.Len(t, trial.Changes, count, "what was told to be staged is staged")
	assert.Equal(t, count+1, trial.Version)
}

// A commit writes what was looked at, or nothing: not where a file was changed meanwhile, and not
// where what changes stands in no file of the map.
func TestACommitWritesWhatWasLookedAt(t *testing.T) {
	dir := demoMap(t)
	f := openFolder(t, dir)
	_, err := f.BeginTrial(t.Context(), "season", "", nil)
	require.NoError(t, err)
	_, err = f.Stage(
		t.Context(),
		"season",
		stage.Change{Do: stage.SwitchLine, System: "core-net", List: "rules", Line: "nobody pings", Value: []byte(`"off"`)},
	)
	require.NoError(t, err)
	_, err = f.CommitTrial(t.Context(), "season", 1, "too early", "", "")
	var moved *answer.MovedError
	require.ErrorAs(t, err, &moved)

	file := filepath.Join(dir, "systems", "archive.yaml")
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append(raw, "# someone was here\n"...), 0o600))
	before := contents(t, dir)
	_, err = f.CommitTrial(t.Context(), "season", 2, "they may ping", "", "")
	var conflict *answer.ConflictError
	require.ErrorAs(t, err, &conflict)
	assert.Contains(t, err.Error(), "systems/archive.yaml was changed")
	assert.Equal(t, before, contents(t, dir))

	f = openFolder(t, dir)
	_, err = f.Stage(
		t.Context(),
		"season",
		stage.Change{Do: stage.SetUser, User: "ilse.okonjo", Attribute: "title", Value: []byte(`"Cook"`)},
	)
	require.NoError(t, err)
	before = contents(t, dir)
	_, err = f.CommitTrial(t.Context(), "season", 3, "with what comes from a source", "", "")
	require.ErrorAs(t, err, &conflict)
	assert.Contains(t, err.Error(), "sources of the folder")
	assert.Equal(t, before, contents(t, dir))

	_, err = f.Unstage(t.Context(), "season", 2)
	require.NoError(t, err)
	asked, err := f.Of(t.Context(), "season")
	require.NoError(t, err)
	tried, err := asked.Lines(t.Context(), "core-net")
	require.NoError(t, err)
	_, err = f.CommitTrial(t.Context(), "season", 4, "they may ping", "", "")
	require.NoError(t, err)
	again := openFolder(t, dir)
	asked, err = again.Of(t.Context(), "")
	require.NoError(t, err)
	after, err := asked.Lines(t.Context(), "core-net")
	require.NoError(t, err)
	assert.Equal(t, tried, after, "what was tried is what is in force")
	all, err := again.Trials(t.Context())
	require.NoError(t, err)
	assert.Empty(t, all.Trials)
	for path := range contents(t, dir) {
		assert.False(t, strings.HasPrefix(filepath.Base(path), ".gatemap-"), "%s is left", path)
	}
}

func TestAFolderRefusesWhatAServiceWould(t *testing.T) {
	f := openFolder(t, demoMap(t))
	_, err := f.BeginTrial(t.Context(), "season", "", nil)
	require.NoError(t, err)
	for _, call := range []func() error{
		func() error { _, err := f.BeginTrial(t.Context(), "no name", "", nil); return err },
		func() error { _, err := f.Stage(t.Context(), "season"); return err },
		func() error {
			_, err := f.Outcome(t.Context(), "season", situation.Situation{}, answer.Part{Limit: 1001})
			return err
		},
	} {
		var invalid *answer.InvalidError
		assert.ErrorAs(t, call(), &invalid)
	}
}
