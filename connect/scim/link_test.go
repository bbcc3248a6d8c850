package scim_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/connect"
	"gatemap/connect/scim"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// observed reads a stand-in for a system of roles.
func observed(t require.TestingT, s *standIn, change func(*scim.Link)) (*reading.Reading, error) {
	server := httptest.NewServer(s)
	defer server.Close()
	l := &scim.Link{
		Address: place.Text{Value: server.URL + "/v2/"},
		Secret:  &connect.Secret{Env: "GATEMAP_SECRET_TOOLS"},
		Object:  "/",
	}
	if change != nil {
		change(l)
	}
	like := &roles.Document{
		Rights: []place.Text{{Value: "frames:read"}, {Value: "frames:purge"}},
		Roles:  map[string]*roles.Role{"Keeper": {Rights: []gate.Pattern{{Text: place.Text{Value: "frames:*"}}}}},
	}
	return connect.Observe(
		context.Background(),
		&gate.System{
			Name: "tools",
			Type: name.Ref{Name: "roles"},
			Gate: like,
			Link: &gate.Link{Connection: directory.Connection{Document: l}},
		},
		connect.Host{},
		func(int) {},
	)
}

// Whatever the habits of a service provider, the reading is what it holds.
func TestEveryHabitGivesTheSameReading(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	rapid.Check(t, func(t *rapid.T) {
		s := &standIn{
			most: rapid.IntRange(0, 5).
				Draw(t, "most"),
			silent: rapid.Bool().
				Draw(t, "silent"),
			apart: rapid.Bool().Draw(t, "apart"), busy: rapid.SampledFrom([]int{0, 0, 2, 3}).Draw(t, "busy"),
		}
		if s.silent {
			s.most = 0 // without a total, a page that is not full is the last
		}
		n := rapid.IntRange(0, 20).Draw(t, "users")
		var want []reading.Account
		for i := range n {
			active := rapid.SampledFrom([]any{nil, true, false, "True", "false"}).Draw(t, "active")
			s.user(fmt.Sprint("u", i), fmt.Sprintf("p%02d", i), "active", active)
			want = append(want, reading.Account{Name: fmt.Sprintf("p%02d", i), Active: active != false && active != "false"})
		}
		groups := map[string][]string{}
		for i := range rapid.IntRange(0, 7).Draw(t, "groups") {
			var ids, names []string
			for j := range n {
				if rapid.Bool().Draw(t, "in") {
					ids, names = append(ids, fmt.Sprint("u", j)), append(names, fmt.Sprintf("p%02d", j))
				}
			}
			s.group(fmt.Sprint("g", i), fmt.Sprintf("crew%d", i), ids...)
			groups[fmt.Sprintf("crew%d", i)] = names
		}
		r, err := observed(t, s, func(l *scim.Link) { l.Page = rapid.IntRange(1, 7).Draw(t, "page") })
		require.NoError(t, err)
		assert.Equal(t, want, r.Accounts)
		require.Len(t, r.Groups, len(groups))
		for _, g := range r.Groups {
			assert.Equal(t, groups[g.Name], g.Accounts, g.Name)
		}
		assert.Empty(t, r.Unseen)
	})
}

// A server that fails in the middle is asked again, with a pause.
func TestAFailureInTheMiddle(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	s := &standIn{most: 2}
	for i := range 5 {
		s.user(fmt.Sprint(i), fmt.Sprint("p", i))
	}
	s.changing = func(n int, s *standIn) {
		if s.status = 0; n == 2 {
			s.status = http.StatusBadGateway
		}
	}
	r, err := observed(t, s, nil)
	require.NoError(t, err)
	assert.Len(t, r.Accounts, 5)
}

// Values are rights, roles of the map, or products; of accounts and of groups.
func TestValuesAreWhatTheMapCallsThem(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	s := &standIn{}
	s.user(
		"1",
		"ilse",
		"roles",
		[]any{map[string]any{"value": "Keeper", "primary": true}, map[string]any{"value": "Keeper"}},
		"entitlements",
		"READ",
	)
	s.user("2", "tor", "roles", map[string]any{"value": "odd one"})
	s.group("3", "crew", "1", "gone")["roles"] = []any{"frames:purge"}
	s.group("4", "all", "3", "2")
	r, err := observed(t, s, func(l *scim.Link) { l.Words = map[string]string{"READ": "frames:read"} })
	require.NoError(t, err)
	assert.Equal(t, []string{"members of groups whom it does not show: 1"}, r.Unseen)
	assert.Equal(t, []reading.Beyond{{What: "value", Text: "tor: / odd one"}}, r.Beyond)
	assert.Equal(
		t,
		[]reading.Group{
			{Name: "crew", Accounts: []string{"ilse"}},
			{Name: "all", Accounts: []string{"tor"}, Groups: []string{"crew"}},
		},
		r.Groups,
	)
	var mappings []string
	for _, m := range r.Document.(*roles.Document).Mappings {
		mappings = append(mappings, fmt.Sprintf("%v %v %s", names(m.Users), names(m.Groups), m.Role.Name))
	}
	assert.ElementsMatch(t, []string{"[ilse] [] Keeper", "[ilse] [] frames:read", "[] [crew] frames:purge"}, mappings)

	server := httptest.NewServer(
		&standIn{users: []map[string]any{{"id": "1", "userName": "ilse", "entitlements": []any{"suite", "suite/viewer"}}}},
	)
	defer server.Close()
	l := &scim.Link{
		Address:   place.Text{Value: server.URL + "/v2"},
		Secret:    &connect.Secret{Env: "GATEMAP_SECRET_TOOLS"},
		Separator: "/",
	}
	like := &licences.Document{
		Products: []licences.Product{
			{Name: place.Text{Value: "suite"}, Features: []licences.Feature{{Name: "viewer"}, {Name: "writer"}}},
		},
	}
	r, err = connect.Observe(
		t.Context(),
		&gate.System{
			Name: "tools",
			Type: name.Ref{Name: "licences"},
			Gate: like,
			Link: &gate.Link{Connection: directory.Connection{Document: l}},
		},
		connect.Host{},
		func(int) {},
	)
	require.NoError(t, err)
	assert.Len(t, r.Document.(*licences.Document).Mappings, 2, "the whole product is each of its features")
}

func names(refs []name.Ref) []string {
	list := []string{}
	for _, r := range refs {
		list = append(list, r.Name)
	}
	return list
}

// What changes while it is read is read anew, and is an error where that goes on.
func TestWhatChangesWhileItIsRead(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	s := &standIn{most: 2}
	for i := range 5 {
		s.user(fmt.Sprint(i), fmt.Sprint("p", i))
	}
	s.changing = func(n int, s *standIn) {
		if n == 2 {
			s.users = s.users[1:]
		}
	}
	r, err := observed(t, s, nil)
	require.NoError(t, err)
	assert.Len(t, r.Accounts, 4)
	s.changing = func(n int, s *standIn) { s.user(fmt.Sprint("new", n), fmt.Sprint("new", n)) }
	_, err = observed(t, s, nil)
	assert.ErrorContains(t, err, "it changes while it is read")
}

// Each failure says what to do, and none of them is a reading.
func TestFailuresOfAServiceProvider(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	t.Setenv("GATEMAP_SECRET_OTHER", "wrong")
	for want, x := range map[string]struct {
		s      *standIn
		change func(*scim.Link)
	}{
		"it does not take the token (401)":                         {&standIn{}, func(l *scim.Link) { l.Secret.Env = "GATEMAP_SECRET_OTHER" }},
		"the token may not read /Users (403)":                      {&standIn{status: 403}, nil},
		"it answers 404 to /Users":                                 {&standIn{status: 404}, nil},
		"not now":                                                  {&standIn{status: 410}, nil},
		"GATEMAP_SECRET_NONE, which is to hold the secret, is not": {&standIn{}, func(l *scim.Link) { l.Secret.Env = "GATEMAP_SECRET_NONE" }},
		"is no address of a service provider":                      {&standIn{}, func(l *scim.Link) { l.Address.Value = "tools" }},
		"the token would go there in the clear":                    {&standIn{}, func(l *scim.Link) { l.Address.Value = "http://tools.cindervale.example/v2" }},
		"one of its users has no id or no name":                    {&standIn{users: []map[string]any{{"id": "1"}}}, nil},
		`active is "maybe"`:                                        {&standIn{users: []map[string]any{{"id": "1", "userName": "a", "active": "maybe"}}}, nil},
		"the user a and the group b have the id 1":                 {&standIn{users: []map[string]any{{"id": "1", "userName": "a"}}, groups: []map[string]any{{"id": "1", "displayName": "b", "members": []any{}}}}, nil},
		"it did not answer within 150ms":                           {&standIn{status: 503}, func(l *scim.Link) { l.Timeout = directory.Span{Duration: 150 * time.Millisecond} }},
	} {
		_, err := observed(t, x.s, x.change)
		assert.ErrorContains(t, err, want)
	}
	for address, want := range map[string]string{"scim://x@h/v2": "a token is never in the map", "scim://h/v2?key=1": "key=1 says nothing"} {
		at, err := url.Parse(address)
		require.NoError(t, err)
		_, err = scim.Connector.Address(at)
		assert.ErrorContains(t, err, want)
	}
}
