// Package nametest writes references for tests.
package nametest

import "gatemap/core/name"

// Refs are references to bare or full names, without a place.
func Refs(names ...string) []name.Ref {
	var list []name.Ref
	for _, n := range names {
		list = append(list, name.Ref{Name: n})
	}
	return list
}
