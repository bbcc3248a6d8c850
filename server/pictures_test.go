package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/stage"
)

// asks reads one answer of the API.
func asks[T any](t *testing.T, r *running, path string) *T {
	t.Helper()
	status, _, body := r.call(t, http.MethodGet, "/api/v1"+path, r.token, "")
	require.Equal(t, 200, status, body)
	got := new(T)
	require.NoError(t, json.Unmarshal([]byte(body), got))
	return got
}

// What is drawn can be asked of a trial too, and is then as the trial would make it.
func TestPicturesOfATrial(t *testing.T) {
	r := start(t)
	c, err := client.New(r.URL, r.token)
	require.NoError(t, err)
	_, err = c.BeginTrial(ctx, "pings", "", nil)
	require.NoError(t, err)
	_, err = c.Stage(
		ctx,
		"pings",
		stage.Change{Do: stage.RemoveLine, System: "core-net", List: "rules", Line: "nobody pings"},
		stage.Change{Do: stage.Leave, Group: "night-assistants", Member: "ilse.okonjo"},
	)
	require.NoError(t, err)

	assert.Len(t, asks[answer.Lines](t, r, "/systems/core-net/lines").Lines, 10)
	assert.Len(t, asks[answer.Lines](t, r, "/systems/core-net/lines?trial=pings").Lines, 9)
	assert.Contains(t, string(asks[answer.SystemInfo](t, r, "/systems/core-net").Document), "nobody pings")
	assert.NotContains(t, string(asks[answer.SystemInfo](t, r, "/systems/core-net?trial=pings").Document), "nobody pings")
	assert.Equal(t, 5, asks[answer.GroupInfo](t, r, "/groups/cindervale/night-assistants").Members)
	assert.Equal(t, 4, asks[answer.GroupInfo](t, r, "/groups/cindervale/night-assistants?trial=pings").Members)
	is, would := asks[answer.User](
		t,
		r,
		"/users/cindervale/ilse.okonjo",
	), asks[answer.User](
		t,
		r,
		"/users/cindervale/ilse.okonjo?trial=pings",
	)
	assert.Less(t, would.Groups, is.Groups)
	assert.NotEmpty(t, asks[answer.Opened](t, r, "/groups/cindervale/night-assistants/opens?trial=pings").Lines)

	files := asks[answer.Documents](t, r, "/documents?path=systems/doors.yaml").Files
	assert.Len(t, files, 1)
	assert.Contains(t, files["systems/doors.yaml"], "nobody pings")
	files = asks[answer.Documents](t, r, "/documents?path=systems/doors.yaml&trial=pings").Files
	assert.NotContains(t, files["systems/doors.yaml"], "nobody pings")

	const probe = "/probe?user=cosmo.adeyemi&system=core-net&right=ping&object=control"
	fate := func(p *answer.Probe, line string) rule.Fate {
		for _, pass := range p.Passes {
			if pass.Line == line {
				return pass.Fate
			}
		}
		return ""
	}
	assert.Equal(t, rule.Decides, fate(asks[answer.Probe](t, r, probe), "core-net/nobody pings"))
	assert.Empty(t, fate(asks[answer.Probe](t, r, probe+"&trial=pings"), "core-net/nobody pings"))
	assert.Less(
		t,
		asks[answer.Findings](t, r, "/findings?system=core-net&trial=pings").Total,
		asks[answer.Findings](t, r, "/findings?system=core-net").Total,
	)

	status, _, body := r.call(t, http.MethodGet, "/api/v1/systems/core-net/lines?trial=none", r.token, "")
	assert.Equal(t, 404, status, body)
}

// The client asks what the console asks, and an impact needs no trial.
func TestTheClientProbesAndTries(t *testing.T) {
	r := start(t)
	c, err := client.New(r.URL, r.token)
	require.NoError(t, err)
	p, err := c.Probe(ctx, "ilse.okonjo", "archive", "frames:write", "/raw/2026", situation.Situation{})
	require.NoError(t, err)
	assert.Equal(t, rule.Depends, p.State)
	assert.Len(t, p.Passes, 14)
	impact, err := c.Impact(
		ctx,
		"",
		stage.Change{Do: stage.SetUser, User: "ilse.okonjo", Attribute: "active", Value: []byte("false")},
		situation.Situation{},
	)
	require.NoError(t, err)
	assert.Positive(t, impact.Total.Losses)
	assert.Equal(t, 1, impact.People)
	_, err = c.Impact(
		ctx,
		"",
		stage.Change{Do: stage.SetUser, User: "nobody.here", Attribute: "active", Value: []byte("false")},
		situation.Situation{},
	)
	require.Error(t, err)
	trials, err := c.Trials(ctx)
	require.NoError(t, err)
	assert.Empty(t, trials.Trials)
}

// Who changes the settings says which ones were seen; other ones stay.
func TestSettingsBearAVersion(t *testing.T) {
	r := start(t)
	put := func(version, body string) (int, string) {
		request, err := http.NewRequest(http.MethodPut, r.URL+"/api/v1/settings", strings.NewReader(body))
		require.NoError(t, err)
		request.Header = http.Header{
			"Authorization": {"Bearer " + r.token},
			"Content-Type":  {"application/json"},
			"If-Match":      {version},
		}
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		response.Body.Close()
		return response.StatusCode, response.Header.Get("ETag")
	}
	_, header, _ := r.call(t, http.MethodGet, "/api/v1/settings", r.token, "")
	status, tag := put(header.Get("ETag"), `{"two_persons": true}`)
	assert.Equal(t, 200, status)
	assert.NotEmpty(t, tag)
	status, _ = put(`"1"`, `{"two_persons": false}`)
	assert.Equal(t, 412, status, "that is what they were before")
	status, _ = put(tag, `{"two_persons": false}`)
	assert.Equal(t, 200, status)
}

// A token for some systems opens the lines and probes of these, and no others.
func TestABoundTokenSeesItsLines(t *testing.T) {
	r := start(t)
	made, err := r.service.Tokens.Create(
		ctx,
		operator.Service,
		answer.TokenChange{Name: "lines", Role: "viewer", Systems: []string{"archive"}},
	)
	require.NoError(t, err)
	for path, want := range map[string]int{
		"/systems/archive/lines": 200, "/systems/core-net/lines": 403, "/chart": 403, "/findings": 403, "/rule-test?filter=active+eq+true": 403,
		"/probe?user=ilse.okonjo&system=archive&right=frames:read&object=/": 200,
		"/probe?user=ilse.okonjo&system=core-net&right=ssh&object=dome":     403,
		"/groups/cindervale/night-crew/opens":                               403,
	} {
		status, _, body := r.call(t, http.MethodGet, "/api/v1"+path, made.Token, "")
		assert.Equal(t, want, status, "%s: %s", path, body)
	}
}

// Files of the console come compressed to those who take them so.
func TestTheConsoleComesCompressed(t *testing.T) {
	r := start(t)
	request, err := http.NewRequest(http.MethodGet, r.URL+"/", nil)
	require.NoError(t, err)
	request.Header.Set("Accept-Encoding", "gzip")
	response, err := http.DefaultTransport.RoundTrip(request)
	require.NoError(t, err)
	defer response.Body.Close()
	assert.Equal(t, "gzip", response.Header.Get("Content-Encoding"))
}
