package ldap

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"
)

// check checks the certificate of one server, and keeps why it was refused.
type check struct {
	host    string
	roots   *x509.CertPool // nil: those of the machine
	cert    *x509.Certificate
	refused error
}

// check makes the check of a server's certificate, by the issuers that the map
// names.
func (c *Client) check(host string) (*check, error) {
	k := &check{host: host}
	if c.ldap.CA.Value == "" {
		return k, nil
	}
	pem, err := c.host.Certificates(c.ldap.CA.Value)
	if err != nil {
		return nil, fmt.Errorf("the certificates of ca cannot be read: %w", err)
	}
	k.roots = x509.NewCertPool()
	if !k.roots.AppendCertsFromPEM(pem) {
		return nil, fmt.Errorf("%s holds no certificate in PEM", c.ldap.CA.Value)
	}
	return k, nil
}

// config is for one connection. The check is made by verify instead of by the
// library's default, which makes the same, so that a refusal can be explained.
func (k *check) config() *tls.Config {
	return &tls.Config{
		ServerName:         k.host,
		MinVersion:         tls.VersionTLS12,
		InsecureSkipVerify: true,
		VerifyConnection:   k.verify,
	}
}

func (k *check) verify(state tls.ConnectionState) error {
	if len(state.PeerCertificates) == 0 {
		k.refused = errors.New("the server shows none")
		return k.refused
	}
	k.cert = state.PeerCertificates[0]
	between := x509.NewCertPool()
	for _, cert := range state.PeerCertificates[1:] {
		between.AddCert(cert)
	}
	_, k.refused = k.cert.Verify(x509.VerifyOptions{DNSName: k.host, Roots: k.roots, Intermediates: between})
	return k.refused
}

// failed says why there is no TLS: of a certificate that is refused whose it is,
// who vouches for it, when it holds, and why.
func (k *check) failed(server string, err error) error {
	switch {
	case k.refused == nil:
		return &Error{"connection", server, fmt.Errorf("no TLS: %w", err)}
	case k.cert == nil:
		return &Error{"certificate", server, k.refused}
	}
	return &Error{"certificate", server, fmt.Errorf("refused: %s\n  %s", k.reason(), strings.Join(k.describe(), "\n  "))}
}

// describe says whose the certificate is, who vouches for it, and when it holds.
func (k *check) describe() []string {
	return []string{
		"subject  " + k.cert.Subject.String(),
		"issuer   " + k.cert.Issuer.String(),
		fmt.Sprintf(
			"valid    %s to %s",
			k.cert.NotBefore.UTC().Format(time.DateOnly),
			k.cert.NotAfter.UTC().Format(time.DateOnly),
		),
	}
}

func (k *check) reason() string {
	var (
		unknown x509.UnknownAuthorityError
		host    x509.HostnameError
		invalid x509.CertificateInvalidError
	)
	switch {
	case errors.As(k.refused, &unknown):
		return "nobody who is trusted vouches for it; name the file of its issuer's certificate with ca"
	case errors.As(k.refused, &host):
		names := append([]string(nil), k.cert.DNSNames...)
		for _, ip := range k.cert.IPAddresses {
			names = append(names, net.IP.String(ip))
		}
		return fmt.Sprintf("it is not for %s but for %s", k.host, strings.Join(names, ", "))
	case errors.As(k.refused, &invalid) && invalid.Reason == x509.Expired:
		return "it does not hold today"
	}
	return k.refused.Error()
}
