package e2e

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"

	"gatemap/answer"
	"gatemap/tools/slapd"
)

// crowd is 5,000 people in groups that are nested three deep.
func crowd() string {
	var b strings.Builder
	unit := func(ou string) {
		fmt.Fprintf(&b, "dn: ou=%s,%s\nobjectClass: organizationalUnit\nou: %s\n\n", ou, slapd.Suffix, ou)
	}
	unit("people")
	unit("groups")
	group := func(cn string, members []string) {
		fmt.Fprintf(&b, "dn: cn=%s,ou=groups,%s\nobjectClass: groupOfNames\ncn: %s\n", cn, slapd.Suffix, cn)
		for _, m := range members {
			fmt.Fprintf(&b, "member: %s,%s\n", m, slapd.Suffix)
		}
		b.WriteString("\n")
	}
	lists := map[string][]string{}
	for i := range 5000 {
		fmt.Fprintf(
			&b,
			"dn: uid=p%d,ou=people,%s\nobjectClass: inetOrgPerson\nuid: p%d\ncn: Person %d\nsn: Person\ntitle: Observer\n\n",
			i,
			slapd.Suffix,
			i,
			i,
		)
		team := fmt.Sprintf("team%d", i%200)
		lists[team] = append(lists[team], fmt.Sprintf("uid=p%d,ou=people", i))
	}
	for i := range 200 {
		crew := fmt.Sprintf("crew%d", i%20)
		lists[crew] = append(lists[crew], fmt.Sprintf("cn=team%d,ou=groups", i))
	}
	for i := range 20 {
		site := fmt.Sprintf("site%d", i%4)
		lists[site] = append(lists[site], fmt.Sprintf("cn=crew%d,ou=groups", i), fmt.Sprintf("uid=p%d,ou=people", i))
	}
	for cn, members := range lists {
		group(cn, members)
	}
	return b.String()
}

// write writes the files of a folder.
func write(t testing.TB, dir string, files map[string]string) {
	t.Helper()
	for name, content := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(content), 0o600))
	}
}

// serve starts a service on a map folder, and gives the environment in which the
// command line asks it.
func serve(t testing.TB, dir, data string) (*program, []string) {
	t.Helper()
	p := launch(t, "serve", "--map", dir, "--data", data, "--listen", "127.0.0.1:0")
	token := filepath.Join(data, "token")
	if raw, err := os.ReadFile(token); err == nil {
		p.token = string(raw)
	} else {
		p.token = p.out.waitFor(t, `Token, shown only once: (\S+)`)[1]
		require.NoError(t, os.WriteFile(token, []byte(p.token), 0o600))
	}
	p.address = p.out.waitFor(t, `at (http://\S+)`)[1]
	return p, []string{"GATEMAP_MAP=", "GATEMAP_SERVER=" + p.address, "GATEMAP_TOKEN=" + p.token}
}

// asked asks on the command line and reads the answer.
func asked[T any](t testing.TB, env []string, args ...string) T {
	t.Helper()
	out, errs, code := run(t, env, append(args, "-o", "json")...)
	var got T
	require.NoError(t, json.Unmarshal([]byte(out), &got), "%v: exit %d, %s%s", args, code, out, errs)
	return got
}

// runIn waits until the newest run of a directory is in a state.
func runIn(t testing.TB, env []string, state answer.RunState) answer.Run {
	t.Helper()
	var last answer.Run
	require.Eventually(t, func() bool {
		runs := asked[answer.Runs](t, env, "intake", "list", "cindervale", "--limit", "1").Runs
		if len(runs) > 0 {
			last = runs[0]
		}
		return len(runs) > 0 && last.State == state
	}, 30*time.Second, 50*time.Millisecond, "%s", state)
	return last
}

func TestADirectoryServerStreams(t *testing.T) {
	server, err := slapd.Start(t.TempDir(), crowd(), nil, []string{"127.0.0.1"})
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	t.Setenv("GATEMAP_SECRET_TEST", slapd.Secret)
	dir := t.TempDir()
	ca, err := os.ReadFile(server.Path("ca.pem"))
	require.NoError(t, err)
	write(t, dir, map[string]string{
		"ca.pem":       string(ca),
		"gatemap.yaml": "title: Cindervale\n",
		"cindervale.yaml": `
directory: cindervale
source:
  ldap: {servers: ["` + server.LDAP + `"], starttls: true, ca: ca.pem, bind: "` + slapd.Admin + `", secret: {env: GATEMAP_SECRET_TEST}}
  table: open-schemas
  follow: stream
groups:
  - {name: astronomers, rule: 'title eq "Astronomer"'}
---
system: archive
type: roles
rights: [frames:read]
resources: [{path: /}]
roles: {reader: {rights: [frames:read]}}
mappings: [{groups: [astronomers], role: reader, object: /}]
`,
	})
	_, env := serve(t, dir, t.TempDir())
	first := runIn(t, env, answer.RunCommitted)
	assert.Equal(t, answer.Counts{Users: 5000, Groups: 224, Joined: 5000, NewGroups: 224}, first.Counts)
	assert.Equal(t, server.LDAP, first.Server)

	t.Run("memberships are those that the server reports", func(t *testing.T) {
		for n := 0; n < 5000; n += 499 {
			user := fmt.Sprintf("p%d", n)
			out, err := exec.Command("ldapsearch", "-x", "-LLL", "-o", "ldif-wrap=no", "-H", server.LDAP, "-D", slapd.Admin, "-w", slapd.Secret, "-b", slapd.Suffix, "(uid="+user+")", "memberOf").
				Output()
			require.NoError(t, err)
			var want []string
			for line := range strings.Lines(string(out)) {
				if dn, ok := strings.CutPrefix(strings.TrimSpace(line), "memberOf: cn="); ok {
					cn, _, _ := strings.Cut(dn, ",")
					want = append(want, "cindervale/"+cn)
				}
			}
			slices.Sort(want)
			var ours []string
			for _, g := range asked[answer.Memberships](t, env, "memberships", user).Groups {
				ours = append(ours, g.Group)
			}
			slices.Sort(ours)
			assert.GreaterOrEqual(t, len(want), 3)
			assert.Equal(t, want, ours, user)
		}
	})
	opens := func(user string) bool { return len(asked[answer.Reach](t, env, "reach", user).Entitlements) > 0 }
	t.Run("a title that changes opens a gate", func(t *testing.T) {
		require.False(t, opens("p7"))
		began := time.Now()
		require.NoError(
			t,
			server.Modify("dn: uid=p7,ou=people,"+slapd.Suffix+"\nchangetype: modify\nreplace: title\ntitle: Astronomer\n"),
		)
		require.Eventually(t, func() bool { return opens("p7") }, 10*time.Second, 20*time.Millisecond)
		t.Logf("%s from the change to the changed answer", time.Since(began))
		last := runIn(t, env, answer.RunCommitted)
		assert.Equal(t, "stream", last.How)
		assert.Equal(t, []string{`p7: title "Observer" becomes "Astronomer"`}, last.Samples)
	})
	t.Run("a group that gets a member", func(t *testing.T) {
		require.NoError(
			t,
			server.Modify(
				"dn: cn=team9,ou=groups,"+slapd.Suffix+"\nchangetype: modify\nadd: member\nmember: uid=p7,ou=people,"+slapd.Suffix+"\n",
			),
		)
		require.Eventually(t, func() bool {
			return slices.ContainsFunc(
				asked[answer.Memberships](t, env, "memberships", "p7").Groups,
				func(g answer.Membership) bool { return g.Group == "cindervale/team9" },
			)
		}, 10*time.Second, 20*time.Millisecond)
	})
	t.Run("many who vanish are held, however they come", func(t *testing.T) {
		var changes strings.Builder
		for i := 1000; i < 1300; i++ {
			fmt.Fprintf(&changes, "dn: uid=p%d,ou=people,%s\nchangetype: delete\n\n", i, slapd.Suffix)
		}
		require.NoError(t, server.Modify(changes.String()))
		held := runIn(t, env, answer.RunHeld)
		assert.Contains(t, held.Held, "of 5000 active users")
		require.Eventually(t, func() bool {
			last := asked[answer.Runs](t, env, "intake", "list", "--limit", "1").Runs[0]
			return last.State == answer.RunHeld &&
				asked[answer.Preview](t, env, "intake", "show", fmt.Sprint(last.ID)).Run.Counts.Users == 4700
		}, 10*time.Second, 50*time.Millisecond, "what comes after goes on top")
		require.Eventually(t, func() bool { // a late change takes the held run's place
			held = runIn(t, env, answer.RunHeld)
			commit := []string{"intake", "commit", fmt.Sprint(held.ID), "--version", fmt.Sprint(held.Version)}
			_, errs, code := run(t, env, commit...)
			assert.Equal(t, 5, code)
			if !strings.Contains(errs, "Confirm it") {
				return false
			}
			_, _, code = run(t, env, append(commit, "--confirm")...)
			return code == 0
		}, 10*time.Second, 50*time.Millisecond)
		_, _, code := run(t, env, "reach", "p1100")
		assert.Equal(t, 4, code)
	})
	t.Run("what changes while the server is away comes in when it is back", func(t *testing.T) {
		server.Stop()
		failed := runIn(t, env, answer.RunFailed)
		assert.Contains(t, failed.Error, "connection refused")
		assert.True(t, opens("p7"), "the map is as it was")
		cmd := exec.Command("/usr/sbin/slapmodify", "-f", server.Path("slapd.conf"))
		cmd.Stdin = strings.NewReader(
			"dn: uid=p7,ou=people," + slapd.Suffix + "\nchangetype: modify\nreplace: title\ntitle: Observer\n\n",
		)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
		require.NoError(t, server.Restart())
		require.Eventually(t, func() bool { return !opens("p7") }, 30*time.Second, 100*time.Millisecond)
	})
	t.Run("the test of the directory tells each step", func(t *testing.T) {
		out, _, code := run(t, env, "directory", "test", "cindervale", "--user", "p8", "-o", "csv")
		assert.Equal(t, 1, code, "the user comes to no mapped group")
		for _, step := range []string{"address,good,", "connection,good,", "certificate,warned,", "bind,good,", "base,good,", "filter,good,", "attribute,", "user,good,", "groups,good,", "mapped,failed,"} {
			assert.Contains(t, out, "\n"+step)
		}
		_, _, code = run(t, env, "directory", "test", "cindervale", "--user", "p0", "-o", "csv")
		assert.Equal(t, 1, code)
		out, _, _ = run(t, env, "directory", "test", "cindervale", "--user", "Person 8")
		assert.Contains(t, out, `has "Person 8" as displayName; the name that counts is "p8"`)
	})
}

// Whenever a service is killed while it commits, its data is whole afterwards, and
// the map is as it was before or as it is after.
func TestKilledWhileCommitting(t *testing.T) {
	dir, data := t.TempDir(), t.TempDir()
	people := func(round int) string {
		var b bytes.Buffer
		for i := range 3000 {
			fmt.Fprintf(
				&b,
				"dn: uid=p%d,ou=people,%s\nobjectClass: inetOrgPerson\nuid: p%d\ntitle: Round %d\n\n",
				i,
				slapd.Suffix,
				i,
				round,
			)
		}
		return b.String()
	}
	write(t, dir, map[string]string{
		"gatemap.yaml": "title: Cindervale\n", "people.ldif": people(0),
		"cindervale.yaml": "directory: cindervale\nsource: {ldif: people.ldif, users: {name: uid}}\n",
	})
	random := rand.New(rand.NewPCG(1, 2))
	round, taken := 0, 0
	const kills = 50
	for range kills {
		// The folder is committed at the start, as it was; only the intake changes it.
		write(t, dir, map[string]string{"people.ldif": people(round)})
		p, env := serve(t, dir, data)
		write(t, dir, map[string]string{"people.ldif": people(round + 1)})
		cmd := exec.Command(binary, "intake", "run", "cindervale", "--commit", "-o", "json")
		cmd.Env = append(os.Environ(), env...)
		require.NoError(t, cmd.Start())
		time.Sleep(20*time.Millisecond + time.Duration(random.IntN(400))*time.Millisecond)
		_ = p.stop(t, syscall.SIGKILL)
		_ = cmd.Wait()

		require.Equal(t, "ok", integrity(t, data))
		titles := titlesIn(t, data)
		require.Len(t, titles, 1, "one whole round")
		switch titles[0] {
		case fmt.Sprintf("Round %d", round):
		case fmt.Sprintf("Round %d", round+1):
			round++
			taken++
		default:
			t.Fatalf("after round %d the map holds %s", round, titles[0])
		}
	}
	t.Logf("%d of %d commits were made before the kill", taken, kills)
}

// titlesIn starts a service on data alone and lists the different titles in its
// map.
func titlesIn(t *testing.T, data string) []string {
	t.Helper()
	p := launch(t, "serve", "--data", data, "--listen", "127.0.0.1:0")
	address := p.out.waitFor(t, `at (http://\S+)`)[1]
	token, err := os.ReadFile(filepath.Join(data, "token"))
	require.NoError(t, err)
	env := []string{"GATEMAP_MAP=", "GATEMAP_SERVER=" + address, "GATEMAP_TOKEN=" + string(token)}
	for _, r := range asked[answer.Runs](t, env, "intake", "list").Runs {
		require.False(t, r.State.Running() || r.State.Open(), "run %d is %s", r.ID, r.State)
	}
	var titles []string
	for i := 0; i < 3000; i += 97 {
		var u answer.User
		require.NoError(
			t,
			json.Unmarshal(fetched(t, address+fmt.Sprintf("/api/v1/users/cindervale/p%d", i), string(token)), &u),
		)
		if title := fmt.Sprint(u.Attributes["title"]); !slices.Contains(titles, title) {
			titles = append(titles, title)
		}
	}
	require.NoError(t, p.stop(t, syscall.SIGTERM))
	return titles
}

// integrity is what the database says of itself.
func integrity(t *testing.T, data string) (answer string) {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(data, "gatemap.db"))
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, db.QueryRow(`PRAGMA integrity_check`).Scan(&answer))
	return answer
}

// fetched gets a page of the API.
func fetched(t *testing.T, url, token string) []byte {
	t.Helper()
	request, err := http.NewRequest(http.MethodGet, url, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+token)
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	body, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, response.StatusCode, "%s", body)
	return body
}
