// Package ldap reads users, groups and devices from directory servers
// (RFC 4511), whole, by what changed, or as a stream of changes. It writes
// nothing and follows no referrals.
package ldap

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// What holds where the map does not say otherwise.
const (
	timeout   = 30 * time.Second
	page      = 500
	tries     = 3
	firstWait = 200 * time.Millisecond
)

// Client asks the servers of one source.
type Client struct {
	source *directory.Source
	ldap   *Document
	host   connect.Host
}

// New makes a client of a source of this kind, which reads certificates and secrets on a
// host.
func New(source *directory.Source, host connect.Host) *Client {
	return &Client{source, source.Connection.Document.(*Document), host}
}

// Conn is a connection that is bound. It is for one user at a time.
type Conn struct {
	client *Client
	ldap   *ldap.Conn
	server string
	root   *ldap.Entry // the server's own entry (RFC 4512 section 5.1), once asked for
	place  place.Place // of everything that it gives
	clock  clock

	parents map[string]string // the distinguished names of containers, by identifier, as polls know them
	moved   renamed           // what polls found renamed
	present []present         // what each search had when it was compared last
	places  map[string]string // the containers at that time, as parents
	heavy   bool              // the server does not tell what has changed: everything is compared by name

	compared Mark // the last comparison by number
}

// Error says what went wrong with which server, and in which step: address,
// connection, certificate, bind, base or search.
type Error struct {
	Step, Server string
	Err          error
}

func (e *Error) Error() string { return fmt.Sprintf("%s: %s: %v", e.Server, e.Step, e.Err) }
func (e *Error) Unwrap() error { return e.Err }

// Connect connects to the first server that answers and binds there. Servers are
// tried in order, all of them again after growing pauses. What trying again does
// not help, such as a wrong secret, fails at once. Errors join an *Error for each
// server.
func (c *Client) Connect(ctx context.Context) (*Conn, error) {
	wait := firstWait
	for try := 1; ; try++ {
		var errs []error
		for _, server := range c.ldap.Servers {
			conn, err := c.connect(ctx, server.Value)
			if err == nil {
				return conn, nil
			}
			errs = append(errs, err)
			if final(err) {
				return nil, errors.Join(errs...)
			}
		}
		if try >= cmp.Or(c.ldap.Tries, tries) {
			return nil, errors.Join(errs...)
		}
		if err := connect.Pause(ctx, wait); err != nil {
			return nil, errors.Join(append(errs, err)...)
		}
		wait = connect.Longer(wait)
	}
}

// final says whether trying again cannot help.
func final(err error) bool {
	var e *Error
	return errors.As(err, &e) && (e.Step == "bind" || e.Step == "certificate" || e.Step == "address")
}

func (c *Client) connect(ctx context.Context, server string) (*Conn, error) {
	conn, err := c.dial(ctx, server)
	if err != nil {
		return nil, err
	}
	bound := &Conn{client: c, ldap: conn, server: server, place: place.Place{File: server}}
	if err := bound.bind(); err != nil {
		conn.Close()
		return nil, &Error{"bind", server, err}
	}
	return bound, nil
}

// dial opens a connection, with TLS where that is asked for.
func (c *Client) dial(ctx context.Context, server string) (*ldap.Conn, error) {
	u, err := url.Parse(server)
	switch {
	case err != nil || u.Host == "" || u.Scheme != "ldap" && u.Scheme != "ldaps":
		return nil, &Error{
			"address",
			server,
			errors.New("an address is ldap://host or ldaps://host, with a port where it is not the usual one"),
		}
	case c.ldap.StartTLS && u.Scheme == "ldaps":
		return nil, &Error{"address", server, errors.New("ldaps:// is TLS from the start; starttls goes with ldap://")}
	}
	check, err := c.check(u.Hostname())
	if err != nil {
		return nil, &Error{"certificate", server, err}
	}
	wait := c.ldap.Timeout.Or(timeout)
	raw, err := (&net.Dialer{Timeout: wait}).DialContext(ctx, "tcp", address(u))
	if err != nil {
		return nil, &Error{"connection", server, errors.Unwrap(err)}
	}
	_ = raw.SetDeadline(time.Now().Add(wait))
	if u.Scheme == "ldaps" {
		secure := tls.Client(raw, check.config())
		if err := secure.HandshakeContext(ctx); err != nil {
			raw.Close()
			return nil, check.failed(server, err)
		}
		raw = secure
	}
	conn := ldap.NewConn(raw, u.Scheme == "ldaps")
	conn.Start()
	conn.SetTimeout(wait)
	if c.ldap.StartTLS {
		if err := conn.StartTLS(check.config()); err != nil {
			conn.Close()
			return nil, check.failed(server, plain(err))
		}
	}
	_ = raw.SetDeadline(time.Time{})
	return conn, nil
}

// address is the host and port of a server.
func address(u *url.URL) string {
	if u.Port() != "" {
		return u.Host
	}
	return net.JoinHostPort(u.Hostname(), map[string]string{"ldap": "389", "ldaps": "636"}[u.Scheme])
}

func (c *Conn) bind() error {
	l := c.client.ldap
	if l.Bind.Value == "" {
		return plain(c.ldap.UnauthenticatedBind(""))
	}
	secret, err := c.client.host.Secret(l.Secret)
	if err != nil {
		return err
	}
	err = c.ldap.Bind(l.Bind.Value, secret)
	if ldap.IsErrorWithCode(err, ldap.LDAPResultInvalidCredentials) {
		return fmt.Errorf("the server refuses %s: the name or the secret is wrong", l.Bind.Value)
	}
	if ldap.IsErrorWithCode(err, ldap.LDAPResultStrongAuthRequired) ||
		ldap.IsErrorWithCode(err, ldap.LDAPResultConfidentialityRequired) {
		return errors.New("the server takes a bind over TLS only: use ldaps://, or set starttls")
	}
	return plain(err)
}

// Close ends the connection.
func (c *Conn) Close() { _ = c.ldap.Close() }

// Server is the address that answered.
func (c *Conn) Server() string { return c.server }

// errNoAnswer is what another protocol on the port looks like.
var errNoAnswer = errors.New("no answer that can be understood")

// plain takes the decoration of the library off an error.
func plain(err error) error {
	var e *ldap.Error
	if !errors.As(err, &e) {
		if err != nil {
			if rest, ok := strings.CutPrefix(err.Error(), "unable to read LDAP response packet: "); ok {
				return fmt.Errorf("%w: %s", errNoAnswer, rest)
			}
		}
		return err
	}
	switch e.ResultCode {
	case ldap.LDAPResultReferral:
		return fmt.Errorf("the server refers to another one, which is not followed; name that one in servers")
	case ldap.LDAPResultNoSuchObject:
		return errors.New("there is no such entry")
	case ldap.LDAPResultSizeLimitExceeded:
		return errors.New(
			"the server stops at a limit on entries; ask for smaller pages with page, " +
				"or raise the limit for the account that binds",
		)
	case ldap.LDAPResultTimeLimitExceeded:
		return errors.New("the server stops at a limit on time")
	case ldap.LDAPResultInsufficientAccessRights:
		return errors.New("the account that binds may not read this")
	case ldap.ErrorNetwork:
		if e.Err != nil {
			return fmt.Errorf("%w: %s", errNoAnswer, strings.TrimPrefix(e.Err.Error(), "ldap: "))
		}
	}
	if text, known := ldap.LDAPResultCodeMap[e.ResultCode]; known && e.Err != nil && e.Err.Error() != "" {
		return fmt.Errorf("%s (%d): %s", text, e.ResultCode, e.Err)
	} else if known {
		return fmt.Errorf("%s (%d)", text, e.ResultCode)
	}
	return err
}
