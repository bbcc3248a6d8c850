package store_test

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/store"
)

// filled is a closed data folder with some entries in its audit, and an operator with a
// second factor.
func filled(t *testing.T) (folder string, head string) {
	t.Helper()
	folder = filepath.Join(t.TempDir(), "data")
	s, err := store.Open(t.Context(), folder, "")
	require.NoError(t, err)
	require.Empty(t, s.Trouble)
	o := store.Operator{Name: "edda", Role: "admin", TOTP: "JBSWY3DPEHPK3PXP", Created: time.Now()}
	require.NoError(
		t,
		s.CreateOperator(t.Context(), &o, store.Entry{Actor: "host", Act: "operator", Object: "edda", Result: "done"}),
	)
	for range 5 {
		require.NoError(t, s.Audit(t.Context(), store.Entry{Actor: "edda", Act: "sign-in", Result: "done"}))
	}
	h, err := s.Verify(t.Context(), "")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	return folder, h.String()
}

// tamper changes a database that is closed, as someone does who has the file.
func tamper(t *testing.T, folder string, statements ...string) {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(folder, "gatemap.db"))
	require.NoError(t, err)
	for _, statement := range append([]string{`DROP TRIGGER IF EXISTS audit_stays; DROP TRIGGER IF EXISTS audit_keeps`}, statements...) {
		_, err = db.Exec(statement)
		require.NoError(t, err)
	}
	require.NoError(t, db.Close())
}

// copied copies the files of a folder, as an attacker or a disk snapshot does.
func copied(t *testing.T, from string) string {
	to := filepath.Join(t.TempDir(), "data")
	require.NoError(t, os.CopyFS(to, os.DirFS(from)))
	return to
}

// Whoever has the files of a data folder, or a backup, has no second factor of anyone.
func TestSecretsAreSealed(t *testing.T) {
	folder, _ := filled(t)
	s, err := store.Open(t.Context(), folder, "")
	require.NoError(t, err)
	backup := filepath.Join(t.TempDir(), "backup.db")
	require.NoError(t, s.Backup(t.Context(), backup))
	o, _, err := s.Operator(t.Context(), "edda")
	require.NoError(t, err)
	assert.Equal(t, "JBSWY3DPEHPK3PXP", o.TOTP)
	require.NoError(t, s.Close())
	key, err := os.ReadFile(store.KeyFile(folder))
	require.NoError(t, err)
	files, err := filepath.Glob(folder + "/*")
	require.NoError(t, err)
	for _, file := range append(files, backup) {
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.NotContains(t, string(raw), "JBSWY3DPEHPK3PXP", file)
		assert.NotContains(t, string(raw), strings.TrimSpace(string(key)), file)
	}
	info, err := os.Stat(store.KeyFile(folder))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	// A second factor that is moved to another operator opens nothing.
	tamper(
		t,
		folder,
		`INSERT INTO operators (name, role, display, totp, created) SELECT 'eve', 'admin', '', totp, created FROM operators`,
	)
	s, err = store.Open(t.Context(), folder, "")
	require.NoError(t, err)
	_, _, err = s.Operator(t.Context(), "eve")
	assert.ErrorContains(t, err, "a secret of eve is not what was sealed")
	require.NoError(t, s.Close())
}

func TestTheKeyOfTheSeal(t *testing.T) {
	folder, _ := filled(t)
	other := filepath.Join(t.TempDir(), "other.seal")
	fresh, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "fresh"), other)
	require.NoError(t, err, "a key is made where a database has none")
	require.NoError(t, fresh.Close())
	_, err = store.Open(t.Context(), folder, other)
	assert.ErrorContains(t, err, "it was sealed with another key; name the file of its key with --seal-key")
	_, err = store.Open(t.Context(), folder, filepath.Join(t.TempDir(), "none"))
	assert.ErrorContains(t, err, "name the file with --seal-key")
	_, err = store.Open(t.Context(), folder, filepath.Join(folder, "gatemap.lock"))
	assert.ErrorContains(t, err, "lies in the data folder")
	key, err := os.ReadFile(store.KeyFile(folder))
	require.NoError(t, err)
	require.NoError(t, os.Remove(store.KeyFile(folder)))
	t.Setenv(store.SealVariable, string(key))
	s, err := store.Open(t.Context(), folder, "")
	require.NoError(t, err, "the key may be in the environment instead")
	require.NoError(t, s.Close())
	t.Setenv(store.SealVariable, "c2hvcnQ=")
	_, err = store.Open(t.Context(), folder, "")
	assert.ErrorContains(t, err, "this is no key of a seal")
}

// Where the key is lost, another one can take its place; what it kept is lost, and told.
func TestALostKeyIsReplaced(t *testing.T) {
	folder, head := filled(t)
	require.NoError(t, os.Remove(store.KeyFile(folder)))
	_, err := store.Open(t.Context(), folder, "")
	require.ErrorContains(t, err, "the key of its seal is not in")
	factors, err := store.ReplaceSeal(t.Context(), folder, "")
	require.NoError(t, err)
	assert.Equal(t, int64(1), factors)
	s, err := store.Open(t.Context(), folder, "")
	require.NoError(t, err)
	assert.Empty(t, s.Trouble)
	o, _, err := s.Operator(t.Context(), "edda")
	require.NoError(t, err)
	assert.Empty(t, o.TOTP)
	h, err := s.Verify(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, int64(7), h.Number, "with the entry that tells it")
	_, err = s.Verify(t.Context(), head)
	assert.ErrorContains(t, err, "not signed with the key", "a head of before is of no use any more")
	require.NoError(t, s.Close())
	tamper(t, folder, `UPDATE audit SET actor = 'x' WHERE number = 7`)
	s, err = store.Open(t.Context(), folder, "")
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Verify(t.Context(), "")
	assert.Error(t, err)
}

// Whoever rewrites the audit without the key is found out, even where all hashes are
// computed anew; and so is who removes the newest entries, or puts an older database back.
func TestTheAuditIsSigned(t *testing.T) {
	rehash := func(t *testing.T, folder string) {
		db, err := sql.Open("sqlite", filepath.Join(folder, "gatemap.db"))
		require.NoError(t, err)
		defer db.Close()
		rows, err := db.Query(`SELECT number, at, actor, act, object, result, detail, origin FROM audit ORDER BY number`)
		require.NoError(t, err)
		hashes := map[int64][]byte{}
		var before []byte
		for rows.Next() {
			var n int64
			v := make([]string, 7)
			require.NoError(t, rows.Scan(&n, &v[0], &v[1], &v[2], &v[3], &v[4], &v[5], &v[6]))
			raw, err := json.Marshal([]any{n, v[0], v[1], v[2], v[3], v[4], v[5], v[6]})
			require.NoError(t, err)
			sum := sha256.Sum256(append(before, raw...))
			before = sum[:]
			hashes[n] = before
		}
		require.NoError(t, rows.Err())
		for n, h := range hashes {
			_, err := db.Exec(`UPDATE audit SET hash = ? WHERE number = ?`, h, n)
			require.NoError(t, err)
		}
	}
	for name, c := range map[string]struct {
		attack  func(t *testing.T, folder string)
		trouble string // told at the next start
		broken  bool
	}{
		"an entry is changed": {func(t *testing.T, f string) { tamper(t, f, `UPDATE audit SET actor = 'x' WHERE number = 2`) }, "", true},
		"the chain is computed anew": {func(t *testing.T, f string) {
			tamper(t, f, `UPDATE audit SET actor = 'x' WHERE number = 2`)
			rehash(t, f)
		}, "entry 6 is another than it was", true},
		"and the seal is said to be newer": {func(t *testing.T, f string) {
			tamper(t, f, `UPDATE settings SET value = 99 WHERE name = 'audit-keyed-from'`)
			rehash(t, f)
		}, "entry 6 is another than it was", true},
		"the newest entries are removed": {func(t *testing.T, f string) { tamper(t, f, `DELETE FROM audit WHERE number > 3`) }, "the audit ends before entry 6", false},
		"all entries are removed":        {func(t *testing.T, f string) { tamper(t, f, `DELETE FROM audit`) }, "the audit ends before entry 6", false},
		"the head is removed":            {func(t *testing.T, f string) { require.NoError(t, os.Remove(filepath.Join(f, "gatemap.head"))) }, "the head of the audit is gone", false},
		"entries are removed, and the head is new": {func(t *testing.T, f string) {
			tamper(t, f, `DELETE FROM audit WHERE number > 3`)
			require.NoError(t, os.WriteFile(filepath.Join(f, "gatemap.head"), []byte("3-00-"+strings.Repeat("0", 64)), 0o600))
		}, "not signed with the key", false},
	} {
		t.Run(name, func(t *testing.T) {
			folder, head := filled(t)
			c.attack(t, folder)
			s, err := store.Open(t.Context(), folder, "")
			require.NoError(t, err)
			if c.trouble == "" {
				assert.Empty(t, s.Trouble)
			} else {
				assert.Contains(t, s.Trouble, c.trouble)
				list, err := s.Entries(t.Context(), store.Asked{Limit: 1})
				require.NoError(t, err)
				assert.Equal(t, "audit check", list[0].Act)
			}
			_, err = s.Verify(t.Context(), "")
			assert.Equal(t, c.broken, err != nil, err)
			_, err = s.Verify(t.Context(), head)
			if name != "the head is removed" {
				var broken *store.BrokenError
				assert.ErrorAs(t, err, &broken, "against a head that was kept")
			}
			require.NoError(t, s.Close())
			s, err = store.Open(t.Context(), folder, "")
			require.NoError(t, err)
			assert.Empty(t, s.Trouble, "it is told once")
			require.NoError(t, s.Close())
		})
	}
	t.Run("an older database is put back", func(t *testing.T) {
		folder, _ := filled(t)
		older := copied(t, folder)
		s, err := store.Open(t.Context(), folder, "")
		require.NoError(t, err)
		require.NoError(t, s.Audit(t.Context(), store.Entry{Actor: "edda", Act: "sign-in", Result: "done"}))
		h, err := s.Verify(t.Context(), "")
		require.NoError(t, err)
		require.NoError(t, s.Close())
		raw, err := os.ReadFile(filepath.Join(older, "gatemap.db"))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(folder, "gatemap.db"), raw, 0o600))
		s, err = store.Open(t.Context(), folder, "")
		require.NoError(t, err)
		defer s.Close()
		assert.Contains(t, s.Trouble, "the audit ends before entry 7")
		_, err = s.Verify(t.Context(), h.String())
		assert.ErrorContains(t, err, "entry 7 is another than it was")
	})
}

// A restore that is cut off anywhere is finished at the next start: at no moment is there
// no database, or a log beside a database that it is not of.
func TestARestoreIsAtomic(t *testing.T) {
	folder, _ := filled(t)
	s, err := store.Open(t.Context(), folder, "")
	require.NoError(t, err)
	backup := filepath.Join(t.TempDir(), "backup.db")
	require.NoError(t, s.Backup(t.Context(), backup))
	o := store.Operator{Name: "later", Role: "viewer", Created: time.Now()}
	require.NoError(t, s.CreateOperator(t.Context(), &o, store.Entry{Actor: "edda", Act: "operator", Result: "done"}))
	live := copied(t, folder) // with its log
	require.NoError(t, s.Close())
	raw, err := os.ReadFile(store.KeyFile(folder))
	require.NoError(t, err)
	key := filepath.Join(t.TempDir(), "key")
	require.NoError(t, os.WriteFile(key, raw, 0o600))
	require.FileExists(t, filepath.Join(live, "gatemap.db-wal"))

	// Every state on the way, by the files that a cut-off restore has moved already.
	moves := [][2]string{
		{"gatemap.db-wal", "gatemap.db-wal.before-restore"}, {"gatemap.db-shm", "gatemap.db-shm.before-restore"},
		{"gatemap.head", "gatemap.head.before-restore"}, {"gatemap.db", "gatemap.db.before-restore"},
	}
	for n := range len(moves) + 1 {
		at := copied(t, live)
		content, err := os.ReadFile(backup)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(at, "gatemap.db.restore"), content, 0o600))
		for _, move := range moves[:n] {
			require.NoError(t, os.Rename(filepath.Join(at, move[0]), filepath.Join(at, move[1])))
		}
		s, err := store.Open(t.Context(), at, key)
		require.NoError(t, err, "after %d moves", n)
		_, later, err := s.Operator(t.Context(), "later")
		require.NoError(t, err)
		_, edda, err := s.Operator(t.Context(), "edda")
		require.NoError(t, err)
		assert.True(t, edda && !later, "after %d moves: the database is the backup", n)
		assert.Empty(t, s.Trouble, "after %d moves", n)
		require.NoError(t, s.Close())
		assert.FileExists(t, filepath.Join(at, "gatemap.db.before-restore"))
		assert.NoFileExists(t, filepath.Join(at, "gatemap.db.restore"))
	}
	// A copy that was not whole yet is nothing.
	at := copied(t, live)
	require.NoError(t, os.WriteFile(filepath.Join(at, "gatemap.db.restored"), []byte("half"), 0o600))
	s, err = store.Open(t.Context(), at, key)
	require.NoError(t, err)
	_, later, err := s.Operator(t.Context(), "later")
	require.NoError(t, err)
	assert.True(t, later)
	require.NoError(t, s.Close())

	// In one go: it is an entry of the audit, and takes the key.
	other := filepath.Join(t.TempDir(), "other")
	fresh, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "fresh"), other)
	require.NoError(t, err)
	require.NoError(t, fresh.Close())
	assert.ErrorContains(t, store.Restore(t.Context(), backup, at, other, true), "sealed with another key")
	require.NoError(t, store.Restore(t.Context(), backup, at, key, true))
	s, err = store.Open(t.Context(), at, key)
	require.NoError(t, err)
	defer s.Close()
	list, err := s.Entries(context.Background(), store.Asked{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, "restore", list[0].Act)
	assert.Contains(t, list[0].Detail, "backup.db, whose audit ended with entry 6")
}
