package ldap_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

const (
	suffix = "dc=cindervale,dc=example"
	admin  = "cn=admin," + suffix
	secret = "for-this-test-only"
)

// slapd is a directory server that runs for one test.
type slapd struct {
	t         *testing.T
	dir       string
	url, ldap string // with ldaps:// and with ldap://
	process   *exec.Cmd
}

const conf = `
include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/nis.schema
include /etc/ldap/schema/inetorgperson.schema
modulepath /usr/lib/ldap
moduleload back_mdb
moduleload syncprov
pidfile %[1]s/slapd.pid
TLSCACertificateFile %[1]s/ca.pem
TLSCertificateFile %[1]s/server.pem
TLSCertificateKeyFile %[1]s/server.key
sizelimit unlimited
database mdb
maxsize 268435456
directory %[1]s/data
suffix "` + suffix + `"
rootdn "` + admin + `"
rootpw ` + secret + `
dbnosync
index objectClass,uid,cn,member,entryUUID,entryCSN eq
limits dn.exact="cn=few,` + suffix + `" size.soft=3 size.hard=3
access to * by dn.exact="cn=nobody,` + suffix + `" auth by * read
overlay syncprov
syncprov-checkpoint 100 10
`

// startSlapd starts a server with entries in it, which answers on both kinds of
// address with a certificate of a CA of its own for the names.
func startSlapd(t *testing.T, entries string, names ...string) *slapd {
	t.Helper()
	path := "/usr/sbin/slapd"
	_, err := os.Stat(path)
	require.NoError(t, err, "slapd is not installed: make needs")
	s := &slapd{t: t, dir: t.TempDir()}
	require.NoError(t, os.Mkdir(filepath.Join(s.dir, "data"), 0o700))
	certify(t, s.dir, time.Now().Add(24*time.Hour), names...)
	s.write("slapd.conf", fmt.Sprintf(conf, s.dir))
	s.write("entries.ldif", "dn: "+suffix+"\nobjectClass: dcObject\nobjectClass: organization\ndc: cindervale\no: Cindervale Observatory\n\n"+entries)
	out, err := exec.Command("/usr/sbin/slapadd", "-q", "-f", s.path("slapd.conf"), "-l", s.path("entries.ldif")).CombinedOutput()
	require.NoError(t, err, "%s", out)
	s.url, s.ldap = "ldaps://"+freePort(t), "ldap://"+freePort(t)
	s.start()
	t.Cleanup(s.stop)
	return s
}

func (s *slapd) path(file string) string { return filepath.Join(s.dir, file) }

func (s *slapd) write(file, content string) {
	require.NoError(s.t, os.WriteFile(s.path(file), []byte(content), 0o600))
}

func (s *slapd) start() {
	s.process = exec.Command("/usr/sbin/slapd", "-f", s.path("slapd.conf"), "-h", s.url+" "+s.ldap, "-d", "0")
	require.NoError(s.t, s.process.Start())
	require.Eventually(s.t, func() bool {
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.ldap, "ldap://"))
		if err == nil {
			conn.Close()
		}
		return err == nil
	}, 10*time.Second, 20*time.Millisecond)
}

func (s *slapd) stop() {
	_ = s.process.Process.Signal(syscall.SIGTERM) // ours, by its own number
	_ = s.process.Wait()
}

// modify applies LDIF changes as the administrator.
func (s *slapd) modify(changes string) {
	s.t.Helper()
	cmd := exec.Command("ldapmodify", "-x", "-H", s.ldap, "-D", admin, "-w", secret)
	cmd.Stdin = strings.NewReader(changes)
	out, err := cmd.CombinedOutput()
	require.NoError(s.t, err, "%s", out)
}

// certify writes a CA, and a certificate of it for names or addresses.
func certify(t *testing.T, dir string, until time.Time, names ...string) {
	t.Helper()
	key := func() *ecdsa.PrivateKey {
		k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		require.NoError(t, err)
		return k
	}
	write := func(file, kind string, der []byte) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, file), pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: der}), 0o600))
	}
	caKey, ownKey := key(), key()
	ca := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Cindervale test CA"}, NotBefore: time.Now().Add(-48 * time.Hour), NotAfter: time.Now().Add(24 * time.Hour),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign,
	}
	der, err := x509.CreateCertificate(rand.Reader, ca, ca, &caKey.PublicKey, caKey)
	require.NoError(t, err)
	write("ca.pem", "CERTIFICATE", der)
	own := &x509.Certificate{
		SerialNumber: big.NewInt(2), Subject: pkix.Name{CommonName: "directory.cindervale.example"}, NotBefore: time.Now().Add(-48 * time.Hour), NotAfter: until,
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	for _, n := range names {
		if ip := net.ParseIP(n); ip != nil {
			own.IPAddresses = append(own.IPAddresses, ip)
		} else {
			own.DNSNames = append(own.DNSNames, n)
		}
	}
	der, err = x509.CreateCertificate(rand.Reader, own, ca, &ownKey.PublicKey, caKey)
	require.NoError(t, err)
	write("server.pem", "CERTIFICATE", der)
	raw, err := x509.MarshalECPrivateKey(ownKey)
	require.NoError(t, err)
	write("server.key", "EC PRIVATE KEY", raw)
}

func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

// trusting is a client's side of TLS that believes the CA of a folder.
func trusting(t *testing.T, dir string) *tls.Config {
	t.Helper()
	pem, err := os.ReadFile(filepath.Join(dir, "ca.pem"))
	require.NoError(t, err)
	roots := x509.NewCertPool()
	require.True(t, roots.AppendCertsFromPEM(pem))
	return &tls.Config{RootCAs: roots}
}
