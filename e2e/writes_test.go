package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	goldap "github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/stage"
	"gatemap/tools/slapd"
)

// crewed is a directory whose people are all in one of two groups.
func crewed(people int) string {
	var b strings.Builder
	for _, ou := range []string{"people", "groups"} {
		fmt.Fprintf(&b, "dn: ou=%s,%s\nobjectClass: organizationalUnit\nou: %s\n\n", ou, slapd.Suffix, ou)
	}
	fmt.Fprintf(
		&b,
		"dn: cn=night,ou=groups,%s\nobjectClass: groupOfNames\ncn: night\nmember: cn=night,ou=groups,%s\n\n",
		slapd.Suffix,
		slapd.Suffix,
	)
	fmt.Fprintf(&b, "dn: cn=day,ou=groups,%s\nobjectClass: groupOfNames\ncn: day\n", slapd.Suffix)
	for i := range people {
		fmt.Fprintf(&b, "member: uid=p%d,ou=people,%s\n", i, slapd.Suffix)
	}
	for i := range people {
		fmt.Fprintf(
			&b,
			"\ndn: uid=p%d,ou=people,%s\nobjectClass: inetOrgPerson\nuid: p%d\ncn: Person %d\nsn: Person\ntitle: day\n",
			i,
			slapd.Suffix,
			i,
			i,
		)
	}
	return b.String()
}

// watched looks at the two groups all the time, and gives back how often it did when it ends. Nobody may
// be in both: what is taken away is taken away first, also where it is put back.
func watched(t *testing.T, server *slapd.Server) (end func() int) {
	conn, err := goldap.DialURL(server.LDAP)
	require.NoError(t, err)
	stop, looks := make(chan struct{}), make(chan int, 1)
	in := func(group string) map[string]bool {
		found, err := conn.Search(
			goldap.NewSearchRequest(
				"cn="+group+",ou=groups,"+slapd.Suffix,
				goldap.ScopeBaseObject,
				goldap.NeverDerefAliases,
				1,
				0,
				false,
				"(objectClass=*)",
				[]string{"member"},
				nil,
			),
		)
		if !assert.NoError(t, err) {
			return nil
		}
		all := map[string]bool{}
		for _, m := range found.Entries[0].GetAttributeValues("member") {
			all[m] = true
		}
		return all
	}
	go func() {
		defer conn.Close()
		for n := 0; ; n++ {
			select {
			case <-stop:
				looks <- n
				return
			case <-time.After(time.Millisecond):
			}
			seen := [...]map[string]bool{in("day"), in("night"), in("day"), in("night")}
			for who := range seen[1] { // in one group before and after it was seen in the other
				if seen[0][who] && seen[2][who] || seen[2][who] && seen[3][who] {
					assert.Fail(t, "in both groups: "+who)
				}
			}
		}
	}()
	end = sync.OnceValue(func() int {
		close(stop)
		return <-looks
	})
	t.Cleanup(func() { end() })
	return end
}

// crewedMap is a server with some entries, and the folder of a map that reads and writes it.
func crewedMap(t *testing.T, entries, written string) (server *slapd.Server, dir, data string) {
	t.Helper()
	t.Setenv("GATEMAP_SECRET_DIRECTORY", slapd.Secret)
	server, err := slapd.Start(t.TempDir(), entries, nil, []string{"127.0.0.1"})
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	dir, data = t.TempDir(), t.TempDir()
	write(t, dir, map[string]string{"gatemap.yaml": "title: Cindervale\n", "cindervale.yaml": `
directory: cindervale
source:
  ldap: {servers: ["` + server.LDAP + `"], bind: "` + slapd.Admin + `", secret: {env: GATEMAP_SECRET_DIRECTORY}}
  write: [` + written + `]
  removal_limit: 100%
  users: {filter: (objectClass=inetOrgPerson), name: uid, attributes: {title: title}}
  groups: {filter: (objectClass=groupOfNames), name: cn, members: [member]}
`})
	return server, dir, data
}

// A program that is killed while it commits leaves the directory and the map as they were, or as they
// were to be, and both the same.
func TestACommitThatIsKilled(t *testing.T) {
	const people, kills = 40, 20
	server, dir, data := crewedMap(t, crewed(people), "members, attributes")
	p, env := serve(t, dir, data)
	asked[answer.Preview](t, env, "intake", "run", "cindervale", "--commit", "--confirm")
	is := func() string { // the one shift that everybody is in, for another client
		out, err := exec.Command("ldapsearch", "-x", "-LLL", "-o", "ldif-wrap=no", "-H", server.LDAP, "-b", slapd.Suffix).
			CombinedOutput()
		require.NoError(t, err, "%s", out)
		for _, shift := range []string{"day", "night"} {
			titles := len(regexp.MustCompile(`(?m)^title: `+shift+`$`).FindAll(out, -1))
			group := string(out[strings.Index(string(out), "dn: cn="+shift):])
			group, _, _ = strings.Cut(group, "\n\n")
			if titles == people && strings.Count(group, "member: uid=") == people &&
				strings.Count(string(out), "member: uid=") == people {
				return shift
			}
		}
		return string(out)
	}
	require.Equal(t, "day", is())
	end := watched(t, server)
	now, killed, kept := "day", 0, 0
	var took time.Duration
	for round := 0; killed < kills; round++ {
		next := map[string]string{"day": "night", "night": "day"}[now]
		value, err := json.Marshal(next)
		require.NoError(t, err)
		changes := make([]stage.Change, 0, 3*people)
		for i := range people {
			who := fmt.Sprintf("p%d", i)
			changes = append(changes, stage.Change{Do: stage.SetUser, User: who, Attribute: "title", Value: value},
				stage.Change{Do: stage.Leave, Group: now, Member: who}, stage.Change{Do: stage.Join, Group: next, Member: who})
		}
		name := fmt.Sprintf("round-%d", round)
		c := p.client(t)
		_, err = c.BeginTrial(t.Context(), name, "", nil)
		require.NoError(t, err)
		trial, err := c.Stage(t.Context(), name, changes...)
		require.NoError(t, err)
		done := make(chan error, 1)
		began := time.Now()
		go func() {
			_, err := c.CommitTrial(t.Context(), name, trial.Version, name, "", "")
			done <- err
		}()
		if round == 0 {
			require.NoError(t, <-done)
			took = time.Since(began)
			require.Equal(t, next, is())
			now = next
			continue
		}
		time.Sleep(time.Duration(rand.Int64N(int64(took) * 5 / 4)))
		_ = p.stop(t, syscall.SIGKILL)
		<-done
		killed++
		p, env = serve(t, dir, data)
		there := is()
		last := asked[answer.Revisions](t, env, "history", "--limit", "1").Revisions[0]
		if last.Reason == name {
			now = next
		} else {
			kept++
		}
		require.Equal(t, now, there, "after %d kills: the directory is as the map is, by revision %d", killed, last.Number)
	}
	t.Logf(
		"of %d kills %d came before the revision was made; a commit takes %s; looked at %d times",
		kills,
		kept,
		took,
		end(),
	)
	assert.Equal(
		t,
		answer.RunUnchanged,
		asked[answer.Preview](t, env, "intake", "run", "cindervale", "--commit").Run.State,
	)
}
