package content

import (
	"strings"

	"gatemap/connect"
	"gatemap/core/name"
)

// Targets are what the sources of directories and the links of systems connect to and read on the
// host, by what and whose they are.
func (f *Folder) Targets() map[string]string {
	all := map[string]string{}
	for _, d := range f.Written.Map.Directories {
		if from := connect.Of(d.Source); from != nil {
			if t := from.Targets(); t != nil {
				all["directory "+name.Fold(d.Name)] = strings.Join(t, "\n")
			}
		}
	}
	for _, s := range f.Written.Map.Systems {
		if link := connect.LinkOf(s); link != nil {
			all["system "+name.Fold(s.Name)] = strings.Join(link.Targets(), "\n")
		}
	}
	return all
}
