package plain_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/plain"
	"gatemap/core/situation"
)

// References as directories and people write them: full and bare names, names with a slash
// in quotes, distinguished names below the bases of a directory, of another one, and of
// several.
var references = []string{
	"ida", "IDA", "d/ida", "e/ida", "ops", "e/ops", `"crew/night"`, `e/"crew/night"`, `d/"on/call"`, `"on/call"`,
	"cn=ida,ou=people,dc=cindervale,dc=example", "CN=Ida, OU=people,dc=cindervale,dc=example", "cn=ida,ou=people,dc=ridge,dc=example",
	"cn=ops,ou=groups,dc=cindervale,dc=example", "cn=ops,ou=groups,dc=ridge,dc=example", "cn=gone,dc=ridge,dc=example", "nobody",
}

func drawReferences(t *rapid.T) *atlas.Map {
	m := &atlas.Map{}
	for _, home := range []string{"d", "e"} {
		d := &directory.Document{Name: home}
		suffix := rapid.SampledFrom([]string{"cindervale", "ridge"}).Draw(t, "suffix")
		dn := func(at, own string) string {
			if rapid.IntRange(0, 2).Draw(t, "a distinguished name") == 0 {
				return ""
			}
			return fmt.Sprintf("cn=%s,ou=%s,dc=%s,dc=example", own, at, suffix)
		}
		switch rapid.IntRange(0, 2).Draw(t, "source") {
		case 0:
			d.Source = &directory.Source{}
		case 1:
			d.Source = &directory.Source{Users: &directory.UserTable{}}
			d.Source.Users.Base = []directory.Base{{}}
			d.Source.Users.Base[0].Value = "ou=people,dc=" + rapid.SampledFrom([]string{"cindervale", "ridge"}).
				Draw(t, "base") +
				",dc=example"
		}
		for _, n := range []string{"ida", "on/call"} {
			d.Users = append(d.Users, &directory.User{Name: n, DN: dn("people", name.Fold(n))})
		}
		for _, n := range []string{"ops", "crew/night", "site"} {
			members := rapid.SliceOfN(rapid.SampledFrom(references), 0, 4).Draw(t, "members of "+n)
			g := &directory.Group{Name: n, DN: dn("groups", name.Fold(n)), Members: &directory.Members{}}
			switch rapid.IntRange(0, 2).Draw(t, "said what they are") {
			case 0:
				g.Members.Users = nametest.Refs(members...)
			case 1:
				g.Members.Groups = nametest.Refs(members...)
			default:
				g.Members.Any = nametest.Refs(members...)
			}
			d.Groups = append(d.Groups, g)
		}
		m.Directories = append(m.Directories, d)
	}
	return m
}

var nothing situation.Situation

// doors is a system of one host, into which whom a line names may log in.
func doors(written string) *gate.System {
	return &gate.System{Name: "doors", Gate: &hosts.Document{
		Hosts: map[string][]place.Text{"domes": {{Value: "dome1"}}},
		Login: []hosts.Login{
			{Who: gate.Who{Users: nametest.Refs(written)}, Hosts: nametest.Refs("domes")},
			{Who: gate.Who{Groups: nametest.Refs(written)}, Hosts: nametest.Refs("domes")},
		},
	}}
}

// However members are named, the engine and the plain reading find the same, in the records
// of directories and in lines.
func TestReferencesLeadToTheSame(t *testing.T) {
	members := 0
	rapid.Check(t, func(t *rapid.T) {
		m := drawReferences(t)
		written := rapid.SampledFrom(references).Draw(t, "in a line")
		m.Systems = []*gate.System{doors(written)}
		a, err := atlas.Compile(m)
		require.NoError(t, err)
		facts, err := a.Facts(nothing)
		require.NoError(t, err)
		w := plain.New(m)
		for u := range a.Book.AllUsers {
			person := w.User(a.Book.UserName(u))
			var groups []string
			for _, g := range a.Book.Subject(u).Groups() {
				groups = append(groups, a.Book.GroupName(g))
			}
			members += len(groups)
			require.ElementsMatch(t, w.Groups(person), groups, "%s", a.Book.UserName(u))
			require.Len(
				t,
				a.Reach(u, facts, nil),
				len(w.Reach(w.Ask(person, nothing), "doors")),
				"%s: %s",
				a.Book.UserName(u),
				written,
			)
		}
	})
	require.NotZero(t, members)
}
