package directory

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Lists that are turned around have every link once, the other way round and in order,
// however many others there are.
func TestListsTurnedAround(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 3<<stretchBits).Draw(t, "others")
		lists := rapid.SliceOfN(rapid.SliceOfN(rapid.Custom(func(t *rapid.T) link {
			id := rapid.OneOf(rapid.IntRange(0, n-1), rapid.SampledFrom([]int{0, n - 1, min(n-1, 1<<stretchBits)})).Draw(t, "id")
			return newLink(uint32(id), way(rapid.IntRange(0, 2).Draw(t, "way")))
		}), 0, 6), 1, 40).Draw(t, "lists")
		from := gather(lists)
		want := make([][]link, n)
		for i, list := range lists {
			for _, x := range list {
				want[x.id()] = append(want[x.id()], newLink(uint32(i), way(x&3)))
			}
		}
		got := turned(&from, n)
		total := 0
		for id, list := range want {
			if !assert.ObjectsAreEqual(append([]link{}, list...), append([]link{}, got.at(uint32(id))...)) {
				t.Fatalf("of %d: got %v, want %v", id, got.at(uint32(id)), list)
			}
			total += len(list)
		}
		if len(got.all) != total {
			t.Fatalf("%d links, want %d", len(got.all), total)
		}
	})
}
