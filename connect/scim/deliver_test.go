package scim_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/connect"
	"gatemap/connect/scim"
	"gatemap/core/atlas"
	"gatemap/core/delivery"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/types"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/mapfile"
)

// delivering is a map with one system that is delivered to.
type delivering struct {
	t      require.TestingT
	now    *atlas.Atlas
	system *gate.System
	link   *scim.Link
	drift  *reading.Drift
	// strangers asks for what is beside our names to go as well
	strangers bool
}

func deliveringOf(t require.TestingT, address, people, mappings string) *delivering {
	m, err := mapfile.Parse([]mapfile.File{
		{
			Path:    "gatemap.yaml",
			Content: []byte("title: Cindervale Observatory\n"),
		}, {Path: "people.yaml", Content: []byte(people)},
		{
			Path: "tools.yaml",
			Content: []byte(
				"system: tools\ntype: roles\ndirectory: cindervale\nrights: [\"frames:read\", \"frames:purge\"]\nresources: [{path: /}]\nroles: {Keeper: {rights: [\"frames:*\"]}, Reader: {rights: [\"frames:read\"]}}\nmappings: " + mappings + "\n",
			),
		},
	}, types.Table, nil)
	require.NoError(t, err)
	l := &scim.Link{
		Address: place.Text{Value: address + "/v2/"},
		Secret:  &connect.Secret{Env: "GATEMAP_SECRET_TOOLS"},
		Object:  "/",
	}
	m.Systems[0].Link = &gate.Link{
		Connection: directory.Connection{Document: l},
		Names:      gate.Written{Groups: "Tools {name}"},
	}
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	return &delivering{t: t, now: a, system: a.Systems[0].Document, link: l}
}

func (d *delivering) plan(r *reading.Reading) (*delivery.Plan, error) {
	c, err := reading.Compile(r, d.now, d.system)
	require.NoError(d.t, err)
	d.drift, err = reading.Between(c, roles.Type)
	require.NoError(d.t, err)
	w, err := delivery.Compute(c, roles.Type)
	require.NoError(d.t, err)
	w.Strangers = d.strangers
	return d.link.Plan(r, w, connect.Mark{})
}

func (d *delivering) run(t *testing.T) *delivery.Plan {
	r, err := connect.Observe(t.Context(), d.system, connect.Host{}, func(int) {})
	require.NoError(d.t, err)
	p, err := d.plan(r)
	require.NoError(d.t, err)
	return p
}

// Accounts are made, switched on and off, and groups get just those who are in them, whatever the habits of
// the service provider; and a second run has no request.
func TestAServiceProviderIsDeliveredTo(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	rapid.Check(t, func(rt *rapid.T) {
		s := &standIn{
			apart:     rapid.Bool().Draw(rt, "apart"),
			busy:      rapid.SampledFrom([]int{0, 3}).Draw(rt, "busy"),
			wholeOnly: rapid.Bool().Draw(rt, "whole only"),
		}
		const users = 6
		var people strings.Builder
		people.WriteString("directory: cindervale\nusers:\n")
		active := map[string]bool{}
		for i := range users {
			named := fmt.Sprint("p", i)
			active[named] = rapid.Bool().Draw(rt, "active")
			fmt.Fprintf(&people, "  - {userName: %s, active: %t}\n", named, active[named])
			if rapid.Bool().Draw(rt, "there") {
				s.user(fmt.Sprint("id", i), named, "active", rapid.Bool().Draw(rt, "active there"))
			}
		}
		s.user("stranger", "stranger")
		people.WriteString("groups:\n")
		want := map[string][]string{}
		for g := range 3 {
			var in []string
			for i := range users {
				if named := fmt.Sprint("p", i); rapid.Bool().Draw(rt, "in") {
					in = append(in, named)
					if active[named] {
						want[fmt.Sprintf("Tools g%d", g)] = append(want[fmt.Sprintf("Tools g%d", g)], named)
					}
				}
			}
			fmt.Fprintf(&people, "  - {name: g%d, members: {users: [%s]}}\n", g, strings.Join(in, ", "))
			if rapid.Bool().Draw(rt, "group there") {
				members := []string{"stranger"}
				for _, u := range s.users {
					if rapid.Bool().Draw(rt, "member there") {
						members = append(members, u["id"].(string))
					}
				}
				slices.Sort(members)
				s.group(fmt.Sprint("gid", g), fmt.Sprintf("Tools g%d", g), slices.Compact(members)...)["roles"] = []any{
					map[string]any{"value": "Reader"},
				}
			}
		}
		s.group("other", "Others", "stranger")
		server := httptest.NewServer(s)
		defer server.Close()
		d := deliveringOf(rt, server.URL, people.String(), "[{groups: [g0, g1, g2], role: Reader, object: /}]")
		p := d.run(t)
		require.NoError(rt, d.link.Deliver(t.Context(), &connect.Observing{System: d.system}, p, d.plan), "%+v", p.Statements)
		assert.Empty(rt, d.run(t).Statements)
		gave := false
		for _, x := range p.Statements {
			gave = gave || x.Effect == delivery.Gives
			assert.False(rt, gave && x.Effect == delivery.Takes, "it takes away first")
		}
		names := map[string]string{}
		for _, u := range s.users {
			named := u["userName"].(string)
			names[u["id"].(string)] = named
			if is, known := active[named]; known && !is {
				assert.Equal(rt, false, u["active"], named)
			}
		}
		for _, g := range s.groups {
			raw, _ := json.Marshal(g["members"])
			var members []struct{ Value string }
			_ = json.Unmarshal(raw, &members)
			var has []string
			for _, m := range members {
				has = append(has, names[m.Value])
			}
			slices.Sort(has)
			if named := g["displayName"].(string); named != "Others" {
				assert.Equal(rt, want[named], has, named)
			} else {
				assert.Equal(rt, []string{"stranger"}, has, "what is not ours stays")
			}
		}
		for _, x := range d.drift.Items {
			assert.Equal(rt, reading.Short, x.Effect(), "never wider: %+v", x)
			assert.NotEmpty(rt, p.Left, "what the system itself has to give is told: %+v", x)
		}
	})
}

// An account is made with the identifier of whom it is of, and one that is found by its name gets it; then
// it is theirs whatever either is called.
func TestAccountsAreTakenOver(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	s := &standIn{}
	s.user("a", "ada")
	server := httptest.NewServer(s)
	defer server.Close()
	of := func(names ...string) *delivering {
		people := "directory: cindervale\nusers: [{userName: " + names[0] + "}, {userName: " + names[1] + "}]\n" +
			"groups: [{name: g0, members: {users: [" + names[0] + ", " + names[1] + "]}}]\n"
		d := deliveringOf(t, server.URL, people, "[{groups: [g0], role: Reader, object: /}]")
		for i, named := range names {
			u, err := d.now.Book.FindUser(named, "")
			require.NoError(t, err)
			d.now.Book.User(u).ID = fmt.Sprint("record-", i)
		}
		return d
	}
	d := of("ada", "bo")
	p := d.run(t)
	assert.Equal(
		t,
		"cindervale/ada takes the account over that is found by its name: from now on it is theirs by the identifier",
		p.Statements[0].For,
	)
	require.NoError(t, d.link.Deliver(t.Context(), &connect.Observing{System: d.system}, p, d.plan))
	assert.Equal(t, "record-0", s.users[0]["externalId"])
	assert.Equal(t, "record-1", s.users[1]["externalId"])
	assert.Empty(t, d.run(t).Statements)

	d = of("ada.lindqvist", "ada") // one is renamed, and somebody else bears the name now
	s.users = s.users[:1]
	s.groups[0]["members"] = []map[string]any{{"value": "a"}}
	assert.Empty(t, d.run(t).Statements, "who was called so keeps the account, and the other gets none of that name")
	causes := slices.DeleteFunc(
		slices.Clone(d.drift.Causes),
		func(c reading.Cause) bool { return c.Why != reading.NoAccount },
	)
	require.Len(t, causes, 1)
	assert.Equal(t, "cindervale/ada", causes[0].User)
}

// What is beside our names goes only where that is asked for.
func TestStrangersOfAServiceProvider(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	s := &standIn{}
	s.user("a", "ada")
	s.user("v", "vendor")
	s.group("o", "Others", "a", "v")
	server := httptest.NewServer(s)
	defer server.Close()
	d := deliveringOf(t, server.URL, "directory: cindervale\nusers: [{userName: ada}]\n", "[]")
	p := d.run(t)
	assert.Empty(t, p.Statements)
	assert.Equal(
		t,
		[]string{"ada is in Others, which is not ours", "vendor belongs to nobody of the map, and can sign in"},
		p.Stays,
	)
	d.strangers = true
	require.NoError(t, d.link.Deliver(t.Context(), &connect.Observing{System: d.system}, d.run(t), d.plan))
	assert.Equal(t, false, s.users[1]["active"])
	assert.Len(t, s.groups[0]["members"], 1, "the stranger, who is switched off")
	assert.Empty(t, d.run(t).Statements)
}

// A delivery that a failing server cuts off says how far it came, and is finished later.
func TestAServiceProviderFailsInTheMiddle(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	s := &standIn{}
	server := httptest.NewServer(s)
	defer server.Close()
	d := deliveringOf(
		t,
		server.URL,
		"directory: cindervale\nusers: [{userName: ada}, {userName: bo}]\ngroups: [{name: g0, members: {users: [ada, bo]}}]\n",
		"[{groups: [g0], role: Reader, object: /}]",
	)
	p := d.run(t)
	assert.Equal(
		t,
		"POST /Users\n"+`{"active":true,"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"ada"}`,
		p.Statements[0].Text,
	)
	require.Len(t, p.Statements, 5)
	from := s.requests
	s.changing = func(n int, s *standIn) {
		if n == from+7 { // after the lists were read twice, and two requests
			s.status = http.StatusForbidden
		}
	}
	err := d.link.Deliver(t.Context(), &connect.Observing{System: d.system}, p, d.plan)
	assert.ErrorContains(t, err, "2 of 5 statements were made")
	s.status, s.changing = 0, nil
	made, err := d.link.Finish(t.Context(), &connect.Observing{System: d.system}, p, d.plan)
	require.NoError(t, err)
	assert.True(t, made)
	assert.Len(t, s.users, 2)
	assert.Equal(t, "Tools g0", s.groups[0]["displayName"])
	assert.Empty(t, d.run(t).Statements)
}
