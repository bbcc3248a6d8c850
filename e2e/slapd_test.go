package e2e

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const slapdConf = `
include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/inetorgperson.schema
include %[1]s/cindervale.schema
modulepath /usr/lib/ldap
moduleload back_mdb
pidfile %[2]s/slapd.pid
database mdb
directory %[2]s/data
suffix "dc=cindervale,dc=example"
rootdn "cn=admin,dc=cindervale,dc=example"
rootpw for-this-test-only
`

// The demo's people go into a real directory server and come out again; what
// comes out gives the same answers.
func TestADumpOfARealServerGivesTheSameAnswers(t *testing.T) {
	slapd, err := exec.LookPath("/usr/sbin/slapd")
	require.NoError(t, err, "slapd is not installed: make needs")
	demo, err := filepath.Abs("../demo/cindervale")
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "data"), 0o700))
	conf := filepath.Join(dir, "slapd.conf")
	require.NoError(t, os.WriteFile(conf, fmt.Appendf(nil, slapdConf, demo, dir), 0o600))
	url := "ldap://" + freePort(t)
	server := exec.Command(slapd, "-f", conf, "-h", url, "-d", "0")
	require.NoError(t, server.Start())
	t.Cleanup(func() { _ = server.Process.Signal(syscall.SIGTERM); _ = server.Wait() })
	add := func() ([]byte, error) {
		return exec.Command("ldapadd", "-x", "-H", url, "-D", "cn=admin,dc=cindervale,dc=example", "-w", "for-this-test-only",
			"-f", filepath.Join(demo, "people.ldif")).CombinedOutput()
	}
	require.Eventually(t, func() bool {
		conn, err := net.Dial("tcp", strings.TrimPrefix(url, "ldap://"))
		if err == nil {
			conn.Close()
		}
		return err == nil
	}, 10*time.Second, 50*time.Millisecond)
	out, err := add()
	require.NoError(t, err, "%s", out)
	require.NoError(t, server.Process.Signal(syscall.SIGTERM))
	_ = server.Wait()

	dump, err := exec.Command("/usr/sbin/slapcat", "-f", conf).Output()
	require.NoError(t, err)
	assert.Contains(t, string(dump), "entryUUID: ", "a dump by the server itself")
	copied := filepath.Join(dir, "map")
	require.NoError(t, os.CopyFS(copied, os.DirFS(demo)))
	require.NoError(t, os.WriteFile(filepath.Join(copied, "people.ldif"), dump, 0o600))

	ours, theirs := []string{
		"GATEMAP_MAP=" + demo,
		"GATEMAP_SERVER=",
	}, []string{
		"GATEMAP_MAP=" + copied,
		"GATEMAP_SERVER=",
	}
	questions := [][]string{
		{"members", "archive-readers"},
		{"members", "optics"},
		{"who", "sky-tools", "viewer"},
		{"who", "archive", "frames:read", "--on", "/raw"},
	}
	for _, who := range people(t, theirs) {
		questions = append(questions, []string{"reach", who}, []string{"memberships", who})
	}
	for _, q := range questions {
		want, _, _ := run(t, ours, append(q, "-o", "json")...)
		got, errs, _ := run(t, theirs, append(q, "-o", "json")...)
		require.Equal(t, want, got, "%v: %s", q, errs)
	}
	want, _, _ := run(t, ours, "findings", "-o", "csv")
	got, _, _ := run(t, theirs, "findings", "-o", "csv")
	assert.Equal(t, strings.Count(want, "\n"), strings.Count(got, "\n"), "as many findings")
}

func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}
