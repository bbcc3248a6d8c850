package gate_test

import (
	"maps"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

// ByGroup is a map from groups to values.
func TestByGroupIsAMap(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		groups := rapid.IntRange(1, 300).Draw(t, "groups")
		values := rapid.MapOf(
			rapid.Map(rapid.IntRange(0, groups-1), func(g int) directory.GroupID { return directory.GroupID(g) }),
			rapid.IntRange(1, 9)).Draw(t, "values")
		n := gate.NewByGroup(groups, values)
		for g := range directory.GroupID(groups) {
			assert.Equal(t, values[g], n.Of(g))
		}
		assert.Equal(t, values, maps.Collect(n.All()))
	})
	var none gate.ByGroup[string]
	assert.Empty(t, none.Of(7), "the zero value has none")
}
