package atlas

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
)

func sorted(systems []*gate.System, errs *place.Errors) []*gate.System {
	list := slices.Clone(systems)
	slices.SortStableFunc(
		list,
		func(x, y *gate.System) int { return strings.Compare(name.Fold(x.Name), name.Fold(y.Name)) },
	)
	var kept []*gate.System
	for i, s := range list {
		switch {
		case s.Name == "" || strings.Contains(s.Name, "/"):
			errs.Addf(s.Place, "a system's name is not empty and has no slash in it")
		case i > 0 && name.Equal(list[i-1].Name, s.Name):
			errs.Addf(s.Place, "system %s is in the map twice; it is also at %s", s.Name, list[i-1].Place)
		default:
			kept = append(kept, s)
		}
	}
	return kept
}

// DirectoryNames and SystemNames yield the names of all directories and
// systems.
func (a *Atlas) DirectoryNames(yield func(string) bool) {
	for _, d := range a.Book.Directories() {
		if !yield(d.Name) {
			return
		}
	}
}

func (a *Atlas) SystemNames(yield func(string) bool) {
	for _, s := range a.Systems {
		if !yield(s.Name()) {
			return
		}
	}
}

func (a *Atlas) hasDirectory(written string) bool {
	for d := range a.DirectoryNames {
		if name.Equal(d, written) {
			return true
		}
	}
	return false
}

// System finds a system by name; the error is a *directory.NotFoundError.
func (a *Atlas) System(written string) (*System, error) {
	for _, s := range a.Systems {
		if name.Equal(s.Name(), written) {
			return s, nil
		}
	}
	return nil, &directory.NotFoundError{Kind: "system", Name: written, Near: name.Near(written, a.SystemNames)}
}
