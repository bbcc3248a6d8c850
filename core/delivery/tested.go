package delivery

import (
	"slices"
	"strings"

	"gatemap/core/rule"
)

// tested asks of each who may be given something whether they hold it, where that does not follow
// from the lines alone, and notes who is in which group.
func (m *computing) tested() {
	for _, list := range m.at {
		slices.SortStableFunc(list, func(a, b candidate) int { return a.Compare(b.Permission) })
	}
	for _, u := range rule.Candidates(m.book, m.ask.System().Site.Index.All()) {
		s := m.ask.About(u)
		if !m.ask.Able() {
			delete(m.at, whom{user: true, id: u})
			continue
		}
		var held []rule.Entitlement
		asked := false
		test := func(list []candidate) {
			for i := range list {
				x := &list[i]
				if x.sure {
					continue
				}
				if !asked {
					held, asked = m.ask.Holds(), true
				}
				x.look(held)
			}
		}
		for _, g := range s.Groups() {
			if list, named := m.at[whom{group: g}]; named {
				m.members[g] = append(m.members[g], u)
				test(list)
			}
		}
		test(m.at[whom{user: true, id: u}])
	}
}

// below leaves out what a system would let come down to something below an object on which not all
// who are named hold it: what is granted on a table counts for its columns, and what is granted on a
// path for all that lies in it.
func (m *computing) below(list []candidate) {
	held := map[Permission]bool{}
	for i := range list {
		x := &list[i]
		held[x.Permission] = m.kept(x) == ""
	}
	for i := range list {
		x := &list[i]
		if !held[x.Permission] {
			continue
		}
		objects := m.listed[x.Right]
		under := x.Object
		if !strings.HasSuffix(under, "/") {
			under += "/"
		}
		from, _ := slices.BinarySearch(objects, under)
		for _, d := range objects[from:] {
			if !strings.HasPrefix(d, under) {
				break
			}
			if d != x.Object && !held[Permission{d, x.Right}] {
				x.under = true
				break
			}
		}
	}
}

// look notes whether someone who holds a list of things, by object and right, holds this.
func (x *candidate) look(held []rule.Entitlement) {
	i, found := slices.BinarySearchFunc(held, x.Permission, func(e rule.Entitlement, p Permission) int {
		return Permission{e.Object, e.Right}.Compare(p)
	})
	x.looked = true
	switch {
	case !found:
		x.fails++
	case held[i].State != rule.Open:
		x.depends = true
	}
}
