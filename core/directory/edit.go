package directory

import (
	"maps"
	"slices"
	"sync"

	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Edit is what a change does to a book: users with other records by the same names, groups
// with other records and perhaps other names, users who join and leave, and groups that come
// and go.
type Edit struct {
	Users  map[UserID]*User
	Join   []Coming[User]
	Leave  []UserID
	Groups map[GroupID]*Group
	Come   []Coming[Group]
	Go     []GroupID
}

// Empty says that the edit changes nothing.
func (e *Edit) Empty() bool {
	return len(e.Users)+len(e.Join)+len(e.Leave)+len(e.Groups)+len(e.Come)+len(e.Go) == 0
}

// With is the book as an edit makes it. It shares all that the edit does not
// touch with this one, and computes again only the groups of the users whom it
// touches: of those with other attributes, only the rules that read one of
// these; of groups of another kind or reach, those that list them; of groups that
// hold others than before, what is above those. ok is false for the few edits that
// touch more than that, for which the book is to be rebuilt: of a distinguished name, another primary
// group, of devices in groups, of groups in a circle, of an attribute that comes
// into the map or goes out of it while rules ask for it, and of hundreds who come and go.
func (b *Book) With(e Edit) (edited *Book, ok bool) {
	n := &Book{
		directories: b.directories, folded: b.folded, exact: b.exact, users: b.users, groups: b.groups, devices: b.devices,
		byDN: b.byDN, bases: b.bases,
		nesting: b.nesting, deviceIn: b.deviceIn, attributes: b.attributes, bounded: b.bounded, rules: b.rules,
		findings: b.findings, found: b.found, managers: b.managers, primaries: b.primaries, worked: b.worked,
	}
	if len(e.Users)+len(e.Join)+len(e.Leave) > 0 {
		n.worked = &sync.Map{}
	}
	n.base.Store(b)
	b.base.Store(nil) // books in a row would keep each other for ever
	links := map[UserID][]link{}
	linksOf := func(u UserID) []link {
		if _, known := links[u]; !known {
			links[u] = slices.Clone(b.userGroups.at(uint32(u)))
		}
		return links[u]
	}
	groups, ok := n.move(b, e)
	if !ok || !n.rerecord(b, groups) || !n.rerecordUsers(b, &e) {
		return nil, false
	}
	for u, record := range e.Users {
		if changed := differing(b.User(u), record); len(changed) > 0 {
			links[u] = n.describeAgain(u, linksOf(u), changed)
		}
	}
	for _, u := range n.MovedUsers() {
		if links[u], ok = n.linksOfMoved(b, u); !ok {
			return nil, false
		}
	}
	if !n.regroupAll(b, groups, links, linksOf) {
		return nil, false
	}
	n.relink(b, links)
	n.retext(b, e)
	for u := range links {
		n.changed = append(n.changed, u)
	}
	slices.Sort(n.changed)
	return n, true
}

// rerecord puts other records in the place of those of some groups.
func (b *Book) rerecord(base *Book, groups map[GroupID]*Group) (ok bool) {
	if len(groups) == 0 {
		return true
	}
	b.groups.records = slices.Clone(b.groups.records)
	b.managers, b.found = maps.Clone(b.managers), maps.Clone(b.found)
	ruled := false
	for g, record := range groups {
		if int(g) >= base.Groups() || b.Gone(g) {
			var errs place.Errors
			if checkGroup(record, &errs); errs.Err() != nil {
				return false
			}
			b.groups.records[g] = record
			ruled = true
			continue
		}
		old := base.groups.records[g]
		if record.DN != old.DN || record.MembersFrom != old.MembersFrom && base.isPrimary(g) {
			return false
		}
		var errs place.Errors // what keeps the map from loading is told by building it
		if checkGroup(record, &errs); errs.Err() != nil {
			return false
		}
		if !record.reachesLike(old) {
			b.reshaped = append(b.reshaped, g)
		}
		b.groups.records[g] = record
		ruled = ruled || old.Rule != record.Rule
	}
	if ruled {
		b.rules = newRules(b)
	}
	return true
}

// regroupAll computes again who is in some groups, in those that list one that is of
// another kind or reach, and what follows for the users below them.
func (b *Book) regroupAll(
	base *Book,
	groups map[GroupID]*Group,
	links map[UserID][]link,
	linksOf func(UserID) []link,
) (ok bool) {
	slices.Sort(b.reshaped)
	all := append(slices.Collect(maps.Keys(groups)), b.concerned(base)...)
	for _, g := range b.reshaped {
		all = append(all, base.listing(g)...)
	}
	slices.Sort(all)
	held := map[GroupID][]GroupID{}
	for _, g := range slices.Compact(all) {
		inner, ok := b.regroup(base, g, links, linksOf)
		if !ok {
			return false
		}
		if !slices.Equal(inner, base.nesting.children.at(uint32(g))) {
			held[g] = inner
		}
	}
	var below []GroupID
	came := slices.DeleteFunc(b.Moved(), func(g GroupID) bool { return int(g) < base.Groups() })
	if len(held)+len(came) > 0 {
		if b.nesting, below, ok = base.nesting.with(held, came); !ok {
			return false
		}
	}
	// Whoever is in these is looked at again, though the links are as they were.
	for _, book := range []*Book{base, b} {
		for g := range book.under(b.reshaped) {
			below = append(below, g)
		}
	}
	for _, g := range below {
		for _, l := range base.groupUsers.at(uint32(g)) {
			linksOf(l.user())
		}
	}
	return true
}

// regroup computes again who is in a group, which groups are in it, in order, and the
// links of the users who come into it and go out.
func (b *Book) regroup(
	base *Book,
	g GroupID,
	links map[UserID][]link,
	linksOf func(UserID) []link,
) (inner []GroupID, ok bool) {
	record := b.groups.records[g]
	j := joining{book: b, id: g, group: record, some: make([]name.Ref, 2*ahead)}
	j.all()
	slices.Sort(j.groups)
	if len(j.devices) > 0 || base.holdsDevices(g) {
		return nil, false
	}
	delete(b.managers, g)
	if record.Managers != nil {
		b.managers[g] = j.managers
	}
	delete(b.found, g)
	if len(j.findings) > 0 {
		b.found[g] = j.findings
	}
	if base.describesAlike(g, record) {
		return base.nesting.children.at(uint32(g)), true
	}
	if record.Rule != nil {
		j.users = b.described(g)
	}
	now := make(map[UserID]link, len(j.users))
	for _, m := range j.users {
		if first, twice := now[m.user()]; !twice || m < first {
			now[m.user()] = m
		}
	}
	settle := func(u UserID) {
		links[u] = slices.DeleteFunc(linksOf(u), func(l link) bool { return l.group() == g })
		if m, is := now[u]; is {
			links[u] = append(links[u], newLink(uint32(g), way(m&3)))
		}
		if r := b.users.records[u]; r.PrimaryGroup.Name != "" && b.mayTake(g, u) {
			if p, err := b.LookGroup(r.PrimaryGroup.Name, b.UserHome(u)); err == nil && p == g {
				links[u] = append(links[u], newLink(uint32(g), primary))
			}
		}
	}
	for _, was := range base.groupUsers.at(uint32(g)) {
		if m, stays := now[was.user()]; !stays && was.how() != Primary || stays && m.how() != was.how() {
			settle(was.user())
		}
		delete(now, was.user())
	}
	for u := range now {
		settle(u)
	}
	return slices.Compact(j.groups), true
}

// describesAlike says whether a record has the rule that a group has, so that it makes
// the same people its members.
func (b *Book) describesAlike(g GroupID, record *Group) bool {
	if int(g) >= b.Groups() || record.Rule == nil || b.groups.records[g].Rule == nil {
		return false
	}
	return record.Rule.Text == b.groups.records[g].Rule.Text && record.MembersFrom == b.groups.records[g].MembersFrom
}

// holdsDevices says whether a group lists devices.
func (b *Book) holdsDevices(g GroupID) bool {
	return slices.ContainsFunc(b.deviceIn, func(in []GroupID) bool { return slices.Contains(in, g) })
}

// Base is the book that this one was edited from, with the users whom the edit
// touched; nil for a book that was built, and for one that another was edited
// from.
func (b *Book) Base() (base *Book, touched []UserID) { return b.base.Load(), b.changed }

// FoundApart lists what was found in the directories of two books, but for what an edit
// of one left as it was in the other.
func FoundApart(before, after *Book) (was, is []finding.Finding) {
	shared := func(x, y []finding.Finding) bool { return len(x) == len(y) && (len(x) == 0 || &x[0] == &y[0]) }
	for g, found := range before.found {
		if other := after.found[g]; !shared(found, other) {
			was = append(was, found...)
		}
	}
	for g, found := range after.found {
		if other := before.found[g]; !shared(found, other) {
			is = append(is, found...)
		}
	}
	if !shared(before.findings, after.findings) {
		was, is = append(was, before.findings...), append(is, after.findings...)
	}
	return was, is
}

// relink puts the links of some users in the place of those in base.
func (b *Book) relink(base *Book, links map[UserID][]link) {
	byUser, byGroup, within := map[uint32][]link{}, map[uint32][]link{}, map[UserID][]GroupID{}
	inGroup := func(g uint32) []link {
		if _, known := byGroup[g]; !known {
			byGroup[g] = slices.Clone(base.groupUsers.at(g))
		}
		return byGroup[g]
	}
	for u, list := range links {
		slices.Sort(list)
		list = slices.CompactFunc(list, sameID)
		byUser[uint32(u)] = list
		within[u] = b.nesting.union(list)
		old := base.userGroups.at(uint32(u))
		for _, l := range old {
			if !slices.Contains(list, l) {
				byGroup[l.id()] = slices.DeleteFunc(inGroup(l.id()), func(m link) bool { return m.user() == u })
			}
		}
		for _, l := range list {
			if !slices.Contains(old, l) {
				in := inGroup(l.id())
				at, _ := slices.BinarySearch(in, newLink(uint32(u), direct))
				byGroup[l.id()] = slices.Insert(in, at, l.turn(int(u)))
			}
		}
	}
	b.userGroups, b.groupUsers = base.userGroups.with(byUser), base.groupUsers.with(byGroup)
	b.within = base.within.with(within)
}
