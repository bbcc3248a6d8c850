package ldap_test

import (
	"crypto/tls"
	"crypto/x509"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"gatemap/tools/slapd"
)

const (
	suffix = slapd.Suffix
	admin  = slapd.Admin
	secret = slapd.Secret
)

// server is a directory server that runs for one test.
type server struct {
	*slapd.Server
	t *testing.T
}

func startSlapd(t *testing.T, entries string, names ...string) *server {
	t.Helper()
	s, err := slapd.Start(t.TempDir(), entries, nil, names)
	require.NoError(t, err)
	t.Cleanup(s.Stop)
	return &server{s, t}
}

// startFollowing is a server that follows with the references to what is renamed.
func startFollowing(t *testing.T, entries string) *server {
	t.Helper()
	s, err := slapd.Start(
		t.TempDir(),
		entries,
		nil,
		[]string{"127.0.0.1"},
		"overlay refint",
		"refint_attributes member",
		"refint_nothing "+admin,
	)
	require.NoError(t, err)
	t.Cleanup(s.Stop)
	return &server{s, t}
}

func (s *server) write(file, content string) {
	require.NoError(s.t, os.WriteFile(s.Path(file), []byte(content), 0o600))
}

func (s *server) start() { require.NoError(s.t, s.Restart()) }

func (s *server) modify(changes string) {
	s.t.Helper()
	require.NoError(s.t, s.Modify(changes))
}

func certify(t testing.TB, dir string, until time.Time, names ...string) {
	t.Helper()
	require.NoError(t, slapd.Certify(dir, until, names...))
}

func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

// trusting is a client's side of TLS that believes the CA of a folder.
func trusting(t testing.TB, dir string) *tls.Config {
	t.Helper()
	pem, err := os.ReadFile(filepath.Join(dir, "ca.pem"))
	require.NoError(t, err)
	roots := x509.NewCertPool()
	require.True(t, roots.AppendCertsFromPEM(pem))
	return &tls.Config{RootCAs: roots}
}
