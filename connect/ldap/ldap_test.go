package ldap_test

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	goldap "github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/ldap"
	"gatemap/core/directory"
	"gatemap/core/place"
)

func text(s string) place.Text { return place.Text{Value: s} }

// source is how the tests ask a server, over StartTLS.
func (s *server) source() *directory.Source {
	return &directory.Source{
		Connection: directory.Connection{Document: &ldap.Document{
			Servers: []place.Text{text(s.LDAP)}, StartTLS: true, CA: text("ca.pem"), Bind: text(admin),
			Secret: &connect.Secret{Env: "GATEMAP_SECRET_TEST"}, Tries: 1, Page: 7,
		}},
		Users: &directory.UserTable{
			Pick: directory.Pick{
				Base:   []directory.Base{{Text: text("ou=people," + suffix)}},
				Filter: text("(objectClass=inetOrgPerson)"),
				Name:   "uid",
			},
			Attributes: map[string]string{"title": "title"},
		},
		Groups: &directory.GroupTable{
			Pick:    directory.Pick{Filter: text("(|(objectClass=groupOfNames)(objectClass=posixGroup))"), Name: "cn"},
			Members: []string{"member", "memberUid"}, Number: "gidNumber",
		},
	}
}

// asked is how a source's server is asked.
func asked(s *directory.Source) *ldap.Document { return s.Connection.Document.(*ldap.Document) }

func (s *server) host() connect.Host {
	return connect.Host{Files: os.DirFS(s.Path("")), Secrets: os.DirFS(s.Path(""))}
}

func tablesOf(t testing.TB, s *directory.Source) *connect.Tables {
	t.Helper()
	var errs place.Errors
	tables := connect.NewTables(s, &errs)
	require.NoError(t, errs.Err())
	return tables
}

func people(n int) string {
	var b strings.Builder
	b.WriteString(
		"dn: ou=people," + suffix + "\nobjectClass: organizationalUnit\nou: people\n\ndn: ou=groups," + suffix + "\nobjectClass: organizationalUnit\nou: groups\n\n",
	)
	for i := range n {
		fmt.Fprintf(
			&b,
			"dn: uid=p%d,ou=people,%s\nobjectClass: inetOrgPerson\nuid: p%d\ncn: Person %d\nsn: Person\ntitle: Observer\n\n",
			i,
			suffix,
			i,
			i,
		)
	}
	fmt.Fprintf(
		&b,
		"dn: cn=crew,ou=groups,%s\nobjectClass: groupOfNames\ncn: crew\nmember: uid=p1,ou=people,%s\nmember: uid=p2,ou=people,%s\n\n",
		suffix,
		suffix,
		suffix,
	)
	fmt.Fprintf(
		&b,
		"dn: cn=unix,ou=groups,%s\nobjectClass: posixGroup\ncn: unix\ngidNumber: 500\nmemberUid: p3\n\n",
		suffix,
	)
	return b.String()
}

func fetch(t *testing.T, s *server, source *directory.Source) (connect.Records, error) {
	t.Helper()
	conn, err := ldap.New(source, s.host()).Connect(t.Context())
	if err != nil {
		return connect.Records{}, err
	}
	defer conn.Close()
	return conn.Fetch(t.Context(), tablesOf(t, source), func(int) {})
}

func TestFetch(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, people(50), "127.0.0.1")
	r, err := fetch(t, s, s.source())
	require.NoError(t, err)
	assert.Len(t, r.Users, 50)
	assert.Empty(t, r.Rejected)
	require.Len(t, r.Groups, 2, "without a base it is below the server's own")
	assert.Len(t, r.Groups[0].Members.Any, 2)
	assert.Equal(t, "Observer", r.Users[7].Attributes.First("title"))
	assert.Equal(t, s.LDAP, r.Users[7].Place.File)

	t.Run("bases that overlap, and scopes", func(t *testing.T) {
		source := s.source()
		source.Users.Base = []directory.Base{
			{
				Text:  text("uid=p1,ou=people," + suffix),
				Scope: "base",
			}, {Text: text("ou=people," + suffix), Scope: "one"}, {Text: text("ou=groups," + suffix)},
		}
		r, err := fetch(t, s, source)
		require.NoError(t, err)
		assert.Len(t, r.Users, 50)
	})
	t.Run("over TLS from the start, with the secret in a file", func(t *testing.T) {
		source := s.source()
		s.write("secret", secret+"\n")
		asked(source).Servers, asked(source).StartTLS = []place.Text{text(s.TLS)}, false
		asked(source).Secret = &connect.Secret{File: text("secret")}
		r, err := fetch(t, s, source)
		require.NoError(t, err)
		assert.Len(t, r.Users, 50)
	})
	t.Run("the next server where the first is gone", func(t *testing.T) {
		source := s.source()
		asked(source).Servers = []place.Text{text("ldap://" + freePort(t)), text(s.LDAP)}
		conn, err := ldap.New(source, s.host()).Connect(t.Context())
		require.NoError(t, err)
		defer conn.Close()
		assert.Equal(t, s.LDAP, conn.Server())
	})
}

func TestConnectRefuses(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, people(5), "127.0.0.1")
	for _, c := range []struct {
		name   string
		change func(*ldap.Document)
		step   string
		want   []string
	}{
		{"nobody vouches", func(l *ldap.Document) { l.CA = text("") }, "certificate", []string{
			"nobody who is trusted vouches for it", "subject  CN=directory.cindervale.example", "issuer   CN=Cindervale test CA", "valid    20",
		}},
		{"another name", func(l *ldap.Document) { l.Servers[0].Value = strings.Replace(s.LDAP, "127.0.0.1", "localhost", 1) }, "certificate",
			[]string{"it is not for localhost but for 127.0.0.1"}},
		{"no certificate in the file", func(l *ldap.Document) { l.CA = text("slapd.conf") }, "certificate", []string{"holds no certificate in PEM"}},
		{"no file of certificates", func(l *ldap.Document) { l.CA = text("nowhere.pem") }, "certificate", []string{"cannot be read", "nowhere.pem"}},
		{"no server", func(l *ldap.Document) { l.Servers[0].Value = "ldap://" + freePort(t) }, "connection", []string{"connection refused"}},
		{"no address", func(l *ldap.Document) { l.Servers[0].Value = "directory.cindervale.example" }, "address", []string{"an address is ldap://host or ldaps://host"}},
		{"TLS twice", func(l *ldap.Document) { l.Servers[0].Value = s.TLS }, "address", []string{"starttls goes with ldap://"}},
		{"no secret", func(l *ldap.Document) { l.Secret = nil }, "bind", []string{"there is no secret for the bind"}},
		{"an unset variable", func(l *ldap.Document) { l.Secret.Env = "GATEMAP_SECRET_UNSET" }, "bind", []string{"GATEMAP_SECRET_UNSET", "is not set"}},
		{"a wrong name", func(l *ldap.Document) { l.Bind = text("cn=other," + suffix) }, "bind", []string{"refuses cn=other," + suffix, "the name or the secret is wrong"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			source := s.source()
			c.change(asked(source))
			_, err := fetch(t, s, source)
			var e *ldap.Error
			require.ErrorAs(t, err, &e)
			assert.Equal(t, c.step, e.Step)
			for _, want := range c.want {
				assert.ErrorContains(t, err, want)
			}
			assert.NotContains(t, err.Error(), secret)
		})
	}
	t.Run("an old certificate", func(t *testing.T) {
		s.Stop()
		certify(t, s.Dir, time.Now().Add(-time.Hour), "127.0.0.1")
		s.start()
		_, err := fetch(t, s, s.source())
		assert.ErrorContains(t, err, "it does not hold today")
	})
}

func TestFetchRefuses(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(
		t,
		people(
			5,
		)+"dn: ou=far,"+suffix+"\nobjectClass: referral\nobjectClass: extensibleObject\nou: far\nref: ldap://192.0.2.9/ou=far,"+suffix+"\n\n"+
			"dn: cn=few,"+suffix+"\nobjectClass: person\ncn: few\nsn: few\nuserPassword: "+secret+"\n\n",
		"127.0.0.1",
	)
	for _, c := range []struct {
		name   string
		change func(*directory.Source)
		want   string
	}{
		{"no such base", func(s *directory.Source) { s.Users.Base[0].Value = "ou=nobody," + suffix }, `base: there is no entry "ou=nobody,`},
		{"no filter", func(s *directory.Source) { s.Users.Filter.Value = "(uid=" }, "search: below"},
		{"a limit", func(s *directory.Source) { asked(s).Bind = text("cn=few," + suffix); asked(s).Page = 2 }, "the server stops at a limit on entries"},
	} {
		t.Run(c.name, func(t *testing.T) {
			source := s.source()
			c.change(source)
			_, err := fetch(t, s, source)
			assert.ErrorContains(t, err, c.want)
		})
	}
	r, err := fetch(t, s, s.source())
	require.NoError(t, err)
	require.Len(t, r.Rejected, 1, "a referral is told and not followed")
	assert.Contains(t, r.Rejected[0].Error(), "the server refers to ldap://192.0.2.9/")
}

// stream follows a server until the test ends, and gives what was there at first.
func (s *server) stream(source *directory.Source) (connect.Records, <-chan connect.Patch, <-chan error) {
	s.t.Helper()
	conn, err := ldap.New(source, s.host()).Connect(s.t.Context())
	require.NoError(s.t, err)
	s.t.Cleanup(func() { conn.Close() })
	require.True(s.t, conn.Streams())
	all, patches, ended := make(chan connect.Records, 1), make(chan connect.Patch, 100), make(chan error, 1)
	go func() {
		ended <- conn.Stream(s.t.Context(), tablesOf(s.t, source), func(int) {}, func(r connect.Records) error { all <- r; return nil },
			func(p connect.Patch) error { patches <- p; return nil })
	}()
	return await(s.t, all), patches, ended
}

// What is changed on the server arrives as a patch, and what arrived makes the
// records what a full run would bring.
func TestStream(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, people(50), "127.0.0.1")
	source := s.source()
	records, patches, ended := s.stream(source)
	assert.Len(t, records.Users, 50)
	assert.Len(t, records.Groups, 2)
	for _, changes := range []string{
		"dn: uid=p4,ou=people," + suffix + "\nchangetype: modify\nreplace: title\ntitle: Astronomer\n",
		"dn: uid=new,ou=people," + suffix + "\nchangetype: add\nobjectClass: inetOrgPerson\nuid: new\ncn: New\nsn: New\n",
		"dn: uid=p5,ou=people," + suffix + "\nchangetype: delete\n",
		"dn: uid=p6,ou=people," + suffix + "\nchangetype: modrdn\nnewrdn: uid=renamed\ndeleteoldrdn: 1\n",
		"dn: cn=crew,ou=groups," + suffix + "\nchangetype: modify\nadd: member\nmember: uid=p9,ou=people," + suffix + "\n\n" +
			"dn: uid=p9,ou=people," + suffix + "\nchangetype: modify\nreplace: title\ntitle: Chief\n",
	} {
		s.modify(changes)
		records = records.With(await(t, patches))
		for more := true; more; { // several changes may come in several patches
			select {
			case p := <-patches:
				records = records.With(p)
			case <-time.After(200 * time.Millisecond):
				more = false
			}
		}
		want, err := fetch(t, s, source)
		require.NoError(t, err)
		_, delta := connect.Settle(records, want)
		assert.True(t, delta.Empty(), "%s: %+v", changes, delta)
	}
	s.Stop()
	err := await(t, ended)
	var e *ldap.Error
	require.True(t, errors.As(err, &e), "%v", err)
	s.start() // for the cleanup
}

// What changes all the time is handed on all the same.
func TestAStreamThatNeverRests(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, people(5), "127.0.0.1")
	_, patches, _ := s.stream(s.source())
	for i := range 5 {
		writes, err := goldap.DialURL(s.LDAP)
		require.NoError(t, err)
		defer writes.Close()
		require.NoError(t, writes.Bind(admin, secret))
		go func() {
			for n := 0; t.Context().Err() == nil; n++ {
				change := goldap.NewModifyRequest(fmt.Sprintf("uid=p%d,ou=people,%s", i, suffix), nil)
				change.Replace("title", []string{fmt.Sprint("Observer ", n)})
				if writes.Modify(change) != nil {
					return
				}
			}
		}()
	}
	several := make(chan struct{})
	go func() {
		for range 5 {
			<-patches
		}
		close(several)
	}()
	await(t, several)
}

func await[T any](t *testing.T, from <-chan T) T {
	t.Helper()
	select {
	case x := <-from:
		return x
	case <-time.After(10 * time.Second):
		require.Fail(t, "nothing came in ten seconds")
		panic("unreachable")
	}
}

// A test says so where a port for TLS is spoken to in clear, and the other way round,
// whatever its number.
func TestCheckOfTheWrongScheme(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, people(2), "127.0.0.1")
	for address, want := range map[string]string{
		strings.Replace(s.TLS, "ldaps:", "ldap:", 1):  "the port speaks TLS from the start: write ldaps:// instead of ldap://",
		strings.Replace(s.LDAP, "ldap:", "ldaps:", 1): "the port does not speak TLS from the start: write ldap:// instead of ldaps://",
	} {
		source := s.source()
		asked(source).StartTLS, asked(source).Servers = false, []place.Text{text(address)}
		asked(source).Timeout = directory.Span{Duration: 2 * time.Second}
		var steps []connect.Step
		checked := asked(
			source,
		).Check(t.Context(), &connect.Job{Source: source, Host: s.host(), Tables: tablesOf(t, source)}, func(x connect.Step) { steps = append(steps, x) })
		assert.Nil(t, checked.Records)
		last := steps[len(steps)-1]
		assert.True(t, last.Failed)
		assert.Contains(t, last.Detail, want)
	}
}
