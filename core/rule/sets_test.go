package rule

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A set has what was put into it, in order, and two joined have what either has.
func TestLineSets(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		numbers := rapid.SliceOf(rapid.OneOf(rapid.Uint32Range(0, 200), rapid.Uint32Range(0, 5000)))
		set := func(name string) (s LineSet, sorted []uint32) {
			list := numbers.Draw(t, name)
			for _, n := range list {
				s.put(n)
			}
			slices.Sort(list)
			return s, slices.Compact(list)
		}
		x, inX := set("x")
		y, inY := set("y")
		require.ElementsMatch(t, inX, slices.Collect(x.All()))
		require.Equal(t, len(inX) == 0, x.Empty())
		if len(inX) > 0 {
			require.Equal(t, inX[0], x.first())
		}
		common := slices.DeleteFunc(slices.Clone(inX), func(n uint32) bool { return !slices.Contains(inY, n) })
		require.Equal(t, len(common) > 0, x.Shares(y))
		require.Equal(t, slices.Equal(inX, inY), x.Same(y))
		held := make(Held, 5001/64+1)
		held.Join(x)
		require.Equal(t, slices.Collect(x.All()), slices.Collect(held.All()))
		before := held.before(&Question{})
		for at, n := range inX {
			require.Equal(t, at, held.rank(before, n))
		}
		require.Equal(t, len(common) > 0, held.Meets(y))
		require.ElementsMatch(t, common, slices.Collect(held.Among(y)))
		held.Narrow(y, held)
		require.ElementsMatch(t, inX, slices.Collect(held.All()))
		held.Narrow(y, make(Held, len(held)))
		without := slices.DeleteFunc(slices.Clone(inX), func(n uint32) bool { return slices.Contains(inY, n) })
		require.ElementsMatch(t, without, slices.Collect(held.All()))

		both := x
		both.Join(y)
		want := slices.Concat(inX, inY)
		slices.Sort(want)
		want = slices.Compact(want)
		require.ElementsMatch(t, want, slices.Collect(both.All()))
		require.True(t, slices.IsSorted(slices.Collect(both.All())))
		require.ElementsMatch(t, inX, slices.Collect(x.All()), "joining leaves what was copied as it is")
		n := rapid.Uint32Range(0, 5000).Draw(t, "n")
		require.Equal(t, slices.Contains(want, n), both.Includes(n))
	})
}
