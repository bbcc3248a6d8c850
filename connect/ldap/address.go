package ldap

import (
	"errors"
	"fmt"
	"net/url"
	"strings"

	"gatemap/connect"
	"gatemap/core/place"
)

// addressed is the document of a server at an address, and the base that it names: it is written
// ldaps://HOST:PORT/BASE, with bind=DN, secret=env:NAME or secret=file:PATH, ca=FILE and starttls=true.
func addressed(at *url.URL) (d *Document, base string, err error) {
	server := url.URL{Scheme: at.Scheme, Host: at.Host}
	d = &Document{Servers: []place.Text{{Value: server.String()}}}
	if at.User != nil {
		return nil, "", errors.New(
			"whom to bind as is written ?bind=DN, and where the secret is &secret=env:GATEMAP_SECRET_NAME or &secret=file:PATH",
		)
	}
	starttls := ""
	if err := connect.Parts(at, &d.Secret, map[string]*string{"bind": &d.Bind.Value, "ca": &d.CA.Value,
		"starttls": &starttls}); err != nil {
		return nil, "", err
	}
	if d.StartTLS = starttls == "true"; starttls != "" && !d.StartTLS {
		return nil, "", fmt.Errorf("starttls=%s says nothing: it is starttls=true", starttls)
	}
	return d, strings.Trim(at.Path, "/"), nil
}
