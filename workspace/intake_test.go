package workspace_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/finding"
	"gatemap/core/situation"
	"gatemap/service/content"
	"gatemap/service/intake"
	"gatemap/tools/slapd"
	"gatemap/workspace"
)

// observatory is a service on a map folder that a test writes.
type observatory struct {
	*workspace.Service
	t        *testing.T
	dir, dat string
}

func startObservatory(t *testing.T, files map[string]string) *observatory {
	t.Helper()
	o := &observatory{t: t, dir: t.TempDir(), dat: t.TempDir()}
	o.write("gatemap.yaml", "title: Cindervale\n")
	for name, content := range files {
		o.write(name, content)
	}
	o.open()
	o.commitFolder()
	return o
}

func (o *observatory) write(name, content string) {
	require.NoError(o.t, os.WriteFile(filepath.Join(o.dir, name), []byte(content), 0o600))
}

func (o *observatory) open() {
	s, err := workspace.Open(o.t.Context(), o.dat, slog.New(slog.NewTextHandler(io.Discard, nil)), workspace.Options{})
	require.NoError(o.t, err)
	s.Allow(connect.Host{Files: os.DirFS(o.dir)})
	o.t.Cleanup(func() { _ = s.Close() })
	o.Service = s
}

func (o *observatory) commitFolder() {
	folder, err := content.ReadFolder(o.dir)
	require.NoError(o.t, err)
	_, err = o.Folders.Commit(o.t.Context(), folder, "test", "test")
	require.NoError(o.t, err)
}

// run runs an intake and waits until it rests.
func (o *observatory) run(named string, in intake.Intaking) *answer.Preview {
	o.t.Helper()
	ctx, cancel := context.WithTimeout(o.t.Context(), 20*time.Second)
	defer cancel()
	events := o.Events.Listen(ctx)
	if in.By.Name == "" {
		in.By = ada
	}
	r, err := o.Runs.Start(o.t.Context(), named, intake.ByHand, in)
	for busy := (*answer.ConflictError)(nil); errors.As(err, &busy) && ctx.Err() == nil; { // a run of the schedule is at work
		time.Sleep(time.Millisecond)
		r, err = o.Runs.Start(o.t.Context(), named, intake.ByHand, in)
	}
	require.NoError(o.t, err)
	for e := range events {
		if e.Run != nil && e.Run.ID == r.ID && !e.Run.State.Running() {
			p, err := o.Journal.Preview(o.t.Context(), r.ID)
			if err != nil { // a run that failed has none
				return &answer.Preview{Run: *e.Run}
			}
			return p
		}
	}
	require.Fail(o.t, "the run does not end")
	return nil
}

func (o *observatory) attribute(user, attribute string) string {
	o.t.Helper()
	u, err := o.Head().Atlas.Book.FindUser(user, "")
	require.NoError(o.t, err)
	return o.Head().Atlas.Book.User(u).Attributes.First(attribute)
}

func (o *observatory) active(user string) bool {
	o.t.Helper()
	u, err := o.Head().Atlas.Book.FindUser(user, "")
	require.NoError(o.t, err)
	return o.Head().Atlas.Book.User(u).IsActive()
}

const peopleMap = `
directory: cindervale
source:
  ldif: people.ldif
  users: {name: uid, disabled: (accountStatus=closed), attributes: {title: title, employeeNumber: employeeNumber}}
  groups: {name: cn, members: [member]}
groups:
  - {name: engineers, rule: 'title eq "Engineer"'}
---
system: archive
type: roles
rights: [frames:read]
resources: [{path: /}]
roles: {reader: {rights: [frames:read]}}
mappings: [{groups: [engineers], role: reader, object: /}]
`

// crew is an LDIF file of numbered people, of whom some are left out.
func crew(n int, change func(i int) (title, status string, there bool)) string {
	var b strings.Builder
	for i := range n {
		if title, status, there := change(i); there {
			fmt.Fprintf(
				&b,
				"dn: uid=p%d,dc=x\nuid: p%d\ntitle: %s\naccountStatus: %s\nemployeeNumber: E%d\n\n",
				i,
				i,
				title,
				status,
				i,
			)
		}
	}
	return b.String()
}

func all(int) (string, string, bool) { return "Observer", "open", true }

func TestIntakePreviewsAndCommits(t *testing.T) {
	o := startObservatory(t, map[string]string{"cindervale.yaml": peopleMap, "people.ldif": crew(40, all)})
	o.write("people.ldif", crew(41, func(i int) (string, string, bool) {
		return map[bool]string{true: "Engineer", false: "Observer"}[i == 3], "open", i != 5
	})+"dn: cn=night,dc=x\ncn: night\nmember: uid=p1,dc=x\n\n")
	p := o.run("CINDERVALE", intake.Intaking{})
	assert.Equal(t, answer.RunWaiting, p.Run.State)
	assert.Equal(t, []string{"p40"}, p.Joined)
	assert.Equal(t, []string{"p5"}, p.Left)
	require.Len(t, p.Changed, 1)
	assert.Equal(t, `title "Observer" becomes "Engineer"`, p.Changed[0].Fields[0].String())
	assert.Equal(t, "new", p.Groups[0].What)
	require.Len(t, p.Gains, 1)
	assert.Equal(t, "cindervale/p3", p.Gains[0].User)
	assert.Equal(t, "Observer", o.attribute("p3", "title"), "nothing is in force yet")
	before := o.Head().Revision.Number

	// Of several who commit it at once, one does.
	var wait sync.WaitGroup
	done := make(chan answer.Run, 4)
	for range 4 {
		wait.Go(func() {
			if run, err := o.Runs.Commit(t.Context(), p.Run.ID, p.Run.Version, false, ada); err == nil {
				done <- run
			}
		})
	}
	wait.Wait()
	require.Len(t, done, 1)
	assert.Equal(t, before+1, (<-done).Revision)
	assert.Equal(t, "Engineer", o.attribute("p3", "title"))
	_, err := o.Runs.Commit(t.Context(), p.Run.ID, p.Run.Version, false, ada)
	assert.ErrorContains(t, err, "cannot be committed: it is committed")
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	assert.Equal(t, before+1, o.Head().Revision.Number, "what is the same makes no revision")

	// It is all there after a start, and so is the log.
	require.NoError(t, o.Close())
	o.open()
	assert.Equal(t, "Engineer", o.attribute("p3", "title"))
	runs, err := o.Journal.List(t.Context(), "", 10, "")
	require.NoError(t, err)
	require.Len(t, runs.Runs, 2)
	assert.Equal(t, answer.RunCommitted, runs.Runs[1].State)
	assert.NotNil(t, runs.Runs[1].Ended)
}

// What intakes one after another come to is what a start makes of the database:
// computing again only what a change touches leaves nothing behind.
func TestManyIntakesComeToWhatAStartMakes(t *testing.T) {
	o := startObservatory(t, map[string]string{
		"cindervale.yaml": strings.Replace(
			peopleMap,
			"source:\n",
			"source:\n  removal_limit: 100%\n",
			1,
		), "people.ldif": crew(30, all),
		"personnel.yaml": strings.Replace(
			feedMap,
			"  csv:",
			"  removal_limit: 100%\n  csv:",
			1,
		), "personnel.csv": "number,position\n",
	})
	random := rand.New(rand.NewPCG(7, 7))
	titles := []string{"Observer", "Engineer", "Warden"}
	answers := func() map[string]*answer.Person {
		got := map[string]*answer.Person{}
		for i := range 30 {
			user := fmt.Sprintf("cindervale/p%d", i)
			if p, err := o.Head().Person(t.Context(), user, "", situation.Situation{}); err == nil {
				got[user] = p
			}
		}
		return got
	}
	for range 25 {
		if random.IntN(3) == 0 {
			feed := "number,position\n"
			for i := range 30 {
				if random.IntN(4) == 0 {
					feed += fmt.Sprintf("E%d,%s\n", i, titles[random.IntN(3)])
				}
			}
			o.write("personnel.csv", feed)
			o.run("personnel", intake.Intaking{Commit: true})
			continue
		}
		gone := random.IntN(6) == 0
		o.write("people.ldif", crew(30, func(i int) (string, string, bool) {
			return titles[random.IntN(3)], []string{"open", "open", "closed"}[random.IntN(3)], !gone || i%7 != 0
		}))
		p := o.run("cindervale", intake.Intaking{Commit: true})
		require.Contains(t, []answer.RunState{answer.RunCommitted, answer.RunUnchanged}, p.Run.State, p.Run.Error)
	}
	before, revision := answers(), o.Head().Revision
	require.NoError(t, o.Close())
	o.open()
	assert.Equal(t, revision.Number, o.Head().Revision.Number)
	assert.Equal(t, before, answers())
}

func TestARunThatWaitsWhenTheServiceStopsIsCutOff(t *testing.T) {
	o := startObservatory(t, map[string]string{"cindervale.yaml": peopleMap, "people.ldif": crew(40, all)})
	o.write("people.ldif", crew(41, all))
	first := o.run("cindervale", intake.Intaking{})
	second := o.run("cindervale", intake.Intaking{})
	overtaken, err := o.Journal.Run(t.Context(), first.Run.ID)
	require.NoError(t, err)
	assert.Equal(t, answer.RunDiscarded, overtaken.State, "the later run overtakes it")
	require.NoError(t, o.Close())
	o.open()
	cut, err := o.Journal.Run(t.Context(), second.Run.ID)
	require.NoError(t, err)
	assert.Equal(t, answer.RunCutOff, cut.State)
	_, err = o.Runs.Commit(t.Context(), second.Run.ID, second.Run.Version, false, ada)
	assert.ErrorContains(t, err, "it is cut off")
}

func TestTheGuardHoldsARunThatTakesTooMuch(t *testing.T) {
	closed := func(n int) string {
		return crew(40, func(i int) (string, string, bool) {
			return "Observer", map[bool]string{true: "closed", false: "open"}[i < n], true
		})
	}
	for _, c := range []struct {
		name, limit, people, want string
	}{
		{"as many as the limit", "", closed(2), ""},
		{"more are switched off", "", closed(3), "3 of 40 active users (7.5%); the removal limit of the source is 5%"},
		{"more are gone", "", crew(37, all), "3 of 40 active users"},
		{"another limit", "removal_limit: 50%", closed(20), ""},
		{"none may go", "removal_limit: 0%", closed(1), "1 of 40 active users"},
		{"those who were off already do not count", "", crew(40, all), ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			o := startObservatory(t, map[string]string{
				"cindervale.yaml": strings.Replace(
					peopleMap,
					"source:\n",
					"source:\n  "+c.limit+"\n",
					1,
				), "people.ldif": crew(40, all),
			})
			o.write("people.ldif", c.people)
			p := o.run("cindervale", intake.Intaking{Commit: true})
			if c.want == "" {
				assert.Contains(t, []answer.RunState{answer.RunCommitted, answer.RunUnchanged}, p.Run.State)
				return
			}
			assert.Equal(t, answer.RunHeld, p.Run.State)
			assert.Contains(t, p.Run.Held, c.want)
			assert.Equal(t, 1, o.Head().Revision.Number)
			_, err := o.Runs.Commit(t.Context(), p.Run.ID, p.Run.Version, false, ada)
			assert.ErrorContains(t, err, "Confirm it")
			run, err := o.Runs.Commit(t.Context(), p.Run.ID, p.Run.Version, true, ada)
			require.NoError(t, err)
			assert.Equal(t, 2, run.Revision)
		})
	}
}

func TestVanishedAndInactiveAccounts(t *testing.T) {
	two := crew(40, func(i int) (string, string, bool) {
		return "Observer", map[bool]string{true: "closed", false: "open"}[i == 0], i != 1
	})
	o := startObservatory(t, map[string]string{
		"cindervale.yaml": strings.Replace(
			peopleMap,
			"source:\n",
			"source:\n  vanished: deactivate\n",
			1,
		), "people.ldif": crew(40, all),
	})
	o.write("people.ldif", two)
	require.Equal(t, answer.RunCommitted, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	assert.False(t, o.active("p0"))
	assert.False(t, o.active("p1"), "it stays, switched off")
	assert.Equal(t, answer.RunUnchanged, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	o.write("people.ldif", crew(40, all))
	require.Equal(t, answer.RunCommitted, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	assert.True(t, o.active("p1"), "it is back")

	o = startObservatory(t, map[string]string{
		"cindervale.yaml": strings.Replace(peopleMap, "source:\n", "source:\n  inactive: skip\n", 1), "people.ldif": two,
	})
	assert.Equal(t, 38, o.Head().Atlas.Book.UserCount())
}

const feedMap = `
directory: personnel
source:
  csv: {file: personnel.csv}
  feeds: {directory: cindervale, by: employeeNumber, decides: [title]}
  users: {name: number, attributes: {employeeNumber: number, title: position}}
`

func TestAFeedDecidesWhatItOwns(t *testing.T) {
	o := startObservatory(t, map[string]string{
		"cindervale.yaml": peopleMap, "people.ldif": crew(40, all), "personnel.yaml": feedMap, "personnel.csv": "number,position\nE1,Engineer\nE2,\nE99,Ghost\nE3\n",
	})
	assert.Equal(t, "Engineer", o.attribute("p1", "title"))
	assert.Empty(t, o.attribute("p2", "title"), "what it leaves empty is empty")
	assert.Equal(t, "Observer", o.attribute("p4", "title"), "who is not in it keeps his own")
	reach, err := o.Head().Reach(t.Context(), "p1", "", situation.Situation{})
	require.NoError(t, err)
	assert.Len(t, reach.Entitlements, 1, "rule groups follow")

	o.write("personnel.csv", "number,position\nE1,Observer\nE2,Engineer\nE99,Ghost\nE2,Twice\n")
	p := o.run("personnel", intake.Intaking{Commit: true})
	assert.Equal(t, answer.RunCommitted, p.Run.State)
	assert.Equal(t, []string{"E99"}, p.Alone)
	assert.Equal(t, []string{`personnel.csv:5: user "E2" is there twice, and at personnel.csv:3 before`}, p.Rejected)
	assert.Equal(t, []int{1, 1}, []int{p.Run.Counts.Gains, p.Run.Counts.Losses})
	assert.Equal(t, "Engineer", o.attribute("p2", "title"))

	// The accounts' own directory does not take the title back.
	o.write("people.ldif", crew(40, func(int) (string, string, bool) { return "Chief", "open", true }))
	require.Equal(t, answer.RunCommitted, o.run("cindervale", intake.Intaking{Commit: true}).Run.State)
	assert.Equal(t, "Engineer", o.attribute("p2", "title"))
	assert.Equal(t, "Chief", o.attribute("p4", "title"))
}

func TestAFeedForNobodyIsAFinding(t *testing.T) {
	o := startObservatory(
		t,
		map[string]string{
			"personnel.yaml":  strings.Replace(feedMap, "directory: cindervale", "directory: cindervail", 1),
			"personnel.csv":   "number,position\n",
			"cindervale.yaml": "directory: cindervale\nsame_person: {directory: personel, by: userName}\n",
		},
	)
	found := o.Head().Found()
	require.Len(t, found, 2)
	for _, f := range found {
		assert.Equal(t, finding.UnknownName, f.Code)
	}
	assert.Contains(t, found[0].Message+found[1].Message, "cindervale")
}

func TestPeopleWithSeveralAccounts(t *testing.T) {
	o := startObservatory(t, map[string]string{"cindervale.yaml": `
directory: cindervale
users: [{userName: ida, employeeNumber: E1, active: false}, {userName: bo, employeeNumber: E2}, {userName: cy}]
---
directory: ridge
same_person: {directory: cindervale, by: employeeNumber}
users: [{userName: ida.b, employeeNumber: e1}, {userName: ida.admin, employeeNumber: E1}, {userName: bo.h, employeeNumber: E2}, {userName: dee}]
`})
	p, err := o.Head().Person(t.Context(), "ida.admin", "", situation.Situation{})
	require.NoError(t, err)
	var names []string
	for _, a := range p.Accounts {
		names = append(names, a.User)
	}
	assert.Equal(t, []string{"cindervale/ida", "ridge/ida.admin", "ridge/ida.b"}, names)
	assert.True(t, p.HalfLeft)
	p, err = o.Head().Person(t.Context(), "bo", "", situation.Situation{})
	require.NoError(t, err)
	assert.False(t, p.HalfLeft)
	assert.Equal(t, []answer.Account{{User: "ridge/bo.h", Active: true}}, p.Accounts[0].Others)
	p, err = o.Head().Person(t.Context(), "dee", "", situation.Situation{})
	require.NoError(t, err)
	assert.Len(t, p.Accounts, 1)
	var half []string
	for _, f := range o.Head().Found() {
		if f.Code == finding.HalfLeft {
			half = append(half, f.Message)
		}
	}
	assert.Equal(
		t,
		[]string{"cindervale/ida is inactive, but ridge/ida.admin and ridge/ida.b of the same person are active."},
		half,
	)
}

func TestRunsThatFailLeaveTheMapAsItWas(t *testing.T) {
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer silent.Close()
	gone, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	gone.Close()
	other, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer other.Close()
	go func() {
		for {
			conn, err := other.Accept()
			if err != nil {
				return
			}
			_, _ = conn.Write([]byte("HTTP/1.1 400 Bad Request\r\n\r\n"))
			go func() { _, _ = io.Copy(io.Discard, conn) }()
		}
	}()
	ldap := func(address string) string {
		return "directory: cindervale\nsource:\n  ldap: {servers: [\"ldap://" + address + "\"], timeout: 200ms, tries: 1}\n  table: open-schemas\n"
	}
	for _, c := range []struct{ name, document, want string }{
		{"a server that is gone", ldap(gone.Addr().String()), "connection refused"},
		{"a server that hangs", ldap(silent.Addr().String()), "bind"},
		{"a file that is gone", "directory: cindervale\nsource: {ldif: people.ldif, users: {name: uid}}\n", "no such file"},
		{"a server that speaks something else", ldap(other.Addr().String()), "bind: no answer that can be understood"},
	} {
		t.Run(c.name, func(t *testing.T) {
			o := startObservatory(t, map[string]string{"cindervale.yaml": peopleMap, "people.ldif": crew(10, all)})
			o.write("cindervale.yaml", c.document)
			o.commitFolder()
			require.NoError(t, os.Remove(filepath.Join(o.dir, "people.ldif")))
			before := o.Head()
			p := o.run("cindervale", intake.Intaking{Commit: true})
			assert.Equal(t, answer.RunFailed, p.Run.State)
			assert.Contains(t, p.Run.Error, c.want)
			assert.Same(t, before, o.Head())
		})
	}
}

func TestTwoRunsNeverOverlap(t *testing.T) {
	o := startObservatory(t, map[string]string{"cindervale.yaml": peopleMap, "people.ldif": crew(3000, all)})
	o.write("people.ldif", crew(3001, all))
	var wait sync.WaitGroup
	var mu sync.Mutex
	begun, busy := 0, 0
	for range 8 {
		wait.Go(func() {
			_, err := o.Runs.Start(t.Context(), "cindervale", intake.ByHand, intake.Intaking{Commit: true, By: ada})
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				begun++
			} else if assert.ErrorContains(t, err, "a run of directory cindervale is in progress") {
				busy++
			}
		})
	}
	wait.Wait()
	assert.Equal(t, 8, begun+busy)
	assert.Positive(t, busy)
}

// A server that is polled gives what a stream gives, but for what was removed.
func TestPolling(t *testing.T) {
	server, err := slapd.Start(
		t.TempDir(),
		"dn: ou=people,"+slapd.Suffix+"\nobjectClass: organizationalUnit\nou: people\n\n"+
			"dn: uid=ida,ou=people,"+slapd.Suffix+"\nobjectClass: inetOrgPerson\nuid: ida\ncn: Ida\nsn: B\ntitle: Observer\n\n",
		nil,
		[]string{"127.0.0.1"},
	)
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	o := startObservatory(t, map[string]string{"cindervale.yaml": `
directory: cindervale
source:
  ldap: {servers: ["` + server.LDAP + `"]}
  table: open-schemas
  follow: poll
  poll: 100ms
  every: 2s
  removal_limit: 100%
`})
	o.Follower.Follow()
	there := func(user, title string) func() bool {
		return func() bool {
			u, err := o.Head().Atlas.Book.FindUser(user, "")
			return err == nil && o.Head().Atlas.Book.User(u).Attributes.First("title") == title
		}
	}
	require.Eventually(t, there("ida", "Observer"), 10*time.Second, 20*time.Millisecond)
	require.NoError(
		t,
		server.Modify("dn: uid=ida,ou=people,"+slapd.Suffix+"\nchangetype: modify\nreplace: title\ntitle: Engineer\n\n"+
			"dn: uid=bo,ou=people,"+slapd.Suffix+"\nchangetype: add\nobjectClass: inetOrgPerson\nuid: bo\ncn: Bo\nsn: H\ntitle: Warden\n"),
	)
	require.Eventually(t, there("ida", "Engineer"), 10*time.Second, 20*time.Millisecond)
	require.Eventually(t, there("bo", "Warden"), 10*time.Second, 20*time.Millisecond)
	require.NoError(t, server.Modify("dn: uid=bo,ou=people,"+slapd.Suffix+"\nchangetype: delete\n"))
	require.Eventually(
		t,
		func() bool { return !there("bo", "Warden")() },
		10*time.Second,
		20*time.Millisecond,
		"the next full run tells",
	)
}
