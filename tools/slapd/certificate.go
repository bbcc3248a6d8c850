package slapd

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"time"
)

// Certify writes a CA (ca.pem) into a folder, and a certificate of it for names
// or addresses (server.pem, server.key), which holds until a time.
func Certify(dir string, until time.Time, names ...string) error {
	caKey, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	ownKey, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	ca := &x509.Certificate{
		SerialNumber: big.NewInt(
			1,
		), Subject: pkix.Name{CommonName: "Cindervale test CA"}, NotBefore: time.Now().Add(-48 * time.Hour),
		NotAfter: time.Now().Add(24 * time.Hour),
		IsCA:     true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign,
	}
	own := &x509.Certificate{
		SerialNumber: big.NewInt(
			2,
		), Subject: pkix.Name{CommonName: "directory.cindervale.example"}, NotBefore: time.Now().Add(-48 * time.Hour),
		NotAfter: until,
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	for _, n := range names {
		if ip := net.ParseIP(n); ip != nil {
			own.IPAddresses = append(own.IPAddresses, ip)
		} else {
			own.DNSNames = append(own.DNSNames, n)
		}
	}
	caDER, err := x509.CreateCertificate(rand.Reader, ca, ca, &caKey.PublicKey, caKey)
	if err != nil {
		return err
	}
	ownDER, err := x509.CreateCertificate(rand.Reader, own, ca, &ownKey.PublicKey, caKey)
	if err != nil {
		return err
	}
	keyDER, err := x509.MarshalECPrivateKey(ownKey)
	if err != nil {
		return err
	}
	for file, block := range map[string]*pem.Block{
		"ca.pem": {Type: "CERTIFICATE", Bytes: caDER}, "server.pem": {Type: "CERTIFICATE", Bytes: ownDER},
		"server.key": {Type: "EC PRIVATE KEY", Bytes: keyDER},
	} {
		if err := os.WriteFile(filepath.Join(dir, file), pem.EncodeToMemory(block), 0o600); err != nil {
			return err
		}
	}
	return nil
}
