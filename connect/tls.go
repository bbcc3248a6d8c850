package connect

import (
	"cmp"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"

	"gatemap/core/place"
)

// TLS says who vouches for a server.
type TLS struct {
	Place place.Place `yaml:"-"`
	CA    place.Text  `yaml:"ca" doc:"File of the certificates (PEM) that may vouch for the server, by its path from the map folder. Missing: those of the machine."`
	Name  string      `yaml:"name" doc:"The name that its certificate must have. Missing: the host of the address."`
}

// TrustedBy is TLS with the certificates of a file; nil: none is named.
func TrustedBy(ca string) *TLS {
	if ca == "" {
		return nil
	}
	return &TLS{CA: place.Text{Value: ca}}
}

// Config is how a server is trusted. Without TLS it is nil, for servers on this machine only. The
// error may be a *place.Error.
func (t *TLS) Config(h Host, server string) (*tls.Config, error) {
	if t == nil {
		if !Loopback(server) {
			return nil, fmt.Errorf(
				"%s is another machine, and a secret would go there in the clear: say how it is trusted with tls: {ca: "+
					"FILE}, or tls: {} for those that this machine trusts",
				server,
			)
		}
		return nil, nil
	}
	config := &tls.Config{ServerName: cmp.Or(t.Name, server), MinVersion: tls.VersionTLS12}
	if t.CA.Value == "" {
		return config, nil
	}
	pem, err := h.Certificates(t.CA.Value)
	if err != nil {
		return nil, place.Errorf(t.CA.Place, "%v", err)
	}
	config.RootCAs = x509.NewCertPool()
	if !config.RootCAs.AppendCertsFromPEM(pem) {
		return nil, place.Errorf(t.CA.Place, "%s holds no certificate in PEM", t.CA.Value)
	}
	return config, nil
}

// Must is Config for a server that speaks TLS alone: without TLS those that this machine trusts may
// vouch for it.
func (t *TLS) Must(h Host, server string) (*tls.Config, error) {
	return cmp.Or(t, &TLS{}).Config(h, server)
}

// Loopback says whether a host is this machine, by address or as localhost.
func Loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// At is an error with a place: its own, if it has one.
func At(p place.Place, err error) error {
	var own *place.Error
	if errors.As(err, &own) {
		return err
	}
	return place.Errorf(p, "%v", err)
}
