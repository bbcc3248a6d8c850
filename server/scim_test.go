package server_test

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/operator"
	"gatemap/server"
	"gatemap/service/content"
	"gatemap/workspace"
)

// club is a service to which one directory is pushed.
type club struct {
	t          *testing.T
	url, token string
	service    *workspace.Service
}

// startClub starts a service to which a club is pushed; scim is how, unless it is {}.
func startClub(t *testing.T, scim ...string) *club {
	t.Helper()
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	s, err := workspace.Open(t.Context(), t.TempDir(), log, workspace.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	folder, err := content.ReadFS(fstest.MapFS{
		"gatemap.yaml": {Data: []byte("title: Cindervale\n")},
		"club.yaml": {Data: []byte(`
directory: club
source: {scim: ` + cmp.Or(strings.Join(scim, ""), "{}") + `}
groups:
  - {name: optics, rule: 'department eq "Optics" and active eq true'}
---
system: archive
type: roles
rights: [frames:read]
resources: [{path: /}]
roles: {reader: {rights: [frames:read]}}
mappings:
  - {groups: [optics], role: reader, object: /}
`)},
	})
	require.NoError(t, err)
	_, err = s.Folders.Commit(t.Context(), folder, "test", "test")
	require.NoError(t, err)
	token, err := s.Tokens.CreatePush(t.Context(), operator.Service, "club")
	require.NoError(t, err)
	own := server.New(s, fstest.MapFS{}, "test", log)
	srv := httptest.NewServer(own.Handler())
	own.Address = srv.URL
	t.Cleanup(srv.Close)
	return &club{t, srv.URL + "/scim/v2", token, s}
}

// got is an answer.
type got struct {
	status int
	header http.Header
	body   map[string]any
}

func (g got) id() string { s, _ := g.body["id"].(string); return s }

// at is the value at a path of keys and indices.
func (g got) at(path ...any) any {
	var v any = g.body
	for _, p := range path {
		switch x := v.(type) {
		case map[string]any:
			v = x[fmt.Sprint(p)]
		case []any:
			i, _ := p.(int)
			if i >= len(x) {
				return nil
			}
			v = x[i]
		default:
			return nil
		}
	}
	return v
}

func (c *club) call(method, path, body string, headers ...string) got {
	c.t.Helper()
	request, err := http.NewRequest(method, c.url+path, strings.NewReader(body))
	require.NoError(c.t, err)
	request.Header.Set("Authorization", "Bearer "+c.token)
	request.Header.Set("Content-Type", "application/scim+json")
	for i := 0; i+1 < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(c.t, err)
	defer response.Body.Close()
	raw, err := io.ReadAll(response.Body)
	require.NoError(c.t, err)
	g := got{status: response.StatusCode, header: response.Header}
	if len(raw) > 0 {
		require.NoError(c.t, json.Unmarshal(raw, &g.body), "%s", raw)
	}
	return g
}

func user(name string, more string) string {
	return `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"` + name + `"` + more + `}`
}

func (c *club) user(name, more string) got {
	c.t.Helper()
	g := c.call("POST", "/Users", user(name, more))
	require.Equal(c.t, 201, g.status, "%v", g.body)
	return g
}

func (c *club) group(name string, members ...string) got {
	c.t.Helper()
	list := make([]string, len(members))
	for i, m := range members {
		list[i] = `{"value":"` + m + `"}`
	}
	g := c.call(
		"POST",
		"/Groups",
		`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"`+name+`","members":[`+strings.Join(
			list,
			",",
		)+`]}`,
	)
	require.Equal(c.t, 201, g.status, "%v", g.body)
	return g
}

// patch applies operations, each written as JSON.
func (c *club) patch(path string, operations ...string) got {
	c.t.Helper()
	return c.call(
		"PATCH",
		path,
		`{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[`+strings.Join(operations, ",")+`]}`,
	)
}

// names lists what a search finds.
func (c *club) names(path string) []string {
	c.t.Helper()
	g := c.call("GET", path, "")
	require.Equal(c.t, 200, g.status, "%s: %v", path, g.body)
	list, _ := g.body["Resources"].([]any)
	names := []string{}
	for _, r := range list {
		x := r.(map[string]any)
		if n, ok := x["userName"].(string); ok {
			names = append(names, n)
		} else if n, ok := x["displayName"].(string); ok {
			names = append(names, n)
		}
	}
	return names
}

// refused checks that an answer is an error as section 3.12 has it.
func refused(t *testing.T, g got, status int, typ string) {
	t.Helper()
	assert.Equal(t, status, g.status, "%v", g.body)
	assert.Equal(t, "application/scim+json", g.header.Get("Content-Type"))
	assert.Equal(t, []any{"urn:ietf:params:scim:api:messages:2.0:Error"}, g.body["schemas"])
	assert.Equal(t, fmt.Sprint(status), g.body["status"])
	assert.NotEmpty(t, g.body["detail"])
	if typ != "" {
		assert.Equal(t, typ, g.body["scimType"])
	}
}

// requirement is something that RFC 7644 asks for, with how it is tried.
type requirement struct {
	section, text string
	try           func(t *testing.T, c *club)
}

const enterprise = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"

// esc writes a query for an address.
func esc(s string) string {
	return strings.NewReplacer(" ", "%20", `"`, "%22", "[", "%5B", "]", "%5D", "+", "%2B").Replace(s)
}

// The table of docs/scim.md is what this test tries, with the results.
func TestSCIM(t *testing.T) {
	var table strings.Builder
	table.WriteString("| section | requirement | result |\n|---|---|---|\n")
	for _, r := range requirements() {
		ok := t.Run(r.section+" "+r.text, func(t *testing.T) { r.try(t, startClub(t)) })
		fmt.Fprintf(&table, "| %s | %s | %s |\n", r.section, r.text, map[bool]string{true: "kept", false: "**broken**"}[ok])
	}
	const page, begin, end = "../docs/scim.md", "<!-- the table is written by the test -->\n", "<!-- to here -->\n"
	raw, err := os.ReadFile(page)
	require.NoError(t, err)
	before, rest, ok := strings.Cut(string(raw), begin)
	require.True(t, ok)
	old, after, ok := strings.Cut(rest, end)
	require.True(t, ok)
	if os.Getenv("GATEMAP_WRITE") != "" {
		require.NoError(t, os.WriteFile(page, []byte(before+begin+table.String()+end+after), 0o644))
		return
	}
	assert.Equal(t, table.String(), old, "the table of docs/scim.md is old; write it with GATEMAP_WRITE=1")
}

// What is pushed is in force when the answer comes.
func TestPushesAreInForceAtOnce(t *testing.T) {
	c := startClub(t)
	held := func(name string) int {
		u, err := c.service.Head().Atlas.Book.FindUser(name, "")
		if err != nil {
			return -1
		}
		facts, err := c.service.Head().Atlas.Facts(noFacts)
		require.NoError(t, err)
		return len(c.service.Head().Atlas.Reach(u, facts, nil))
	}
	ida := c.user(
		"ida",
		`,"schemas":["urn:ietf:params:scim:schemas:core:2.0:User","`+enterprise+`"],"`+enterprise+`":{"department":"Optics"},"active":true`,
	)
	assert.Equal(t, 1, held("ida"))
	g := c.patch("/Users/"+ida.id(), `{"op":"replace","path":"`+enterprise+`:department","value":"Domes"}`)
	require.Equal(t, 200, g.status)
	assert.Equal(t, 0, held("ida"))
	g = c.patch("/Users/"+ida.id(), `{"op":"replace","value":{"`+enterprise+`:department":"Optics"}}`)
	require.Equal(t, 200, g.status, "%v", g.body)
	assert.Equal(t, 1, held("ida"))
	crew := c.group("crew", ida.id())
	outer := c.group("outer", crew.id())
	members, err := c.service.Head().Members(t.Context(), "outer")
	require.NoError(t, err)
	require.Len(t, members.Members, 1)
	assert.Equal(t, "nested", members.Members[0].How)
	g = c.patch("/Users/"+ida.id(), `{"op":"replace","path":"userName","value":"ida.brandt"}`)
	require.Equal(t, 200, g.status)
	assert.Equal(t, -1, held("ida"))
	members, err = c.service.Head().Members(t.Context(), "outer")
	require.NoError(t, err)
	assert.Equal(t, "club/ida.brandt", members.Members[0].User, "members are referred to by what does not change")
	groups, _ := c.call("GET", "/Users/"+ida.id(), "").body["groups"].([]any)
	assert.Len(t, groups, 2)
	require.Equal(t, 204, c.call("DELETE", "/Users/"+ida.id(), "").status)
	assert.Empty(t, c.call("GET", "/Groups/"+crew.id(), "").body["members"])
	require.Equal(t, 204, c.call("DELETE", "/Groups/"+outer.id(), "").status)

	// What was pushed is there after a start.
	again := c.user("again", `,"emails":[{"value":"a@club.example","type":"work"}]`)
	revisions, err := c.service.History.List(t.Context(), 1, "")
	require.NoError(t, err)
	assert.Equal(t, "push to club", revisions.Revisions[0].Author)
	assert.NotEmpty(t, again.id())
}

func TestPushTokens(t *testing.T) {
	c := startClub(t)
	old := c.token
	api := strings.TrimSuffix(c.url, "/scim/v2") + "/api/v1/map"
	request, err := http.NewRequest("GET", api, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+old)
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	response.Body.Close()
	assert.Equal(t, 401, response.StatusCode, "the token of a directory opens nothing else")
	c.token, err = c.service.Tokens.CreatePush(t.Context(), operator.Service, "club")
	require.NoError(t, err)
	assert.Equal(t, 200, c.call("GET", "/Users", "").status)
	c.token = old
	refused(t, c.call("GET", "/Users", ""), 401, "")
	_, err = c.service.Tokens.CreatePush(t.Context(), operator.Service, "clab")
	assert.ErrorContains(t, err, "club")
}

// Where a resource is follows from the configured address: what a request says of the host
// is not believed.
func TestLocationsAreOfTheConfiguredAddress(t *testing.T) {
	c := startClub(t)
	request, err := http.NewRequest(
		"POST",
		c.url+"/Users",
		strings.NewReader(`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"ilse"}`),
	)
	require.NoError(t, err)
	request.Host = "evil.example"
	request.Header = http.Header{
		"Authorization":    {"Bearer " + c.token},
		"Content-Type":     {"application/scim+json"},
		"X-Forwarded-Host": {"evil.example"},
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	raw, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	require.Equal(t, 201, response.StatusCode, string(raw))
	assert.True(t, strings.HasPrefix(response.Header.Get("Location"), c.url+"/Users/"), response.Header.Get("Location"))
	assert.NotContains(t, string(raw), "evil")

	bad := c.call("POST", "/Users", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"te\u202eo"}`)
	assert.Equal(t, 400, bad.status, "a name that is not what it looks like")
	assert.Equal(t, "invalidValue", bad.body["scimType"])
}

// Many operations that add to one attribute are one; too many others are refused.
func TestPatchesHaveLimits(t *testing.T) {
	c := startClub(t)
	group := c.call("POST", "/Groups", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"crew"}`)
	user := c.call("POST", "/Users", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"ilse"}`)
	patch := func(n int, operation string) got {
		return c.call(
			"PATCH",
			"/Groups/"+group.id(),
			`{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[`+strings.TrimSuffix(
				strings.Repeat(operation+",", n),
				",",
			)+`]}`,
		)
	}
	add := `{"op":"add","path":"members","value":[{"value":"` + user.id() + `"}]}`
	g := patch(20_000, add)
	require.Equal(t, 200, g.status)
	assert.Len(t, g.body["members"], 1)
	assert.Equal(t, 413, patch(20_001, add).status)
	assert.Equal(t, 413, patch(1001, `{"op":"replace","path":"displayName","value":"crew"}`).status)
	assert.Equal(t, 200, patch(1000, `{"op":"replace","path":"displayName","value":"crew"}`).status)
	assert.Equal(t, 200, patch(1, `{"op":"remove","path":"members","value":[{"value":"`+user.id()+`"}]}`).status)
	assert.Empty(t, c.call("GET", "/Groups/"+group.id(), "").at("members"))
}

// What programs really send is taken as it is meant.
func TestHabitsOfPrograms(t *testing.T) {
	c := startClub(t)
	const user, enterprise = "urn:ietf:params:scim:schemas:core:2.0:User", "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
	boss := c.call("POST", "/Users", `{"schemas":["`+user+`"],"userName":"boss"}`)
	u := c.call(
		"POST",
		"/Users",
		`{"schemas":["`+user+`","`+enterprise+`"],"userName":"ilse","active":false,"`+enterprise+`":{"department":"Optics","employeeNumber":4711,"manager":"`+boss.id()+`"}}`,
	)
	require.Equal(t, 201, u.status, u.body)
	assert.Equal(t, "4711", u.at(enterprise, "employeeNumber"), "a number for text")
	assert.Equal(t, boss.id(), u.at(enterprise, "manager", "value"), "a manager by the identifier alone")
	put := func(body string) got { return c.call("PUT", "/Users/"+u.id(), body) }
	patch := func(at, operations string) got {
		return c.call("PATCH", at, `{"Operations":[`+operations+`]}`) // without schemas
	}
	for name, g := range map[string]got{
		"PUT without active":  put(`{"schemas":["` + user + `","` + enterprise + `"],"userName":"ilse","` + enterprise + `":{"department":"Optics"}}`),
		"PUT with no active":  put(`{"schemas":["` + user + `","` + enterprise + `"],"userName":"ilse","active":null,"` + enterprise + `":{"department":"Optics"}}`),
		"PATCH with no value": patch("/Users/"+u.id(), `{"op":"replace","path":"active","value":null}`),
		"PATCH that removes":  patch("/Users/"+u.id(), `{"op":"remove","path":"active"}`),
	} {
		require.Less(t, g.status, 300, "%s: %v", name, g.body)
		assert.Equal(t, false, c.call("GET", "/Users/"+u.id(), "").body["active"], "%s switches nobody on", name)
	}
	g := patch("/Users/"+u.id(), `{"op":"replace","value":{"`+enterprise+`":{"employeeNumber":"12"}}}`)
	require.Equal(t, 200, g.status, g.body)
	assert.Equal(t, "Optics", g.at(enterprise, "department"), "the extension is merged")
	assert.Equal(t, true, patch("/Users/"+u.id(), `{"op":"replace","path":"active","value":true}`).body["active"])

	group := c.call(
		"POST",
		"/Groups",
		`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"crew","members":[{"value":"`+boss.id()+`"},{"value":"`+u.id()+`"}]}`,
	)
	at := "/Groups/" + group.id()
	assert.Equal(t, 204, patch(at, `{"op":"remove","path":"members","value":[]}`).status)
	assert.Len(t, c.call("GET", at, "").body["members"], 2, "an empty list removes nobody")
	g = patch(
		at,
		`{"op":"remove","path":"members[value eq \"gone\"]"},{"op":"remove","path":"members[value eq \"`+boss.id()+`\"]"}`,
	)
	require.Equal(t, 200, g.status, "one that is gone keeps no other")
	assert.Len(t, g.body["members"], 1)

	assert.Equal(t, 204, patch(at, `{"op":"remove","path":"members[value eq \"gone\"]"}`).status, "nothing is changed")
	for filter, want := range map[string][]string{
		`emails[type eq "work"].value eq "ilse@cindervale.example"`: {"ilse"},
		`emails[type eq "home"].value eq "ilse@cindervale.example"`: {},
		`members.value eq "` + u.id() + `"`:                         {"crew"},
		`members.value eq "` + boss.id() + `"`:                      {},
	} {
		require.Less(
			t,
			patch(
				"/Users/"+u.id(),
				`{"op":"replace","path":"emails","value":[{"type":"work","value":"ilse@cindervale.example"}]}`,
			).status,
			300,
		)
		page := "/Users"
		if strings.HasPrefix(filter, "members") {
			page = "/Groups"
		}
		assert.Equal(t, want, c.names(page+"?filter="+esc(filter)), filter)
	}

	for _, path := range []string{"/Users/", "/Users/" + u.id() + "/", "/ServiceProviderConfig/", "/Users"} {
		assert.Equal(t, 200, c.call("GET", path, "").status, path)
		assert.Equal(t, 200, c.call("HEAD", path, "").status, path)
	}
	assert.NotEmpty(t, c.call("HEAD", "/Users/"+u.id(), "").header.Get("ETag"))
	assert.Equal(t, 201, c.call("POST", "/Users/", `{"schemas":["`+user+`"],"userName":"slash"}`).status)

	with := c.call(
		"POST",
		"/Groups",
		`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"crew/night","description":"Who observes","members":[{"value":"`+u.id()+`"}]}`,
	)
	require.Equal(t, 201, with.status, with.body)
	assert.Equal(t, "Who observes", with.body["description"])
	for _, ref := range []string{"crew/night", `"crew/night"`, "club/crew/night", `club/"crew/night"`} {
		members, err := c.service.Head().Members(t.Context(), ref)
		require.NoError(t, err, ref)
		assert.Len(t, members.Members, 1)
		assert.Equal(t, "club/crew/night", members.Group)
	}

	request, err := http.NewRequest(
		"POST",
		c.url+"/Users",
		strings.NewReader(`{"schemas":["`+user+`"],"userName":"plain"}`),
	)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+c.token)
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	response.Body.Close()
	assert.Equal(t, 201, response.StatusCode, "without a kind of content")
}

// Attributes of extensions that nobody knows are kept under the URN of their schema, or
// ignored, however they are sent; none is refused.
func TestUnknownExtensions(t *testing.T) {
	const user, club = "urn:ietf:params:scim:schemas:core:2.0:User", "urn:example:club:2.0:User"
	for _, keep := range []bool{true, false} {
		c := startClub(t)
		if !keep {
			c = startClub(t, "{extensions: ignore}")
		}
		u := c.call(
			"POST",
			"/Users",
			`{"schemas":["`+user+`"],"userName":"ilse","`+club+`":{"boat":"Skua","keys":["a","b"]},"`+enterprise+`":{"department":"Optics","desk":"4"}}`,
		)
		require.Equal(t, 201, u.status, u.body)
		steps := []struct {
			operation string
			boat      any
			keys      any
			desk      any
		}{
			{"", "Skua", []any{"a", "b"}, "4"},
			{`{"op":"replace","path":"` + club + `:boat","value":"Tern"}`, "Tern", []any{"a", "b"}, "4"},
			{`{"op":"add","path":"` + strings.ToUpper(club) + `:keys","value":["c","a"]}`, "Tern", []any{"a", "b", "c"}, "4"},
			{`{"op":"remove","path":"` + club + `:keys","value":[]}`, "Tern", []any{"a", "b", "c"}, "4"},
			{`{"op":"remove","path":"` + club + `:keys[value eq \"b\"]"}`, "Tern", []any{"a", "c"}, "4"},
			{`{"op":"replace","path":"` + club + `","value":{"boat":"Auk"}}`, "Auk", []any{"a", "c"}, "4"},
			{`{"op":"replace","value":{"` + club + `":{"boat":null},"` + enterprise + `:desk":"5"}}`, nil, []any{"a", "c"}, "5"},
			{`{"op":"remove","path":"` + enterprise + `:desk"}`, nil, []any{"a", "c"}, nil},
			{`{"op":"remove","path":"` + club + `"}`, nil, nil, nil},
			{`{"op":"add","path":"urn:example:other:1.0:User:flag","value":true}`, nil, nil, nil},
		}
		for _, s := range steps {
			if s.operation != "" {
				require.Less(t, c.patch("/Users/"+u.id(), s.operation).status, 300, s.operation)
			}
			g := c.call("GET", "/Users/"+u.id(), "")
			if !keep {
				s.boat, s.keys, s.desk = nil, nil, nil
			}
			assert.Equal(
				t,
				[]any{s.boat, s.keys, s.desk},
				[]any{g.at(club, "boat"), g.at(club, "keys"), g.at(enterprise, "desk")},
				s.operation,
			)
			assert.Equal(t, "Optics", g.at(enterprise, "department"))
		}
	}
}
