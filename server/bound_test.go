package server_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
)

// A token for one system is told nothing of the lines of others, whatever it asks, and
// does nothing to the trials of others.
func TestATokenForOneSystemSeesNoOther(t *testing.T) {
	r := start(t)
	line := func(name string) string {
		return `{"changes":[{"do":"add-line","system":"core-net","list":"rules","value":{"name":"` + name + `","action":"permit","groups":["night-crew"],"to":["dome"]}}]}`
	}
	stage := func(trial, body string) {
		t.Helper()
		require.Equal(t, 201, r.status(t, "POST", "/api/v1/trials", r.token, `{"name":"`+trial+`"}`))
		status, _, text := r.call(t, "POST", "/api/v1/trials/"+trial+"/changes", r.token, body)
		require.Equal(t, 200, status, text)
	}
	stage("force", line("marker in force"))
	require.Equal(t, 200, r.commit(t, "force", r.seen(t, "force"), r.token, `{"reason":"r","override":"a test"}`))
	stage("others", line("marker staged"))

	made, err := r.service.Tokens.Create(
		ctx,
		operator.Service,
		answer.TokenChange{Name: "archive-only", Role: "admin", Systems: []string{"archive"}},
	)
	require.NoError(t, err)
	fill := strings.NewReplacer("{directory}", "cindervale", "{trial}", "others", "{number}", "1", "{id}", "1")
	questions := []string{
		"", "?kind=line&q=marker", "?q=marker", "?user=ilse.okonjo", "?group=night-crew", "?limit=1000",
		"?user=ilse.okonjo&system=archive", "?user=ilse.okonjo&system=core-net", "?user=ilse.okonjo&system=archive&trial=others",
		"?system=archive&right=frames:read", "?user=ilse.okonjo&system=archive&right=frames:read&object=/raw/2026",
		"?user=ilse.okonjo&system=core-net&right=any&object=dome",
	}
	answered := map[string]bool{}
	for _, o := range operations() {
		if o.right == "" {
			continue
		}
		for _, name := range []string{"core-net", "archive", "night-crew", "ilse.okonjo"} {
			for _, more := range questions {
				body := ""
				if o.method == "POST" || o.method == "PUT" {
					body = "{}"
				}
				status, _, text := r.call(
					t,
					o.method,
					"/api/v1"+strings.ReplaceAll(fill.Replace(o.path), "{name}", name)+more,
					made.Token,
					body,
				)
				assert.NotContains(t, text, "marker in force", "%s %s", o.id, more)
				assert.NotContains(t, text, "marker staged", "%s %s", o.id, more)
				if status < 300 {
					answered[o.id] = true
				}
			}
		}
	}
	for _, id := range []string{"search", "list-systems", "system", "lines", "reach", "who", "why", "memberships", "trials"} {
		assert.Contains(t, answered, id)
	}
	assert.Equal(t, 403, r.status(t, "GET", "/metrics", made.Token, ""))
	assert.NotContains(t, answered, "events")
	others, err := r.service.Trials.Find(ctx, operator.Service, "others")
	require.NoError(t, err)
	assert.Len(t, others.Changes, 1, "it unstages and removes nothing of others")

	// What it begins it sees, until others stage something else in it.
	assert.Equal(t, 201, r.status(t, "POST", "/api/v1/trials", made.Token, `{"name":"own"}`))
	assert.Equal(t, 200, r.status(t, "GET", "/api/v1/trials/own", made.Token, ""))
	assert.Equal(t, 200, r.status(t, "POST", "/api/v1/trials/own/changes", r.token, line("marker staged")))
	for _, method := range []string{"GET", "DELETE"} {
		assert.Equal(t, 403, r.status(t, method, "/api/v1/trials/own", made.Token, ""))
	}
	question := "/api/v1/why?user=ilse.okonjo&system=archive&right=frames:read&object=/raw/2026&trial="
	assert.Equal(t, 200, r.status(t, "GET", question, made.Token, ""))
	assert.Equal(
		t,
		403,
		r.status(t, "GET", question+"own", made.Token, ""),
		"no question is answered by a trial of others",
	)
	_, _, text := r.call(t, "GET", "/api/v1/trials", made.Token, "")
	assert.JSONEq(t, `{"trials":[]}`, text)
}
