package ldap_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/ldap"
	"gatemap/core/directory"
	"gatemap/tools/slapd"
)

// Polls find what has changed, and soon no more than that, whatever the server's clock says.
func TestPollsOfAServerWhoseClockDiffers(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	for _, clock := range []string{"-1h", "-30s", "+0s", "+30s", "+1h"} {
		t.Run(clock, func(t *testing.T) {
			t.Parallel()
			s, err := slapd.StartAt(clock, t.TempDir(), people(5), nil, []string{"127.0.0.1"})
			require.NoError(t, err)
			t.Cleanup(s.Stop)
			pollsFind(t, &server{s, t}, clock[0] == '+' && clock != "+0s")
		})
	}
}

// pollsFind changes one after another and asks for what changed since the reading or poll before.
func pollsFind(t *testing.T, s *server, ahead bool) {
	source := s.whole("poll")
	conn, err := ldap.New(source, s.host()).Connect(t.Context())
	require.NoError(t, err)
	defer conn.Close()
	mark, err := conn.Mark()
	require.NoError(t, err)
	all, err := conn.Fetch(t.Context(), tablesOf(t, source), func(int) {})
	require.NoError(t, err)
	poll := func() []string {
		next, err := conn.Mark()
		require.NoError(t, err)
		p, err := conn.Changes(t.Context(), tablesOf(t, source), mark, all)
		require.NoError(t, err)
		all, mark = all.With(p), next
		var names []string
		for _, u := range p.Put.Users {
			names = append(names, u.Name)
		}
		return names
	}
	for _, name := range []string{"p3", "p4"} {
		s.modify("dn: uid=" + name + ",ou=people," + suffix + "\nchangetype: modify\nreplace: title\ntitle: Astronomer\n")
		require.Contains(t, poll(), name)
		i := slices.IndexFunc(all.Users, func(u *directory.User) bool { return u.Name == name })
		assert.Equal(t, "Astronomer", all.Users[i].Attributes.First("title"))
		poll()
	}
	s.modify("dn: ou=annex," + suffix + "\nchangetype: add\nobjectClass: organizationalUnit\nou: annex\n")
	poll()      // a new place is no reason to read everything anew
	if !ahead { // what changed by a clock that is ahead is read again until this machine's has come there
		assert.Eventually(t, func() bool { return len(poll()) == 0 }, 20*time.Second, time.Second)
	}
}

// A new place is no reason for a stream to read everything anew, whatever the server's clock says.
func TestStreamsOfAServerWhoseClockDiffers(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	for _, clock := range []string{"-1h", "+1h"} {
		t.Run(clock, func(t *testing.T) {
			t.Parallel()
			s, err := slapd.StartAt(clock, t.TempDir(), people(5), nil, []string{"127.0.0.1"})
			require.NoError(t, err)
			t.Cleanup(s.Stop)
			source := (&server{s, t}).whole("stream")
			conn, err := ldap.New(source, (&server{s, t}).host()).Connect(t.Context())
			require.NoError(t, err)
			defer conn.Close()
			ended, told := make(chan error, 1), make(chan connect.Patch, 8)
			go func() {
				ended <- conn.Stream(t.Context(), tablesOf(t, source), func(int) {}, func(connect.Records) error {
					return s.Modify("dn: ou=annex," + suffix + "\nchangetype: add\nobjectClass: organizationalUnit\nou: annex\n\n" +
						"dn: uid=q1,ou=annex," + suffix + "\nchangetype: add\nobjectClass: inetOrgPerson\nuid: q1\ncn: Q\nsn: Q\n")
				}, func(p connect.Patch) error { told <- p; return nil })
			}()
			select {
			case p := <-told:
				require.Len(t, p.Put.Users, 1)
				assert.Equal(t, "q1", p.Put.Users[0].Name)
			case err := <-ended:
				require.NoError(t, err)
			case <-time.After(20 * time.Second):
				t.Fatal("nothing was told")
			}
		})
	}
}
