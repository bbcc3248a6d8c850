package main

import (
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	_ "modernc.org/sqlite"

	"gatemap/core/directory"
)

const everyGroup = `WITH RECURSIVE e(u, g) AS (
	SELECT u, g FROM member UNION SELECT e.u, p.outer_g FROM e JOIN parent p ON p.inner_g = e.g
) SELECT count(*), coalesce(sum(CAST(u AS BIGINT) * 7 + g), 0) FROM e`

const oneUsersGroups = `WITH RECURSIVE e(g) AS (
	SELECT g FROM member WHERE u = ? UNION SELECT p.outer_g FROM e JOIN parent p ON p.inner_g = e.g
) SELECT count(*) FROM e`

// ours are the same counts as the engine has them, and how long it takes to work
// them out from the direct memberships.
func (b *bench) ours() (count, sum int64, took time.Duration) {
	book := b.atlas.Book
	took = timed(5, book.Unfold)
	for u := range directory.UserID(book.Users()) {
		for _, g := range book.Subject(u).Groups() {
			count, sum = count+1, sum+int64(u)*7+int64(g)
		}
	}
	return count, sum, took
}

func (b *bench) each(
	member func(u directory.UserID, g directory.GroupID),
	parent func(inner, outer directory.GroupID),
) {
	book := b.atlas.Book
	for g := range directory.GroupID(book.Groups()) {
		for _, u := range book.DirectMembers(g) {
			member(u, g)
		}
		for _, outer := range book.Holders(g) {
			parent(g, outer)
		}
	}
}

func (b *bench) sqlite() error {
	db, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		return err
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	if _, err := db.Exec(`CREATE TABLE member(u INTEGER, g INTEGER);
		CREATE TABLE parent(inner_g INTEGER, outer_g INTEGER)`); err != nil {
		return err
	}
	tx, err := db.Begin()
	if err != nil {
		return err
	}
	members, err := tx.Prepare(`INSERT INTO member VALUES (?, ?)`)
	if err != nil {
		return err
	}
	parents, err := tx.Prepare(`INSERT INTO parent VALUES (?, ?)`)
	if err != nil {
		return err
	}
	var failed error
	b.each(func(u directory.UserID, g directory.GroupID) {
		if _, err := members.Exec(int64(u), int64(g)); err != nil {
			failed = err
		}
	}, func(inner, outer directory.GroupID) {
		if _, err := parents.Exec(int64(inner), int64(outer)); err != nil {
			failed = err
		}
	})
	if failed != nil {
		return failed
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	if _, err := db.Exec(`CREATE INDEX m ON member(u, g);
		CREATE INDEX p ON parent(inner_g, outer_g); ANALYZE`); err != nil {
		return err
	}
	count, sum, own := b.ours()
	var theirs, theirSum int64
	other := timed(1, func() { err = db.QueryRow(everyGroup).Scan(&theirs, &theirSum) })
	if err != nil {
		return err
	}
	if theirs != count || theirSum != sum {
		return fmt.Errorf("SQLite counts %d memberships (%d), the engine %d (%d)", theirs, theirSum, count, sum)
	}
	b.rows = append(
		b.rows,
		row{
			work:     fmt.Sprintf("all users' effective groups (%.1f million)", float64(count)/1e6),
			own:      own,
			baseline: "SQLite in memory, recursive query",
			other:    other,
			least:    400,
		},
	)
	one, err := db.Prepare(oneUsersGroups)
	if err != nil {
		return err
	}
	single := timed(1, func() {
		for _, u := range b.users {
			var n int
			if e := one.QueryRow(int64(u)).Scan(&n); e != nil || n != len(b.atlas.Book.Subject(u).Groups()) {
				err = fmt.Errorf("%s: SQLite counts %d groups (%v)", b.atlas.Book.UserName(u), n, e)
			}
		}
	})
	if err != nil {
		return err
	}
	groups := 0
	const rounds = 100
	ownOne := timed(3, func() {
		for range rounds {
			for _, id := range b.users {
				groups += len(b.atlas.Book.Unfolded(id))
			}
		}
	})
	b.rows = append(
		b.rows,
		row{
			work:     "one user's effective groups",
			own:      ownOne / time.Duration(rounds*len(b.users)),
			baseline: "SQLite in memory, indexed, recursive query",
			other:    single / time.Duration(len(b.users)),
			least:    100,
		},
	)
	return nil
}

// postgres starts a server of its own in a folder of its own, reached by a
// socket in it alone.
func (b *bench) postgres() error {
	bins, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	if len(bins) == 0 {
		return fmt.Errorf("PostgreSQL is not installed: apt-get install postgresql")
	}
	bin := bins[len(bins)-1]
	folder, err := os.MkdirTemp("", "gatemap-pg-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	as := func(name string, args ...string) *exec.Cmd { return exec.Command(filepath.Join(bin, name), args...) }
	if os.Geteuid() == 0 { // the server does not run as root
		postgres, err := user.Lookup("postgres")
		if err != nil {
			return err
		}
		uid, _ := strconv.Atoi(postgres.Uid)
		gid, _ := strconv.Atoi(postgres.Gid)
		if err := os.Chown(folder, uid, gid); err != nil {
			return err
		}
		as = func(name string, args ...string) *exec.Cmd {
			return exec.Command("runuser", append([]string{"-u", "postgres", "--", filepath.Join(bin, name)}, args...)...)
		}
	}
	do := func(c *exec.Cmd) (string, error) {
		out, err := c.CombinedOutput()
		if err != nil {
			return "", fmt.Errorf("%v: %w: %s", c.Args, err, out)
		}
		return strings.TrimSpace(string(out)), nil
	}
	data := filepath.Join(folder, "data")
	if _, err := do(as("initdb", "-D", data, "--auth=trust", "-N")); err != nil {
		return err
	}
	options := "-c listen_addresses= -c unix_socket_directories=" + folder +
		" -c fsync=off -c shared_buffers=1GB -c work_mem=1GB"
	if _, err := do(as("pg_ctl", "-D", data, "-w", "-l", filepath.Join(folder, "log"), "-o", options,
		"start")); err != nil {
		return err
	}
	defer func() { _, _ = do(as("pg_ctl", "-D", data, "-m", "immediate", "stop")) }()
	psql := func(in string, args ...string) (string, error) {
		c := as("psql", append([]string{"-h", folder, "-d", "postgres", "-qAt", "-v", "ON_ERROR_STOP=1"}, args...)...)
		c.Stdin = strings.NewReader(in)
		return do(c)
	}
	var members, parents strings.Builder
	b.each(func(u directory.UserID, g directory.GroupID) { fmt.Fprintf(&members, "%d\t%d\n", u, g) },
		func(inner, outer directory.GroupID) { fmt.Fprintf(&parents, "%d\t%d\n", inner, outer) })
	script := "CREATE TABLE member(u int, g int); CREATE TABLE parent(inner_g int, outer_g int);\n" +
		"\\copy member FROM stdin\n" + members.String() + "\\.\n\\copy parent FROM stdin\n" + parents.String() +
		"\\.\nCREATE INDEX ON member(u, g); CREATE INDEX ON parent(inner_g, outer_g); ANALYZE;\n"
	if _, err := psql(script); err != nil {
		return err
	}
	count, sum, own := b.ours()
	var answer string
	other := timed(1, func() { answer, err = psql("", "-c", everyGroup) })
	if err != nil {
		return err
	}
	if want := fmt.Sprintf("%d|%d", count, sum); answer != want {
		return fmt.Errorf("PostgreSQL counts %s, the engine %s", answer, want)
	}
	b.rows = append(
		b.rows,
		row{
			work:     "all users' effective groups",
			own:      own,
			baseline: "PostgreSQL, indexed, 1 GB work_mem, recursive query",
			other:    other,
			least:    150,
		},
	)
	return nil
}
