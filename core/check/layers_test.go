package check_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
)

// found are the messages of one code that is found in a map.
func found(t *testing.T, m *atlas.Map, code finding.Code) (messages []string) {
	t.Helper()
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	for _, f := range check.Findings(a) {
		if f.Code == code {
			messages = append(messages, f.Message)
		}
	}
	return messages
}

func TestLayering(t *testing.T) {
	thing := func(name string, users, groups []string) *directory.Group {
		return &directory.Group{
			Name:     name,
			UsableIn: "own",
			Members:  &directory.Members{Users: nametest.Refs(users...), Groups: nametest.Refs(groups...)},
		}
	}
	crew := &directory.Group{Name: "crew", MembersFrom: "own", Members: &directory.Members{Users: nametest.Refs("ilse")}}
	doors := func(groups ...string) *gate.System {
		d := &hosts.Document{Hosts: map[string][]place.Text{"domes": {{Value: "dome1"}}}}
		for _, g := range groups {
			d.Login = append(d.Login, hosts.Login{Who: gate.Who{Groups: nametest.Refs(g)}, Hosts: nametest.Refs("domes")})
		}
		return &gate.System{Name: "doors", Directory: nametest.Refs("d")[0], Gate: d}
	}
	for name, x := range map[string]struct {
		groups []*directory.Group
		lines  []string
		want   []string
	}{
		"groups that collect": {[]*directory.Group{crew, thing("dome", nil, []string{"crew"})}, []string{"dome"}, nil},
		"people beside groups": {[]*directory.Group{crew, thing("dome", []string{"ilse"}, []string{"crew"})}, []string{"dome"},
			[]string{"Group d/dome collects people through other groups, but lists some itself: d/ilse."}},
		"people only, where others collect": {[]*directory.Group{crew, thing("dome", nil, []string{"crew"}), thing("vault", []string{"ilse"}, nil)}, []string{"dome"},
			[]string{"Group d/vault is for things of its directory, as others are that collect groups, but lists people only: d/ilse."}},
		"people only, where none collects": {[]*directory.Group{crew, thing("vault", []string{"ilse"}, nil)}, []string{"crew", "vault"}, nil},
		"no group for the thing": {[]*directory.Group{crew, thing("dome", nil, []string{"crew"})}, []string{"dome", "crew"},
			[]string{"Line doors/login 2 names the group d/crew, which is for what people are; other lines of doors name groups for the thing."}},
		"no groups for things at all": {[]*directory.Group{crew}, []string{"crew"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			m := &atlas.Map{
				Directories: []*directory.Document{{Name: "d", Users: []*directory.User{{Name: "ilse"}}, Groups: x.groups}},
				Systems:     []*gate.System{doors(x.lines...)},
			}
			assert.Equal(t, x.want, found(t, m, finding.Layering))
		})
	}
}

func TestLoneAttributes(t *testing.T) {
	d := &directory.Document{Name: "d"}
	for i := range 8 {
		u := &directory.User{Name: fmt.Sprintf("p%d", i)}
		require.NoError(t, u.Attributes.Set("title", "Observer"))
		d.Users = append(d.Users, u)
	}
	assert.Empty(t, found(t, &atlas.Map{Directories: []*directory.Document{d}}, finding.LoneAttribute))
	require.NoError(t, d.Users[3].Attributes.Set("titel", "Observer"))
	require.NoError(t, d.Users[4].Attributes.Set("parkingSpace", "12"))
	assert.Equal(
		t,
		[]string{"Only d/p3 has the attribute titel; did you mean title?"},
		found(t, &atlas.Map{Directories: []*directory.Document{d}}, finding.LoneAttribute),
	)
}
