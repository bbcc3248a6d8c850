package server_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
)

// made makes a token by HTTP.
func (w *ways) made(token, body string) (int, string) {
	status, _, text := w.call(w.t, "POST", "/api/v1/tokens", token, body)
	_, after, _ := strings.Cut(text, `"token":"`)
	fresh, _, _ := strings.Cut(after, `"`)
	return status, fresh
}

// The two-person rule is about persons: what someone staged with one token, they commit
// with none of their tokens.
func TestTwoTokensAreOnePerson(t *testing.T) {
	w := startWays(t)
	_, err := w.service.Rights.ChangeSettings(ctx, operator.Service, 0, answer.SettingsChange{TwoPersons: new(true)})
	require.NoError(t, err)
	admin := w.tokens[operator.Admin]
	status, second := w.made(admin, `{"name":"second","role":"approver"}`)
	require.Equal(t, 201, status)
	assert.Equal(t, 403, w.commitSeen(w.trial(second), admin), "staged with a token of one's own")
	assert.Equal(t, 403, w.commitSeen(w.trial(admin), second), "committed with one")
	assert.Equal(t, 200, w.commitSeen(w.trial(second), w.tokens[operator.Approver]), "another person may")

	// Tokens made on the host, or with one of those, are one person, too.
	status, third := w.made(w.token, `{"name":"third","role":"admin"}`)
	require.Equal(t, 201, status)
	assert.Equal(t, 403, w.commitSeen(w.trial(third), w.token))

	run := w.run(second, `{}`)
	assert.Equal(t, 403, w.commitRun(run, admin, `{}`), "a run, too")
	_, _, log := w.call(t, "GET", "/api/v1/audit?limit=500&actor=some.admin", admin, "")
	assert.Contains(t, log, "(token “second”)", "the audit names the person, and the token")
}

// Who makes a token, with which role, and who may revoke it.
func TestWhoMakesWhichToken(t *testing.T) {
	w := startWays(t)
	admin, editor := w.tokens[operator.Admin], w.tokens[operator.Editor]
	status, _ := w.made(editor, `{"name":"more","role":"admin"}`)
	assert.Equal(t, 403, status, "a token makes no token")
	_, err := w.service.Tokens.Create(
		ctx,
		operator.Actor{Name: "some.editor", Role: operator.Editor},
		answer.TokenChange{Name: "more", Role: "approver"},
	)
	assert.ErrorContains(t, err, "a token of yours can have your own role, editor, or a weaker one")
	_, err = w.service.Tokens.Create(
		ctx,
		operator.Actor{Name: "some.editor", Role: operator.Editor},
		answer.TokenChange{Name: "more", Role: "viewer", Service: true},
	)
	assert.ErrorContains(t, err, "only admins may administer")
	_, err = w.service.Tokens.Create(
		ctx,
		operator.Actor{Name: "some.editor", Role: operator.Editor},
		answer.TokenChange{Name: "more", Role: "viewer"},
	)
	require.NoError(t, err)

	_, _, list := w.call(t, "GET", "/api/v1/tokens", editor, "")
	assert.Contains(t, list, `"more"`)
	assert.NotContains(t, list, `"some.admin"`, "others' tokens are not shown")
	assert.Equal(t, 404, w.status(t, "DELETE", "/api/v1/tokens/some.admin", editor, ""), "nor revoked")
	assert.Equal(t, 204, w.status(t, "DELETE", "/api/v1/tokens/more", editor, ""))

	// A weaker role of the operator is a weaker role of the tokens.
	require.Equal(t, 200, w.status(t, "PUT", "/api/v1/operators/some.approver", admin, `{"role":"viewer"}`))
	assert.Equal(t, 403, w.post("/api/v1/trials", w.tokens[operator.Approver], `{"name":"x"}`))
}

// A token of a service reads and runs intakes; it changes nothing, whatever its role.
func TestAServiceNeverStagesNorCommits(t *testing.T) {
	w := startWays(t)
	admin := w.tokens[operator.Admin]
	status, pipeline := w.made(admin, `{"name":"pipeline","role":"admin","service":true}`)
	require.Equal(t, 201, status)
	assert.Equal(t, 200, w.status(t, "GET", "/api/v1/map", pipeline, ""))
	assert.NotEqual(t, int64(1<<30), w.run(pipeline, `{}`), "it may run an intake")
	before := w.service.Head().Revision.Number
	for _, c := range [][3]string{
		{"POST", "/api/v1/trials", `{"name":"x"}`}, {"POST", "/api/v1/directories/cindervale/intake", `{"commit":true}`},
		{"PUT", "/api/v1/settings", `{"two_persons":false}`}, {"POST", "/api/v1/tokens", `{"name":"y","role":"viewer"}`}, {"PUT", "/api/v1/operators/eve", `{"role":"admin"}`},
		{"GET", "/api/v1/backup", ""},
	} {
		status, _, body := w.call(t, c[0], c[1], pipeline, c[2])
		assert.Equal(t, 403, status, "%v: %s", c, body)
	}
	assert.Equal(t, 403, w.commitSeen(w.trial(admin), pipeline))
	assert.Equal(t, before, w.service.Head().Revision.Number)
	var tokens answer.Tokens
	_, _, list := w.call(t, "GET", "/api/v1/tokens", admin, "")
	require.NoError(t, json.Unmarshal([]byte(list), &tokens))
	var services []string
	for _, s := range tokens.Services {
		services = append(services, s.Name)
	}
	assert.Equal(t, []string{"pipeline", "push to club"}, services, "they are listed apart")
}

// Another password, second factor or provider ends the tokens of an operator, and so does
// the removal.
func TestTokensEndWithTheirOperator(t *testing.T) {
	w := startWays(t)
	admin := w.tokens[operator.Admin]
	for name, change := range map[string][3]string{
		"password": {"PUT", "", `{"password":"eleven domes in a row"}`}, "factor": {"POST", "/second-factor", ""}, "provider": {"PUT", "", `{"issuer":"https://login.cindervale.example"}`},
		"inactive": {"PUT", "", `{"inactive":true}`}, "removed": {"DELETE", "", ""},
	} {
		token := w.person(t, "soon."+name, operator.Editor)
		require.Equal(t, 200, w.status(t, "GET", "/api/v1/map", token, ""))
		status := w.status(t, change[0], "/api/v1/operators/soon."+name+change[1], admin, change[2])
		require.Less(t, status, 300, name)
		assert.Equal(t, 401, w.status(t, "GET", "/api/v1/map", token, ""), name)
	}
}

// Operators change their own password, who know it; weak ones are refused.
func TestOwnPassword(t *testing.T) {
	w := startWays(t)
	_, err := w.service.Operators.Set(
		ctx,
		operator.Service,
		"some.editor",
		0,
		answer.OperatorChange{Password: new("eleven domes in a row")},
	)
	require.NoError(t, err)
	made, err := w.service.Tokens.Create(
		ctx,
		operator.Actor{Name: "some.editor", Role: operator.Editor},
		answer.TokenChange{Name: "again", Role: "editor"},
	)
	require.NoError(t, err)
	change := func(token, old, fresh string) (int, string) {
		status, _, body := w.call(t, "PUT", "/api/v1/own-password", token, fmt.Sprintf(`{"old":%q,"new":%q}`, old, fresh))
		assert.NotContains(t, body, fresh, "no answer repeats a password")
		return status, body
	}
	status, _ := change(made.Token, "twelve domes in a row", "thirteen domes in a row")
	assert.Equal(t, 422, status)
	for _, weak := range []string{"Sunshine2026", "some.editor.2026", "short"} {
		status, body := change(made.Token, "eleven domes in a row", weak)
		assert.Equal(t, 422, status, "%s: %s", weak, body)
	}
	status, _ = change(w.token, "eleven domes in a row", "thirteen domes in a row")
	assert.Equal(t, 403, status, "the host has no password")
	status, body := change(made.Token, "eleven domes in a row", "thirteen domes in a row")
	require.Equal(t, 204, status, body)
	assert.Equal(t, 401, w.status(t, "GET", "/api/v1/map", made.Token, ""), "tokens end with it")
	assert.Equal(t, 204, w.post("/api/v1/sign-in", "", `{"name":"some.editor","password":"thirteen domes in a row"}`))
}
