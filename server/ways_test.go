package server_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/intake"
)

const waysMap = `
directory: cindervale
source:
  ldif: people.ldif
  users: {name: uid, attributes: {title: title}}
---
directory: club
source: {scim: {}}
---
directory: dome
users:
  - {userName: greta}
groups:
  - {name: crew, managers: {users: [greta]}}
`

// ways is a service with everything that can lead to a new revision.
type ways struct {
	*running
	t      *testing.T
	folder string
	tokens map[operator.Role]string
	push   string
	n      int
}

func startWays(t *testing.T) *ways {
	w := &ways{t: t, folder: t.TempDir(), tokens: map[operator.Role]string{}}
	w.write("map.yaml", waysMap)
	w.write("gatemap.yaml", "title: Cindervale\n")
	w.people()
	w.running = startOn(t, os.DirFS(w.folder))
	for _, role := range operator.Roles {
		w.tokens[role] = w.person(t, "some."+string(role), role)
	}
	token, err := w.service.Tokens.Create(ctx, operator.Service, answer.TokenChange{Name: "manager", User: "greta"})
	require.NoError(t, err)
	w.tokens[operator.Manager] = token.Token
	w.push, err = w.service.Tokens.CreatePush(ctx, operator.Service, "club")
	require.NoError(t, err)
	return w
}

func (w *ways) write(name, content string) {
	require.NoError(w.t, os.WriteFile(filepath.Join(w.folder, name), []byte(content), 0o600))
}

// people gives the source something new to read.
func (w *ways) people() {
	w.n++
	w.write(
		"people.ldif",
		fmt.Sprintf("dn: uid=teo,dc=cindervale,dc=example\nobjectClass: person\nuid: teo\ntitle: Observer %d\n", w.n),
	)
}

func (w *ways) post(path, token, body string) int {
	return w.status(w.t, "POST", path, token, body)
}

// trial is a trial that someone may have staged a change in.
func (w *ways) trial(token string) string {
	w.n++
	name := fmt.Sprint("t", w.n)
	w.post("/api/v1/trials", token, fmt.Sprintf(`{"name":%q}`, name))
	w.post(
		"/api/v1/trials/"+name+"/changes",
		token,
		fmt.Sprintf(`{"changes":[{"do":"set-user","user":"dome/greta","attribute":"title","value":"Keeper %d"}]}`, w.n),
	)
	return name
}

// commitSeen commits a trial at the version that it has.
func (w *ways) commitSeen(trial, token string) int {
	return w.commit(w.t, trial, w.seen(w.t, trial), token, `{"reason":"r"}`)
}

// commitRun commits the first version of a run.
func (w *ways) commitRun(id int64, token, body string) int {
	return w.matching(w.t, fmt.Sprintf("/api/v1/runs/%d/commit", id), `"1"`, token, body)
}

// run starts a run and waits for its end.
func (w *ways) run(token, body string) int64 {
	w.people()
	status, _, text := w.call(w.t, "POST", "/api/v1/directories/cindervale/intake", token, body)
	if status != 202 {
		return 1 << 30
	}
	var run answer.Run
	require.NoError(w.t, json.Unmarshal([]byte(text), &run))
	require.Eventually(w.t, func() bool {
		r, err := w.service.Journal.Run(ctx, run.ID)
		return err == nil && !r.State.Running()
	}, 10*time.Second, 2*time.Millisecond)
	return run.ID
}

// Every way to a new revision needs the right to it, and under the two-person rule
// someone who did not begin it.
func TestEveryWayToARevision(t *testing.T) {
	w := startWays(t)
	commits := func(role operator.Role) bool { return role.Has(operator.Commit) }
	roles := append([]operator.Role{operator.Manager}, operator.Roles...)
	for _, rule := range []bool{false, true} {
		_, err := w.service.Rights.ChangeSettings(ctx, operator.Service, 0, answer.SettingsChange{TwoPersons: &rule})
		require.NoError(t, err)
		for _, way := range []struct {
			name string
			own  bool // who commits began it
			may  func(operator.Role) bool
			take func(token string)
		}{
			{"trial of one's own", true, commits, func(token string) {
				w.commitSeen(w.trial(token), token)
			}},
			{"trial of another", false, commits, func(token string) {
				w.commitSeen(w.trial(w.token), token)
			}},
			{"intake that commits", true, commits, func(token string) { w.run(token, `{"commit":true}`) }},
			{"intake that confirms", true, commits, func(token string) { w.run(token, `{"confirm":true}`) }},
			{"run of one's own", true, commits, func(token string) {
				w.commitRun(w.run(token, `{}`), token, `{"confirm":true}`)
			}},
			{"run of another", false, commits, func(token string) {
				w.commitRun(w.run(w.token, `{}`), token, `{}`)
			}},
			{"members of a group that one manages", false, func(r operator.Role) bool { return r == operator.Manager }, func(token string) {
				change := map[bool]string{false: "add", true: "remove"}[rule]
				w.post("/api/v1/own-groups/dome/crew/members", token, fmt.Sprintf(`{%q:["cindervale/teo"]}`, change))
			}},
			{"push", false, func(operator.Role) bool { return false }, func(token string) {
				w.n++
				w.post("/scim/v2/Users", token, fmt.Sprintf(`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"u%d"}`, w.n))
			}},
			{"revert", false, func(operator.Role) bool { return false }, func(token string) {
				w.post(fmt.Sprintf("/api/v1/revisions/%d/revert", w.service.Head().Revision.Number), token, `{}`)
			}},
		} {
			for _, role := range roles {
				before := w.service.Head().Revision.Number
				way.take(w.tokens[role])
				want := before
				if way.may(role) && !(rule && way.own) {
					want++
				}
				assert.Equal(t, want, w.service.Head().Revision.Number, "%s by %s, two-person rule: %v", way.name, role, rule)
			}
		}

		// Pushes and what the service does by itself are not held to the rule.
		before := w.service.Head().Revision.Number
		w.post(
			"/scim/v2/Users",
			w.push,
			fmt.Sprintf(`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"pushed-%v"}`, rule),
		)
		w.people()
		_, err = w.service.Runs.Start(
			ctx,
			"cindervale",
			intake.BySchedule,
			intake.Intaking{Commit: true, By: operator.Service},
		)
		require.NoError(t, err)
		assert.Eventually(
			t,
			func() bool { return w.service.Head().Revision.Number == before+2 },
			10*time.Second,
			2*time.Millisecond,
		)
	}
	_, _, text := w.call(t, "GET", "/api/v1/audit?limit=1000", w.token, "")
	for _, entry := range []string{"starts this run: by the two-person rule someone else must commit it", "started run", `"actor":"push to club"`, `"actor":"gatemap"`,
		"the two-person rule does not apply to runs of a source and pushes", "the two-person rule does not apply to groups that one manages"} {
		assert.True(t, strings.Contains(text, entry), "the audit names %s", entry)
	}
}

// What is committed is the version that was seen: not what others added since, and not
// another trial by the same name.
func TestACommitIsOfTheVersionThatWasSeen(t *testing.T) {
	w := startWays(t)
	commit := func(trial, version string) int { return w.commit(t, trial, version, w.token, `{"reason":"r"}`) }
	editor := w.tokens[operator.Editor]
	trial := w.trial(editor)
	tag := w.seen(t, trial)
	assert.Equal(t, 428, commit(trial, ""), "no version")
	assert.Equal(t, 428, commit(trial, "*"), "any version")
	w.post(
		"/api/v1/trials/"+trial+"/changes",
		editor,
		`{"changes":[{"do":"join","group":"dome/crew","member":"dome/greta"}]}`,
	)
	assert.Equal(t, 412, commit(trial, tag), "more was staged")

	tag = w.seen(t, trial)
	assert.Equal(t, 204, w.status(t, "DELETE", "/api/v1/trials/"+trial, editor, ""))
	w.post("/api/v1/trials", editor, fmt.Sprintf(`{"name":%q}`, trial))
	for range 3 { // as many versions as the first one had, and more
		w.post(
			"/api/v1/trials/"+trial+"/changes",
			editor,
			fmt.Sprintf(`{"changes":[{"do":"set-user","user":"dome/greta","attribute":"title","value":"Keeper %d"}]}`, w.n),
		)
		w.n++
		assert.Equal(t, 412, commit(trial, tag), "another trial by the name")
	}
	assert.Equal(t, 200, commit(trial, w.seen(t, trial)))

	// A manager's change is one call: no trial of theirs is there for others to add to.
	assert.Equal(
		t,
		200,
		w.post("/api/v1/own-groups/dome/crew/members", w.tokens[operator.Manager], `{"add":["cindervale/teo"]}`),
	)
	r, err := w.service.History.Revision(ctx, w.service.Head().Revision.Number)
	require.NoError(t, err)
	assert.Empty(t, r.Trial)
	assert.Len(t, r.Changes, 1)
}
