// Package store keeps the map's revisions, and the tokens that open the
// service, in an SQLite database in a folder of its own. It compiles nothing.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/gofrs/flock"
	"github.com/pressly/goose/v3"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is an open data folder. It is safe for use by many.
type Store struct {
	db       *sql.DB
	writer   writer
	lock     *flock.Flock
	path     string
	seal     *seal
	keyed    int64 // the first entry of the audit that is signed with the key of the seal
	taken    int64 // the last entry that was signed with a key that was lost
	heads    heads
	looked   sync.Mutex
	lookedAt time.Time
	writable error

	fresh bool // the database has its seal since it was opened

	// Trouble says in what the audit does not go on from the head that was kept beside
	// the database when it was opened; "" if it does.
	Trouble string
}

// OpenError says why a data folder cannot be used, and what to do.
type OpenError struct {
	Path   string
	Reason string
	Err    error
}

func (e *OpenError) Error() string {
	if e.Err == nil {
		return fmt.Sprintf("the data in %s cannot be used: %s", e.Path, e.Reason)
	}
	return fmt.Sprintf("the data in %s cannot be used: %s (%v)", e.Path, e.Reason, e.Err)
}

func (e *OpenError) Unwrap() error { return e.Err }

// Open opens the data folder, creates it if there is none, and upgrades its
// database. Only one process can have a folder open. The key of its seal is taken from
// the environment (SealVariable), or from a file; "" is KeyFile. The error is an
// *OpenError.
func Open(ctx context.Context, folder, keyFile string) (*Store, error) {
	if err := private(folder); err != nil {
		return nil, err
	}
	lock, err := take(folder)
	if err != nil {
		return nil, err
	}
	if err := finishRestore(folder); err != nil {
		return nil, errors.Join(err, lock.Unlock())
	}
	s, err := openLocked(ctx, folder, keyFile, lock)
	if err == nil {
		s.Trouble, err = s.checkHead(ctx)
	}
	if err != nil {
		if s != nil {
			_ = s.Close()
		}
		return nil, err
	}
	return s, nil
}

// openLocked opens a data folder whose lock is held; where it fails it gives that back.
func openLocked(ctx context.Context, folder, keyFile string, lock *flock.Flock) (*Store, error) {
	s := &Store{
		writer: make(writer, 1),
		lock:   lock,
		path:   filepath.Join(folder, database),
		heads:  heads{file: headFile(folder)},
	}
	err := s.open(ctx)
	if err == nil {
		err = s.unseal(ctx, keyFile)
	}
	if err != nil {
		_ = s.Close()
		return nil, s.explain(err)
	}
	return s, nil
}

// take takes the lock of a data folder.
func take(folder string) (*flock.Flock, error) {
	lock := flock.New(filepath.Join(folder, "gatemap.lock"))
	switch held, err := lock.TryLock(); {
	case err != nil:
		return nil, &OpenError{folder, "it cannot be locked", err}
	case !held:
		return nil, &OpenError{folder, "another gatemap uses it; stop that one, or name another folder with --data", nil}
	}
	return lock, nil
}

// Remove throws a data folder away, unless a process has it open. The error is
// an *OpenError.
func Remove(folder string) error {
	if _, err := os.Stat(folder); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	lock, err := take(folder)
	if err != nil {
		return err
	}
	defer func() { _ = lock.Close() }()
	if err := os.RemoveAll(folder); err != nil {
		return &OpenError{folder, "it cannot be removed", err}
	}
	return nil
}

func (s *Store) open(ctx context.Context) error {
	// SQLite gives its files the rights of the database.
	fresh, err := os.OpenFile(s.path, os.O_CREATE|os.O_RDONLY, 0o600)
	if err != nil {
		return &OpenError{s.path, "the database cannot be written; look at the rights on the folder", err}
	}
	if err := fresh.Close(); err != nil {
		return err
	}
	db, err := sql.Open("sqlite", uri(s.path)+
		"?_pragma=busy_timeout(3000)&_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)"+
		"&_pragma=synchronous(FULL)&_txlock=immediate")
	if err != nil {
		return err
	}
	s.db = db
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		return err
	}
	have, err := provider.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	sources := provider.ListSources()
	if newest := sources[len(sources)-1].Version; have > newest {
		return &OpenError{
			s.path,
			fmt.Sprintf(
				"a newer gatemap made it (version %d of the database, this one knows %d); install that one",
				have,
				newest,
			),
			nil,
		}
	}
	_, err = provider.Up(ctx)
	return err
}

// explain puts what SQLite says into words that say what to do.
func (s *Store) explain(err error) error {
	var open *OpenError
	if err == nil || errors.As(err, &open) {
		return err
	}
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	var e *sqlite.Error
	if !errors.As(err, &e) {
		return &OpenError{s.path, "the database fails", err}
	}
	switch e.Code() & 0xff {
	case sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_CORRUPT:
		return &OpenError{s.path, damaged, err}
	case sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED:
		return &OpenError{s.path, "another program holds a lock on the database; close that one and try again", err}
	case sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_PERM:
		return &OpenError{s.path, "the database cannot be written; look at the rights on the folder", err}
	case sqlite3.SQLITE_INTERRUPT:
		return fmt.Errorf("%w (%w)", context.Canceled, err)
	case sqlite3.SQLITE_FULL:
		return &OpenError{s.path, "the disk is full", err}
	}
	if s.torn() {
		return &OpenError{s.path, damaged, err}
	}
	return &OpenError{s.path, "the database fails", err}
}

const damaged = "the database is damaged; put a backup in its place, or name another folder with --data"

// torn asks SQLite whether the database is whole. Damage can show as any error
// at all, so this is asked only once there is one.
func (s *Store) torn() bool {
	var answer string
	err := s.db.QueryRow(`PRAGMA quick_check(1)`).Scan(&answer)
	return err != nil || answer != "ok"
}

// Close ends the use of the folder.
func (s *Store) Close() error {
	var errs []error
	if s.db != nil {
		errs = append(errs, s.db.Close())
	}
	return errors.Join(append(errs, s.lock.Unlock())...)
}

// writableFor is how long it is believed that the folder can be written.
const writableFor = time.Second

// Writable says whether the database answers and its folder has room. It looks at most
// once a second. That another write goes on is no error.
func (s *Store) Writable(ctx context.Context) error {
	s.looked.Lock()
	defer s.looked.Unlock()
	if time.Since(s.lookedAt) > writableFor {
		s.writable, s.lookedAt = s.tryWrite(ctx), time.Now()
	}
	return s.writable
}

func (s *Store) tryWrite(ctx context.Context) error {
	file := filepath.Join(s.Folder(), "gatemap.try")
	defer os.Remove(file)
	if err := os.WriteFile(file, make([]byte, 64<<10), 0o600); err != nil {
		return &OpenError{s.Folder(), "the folder cannot be written", err}
	}
	if _, err := os.Stat(s.path); err != nil {
		return &OpenError{s.path, "the database is gone", err}
	}
	var n int
	return s.explain(s.db.QueryRowContext(ctx, `SELECT count(*) FROM settings`).Scan(&n))
}

// uri is the URI of a file of a database, whatever is in its path.
func uri(path string) string { return "file:" + (&url.URL{Path: path}).EscapedPath() }
