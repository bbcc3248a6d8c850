package server_test

import (
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/operator"
)

// listener counts what is sent to it.
func listener(t *testing.T) (address string, got chan string) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	got = make(chan string, 10)
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				_ = c.SetDeadline(time.Now().Add(time.Second))
				raw := make([]byte, 4096)
				n, _ := c.Read(raw)
				got <- string(raw[:n])
			}()
		}
	}()
	return "ldap://" + l.Addr().String(), got
}

// all is what came since, on any number of connections.
func all(got <-chan string) (sent string) {
	for {
		select {
		case more := <-got:
			sent += more
		case <-time.After(1500 * time.Millisecond): // longer than a connection lasts
			return sent
		}
	}
}

// Whoever has no right to connect brings no source into the map, on no way: not by a
// staged change, a folder, a revert, nor by committing what an admin staged.
func TestWhoMayChangeWhatTheMapConnectsTo(t *testing.T) {
	w := startWays(t)
	address, got := listener(t)
	body := func(s string) string {
		return `{"changes":[{"do":"write-document","document":"evil.yaml","value":"directory: evil\nsource: {ldap: {servers: [\"` + address + `\"], bind: cn=x, secret: ` + s + `}, users: {base: [\"dc=x\"], filter: \"(uid=*)\", name: uid}}\n"}]}`
	}
	for _, role := range []operator.Role{operator.Editor, operator.Approver} {
		token := w.tokens[role]
		name := "evil-" + string(role)
		require.Equal(t, 201, w.post("/api/v1/trials", token, `{"name":"`+name+`"}`))
		assert.Equal(t, 403, w.post("/api/v1/trials/"+name+"/changes", token, body("{env: GATEMAP_SECRET_X}")), role)
		files := `{"name":"folder-` + string(
			role,
		) + `","files":{"gatemap.yaml":"title: Cindervale\n","map.yaml":"directory: evil\nsource: {ldif: other.ldif, users: {name: uid}}\n"}}`
		status, _, text := w.call(t, "POST", "/api/v1/trials", token, files)
		assert.Equal(t, 403, status, "%s: %s", role, text)
	}
	admin := w.tokens[operator.Admin]
	require.Equal(t, 201, w.post("/api/v1/trials", admin, `{"name":"new-source"}`))
	status, _, text := w.call(t, "POST", "/api/v1/trials/new-source/changes", admin, body("{env: GATEMAP_SECRET_X}"))
	require.Equal(t, 200, status, text)
	assert.Equal(
		t,
		403,
		w.commitSeen("new-source", w.tokens[operator.Approver]),
		"an admin staged it, but an approver would put it in force",
	)

	// An admin lets the approver, by name.
	status, _, text = w.call(t, "PUT", "/api/v1/settings", admin, `{"connect":["some.approver"]}`)
	require.Equal(t, 200, status, text)
	require.Equal(t, 200, w.commitSeen("new-source", w.tokens[operator.Approver]))
	require.Equal(t, 200, w.status(t, "PUT", "/api/v1/settings", admin, `{"connect":[]}`))
	assert.Equal(t, 422, w.status(t, "PUT", "/api/v1/settings", admin, `{"connect":["nobody.there"]}`))

	// What is there already may stay when something else of the directory changes, and may go.
	assert.Equal(t, 403, w.post("/api/v1/revisions/2/revert", w.tokens[operator.Viewer], `{}`))
	require.Equal(
		t,
		201,
		w.post("/api/v1/revisions/2/revert", w.tokens[operator.Approver], `{}`),
		"to remove a source takes no right to connect",
	)
	require.Equal(t, 200, w.commitSeen("revert-2", w.tokens[operator.Approver]))
	assert.Equal(
		t,
		403,
		w.post("/api/v1/revisions/3/revert", w.tokens[operator.Approver], `{}`),
		"but to bring it back does",
	)

	_, _, log := w.call(t, "GET", "/api/v1/audit?limit=500", admin, "")
	assert.Contains(t, log, `"act":"connect"`, "refusals are in the audit")
	select {
	case sent := <-got:
		t.Fatalf("something was sent to the listener: %q", sent)
	default:
	}
}

// A source that is in force reads no file of the host but those that it may.
func TestADocumentReadsNoSecretOfTheHost(t *testing.T) {
	folder, secrets := t.TempDir(), t.TempDir()
	outside := filepath.Join(t.TempDir(), "outside")
	require.NoError(t, os.WriteFile(outside, []byte("outside-secret"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "in-the-map"), []byte("in-the-map"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(secrets, "right"), []byte("right-secret\n"), 0o600))
	require.NoError(t, os.Symlink(outside, filepath.Join(secrets, "link")))
	require.NoError(t, os.Symlink("/dev/zero", filepath.Join(folder, "zero")))
	t.Setenv("GATEMAP_SECRET_DIRECTORY", "variable-secret")
	t.Setenv("GATEMAP_SEAL_KEY_OF_OTHERS", "another")
	address, got := listener(t)
	sources := map[string]string{
		"file":     `{file: right}`,
		"variable": `{env: GATEMAP_SECRET_DIRECTORY}`,
		"database": `{file: gatemap.db}`,
		"absolute": `{file: ` + outside + `}`,
		"above":    `{file: ../outside}`,
		"linked":   `{file: link}`,
		"process":  `{file: /proc/self/environ}`,
		"map":      `{file: in-the-map}`,
		"home":     `{env: HOME}`,
		"seal":     `{env: GATEMAP_SEAL_KEY_OF_OTHERS}`,
	}
	var text strings.Builder
	for name, secret := range sources {
		fmt.Fprintf(
			&text,
			"---\ndirectory: %s\nsource: {ldap: {servers: [%q], tries: 1, timeout: 1s, bind: cn=x, secret: %s}, users: {base: [dc=x], filter: (uid=*), name: uid}}\n",
			name,
			address,
			secret,
		)
	}
	fmt.Fprintf(
		&text,
		"---\ndirectory: endless\nsource: {ldap: {servers: [%q], starttls: true, tries: 1, timeout: 1s, ca: zero}, users: {base: [dc=x], filter: (uid=*), name: uid}}\n",
		address,
	)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "map.yaml"), []byte(text.String()[4:]), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "gatemap.yaml"), []byte("title: Dome\n"), 0o600))
	r := startOn(t, os.DirFS(folder))
	files, err := connect.OpenFolder(folder)
	require.NoError(t, err)
	kept, err := connect.OpenFolder(secrets)
	require.NoError(t, err)
	r.service.Allow(connect.Host{Files: files, Secrets: kept})

	for name := range sources {
		status, _, body := r.call(t, "POST", "/api/v1/directories/"+name+"/test", r.token, `{}`)
		require.Equal(t, 200, status, body)
		sent := all(got)
		switch name {
		case "file":
			assert.Contains(t, sent, "right-secret")
		case "variable":
			assert.Contains(t, sent, "variable-secret")
		default:
			assert.Empty(t, sent, "%s: nothing is sent where the secret may not be read", name)
			assert.Contains(t, body, `"failed"`, name)
			assert.NotContains(t, body, "outside-secret")
		}
	}
	status, _, body := r.call(t, "POST", "/api/v1/directories/endless/test", r.token, `{}`)
	assert.Equal(t, 200, status)
	assert.Contains(t, body, `"failed"`, "a device without an end is no file of certificates")
}
