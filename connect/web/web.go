// Package web makes clients of servers of HTTP that a map names.
package web

import (
	"net/http"
	"net/url"

	"gatemap/connect"
)

// Client is a client of the server at an address that is http:// or https://. It goes there itself,
// through no proxy, and follows no redirects: nothing that is meant for that server reaches another.
// The error may be a *place.Error.
func Client(at *url.URL, t *connect.TLS, h connect.Host) (*http.Client, error) {
	trust := t.Config
	if at.Scheme == "https" {
		trust = t.Must
	}
	config, err := trust(h, at.Hostname())
	if err != nil {
		return nil, err
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.TLSClientConfig, transport.Proxy = config, nil
	stay := func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	return &http.Client{Transport: transport, CheckRedirect: stay}, nil
}
