package workspace_test

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	ber "github.com/go-asn1-ber/asn1-ber"
	goldap "github.com/go-ldap/ldap/v3"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/intake"
	"gatemap/stage"
	"gatemap/store"
	"gatemap/tools/slapd"
	"gatemap/workspace"
)

// writtenDirectory is an observatory whose directory is on a real server and is written; keys are more of
// its source.
func writtenDirectory(
	t *testing.T,
	keys, more string,
	between ...func(address string) string,
) (*observatory, *slapd.Server) {
	t.Helper()
	t.Setenv("GATEMAP_SECRET_DIRECTORY", slapd.Secret)
	var b strings.Builder
	for _, ou := range []string{"people", "groups"} {
		b.WriteString("dn: ou=" + ou + "," + slapd.Suffix + "\nobjectClass: organizationalUnit\nou: " + ou + "\n\n")
	}
	for _, uid := range []string{"ida", "bo", "cy"} {
		b.WriteString(
			"dn: uid=" + uid + ",ou=people," + slapd.Suffix + "\nobjectClass: inetOrgPerson\nuid: " + uid + "\ncn: " + uid + "\nsn: x\ntitle: Observer\nemployeeNumber: " + uid + "1\n\n",
		)
	}
	b.WriteString(
		"dn: cn=crew,ou=groups," + slapd.Suffix + "\nobjectClass: groupOfNames\nobjectClass: extensibleObject\ncn: crew\nmanager: uid=ida,ou=people," + slapd.Suffix + "\nmember: uid=ida,ou=people," + slapd.Suffix + "\n\n",
	)
	b.WriteString(
		"dn: cn=unix,ou=groups," + slapd.Suffix + "\nobjectClass: posixGroup\ncn: unix\ngidNumber: 500\nmemberUid: bo\n\n",
	)
	server, err := slapd.Start(t.TempDir(), b.String(), nil, []string{"127.0.0.1"})
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	address := server.LDAP
	for _, b := range between {
		address = b(address)
	}
	o := startObservatory(t, map[string]string{"people.csv": "number,title\nida1,Astronomer\n", "cindervale.yaml": `
directory: cindervale
source:
  ldap: {servers: ["` + address + `"], bind: "` + slapd.Admin + `", secret: {env: GATEMAP_SECRET_DIRECTORY}, tries: 1, timeout: 2s}
  write: [members, attributes, active]
  removal_limit: 100%
  ` + keys + `
  users: {filter: (objectClass=inetOrgPerson), name: uid, disabled: (employeeType=gone), attributes: {title: title, employeeNumber: employeeNumber, mails: mail}}
  groups: {filter: "(|(objectClass=groupOfNames)(objectClass=posixGroup))", name: cn, members: [member, memberUid], managers: manager}
` + more})
	require.NotZero(t, o.run("cindervale", intake.Intaking{Commit: true}).Run.Revision)
	return o, server
}

// entry is an entry as another client sees it.
func entry(t *testing.T, server *slapd.Server, rdn string) string {
	t.Helper()
	out, err := exec.Command("ldapsearch", "-x", "-LLL", "-o", "ldif-wrap=no", "-H", server.LDAP, "-D", slapd.Admin, "-w", slapd.Secret, "-s", "base", "-b", rdn+","+slapd.Suffix).
		CombinedOutput()
	require.NoError(t, err, "%s", out)
	return string(out)
}

func title(user, to string) stage.Change {
	return stage.Change{Do: stage.SetUser, User: user, Attribute: "title", Value: raw(to)}
}

// A commit is there in the directory before it is in force, and the next run finds nothing else.
func TestACommitWritesTheDirectory(t *testing.T) {
	o, server := writtenDirectory(t, "", "")
	begin(
		t,
		o.Service,
		"more",
		title("ida", "Engineer"),
		stage.Change{Do: stage.Join, Group: "crew", Member: "bo"},
		stage.Change{Do: stage.Leave, Group: "crew", Member: "ida"},
		stage.Change{
			Do:     stage.Join,
			Group:  "unix",
			Member: "cy",
		},
		stage.Change{Do: stage.SetUser, User: "cy", Attribute: "active", Value: raw(false)},
	)
	trial, err := o.Trials.Find(t.Context(), ada, "more")
	require.NoError(t, err)
	assert.Equal(
		t,
		[]string{"The commit first writes to where the records of cindervale come from, records: 4."},
		trial.Notices,
	)
	looked, err := o.Commits.Looked(t.Context(), ada, "more")
	require.NoError(t, err)
	require.Len(t, looked.Writes, 4)
	assert.Equal(
		t,
		"dn: uid=cy,ou=people,"+slapd.Suffix+"\nchangetype: modify\nadd: employeeType\nemployeeType: gone\n-\n",
		looked.Writes[0].Text,
		"what takes away is first",
	)
	assert.Contains(t, entry(t, server, "uid=ida,ou=people"), "title: Observer", "looking changes nothing")
	require.NoError(t, commit(o.Service, ada, "more", ""))
	assert.Contains(t, entry(t, server, "uid=ida,ou=people"), "title: Engineer")
	crew := entry(t, server, "cn=crew,ou=groups")
	assert.Contains(t, crew, "member: uid=bo")
	assert.NotContains(t, crew, "member: uid=ida")
	assert.Contains(t, entry(t, server, "cn=unix,ou=groups"), "memberUid: cy")
	head := o.Head().Revision.Number
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	assert.Equal(t, head, o.Head().Revision.Number)
	revision, err := o.History.Revision(t.Context(), head)
	require.NoError(t, err)
	require.Len(t, revision.Written, 1)
	assert.Equal(t, "cindervale", revision.Written[0].Directory)
	log := audited(t, o.Service)
	assert.Contains(t, log, "write cindervale done: user cy: active \"true\" becomes \"false\"; group crew: members come")
	_, err = o.Commits.Revert(t.Context(), ada, head, "back")
	require.NoError(t, err)
	require.NoError(t, commit(o.Service, ada, "back", ""))
	assert.Contains(t, entry(t, server, "uid=ida,ou=people"), "title: Observer", "a revert writes back")
}

// What a server tells of what was written is nothing new, and what it told before that is not taken for
// newer.
func TestWhatIsToldOfWhatWasWritten(t *testing.T) {
	for _, follow := range []string{"follow: stream", "follow: poll\n  poll: 40ms"} {
		t.Run(follow, func(t *testing.T) { toldOfWhatWasWritten(t, follow) })
	}
}

func toldOfWhatWasWritten(t *testing.T, follow string) {
	o, server := writtenDirectory(t, follow, "", answersLate(t, 150*time.Millisecond))
	o.Follower.Follow()
	require.NoError(
		t,
		server.Modify("dn: uid=cy,ou=people,"+slapd.Suffix+"\nchangetype: modify\nreplace: title\ntitle: Warden\n"),
	)
	require.Eventually(
		t,
		func() bool { return o.attribute("cy", "title") == "Warden" },
		20*time.Second,
		20*time.Millisecond,
	)
	before := o.Head().Revision.Number
	const rounds = 6
	for i := range rounds {
		in, out := "bo", "cy"
		if i%2 == 1 {
			in, out = out, in
		}
		changes := []stage.Change{
			{Do: stage.Join, Group: "crew", Member: in},
			title("ida", []string{"Engineer", "Cook"}[i%2]),
		}
		if i > 0 {
			changes = append(changes, stage.Change{Do: stage.Leave, Group: "crew", Member: out})
		}
		begin(t, o.Service, "more", changes...)
		require.NoError(t, commit(o.Service, ada, "more", ""))
	}
	require.NoError(
		t,
		server.Modify("dn: uid=cy,ou=people,"+slapd.Suffix+"\nchangetype: modify\nreplace: title\ntitle: Guard\n"),
	)
	require.Eventually(
		t,
		func() bool { return o.attribute("cy", "title") == "Guard" },
		20*time.Second,
		20*time.Millisecond,
	)
	assert.Equal(t, before+rounds+1, o.Head().Revision.Number, "the commits, and what somebody else did")
	assert.Equal(t, "Cook", o.attribute("ida", "title"))
}

// Letting more of a directory be written asks for the right to deliver, letting less does not.
func TestWhoMayLetADirectoryBeWritten(t *testing.T) {
	o, _ := writtenDirectory(t, "", "")
	editor := operator.Actor{Name: "cleo", Role: operator.Editor}
	text := o.Head().Documents()["cindervale.yaml"]
	staging := func(by operator.Actor, written string) error {
		_, err := o.Trials.Begin(t.Context(), ada, "write", "")
		require.NoError(t, err)
		other := strings.Replace(text, "[members, attributes, active]", written, 1)
		_, err = o.Trials.Stage(
			t.Context(),
			by,
			"write",
			0,
			[]stage.Change{{Do: stage.WriteDocument, Document: "cindervale.yaml", Value: raw(other)}},
		)
		return err
	}
	require.NoError(t, staging(editor, "[members]"))
	require.NoError(t, commit(o.Service, ada, "write", ""))
	err := staging(editor, "[members, active]")
	assert.ErrorContains(t, err, "this lets commits change active of the directory cindervale elsewhere")
	require.NoError(t, o.Trials.Remove(t.Context(), ada, "write", 0))
	require.NoError(t, staging(operator.Actor{Name: "bea", Role: operator.Approver}, "[members, active]"))
	require.NoError(t, commit(o.Service, ada, "write", ""))
	begin(t, o.Service, "title", title("ida", "Engineer"))
	trial, err := o.Trials.Find(t.Context(), ada, "title")
	require.NoError(t, err)
	assert.Equal(
		t,
		[]string{
			"Records of cindervale come from a source: make the change there too, or the next intake restores what the source has.",
		},
		trial.Notices,
	)
}

// What cannot be written is told with the map, and not when it is committed.
func TestWhatCannotBeWritten(t *testing.T) {
	for source, want := range map[string]string{
		"{csv: {file: people.csv}, write: [members], users: {name: number}}": "write is not for csv: nothing can be written there",
		"{ldap: {servers: [ldap://127.0.0.1:1]}, write: [passwords]}":        `"passwords"`,
	} {
		dir := t.TempDir()
		for file, content := range map[string]string{"gatemap.yaml": "title: x\n", "d.yaml": "directory: d\nsource: " + source + "\n", "people.csv": "number\n1\n"} {
			require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(content), 0o600))
		}
		_, err := content.ReadFolder(dir)
		require.ErrorContains(t, err, want)
		assert.ErrorContains(t, err, "d.yaml:2:")
	}
}

// Whoever manages a group changes it in the directory. Where somebody else did so meanwhile, both are
// told, and nothing is half.
func TestAManagerChangesAGroupWhereItLives(t *testing.T) {
	o, server := writtenDirectory(t, "", "")
	ida := operator.Actor{Name: "ida", User: "cindervale/ida", Role: operator.Manager}
	_, err := o.OwnGroups.Change(t.Context(), ida, "crew", []string{"bo"}, nil, "")
	require.NoError(t, err)
	assert.Contains(t, entry(t, server, "cn=crew,ou=groups"), "member: uid=bo")
	head := o.Head().Revision.Number
	require.NoError(
		t,
		server.Modify(
			"dn: cn=crew,ou=groups,"+slapd.Suffix+"\nchangetype: modify\nadd: member\nmember: uid=cy,ou=people,"+slapd.Suffix+"\n",
		),
	)
	_, err = o.OwnGroups.Change(t.Context(), ida, "crew", nil, []string{"bo"}, "")
	require.ErrorContains(
		t,
		err,
		"nothing is committed, as cindervale cannot be written: group crew was changed there meanwhile: there: members come: uid=cy,ou=people,"+
			slapd.Suffix+"; here: members go: uid=bo",
	)
	assert.Equal(t, head, o.Head().Revision.Number)
	crew := entry(t, server, "cn=crew,ou=groups")
	assert.Contains(t, crew, "member: uid=bo")
	assert.Contains(t, crew, "member: uid=cy")
	o.run("cindervale", intake.Intaking{Commit: true})
	_, err = o.OwnGroups.Change(t.Context(), ida, "crew", nil, []string{"bo"}, "")
	require.NoError(t, err, "once it is taken in")
	assert.NotContains(t, entry(t, server, "cn=crew,ou=groups"), "member: uid=bo")
}

// Where one entry cannot be written, none is; and a revision that cannot be made leaves nothing.
func TestAServerThatRefuses(t *testing.T) {
	o, server := writtenDirectory(t, "", "")
	require.NoError(
		t,
		server.Modify("dn: uid=cy,ou=people,"+slapd.Suffix+"\nchangetype: modify\nreplace: title\ntitle: Warden\n"),
	)
	begin(t, o.Service, "both", title("ida", "Engineer"), title("cy", "Engineer"))
	head := o.Head().Revision.Number
	require.ErrorContains(
		t,
		commit(o.Service, ada, "both", ""),
		`user cy was changed there meanwhile: there: title "Observer" becomes "Warden"; here: title "Observer" becomes "Engineer"`,
	)
	assert.Equal(t, head, o.Head().Revision.Number)
	assert.Contains(t, entry(t, server, "uid=ida,ou=people"), "title: Observer")
	begin(
		t,
		o.Service,
		"letters",
		title("bo", "Engineer"),
		stage.Change{Do: stage.SetUser, User: "ida", Attribute: "mails", Value: raw("ïda@cindervale.example")},
	)
	err := commit(o.Service, ada, "letters", "")
	require.ErrorContains(t, err, "user ida: the server refuses it", "mail is of ASCII (RFC 4524 section 2.16)")
	assert.Contains(t, entry(t, server, "uid=bo,ou=people"), "title: Observer", "what was written before is taken back")
	assert.Contains(t, audited(t, o.Service), "write cindervale refused: taken back: the revision was not made")
	server.Stop()
	require.ErrorContains(t, commit(o.Service, ada, "both", ""), "connection refused")
	require.NoError(t, server.Restart())
	assert.Equal(t, head, o.Head().Revision.Number)
}

// answersLate is a way to a server on which the answer to a modification comes after a while; below 0
// it is lost, and everything after it on that connection.
func answersLate(t *testing.T, wait time.Duration) func(address string) string {
	return func(address string) string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { _ = l.Close() })
		go func() {
			for {
				client, err := l.Accept()
				if err != nil {
					return
				}
				server, err := net.Dial("tcp", strings.TrimPrefix(address, "ldap://"))
				if err != nil {
					_ = client.Close()
					continue
				}
				var modifies atomic.Bool
				go func() {
					defer server.Close()
					for {
						p, err := ber.ReadPacket(client)
						if err != nil {
							return
						}
						modifies.Store(modifies.Load() || p.Children[1].Tag == goldap.ApplicationModifyRequest)
						if _, err := server.Write(p.Bytes()); err != nil {
							return
						}
					}
				}()
				go func() {
					defer client.Close()
					for {
						p, err := ber.ReadPacket(server)
						if err != nil {
							return
						}
						if modifies.Load() {
							if wait < 0 {
								continue
							}
							time.Sleep(wait)
						}
						_, _ = client.Write(p.Bytes())
					}
				}()
			}
		}()
		return "ldap://" + l.Addr().String()
	}
}

// Where the answer to a modification is lost nobody knows whether it was made: it is taken back once the
// server answers, and until then nothing else is written there.
func TestAnAnswerThatIsLost(t *testing.T) {
	o, server := writtenDirectory(t, "", "", answersLate(t, -1))
	o.Writes.RetryAfter = time.Second
	begin(t, o.Service, "more", title("ida", "Engineer"), stage.Change{Do: stage.Leave, Group: "crew", Member: "ida"})
	head := o.Head().Revision.Number
	err := commit(o.Service, ada, "more", "")
	require.ErrorContains(t, err, "what was written before that is not put back yet")
	assert.Equal(t, head, o.Head().Revision.Number)
	assert.NotContains(t, entry(t, server, "cn=crew,ou=groups"), "member: uid=ida", "it was made")
	require.Eventually(t, func() bool {
		return strings.Contains(
			audited(t, o.Service),
			"write cindervale done: taken back: the program or the connection ended",
		)
	}, 30*time.Second, 100*time.Millisecond)
	assert.Contains(t, entry(t, server, "cn=crew,ou=groups"), "member: uid=ida")
	assert.Contains(t, entry(t, server, "uid=ida,ou=people"), "title: Observer")
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
}

// What a feed decides is not written: it is told where to change it.
func TestWhatAFeedDecidesIsNotWritten(t *testing.T) {
	o, server := writtenDirectory(t, "", `---
directory: personnel
source:
  csv: {file: people.csv}
  feeds: {directory: cindervale, by: employeeNumber, decides: [title]}
  users: {name: number, attributes: {employeeNumber: number, title: title}}
`)
	begin(t, o.Service, "title", title("ida", "Engineer"))
	err := commit(o.Service, ada, "title", "")
	require.ErrorContains(
		t,
		err,
		`ida1: title "Astronomer" becomes "Engineer". personnel decides this: change it there (people.csv:2`,
	)
	assert.Contains(t, entry(t, server, "uid=ida,ou=people"), "title: Observer")
	begin(t, o.Service, "other", title("bo", "Engineer"))
	require.NoError(t, commit(o.Service, ada, "other", ""), "whom the feed does not know it does not decide")
	assert.Contains(t, entry(t, server, "uid=bo,ou=people"), "title: Engineer")
}

// audited are the newest entries of the audit, a line each.
func audited(t *testing.T, s *workspace.Service) string {
	t.Helper()
	list, err := s.Audit.List(t.Context(), store.Asked{}, 100, "")
	require.NoError(t, err)
	var b strings.Builder
	for _, e := range list.Entries {
		fmt.Fprintf(&b, "%s %s %s: %s\n", e.Act, e.Object, e.Result, e.Detail)
	}
	return b.String()
}

// A group that a trial makes is made at the server, with those whom the trial makes as well; one that it
// removes goes there, out of the groups that list it, too.
func TestGroupsAreMadeAndRemovedWhereTheyComeFrom(t *testing.T) {
	o, server := writtenDirectory(t, "", "")
	require.ErrorContains(
		t,
		stageOne(
			t,
			o,
			"place",
			stage.Change{Do: stage.CreateGroup, Group: "cindervale/watch", To: "ou=groups," + slapd.Suffix},
		),
		"write: groups",
	)
	groups := "write: [members, attributes, active, groups]\n  new_groups: {place: \"ou=groups," + slapd.Suffix + "\"}"
	o.write(
		"cindervale.yaml",
		strings.Replace(fileOf(t, o, "cindervale.yaml"), "write: [members, attributes, active]", groups, 1),
	)
	o.commitFolder()
	begin(
		t,
		o.Service,
		"watch",
		stage.Change{
			Do:    stage.CreateGroup,
			Group: "cindervale/watch",
			Value: raw(map[string]any{"members": map[string]any{"users": []string{"bo", "cy"}}}),
		},
		stage.Change{
			Do:     stage.Leave,
			Group:  "watch",
			Member: "cy",
		},
		stage.Change{Do: stage.Join, Group: "crew", Member: "watch"},
	)
	looked, err := o.Commits.Looked(t.Context(), ada, "watch")
	require.NoError(t, err)
	require.Len(t, looked.Writes, 3)
	assert.Empty(t, looked.Stays)
	assert.Equal(
		t,
		"dn: cn=watch,ou=groups,"+slapd.Suffix+"\nchangetype: add\nobjectClass: groupOfNames\ncn: watch\nmember: cn=watch,ou=groups,"+slapd.Suffix+"\n",
		looked.Writes[0].Text,
	)
	require.NoError(t, commit(o.Service, ada, "watch", ""))
	assert.Contains(t, entry(t, server, "cn=watch,ou=groups"), "member: uid=bo")
	assert.Contains(t, entry(t, server, "cn=crew,ou=groups"), "member: cn=watch")
	o.run("cindervale", intake.Intaking{Commit: true})
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	head := o.Head()
	bo, err := head.Atlas.Book.FindUser("bo", "")
	require.NoError(t, err)
	crew, err := head.Atlas.Book.FindGroup("crew", "")
	require.NoError(t, err)
	assert.True(t, head.Atlas.Book.Subject(bo).In(crew), "through the group that was made")

	begin(
		t,
		o.Service,
		"ruled",
		stage.Change{
			Do:    stage.CreateGroup,
			Group: "cindervale/ruled",
			Value: raw(map[string]any{"rule": `title eq "Observer"`}),
		},
	)
	require.NoError(t, commit(o.Service, ada, "ruled", ""))
	assert.Contains(t, fileOf(t, o, "cindervale.yaml"), "ruled", "a server knows no rules")

	begin(t, o.Service, "gone", stage.Change{Do: stage.RemoveGroup, Group: "watch"})
	looked, err = o.Commits.Looked(t.Context(), ada, "gone")
	require.NoError(t, err)
	texts := make([]string, len(looked.Writes))
	for i, w := range looked.Writes {
		texts[i] = w.For
	}
	assert.Equal(t, []string{
		"group watch: members go: uid=bo,ou=people," + slapd.Suffix, "group crew: members go: cn=watch,ou=groups," + slapd.Suffix, "group watch: is removed",
	}, texts, "what takes away is first, and the group itself is last")
	require.NoError(
		t,
		server.Modify(
			"dn: cn=watch,ou=groups,"+slapd.Suffix+"\nchangetype: modify\nadd: member\nmember: uid=cy,ou=people,"+slapd.Suffix+"\n",
		),
	)
	assert.ErrorContains(t, commit(o.Service, ada, "gone", ""), "was changed there meanwhile")
	o.run("cindervale", intake.Intaking{Commit: true})
	require.NoError(t, o.Trials.Remove(t.Context(), ada, "gone", version(o.Service, "gone")))
	begin(t, o.Service, "gone-again", stage.Change{Do: stage.RemoveGroup, Group: "watch"})
	require.NoError(t, commit(o.Service, ada, "gone-again", ""))
	assert.NotContains(t, allEntries(t, server), "cn=watch")
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	gone := o.Head().Revision.Number
	_, err = o.Commits.Revert(t.Context(), ada, gone, "back")
	require.NoError(t, err)
	require.NoError(t, commit(o.Service, ada, "back", ""))
	assert.Contains(t, entry(t, server, "cn=watch,ou=groups"), "member: uid=cy", "a revert makes it again")
	o.run("cindervale", intake.Intaking{Commit: true})
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
}

// stageOne stages a change in a trial of its own.
func stageOne(t *testing.T, o *observatory, trial string, c stage.Change) error {
	t.Helper()
	begin(t, o.Service, trial)
	_, err := o.Trials.Stage(t.Context(), ada, trial, 0, []stage.Change{c})
	return err
}

// fileOf is a file of the map in force.
func fileOf(t *testing.T, o *observatory, path string) string {
	t.Helper()
	for _, f := range o.Head().Folder.Files {
		if f.Path == path {
			return string(f.Content)
		}
	}
	require.Fail(t, "there is no file "+path)
	return ""
}
