// Package slapd starts directory servers on this machine, for tests and for the
// demo: Debian's slapd, with a certificate of a CA of its own.
package slapd

import (
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"gatemap/tools/standstill"
)

// The tree of every server, who may do everything in it, and with which secret.
const (
	Suffix = "dc=cindervale,dc=example"
	Admin  = "cn=admin," + Suffix
	Secret = "only-on-this-machine"
)

// Server is a running directory server.
type Server struct {
	Dir  string // holds ca.pem, server.pem, server.key and the data
	LDAP string // its address with ldap://
	TLS  string // its address with ldaps://

	clock   string // how its clock differs from the machine's
	process *exec.Cmd
}

const conf = `
include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/nis.schema
include /etc/ldap/schema/inetorgperson.schema
include /etc/ldap/schema/dyngroup.schema
%[2]s
modulepath /usr/lib/ldap
moduleload back_mdb
moduleload syncprov
moduleload dynlist
moduleload refint
pidfile %[1]s/slapd.pid
TLSCACertificateFile %[1]s/ca.pem
TLSCertificateFile %[1]s/server.pem
TLSCertificateKeyFile %[1]s/server.key
sizelimit unlimited
database mdb
maxsize 1073741824
directory %[1]s/data
suffix "` + Suffix + `"
rootdn "` + Admin + `"
rootpw ` + Secret + `
dbnosync
index objectClass,uid,cn,member,entryUUID,entryCSN eq
limits dn.exact="cn=few,` + Suffix + `" size.soft=3 size.hard=3
overlay syncprov
syncprov-checkpoint 100 10
overlay dynlist
dynlist-attrset groupOfURLs memberURL member+memberOf@groupOfNames*
`

// Start starts a server in a folder, with the entries of an LDIF text in it: all
// of them but the top of the tree, where the text does not begin with that. It
// answers on free ports with a certificate for the names. Schemas are files; more are lines
// of the configuration of its database.
func Start(dir, entries string, schemas, names []string, more ...string) (*Server, error) {
	return StartAt("", dir, entries, schemas, names, more...)
}

// StartAt starts a server like Start, whose clock differs from that of the machine, such as by
// "-1h" or "+30s" (faketime).
func StartAt(clock, dir, entries string, schemas, names []string, more ...string) (*Server, error) {
	if _, err := os.Stat("/usr/sbin/slapd"); err != nil {
		return nil, fmt.Errorf("slapd is not installed (make needs): %w", err)
	}
	s := &Server{Dir: dir, clock: clock}
	if err := os.Mkdir(s.Path("data"), 0o700); err != nil {
		return nil, err
	}
	if err := Certify(dir, time.Now().Add(24*time.Hour), names...); err != nil {
		return nil, err
	}
	include := ""
	for _, schema := range schemas {
		include += "include " + schema + "\n"
	}
	entries = strings.TrimPrefix(entries, "version: 1\n") // slapadd takes it for an entry
	if !strings.Contains(entries, "dn: "+Suffix+"\n") {
		entries = "dn: " + Suffix +
			"\nobjectClass: dcObject\nobjectClass: organization\ndc: cindervale\no: Cindervale Observatory\n\n" + entries
	}
	for file, content := range map[string]string{"slapd.conf": fmt.Sprintf(conf, dir, include) + strings.Join(more,
		"\n") + "\n", "entries.ldif": entries} {
		if err := os.WriteFile(s.Path(file), []byte(content), 0o600); err != nil {
			return nil, err
		}
	}
	add, err := s.command("/usr/sbin/slapadd", "-q", "-f", s.Path("slapd.conf"), "-l", s.Path("entries.ldif"))
	if err != nil {
		return nil, err
	}
	if out, err := add.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("slapadd: %w\n%s", err, out)
	}
	for try := 1; ; try++ {
		if err := s.address(); err != nil {
			return nil, err
		}
		if err := s.Restart(); err == nil || try == 3 {
			return s, err
		} // another program took a port before slapd did
	}
}

// address chooses free ports.
func (s *Server) address() error {
	var addresses [2]string
	for i := range addresses {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return err
		}
		addresses[i] = l.Addr().String()
		_ = l.Close() // the server is to have the port
	}
	s.LDAP, s.TLS = "ldap://"+addresses[0], "ldaps://"+addresses[1]
	return nil
}

// Path is the path of a file of the server.
func (s *Server) Path(file string) string { return filepath.Join(s.Dir, file) }

// Freeze makes the server stand still until Thaw: connections stay, and nothing is answered.
func (s *Server) Freeze() error { return standstill.Freeze(s.process.Process.Pid) }

// Thaw lets the server go on.
func (s *Server) Thaw() error { return standstill.Thaw(s.process.Process.Pid) }

// command is a program that goes by the server's clock.
func (s *Server) command(name string, args ...string) (*exec.Cmd, error) {
	cmd := exec.Command(name, args...)
	if s.clock == "" {
		return cmd, nil
	}
	library, _ := filepath.Glob("/usr/lib/*/faketime/libfaketimeMT.so.1")
	if len(library) == 0 {
		return nil, errors.New("faketime is not installed (make needs)")
	}
	cmd.Env = append(os.Environ(), "LD_PRELOAD="+library[0], "FAKETIME="+s.clock, "FAKETIME_DONT_FAKE_MONOTONIC=1")
	return cmd, nil
}

// Restart starts the server again after Stop.
func (s *Server) Restart() error {
	var err error
	s.process, err = s.command("/usr/sbin/slapd", "-f", s.Path("slapd.conf"), "-h", s.TLS+" "+s.LDAP, "-d", "0")
	if err != nil {
		return err
	}
	if err := s.process.Start(); err != nil {
		return err
	}
	for range 3000 { // a minute: a busy machine takes its time
		if conn, err := net.Dial("tcp", strings.TrimPrefix(s.LDAP, "ldap://")); err == nil {
			return conn.Close()
		}
		time.Sleep(20 * time.Millisecond)
	}
	s.Stop()
	return fmt.Errorf("slapd does not answer at %s", s.LDAP)
}

// Stop stops the server.
func (s *Server) Stop() {
	_ = s.process.Process.Signal(syscall.SIGTERM) // ours, by its own number
	_ = s.process.Wait()
}

// Modify applies LDIF changes as the administrator.
func (s *Server) Modify(changes string) error {
	cmd := exec.Command("ldapmodify", "-x", "-H", s.LDAP, "-D", Admin, "-w", Secret)
	cmd.Stdin = strings.NewReader(changes)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("ldapmodify: %w\n%s", err, out)
	}
	return nil
}
