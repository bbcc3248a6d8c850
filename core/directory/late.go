package directory

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"gatemap/core/finding"
	"gatemap/core/name"
)

// Coming is a group that comes into a directory, given by its place in Directories.
type Coming struct {
	Home  int
	Group *Group
}

// late is what is otherwise where groups came or went since the book was built. Groups
// keep their numbers: one that comes has a number after those of all others, whatever its
// name, and the number of one that goes is not used again.
type late struct {
	built int       // how many there were, numbered in the order of names
	all   []GroupID // those that are there, in the order of names
	order []uint64  // of those that came, as of GroupOrder
	gone  map[GroupID]bool
	dns   map[string]GroupID // of those that came, by the canonical form
	moved []GroupID          // those that came or went by the last edit
}

// AllGroups yields the groups in the order of their names.
func (b *Book) AllGroups(yield func(GroupID) bool) {
	if b.late != nil {
		slices.Values(b.late.all)(yield)
		return
	}
	for g := range GroupID(b.Groups()) {
		if !yield(g) {
			return
		}
	}
}

// GroupCount is how many groups there are.
func (b *Book) GroupCount() int {
	if b.late != nil {
		return len(b.late.all)
	}
	return b.Groups()
}

// GroupOrder is less of one group than of another whose name comes later.
func (b *Book) GroupOrder(g GroupID) uint64 {
	if b.late != nil && int(g) >= b.late.built {
		return b.late.order[int(g)-b.late.built]
	}
	return (uint64(g) + 1) << 32
}

// InOrder is a list of groups, which are in the order of their numbers, in that of names.
func (b *Book) InOrder(list []GroupID) []GroupID {
	return inOrderOf(b, list, func(g GroupID) GroupID { return g })
}

// inOrderOf puts what belongs to groups, in the order of their numbers, in that of their
// names.
func inOrderOf[T any](b *Book, list []T, group func(T) GroupID) []T {
	if b.late == nil || len(list) == 0 || int(group(list[len(list)-1])) < b.late.built {
		return list
	}
	return slices.SortedStableFunc(slices.Values(list), func(x, y T) int {
		return cmp.Compare(b.GroupOrder(group(x)), b.GroupOrder(group(y)))
	})
}

// Moved lists the groups that came or went by the edit that made the book, and Gone says
// which went.
func (b *Book) Moved() []GroupID {
	if b.late == nil {
		return nil
	}
	return b.late.moved
}

func (b *Book) Gone(g GroupID) bool { return b.late != nil && b.late.gone[g] }

// Concerns says whether a finding about a name may be another one now that a group
// comes or goes: it means the group, or suggests it.
func (b *Book) Concerns(f *finding.Finding, g GroupID) bool {
	if f.Code != finding.UnknownName && f.Code != finding.AmbiguousName && f.Code != finding.ForeignAccount {
		return false
	}
	full := b.groups.full[g]
	_, bare, _ := strings.Cut(full, "/")
	own, _ := name.DN(b.groups.records[g].DN)
	return slices.ContainsFunc(f.Names, func(n string) bool {
		if dn, ok := name.DN(n); ok {
			if dn == own {
				return true
			}
			head, _, _ := strings.Cut(n, ",")
			_, n, _ = strings.Cut(head, "=")
		}
		return len(name.Near(strings.TrimSpace(n), slices.Values([]string{full, bare}))) > 0
	})
}

// move lets groups come and go, and gives all groups that have other records for that.
// ok is false if the book is to be rebuilt: for names that stand twice, and groups
// that records of users name.
func (b *Book) move(base *Book, e Edit) (groups map[GroupID]*Group, ok bool) {
	if b.late = base.late; b.late != nil {
		kept := *b.late
		kept.moved = nil
		b.late = &kept
	}
	if len(e.Come)+len(e.Go) == 0 {
		return e.Groups, true
	}
	groups = maps.Clone(e.Groups)
	if groups == nil {
		groups = map[GroupID]*Group{}
	}
	l := &late{built: base.Groups(), gone: map[GroupID]bool{}, dns: map[string]GroupID{}}
	if base.late != nil {
		l.built, l.gone, l.dns = base.late.built, maps.Clone(base.late.gone), maps.Clone(base.late.dns)
	}
	b.late = l
	for _, g := range e.Go {
		if base.isPrimary(g) || base.byDN.twice && base.groups.records[g].DN != "" {
			return nil, false
		}
		l.gone[g] = true
		groups[g] = &Group{Name: base.groups.records[g].Name}
		maps.DeleteFunc(l.dns, func(_ string, of GroupID) bool { return of == g })
	}
	s := &b.groups
	s.records, s.full, s.home = slices.Clone(s.records), slices.Clone(s.full), slices.Clone(s.home)
	s.index.slots, s.gone = slices.Clone(s.index.slots), l.gone
	for _, c := range e.Come {
		g, full := GroupID(len(s.records)), b.directories[c.Home].Name+"/"+c.Group.Name
		if !b.comes(base, c, full, g) {
			return nil, false
		}
		s.records, s.full, s.home = append(s.records, c.Group), append(s.full, full), append(s.home, uint16(c.Home))
		s.index.put(s.index.hash([]byte(name.Fold(full))), uint32(g))
		groups[g] = c.Group
		l.moved = append(l.moved, g)
	}
	l.moved = append(l.moved, e.Go...)
	b.arrange()
	return groups, !b.lacksPrimary(base)
}

// comes notes the distinguished name of a group that comes; ok is false if its names
// mean something already, or records of users name it.
func (b *Book) comes(base *Book, c Coming, full string, g GroupID) (ok bool) {
	if c.Group.Name == "" || !b.groups.index.hasRoom(len(b.groups.full)+1) {
		return false
	}
	if _, known := b.groups.find([]byte(name.Fold(full))); known {
		return false
	}
	if _, known := base.devices.find([]byte(name.Fold(full))); known {
		return false // members that do not say what they are may mean either
	}
	if c.Group.DN != "" {
		dn, valid := name.DN(c.Group.DN)
		if _, known := b.named(c.Group.DN); known || !valid {
			return false
		}
		b.late.dns[dn] = g
	}
	for written := range base.primaries {
		if strings.Contains(written, "=") || name.Equal(written, c.Group.Name) || name.Equal(written, full) {
			return false
		}
	}
	return true
}

// lacksPrimary says whether records of users name a group that is not there, for which
// one that comes or goes may be meant.
func (b *Book) lacksPrimary(base *Book) bool {
	return slices.ContainsFunc(base.findings, func(f finding.Finding) bool {
		return slices.ContainsFunc(b.late.moved, func(g GroupID) bool { return b.Concerns(&f, g) })
	})
}

// arrange puts the groups in the order of their names.
func (b *Book) arrange() {
	l := b.late
	type coming struct {
		id     GroupID
		folded string
	}
	var came []coming
	for g := l.built; g < b.Groups(); g++ {
		came = append(came, coming{GroupID(g), name.Fold(b.groups.full[g])})
	}
	slices.SortFunc(came, func(x, y coming) int { return cmp.Or(strings.Compare(x.folded, y.folded), cmp.Compare(x.id, y.id)) })
	l.order = make([]uint64, len(came))
	for rank, c := range came {
		before, _ := slices.BinarySearchFunc(b.groups.full[:l.built], c.folded, func(full, folded string) int {
			return strings.Compare(name.Fold(full), folded)
		})
		l.order[int(c.id)-l.built] = uint64(before)<<32 + uint64(rank) + 1
	}
	l.all = make([]GroupID, 0, b.Groups())
	for g := range GroupID(b.Groups()) {
		if !l.gone[g] {
			l.all = append(l.all, g)
		}
	}
	slices.SortFunc(l.all, func(x, y GroupID) int { return cmp.Compare(b.GroupOrder(x), b.GroupOrder(y)) })
}

// concerned lists the groups that list what comes or goes, name it as a manager, or may
// mean it by a name that led to nothing.
func (b *Book) concerned(base *Book) []GroupID {
	var list []GroupID
	for _, g := range b.Moved() {
		for outer, found := range base.found {
			if slices.ContainsFunc(found, func(f finding.Finding) bool { return b.Concerns(&f, g) }) {
				list = append(list, outer)
			}
		}
		if !b.Gone(g) {
			continue
		}
		list = append(list, base.listing(g)...)
		for outer, by := range base.managers {
			if slices.Contains(by.Groups, g) {
				list = append(list, outer)
			}
		}
	}
	return slices.DeleteFunc(list, b.Gone)
}
