package ldap

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTrees(t *testing.T) {
	contexts := []string{"DC=cindervale,DC=example", "CN=Configuration,DC=cindervale,DC=example", "DC=ridge,DC=example"}
	below := func(bases ...string) (list []search) {
		for _, base := range bases {
			var s search
			s.base.Value = base
			list = append(list, s)
		}
		return list
	}
	list, whole := trees(
		contexts,
		below(
			"OU=people, dc=cindervale,DC=example",
			"OU=groups,DC=cindervale,DC=example",
			"cn=sites,CN=configuration,DC=cindervale,DC=example",
		),
	)
	assert.True(t, whole)
	assert.Equal(t, contexts[:2], list)
	_, whole = trees(contexts, below("OU=people,DC=cindervale,DC=example", "DC=elsewhere,DC=example"))
	assert.False(t, whole, "what was deleted there would not be told")
}

func TestFiltersThatChangeWithoutANumber(t *testing.T) {
	for filter, is := range map[string]bool{
		"(memberOf=CN=crew,DC=cindervale,DC=example)":                        true,
		"(&(objectClass=user)(memberof:1.2.840.113556.1.4.1941:=CN=x,DC=y))": true,
		"(objectClass=user)": false,
		"(&(objectCategory=person)(title=member of the board))": false,
	} {
		assert.Equal(t, is, computed.MatchString(filter), filter)
	}
}
