package account_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/account"
	"gatemap/core/directory"
	"gatemap/core/name"
)

const branches = "ou={addresses.locality},ou=people,dc=cindervale,dc=example"

func person(t require.TestingT, attributes ...string) *directory.User {
	u := &directory.User{Name: "E1"}
	for i := 0; i < len(attributes); i += 2 {
		require.NoError(t, u.Attributes.Set(attributes[i], attributes[i+1]))
	}
	return u
}

func TestPlaces(t *testing.T) {
	for locality, want := range map[string]string{
		"Summit": "ou=Summit,ou=people,dc=cindervale,dc=example", "Base, east": `ou=Base\, east,ou=people,dc=cindervale,dc=example`, " ": "",
	} {
		dn, lacks := account.Place(branches, person(t, "addresses.locality", locality))
		assert.Equal(t, want, dn)
		assert.Equal(t, want == "", lacks == "addresses.locality")
	}
	for dn, can := range map[string]bool{
		"ou=Summit,ou=people,dc=cindervale,dc=example": true, `OU=Base\, east, ou=People,dc=cindervale,dc=example`: true,
		"ou=people,dc=cindervale,dc=example": false, "ou=admins,dc=cindervale,dc=example": false, "ou=a,ou=b,ou=people,dc=cindervale,dc=example": false,
		"ou=a,cn=xou=people,dc=cindervale,dc=example": false, "nonsense": false,
	} {
		assert.Equal(t, can, account.Movable(branches, dn), dn)
	}
	assert.False(t, account.Movable("ou=people,dc=cindervale,dc=example", "ou=other,dc=cindervale,dc=example"))
}

func TestNames(t *testing.T) {
	taken := map[string]bool{"noor.haddix": true, "noor.haddix2": true, "wolfeschlegelsteinha": true}
	for _, x := range []struct{ given, family, want, namesake string }{
		{"Ilse", "Okonjo", "ilse.okonjo", ""},
		{"Jürgen", "Weiß", "jurgen.weiss", ""},
		{"Żaneta", "Ó Dálaigh", "zaneta.o-dalaigh", ""},
		{"Ольга", "Д'Арк", "olga.dark", ""},
		{"Noor", "Haddix", "noor.haddix3", "noor.haddix"},
		{"-", "Haddix", "", ""},
	} {
		named, namesake, lacks := account.Name(
			"{name.givenName}.{name.familyName}",
			person(t, "name.givenName", x.given, "name.familyName", x.family),
			20,
			func(n string) bool { return taken[n] },
		)
		assert.Equal(t, x.want, named)
		assert.Equal(t, x.namesake, namesake)
		assert.Equal(t, x.want == "", lacks == "name.givenName", lacks)
	}
	named, namesake, _ := account.Name(
		"{name.familyName}",
		person(t, "name.familyName", "Wolfeschlegelsteinhausen"),
		20,
		func(n string) bool { return taken[n] },
	)
	assert.Equal(t, "wolfeschlegelsteinh2", named)
	assert.Equal(t, "wolfeschlegelsteinha", namesake)
}

// A name is nobody else's, no longer than it may be, and in letters that every system takes.
func TestANameIsFree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		given, family := rapid.String().Draw(t, "given"), rapid.String().Draw(t, "family")
		longest := rapid.IntRange(4, 32).Draw(t, "longest")
		taken := map[string]bool{}
		for range rapid.IntRange(1, 12).Draw(t, "people") {
			named, _, lacks := account.Name(
				"{name.givenName}.{name.familyName}",
				person(t, "name.givenName", given, "name.familyName", family),
				longest,
				func(n string) bool { return taken[n] },
			)
			if lacks != "" {
				assert.Empty(t, account.Plain(map[string]string{"name.givenName": given, "name.familyName": family}[lacks]))
				return
			}
			require.NoError(t, name.Check(named))
			require.Regexp(t, `^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$`, named)
			require.LessOrEqual(t, len(named), longest)
			require.False(t, taken[named])
			taken[named] = true
		}
	})
}

func TestNumbers(t *testing.T) {
	var of directory.Numbers
	require.NoError(t, of.UnmarshalText([]byte("20000-20003")))
	accounts := []*directory.User{
		person(t, "uidNumber", "500"),
		person(t, "uidNumber", "20001"),
		person(t),
		person(t, "uidNumber", "30000"),
	}
	c := account.NewCounter(of, accounts)
	for _, want := range []uint32{20002, 20003} {
		n, ok := c.Next()
		assert.True(t, ok)
		assert.Equal(t, want, n)
	}
	_, ok := c.Next()
	assert.False(t, ok)
	for _, wrong := range []string{"", "5", "9-3", "0-4", "a-b", "1-99999999999"} {
		assert.Error(t, of.UnmarshalText([]byte(wrong)), wrong)
	}
	_, ok = account.NewCounter(directory.Numbers{}, accounts).Next()
	assert.False(t, ok, "no range")
}
