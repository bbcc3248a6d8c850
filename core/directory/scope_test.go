package directory_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

func anyOf(list ...string) *directory.Members {
	m := &directory.Members{}
	for _, n := range list {
		m.Any = append(m.Any, name.Ref{Name: n})
	}
	return m
}

// Two directories with one suffix do not touch each other; members from another domain are
// found there; and what nobody knows is told, and is nobody.
func TestDistinguishedNamesStayInTheirDirectory(t *testing.T) {
	user := func(n, dn string) *directory.User { return &directory.User{Name: n, DN: dn} }
	for _, declared := range []bool{false, true} {
		source := func(base string) *directory.Source {
			if !declared {
				return &directory.Source{}
			}
			b := []directory.Base{{Text: place.Text{Value: base}}}
			return &directory.Source{
				Users:  &directory.UserTable{Pick: directory.Pick{Base: b}},
				Groups: &directory.GroupTable{Pick: directory.Pick{Base: b}},
			}
		}
		var errs place.Errors
		b := directory.Build([]*directory.Document{
			{
				Name:   "ridge",
				Source: source("dc=x"),
				Users:  []*directory.User{user("ilse", "uid=ilse,ou=p,dc=x"), user("teo", "uid=teo,ou=q,dc=x")},
				Groups: []*directory.Group{
					{
						Name: "crew",
						DN:   "cn=crew,dc=x",
						Members: anyOf(
							"uid=ilse,ou=p,dc=x",
							"UID=rana, ou=p,dc=x",
							"uid=far,dc=y",
							"cn=S-1-5-21,dc=z",
							"uid=teo,ou=q,dc=x",
						),
					},
				},
			},
			{
				Name:   "valley",
				Source: source("dc=x"),
				Users: []*directory.User{
					user("ilse", "uid=ilse,ou=p,dc=x"),
					user("rana", "uid=rana,ou=p,dc=x"),
					user("bo", "uid=bo,ou=z,dc=x"),
				},
				Groups: []*directory.Group{
					{Name: "crew", DN: "cn=crew,dc=x", Members: anyOf("uid=ilse,ou=p,dc=x", "uid=teo,ou=q,dc=x")},
				},
			},
			{
				Name:   "far",
				Source: source("dc=y"),
				Users:  []*directory.User{user("far", "uid=far,dc=y"), user("farther", "uid=farther,dc=y")},
			},
		}, &errs)
		require.NoError(t, errs.Err())
		members := func(group string) (all []string) {
			g, err := b.FindGroup(group, "")
			require.NoError(t, err)
			for _, m := range b.Members(g) {
				all = append(all, b.UserName(m.User))
			}
			return all
		}
		assert.Equal(t, []string{"far/far", "ridge/ilse", "ridge/teo"}, members("ridge/crew"))
		assert.Equal(t, []string{"valley/ilse"}, members("valley/crew"))
		var told []string
		for _, f := range b.Findings() {
			told = append(told, string(f.Code)+" "+f.Names[0])
		}
		assert.ElementsMatch(
			t,
			[]string{"unknown-name UID=rana, ou=p,dc=x", "foreign-account cn=S-1-5-21,dc=z", "unknown-name uid=teo,ou=q,dc=x"},
			told,
		)

		// In a line all directories are meant, and which one is said where there are several.
		_, err := b.FindUser("uid=ilse,ou=p,dc=x", "")
		assert.ErrorContains(t, err, "ambiguous")
		u, err := b.FindUser("valley/UID=ilse,ou=p,dc=x", "")
		require.NoError(t, err)
		assert.Equal(t, "valley/ilse", b.UserName(u))
		u, err = b.FindUser("uid=rana,ou=p,dc=x", "")
		require.NoError(t, err)
		assert.Equal(t, "valley/rana", b.UserName(u))
		g, err := b.FindGroup("ridge/cn=crew,dc=x", "")
		require.NoError(t, err)
		assert.Equal(t, "ridge/crew", b.GroupName(g))
	}
}
