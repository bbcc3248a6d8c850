package workspace_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/finding"
	"gatemap/core/situation"
	"gatemap/service/intake"
	"gatemap/stage"
	"gatemap/tools/slapd"
)

const renamedMap = `
directory: cindervale
source:
  ldif: people.ldif
  users: {name: uid, filter: (objectClass=person), attributes: {title: title}}
  groups: {name: cn, filter: (objectClass=groupOfNames), members: [member]}
---
directory: dome
users:
  - {userName: guest}
groups:
  - {name: keepers, members: {users: [cindervale/ilse, guest]}}
---
system: doors
type: firewall
zones: {dome: [192.0.2.0/26], yard: [192.0.2.64/27], roof: [192.0.2.96/27]}
rules:
  - {name: ilse, action: permit, users: [ilse], to: [dome]}   # by name
  - {name: crew, action: permit, groups: [crew], to: [yard]}
  - {name: teo, action: permit, users: ["uid=teo,ou=people,dc=x"], to: [roof]}
`

// source is a reading in which each person and group has an identifier.
func reading(people map[string]string, group, groupID string, members ...string) string {
	var b strings.Builder
	for _, id := range []string{"1", "2", "3", "4"} {
		if uid := people[id]; uid != "" {
			fmt.Fprintf(
				&b,
				"dn: uid=%s,ou=people,dc=x\nobjectClass: person\nentryUUID: %s\nuid: %s\ntitle: person %s\n\n",
				uid,
				id,
				uid,
				id,
			)
		}
	}
	fmt.Fprintf(&b, "dn: cn=%s,ou=groups,dc=x\nobjectClass: groupOfNames\nentryUUID: %s\ncn: %s\n", group, groupID, group)
	for _, m := range members {
		fmt.Fprintf(&b, "member: uid=%s,ou=people,dc=x\n", m)
	}
	return b.String()
}

// open says which persons a zone is open to.
func (o *observatory) openTo(zone string) []string {
	o.t.Helper()
	who, err := o.Head().Who(ctx, "doors", "any", zone, situation.Situation{})
	require.NoError(o.t, err)
	all := []string{}
	for _, h := range who.Users {
		all = append(all, o.attribute(h.User, "title"))
	}
	return all
}

// Names in documents follow the persons and groups that they mean, whoever bears them now.
func TestNamesInDocumentsFollowRenames(t *testing.T) {
	o := startObservatory(t, map[string]string{
		"map.yaml": strings.TrimPrefix(
			renamedMap,
			"\n",
		), "people.ldif": reading(map[string]string{"1": "ilse", "2": "teo", "3": "rana"}, "crew", "g1", "ilse", "rana"),
	})
	before := map[string][]string{}
	for _, zone := range []string{"dome", "yard", "roof"} {
		before[zone] = o.openTo(zone)
	}
	require.Equal(t, []string{"person 1"}, before["dome"])
	require.Equal(t, []string{"person 2"}, before["roof"])

	// Two swap their names, and the group is renamed, too.
	o.write("people.ldif", reading(map[string]string{"1": "teo", "2": "ilse", "3": "rana"}, "team", "g1", "teo", "rana"))
	preview := o.run("cindervale", intake.Intaking{})
	assert.Equal(t, answer.RunWaiting, preview.Run.State)
	assert.ElementsMatch(t, []string{
		"map.yaml: user cindervale/ilse becomes cindervale/teo", "map.yaml: user ilse becomes teo", "map.yaml: group crew becomes team",
		"map.yaml: user uid=teo,ou=people,dc=x becomes uid=ilse,ou=people,dc=x",
	}, preview.Renamed)
	assert.Contains(t, o.Head().Documents()["map.yaml"], "users: [ilse]", "nothing is written before it is committed")
	_, err := o.Runs.Commit(ctx, preview.Run.ID, preview.Run.Version, false, ada)
	require.NoError(t, err)
	for zone, who := range before {
		assert.ElementsMatch(t, who, o.openTo(zone), zone)
	}
	assert.Contains(t, o.Head().Documents()["map.yaml"], "# by name", "comments stay")
	for _, f := range o.Head().Found() {
		assert.NotEqual(t, finding.UnknownName, f.Code, f.Message)
	}
	require.NoError(t, o.Close())
	o.open() // and so after a restart
	for zone, who := range before {
		assert.ElementsMatch(t, who, o.openTo(zone), zone)
	}
}

// A name that would lead to another person gives nothing until someone has looked, whether
// the other one comes at once or later.
func TestANameIsNotReused(t *testing.T) {
	for _, later := range []bool{false, true} {
		t.Run(fmt.Sprintf("later: %v", later), func(t *testing.T) {
			o := startObservatory(t, map[string]string{
				"map.yaml": strings.TrimPrefix(
					renamedMap,
					"\n",
				), "people.ldif": reading(map[string]string{"1": "ilse", "2": "teo", "3": "rana"}, "crew", "g1", "rana"),
			})
			if later {
				o.write("people.ldif", reading(map[string]string{"2": "teo", "3": "rana"}, "crew", "g1", "rana"))
				assert.Equal(t, answer.RunCommitted, o.run("cindervale", intake.Intaking{Commit: true, Confirm: true}).Run.State)
				require.Empty(t, o.openTo("dome"))
				require.NoError(t, o.Close())
				o.open()
			}
			o.write("people.ldif", reading(map[string]string{"4": "ilse", "2": "teo", "3": "rana"}, "crew", "g1", "rana"))
			p := o.run("cindervale", intake.Intaking{Commit: true})
			if !later { // one of three is gone, which is more than the limit
				assert.Contains(t, p.Run.Held, "removal limit")
			}
			assert.Equal(t, answer.RunHeld, p.Run.State)
			assert.Contains(t, p.Run.Held, "name-reused")
			assert.Contains(t, p.Run.Held, "user cindervale/ilse")
			assert.NotContains(t, o.openTo("dome"), "person 4")
			_, err := o.Runs.Commit(ctx, p.Run.ID, p.Run.Version, false, ada)
			assert.ErrorContains(t, err, "name-reused")
			_, err = o.Runs.Commit(ctx, p.Run.ID, p.Run.Version, true, ada)
			require.NoError(t, err)
			assert.Equal(t, []string{"person 4"}, o.openTo("dome"), "someone has looked")
			assert.Equal(
				t,
				answer.RunUnchanged,
				o.run("cindervale", intake.Intaking{Commit: true}).Run.State,
				"it is asked once",
			)
		})
	}
	t.Run("a distinguished name", func(t *testing.T) {
		o := startObservatory(t, map[string]string{
			"map.yaml": strings.TrimPrefix(
				renamedMap,
				"\n",
			), "people.ldif": reading(map[string]string{"1": "ilse", "2": "teo", "3": "rana"}, "crew", "g1", "rana"),
		})
		require.Equal(t, []string{"person 2"}, o.openTo("roof"))
		o.write("people.ldif", reading(map[string]string{"1": "ilse", "4": "teo", "3": "rana"}, "crew", "g1", "rana"))
		p := o.run("cindervale", intake.Intaking{Commit: true})
		assert.Equal(t, answer.RunHeld, p.Run.State)
		assert.Contains(t, p.Run.Held, "uid=teo,ou=people,dc=x")
		assert.NotContains(t, o.openTo("roof"), "person 4")
	})
	t.Run("who comes back is who it was", func(t *testing.T) {
		o := startObservatory(t, map[string]string{
			"map.yaml": strings.TrimPrefix(
				renamedMap,
				"\n",
			), "people.ldif": reading(map[string]string{"1": "ilse", "2": "teo"}, "crew", "g1", "teo"),
		})
		o.write("people.ldif", reading(map[string]string{"2": "teo"}, "crew", "g1", "teo"))
		require.Equal(t, answer.RunCommitted, o.run("cindervale", intake.Intaking{Commit: true, Confirm: true}).Run.State)
		o.write("people.ldif", reading(map[string]string{"1": "ilse", "2": "teo"}, "crew", "g1", "teo"))
		require.Equal(t, answer.RunCommitted, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
		assert.Equal(t, []string{"person 1"}, o.openTo("dome"))
	})
}

// A run that waits is committed as it was seen: where the map has changed in what it would
// do, it is worked out again, and shown, first.
func TestARunIsCommittedAsItWasSeen(t *testing.T) {
	o := startObservatory(t, map[string]string{
		"map.yaml": strings.TrimPrefix(
			renamedMap,
			"\n",
		), "people.ldif": reading(map[string]string{"1": "ilse", "2": "teo", "3": "rana"}, "crew", "g1", "rana"),
	})
	o.write("people.ldif", reading(map[string]string{"1": "ilse", "2": "teo", "3": "rana"}, "crew", "g1", "rana", "teo"))
	p := o.run("cindervale", intake.Intaking{})
	require.Equal(t, answer.RunWaiting, p.Run.State)
	_, err := o.Runs.Commit(ctx, p.Run.ID, 0, false, ada)
	assert.ErrorContains(t, err, "send the version of the run")
	_, err = o.Runs.Commit(ctx, p.Run.ID, 7, false, ada)
	assert.ErrorContains(t, err, "at version 1 now")

	// Something else changes: the run does what it did.
	begin(t, o.Service, "other", stage.Change{Do: stage.Leave, Group: "keepers", Member: "dome/guest"})
	require.NoError(t, commit(o.Service, ada, "other", ""))
	// The same group opens more now: the run would give more than was seen.
	begin(
		t,
		o.Service,
		"wider",
		stage.Change{
			Do:     stage.AddLine,
			System: "doors",
			List:   "rules",
			Value:  []byte(`{"name":"crew to the roof","action":"permit","groups":["crew"],"to":["roof","dome"]}`),
		},
	)
	require.NoError(t, commit(o.Service, ada, "wider", ""))
	_, err = o.Runs.Commit(ctx, p.Run.ID, p.Run.Version, false, ada)
	var moved *answer.MovedError
	require.ErrorAs(t, err, &moved)
	again, err := o.Journal.Preview(ctx, p.Run.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, again.Run.Version)
	assert.Greater(t, len(again.Gains), len(p.Gains), "it shows what it would do now")
	begin(t, o.Service, "third", stage.Change{Do: stage.Join, Group: "keepers", Member: "dome/guest"})
	require.NoError(t, commit(o.Service, ada, "third", ""))
	run, err := o.Runs.Commit(ctx, p.Run.ID, 2, false, ada)
	require.NoError(t, err, "what changed has nothing to do with it")
	assert.Equal(t, answer.RunCommitted, run.State)
}

// On a server that streams, who is renamed keeps what a line gives by name; a reused name
// gives nothing until someone has looked, and holds up nothing else.
func TestNamesFollowAStream(t *testing.T) {
	person := func(uid, title string) string {
		return "dn: uid=" + uid + ",ou=people," + slapd.Suffix + "\nobjectClass: inetOrgPerson\nuid: " + uid + "\ncn: x\nsn: x\ntitle: " + title + "\n\n"
	}
	add := func(uid, title string) string {
		return strings.Replace(person(uid, title), "\n", "\nchangetype: add\n", 1)
	}
	rename := func(uid, to string) string {
		return "dn: uid=" + uid + ",ou=people," + slapd.Suffix + "\nchangetype: modrdn\nnewrdn: uid=" + to + "\ndeleteoldrdn: 1\n\n"
	}
	remove := func(uid string) string {
		return "dn: uid=" + uid + ",ou=people," + slapd.Suffix + "\nchangetype: delete\n\n"
	}
	server, err := slapd.Start(
		t.TempDir(),
		"dn: ou=people,"+slapd.Suffix+"\nobjectClass: organizationalUnit\nou: people\n\n"+
			person("ilse", "person 1")+person("teo", "person 2")+person("rana", "person 3"),
		nil,
		[]string{"127.0.0.1"},
	)
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	o := startObservatory(t, map[string]string{"map.yaml": `directory: cindervale
source: {ldap: {servers: ["` + server.LDAP + `"]}, table: open-schemas, follow: stream, removal_limit: 100%}
---
system: doors
type: firewall
zones: {dome: [192.0.2.0/26], yard: [192.0.2.64/27]}
rules:
  - {name: ilse, action: permit, users: [ilse], to: [dome]}
  - {name: rana, action: permit, users: [rana], to: [yard]}
`})
	o.Follower.Follow()
	gives := func(zone string, who ...string) {
		t.Helper()
		require.Eventually(
			t,
			func() bool { return slices.Equal(o.openTo(zone), append([]string{}, who...)) },
			15*time.Second,
			20*time.Millisecond,
			"%s: %v, wanted %v",
			zone,
			o.openTo(zone),
			who,
		)
	}
	gives("dome", "person 1")
	require.NoError(t, server.Modify(rename("ilse", "between")+rename("teo", "ilse")+rename("between", "teo")))
	require.Eventually(
		t,
		func() bool { return strings.Contains(o.Head().Documents()["map.yaml"], "users: [teo]") },
		15*time.Second,
		20*time.Millisecond,
	)
	gives("dome", "person 1")

	require.NoError(t, server.Modify(remove("teo")+add("teo", "person 4")))
	gives("dome")
	require.NoError(t, server.Modify(remove("rana")), "others go all the same")
	gives("yard")
	require.Eventually(t, func() bool {
		list, err := o.Journal.List(ctx, "cindervale", 10, "")
		require.NoError(t, err)
		i := slices.IndexFunc(list.Runs, func(r answer.Run) bool { return r.State == answer.RunHeld })
		if i < 0 || !strings.Contains(list.Runs[i].Held, "name-reused") {
			return false
		}
		_, err = o.Runs.Commit(ctx, list.Runs[i].ID, list.Runs[i].Version, true, ada)
		return err == nil // else a later change is held together with it, as a run of its own
	}, 15*time.Second, 20*time.Millisecond)
	gives("dome", "person 4")
}

// The key column of a list says who is who: a new name is the same person, another key under
// an old name is another person.
func TestTheKeyOfAListIdentifies(t *testing.T) {
	o := startObservatory(t, map[string]string{"map.yaml": `directory: club
source: {csv: {file: club.csv}, removal_limit: 100%, users: {name: login, key: number, attributes: {title: title}}}
---
system: doors
type: firewall
zones: {dome: [192.0.2.0/26]}
rules: [{name: ilse, action: permit, users: [ilse], to: [dome]}]
`, "club.csv": "number,login,title\n1,ilse,person 1\n2,teo,person 2\n"})
	require.Equal(t, []string{"person 1"}, o.openTo("dome"))
	o.write("club.csv", "number,login,title\n1,teo,person 1\n2,ilse,person 2\n")
	assert.Equal(t, answer.RunCommitted, o.run("club", intake.Intaking{Commit: true}).Run.State)
	assert.Equal(t, []string{"person 1"}, o.openTo("dome"), "they swapped names")
	o.write("club.csv", "number,login,title\n3,teo,person 3\n2,ilse,person 2\n")
	held := o.run("club", intake.Intaking{Commit: true})
	assert.Contains(t, held.Run.Held, "name-reused")
	assert.Empty(t, o.openTo("dome"))

	o.write("club.csv", "number,login,title\n2,ilse,person 2\n2,rana,person 2\n,bo,person 4\n")
	run := o.run("club", intake.Intaking{})
	require.Len(t, run.Rejected, 2)
	assert.Contains(
		t,
		strings.Join(run.Rejected, "\n"),
		`club.csv:3: user "rana" has the identifier 2, and so has "ilse", at club.csv:2 before`,
	)
	assert.Contains(
		t,
		strings.Join(run.Rejected, "\n"),
		`club.csv:4: entry "bo" is one of those meant, but has no number, which is to identify it`,
	)
}
