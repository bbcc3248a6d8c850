package ldap_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	goldap "github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/ldap"
	"gatemap/core/directory"
	"gatemap/core/place"
	"gatemap/tools/slapd"
)

// renames are what happens to names on a server, each by itself.
var renames = []struct{ name, changes string }{
	{"a login name changes", renamed("uid=p1,ou=people", "uid=renamed")},
	{
		"someone moves to another place",
		"dn: uid=p2,ou=people," + suffix + "\nchangetype: modrdn\nnewrdn: uid=p2\ndeleteoldrdn: 1\nnewsuperior: ou=guests," + suffix + "\n",
	},
	{
		"two swap their names",
		renamed(
			"uid=p3,ou=people",
			"uid=between",
		) + renamed(
			"uid=p4,ou=people",
			"uid=p3",
		) + renamed(
			"uid=between,ou=people",
			"uid=p4",
		),
	},
	{
		"one is deleted, and another made by the same name",
		"dn: uid=p5,ou=people," + suffix + "\nchangetype: delete\n\ndn: uid=p5,ou=people," + suffix + "\nchangetype: add\nobjectClass: inetOrgPerson\nuid: p5\ncn: Other\nsn: Other\ntitle: Guest\n\n",
	},
	{"a group is renamed that is in another", renamed("cn=inner,ou=groups", "cn=within")},
	{"a place is renamed, with all who are in it", renamed("ou=guests", "ou=visitors")},
	{"and a place of groups", renamed("ou=groups", "ou=teams")},
	{
		"a second one by a login name",
		"dn: cn=second,ou=people," + suffix + "\nchangetype: add\nobjectClass: inetOrgPerson\nuid: p6\ncn: second\nsn: Second\n\n",
	},
	{
		"the first gives it up",
		"dn: uid=p6,ou=people," + suffix + "\nchangetype: modrdn\nnewrdn: uid=p6old\ndeleteoldrdn: 1\n\n",
	},
	{"someone leaves", "dn: uid=p7,ou=people," + suffix + "\nchangetype: delete\n"},
}

func renamed(dn, rdn string) string {
	return "dn: " + dn + "," + suffix + "\nchangetype: modrdn\nnewrdn: " + rdn + "\ndeleteoldrdn: 1\n\n"
}

func tree() string {
	var b strings.Builder
	for _, ou := range []string{"people", "guests", "groups"} {
		fmt.Fprintf(&b, "dn: ou=%s,%s\nobjectClass: organizationalUnit\nou: %s\n\n", ou, suffix, ou)
	}
	all := func(first, last int) (members string) {
		for i := first; i <= last; i++ {
			members += fmt.Sprintf("member: uid=p%d,ou=people,%s\n", i, suffix)
		}
		return members
	}
	for i := range 10 {
		fmt.Fprintf(
			&b,
			"dn: uid=p%d,ou=people,%s\nobjectClass: inetOrgPerson\nuid: p%d\ncn: P %d\nsn: P\ntitle: Title %d\n\n",
			i,
			suffix,
			i,
			i,
			i,
		)
	}
	fmt.Fprintf(&b, "dn: cn=inner,ou=groups,%s\nobjectClass: groupOfNames\ncn: inner\n%s\n", suffix, all(1, 5))
	fmt.Fprintf(
		&b,
		"dn: cn=outer,ou=groups,%s\nobjectClass: groupOfNames\ncn: outer\n%smember: cn=inner,ou=groups,%s\n\n",
		suffix,
		all(6, 7),
		suffix,
	)
	return b.String()
}

// told are the records as the server tells them in full: who is who by identifier, and who
// is in which group by distinguished name.
func told(r connect.Records) []string {
	var all []string
	for _, u := range r.Users {
		all = append(
			all,
			fmt.Sprintf("user %s is %s at %s with %s", u.ID, u.Name, strings.ToLower(u.DN), u.Attributes.First("title")),
		)
	}
	for _, g := range r.Groups {
		var members []string
		for _, m := range g.Members.Any {
			members = append(members, strings.ToLower(m.Name))
		}
		slices.Sort(members)
		all = append(all, fmt.Sprintf("group %s is %s at %s with %v", g.ID, g.Name, strings.ToLower(g.DN), members))
	}
	slices.Sort(all)
	return all
}

// mirrored is what a stream, or polls, made of a server.
type mirrored struct {
	mu      sync.Mutex
	records connect.Records
}

func (m *mirrored) is() []string {
	m.mu.Lock()
	defer m.mu.Unlock()
	return told(m.records)
}

func (m *mirrored) set(r connect.Records) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.records = r
}

// whole is a source of everything below the suffix.
func (s *server) whole(follow directory.Follow) *directory.Source {
	source := s.source()
	source.Users.Base, source.Follow = nil, follow
	return source
}

// After every way of renaming, what is known equals what a full reading says, the second one
// by a name but for the one that had it before.
func followsRenames(
	t *testing.T,
	start func(*testing.T, string) *server,
	follow func(ctx context.Context, s *server, m *mirrored) error,
	soon time.Duration,
) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := start(t, tree())
	ctx, stop := context.WithCancel(t.Context())
	var m mirrored
	ended := make(chan error, 1)
	go func() { ended <- follow(ctx, s, &m) }()
	t.Cleanup(func() {
		stop()
		assert.ErrorIs(t, <-ended, context.Canceled, "it goes on until it is stopped")
	})
	source := s.whole("")
	equals := func() bool {
		want, err := fetch(t, s, source)
		require.NoError(t, err)
		return slices.Equal(told(want), m.is())
	}
	require.Eventually(t, equals, 10*time.Second, 20*time.Millisecond)
	for _, c := range renames {
		s.modify(c.changes)
		if c.name == "a second one by a login name" {
			time.Sleep(soon / 2)
			for _, line := range m.is() {
				assert.NotContains(t, line, "cn=second", "it never takes the name over")
			}
			continue
		}
		if !assert.Eventually(t, equals, soon, 20*time.Millisecond, c.name) {
			want, err := fetch(t, s, source)
			require.NoError(t, err)
			assert.Equal(t, told(want), m.is(), c.name)
		}
	}
}

func byStream(ctx context.Context, s *server, m *mirrored) error {
	source := s.whole("stream")
	// slapd may send what belongs to a stream that has ended over the connection after it.
	asked(source).Timeout, asked(source).Tries = directory.Span{Duration: 2 * time.Second}, 3
	for ctx.Err() == nil {
		conn, err := ldap.New(source, s.host()).Connect(ctx)
		if err != nil {
			return err
		}
		err = conn.Stream(ctx, tablesOf(s.t, source), func(int) {}, func(r connect.Records) error { m.set(r); return nil },
			func(p connect.Patch) error { m.set(m.records.With(p)); return nil })
		conn.Close()
		if !errors.Is(err, connect.ErrAnew) {
			return err
		}
	}
	return ctx.Err()
}

func byPolls(ctx context.Context, s *server, m *mirrored) error {
	source := s.whole("poll")
	conn, err := ldap.New(source, s.host()).Connect(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	for whole := true; ctx.Err() == nil; time.Sleep(50 * time.Millisecond) {
		mark, err := conn.Mark()
		if err != nil {
			return err
		}
		if whole {
			all, err := conn.Fetch(ctx, tablesOf(s.t, source), func(int) {})
			if err != nil {
				return err
			}
			m.set(all)
			whole = false
			continue
		}
		p, err := conn.Changes(ctx, tablesOf(s.t, source), mark, m.records)
		if whole = errors.Is(err, connect.ErrAnew); whole {
			continue
		}
		if err != nil {
			return err
		}
		m.set(m.records.With(p))
		if p, err = conn.Verify(ctx, tablesOf(s.t, source), m.records); err != nil {
			return err
		}
		m.set(m.records.With(p))
	}
	return ctx.Err()
}

func TestPollsFollowRenames(t *testing.T) {
	for name, start := range map[string]func(*testing.T, string) *server{
		"a server that leaves references as they are": func(t *testing.T, entries string) *server { return startSlapd(t, entries, "127.0.0.1") },
		"a server that follows with references":       startFollowing,
	} {
		t.Run(name, func(t *testing.T) { followsRenames(t, start, byPolls, 10*time.Second) })
	}
}

// What came or went without a change that is told is found by comparing identifiers, with
// servers that tell what has changed and with others.
func TestVerify(t *testing.T) {
	for _, byName := range []bool{false, true} {
		t.Run(fmt.Sprintf("by name %t", byName), func(t *testing.T) { verifies(t, byName) })
	}
}

func verifies(t *testing.T, byName bool) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, tree(), "127.0.0.1")
	source := s.whole("")
	conn, err := ldap.New(source, s.host()).Connect(t.Context())
	require.NoError(t, err)
	defer conn.Close()
	if byName {
		conn.ByName()
	}
	all, err := conn.Fetch(t.Context(), tablesOf(t, source), func(int) {})
	require.NoError(t, err)
	p, err := conn.Verify(t.Context(), tablesOf(t, source), all)
	require.NoError(t, err)
	assert.True(t, p.Empty(), "nothing has changed")
	for _, c := range renames {
		s.modify(c.changes)
		p, err := conn.Verify(t.Context(), tablesOf(t, source), all)
		require.NoError(t, err)
		all = all.With(p)
		want, err := fetch(t, s, source)
		require.NoError(t, err)
		if c.name != "a second one by a login name" {
			assert.Equal(t, identities(want), identities(all), c.name)
		}
		p, err = conn.Verify(t.Context(), tablesOf(t, source), all)
		require.NoError(t, err)
		assert.Empty(t, p.Gone, c.name)
		assert.Equal(t, byName, conn.IsByName())
	}
	// Everything goes.
	for _, u := range all.Users {
		s.modify("dn: " + u.DN + "\nchangetype: delete\n\n")
	}
	p, err = conn.Verify(t.Context(), tablesOf(t, source), all)
	require.NoError(t, err)
	assert.Empty(t, all.With(p).Users)
}

// identities are who is there, by which name and where.
func identities(r connect.Records) (all []string) {
	for _, u := range r.Users {
		all = append(all, u.ID+" "+u.Name+" "+strings.ToLower(u.DN))
	}
	for _, g := range r.Groups {
		all = append(all, g.ID+" "+g.Name+" "+strings.ToLower(g.DN))
	}
	slices.Sort(all)
	return all
}

func TestAStreamFollowsRenames(t *testing.T) {
	for name, start := range map[string]func(*testing.T, string) *server{
		"a server that leaves references as they are": func(t *testing.T, entries string) *server { return startSlapd(t, entries, "127.0.0.1") },
		"a server that follows with references":       startFollowing,
	} {
		t.Run(name, func(t *testing.T) { followsRenames(t, start, byStream, 8*time.Second) })
	}
}

// A place that comes in from elsewhere with people in it, or leaves with them, has
// everything read anew: nothing is told of the people.
func TestAPlaceThatComesInOrLeaves(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	for name, follow := range map[string]func(*testing.T, *ldap.Conn, *connect.Tables, func()) error{
		"by a stream": func(t *testing.T, conn *ldap.Conn, tables *connect.Tables, change func()) error {
			ended := make(chan error, 1)
			go func() {
				ended <- conn.Stream(t.Context(), tables, func(int) {}, func(connect.Records) error { change(); return nil }, func(connect.Patch) error { return nil })
			}()
			return await(t, ended)
		},
		"by polls": func(t *testing.T, conn *ldap.Conn, tables *connect.Tables, change func()) error {
			all, err := conn.Fetch(t.Context(), tables, func(int) {})
			require.NoError(t, err)
			mark, err := conn.Mark()
			require.NoError(t, err)
			change()
			if _, err = conn.Changes(t.Context(), tables, mark, all); err == nil {
				_, err = conn.Verify(t.Context(), tables, all)
			}
			return err
		},
	} {
		t.Run(name, func(t *testing.T) {
			s := startSlapd(t, tree(), "127.0.0.1")
			s.modify("dn: ou=annex," + suffix + "\nchangetype: add\nobjectClass: organizationalUnit\nou: annex\n\n" +
				"dn: uid=q1,ou=annex," + suffix + "\nchangetype: add\nobjectClass: inetOrgPerson\nuid: q1\ncn: Q\nsn: Q\n\n")
			time.Sleep(8 * time.Second) // marks by time reach back a little
			for _, step := range []struct{ from, above string }{{"ou=annex", "ou=people,"}, {"ou=annex,ou=people", ""}} {
				source := s.source()
				source.Users.Base = []directory.Base{{Text: place.Text{Value: "ou=people," + suffix}}}
				source.Groups.Base = []directory.Base{{Text: place.Text{Value: "ou=groups," + suffix}}}
				source.Follow = "poll"
				asked(source).Tries = 3 // slapd may send what is left of the stream before over this connection
				conn, err := ldap.New(source, s.host()).Connect(t.Context())
				require.NoError(t, err)
				err = follow(t, conn, tablesOf(t, source), func() {
					s.modify(
						"dn: " + step.from + "," + suffix + "\nchangetype: modrdn\nnewrdn: ou=annex\ndeleteoldrdn: 1\nnewsuperior: " + step.above + suffix + "\n\n",
					)
				})
				conn.Close()
				if name == "by polls" && step.above == "" {
					require.NoError(t, err, "the comparison finds who left")
					continue
				}
				require.ErrorIs(t, err, connect.ErrAnew, "%+v", step)
			}
		})
	}
}

// A server that stands still while a stream reads everything is given up after the time-out.
func TestAStreamThatFreezes(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, tree(), "127.0.0.1")
	source := s.whole("stream")
	asked(source).Timeout = directory.Span{Duration: 500 * time.Millisecond}
	conn, err := ldap.New(source, s.host()).Connect(t.Context())
	require.NoError(t, err)
	defer conn.Close()
	require.True(t, conn.Streams())
	require.NoError(t, s.Freeze())
	defer func() { require.NoError(t, s.Thaw()) }()
	ended := make(chan error, 1)
	go func() {
		ended <- conn.Stream(t.Context(), tablesOf(t, source), func(int) {}, func(connect.Records) error { return nil }, func(connect.Patch) error { return nil })
	}()
	assert.ErrorContains(t, await(t, ended), "the server does not go on")
}

// A server is compared with what is known by its identifiers alone.
func BenchmarkVerify(b *testing.B) {
	b.Setenv("GATEMAP_SECRET_TEST", secret)
	s, err := slapd.Start(b.TempDir(), people(20_000), nil, []string{"127.0.0.1"})
	require.NoError(b, err)
	b.Cleanup(s.Stop)
	of := &server{s, nil}
	source := of.whole("")
	asked(source).Page = 500
	tables := tablesOf(b, source)
	conn, err := ldap.New(source, of.host()).Connect(b.Context())
	require.NoError(b, err)
	defer conn.Close()
	benchmarkVerify(b, conn, tables, "identifiers", func(_ connect.Records, i int) error {
		return s.Modify(
			fmt.Sprintf("dn: uid=p3,ou=people,%s\nchangetype: modify\nreplace: title\ntitle: Observer %d\n\n", suffix, i),
		)
	})
}

// benchmarkVerify compares reading everything with comparing what is known with what is there
// after each of some changes.
func benchmarkVerify(
	b *testing.B,
	conn *ldap.Conn,
	tables *connect.Tables,
	by string,
	change func(all connect.Records, i int) error,
) {
	all, err := conn.Fetch(b.Context(), tables, func(int) {})
	require.NoError(b, err)
	b.Run("everything", func(b *testing.B) {
		for b.Loop() {
			_, err := conn.Fetch(b.Context(), tables, func(int) {})
			require.NoError(b, err)
		}
	})
	b.Run(by, func(b *testing.B) {
		_, err := conn.Verify(b.Context(), tables, all) // what comes after the first is light
		require.NoError(b, err)
		for i := 0; b.Loop(); i++ {
			b.StopTimer()
			require.NoError(b, change(all, i))
			b.StartTimer()
			p, err := conn.Verify(b.Context(), tables, all)
			require.NoError(b, err)
			require.True(b, p.Empty())
		}
	})
}

// Bases that overlap: who moves from one into the other stays, and nothing is told twice.
func TestOverlappingBases(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(
		t,
		tree()+"dn: ou=night,ou=people,"+suffix+"\nobjectClass: organizationalUnit\nou: night\n\n",
		"127.0.0.1",
	)
	source := s.whole("stream")
	source.Users.Base = []directory.Base{{Text: text("ou=people," + suffix)}, {Text: text("ou=night,ou=people," + suffix)}}
	conn, err := ldap.New(source, s.host()).Connect(t.Context())
	require.NoError(t, err)
	defer conn.Close()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var m mirrored
	rejected := make(chan string, 100)
	go func() {
		_ = conn.Stream(ctx, tablesOf(t, source), func(int) {}, func(r connect.Records) error { m.set(r); return nil },
			func(p connect.Patch) error {
				m.set(m.records.With(p))
				for _, r := range p.Put.Rejected {
					rejected <- r.Message
				}
				return nil
			})
	}()
	equals := func() bool {
		want, err := fetch(t, s, source)
		require.NoError(t, err)
		return slices.Equal(told(want), m.is())
	}
	require.Eventually(t, equals, 10*time.Second, 20*time.Millisecond)
	for range 3 {
		for _, above := range []string{"ou=night,ou=people,", "ou=people,"} {
			from := map[string]string{"ou=night,ou=people,": "ou=people,", "ou=people,": "ou=night,ou=people,"}[above]
			s.modify(
				"dn: uid=p1," + from + suffix + "\nchangetype: modrdn\nnewrdn: uid=p1\ndeleteoldrdn: 1\nnewsuperior: " + above + suffix + "\n",
			)
			require.Eventually(t, equals, 10*time.Second, 20*time.Millisecond, above)
			time.Sleep(100 * time.Millisecond)
			assert.True(t, equals(), "and it stays so")
		}
	}
	m.mu.Lock()
	assert.Empty(t, m.records.Rejected)
	m.mu.Unlock()
	mark, err := conn.Mark()
	require.NoError(t, err)
	s.modify(
		"dn: uid=second,ou=night,ou=people," + suffix + "\nchangetype: add\nobjectClass: inetOrgPerson\nuid: second\nuid: two\ncn: x\nsn: x\n",
	)
	s.modify(
		"dn: cn=p1,ou=night,ou=people," + suffix + "\nchangetype: add\nobjectClass: inetOrgPerson\nuid: p1\ncn: p1\nsn: x\n",
	)
	assert.Contains(t, await(t, rejected), `user "p1" is there twice`)
	time.Sleep(200 * time.Millisecond)
	assert.Empty(t, rejected, "and once")
	other, err := ldap.New(source, s.host()).Connect(t.Context())
	require.NoError(t, err)
	defer other.Close()
	p, err := other.Changes(t.Context(), tablesOf(t, source), mark, connect.Records{})
	require.NoError(t, err)
	assert.LessOrEqual(t, len(p.Put.Rejected), 1, "the one of the name that is taken, where both have changed")
	assert.Equal(t, 1, len(slices.DeleteFunc(p.Put.Users, func(u *directory.User) bool { return u.Name != "second" })))
}

// What changes while a stream begins is not missed, whichever of its searches has told everything.
func TestAStreamMissesNothingAtItsBeginning(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	s := startSlapd(t, people(400), "127.0.0.1")
	writer, err := goldap.DialURL(s.LDAP)
	require.NoError(t, err)
	defer writer.Close()
	require.NoError(t, writer.Bind(admin, secret))
	for round := range 10 {
		ctx, stop := context.WithCancel(t.Context())
		var m mirrored
		ended := make(chan error, 1)
		go func() { ended <- byStream(ctx, s, &m) }()
		for i := range 150 {
			change := goldap.NewModifyRequest(fmt.Sprintf("uid=p%d,ou=people,%s", i, suffix), nil)
			change.Replace("title", []string{fmt.Sprintf("Round %d", round)})
			require.NoError(t, writer.Modify(change))
		}
		var want connect.Records
		equal := func() bool {
			want, err = fetch(t, s, s.whole(""))
			return err == nil && slices.Equal(told(want), m.is())
		}
		if !assert.Eventually(t, equal, 5*time.Second, 50*time.Millisecond) {
			assert.Equal(t, told(want), m.is())
		}
		stop()
		<-ended
	}
}
