package content

import (
	"gatemap/connect"
	"gatemap/core/name"
	"strings"
)

// Targets are what the sources of directories connect to and read on the host, by the
// folded names of the directories.
func (f *Folder) Targets() map[string]string {
	all := map[string]string{}
	for _, d := range f.Written.Map.Directories {
		if from := connect.Of(d.Source); from != nil {
			if t := from.Targets(); t != nil {
				all[name.Fold(d.Name)] = strings.Join(t, "\n")
			}
		}
	}
	return all
}
