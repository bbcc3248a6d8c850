package server_test

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"log/slog"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/server"
)

// certify writes a certificate with a serial number of its own.
func certify(t *testing.T, dir string, serial int64) (cert, key string) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(serial),
		Subject:      pkix.Name{CommonName: "gatemap.cindervale.example"},
		NotBefore:    time.Now().Add(-time.Hour),
		NotAfter:     time.Now().Add(time.Hour),
		IPAddresses:  []net.IP{net.IPv4(127, 0, 0, 1)},
	}
	raw, err := x509.CreateCertificate(rand.Reader, template, template, private.Public(), private)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	cert, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))
	require.NoError(t, os.WriteFile(cert, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: raw}), 0o600))
	return cert, key
}

// A certificate is taken in while the service runs; one that cannot be used is not,
// and that is said.
func TestCertificatesAreTakenInAsTheyChange(t *testing.T) {
	r, dir := start(t), t.TempDir()
	cert, key := certify(t, dir, 1)
	_, err := server.LoadCertificates(cert, filepath.Join(dir, "none"), slog.Default())
	assert.ErrorContains(t, err, "cannot be used")
	var log bytes.Buffer
	certificates, err := server.LoadCertificates(cert, key, slog.New(slog.NewTextHandler(&log, nil)))
	require.NoError(t, err)
	srv := server.New(r.service, nil, "test", slog.New(slog.DiscardHandler))
	srv.TLS = certificates.Config()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- srv.Serve(ctx, l) }()
	t.Cleanup(func() { stop(); require.NoError(t, <-ended) })
	serial := func() int64 {
		conn, err := tls.Dial("tcp", l.Addr().String(), &tls.Config{InsecureSkipVerify: true})
		require.NoError(t, err)
		defer conn.Close()
		return conn.ConnectionState().PeerCertificates[0].SerialNumber.Int64()
	}
	assert.Equal(t, int64(1), serial())
	certify(t, dir, 2)
	assert.Eventually(t, func() bool { return serial() == 2 }, 15*time.Second, 200*time.Millisecond)
	require.NoError(t, os.WriteFile(cert, []byte("no certificate"), 0o600))
	for range 6 {
		time.Sleep(time.Second)
		require.Equal(t, int64(2), serial())
	}
	assert.Contains(t, log.String(), "the certificate stays as it was")

	c := &http.Client{
		Transport: &http.Transport{ForceAttemptHTTP2: true, TLSClientConfig: &tls.Config{InsecureSkipVerify: true}},
	}
	response, err := c.Get("https://" + l.Addr().String() + "/health")
	require.NoError(t, err)
	response.Body.Close()
	assert.Equal(t, 2, response.ProtoMajor)
	assert.NotEmpty(t, response.Header.Get("Strict-Transport-Security"))
	_, err = tls.Dial("tcp", l.Addr().String(), &tls.Config{InsecureSkipVerify: true, MaxVersion: tls.VersionTLS11})
	assert.Error(t, err)
}
