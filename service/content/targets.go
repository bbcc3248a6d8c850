package content

import (
	"strings"

	"gatemap/connect"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// OnCommit are the folded names of the systems that are delivered to at every commit.
func (f *Folder) OnCommit() map[string]bool {
	all := map[string]bool{}
	for _, s := range f.Written.Map.Systems {
		if s.Link != nil && s.Link.Deliver == gate.OnCommit {
			all[name.Fold(s.Name)] = true
		}
	}
	return all
}

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
