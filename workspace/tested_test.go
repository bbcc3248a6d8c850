package workspace_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/service/sourcecheck"
)

// A test of a directory ends with a failure wherever nobody would come in, or not the one
// who was asked for, and says why.
func TestATestOfADirectoryFailsWhereNobodyComesIn(t *testing.T) {
	const doc = `directory: club
source: {ldif: people.ldif, users: {name: uid, filter: FILTER, disabled: (status=closed), expires: {attribute: end}, attributes: {title: title}}, groups: {name: cn, filter: (objectClass=groupOfNames), members: [member]}}
---
system: archive
type: roles
rights: [frames:read]
requires: [title]
resources: [{path: /}]
roles: {reader: {rights: [frames:read]}}
mappings:
  - {groups: [crew], role: reader, object: /}
  - {groups: [creww], role: reader, object: /}
`
	const ilse = "dn: uid=ilse,dc=x\nobjectClass: person\nuid: ilse\n"
	const crew = "\ndn: cn=crew,dc=x\nobjectClass: groupOfNames\ncn: crew\nmember: uid=ilse,dc=x\n"
	for _, c := range []struct{ name, filter, people, user, step, want string }{
		{"fine", "(objectClass=person)", ilse + "title: Observer\n" + crew, "ilse", "", ""},
		{"nothing at all", "(objectClass=robot)", "dn: dc=x\nobjectClass: domain\n", "", "result", "nothing would come in: the filters match nothing"},
		{"groups alone", "(objectClass=robot)", ilse + crew, "", "result", "nobody would come in"},
		{"an inactive account", "(objectClass=person)", ilse + "title: Observer\nstatus: closed\n" + crew, "ilse", "user", "the account is inactive"},
		{"an expired account", "(objectClass=person)", ilse + "title: Observer\nend: 20200101000000Z\n" + crew, "ilse", "user", "the account expired at 2020-01-01"},
		{"a required attribute that nobody has", "(objectClass=person)", ilse + crew, "", "attribute", "required by archive"},
		{"one that the user lacks", "(objectClass=person)", ilse + "\ndn: uid=teo,dc=x\nobjectClass: person\nuid: teo\ntitle: Cook\n" + crew, "ilse", "required", "archive requires title"},
		{"someone else", "(objectClass=person)", ilse + "title: Observer\n" + crew, "rana", "user", "there is no user"},
	} {
		t.Run(c.name, func(t *testing.T) {
			o := startObservatory(
				t,
				map[string]string{"map.yaml": strings.Replace(doc, "FILTER", c.filter, 1), "people.ldif": c.people},
			)
			checked, err := o.Runs.TestDirectory(ctx, "club", sourcecheck.Tested{User: c.user}, func(answer.Step) {})
			require.NoError(t, err)
			var failed []answer.Step
			near := false
			for _, s := range checked.Steps {
				if s.State == "failed" {
					failed = append(failed, s)
				}
				near = near || s.Name == "near miss"
			}
			if c.step == "" {
				assert.Empty(t, failed)
				assert.True(t, near, "a line that nearly names the group is told, though another does")
				return
			}
			require.NotEmpty(t, failed)
			assert.Equal(t, c.step, failed[0].Name)
			assert.Contains(t, failed[0].Detail, c.want)
		})
	}
}

// A test that is narrowed to a system tells of that one alone; groups count, too, that are
// made into claims; and a file without a column fails the test with its name.
func TestATestOfADirectoryInOneSystem(t *testing.T) {
	const doc = `directory: club
source: {csv: {file: club.csv, values: "|"}, users: {name: name, attributes: {title: title, mail: mail}}}
groups:
  - {name: cloud-viewer, members: {users: [ilse]}}
  - {name: crew, members: {users: [ilse]}}
---
system: cloud
type: federation
parties:
  - party: compute
    claims: [{claim: role, from_groups: true, pattern: '^cloud-(?P<role>[a-z]+)$', value: '${role}'}]
    admit: [{permit: {claim: role, is: viewer}}]
---
system: compute
type: roles
rights: [node:view]
resources: [{path: /}]
roles: {viewer: {rights: [node:view]}}
mappings: [{claims: [{party: cloud/compute, claim: role, is: viewer}], role: viewer, object: /}]
---
system: archive
type: roles
rights: [frames:read]
resources: [{path: /}]
roles: {reader: {rights: [frames:read]}}
mappings: [{groups: [creww], role: reader, object: /}]
`
	o := startObservatory(
		t,
		map[string]string{"map.yaml": doc, "club.csv": "name,title,mail\nilse,Observer,i@cindervale.example\n"},
	)
	tell := func(system string) (all []string) {
		checked, err := o.Runs.TestDirectory(
			ctx,
			"club",
			sourcecheck.Tested{User: "ilse", System: system},
			func(answer.Step) {},
		)
		require.NoError(t, err)
		for _, s := range checked.Steps {
			if s.Name == "mapped" || s.Name == "near miss" {
				all = append(all, s.State+" "+s.Detail)
			}
		}
		return all
	}
	const near = `warned archive/mapping 1 names "creww", and the user is in club/crew: the name is nearly the same`
	assert.Equal(
		t,
		[]string{"good in cloud: club/cloud-viewer", "good in compute: by the claim cloud/compute role=viewer", near},
		tell(""),
	)
	assert.Equal(t, []string{"good in compute: by the claim cloud/compute role=viewer"}, tell("compute"))
	assert.Equal(
		t,
		[]string{"failed no line of archive names any of the groups, so they open nothing there", near},
		tell("Archive"),
	)
	_, err := o.Runs.TestDirectory(ctx, "club", sourcecheck.Tested{User: "ilse", System: "archives"}, func(answer.Step) {})
	assert.ErrorContains(t, err, "did you mean archive")

	o.write("club.csv", "name,titel,mail\nilse,Observer,i@cindervale.example\n")
	var steps []answer.Step
	checked, err := sourcecheck.Folder(
		ctx,
		o.dir,
		connect.Host{Files: os.DirFS(o.dir)},
		"club",
		sourcecheck.Tested{},
		func(s answer.Step) { steps = append(steps, s) },
	)
	require.NoError(t, err)
	assert.True(t, checked.Failed())
	require.Len(t, steps, 1)
	assert.Contains(t, steps[0].Detail, `"title" (perhaps titel)`)
}
