package directory_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/directory"
)

// Those among some groups are the members of each of them, however many groups are below.
func TestAmongGroupsAreTheMembersOfEach(t *testing.T) {
	for _, few := range []int{1, 3, 16} {
		before := directory.FewGroups(few)
		rapid.Check(t, func(t *rapid.T) {
			b := build(t, observatory(t))
			groups := rapid.SliceOfN(rapid.SampledFrom(slices.Collect(b.AllGroups)), 0, 4).Draw(t, "groups")
			listed := rapid.SliceOfN(rapid.SampledFrom(b.Everyone()), 0, 2).Draw(t, "users")
			want := slices.Clone(listed)
			for _, g := range groups {
				for _, m := range b.Members(g) {
					want = append(want, m.User)
				}
			}
			slices.Sort(want)
			want = slices.Compact(want)
			require.ElementsMatch(t, want, b.Among(groups, listed))
			require.ElementsMatch(t, want, slices.Compact(slices.Sorted(b.Below(groups, listed))))
		})
		directory.FewGroups(before)
	}
}

func TestAttributeUses(t *testing.T) {
	b := build(t, &directory.Document{Name: "d", Users: []*directory.User{
		user("ada", "title", "Observer", "addresses.locality", "Summit"),
		user("bo", "Title", "Keeper", "badge", "7"),
		user("cy", "addresses.locality", "Ridge", "addresses.country", "CV"),
	}})
	type use struct {
		name  string
		users int
		first string
	}
	var got []use
	for _, x := range b.AttributeUses() {
		got = append(got, use{x.Name, x.Users, b.UserName(x.First)})
	}
	want := []use{
		{"addresses.country", 1, "d/cy"}, {"addresses.locality", 2, "d/ada"}, {"badge", 1, "d/bo"}, {"title", 2, "d/ada"},
	}
	assert.Equal(t, want, got)
}
