package store_test

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"
	"pgregory.net/rapid"

	"gatemap/store"
)

var ctx = context.Background()

// Every revision reads back as it was committed, however many came after.
func TestRevisionsKeepWhatTheyHeld(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		s, err := store.Open(ctx, t.TempDir(), "")
		require.NoError(rt, err)
		defer s.Close()
		var kept []map[store.Key]string
		for range rapid.IntRange(1, 6).Draw(rt, "commits") {
			rows := map[store.Key]string{}
			for i := range rapid.IntRange(0, 5).Draw(rt, "rows") {
				key := store.Key{Path: fmt.Sprintf("f%d", i)}
				if i%2 == 1 {
					key = store.Key{Directory: "d", Kind: "user", Name: fmt.Sprintf("u%d", i)}
				}
				if rapid.Bool().Draw(rt, "there") {
					rows[key] = rapid.SampledFrom([]string{"{}", `{"a":1}`}).Draw(rt, "body")
				}
			}
			var list []store.Row
			for k, b := range rows {
				list = append(list, store.Row{Key: k, Body: []byte(b)})
			}
			r, err := s.Commit(ctx, store.Revision{At: time.Now(), Author: "a", Reason: "r"}, list)
			require.NoError(rt, err)
			if r.Number > len(kept) {
				kept = append(kept, rows)
			} else {
				assert.Equal(rt, kept[len(kept)-1], rows, "a revision was saved that was due")
			}
		}
		for i, want := range kept {
			got := map[store.Key]string{}
			require.NoError(rt, s.Load(ctx, i+1, func(r store.Row) error { got[r.Key] = string(r.Body); return nil }))
			assert.Equal(rt, want, got, "revision %d", i+1)
		}
		head, err := s.Head(ctx)
		require.NoError(rt, err)
		assert.Equal(rt, len(kept), head.Number)
	})
}

func direct(t *testing.T, folder string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(folder, "gatemap.db"))
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

func made(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	s, err := store.Open(ctx, folder, "")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	return folder
}

func TestANewerDatabaseIsRefused(t *testing.T) {
	folder := made(t)
	_, err := direct(t, folder).Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)`)
	require.NoError(t, err)
	_, err = store.Open(ctx, folder, "")
	assert.ErrorContains(t, err, "a newer gatemap made it (version 99")
}

func TestALockedDatabaseIsTold(t *testing.T) {
	folder := made(t)
	other := direct(t, folder)
	other.SetMaxOpenConns(1)
	for _, statement := range []string{"PRAGMA locking_mode=EXCLUSIVE", "BEGIN EXCLUSIVE"} {
		_, err := other.Exec(statement)
		require.NoError(t, err)
	}
	_, err := store.Open(ctx, folder, "")
	assert.ErrorContains(t, err, "another program holds a lock on the database")
}

func TestAPartOfACommitThatFailsUndoesAll(t *testing.T) {
	s, err := store.Open(ctx, t.TempDir(), "")
	require.NoError(t, err)
	defer s.Close()
	bad := store.Row{Key: store.Key{Directory: "d", Kind: "ghost", Name: "x"}, Body: []byte("{}")}
	_, err = s.Commit(
		ctx,
		store.Revision{At: time.Now()},
		[]store.Row{{Key: store.Key{Path: "f"}, Body: []byte("x")}, bad},
	)
	require.Error(t, err)
	head, err := s.Head(ctx)
	require.NoError(t, err)
	assert.Zero(t, head.Number)
}

// The log of runs keeps the newest, and those of the last months.
func TestOldRunsGo(t *testing.T) {
	s, err := store.Open(t.Context(), t.TempDir(), "")
	require.NoError(t, err)
	defer s.Close()
	now := time.Now()
	for i, ended := range []time.Time{now.AddDate(0, -4, 0), now.AddDate(0, -1, 0), {}} {
		r := store.Run{Directory: "club", How: "hand", State: "unchanged", Started: now, Report: []byte("{}")}
		require.NoError(t, s.BeginRun(t.Context(), &r, func(int64) *store.Entry { return nil }))
		require.EqualValues(t, i+1, r.ID)
		r.Ended = ended
		require.NoError(t, s.UpdateRun(t.Context(), &r))
	}
	require.NoError(t, s.PruneRuns(t.Context(), now))
	list, err := s.Runs(t.Context(), "", 0, 10)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.EqualValues(t, 2, list[1].ID, "the old one is gone; one that goes on stays")
}
