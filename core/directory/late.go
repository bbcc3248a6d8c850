package directory

import (
	"maps"
	"slices"
	"strings"

	"gatemap/core/finding"
	"gatemap/core/name"
)

// HasUser says whether a number is of a user who is there: numbers of users who went, or
// who come in a later edit, are not.
func (b *Book) HasUser(u UserID) bool { return b.users.has(uint32(u)) }

// AllUsers yields the users in the order of their names, and AllGroups the groups.
func (b *Book) AllUsers(yield func(UserID) bool) {
	b.users.all(func(n uint32) bool { return yield(UserID(n)) })
}

func (b *Book) AllGroups(yield func(GroupID) bool) {
	b.groups.all(func(n uint32) bool { return yield(GroupID(n)) })
}

// UserCount and GroupCount are how many there are.
func (b *Book) UserCount() int  { return b.users.count() }
func (b *Book) GroupCount() int { return b.groups.count() }

// GroupOrder is less of one group than of another whose name comes later.
func (b *Book) GroupOrder(g GroupID) uint64 { return b.groups.order(uint32(g)) }

// InOrder is a list of groups, which are in the order of their numbers, in that of names;
// UsersInOrder is the same for users.
func (b *Book) InOrder(list []GroupID) []GroupID {
	return inOrderOf(&b.groups, list, func(g GroupID) uint32 { return uint32(g) })
}

func (b *Book) UsersInOrder(list []UserID) []UserID {
	return inOrderOf(&b.users, list, func(u UserID) uint32 { return uint32(u) })
}

// Gone says whether a group is there no longer.
func (b *Book) Gone(g GroupID) bool { return b.groups.went(uint32(g)) }

// Renamed says whether a group got another name by the edit that made the book, and Former
// is the full name that it had before.
func (b *Book) Renamed(g GroupID) bool { return b.Former(g) != b.GroupName(g) }

func (b *Book) Former(g GroupID) string { return b.groups.former(uint32(g)) }

// Moved lists the groups that came or went by the edit that made the book, or got other
// names, and MovedUsers the users.
func (b *Book) Moved() []GroupID { return numbered[GroupID](b.groups.moved()) }

func (b *Book) MovedUsers() []UserID { return numbered[UserID](b.users.moved()) }

func numbered[ID ~uint32](numbers []uint32) (list []ID) {
	for _, n := range numbers {
		list = append(list, ID(n))
	}
	return list
}

func numbers[ID ~uint32](ids []ID) (list []uint32) {
	for _, id := range ids {
		list = append(list, uint32(id))
	}
	return list
}

// Concerns says whether a finding about a name may be another one now that groups and
// users come and go: it means one of them, or suggests it.
func (b *Book) Concerns(f *finding.Finding) bool {
	if f.Code != finding.UnknownName && f.Code != finding.AmbiguousName && f.Code != finding.ForeignAccount {
		return false
	}
	return slices.ContainsFunc(b.groups.moved(), func(n uint32) bool {
		return concerns(f, b.groups.full[n], b.groups.records[n].DN) || concerns(f, b.groups.former(n), "")
	}) ||
		slices.ContainsFunc(
			b.users.moved(),
			func(n uint32) bool { return concerns(f, b.users.full[n], b.users.records[n].DN) },
		)
}

func concerns(f *finding.Finding, full, dn string) bool {
	_, bare, _ := strings.Cut(full, "/")
	own, _ := name.DN(dn)
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

// tooMany is how many records come and go in an edit at the most: for more, the findings
// that may concern them take longer than building the book again.
const tooMany = 500

// move lets users and groups come and go, and gives all groups that have other records for
// that. ok is false if the book is to be rebuilt: for names that stand twice, and groups
// that records of users name.
func (b *Book) move(base *Book, e Edit) (groups map[GroupID]*Group, ok bool) {
	b.dns = base.dns
	count := len(e.Come) + len(e.Go) + len(e.Join) + len(e.Leave)
	var usersOK, groupsOK bool
	rename := map[uint32]*Group{}
	for g, record := range e.Groups {
		if record.Name != base.Group(g).Name {
			rename[uint32(g)] = record
		}
	}
	renamed := func(g GroupID) bool { return rename[uint32(g)] != nil }
	if count += len(rename); count > tooMany || slices.ContainsFunc(slices.Concat(base.nesting.components...), renamed) {
		return nil, false
	}
	b.users, usersOK = base.users.move(b.directories, moves[User]{come: e.Join, leave: numbers(e.Leave)},
		func(u *User) string { return u.Name }, func(n string) *User { return &User{Name: n} })
	b.groups, groupsOK = base.groups.move(b.directories, moves[Group]{e.Come, numbers(e.Go), rename},
		func(g *Group) string { return g.Name }, func(n string) *Group { return &Group{Name: n} })
	if !usersOK || !groupsOK {
		return nil, false
	}
	if count == 0 {
		return e.Groups, true
	}
	if groups = maps.Clone(e.Groups); groups == nil {
		groups = map[GroupID]*Group{}
	}
	for _, g := range b.Moved() {
		groups[g] = b.Group(g)
	}
	return groups, b.rename(base, e) && b.keepsPrimaries(base) && b.keepsBases(base)
}

// rename notes the distinguished names of what comes; ok is false where one that comes or
// goes has a name in common with something else.
func (b *Book) rename(base *Book, e Edit) (ok bool) {
	b.dns = maps.Clone(base.dns)
	if b.dns == nil {
		b.dns = map[string]object{}
	}
	maps.DeleteFunc(b.dns, func(_ string, o object) bool { return b.went(o) })
	if base.byDN.twice {
		for _, g := range e.Go {
			if base.Group(g).DN != "" {
				return false
			}
		}
		for _, u := range e.Leave {
			if base.User(u).DN != "" {
				return false
			}
		}
	}
	for _, g := range b.Moved() {
		dn := b.Group(g).DN
		if b.Renamed(g) {
			dn = "" // it has that already
		}
		if !b.Gone(g) && !b.isNamed(object{"group", uint32(g)}, b.GroupName(g), dn) {
			return false
		}
	}
	for _, u := range b.MovedUsers() {
		if b.HasUser(u) && !b.isNamed(object{"user", uint32(u)}, b.UserName(u), b.User(u).DN) {
			return false
		}
	}
	return true
}

// isNamed notes the distinguished name of something that comes; ok is false where it has
// that, or its full name, in common with another: members that do not say what they are
// may mean either.
func (b *Book) isNamed(o object, full, dn string) (ok bool) {
	folded := []byte(name.Fold(full))
	_, device := b.devices.find(folded)
	_, user := b.users.find(folded)
	_, group := b.groups.find(folded)
	if device || user && group {
		return false
	}
	if dn == "" {
		return true
	}
	canonical, valid := name.DN(dn)
	if _, known := b.named(dn); known || !valid {
		return false
	}
	b.dns[canonical] = o
	return true
}

// keepsPrimaries says whether the groups that come and go are none that records name, or
// may mean.
func (b *Book) keepsPrimaries(base *Book) bool {
	for _, g := range b.Moved() {
		if (b.Gone(g) || b.Renamed(g)) && base.isPrimary(g) {
			return false
		}
		if b.Gone(g) {
			continue
		}
		for written := range base.primaries {
			if strings.Contains(written, "=") || name.Equal(written, b.Group(g).Name) || name.Equal(written, b.GroupName(g)) {
				return false
			}
		}
	}
	return len(b.Moved()) == 0 ||
		!slices.ContainsFunc(base.findings, func(f finding.Finding) bool { return b.Concerns(&f) })
}

// concerned lists the groups that list what comes or goes, name it as a manager, or may
// mean it by a name that led to nothing.
func (b *Book) concerned(base *Book) (list []GroupID) {
	users, groups := b.MovedUsers(), b.Moved()
	if len(users)+len(groups) == 0 {
		return nil
	}
	for outer, found := range base.found {
		if slices.ContainsFunc(found, func(f finding.Finding) bool { return b.Concerns(&f) || b.lacksForeign(&f) }) {
			list = append(list, outer)
		}
	}
	for outer, by := range base.managers {
		if slices.ContainsFunc(by.Groups, func(g GroupID) bool { return b.Gone(g) || b.Renamed(g) }) ||
			slices.ContainsFunc(by.Users, func(u UserID) bool { return !b.HasUser(u) }) {
			list = append(list, outer)
		}
	}
	for _, g := range groups {
		if b.Gone(g) || b.Renamed(g) {
			list = append(list, base.listing(g)...)
		}
	}
	for _, u := range users {
		for _, l := range base.userGroups.at(uint32(u)) {
			if l.how() == Direct {
				list = append(list, l.group())
			}
		}
	}
	return slices.DeleteFunc(list, b.Gone)
}

// lacksForeign says whether a finding is about a user of another directory who is there no
// longer.
func (b *Book) lacksForeign(f *finding.Finding) bool {
	return f.Code == finding.ForeignMember &&
		slices.ContainsFunc(b.users.moved(), func(n uint32) bool { return f.Names[1] == b.users.full[n] })
}
