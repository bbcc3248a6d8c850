package stage

import (
	"strings"

	"gatemap/mapfile"
)

// naming are the keys under which documents name users, groups and devices, by kind.
var naming = map[string][]string{"user": {"users"}, "group": {"groups", "device_groups"}, "device": {"devices"}}

// Rewriting is a reference in a file that is written otherwise.
type Rewriting struct {
	File, Kind, From, To string
}

// Rewrite writes references to users, groups and devices otherwise, wherever the files name
// them: to says how, for a reference of a kind that is read in a directory, or in a line
// where home is "". All references are read before any is written, so that names can be
// swapped. Files that stay as they are are the same.
func Rewrite(
	files []mapfile.File,
	to func(kind, ref, home string) (string, bool),
) ([]mapfile.File, []Rewriting, error) {
	var all []Rewriting
	out := append([]mapfile.File(nil), files...)
	for i, f := range files {
		t, err := mapfile.OpenText(f)
		if err != nil {
			return nil, nil, err
		}
		type place struct {
			at    mapfile.Spot
			write string
		}
		var places []place
		for kind, keys := range naming {
			for _, key := range keys {
				t.Named(key, func(in, document string, at mapfile.Spot, named string) {
					home := ""
					if in == "directory" {
						home = document
					}
					if write, ok := to(kind, named, home); ok && write != named {
						places = append(places, place{at, write})
						all = append(all, Rewriting{f.Path, kind, named, write})
					}
				})
			}
		}
		for _, p := range places {
			if t, err = t.Replace(p.at, mapfile.TextValue(p.write)); err != nil {
				return nil, nil, err
			}
		}
		if places != nil {
			out[i] = t.File
		}
	}
	return out, all, nil
}

// Mentions says whether a file may name one of some names, whatever their case.
func Mentions(f mapfile.File, folded map[string]bool) bool {
	content := strings.ToLower(string(f.Content))
	for n := range folded {
		if strings.Contains(content, n) {
			return true
		}
	}
	return false
}
