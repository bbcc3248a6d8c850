package server_test

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/server"
)

// described is an operation of the API.
type described struct{ method, path, id, summary, right string }

func operations() (all []described) {
	r := chi.NewRouter()
	for path, item := range server.Operations(r, r, r, nil, nil, "test").Paths {
		for method, o := range map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put, "DELETE": item.Delete} {
			if o == nil {
				continue
			}
			right, _ := o.Extensions["x-right"].(string)
			all = append(all, described{method, path, o.OperationID, o.Summary, right})
		}
	}
	slices.SortFunc(all, func(a, b described) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	return all
}

// Every operation of the API is tried by every role and by nobody: whether it is
// allowed follows from the right that its description names.
func TestEveryOperationByEveryRole(t *testing.T) {
	r := start(t)
	tokens := map[operator.Role]string{}
	for _, role := range operator.Roles {
		tokens[role] = r.person(t, "some."+string(role), role)
	}
	token, err := r.service.Tokens.Create(ctx, operator.Service, answer.TokenChange{Name: "manager", User: "greta.falk"})
	require.NoError(t, err)
	tokens[operator.Manager] = token.Token
	all := operations()
	require.Greater(t, len(all), 50)
	own := ""
	groups, err := r.service.OwnGroups.List(operator.Actor{User: "greta.falk"})
	require.NoError(t, err)
	own = strings.TrimPrefix(groups.Groups[0].Group, "cindervale/")
	fill := strings.NewReplacer(
		"{directory}",
		"cindervale",
		"{name}",
		own,
		"{trial}",
		"none",
		"{number}",
		"99",
		"{id}",
		"99",
	)
	for _, o := range all {
		path := "/api/v1" + fill.Replace(o.path)
		body := ""
		if o.method == "POST" || o.method == "PUT" {
			body = "{}"
		}
		if o.right == "" {
			continue // signing in and out, which TestSignIn tries
		}
		assert.Equal(t, 401, r.status(t, o.method, path, "", body), "%s by nobody", o.id)
		assert.Equal(t, 401, r.status(t, o.method, path, "gm_wrong", body), "%s with a wrong token", o.id)
		for role, token := range tokens {
			status := r.status(t, o.method, path, token, body)
			if role.Has(operator.Right(o.right)) {
				assert.NotContains(t, []int{401, 403, 500}, status, "%s by %s", o.id, role)
			} else {
				assert.Equal(t, 403, status, "%s by %s", o.id, role)
			}
		}
	}
	for _, open := range all {
		if open.right == "" {
			assert.Contains(
				t,
				[]string{"sign-in", "sign-out", "signed-in", "provider", "provider-return"},
				open.id,
				"an operation that needs no right",
			)
		}
	}
}

// status makes a call and reads no more than its status.
func (r *running) status(t *testing.T, method, path, token, body string) int {
	t.Helper()
	short, cancel := context.WithTimeout(t.Context(), 10*time.Second)
	defer cancel()
	response := r.send(t, short, method, path, token, body)
	response.Body.Close()
	return response.StatusCode
}

// The tables of docs/security.md are those of the code. GATEMAP_WRITE=1 writes them.
func TestTheTablesOfRights(t *testing.T) {
	const file = "../docs/security.md"
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	var table strings.Builder
	roles := append(slices.Clone(operator.Roles), operator.Manager)
	table.WriteString("| operation | call | right |")
	for _, role := range roles {
		fmt.Fprintf(&table, " %s |", role)
	}
	table.WriteString("\n|---|---|---|" + strings.Repeat("---|", len(roles)) + "\n")
	for _, o := range operations() {
		right := o.right
		if right == "" {
			right = "none"
		}
		fmt.Fprintf(&table, "| %s | `%s %s` | %s |", o.summary, o.method, o.path, right)
		for _, role := range roles {
			mark := ""
			if role.Has(operator.Right(o.right)) {
				mark = "yes"
			}
			fmt.Fprintf(&table, " %s |", mark)
		}
		table.WriteString("\n")
	}
	const begin, end = "<!-- operations -->\n", "<!-- end of operations -->"
	before, rest, ok := strings.Cut(string(raw), begin)
	require.True(t, ok)
	written, after, ok := strings.Cut(rest, end)
	require.True(t, ok)
	if os.Getenv("GATEMAP_WRITE") != "" {
		require.NoError(t, os.WriteFile(file, []byte(before+begin+table.String()+end+after), 0o644))
		return
	}
	assert.Equal(t, table.String(), written, "rewrite it: GATEMAP_WRITE=1 go test ./server -run TestTheTablesOfRights")
}

// A token for some systems opens these alone.
func TestATokenForSomeSystems(t *testing.T) {
	r := start(t)
	made, err := r.service.Tokens.Create(
		ctx,
		operator.Service,
		answer.TokenChange{Name: "archive-only", Role: "editor", Systems: []string{"Archive"}},
	)
	require.NoError(t, err)
	for path, want := range map[string]int{
		"/reach?user=ilse.okonjo&system=archive": 200, "/reach?user=ilse.okonjo": 403, "/reach?user=ilse.okonjo&system=core-net": 403,
		"/who?system=archive&right=frames:read": 200, "/systems/archive": 200, "/systems/core-net": 403, "/findings": 403, "/documents": 403, "/members?group=night-crew": 200,
	} {
		assert.Equal(t, want, r.status(t, "GET", "/api/v1"+path, made.Token, ""), path)
	}
	assert.Equal(t, 201, r.status(t, "POST", "/api/v1/trials", made.Token, `{"name":"lines"}`))
	line := `{"changes":[{"do":"remove-line","system":"%s","list":"%s","line":"1"}]}`
	assert.Equal(
		t,
		200,
		r.status(t, "POST", "/api/v1/trials/lines/changes", made.Token, fmt.Sprintf(line, "archive", "mappings")),
	)
	assert.Equal(
		t,
		403,
		r.status(t, "POST", "/api/v1/trials/lines/changes", made.Token, fmt.Sprintf(line, "core-net", "rules")),
	)
	assert.Equal(
		t,
		403,
		r.status(
			t,
			"POST",
			"/api/v1/trials/lines/changes",
			made.Token,
			`{"changes":[{"do":"remove-part","document":"archive","list":"roles","part":"reader"}]}`,
		),
		"lines alone",
	)
	assert.Equal(
		t,
		403,
		r.status(
			t,
			"POST",
			"/api/v1/trials/lines/changes",
			made.Token,
			`{"changes":[{"do":"join","group":"night-crew","member":"teo.marchetti"}]}`,
		),
	)
	assert.Equal(t, 403, r.status(t, "POST", "/api/v1/trials/lines/commit", made.Token, `{"reason":"x"}`))

	soon := time.Now().Add(time.Second)
	made, err = r.service.Tokens.Create(
		ctx,
		operator.Service,
		answer.TokenChange{Name: "short", Role: "viewer", Expires: &soon},
	)
	require.NoError(t, err)
	assert.Equal(t, 200, r.status(t, "GET", "/api/v1/map", made.Token, ""))
	assert.Eventually(
		t,
		func() bool { return r.status(t, "GET", "/api/v1/map", made.Token, "") == 401 },
		5*time.Second,
		50*time.Millisecond,
	)
}
