package workspace_test

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/intake"
	"gatemap/stage"
	"gatemap/tools/slapd"
)

const people = "Number;Given;Family;Position;Place;Ends\n"

// accounted is an observatory whose accounts are made by a personnel list, on a real server.
func accounted(t *testing.T, list string) (*observatory, *slapd.Server) {
	t.Helper()
	t.Setenv("GATEMAP_SECRET_DIRECTORY", slapd.Secret)
	var b strings.Builder
	for _, ou := range []string{"ou=people", "ou=Summit,ou=people", "ou=Base,ou=people", "ou=admins", "ou=groups"} {
		b.WriteString("dn: " + ou + "," + slapd.Suffix + "\nobjectClass: organizationalUnit\n\n")
	}
	for dn, number := range map[string]string{"uid=ilse.okonjo,ou=Summit,ou=people": "E1", "uid=adm-ilse,ou=admins": "E1", "uid=noor.haddix,ou=Summit,ou=people": "E2"} {
		b.WriteString(
			"dn: " + dn + "," + slapd.Suffix + "\nobjectClass: inetOrgPerson\nobjectClass: posixAccount\ncn: x\nsn: x\nemployeeNumber: " + number +
				"\nuidNumber: 2000" + number[1:] + "\ngidNumber: 500\nhomeDirectory: /\n\n",
		)
	}
	b.WriteString(
		"dn: cn=crew,ou=groups," + slapd.Suffix + "\nobjectClass: groupOfNames\nmember: uid=ilse.okonjo,ou=Summit,ou=people," + slapd.Suffix + "\n\n",
	)
	server, err := slapd.Start(t.TempDir(), b.String(), nil, []string{"127.0.0.1"})
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	o := startObservatory(t, map[string]string{"people.csv": people + list, "cindervale.yaml": `
directory: cindervale
source:
  ldap: {servers: ["` + server.LDAP + `"], bind: "` + slapd.Admin + `", secret: {env: GATEMAP_SECRET_DIRECTORY}, tries: 1, timeout: 2s}
  write: [members, active, users]
  accounts:
    place: "ou={addresses.locality},ou=people,` + slapd.Suffix + `"
    name: "{name.givenName}.{name.familyName}"
    numbers: 20000-20005
    attributes: {emails: "{userName}@cindervale.example"}
    entry: {homeDirectory: "/home/{userName}", gidNumber: "500"}
  users:
    filter: (objectClass=inetOrgPerson)
    name: uid
    disabled: (employeeType=gone)
    attributes: {name.givenName: givenName, name.familyName: sn, title: title, employeeNumber: employeeNumber, emails: mail, uidNumber: uidNumber}
  groups: {filter: (objectClass=groupOfNames), name: cn, members: [member]}
groups: [{name: cooks, rule: 'title eq "Cook"'}]
---
directory: personnel
source:
  csv: {file: people.csv, delimiter: ";"}
  vanished: deactivate
  removal_limit: 100%
  feeds: {directory: cindervale, by: employeeNumber, decides: [title, active]}
  users:
    name: Number
    expires: Ends
    attributes: {employeeNumber: Number, name.givenName: Given, name.familyName: Family, title: Position, addresses.locality: Place}
`})
	r := o.run("cindervale", intake.Intaking{Commit: true}).Run
	require.Equal(t, answer.RunCommitted, r.State, r.Error)
	return o, server
}

// planned is what becomes of accounts, in a line each.
func (o *observatory) planned() (lines []string, changes []stage.Change) {
	o.t.Helper()
	plan, err := o.Accounts.Plan(o.t.Context(), "Cindervale")
	require.NoError(o.t, err)
	for _, x := range plan.Accounts {
		lines = append(
			lines,
			strings.Join(
				[]string{
					string(x.Do),
					x.Person,
					strings.TrimPrefix(x.User, "cindervale/"),
					strings.ReplaceAll(x.Why, ","+slapd.Suffix, ""),
				},
				" | ",
			),
		)
	}
	return lines, plan.Changes()
}

// committed commits a trial with changes.
func (o *observatory) committed(name string, changes []stage.Change) (*answer.Committed, error) {
	begin(o.t, o.Service, name, changes...)
	return o.Commits.Commit(o.t.Context(), ada, name, changeset.Committing{Version: version(o.Service, name), Reason: "r"})
}

// Who is in the list and has no account gets one, who is elsewhere is moved, and who has left is
// switched off; an account that is nobody's in the list, or stands aside, stays as it is.
func TestAccountsOfPeople(t *testing.T) {
	o, server := accounted(
		t,
		"E1;Ilse;Okonjo;Night assistant;Base;\nE2;Noor;Haddix;Cook;Summit;2020-01-01T00:00:00Z\nE3;Noor;Haddix;Cook;Summit;\nE4;;Reyk;Cook;Base;\nE5;Ola;Reyk;Cook;;\nE6;Jürgen;Weiß;Cook;Base;\nE7;Old;Guest;Cook;Base;2020-01-01T00:00:00Z\n",
	)
	lines, changes := o.planned()
	assert.Equal(t, []string{
		"move | personnel/E1 | ilse.okonjo | from ou=Summit,ou=people to ou=Base,ou=people",
		"switch-off | personnel/E2 | noor.haddix | the record has expired, 2020-01-01T00:00:00Z",
		"create | personnel/E3 | noor.haddix2 | a namesake of noor.haddix; below ou=Summit,ou=people",
		"none | personnel/E4 |  | the record has no name.givenName",
		"none | personnel/E5 |  | the record has no addresses.locality",
		"create | personnel/E6 | jurgen.weiss | below ou=Base,ou=people",
	}, lines)
	codes := func() (all []string) {
		for _, f := range o.Observed(t.Context()) {
			all = append(all, string(f.Code)+" "+strings.Join(f.Names, " "))
		}
		return all
	}
	assert.Equal(
		t,
		[]string{
			"leaver-on cindervale/noor.haddix",
			"account-due cindervale/ilse.okonjo cindervale/noor.haddix2 cindervale/jurgen.weiss",
		},
		codes(),
	)
	made, err := o.committed(
		"first",
		append(changes, stage.Change{Do: stage.Join, Group: "crew", Member: "cindervale/jurgen.weiss"}),
	)
	require.NoError(t, err)
	require.Len(t, made.Passwords, 2)
	for i, rdn := range []string{"uid=jurgen.weiss,ou=Base,ou=people", "uid=noor.haddix2,ou=Summit,ou=people"} {
		out, err := exec.Command("ldapwhoami", "-x", "-H", server.LDAP, "-D", rdn+","+slapd.Suffix, "-w", made.Passwords[i].Password).
			CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	account := entry(t, server, "uid=jurgen.weiss,ou=Base,ou=people")
	for _, line := range []string{"objectClass: posixAccount", "uidNumber: 20004", "homeDirectory: /home/jurgen.weiss", "mail: jurgen.weiss@cindervale.example", "employeeNumber: E6"} {
		assert.Contains(t, account, line)
	}
	assert.Contains(
		t,
		entry(t, server, "uid=noor.haddix2,ou=Summit,ou=people"),
		"uidNumber: 20003",
		"who waits without a place takes no number",
	)
	crew := entry(t, server, "cn=crew,ou=groups")
	assert.Contains(t, crew, "member: uid=ilse.okonjo,ou=Base,ou=people,"+slapd.Suffix)
	assert.Contains(t, crew, "member: uid=jurgen.weiss,ou=Base,ou=people,"+slapd.Suffix)
	assert.NotContains(t, crew, "Summit")
	assert.Contains(t, entry(t, server, "uid=noor.haddix,ou=Summit,ou=people"), "employeeType: gone")
	assert.NotContains(t, entry(t, server, "uid=adm-ilse,ou=admins"), "gone")

	lines, changes = o.planned()
	assert.Empty(t, codes())
	assert.Empty(t, changes)
	assert.Len(t, lines, 2, "those who cannot have one")
	o.run("cindervale", intake.Intaking{Commit: true})
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	log := audited(t, o.Service)
	assert.Contains(t, log, "user jurgen.weiss: is new")
	for _, p := range made.Passwords {
		assert.NotContains(t, log, p.Password)
	}

	_, err = o.Commits.Revert(t.Context(), ada, made.Revision, "back")
	require.NoError(t, err)
	back, err := o.Trials.Find(t.Context(), ada, "back")
	require.NoError(t, err)
	var sentences []string
	for _, c := range back.Changes {
		sentences = append(sentences, c.Sentence)
	}
	assert.Contains(t, sentences, "Switches the account cindervale/jurgen.weiss off.", "what is there is not deleted")
	require.NoError(t, o.Trials.Remove(t.Context(), ada, "back", 0))
	require.NoError(
		t,
		server.Modify(
			"dn: uid=guest,ou=people,"+slapd.Suffix+"\nchangetype: add\nobjectClass: inetOrgPerson\ncn: x\nsn: x\n",
		),
	)
	ran := o.run("cindervale", intake.Intaking{Commit: true}).Run
	again, err := o.Commits.Revert(t.Context(), ada, ran.Revision, "again")
	require.NoError(t, err)
	assert.Equal(
		t,
		"Removes the record of user cindervale/guest again.",
		again.Changes[0].Sentence,
		"what a run took in is no account that was made",
	)
	require.NoError(t, o.Trials.Remove(t.Context(), ada, "again", 0))
	require.NoError(t, server.Modify("dn: uid=guest,ou=people,"+slapd.Suffix+"\nchangetype: delete\n"))
	o.run("cindervale", intake.Intaking{Commit: true, Confirm: true})

	o.write("people.csv", people+"E1;Ilse;Okonjo;Night assistant;Base;\n")
	o.run("personnel", intake.Intaking{Commit: true, Confirm: true})
	lines, changes = o.planned()
	assert.Equal(
		t,
		[]string{
			"switch-off | personnel/E3 | noor.haddix2 | the record is inactive",
			"switch-off | personnel/E6 | jurgen.weiss | the record is inactive",
		},
		lines,
	)
	_, err = o.committed("left", changes)
	require.NoError(t, err)
	assert.Contains(t, entry(t, server, "uid=jurgen.weiss,ou=Base,ou=people"), "employeeType: gone", "and is not deleted")
}

// Whoever takes a name, a number or the place first at the server keeps it, and nothing is left of a
// commit that cannot be made whole.
func TestAccountsThatAreTaken(t *testing.T) {
	o, server := accounted(
		t,
		"E1;Ilse;Okonjo;Night assistant;Base;\nE3;Calla;Reyk;Cook;Summit;\nE4;Ana;Reyk;Cook;Harbour;\n",
	)
	_, changes := o.planned()
	require.Len(t, changes, 3)
	_, err := o.committed("harbour", changes)
	assert.ErrorContains(t, err, `there is no entry "ou=Harbour,ou=people,`+slapd.Suffix+`" to put it below`)
	other := "\nchangetype: add\nobjectClass: inetOrgPerson\nobjectClass: posixAccount\ncn: x\nsn: x\ngidNumber: 500\nhomeDirectory: /\n"
	for n, taken := range []string{"uid=calla.reyk,ou=Summit,ou=people|uidNumber: 1", "uid=calla.reyk,ou=Base,ou=people|uidNumber: 1", "uid=other,ou=Base,ou=people|uidNumber: 20003"} {
		rdn, number, _ := strings.Cut(taken, "|")
		dn := rdn + "," + slapd.Suffix
		require.NoError(t, server.Modify("dn: "+dn+other+number+"\n"))
		before := allEntries(t, server)
		_, err = o.committed("t"+string(rune('0'+n)), changes[:2])
		var conflict *answer.ConflictError
		require.ErrorAs(t, err, &conflict, taken)
		assert.Contains(t, conflict.Message, dn)
		assert.Equal(t, before, allEntries(t, server))
		require.NoError(t, server.Modify("dn: "+dn+"\nchangetype: delete\n"))
	}
	o.write(
		"people.csv",
		people+"E1;Ilse;Okonjo;Night assistant;Base;\nE3;Calla;Reyk;Cook;Summit;\nE9;Calla;Reyk;Cook;Summit;\n;Noor;Reyk;Cook;Summit;\n",
	)
	o.run("personnel", intake.Intaking{Commit: true, Confirm: true})
	lines, _ := o.planned()
	assert.Contains(t, lines, "create | personnel/E9 | calla.reyk2 | a namesake of calla.reyk; below ou=Summit,ou=people")
	_, err = o.Accounts.Plan(t.Context(), "personnel")
	assert.ErrorContains(t, err, "does not say what new accounts are to be")
	_, err = o.Accounts.Plan(t.Context(), "cindervail")
	assert.ErrorContains(t, err, "cindervale")
}

// allEntries is all that a server has, as another client sees it.
func allEntries(t *testing.T, server *slapd.Server) string {
	t.Helper()
	out, err := exec.Command("ldapsearch", "-x", "-LLL", "-o", "ldif-wrap=no", "-H", server.LDAP, "-D", slapd.Admin, "-w", slapd.Secret, "-b", slapd.Suffix).
		CombinedOutput()
	require.NoError(t, err, "%s", out)
	return string(out)
}

// What new accounts are to be is said by who may deliver: it is what is written at a server.
func TestWhoMaySayWhatNewAccountsAre(t *testing.T) {
	o, _ := accounted(t, "")
	text := o.Head().Documents()["cindervale.yaml"]
	editor := operator.Actor{Name: "cleo", Role: operator.Editor}
	for other, may := range map[string]bool{
		`gidNumber: "0"`: false,
		`gidNumber: "500", userPassword: "known"`: false,
		`gidNumber: "500" # as ever`:              true,
	} {
		_, err := o.Trials.Begin(t.Context(), ada, "entry", "")
		require.NoError(t, err)
		_, err = o.Trials.Stage(t.Context(), editor, "entry", 0, []stage.Change{
			{
				Do:       stage.WriteDocument,
				Document: "cindervale.yaml",
				Value:    raw(strings.Replace(text, `gidNumber: "500"}`, other+"\n      }", 1)),
			},
		})
		if may {
			require.NoError(t, err, other)
		} else {
			assert.ErrorContains(t, err, "this lets commits change new accounts of the directory cindervale elsewhere", other)
		}
		require.NoError(t, o.Trials.Remove(t.Context(), ada, "entry", 0))
	}
}
