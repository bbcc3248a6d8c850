package mapfile

import (
	"reflect"
	"slices"
	"strings"

	"gatemap/core/gate"
)

// anyItem stands in a path of lists for the name of any item.
const anyItem = "*"

// LineLists gives the lists of a gate type's document that hold lines
// (docs/model.md section 1): those whose items say whom they are for, or for whom they
// do not hold. A list further down is a path such as "shares > * > door".
func LineLists(t gate.Type) []string {
	var paths []string
	for _, steps := range lineLists(reflect.TypeOf(t.New()).Elem(), nil) {
		paths = append(paths, strings.Join(steps, " > "))
	}
	return paths
}

// HoldsLines says whether a list of a gate type's document, by its path, holds lines.
func HoldsLines(t gate.Type, list []string) bool {
	return slices.ContainsFunc(lineLists(reflect.TypeOf(t.New()).Elem(), nil), func(path []string) bool {
		return slices.EqualFunc(path, list, func(step, written string) bool { return step == anyItem || step == written })
	})
}

func lineLists(t reflect.Type, under []string) [][]string {
	var found [][]string
	for _, f := range fieldsOf(t) {
		if f.place || f.rest {
			continue
		}
		at := append(slices.Clone(under), f.key)
		switch inner := dereference(f.typ); {
		case inner.Kind() == reflect.Struct:
			found = append(found, lineLists(inner, at)...)
		case inner.Kind() != reflect.Slice || dereference(inner.Elem()).Kind() != reflect.Struct:
		case isLine(dereference(inner.Elem())):
			found = append(found, at)
		default:
			found = append(found, lineLists(dereference(inner.Elem()), append(at, anyItem))...)
		}
	}
	return found
}

// isLine says whether a struct, or one right in it, has exceptions: only what says whom
// it is for has.
func isLine(t reflect.Type) bool {
	return slices.ContainsFunc(fieldsOf(t), func(f field) bool {
		if f.place {
			return false
		}
		inner := dereference(f.typ)
		return f.key == "except" || inner.Kind() == reflect.Struct && inner != t && isLine(inner)
	})
}

func dereference(t reflect.Type) reflect.Type {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	return t
}
