package change

import (
	"gatemap/core/atlas"
	"gatemap/core/directory"
)

// Amended compiles a map that differs from the one that an atlas was made of in
// the records of some users alone, by the same names, and works out again only
// what these can touch. The error is as that of atlas.Compile.
func Amended(before *atlas.Atlas, m *atlas.Map, records map[directory.UserID]*directory.User) (*atlas.Atlas, error) {
	book, ok := before.Book.With(directory.Edit{Users: records})
	if !ok {
		return atlas.Compile(m)
	}
	return before.With(book, nil, m.Guarantees)
}
