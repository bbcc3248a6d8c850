package store

import (
	"context"
	"database/sql"
	"fmt"
	"io/fs"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func opened(t *testing.T, folder string) *Store {
	t.Helper()
	s, err := Open(t.Context(), folder, filepath.Join(t.TempDir(), "seal"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// long is a write that lasts until it is let go, and has begun when long returns.
func long(t *testing.T, s *Store) (letGo func()) {
	t.Helper()
	begun, end, ended := make(chan struct{}), make(chan struct{}), make(chan error, 1)
	go func() {
		ended <- s.within(context.Background(), func(tx *tx) error {
			_, err := tx.Exec(`INSERT INTO settings (name, value) VALUES ('long', 'write')`)
			close(begun)
			<-end
			return err
		})
	}()
	<-begun
	return sync.OnceFunc(func() {
		close(end)
		require.NoError(t, <-ended)
	})
}

// Other writes wait for a long one, each for its turn, and all are done; who reads does not
// wait, and sees what was there before.
func TestOneWriter(t *testing.T) {
	s := opened(t, t.TempDir())
	_, err := s.Commit(t.Context(), Revision{At: time.Now()}, []Row{{Key{Path: "f"}, []byte("x")}})
	require.NoError(t, err)
	before, err := s.Entries(t.Context(), Asked{Limit: 100})
	require.NoError(t, err)
	letGo := long(t, s)
	const many = 20
	var all sync.WaitGroup
	failed := make([]error, many)
	for i := range many {
		all.Go(func() {
			if i%2 == 0 {
				failed[i] = s.Audit(context.Background(), Entry{Actor: "a", Act: "test", Object: fmt.Sprint(i), Result: "done"})
			} else {
				_, failed[i] = s.BeginSession(context.Background(), Session{User: "u", How: "test", Expires: time.Now().Add(time.Hour)})
			}
		})
	}
	value, err := s.Setting(t.Context(), "long")
	require.NoError(t, err)
	assert.Empty(t, value)
	rows := 0
	require.NoError(t, s.Load(t.Context(), 1, func(Row) error { rows++; return nil }))
	assert.Equal(t, 1, rows)
	during, err := s.Entries(t.Context(), Asked{Limit: 100})
	require.NoError(t, err)
	assert.Equal(t, before, during)
	letGo()
	all.Wait()
	for _, err := range failed {
		assert.NoError(t, err)
	}
	after, err := s.Entries(t.Context(), Asked{Limit: 100})
	require.NoError(t, err)
	assert.Len(t, after, len(before)+many/2)
	_, err = s.Verify(t.Context(), "")
	assert.NoError(t, err)
}

// A write that has waited as long as it may, or whose caller has gone, is not done.
func TestAWriteThatGivesUp(t *testing.T) {
	s := opened(t, t.TempDir())
	letGo := long(t, s)
	defer letGo()
	gone, leave := context.WithCancel(t.Context())
	leave()
	assert.ErrorIs(t, s.Set(gone, map[string]string{"x": "gone"}), context.Canceled)
	defer func(was time.Duration) { longestWait = was }(longestWait)
	longestWait = 10 * time.Millisecond
	assert.ErrorIs(t, s.Set(t.Context(), map[string]string{"x": "late"}), context.DeadlineExceeded)
	letGo()
	value, err := s.Setting(t.Context(), "x")
	require.NoError(t, err)
	assert.Empty(t, value)
}

// Entries are found by when they were, also where that has fewer digits.
func TestEntriesByTime(t *testing.T) {
	s := opened(t, t.TempDir())
	at := time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)
	moments := []time.Time{
		at,
		at.Add(time.Millisecond),
		at.Add(100 * time.Millisecond),
		at.Add(999999999),
		at.Add(time.Second),
		at.Add(time.Second + 1),
	}
	for _, m := range moments {
		require.NoError(t, s.Audit(t.Context(), Entry{At: m, Actor: "a", Act: "test", Result: "done"}))
	}
	for i, from := range moments {
		for j, to := range moments {
			list, err := s.Entries(t.Context(), Asked{From: from, To: to, OldestFirst: true, Limit: 10})
			require.NoError(t, err)
			var want, got []time.Time
			if i < j {
				want = moments[i:j]
			}
			for _, e := range list {
				got = append(got, e.At)
			}
			assert.Equal(t, want, got, "%s to %s", from, to)
		}
	}
}

// Of two admins, only one can cease to be one, however close together both are.
func TestAnAdminStays(t *testing.T) {
	for range 20 {
		s := opened(t, t.TempDir())
		var all sync.WaitGroup
		failed := make([]error, 2)
		for i := range failed {
			require.NoError(
				t,
				s.CreateOperator(
					t.Context(),
					&Operator{Name: fmt.Sprint("o", i), Role: admin, Created: time.Now()},
					Entry{Actor: "a", Act: "operator", Result: "done"},
				),
			)
		}
		for i := range failed {
			all.Go(func() {
				o, _, err := s.Operator(context.Background(), fmt.Sprint("o", i))
				if o.Inactive = i == 0; err == nil && i == 0 {
					err = s.UpdateOperator(context.Background(), &o, Entry{Actor: "a", Act: "operator", Result: "done"})
				} else if err == nil {
					err = s.RemoveOperator(context.Background(), o.Name, Entry{Actor: "a", Act: "operator", Result: "done"})
				}
				failed[i] = err
			})
		}
		all.Wait()
		assert.True(t, (failed[0] == nil) != (failed[1] == nil), "%v", failed)
		for _, err := range failed {
			if err != nil {
				assert.ErrorIs(t, err, ErrLastAdmin)
			}
		}
	}
}

// A database whose times are text is read as it was, and its audit holds; and back again.
func TestTimesOfAnOlderDatabase(t *testing.T) {
	folder := t.TempDir()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(folder, database))
	require.NoError(t, err)
	files, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	older, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	require.NoError(t, err)
	_, err = older.UpTo(t.Context(), 11)
	require.NoError(t, err)
	whole, fine := time.Date(2026, 3, 29, 1, 30, 0, 0, time.UTC), time.Date(2026, 3, 29, 1, 30, 0, 120_000_000, time.UTC)
	text := func(t time.Time) string { return t.Format(time.RFC3339Nano) }
	for _, statement := range []string{
		`INSERT INTO revisions (number, at, author, reason) VALUES (1, '` + text(whole) + `', 'a', 'r')`,
		`INSERT INTO trials (name, note, author, created, base, version, changes) VALUES ('t', '', 'a', '` + text(whole) + `', 1, 1, x'5b5d')`,
		`INSERT INTO operators (name, role, display, created) VALUES ('o', 'admin', '', '` + text(whole) + `')`,
		`INSERT INTO tokens (hash, name, role, created, author, expires, owner) VALUES (x'01', 'ends', 'admin', '` + text(whole) + `', 'a', '` + text(whole) + `', 'host'), (x'02', 'stays', 'admin', '` + text(whole) + `', 'a', NULL, 'host')`,
		`INSERT INTO runs (directory, how, state, started, ended, report) VALUES ('d', 'hand', 'committed', '` + text(fine) + `', '` + text(whole) + `', x'7b7d'), ('d', 'hand', 'reading', '` + text(fine) + `', NULL, x'7b7d')`,
		`INSERT INTO taken (directory, at, what) VALUES ('d', ` + fmt.Sprint(fine.UnixMicro()) + `, x'7b7d')`,
	} {
		_, err := db.Exec(statement)
		require.NoError(t, err, statement)
	}
	plain, before := &Store{keyed: 1 << 40}, []byte(nil)
	moments := []time.Time{whole, fine, fine.Add(3), whole.Add(time.Hour)}
	for i, at := range moments {
		e := Entry{Number: int64(i + 1), At: at, Actor: "a", Act: "test", Result: "done"}
		before, err = plain.chained(&e, before)
		require.NoError(t, err)
		_, err = db.Exec(
			`INSERT INTO audit (number, at, actor, act, object, result, detail, origin, hash) VALUES (?, ?, 'a', 'test', '', 'done', '', '', ?)`,
			i+1,
			text(at),
			before,
		)
		require.NoError(t, err)
	}
	require.NoError(t, db.Close())

	s := opened(t, folder)
	_, err = s.Verify(t.Context(), "")
	require.NoError(t, err)
	entries, err := s.Entries(t.Context(), Asked{OldestFirst: true, Limit: 4})
	require.NoError(t, err)
	for i, e := range entries {
		assert.Equal(t, moments[i], e.At)
	}
	revision, _, err := s.Revision(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, whole, revision.At)
	trial, _, err := s.Trial(t.Context(), "T")
	require.NoError(t, err)
	assert.Equal(t, whole, trial.Created)
	o, _, err := s.Operator(t.Context(), "o")
	require.NoError(t, err)
	assert.Equal(t, whole, o.Created)
	keys, err := s.Tokens(t.Context())
	require.NoError(t, err)
	for _, k := range keys.All() {
		assert.Equal(t, whole, k.Created)
		assert.Equal(t, k.Name == "ends", k.Expires.Equal(whole))
		assert.Equal(t, k.Name == "stays", k.Holds(time.Now()))
	}
	runs, err := s.Runs(t.Context(), "", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, []time.Time{fine, fine}, []time.Time{runs[0].Started, runs[1].Started})
	assert.Equal(t, []time.Time{{}, whole}, []time.Time{runs[0].Ended, runs[1].Ended})
	taken, err := s.Taken(t.Context(), "d", fine)
	require.NoError(t, err)
	require.Len(t, taken, 1)
	assert.Equal(t, fine, taken[0].At)

	back, err := goose.NewProvider(goose.DialectSQLite3, s.db, files)
	require.NoError(t, err)
	_, err = back.DownTo(t.Context(), 11)
	require.NoError(t, err)
	for i, at := range moments {
		var was string
		require.NoError(t, s.db.QueryRow(`SELECT at FROM audit WHERE number = ?`, i+1).Scan(&was))
		assert.Equal(t, text(at), was)
	}
	_, err = s.db.Exec(`UPDATE audit SET actor = 'b'`)
	assert.ErrorContains(t, err, "only added to")
}

// A data folder may be called anything that a folder may be called.
func TestAFolderOfAnyName(t *testing.T) {
	for _, named := range []string{"a#1", "a?mode=ro", "100%", "a%20b", "ünd so"} {
		folder, seal := filepath.Join(t.TempDir(), named), filepath.Join(t.TempDir(), "seal")
		s, err := Open(t.Context(), folder, seal)
		require.NoError(t, err)
		require.NoError(t, s.Set(t.Context(), map[string]string{"here": named}))
		require.NoError(t, s.Backup(t.Context(), filepath.Join(t.TempDir(), "copy#1")))
		require.NoError(t, s.Close())
		require.FileExists(t, filepath.Join(folder, database))
		s, err = Open(t.Context(), folder, seal)
		require.NoError(t, err)
		value, err := s.Setting(t.Context(), "here")
		require.NoError(t, err)
		require.NoError(t, s.Close())
		require.Equal(t, named, value)
	}
}
