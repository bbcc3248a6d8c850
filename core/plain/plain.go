// Package plain answers from the documents of a map by the words of
// docs/model.md, line by line and with no index: what tests and benchmarks hold
// the engine against. It shares nothing with it but the documents, and tells
// states alone. It is for whole maps without lost names.
package plain

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/gate"
	"gatemap/core/gate/firewall"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
)

// World is a map with its names looked up.
type World struct {
	m       *atlas.Map
	users   index[*User]
	all     []*User
	groups  index[*group]
	parents map[*group][]*group
	systems map[string]*system
	texts   map[string][]string // by attributes: what all users have of them
}

// User is a user with the groups that hold the user directly.
type User struct {
	*directory.User
	home   string
	direct []*group
}

type group struct {
	*directory.Group
	home string
}

// New looks the names of a map up.
func New(m *atlas.Map) *World {
	w := &World{m: m, parents: map[*group][]*group{}, systems: map[string]*system{}, texts: map[string][]string{}}
	w.users, w.groups = newIndex[*User](w), newIndex[*group](w)
	var groups []*group
	for _, d := range m.Directories {
		for _, u := range d.Users {
			x := &User{User: u, home: d.Name}
			w.all = append(w.all, x)
			w.users.add(d.Name, u.Name, u.DN, x)
		}
		for _, g := range d.Groups {
			x := &group{g, d.Name}
			groups = append(groups, x)
			w.groups.add(d.Name, g.Name, g.DN, x)
		}
	}
	for _, g := range groups {
		w.enrol(g)
	}
	for _, u := range w.all {
		if u.PrimaryGroup.Name == "" {
			continue
		}
		if g := w.groups.find(u.PrimaryGroup.Name, u.home); g != nil && (g.MembersFrom != "own" || u.home == g.home) {
			u.direct = append(u.direct, g)
		}
	}
	w.texts = nil
	for _, s := range m.Systems {
		x := &system{System: s, world: w, said: map[[3]string]bool{}}
		if d, ok := s.Gate.(*firewall.Document); ok {
			x.wall = x.read(d)
		}
		w.systems[name.Fold(s.Name)] = x
	}
	return w
}

// Users lists all users, and FullName gives the name by which others know one.
func (w *World) Users() []*User { return w.all }

// User finds a user by full name; nil if there is none.
func (w *World) User(full string) *User { return w.users.full[name.Fold(full)] }

// FullName is the user's name with that of the directory.
func (u *User) FullName() string { return u.home + "/" + u.Name }

func (w *World) enrol(g *group) {
	if g.Rule != nil {
		// Those with the same values of what the rule reads are asked once.
		said := map[string]bool{}
		values := w.values(slices.Compact(slices.Sorted(g.Rule.Filter.Reads())))
		for i, u := range w.all {
			is, known := said[values[i]]
			if !known {
				is = g.Rule.Filter.Match(record{u})
				said[values[i]] = is
			}
			if is && (g.MembersFrom != "own" || u.home == g.home) {
				u.direct = append(u.direct, g)
			}
		}
	}
	if g.Members == nil {
		return
	}
	person := func(r name.Ref) bool {
		u := w.users.find(r.Name, g.home)
		if u != nil && (g.MembersFrom != "own" || u.home == g.home) {
			u.direct = append(u.direct, g)
		}
		return u != nil
	}
	nested := func(r name.Ref) {
		if inner := w.groups.find(r.Name, g.home); inner != nil && holds(g, inner) {
			w.parents[inner] = append(w.parents[inner], g)
		}
	}
	for _, r := range g.Members.Users {
		person(r)
	}
	for _, r := range g.Members.Groups {
		nested(r)
	}
	for _, r := range g.Members.Any {
		if !person(r) {
			nested(r)
		}
	}
}

// values are the values of attributes of all users, as text.
func (w *World) values(attributes []string) []string {
	key := strings.Join(attributes, " ")
	if known, ok := w.texts[key]; ok {
		return known
	}
	texts := make([]string, len(w.all))
	for i, u := range w.all {
		for _, a := range attributes {
			texts[i] += fmt.Sprintf("%q", record{u}.Values(a))
		}
	}
	w.texts[key] = texts
	return texts
}

// holds says whether the reach of two groups lets one hold the other (section
// 3).
func holds(outer, inner *group) bool {
	width := map[directory.UsableIn]int{"host": 0, "own": 1, "any": 2, "": 2}
	same := outer.home == inner.home
	return inner.Kind != "mail" && inner.UsableIn != "host" && width[inner.UsableIn] >= width[outer.UsableIn] &&
		(outer.UsableIn != "own" || inner.UsableIn != "own" || same) &&
		(outer.MembersFrom != "own" || inner.MembersFrom == "own" && same)
}

// record is a user as a filter sees it; no attribute is declared exact.
type record struct{ *User }

func (r record) Exact(string) bool { return false }
func (r record) Values(attribute string) []filter.Value {
	switch attribute {
	case "USERNAME":
		return []filter.Value{{Text: r.Name}}
	case "ACTIVE":
		text := "true"
		if !r.IsActive() {
			text = "false"
		}
		return []filter.Value{{Kind: filter.Bool, Text: text}}
	}
	return r.Attributes.Get(attribute)
}

// groupsOf are all groups of a user, at whatever level: breadth first.
func (w *World) groupsOf(u *User) map[*group]bool {
	in := map[*group]bool{}
	queue := append([]*group(nil), u.direct...)
	for len(queue) > 0 {
		g := queue[0]
		queue = queue[1:]
		if !in[g] {
			in[g] = true
			queue = append(queue, w.parents[g]...)
		}
	}
	return in
}

// Groups are the full names of all groups of a user.
func (w *World) Groups(u *User) []string {
	var names []string
	for g := range w.groupsOf(u) {
		names = append(names, g.home+"/"+g.Name)
	}
	return names
}

// system is a system with what questions about it need.
type system struct {
	*gate.System
	world *World
	lines map[*licences.Product][]*User // for seats
	wall  *wall
	said  map[[3]string]bool
}

// asked is a user with all groups, in a situation.
type asked struct {
	*User
	in   map[*group]bool
	sit  *sit
	mine map[any][]int // of lists of lines: those that were found to be for the user
}

// counts says whether a group carries access in a system.
func (s *system) counts(g *group) bool {
	switch {
	case g == nil || g.Kind == "mail":
		return false
	case g.UsableIn == "host":
		return name.Equal(g.Host, s.Name)
	case g.UsableIn == "own":
		return s.Directory.Name != "" && name.Equal(s.Directory.Name, g.home)
	}
	return true
}

// has says whether a line is for a user.
func (s *system) has(q *asked, who *gate.Who) bool {
	return !who.Off && s.names(q, who) && !s.excepted(q, who.Except)
}

// once remembers what follows from the document alone.
func (s *system) once(what, of, at string, work func() bool) bool {
	key := [3]string{what, of, at}
	said, known := s.said[key]
	if !known {
		said = work()
		s.said[key] = said
	}
	return said
}

// mine walks a list of lines for those that are for the user, once.
func mine[T any](s *system, q *asked, lines []T, who func(*T) *gate.Who) []int {
	if len(lines) == 0 {
		return nil
	}
	found, walked := q.mine[&lines[0]]
	if !walked {
		for i := range lines {
			if s.has(q, who(&lines[i])) {
				found = append(found, i)
			}
		}
		q.mine[&lines[0]] = found
	}
	return found
}
