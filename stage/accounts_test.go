package stage_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/mapfile"
	"gatemap/stage"
)

const below = "ou=people,dc=cindervale,dc=example"

// served is a base with a directory that a server has, of which accounts are written.
func served(t *testing.T, write string) stage.Base {
	t.Helper()
	files := []mapfile.File{
		{Path: "gatemap.yaml", Content: []byte("title: Dome\n")},
		{Path: "served.yaml", Content: []byte(`directory: served
source:
  ldap: {servers: ["ldap://127.0.0.1:1"], bind: "cn=gatemap,dc=cindervale,dc=example", secret: {env: GATEMAP_SECRET_TEST}}
  write: ` + write + `
  users: {filter: (objectClass=inetOrgPerson), name: uid}
  groups: {filter: (objectClass=groupOfNames), name: cn, members: [member]}
`)},
	}
	m, err := mapfile.Parse(files, types.Table, connectors.Kinds())
	require.NoError(t, err)
	r := connect.Records{
		Users: []*directory.User{
			{Name: "ilse", DN: "uid=ilse,ou=Base," + below},
			{Name: "teo", DN: "uid=teo,ou=Base," + below},
		},
		Groups: []*directory.Group{
			{
				Name: "crew",
				Members: &directory.Members{
					Any: []name.Ref{{Name: "UID=Ilse, ou=Base," + below}, {Name: "uid=teo,ou=Base," + below}},
				},
			},
			{Name: "other", Members: &directory.Members{Any: []name.Ref{{Name: "uid=teo,ou=Base," + below}}}},
		},
	}
	m.Directories[0].Users, m.Directories[0].Groups = r.Users, r.Groups
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	return stage.Base{Files: files, Map: m, Book: a.Book, Records: map[string]connect.Records{"served": r}}
}

func applied(t *testing.T, b stage.Base, changes ...string) (*stage.Draft, []stage.Change, error) {
	t.Helper()
	list := make([]stage.Change, len(changes))
	for i, text := range changes {
		require.NoError(t, json.Unmarshal([]byte(text), &list[i]))
	}
	d := stage.NewDraft(b)
	return d, list, d.ApplyAll(list)
}

func members(d *stage.Draft, group int) (all []string) {
	for _, ref := range d.Records["served"].Groups[group].Members.Any {
		all = append(all, ref.Name)
	}
	return all
}

// Accounts of a server are made where they are to stand, moved with what groups list, and switched.
func TestAccountsOfAServer(t *testing.T) {
	d, list, err := applied(t, served(t, "[members, users]"),
		`{"do":"create-user","user":"SERVED/noor, jr","to":"ou=Summit,`+below+`","value":{"title":"Cook"}}`,
		`{"do":"join","group":"crew","member":"served/noor, jr"}`,
		`{"do":"move-user","user":"ilse","to":"ou=Summit,`+below+`"}`,
		`{"do":"switch-user","user":"teo","value":"off"}`)
	require.NoError(t, err)
	users := d.Records["served"].Users
	require.Len(t, users, 3)
	assert.Equal(t, `uid=noor\, jr,ou=Summit,`+below, users[2].DN)
	assert.Equal(t, "Cook", users[2].Attributes.First("title"))
	assert.Equal(t, "uid=ilse,ou=Summit,"+below, users[0].DN)
	assert.False(t, users[1].IsActive())
	assert.Equal(
		t,
		[]string{"uid=ilse,ou=Summit," + below, "uid=teo,ou=Base," + below, `uid=noor\, jr,ou=Summit,` + below},
		members(d, 0),
	)
	assert.Equal(t, []string{"uid=teo,ou=Base," + below}, members(d, 1))
	assert.Equal(t, `Creates the user served/noor, jr below ou=Summit,`+below+` with {title: Cook}.`, list[0].Sentence())
	assert.Equal(t, "Moves served/ilse below ou=Summit,"+below+" (was ou=Base,"+below+").", list[2].Sentence())
	assert.Equal(t, "Switches the account served/teo off.", list[3].Sentence())

	_, _, err = applied(
		t,
		stage.Base{
			Files:   d.Files,
			Map:     served(t, "[members, users]").Map,
			Book:    served(t, "[members, users]").Book,
			Records: d.Records,
		},
		mustJSON(t, list[2]),
	)
	var moved *stage.Error
	require.ErrorAs(t, err, &moved)
	assert.True(t, moved.Moved, "it stands elsewhere now")
}

func mustJSON(t *testing.T, c stage.Change) string {
	t.Helper()
	raw, err := json.Marshal(c)
	require.NoError(t, err)
	return string(raw)
}

func TestAccountsThatCannotBe(t *testing.T) {
	for change, says := range map[string]string{
		`{"do":"create-user","user":"served/ilse","to":"ou=Summit,` + below + `"}`:                              "there is a user served/ilse already",
		`{"do":"create-user","user":"served/noor"}`:                                                             "to is the distinguished name",
		`{"do":"create-user","user":"served/noor","to":"Summit"}`:                                               `not "Summit"`,
		`{"do":"create-user","user":"served/noor","to":"ou=Summit,` + below + `","value":["Cook"]}`:             "a set of attributes",
		`{"do":"create-user","user":"served/noor","to":"ou=Summit,` + below + `","value":{"active":"perhaps"}}`: "active is true or false",
		`{"do":"create-user","user":"serves/noor","to":"ou=Summit,` + below + `"}`:                              "serves",
		`{"do":"move-user","user":"served/ilse","to":"OU=base,` + below + `"}`:                                  "stands below",
		`{"do":"move-user","user":"served/ilse","to":"Summit"}`:                                                 `not "Summit"`,
		`{"do":"switch-user","user":"served/ilse","value":"on"}`:                                                "is on already",
		`{"do":"switch-user","user":"served/ilse","value":"perhaps"}`:                                           "on or off",
		`{"do":"move-user","user":"served/noor","to":"ou=Base,` + below + `"}`:                                  "noor",
	} {
		_, _, err := applied(t, served(t, "[members, users]"), change)
		assert.ErrorContains(t, err, says, change)
	}
	_, _, err := applied(t, served(t, "[members]"), `{"do":"create-user","user":"served/noor","to":"ou=Summit,`+below+`"}`)
	assert.ErrorContains(t, err, "does not say write: users")
}
