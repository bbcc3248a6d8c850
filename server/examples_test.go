package server_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/demo"
	"gatemap/operator"
	"gatemap/server"
)

var update = flag.Bool("update", false, "write the examples of the API anew")

// exampleCalls are calls on the demo, one of each operation, in an order in which each can be
// made. by says who makes a call; missing: an admin.
var exampleCalls = []struct{ id, method, path, headers, body, by string }{
	{id: "map", path: "/map"},
	{id: "words", path: "/words"},
	{id: "reach", path: "/reach?user=ilse.okonjo&system=archive&from=198.51.100.9&at=2026-11-24T22:00:00Z"},
	{id: "person", path: "/person?user=ilse.okonjo&system=core-net"},
	{id: "why", path: "/why?user=ilse.okonjo&system=archive&right=frames:write&object=/raw/2026"},
	{id: "probe", path: "/probe?user=ilse.okonjo&system=core-net&right=ping&object=control"},
	{id: "who", path: "/who?system=archive&right=frames:purge&object=/raw&limit=2"},
	{id: "members", path: "/members?group=night-crew&limit=2"},
	{id: "memberships", path: "/memberships?user=ilse.okonjo"},
	{id: "findings", path: "/findings?severity=error&limit=2"},
	{id: "guarantees", path: "/guarantees"},
	{id: "compare", path: "/compare?first=ilse.okonjo&second=teo.marchetti"},
	{id: "matrix", path: "/matrix?group=night-crew&right=frames:*"},
	{id: "hours", path: "/hours?user=ilse.okonjo&system=archive&at=2026-11-24T22:00:00Z"},
	{id: "search", path: "/search?q=okonjo"},
	{id: "list-users", path: "/users?limit=2"},
	{id: "list-groups", path: "/groups?limit=2"},
	{id: "list-systems", path: "/systems?limit=2"},
	{id: "user", path: "/users/cindervale/ilse.okonjo"},
	{id: "group", path: "/groups/cindervale/night-crew"},
	{id: "opens", path: "/groups/cindervale/night-crew/opens"},
	{id: "system", path: "/systems/core-net"},
	{id: "lines", path: "/systems/core-net/lines"},
	{id: "test-rule", path: "/rule-test?filter=title+eq+%22Night+assistant%22"},
	{id: "chart", path: "/chart?most=2"},
	{id: "documents", path: "/documents?path=guarantees.yaml"},
	{id: "directories", path: "/directories"},
	{id: "test-directory", method: "POST", path: "/directories/cindervale/test?user=ilse.okonjo"},
	{id: "read-system", method: "POST", path: "/systems/sky-tools/reading"},
	{id: "linked", path: "/linked"},
	{id: "drift", path: "/drift?system=sky-tools&limit=1"},
	{id: "run-delivery", method: "POST", path: "/systems/sky-tools/delivery", body: `{}`},
	{id: "deliveries", path: "/deliveries?system=sky-tools&limit=1"},
	{id: "delivery", path: "/deliveries/1"},
	{id: "delivery-script", path: "/deliveries/1/script"},
	{id: "commit-delivery", method: "POST", path: "/deliveries/1/commit", body: `{"confirm":true}`},
	{id: "discard-delivery", method: "POST", path: "/deliveries/1/discard"},
	{id: "notices", path: "/notices"},
	{id: "really-reach", path: "/really/reach?user=olle.branwen"},
	{id: "really-why", path: "/really/why?user=olle.branwen&system=sky-tools&right=calendar&object=planner"},
	{id: "really-who", path: "/really/who?system=sky-tools&right=calendar&object=planner&limit=2"},
	{id: "really-compare", path: "/really/compare?first=olle.branwen&second=ilse.okonjo"},
	{id: "really-matrix", path: "/really/matrix?system=sky-tools&group=night-crew"},
	{id: "adopt", method: "POST", path: "/adopt", body: `{"system":"sky-tools"}`},
	{id: "begin-trial", method: "POST", path: "/trials", body: `{"name":"season","note":"The visitors leave"}`},
	{
		id:     "impact",
		method: "POST",
		path:   "/impact",
		body:   `{"do":"leave","group":"night-assistants","member":"ilse.okonjo"}`,
	},
	{
		id:      "stage",
		method:  "POST",
		path:    "/trials/season/changes",
		headers: `If-Match: "1"`,
		body:    `{"changes":[{"do":"switch-line","system":"core-net","list":"rules","line":"nobody pings","value":"off"},{"do":"leave","group":"night-assistants","member":"ilse.okonjo"}]}`,
	},
	{id: "unstage", method: "DELETE", path: "/trials/season/changes/2", headers: `If-Match: "2"`},
	{
		id:     "withdraw",
		method: "POST",
		path:   "/trials/season/withdraw",
		body:   `{"user":"noor.haddix","system":"sky-tools","right":"pipeline","object":"reduction-suite"}`,
	},
	{id: "trials", path: "/trials"},
	{id: "trial", path: "/trials/season"},
	{id: "outcome", path: "/trials/season/outcome?limit=2"},
	{id: "turned", path: "/trials/season/turned"},
	{id: "writes", path: "/trials/season/writes"},
	{
		id:      "commit-trial",
		method:  "POST",
		path:    "/trials/season/commit",
		headers: `If-Match: "4"`,
		body:    `{"reason":"The season ends","override":"agreed with the observatory's head"}`,
	},
	{id: "history", path: "/revisions?limit=1"},
	{id: "revision", path: "/revisions/2"},
	{id: "revert", method: "POST", path: "/revisions/2/revert", body: `{"name":"back"}`},
	{id: "remove-trial", method: "DELETE", path: "/trials/back", headers: `If-Match: "5"`},
	{id: "run-intake", method: "POST", path: "/directories/personnel/intake", body: `{}`},
	{id: "runs", path: "/runs?directory=personnel&limit=1"},
	{id: "run", path: "/runs/1"},
	{id: "preview", path: "/runs/1/preview"},
	{id: "commit-run", method: "POST", path: "/runs/1/commit", headers: `If-Match: "1"`, body: `{"confirm":true}`},
	{id: "discard-run", method: "POST", path: "/runs/2/discard"},
	{id: "settings", path: "/settings"},
	{id: "change-settings", method: "PUT", path: "/settings", body: `{"two_persons":true}`},
	{
		id:     "set-operator",
		method: "PUT",
		path:   "/operators/edda",
		body:   `{"role":"editor","display":"Edda Fenwick","password":"eleven domes in a row"}`,
	},
	{id: "operators", path: "/operators"},
	{id: "second-factor", method: "POST", path: "/operators/edda/second-factor"},
	{id: "remove-operator", method: "DELETE", path: "/operators/edda"},
	{id: "create-token", method: "POST", path: "/tokens", body: `{"name":"nightly","role":"viewer","service":true}`},
	{id: "tokens", path: "/tokens"},
	{id: "revoke-token", method: "DELETE", path: "/tokens/nightly"},
	{
		id:     "sign-in",
		method: "POST",
		path:   "/sign-in",
		body:   `{"name":"ada","password":"nine mirrors and a lens"}`,
		by:     "nobody",
	},
	{id: "signed-in", path: "/sign-in", by: "ada"},
	{
		id:     "change-own-password",
		method: "PUT",
		path:   "/own-password",
		body:   `{"old":"nine mirrors and a lens","new":"ten mirrors and a lens"}`,
		by:     "ada",
	},
	{id: "sign-out", method: "DELETE", path: "/sign-in", by: "ada"},
	{id: "own-groups", path: "/own-groups", by: "manager"},
	{
		id:     "change-own-group",
		method: "POST",
		path:   "/own-groups/cindervale/night-assistants/members",
		body:   `{"add":["teo.marchetti"]}`,
		by:     "manager",
	},
	{id: "audit", path: "/audit?limit=2"},
	{id: "verify-audit", path: "/audit/verify"},
}

// notInExamples are operations without an example, with why.
var notInExamples = map[string]string{
	"backup": "it answers with a database", "events": "it does not end", "provider": "it needs a provider", "provider-return": "a provider calls it",
	"untie-manager": "it needs someone whom a provider signed in", "create-push-token": "nothing is pushed to a directory of the demo",
	"test-notices": "the demo tells nobody", "accounts": "the accounts of the demo are in a file", "schema": "it is long",
}

// Every operation has an example, of which the demo answers what it says.
func TestEveryOperationHasAnExample(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, demo.Map()))
	r := startOn(t, os.DirFS(folder))
	password := "nine mirrors and a lens"
	_, err := r.service.Operators.Set(
		ctx,
		operator.Service,
		"ada",
		0,
		answer.OperatorChange{Role: new(string(operator.Viewer)), Password: &password},
	)
	require.NoError(t, err)
	ada := r.session(t, "ada", password)
	got := map[string]server.Example{}
	for _, c := range exampleCalls {
		switch c.id {
		case "run-intake":
			leaves(t, filepath.Join(folder, "personnel.csv"))
		case "discard-run":
			leaves(t, filepath.Join(folder, "personnel.csv"))
			r.call(t, "POST", "/api/v1/directories/personnel/intake", r.token, `{}`)
			r.settled(t, "2")
		}
		x := r.example(t, c.method, c.path, c.headers, c.body, c.by, ada)
		assert.Less(t, x.Status, 300, "%s: %s", c.id, x.Answer)
		got[c.id] = x
		if c.id == "run-intake" { // how far it has come depends on the machine
			var run map[string]any
			require.NoError(t, json.Unmarshal(x.Answer, &run))
			run["read"], run["state"] = 0, "reading"
			x.Answer, err = json.Marshal(run)
			require.NoError(t, err)
			got[c.id] = x
			r.settled(t, "1")
		}
	}
	doc := server.Operations(chi.NewRouter(), chi.NewRouter(), chi.NewRouter(), nil, nil, "")
	for _, item := range doc.Paths {
		for _, op := range []any{item.Get, item.Post, item.Put, item.Delete} {
			raw, err := json.Marshal(op)
			require.NoError(t, err)
			var described struct{ OperationID string }
			require.NoError(t, json.Unmarshal(raw, &described))
			if id := described.OperationID; id != "" && notInExamples[id] == "" {
				assert.Contains(t, got, id, "%s has an example", id)
			}
		}
	}
	if *update {
		require.NoError(t, os.WriteFile("examples.json", indented(t, got), 0o600))
	}
	want, err := os.ReadFile("examples.json")
	require.NoError(t, err)
	assert.JSONEq(t, string(want), string(indented(t, got)), "go test ./server -run Example -update writes them anew")
}

// example makes one call as an example.
func (r *running) example(t *testing.T, method, path, headers, body, by, session string) server.Example {
	t.Helper()
	x := server.Example{Method: method, Path: path}
	if method == "" {
		x.Method = "GET"
	}
	if body != "" {
		x.Body = json.RawMessage(body)
	}
	request, err := http.NewRequestWithContext(t.Context(), x.Method, r.URL+"/api/v1"+path, strings.NewReader(body))
	require.NoError(t, err)
	if name, value, ok := strings.Cut(headers, ": "); ok {
		x.Headers = map[string]string{name: value}
		request.Header.Set(name, value)
	}
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	switch by {
	case "ada":
		request.Header.Set("Cookie", session)
	case "manager":
		request.Header.Set("Authorization", "Bearer "+r.managing(t))
	case "":
		request.Header.Set("Authorization", "Bearer "+r.token)
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	raw, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	x.Status = response.StatusCode
	if len(raw) > 0 {
		x.Answer = abridged(t, raw)
	}
	return x
}

// managing is a token of someone who manages the night crew.
func (r *running) managing(t *testing.T) string {
	t.Helper()
	made, err := r.service.Tokens.Create(
		ctx,
		operator.Service,
		answer.TokenChange{Name: "manager-" + time.Now().Format("150405.000000000"), User: "greta.falk"},
	)
	require.NoError(t, err)
	return made.Token
}

// session signs someone in, and gives the cookie.
func (r *running) session(t *testing.T, named, password string) string {
	t.Helper()
	status, header, _ := r.call(t, "POST", "/api/v1/sign-in", "", `{"name":"`+named+`","password":"`+password+`"}`)
	require.Equal(t, http.StatusNoContent, status)
	session, _, _ := strings.Cut(header.Get("Set-Cookie"), ";")
	return session
}

// settled waits until a run does not run any more.
func (r *running) settled(t *testing.T, run string) {
	t.Helper()
	require.Eventually(t, func() bool {
		_, _, body := r.call(t, "GET", "/api/v1/runs/"+run, r.token, "")
		return strings.Contains(body, `"state":"held"`) || strings.Contains(body, `"state":"waiting"`)
	}, 20*time.Second, 20*time.Millisecond)
}

// leaves takes the last line out of a file.
func leaves(t *testing.T, file string) {
	t.Helper()
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	raw = bytes.TrimRight(raw, "\n")
	require.NoError(t, os.WriteFile(file, append(raw[:bytes.LastIndexByte(raw, '\n')], '\n'), 0o600))
}

// changing is what is another each time.
var changing = []struct {
	of *regexp.Regexp
	to string
}{
	{regexp.MustCompile(`"20[0-9-]+T[0-9:.]+(Z|[+-][0-9:]+)"`), `"2026-11-27T20:00:00Z"`},
	{regexp.MustCompile(`gm_[A-Za-z0-9_-]{20,}`), "gm_…"},
	{regexp.MustCompile(`manager-[0-9.]+`), "manager"},
	{regexp.MustCompile(`[0-9a-f]{64}`), "6f0c…"},
	{regexp.MustCompile(`"[A-Z2-7]{32}"`), `"JBSWY3DPEHPK3PXP…"`},
	{regexp.MustCompile(`secret=[A-Z2-7]{32}`), "secret=JBSWY3DPEHPK3PXP…"},
	{regexp.MustCompile(`data:image/png;base64,[A-Za-z0-9+/=]+`), "data:image/png;base64,…"},
	{regexp.MustCompile(`127\.0\.0\.1:[0-9]+`), "192.0.2.10"},
	{regexp.MustCompile(`/tmp/[^ "]+/`), "/srv/map/"},
}

// abridged is an answer with the first entries of its lists, and without what is another each
// time.
func abridged(t *testing.T, raw []byte) json.RawMessage {
	t.Helper()
	text := string(raw)
	for _, c := range changing {
		text = c.of.ReplaceAllString(text, c.to)
	}
	var value any
	require.NoError(t, json.Unmarshal([]byte(text), &value), text)
	short, err := json.Marshal(shorter(value))
	require.NoError(t, err)
	return short
}

func shorter(value any) any {
	const most = 2
	switch v := value.(type) {
	case []any:
		v = v[:min(len(v), most)]
		for i := range v {
			v[i] = shorter(v[i])
		}
		return v
	case map[string]any:
		for key := range v {
			v[key] = shorter(v[key])
		}
	}
	return value
}

func indented(t *testing.T, v any) []byte {
	t.Helper()
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	require.NoError(t, e.Encode(v))
	return b.Bytes()
}
