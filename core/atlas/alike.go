package atlas

import (
	"slices"

	"gatemap/core/directory"
)

// Alike sorts some users so that those who come together are answered alike, but
// for the paths, by one system of an atlas and by one of another atlas of the
// same users.
func Alike(a *Atlas, in *System, b *Atlas, other *System, users []directory.UserID) [][]directory.UserID {
	was, is := a.dependencies(in, nil, false), b.dependencies(other, nil, false)
	partition := was.partition()
	defer partition.Drop()
	is.sort(partition)
	if a.Book != b.Book || !slices.Equal(was.attributes, is.attributes) {
		partition.Further(b.Book, is.attributes)
	}
	_, of := partition.Firsts()
	var sets [][]directory.UserID
	places := map[uint32]int{}
	for _, u := range users {
		at, known := places[of[u]]
		if !known {
			at = len(sets)
			places[of[u]] = at
			sets = append(sets, nil)
		}
		sets[at] = append(sets[at], u)
	}
	return sets
}
