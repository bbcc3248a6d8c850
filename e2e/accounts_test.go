package e2e

import (
	"fmt"
	"math/rand/v2"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/stage"
	"gatemap/tools/slapd"
)

// A program that is killed while it makes accounts and moves others leaves all of them or none, in the
// directory and in the map.
func TestNewAccountsThatAreKilled(t *testing.T) {
	const people, kills = 20, 20
	entries := crewed(people)
	for _, ou := range []string{"Summit", "Base"} {
		entries += fmt.Sprintf("\ndn: ou=%s,ou=people,%s\nobjectClass: organizationalUnit\nou: %s\n", ou, slapd.Suffix, ou)
	}
	server, dir, data := crewedMap(t, entries, "members, users")
	p, env := serve(t, dir, data)
	asked[answer.Preview](t, env, "intake", "run", "cindervale", "--commit", "--confirm")
	// there is where p0 to p19 stand and which accounts are new in a round, as long as all are alike.
	there := func(round int) (branch string, fresh int) {
		out, err := exec.Command("ldapsearch", "-x", "-LLL", "-o", "ldif-wrap=no", "-H", server.LDAP, "-b", slapd.Suffix).
			CombinedOutput()
		require.NoError(t, err, "%s", out)
		for _, b := range []string{"ou=people", "ou=Summit,ou=people", "ou=Base,ou=people"} {
			stand, listed := 0, 0
			for i := range people {
				dn := fmt.Sprintf("uid=p%d,%s,%s\n", i, b, slapd.Suffix)
				stand += strings.Count(string(out), "dn: "+dn)
				listed += strings.Count(string(out), "member: "+dn)
			}
			if stand == people && listed == people {
				branch = b
			}
		}
		return branch, strings.Count(string(out), fmt.Sprintf("dn: uid=r%d-", round))
	}
	now, killed, kept := "ou=people", 0, 0
	var took time.Duration
	for round := 0; killed < kills; round++ {
		next := map[bool]string{true: "ou=Summit,ou=people", false: "ou=Base,ou=people"}[now != "ou=Summit,ou=people"]
		var changes []stage.Change
		for i := range people {
			changes = append(
				changes,
				stage.Change{Do: stage.MoveUser, User: fmt.Sprintf("p%d", i), To: next + "," + slapd.Suffix},
			)
			name := fmt.Sprintf("cindervale/r%d-%d", round, i)
			changes = append(
				changes,
				stage.Change{Do: stage.CreateUser, User: name, To: next + "," + slapd.Suffix},
				stage.Change{Do: stage.Join, Group: "night", Member: name},
			)
		}
		name := fmt.Sprintf("round-%d", round)
		c := p.client(t)
		_, err := c.BeginTrial(t.Context(), name, "", nil)
		require.NoError(t, err)
		trial, err := c.Stage(t.Context(), name, changes...)
		require.NoError(t, err)
		done := make(chan error, 1)
		began := time.Now()
		go func() {
			made, err := c.CommitTrial(t.Context(), name, trial.Version, name, "", "")
			if err == nil {
				assert.Len(t, made.Passwords, people)
			}
			done <- err
		}()
		if round == 0 {
			require.NoError(t, <-done)
			took = time.Since(began)
		} else {
			time.Sleep(time.Duration(rand.Int64N(int64(took) * 5 / 4)))
			_ = p.stop(t, syscall.SIGKILL)
			<-done
			killed++
			p, env = serve(t, dir, data)
		}
		last := asked[answer.Revisions](t, env, "history", "--limit", "1").Revisions[0]
		fresh := 0
		if last.Reason == name {
			now, fresh = next, people
		} else {
			kept++
		}
		branch, made := there(round)
		require.Equal(t, now, branch, "after %d kills: everyone stands where the map says, and is listed there", killed)
		require.Equal(t, fresh, made, "after %d kills: the new accounts", killed)
	}
	t.Logf("of %d kills %d came before the revision was made; a commit takes %s", kills, kept, took)
	asked[answer.Preview](t, env, "intake", "run", "cindervale", "--commit", "--confirm") // tells the identifiers
	assert.Equal(
		t,
		answer.RunUnchanged,
		asked[answer.Preview](t, env, "intake", "run", "cindervale", "--commit").Run.State,
	)
}

// In the console, people of a list without accounts get them by a trial, and the first passwords are
// shown once.
func TestAccountsInTheConsole(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_DIRECTORY", slapd.Secret)
	server, err := slapd.Start(t.TempDir(), crewed(3), nil, []string{"127.0.0.1"})
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	dir, data := t.TempDir(), t.TempDir()
	write(
		t,
		dir,
		map[string]string{
			"gatemap.yaml": "title: Cindervale\n",
			"people.csv":   "Number;Given;Family\nE1;Noor;Haddix\nE2;;Reyk\n",
			"cindervale.yaml": `
directory: cindervale
source:
  ldap: {servers: ["` + server.LDAP + `"], bind: "` + slapd.Admin + `", secret: {env: GATEMAP_SECRET_DIRECTORY}}
  write: [members, active, users]
  accounts: {place: "ou=people,` + slapd.Suffix + `", name: "{name.givenName}.{name.familyName}"}
  users: {filter: (objectClass=inetOrgPerson), name: uid, disabled: (employeeType=gone), attributes: {title: title, name.givenName: givenName, name.familyName: sn, employeeNumber: employeeNumber}}
  groups: {filter: (objectClass=groupOfNames), name: cn, members: [member]}
---
directory: personnel
source:
  csv: {file: people.csv, delimiter: ";"}
  feeds: {directory: cindervale, by: employeeNumber, decides: [title]}
  users: {name: Number, attributes: {employeeNumber: Number, name.givenName: Given, name.familyName: Family}}
`,
		},
	)
	running, env := serve(t, dir, data)
	asked[answer.Preview](t, env, "intake", "run", "cindervale", "--commit", "--confirm")
	p := openBrowser(t, 1280, 800)
	p.do(chromedp.Navigate(running.address + "/"))
	p.do(chromedp.SendKeys(field("Token"), running.token))
	p.press("Sign in")
	p.sees("Broken guarantees")
	p.do(chromedp.Navigate(running.address + "/intake"))
	p.press("Accounts")
	p.sees(
		"Accounts of cindervale",
		"Noor Haddix (personnel/E1)",
		"cindervale/noor.haddix",
		"cannot have one",
		"the record has no name.givenName",
	)
	p.fill("Name of the trial", "july")
	p.press("Stage in a trial")
	p.sees("Creates the user cindervale/noor.haddix below ou=people")
	p.do(chromedp.Click(`//summary[normalize-space()="What the commit writes first"]`))
	p.sees("changetype: add", "It gets a first password, which who commits sees once.")
	p.fill("Reason", "Those who begin in July")
	p.press("Commit the trial")
	p.sees("In force as revision 3", "First passwords", "cindervale/noor.haddix")
	password := get(p, chromedp.Evaluate[string](`document.querySelector('main dd').innerText`))
	out, err := exec.Command("ldapwhoami", "-x", "-H", server.LDAP, "-D", "uid=noor.haddix,ou=people,"+slapd.Suffix, "-w", password).
		CombinedOutput()
	require.NoError(t, err, "%s", out)
	p.do(chromedp.Reload())
	p.unseen(password)
	p.quiet()
}
