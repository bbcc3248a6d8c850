// Package database starts PostgreSQL servers on this machine, for tests and for the demo: Debian's
// postgresql, with a cluster of its own.
package database

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"syscall"
	"time"

	"gatemap/tools/standstill"

	"github.com/jackc/pgx/v5"
)

// Admin may do everything on the server, and Reader may sign in and has no rights. Both are let
// in with Secret; so are all other roles, without one.
const (
	Admin  = "keeper"
	Reader = "gatemap"
	Secret = "only-on-this-machine"
)

// Server is a running server.
type Server struct {
	Dir     string
	Address string // host:port

	process *exec.Cmd
}

// Start starts a server with a new cluster in a folder, on a free port of 127.0.0.1. As root it
// runs as the user postgres, as such servers do.
func Start(dir string) (*Server, error) {
	s := &Server{Dir: dir}
	if err := s.given(); err != nil {
		return nil, err
	}
	secret := filepath.Join(dir, "secret")
	if err := os.WriteFile(secret, []byte(Secret), 0o644); err != nil {
		return nil, err
	}
	if out, err := s.command("initdb", "-D", s.data(), "-U", Admin, "--pwfile", secret, "-A", "scram-sha-256", "-E",
		"UTF8", "--no-sync", "--no-instructions").CombinedOutput(); err != nil {
		return nil, fmt.Errorf("initdb: %w\n%s", err, out)
	}
	access := "host all " + Admin + "," + Reader + " 127.0.0.1/32 scram-sha-256\nhost all all 127.0.0.1/32 trust\n"
	if err := os.WriteFile(filepath.Join(s.data(), "pg_hba.conf"), []byte(access), 0o644); err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s.Address = l.Addr().String()
	_ = l.Close() // the server is to have the port
	if err := s.Restart(); err != nil {
		return nil, err
	}
	return s, s.Run("postgres", "CREATE ROLE "+Reader+" LOGIN PASSWORD '"+Secret+"'")
}

func (s *Server) data() string { return filepath.Join(s.Dir, "data") }

// given lets the user postgres have the folder, where root starts the server.
func (s *Server) given() error {
	if os.Geteuid() != 0 {
		return nil
	}
	for at := s.Dir; at != "/" && at != os.TempDir(); at = filepath.Dir(at) {
		if err := os.Chmod(at, 0o755); err != nil {
			return err
		}
	}
	uid, gid, err := postgres()
	if err != nil {
		return err
	}
	return os.Chown(s.Dir, uid, gid)
}

func postgres() (uid, gid int, err error) {
	u, err := user.Lookup("postgres")
	if err != nil {
		return 0, 0, fmt.Errorf("postgresql is not installed (make needs): %w", err)
	}
	uid, err = strconv.Atoi(u.Uid)
	if err == nil {
		gid, err = strconv.Atoi(u.Gid)
	}
	return uid, gid, err
}

// command is a program of the newest version of PostgreSQL that is installed.
func (s *Server) command(program string, args ...string) *exec.Cmd {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/" + program)
	slices.Sort(found)
	if len(found) > 0 {
		program = found[len(found)-1]
	}
	cmd := exec.Command(program, args...)
	cmd.Dir = s.Dir
	cmd.Env = []string{"LC_ALL=C.UTF-8", "PATH=" + os.Getenv("PATH")}
	if os.Geteuid() == 0 {
		if uid, gid, err := postgres(); err == nil {
			cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
		}
	}
	return cmd
}

// Restart starts the server again after Stop.
func (s *Server) Restart() error {
	_, port, _ := net.SplitHostPort(s.Address)
	s.process = s.command(
		"postgres",
		"-D",
		s.data(),
		"-h",
		"127.0.0.1",
		"-p",
		port,
		"-k",
		"",
		"-F",
		"-c",
		"max_connections=60",
		"-c",
		"log_min_messages=fatal",
		"-c",
		"max_locks_per_transaction=1024",
	)
	if err := s.process.Start(); err != nil {
		return err
	}
	for range 3000 { // a minute: a busy machine takes its time
		if conn, err := s.Connect(context.Background(), Admin, "postgres"); err == nil {
			return conn.Close(context.Background())
		}
		time.Sleep(20 * time.Millisecond)
	}
	s.Stop()
	return fmt.Errorf("the database server does not answer at %s", s.Address)
}

// Stop stops the server.
func (s *Server) Stop() {
	_ = s.process.Process.Signal(syscall.SIGINT) // ours, by its own number
	_ = s.process.Wait()
}

// Freeze makes the server stand still until Thaw: nothing new is answered.
func (s *Server) Freeze() error { return standstill.Freeze(s.process.Process.Pid) }

// Thaw lets the server go on.
func (s *Server) Thaw() error { return standstill.Thaw(s.process.Process.Pid) }

// Connect signs in to a database.
func (s *Server) Connect(ctx context.Context, as, database string) (*pgx.Conn, error) {
	config, err := pgx.ParseConfig("postgres://" + s.Address + "/?sslmode=disable")
	if err != nil {
		return nil, err
	}
	config.User, config.Database, config.Password = as, database, Secret
	config.DefaultQueryExecMode = pgx.QueryExecModeSimpleProtocol
	return pgx.ConnectConfig(ctx, config)
}

// Run runs statements in a database as its administrator.
func (s *Server) Run(database, statements string) error {
	ctx := context.Background()
	conn, err := s.Connect(ctx, Admin, database)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statements)
	return err
}
