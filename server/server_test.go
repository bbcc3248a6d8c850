package server_test

import (
	"context"
	"encoding/json"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/demo"
	"gatemap/edge"
	"gatemap/operator"
	"gatemap/server"
	"gatemap/service/content"
	"gatemap/workspace"
)

var ctx = context.Background()

type running struct {
	*httptest.Server
	service *workspace.Service
	token   string
	folder  string // of the data
	log     *strings.Builder
}

func start(t *testing.T) *running {
	t.Helper()
	return startOn(t, demo.Map())
}

// person adds an operator, who gets a token.
func (r *running) person(t *testing.T, named string, role operator.Role) string {
	t.Helper()
	_, err := r.service.Operators.Set(ctx, operator.Service, named, 0, answer.OperatorChange{Role: new(string(role))})
	require.NoError(t, err)
	made, err := r.service.Tokens.Create(
		ctx,
		operator.Actor{Name: named, Role: role},
		answer.TokenChange{Name: named, Role: string(role)},
	)
	require.NoError(t, err)
	return made.Token
}

// startOn starts a service on a map folder.
func startOn(t *testing.T, files fs.FS) *running {
	t.Helper()
	log := &strings.Builder{}
	logger := slog.New(slog.NewTextHandler(log, nil))
	data := t.TempDir()
	s, err := workspace.Open(ctx, data, logger, workspace.Options{})
	require.NoError(t, err)
	s.Allow(connect.Host{Files: files})
	folder, err := content.ReadFS(files)
	require.NoError(t, err)
	_, err = s.Folders.Commit(ctx, folder, "test", "demo")
	require.NoError(t, err)
	token, err := s.Tokens.First(ctx)
	require.NoError(t, err)
	console := fstest.MapFS{"index.html": {Data: []byte("<p>console</p>")}, "assets/a.js": {Data: []byte("1")}}
	r := &running{httptest.NewServer(server.New(s, console, "test", logger).Handler()), s, token, data, log}
	t.Cleanup(func() { r.Close(); s.Close() })
	return r
}

// send makes a call; the caller closes the body of the answer.
func (r *running) send(t *testing.T, ctx context.Context, method, path, token, body string) *http.Response {
	t.Helper()
	request, err := http.NewRequestWithContext(ctx, method, r.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	if token != "" {
		request.Header.Set("Authorization", "Bearer "+token)
	}
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	return response
}

func (r *running) call(t *testing.T, method, path, token, body string) (int, http.Header, string) {
	t.Helper()
	response := r.send(t, t.Context(), method, path, token, body)
	defer response.Body.Close()
	content, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, response.Header, string(content)
}

// seen is the version of a trial, as its ETag.
func (r *running) seen(t *testing.T, trial string) string {
	t.Helper()
	_, header, _ := r.call(t, "GET", "/api/v1/trials/"+trial, r.token, "")
	return header.Get("ETag")
}

// commit commits a version of a trial, or names none where it is empty.
func (r *running) commit(t *testing.T, trial, version, token, body string) int {
	t.Helper()
	return r.matching(t, "/api/v1/trials/"+trial+"/commit", version, token, body)
}

// matching makes a call of what has a version.
func (r *running) matching(t *testing.T, path, version, token, body string) int {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), "POST", r.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	request.Header = http.Header{"Authorization": {"Bearer " + token}, "Content-Type": {"application/json"}}
	if version != "" {
		request.Header.Set("If-Match", version)
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	response.Body.Close()
	return response.StatusCode
}

// A request with a body may take as long to answer as one without.
func TestNoOperationIsGivenUpForItsBody(t *testing.T) {
	r := start(t)
	bodies := 0
	for path, item := range server.Operations(chi.NewRouter(), chi.NewRouter(), chi.NewRouter(), r.service, nil, "test").Paths {
		for _, o := range []*huma.Operation{item.Get, item.Post, item.Put, item.Patch, item.Delete} {
			if o != nil && o.RequestBody != nil {
				bodies++
				assert.Negative(t, o.BodyReadTimeout, "%s %s", o.Method, path)
			}
		}
	}
	assert.Greater(t, bodies, 10)
}

// Every operation in the OpenAPI document, and every path beside it, asks for a
// token, but for those that say they need none.
func TestEveryOperationNeedsAToken(t *testing.T) {
	r := start(t)
	doc := server.Operations(chi.NewRouter(), chi.NewRouter(), chi.NewRouter(), r.service, nil, "test")
	assert.Equal(t, "3.1.0", doc.OpenAPI)
	type call struct{ method, path string }
	calls := []call{{"GET", "/metrics"}, {"GET", "/api/v1/openapi.json"}}
	for path, item := range doc.Paths {
		at := "/api/v1" + strings.NewReplacer("{directory}", "cindervale", "{name}", "ilse.okonjo", "{id}", "1").Replace(path)
		for method, operation := range map[string]*huma.Operation{"GET": item.Get, "POST": item.Post} {
			if operation != nil && operation.Security == nil { // it says nothing of its own
				calls = append(calls, call{method, at})
			}
		}
	}
	require.Greater(t, len(calls), 23)
	for _, c := range calls {
		path := c.path
		for _, token := range []string{"", "wrong", r.token + "x"} {
			status, header, body := r.call(t, c.method, path, token, "{}")
			assert.Equal(t, 401, status, path)
			assert.Contains(t, header.Get("WWW-Authenticate"), "Bearer")
			assert.Equal(t, "application/problem+json", header.Get("Content-Type"))
			assert.Contains(t, body, "Authorization: Bearer TOKEN")
		}
		if path == "/api/v1/events" {
			continue // it does not end
		}
		status, _, _ := r.call(t, c.method, path, r.token, "{}")
		assert.NotEqual(t, 401, status, path)
	}
	for _, path := range []string{"/health", "/ready"} {
		status, _, _ := r.call(t, "GET", path, "", "")
		assert.Equal(t, 200, status)
	}
}

func TestProblems(t *testing.T) {
	r := start(t)
	for path, want := range map[string]answer.Problem{
		"/api/v1/reach?user=ilse.okonj":                      {Status: 404, Kind: "user", Near: []string{"ilse.okonjo"}},
		"/api/v1/why?user=ilse.okonjo&system=archiv&right=x": {Status: 404, Kind: "system", Near: []string{"archive"}},
		"/api/v1/who?system=sky-tools&right=vewer":           {Status: 404, Kind: "right", Near: []string{"viewer"}},
		"/api/v1/reach?user=ilse.okonjo&at=noon":             {Status: 422, Field: "at", Value: "noon"},
		"/api/v1/reach?user=ilse.okonjo&device_name=loner-7": {Status: 404, Kind: "device", Near: []string{"loaner-7"}},
		"/api/v1/reach": {Status: 422, Field: "user"},
		"/api/v1/reach?user=ilse.okonjo&form=198.51.100.9":                       {Status: 422, Field: "form"},
		"/api/v1/search?limit=1001":                                              {Status: 422, Field: "limit"},
		"/api/v1/search?cursor=!":                                                {Status: 422, Field: "cursor"},
		"/api/v1/users/cindervale/nobody.at.all.with.this.name":                  {Status: 404, Kind: "user"},
		"/api/v1/nothing":                                                        {Status: 404},
		"/api/v1/reach?user=" + strings.Repeat("x", 400):                         {Status: 404, Kind: "user"},
		"/api/v1/why?user=ilse.okonjo&system=archive&right=frames:read&object=x": {Status: 404, Kind: "object"},
	} {
		status, header, body := r.call(t, "GET", path, r.token, "")
		var got answer.Problem
		require.NoError(t, json.Unmarshal([]byte(body), &got), path)
		assert.Equal(t, want.Status, status, path)
		assert.Equal(t, "application/problem+json", header.Get("Content-Type"))
		assert.Equal(t, want.Status, got.Status)
		assert.NotEmpty(t, got.Detail, path)
		assert.Equal(t, []string{want.Kind, want.Field}, []string{got.Kind, got.Field}, path)
		if want.Near != nil {
			assert.Equal(t, want.Near, got.Near, path)
		}
		if want.Value != "" {
			assert.Equal(t, want.Value, got.Value)
		}
	}
}

func TestSignIn(t *testing.T) {
	r := start(t)
	status, _, body := r.call(t, "POST", "/api/v1/sign-in", "", `{"token":"wrong"}`)
	assert.Equal(t, 401, status, body)
	status, _, _ = r.call(t, "POST", "/api/v1/sign-in", "", `{}`)
	assert.Equal(t, 422, status)
	status, header, _ := r.call(t, "POST", "/api/v1/sign-in", "", `{"token":"`+r.token+`"}`)
	assert.Equal(t, 204, status)
	cookie := header.Get("Set-Cookie")
	for _, want := range []string{"HttpOnly", "SameSite=Strict", "Path=/"} {
		assert.Contains(t, cookie, want)
	}
	session, _, _ := strings.Cut(cookie, ";")
	with := func(method, path string) int {
		request, _ := http.NewRequest(method, r.URL+path, nil)
		request.Header.Set("Cookie", session)
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		response.Body.Close()
		return response.StatusCode
	}
	assert.Equal(t, 200, with("GET", "/api/v1/map"))
	_, _, said := r.call(t, "GET", "/api/v1/sign-in", "", "")
	assert.JSONEq(t, `{"signed_in":false,"rights":[],"provider":false}`, said)
	assert.Equal(t, 204, with("DELETE", "/api/v1/sign-in"))
	assert.Equal(t, 401, with("GET", "/api/v1/map"), "a session that was ended opens nothing")
}

func TestConsoleFiles(t *testing.T) {
	r := start(t)
	for path, want := range map[string]string{"/": "<p>console</p>", "/people/cindervale/ilse.okonjo": "<p>console</p>", "/assets/a.js": "1"} {
		status, header, body := r.call(t, "GET", path, "", "")
		assert.Equal(t, 200, status, path)
		assert.Equal(t, want, body)
		assert.Contains(t, header.Get("Content-Security-Policy"), "script-src 'self';")
	}
	status, _, _ := r.call(t, "GET", "/assets/b.js", "", "")
	assert.Equal(t, 404, status)
	status, _, _ = r.call(t, "POST", "/", "", "x")
	assert.Equal(t, 405, status)
}

func TestLogsAndMetricsNameNobody(t *testing.T) {
	r := start(t)
	r.call(t, "GET", "/api/v1/reach?user=ilse.okonjo", r.token, "")
	_, _, metrics := r.call(t, "GET", "/metrics", r.token, "")
	for _, want := range []string{`gatemap_request_seconds_count{method="GET",route="/api/v1/reach",status="200"} 1`, "gatemap_revision 1", "gatemap_users 60", `gatemap_findings{severity="error"} 5`} {
		assert.Contains(t, metrics, want)
	}
	assert.Contains(t, r.log.String(), "path=/api/v1/reach status=200")
	assert.NotContains(t, r.log.String(), "ilse")
	assert.NotContains(t, r.log.String(), r.token)
}

func TestTheClientGivesTheErrorsOfTheMap(t *testing.T) {
	r := start(t)
	c, err := client.New(r.URL, r.token)
	require.NoError(t, err)
	var missing *directory.NotFoundError
	_, err = c.Reach(ctx, "ilse.okonj", "", situation.Situation{})
	require.ErrorAs(t, err, &missing)
	assert.Equal(t, []string{"ilse.okonjo"}, missing.Near)
	_, err = c.Why(ctx, "ilse.okonjo", "archive", "nothing:such", "/", situation.Situation{})
	require.ErrorAs(t, err, &missing)
	assert.Equal(t, "archive", missing.Within)
	var needed *rule.ObjectNeededError
	require.ErrorAs(
		t,
		(&answer.Problem{Type: edge.Problem(&rule.ObjectNeededError{System: "s", Objects: []string{"a"}}).Type, Objects: []string{"a"}}).Err(),
		&needed,
	)

	wrong, err := client.New(r.URL, "wrong")
	require.NoError(t, err)
	_, err = wrong.Findings(ctx, answer.Wanted{})
	assert.ErrorContains(t, err, "does not accept the token")
	for _, bad := range []string{"", "127.0.0.1:8470", "ftp://x"} {
		_, err := client.New(bad, "")
		assert.Error(t, err, bad)
	}
}

func TestTheClientTellsWhatItReached(t *testing.T) {
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, "findings") {
			_, _ = io.WriteString(w, "<html>")
			return
		}
		http.Error(w, "no", http.StatusTeapot)
	}))
	defer other.Close()
	c, err := client.New(other.URL, "")
	require.NoError(t, err)
	_, err = c.Findings(ctx, answer.Wanted{})
	assert.ErrorContains(t, err, "cannot be read")
	_, err = c.Members(ctx, "x")
	assert.ErrorContains(t, err, "no Gate Map service")
	other.Close()
	_, err = c.Findings(ctx, answer.Wanted{})
	assert.ErrorContains(t, err, "cannot be reached")
}

// A stop lets what is being answered come to its end.
func TestACleanStop(t *testing.T) {
	s, err := workspace.Open(ctx, t.TempDir(), slog.New(slog.DiscardHandler), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	running, stop := context.WithCancel(ctx)
	done := make(chan error, 1)
	go func() {
		done <- server.New(s, fstest.MapFS{}, "test", slog.New(slog.DiscardHandler)).Serve(running, l)
	}()
	conn, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer conn.Close()
	// Half a request is on its way when the stop comes.
	body := `{"token":"wrong"}`
	_, err = io.WriteString(
		conn,
		"POST /api/v1/sign-in HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 17\r\nExpect: 100-continue\r\n\r\n",
	)
	require.NoError(t, err)
	reading := make([]byte, len("HTTP/1.1 100 Continue\r\n\r\n")) // the body is waited for
	_, err = io.ReadFull(conn, reading)
	require.NoError(t, err)
	_, err = io.WriteString(conn, body[:5])
	require.NoError(t, err)
	stop()
	time.Sleep(50 * time.Millisecond)
	_, err = io.WriteString(conn, body[5:])
	require.NoError(t, err)
	answer, err := io.ReadAll(conn)
	require.NoError(t, err)
	assert.Contains(t, string(answer), "this is not a token of this service")
	select {
	case err := <-done:
		assert.NoError(t, err)
	case <-time.After(10 * time.Second):
		t.Fatal("it does not stop")
	}
}
