// Package atlas compiles a whole map once into an immutable atlas, and answers
// from it: what a user holds, why, why not, and who holds what. An atlas is
// never changed; a changed map is compiled into a new one.
package atlas

import (
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/notice"
	"gatemap/core/parallel"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Map is everything that is known, as it was written or brought in.
type Map struct {
	Title       string
	Zone        *time.Location // nil: UTC
	Networks    []situation.Network
	Windows     []situation.Window
	Directories []*directory.Document
	Systems     []*gate.System
	Guarantees  []*Guarantee
	Notices     []*notice.Document // who is told of what must not wait
}

// Atlas is a compiled map.
type Atlas struct {
	Title   string
	Book    *directory.Book
	Frame   *situation.Frame
	Systems []*System // by name
	// Guarantees are what the map promises, in the order of writing.
	Guarantees []*Promise
	touch      *touch
}

// System is one compiled system.
type System struct {
	Document *gate.System
	Gate     gate.Gate
	Site     *gate.Site // what compiling it brought to light
	front    []front
	requires []string  // folded
	looks    []*System // the system and all that it needs answers from
	number   int       // among the systems of the atlas
	quiet    bool      // users whom no line names hold nothing
}

// Looks are the system and all that it needs answers from.
func (s *System) Looks() []*System { return s.looks }

// Name is the name of the system.
func (s *System) Name() string { return s.Document.Name }

// Compile makes an atlas. The error, if any, joins a *place.Error for each
// thing that keeps the map from loading.
func Compile(m *Map) (*Atlas, error) {
	var errs place.Errors
	zone := m.Zone
	if zone == nil {
		zone = time.UTC
	}
	a := &Atlas{
		Title: m.Title,
		Frame: &situation.Frame{Zone: zone, Networks: m.Networks, Windows: m.Windows},
		Book:  directory.Build(m.Directories, &errs),
	}
	list := sorted(m.Systems, &errs)
	a.Systems = make([]*System, len(list))
	parallel.For(len(list), 1, func(from, to int) {
		for i := from; i < to; i++ {
			a.Systems[i] = a.compile(list[i], list)
		}
	})
	for _, s := range a.Systems {
		errs.Join(s.Site.Errors)
		s.Site.Errors = &errs
	}
	for i, s := range a.Systems {
		s.number = i
	}
	if err := a.finish(m.Guarantees, &errs, func(*System) bool { return true }); err != nil {
		return nil, err
	}
	return a, nil
}

func (a *Atlas) compile(d *gate.System, all []*gate.System) *System {
	site := &gate.Site{System: d, Book: a.Book, Frame: a.Frame, Errors: &place.Errors{}, Systems: all, Gate: a.gateOf}
	if d.Directory.Name != "" && !a.hasDirectory(d.Directory.Name) {
		site.Missing("directory", d.Directory, name.Near(d.Directory.Name, a.DirectoryNames), site.Line("directory", d.Place))
	}
	s := &System{Document: d, Site: site, Gate: d.Gate.Compile(site)}
	for _, attribute := range d.Requires {
		s.requires = append(s.requires, name.Fold(attribute))
	}
	return s
}

// gateOf finds the gate of a system.
func (a *Atlas) gateOf(system string) (gate.Gate, bool) {
	s, err := a.System(system)
	if err != nil {
		return nil, false
	}
	return s.Gate, true
}
