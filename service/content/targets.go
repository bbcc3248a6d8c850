package content

import (
	"fmt"
	"strings"

	"gatemap/connect"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// Unasked are what the service changes elsewhere without being asked each time: the systems that are
// delivered to at every commit, what of directories is written, and what new accounts there are to be:
// how, where there is more to say than that.
func Unasked(f *Folder) map[string]string {
	all := map[string]string{}
	for _, s := range f.Written.Map.Systems {
		if s.Link != nil && s.Link.Deliver == gate.OnCommit {
			all["the system "+strings.ToLower(s.Name)] = ""
		}
	}
	for _, d := range f.Written.Map.Directories {
		if d.Source == nil {
			continue
		}
		for _, w := range d.Source.Write {
			all[fmt.Sprintf("%s of the directory %s", w, strings.ToLower(d.Name))] = ""
		}
		if a := d.Source.Accounts; a != nil {
			all["new accounts of the directory "+strings.ToLower(d.Name)] = fmt.Sprint(
				a.Where.Value, "\n", a.Name.Value, "\n", a.Numbers, "\n", a.Attributes, "\n", a.Entry, "\n", a.Password)
		}
	}
	return all
}

// Targets are what the sources of directories, the links of systems and the receivers of notices
// connect to and read on the host, by what and whose they are.
func Targets(f *Folder) map[string]string {
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
	for _, d := range f.Written.Map.Notices {
		all["receiver "+name.Fold(d.Name)] = strings.Join(connect.NotifierOf(d).Targets(), "\n")
	}
	return all
}
