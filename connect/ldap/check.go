package ldap

import (
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
)

// Check goes through everything that reading needs, step by step, and tells each.
// It tries the servers in order, and goes on with the first that answers. The
// records are nil if it got no further than that.
func (c *Client) Check(ctx context.Context, tables *connect.Tables, tell func(connect.Step)) (*Conn, *connect.Records) {
	for _, server := range c.ldap.Servers {
		conn, ok := c.checkServer(ctx, server.Value, tell)
		if !ok {
			continue
		}
		records, ok := conn.checkSearches(ctx, tables, tell)
		if !ok {
			conn.Close()
			return nil, nil
		}
		return conn, records
	}
	return nil, nil
}

func (c *Client) checkServer(ctx context.Context, server string, tell func(connect.Step)) (*Conn, bool) {
	failed := func(step string, err error) (*Conn, bool) {
		var e *Error
		if errors.As(err, &e) {
			step, err = e.Step, e.Err
		}
		hint := ""
		if step == "connection" || errors.Is(err, errNoAnswer) {
			hint = c.otherwise(ctx, server)
		}
		tell(connect.Step{Name: step, Failed: true, Detail: server + ": " + err.Error() + hint})
		return nil, false
	}
	u, err := url.Parse(server)
	if err != nil || u.Hostname() == "" {
		return failed("address", errors.New("this is no address; one is like ldaps://host"))
	}
	ips, err := net.DefaultResolver.LookupHost(ctx, u.Hostname())
	if err != nil {
		return failed("address", fmt.Errorf("the name is not known: %w", err))
	}
	tell(connect.Step{Name: "address", Detail: server + " is at " + strings.Join(ips, ", ")})
	began := time.Now()
	raw, err := c.dial(ctx, server)
	if err != nil {
		return failed("connection", err)
	}
	tell(connect.Step{Name: "connection", Detail: fmt.Sprintf("made in %d ms", time.Since(began).Milliseconds())})
	if state, ok := raw.TLSConnectionState(); ok && len(state.PeerCertificates) > 0 {
		k := check{cert: state.PeerCertificates[0]}
		tell(
			connect.Step{
				Name:   "certificate",
				Detail: strings.Join(k.describe(), "\n"),
				Warned: time.Until(k.cert.NotAfter) < soon,
			},
		)
	} else {
		tell(connect.Step{Name: "certificate", Warned: true,
			Detail: "none: what is sent, the secret included, can be read on the way; use ldaps://, or set starttls"})
	}
	conn := &Conn{client: c, ldap: raw, server: server}
	conn.place.File = server
	if err := conn.bind(); err != nil {
		conn.Close()
		return failed("bind", err)
	}
	who := "as nobody (anonymous)"
	if c.ldap.Bind.Value != "" {
		who = "as " + c.ldap.Bind.Value
	}
	tell(connect.Step{Name: "bind", Detail: who})
	return conn, true
}

// otherwise says what is wrong where a port for TLS is spoken to in clear, or the other way
// round, as the port itself shows; "" if that is not it.
func (c *Client) otherwise(ctx context.Context, server string) string {
	u, err := url.Parse(server)
	if err != nil || u.Hostname() == "" {
		return ""
	}
	ctx, cancel := context.WithTimeout(ctx, min(c.ldap.Timeout.Or(timeout), 2*time.Second))
	defer cancel()
	raw, err := (&net.Dialer{}).DialContext(ctx, "tcp", address(u))
	if err != nil {
		return ""
	}
	defer raw.Close()
	if u.Scheme == "ldap" {
		if tls.Client(raw, &tls.Config{InsecureSkipVerify: true}).HandshakeContext(ctx) == nil { // nothing is told it
			return "; the port speaks TLS from the start: write ldaps:// instead of ldap://"
		}
		return ""
	}
	deadline, _ := ctx.Deadline()
	_ = raw.SetDeadline(deadline)
	conn := ldap.NewConn(raw, false)
	conn.Start()
	defer conn.Close()
	if _, err := conn.Search(ldap.NewSearchRequest("", ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 1, false,
		"(objectClass=*)", []string{"1.1"}, nil)); err == nil {
		return "; the port does not speak TLS from the start: write ldap:// instead of ldaps://, with starttls: true"
	}
	return ""
}

// soon is how long before its end a certificate is warned of.
const soon = 30 * 24 * time.Hour

func (c *Conn) checkSearches(
	ctx context.Context,
	tables *connect.Tables,
	tell func(connect.Step),
) (*connect.Records, bool) {
	searches, err := c.searches(tables)
	if err != nil {
		tell(connect.Step{Name: "base", Failed: true, Detail: err.Error()})
		return nil, false
	}
	records := &connect.Records{}
	seen := map[string]bool{}
	for _, s := range searches {
		r, err := c.ldap.Search(
			ldap.NewSearchRequest(
				s.base.Value,
				ldap.ScopeBaseObject,
				ldap.NeverDerefAliases,
				1,
				0,
				false,
				"(objectClass=*)",
				[]string{"1.1"},
				nil,
			),
		)
		if err == nil && len(r.Entries) == 0 {
			err = errors.New("the account that binds may not see it")
		}
		if err != nil {
			tell(
				connect.Step{Name: "base", Failed: true, Detail: fmt.Sprintf("%ss below %q: %v", s.kind, s.base.Value, plain(err))},
			)
			return nil, false
		}
		tell(connect.Step{Name: "base", Detail: fmt.Sprintf("%ss below %s", s.kind, s.base.Value)})
		n := 0
		err = c.taken(ctx, s, tables, seen, records, func(bool) { n++ })
		if err != nil {
			tell(connect.Step{Name: "filter", Failed: true, Detail: err.Error()})
			return nil, false
		}
		detail := fmt.Sprintf("%s: %d entries", s.filter, n)
		if n == 0 {
			detail += "; the filter matches nothing, or the account that binds may not see what it matches"
		}
		tell(connect.Step{Name: "filter", Warned: n == 0, Detail: detail})
	}
	tables.Finish(records)
	return records, true
}

// loginNames are the attributes in which a name may stand that someone signs in
// with.
var loginNames = []string{"uid", "cn", "mail", "sAMAccountName", "userPrincipalName", "employeeNumber", "displayName"}

// HasName looks for entries that hold a name in one of the attributes in which
// people's names may stand, whatever the tables mean.
func (c *Conn) HasName(named string) ([]connect.Near, error) {
	var filter strings.Builder
	for _, a := range loginNames {
		fmt.Fprintf(&filter, "(%s=%s)", a, ldap.EscapeFilter(named))
	}
	base, err := c.ownBase()
	if err != nil {
		if len(c.client.source.Users.Base) == 0 {
			return nil, err
		}
		base = c.client.source.Users.Base[0].Value
	}
	r, err := c.ldap.Search(
		ldap.NewSearchRequest(
			base,
			ldap.ScopeWholeSubtree,
			ldap.NeverDerefAliases,
			10,
			0,
			false,
			"(|"+filter.String()+")",
			loginNames,
			nil,
		),
	)
	if err != nil && !ldap.IsErrorWithCode(err, ldap.LDAPResultSizeLimitExceeded) {
		return nil, plain(err)
	}
	var all []connect.Near
	for _, e := range r.Entries {
		for _, a := range e.Attributes {
			for _, v := range a.Values {
				if strings.EqualFold(v, named) {
					all = append(all, connect.Near{DN: e.DN, Attribute: a.Name})
				}
			}
		}
	}
	return all, nil
}
