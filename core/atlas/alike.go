package atlas

import (
	"slices"

	"gatemap/core/directory"
)

// Alike sorts some users so that those who come together are answered alike, but
// for the paths, by one system of an atlas and by one of another atlas of the
// same users.
func Alike(a *Atlas, in *System, b *Atlas, other *System, users []directory.UserID) [][]directory.UserID {
	was, is := a.lookout(in, nil, false), b.lookout(other, nil, false)
	sorting := was.sorted()
	defer sorting.Drop()
	is.sort(sorting)
	if a.Book != b.Book || !slices.Equal(was.attributes, is.attributes) {
		sorting.Further(b.Book, is.attributes)
	}
	_, of := sorting.Firsts()
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
