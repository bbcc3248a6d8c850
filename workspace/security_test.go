package workspace_test

import (
	"bufio"
	"context"
	"crypto/tls"
	"database/sql"
	"encoding/pem"
	"fmt"
	"io"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/edge"
	"gatemap/operator"
	"gatemap/service/access"
	"gatemap/service/audit"
	"gatemap/store"
	"gatemap/workspace"
)

var admin = operator.Actor{Name: "nadia", Role: operator.Admin}

func put(t *testing.T, s *workspace.Service, name string, change answer.OperatorChange) {
	t.Helper()
	_, err := s.Operators.Set(ctx, admin, name, 0, change)
	require.NoError(t, err)
}

func TestSigningInWithAPasswordAndACode(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	put(t, s, "edda", answer.OperatorChange{Role: ptr("approver"), Password: ptr("eleven domes in a row")})
	in := access.SignIn{Name: "Edda", Password: "eleven domes in a row"}
	session, _, err := s.Sessions.SignIn(ctx, in, "192.0.2.1")
	require.NoError(t, err)
	by, ok, err := s.Sessions.BySession(ctx, session)
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, operator.Actor{Name: "edda", Role: operator.Approver, How: "password"}, by)

	// What she signs in with has changed: who signed in before is out.
	put(t, s, "edda", answer.OperatorChange{Display: ptr("Edda Marsh")})
	_, ok, err = s.Sessions.BySession(ctx, session)
	require.NoError(t, err)
	assert.True(t, ok)
	factor, err := s.Operators.SecondFactor(ctx, admin, "edda")
	require.NoError(t, err)
	_, ok, err = s.Sessions.BySession(ctx, session)
	require.NoError(t, err)
	assert.False(t, ok, "a new second factor")
	_, _, err = s.Sessions.SignIn(ctx, in, "192.0.2.1")
	assert.ErrorContains(t, err, "name, password and code do not fit together")
	in.Code, err = totp.GenerateCode(factor.Secret, time.Now())
	require.NoError(t, err)
	session, _, err = s.Sessions.SignIn(ctx, in, "192.0.2.1")
	require.NoError(t, err)
	_, _, err = s.Sessions.SignIn(ctx, in, "192.0.2.1")
	assert.Error(t, err, "a code is used once")

	// Who is switched off is out, and so is the session.
	put(t, s, "edda", answer.OperatorChange{Inactive: ptr(true)})
	_, ok, err = s.Sessions.BySession(ctx, session)
	require.NoError(t, err)
	assert.False(t, ok)
	log, err := s.Audit.List(ctx, store.Asked{Actor: "edda", OldestFirst: true}, 100, "")
	require.NoError(t, err)
	var results []string
	for _, e := range log.Entries {
		results = append(results, e.Act+" "+e.Result)
		assert.Equal(t, "192.0.2.1", e.Origin)
	}
	assert.Equal(t, []string{"sign-in done", "sign-in done"}, results)
}

func TestANewPasswordEndsSessions(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	for _, name := range []string{"edda", "teo"} {
		put(t, s, name, answer.OperatorChange{Password: ptr("eleven domes in a row")})
	}
	signedIn := func(session string) bool {
		_, ok, err := s.Sessions.BySession(ctx, session)
		require.NoError(t, err)
		return ok
	}
	edda, _, err := s.Sessions.SignIn(ctx, access.SignIn{Name: "edda", Password: "eleven domes in a row"}, "192.0.2.1")
	require.NoError(t, err)
	teo, _, err := s.Sessions.SignIn(ctx, access.SignIn{Name: "teo", Password: "eleven domes in a row"}, "192.0.2.1")
	require.NoError(t, err)
	put(t, s, "edda", answer.OperatorChange{Password: ptr("twelve domes in a row")})
	assert.False(t, signedIn(edda))
	assert.True(t, signedIn(teo), "of nobody else")
	require.NoError(t, s.Operators.Remove(ctx, admin, "teo"))
	put(t, s, "teo", answer.OperatorChange{Password: ptr("eleven domes in a row")})
	assert.False(t, signedIn(teo), "not even when there is one by that name again")
}

func ptr[T any](x T) *T { return &x }

func TestGuessingIsSlowedDown(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	put(t, s, "edda", answer.OperatorChange{Password: ptr("eleven domes in a row")})
	guess := func(name, from string) int {
		_, _, err := s.Sessions.SignIn(ctx, access.SignIn{Name: name, Password: "wrong"}, from)
		return edge.Problem(err).Status
	}
	for range 5 {
		assert.Equal(t, 401, guess("edda", "192.0.2.1"))
	}
	right := access.SignIn{Name: "edda", Password: "eleven domes in a row"}
	_, _, err := s.Sessions.SignIn(ctx, right, "192.0.2.1")
	assert.ErrorContains(t, err, "try again in", "of one name from one address, with the right password too")
	_, _, err = s.Sessions.SignIn(ctx, right, "192.0.2.3")
	require.NoError(t, err, "from elsewhere she signs in at once")
	for i := range 15 {
		assert.Equal(t, 401, guess(fmt.Sprint("n", i), "192.0.2.1"))
	}
	assert.Equal(t, 429, guess("someone", "192.0.2.1"), "from one address, of whomever")
	assert.Equal(t, 401, guess("someone", "192.0.2.9"))

	// Who knows one password, or has a token, guesses no more of the others.
	token, err := s.Tokens.Create(ctx, operator.Service, answer.TokenChange{Name: "viewer", Role: "viewer"})
	require.NoError(t, err)
	for i := range 20 {
		_, _, err = s.Sessions.SignIn(ctx, access.SignIn{Token: token.Token}, "192.0.2.4")
		require.NoError(t, err)
		_, _, err = s.Sessions.SignIn(ctx, right, "192.0.2.4")
		require.NoError(t, err)
		assert.Equal(t, 401, guess(fmt.Sprint("m", i), "192.0.2.4"))
	}
	assert.Equal(t, 429, guess("another", "192.0.2.4"))
	_, _, err = s.Sessions.SignIn(ctx, access.SignIn{Token: token.Token, Name: "edda"}, "192.0.2.5")
	assert.ErrorContains(t, err, "not both")

	// A host has many addresses of one network.
	for i := range 20 {
		assert.Equal(t, 401, guess(fmt.Sprint("x", i), fmt.Sprintf("2001:db8::%x", i+1)))
	}
	assert.Equal(t, 429, guess("x", "2001:db8::ffff"))
	assert.Equal(t, 401, guess("x", "2001:db8:0:1::1"))
}

func TestTheLastAdminStays(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	for _, name := range []string{"gatemap", "Host", "token"} {
		_, err := s.Operators.Set(ctx, admin, name, 0, answer.OperatorChange{})
		assert.ErrorContains(t, err, "stands in the audit for the service or its host", name)
	}
	put(t, s, "nadia", answer.OperatorChange{Role: ptr("admin")})
	_, err := s.Operators.Set(ctx, admin, "nadia", 0, answer.OperatorChange{Role: ptr("viewer")})
	assert.ErrorContains(t, err, "nadia is the last admin")
	assert.ErrorContains(t, s.Operators.Remove(ctx, admin, "nadia"), "nadia is the last admin")
	put(t, s, "lotte", answer.OperatorChange{Role: ptr("admin")})
	require.NoError(t, s.Operators.Remove(ctx, admin, "nadia"))
	_, err = s.Operators.Set(ctx, admin, "lotte", 7, answer.OperatorChange{Display: ptr("Lotte")})
	assert.ErrorContains(t, err, "operator lotte has changed and is at version 1 now")
}

// A change of the past shows, and which entry it is.
func TestTheAuditShowsWhatWasTamperedWith(t *testing.T) {
	folder := t.TempDir()
	s := small(t, folder)
	for i := range 5 {
		put(t, s, fmt.Sprint("o", i), answer.OperatorChange{})
	}
	v, err := s.Audit.Verify(ctx, "")
	require.NoError(t, err)
	assert.True(t, v.Holds)
	require.NoError(t, s.Close())

	db, err := sql.Open("sqlite", filepath.Join(folder, "gatemap.db"))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(`UPDATE audit SET actor = 'someone else' WHERE number = 3`)
	assert.ErrorContains(t, err, "the audit is only added to")
	for _, c := range [][2]string{
		{"it is not what it was when it was added", `UPDATE audit SET actor = 'someone else' WHERE number = 3`},
		{"it is missing; the next is 4", `DELETE FROM audit WHERE number = 3`}, // last: it stays gone
	} {
		name, tamper := c[0], c[1]
		_, err = db.Exec(`DROP TRIGGER IF EXISTS audit_stays; DROP TRIGGER IF EXISTS audit_keeps; ` + tamper)
		require.NoError(t, err)
		st, err := store.Open(ctx, folder, "")
		require.NoError(t, err)
		v, err := audit.Verify(ctx, st, "")
		require.NoError(t, err)
		assert.False(t, v.Holds)
		assert.Equal(t, int64(3), v.Broken)
		assert.Equal(t, name, v.Reason)
		require.NoError(t, st.Close())
		if strings.HasPrefix(tamper, "UPDATE") {
			_, err = db.Exec(`UPDATE audit SET actor = 'nadia' WHERE number = 3`)
			require.NoError(t, err)
		}
	}
}

func TestABackupIsWholeAndIsPutBack(t *testing.T) {
	folder, backup := t.TempDir(), filepath.Join(t.TempDir(), "backup.db")
	s := small(t, folder)
	f, err := os.Create(backup)
	require.NoError(t, err)
	require.NoError(t, s.Backup(ctx, admin, f))
	require.NoError(t, f.Close())
	before := written(t, s)
	assert.ErrorContains(t, store.Restore(ctx, backup, folder, "", true), "another gatemap uses it")
	put(t, s, "later", answer.OperatorChange{})
	require.NoError(t, s.Close())
	assert.ErrorContains(t, store.Restore(ctx, backup, folder, "", false), "say --instead")
	bad := filepath.Join(t.TempDir(), "bad.db")
	require.NoError(t, os.WriteFile(bad, []byte("no database"), 0o600))
	assert.ErrorContains(t, store.Restore(ctx, bad, folder, "", true), "this is not a backup that can be used")
	require.NoError(t, store.Restore(ctx, backup, folder, "", true))
	s, err = workspace.Open(ctx, folder, quiet(), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, before, written(t, s))
	all, err := s.Operators.List(ctx)
	require.NoError(t, err)
	assert.Empty(t, all.Operators, "what came after the backup is not in it")
	assert.FileExists(t, filepath.Join(folder, "gatemap.db.before-restore"))
}

// The audit is sent as RFC 5424 over TLS with its lengths in front, and what a
// receiver has missed is sent when it comes back.
func TestTheAuditIsSentBySyslog(t *testing.T) {
	hosted := httptest.NewUnstartedServer(nil)
	hosted.StartTLS()
	certificate, address := hosted.TLS.Certificates[0], hosted.Listener.Addr().String()
	ca := filepath.Join(t.TempDir(), "ca.pem")
	require.NoError(
		t,
		os.WriteFile(ca, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: hosted.Certificate().Raw}), 0o600),
	)
	hosted.Close() // its address is free, and nobody answers there yet
	s := small(t, t.TempDir())
	defer s.Close()
	require.NoError(t, s.Audit.Send(audit.Syslog{Address: address, CA: ca}))
	put(t, s, `we"ird`[:2], answer.OperatorChange{Display: ptr(`"]\`)})

	l, err := tls.Listen("tcp", address, &tls.Config{Certificates: []tls.Certificate{certificate}})
	require.NoError(t, err)
	defer l.Close()
	messages := make(chan string, 100)
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			in := bufio.NewReader(conn)
			for {
				var n int
				if _, err := fmt.Fscanf(in, "%d ", &n); err != nil {
					break
				}
				raw := make([]byte, n)
				if _, err := io.ReadFull(in, raw); err != nil {
					break
				}
				messages <- string(raw)
			}
		}
	}()
	next := func() string {
		select {
		case m := <-messages:
			return m
		case <-time.After(20 * time.Second):
			t.Fatal("no message came")
			return ""
		}
	}
	first := next()
	assert.Regexp(
		t,
		`^<110>1 \d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{6}Z \S+ gatemap \d+ commit \[audit@32473 number="1" actor="test" act="commit" object="revision 1" result="done"`,
		first,
	)
	assert.Contains(t, next(), `act="operator" object="we"`)
	s.Audit.Refused(context.Background(), operator.Actor{Name: `a"]\`}, "try", "because")
	assert.Regexp(t, `^<108>1 .*actor="a\\"\\]\\\\" act="try".*result="refused"`, next())
}
