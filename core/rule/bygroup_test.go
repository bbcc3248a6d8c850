package rule_test

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/rule"
)

// ByGroup is a map from groups to values.
func TestByGroupIsAMap(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		groups := rapid.IntRange(1, 300).Draw(t, "groups")
		values := rapid.MapOf(
			rapid.Map(rapid.IntRange(0, groups-1), func(g int) directory.GroupID { return directory.GroupID(g) }),
			rapid.IntRange(1, 9)).Draw(t, "values")
		n := rule.NewByGroup(groups, values)
		assert.Equal(t, values, maps.Collect(n.All()))
		var some []directory.GroupID
		var want []int
		for g := range directory.GroupID(groups) {
			if rapid.Bool().Draw(t, "some") {
				some = append(some, g)
				if v, ok := values[g]; ok {
					want = append(want, v)
				}
			}
		}
		assert.Equal(t, want, slices.Collect(n.Among(some)))
	})
	var none rule.ByGroup[string]
	assert.Empty(t, slices.Collect(none.Among([]directory.GroupID{7})), "the zero value has none")
}
