package directory

import (
	"errors"
	"maps"
	"slices"

	"gatemap/core/name"
)

// Edit is what a change does to a book: users with other attributes, and users
// who join or leave groups that list them.
type Edit struct {
	Users map[UserID]*User // the records in their place, by the same name
	Join  []Membership
	Leave []Membership
}

// Membership is a user in a group.
type Membership struct {
	Group GroupID
	User  UserID
}

// With is the book as an edit makes it. It shares all that the edit does not
// touch with this one, and works out again only the groups of the users whom it
// touches: of those with other attributes, only the rules that read one of
// these. ok is false for the few edits that touch more than that, for which the
// book is to be built anew: of a name, a primary group, an attribute that comes
// into the map or goes out of it while rules ask for it, and of groups that draw
// from their own directory alone.
func (b *Book) With(e Edit) (edited *Book, ok bool) {
	n := &Book{
		directories: b.directories, folded: b.folded, exact: b.exact, users: b.users, groups: b.groups, devices: b.devices, byDN: b.byDN,
		nesting: b.nesting, deviceIn: b.deviceIn, attributes: b.attributes, rules: b.rules, findings: b.findings, managers: b.managers,
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
	if len(e.Users) > 0 {
		n.users.records = slices.Clone(b.users.records)
		n.attributes = maps.Clone(b.attributes)
		for u, record := range e.Users {
			n.users.records[u] = record
		}
	}
	for u, record := range e.Users {
		old := b.users.records[u]
		if record.Name != old.Name || record.DN != old.DN || record.PrimaryGroup.Name != old.PrimaryGroup.Name {
			return nil, false
		}
		changed := differing(old, record)
		if !n.recount(old, record) {
			return nil, false
		}
		links[u] = n.describeAgain(u, linksOf(u), changed)
	}
	for _, m := range slices.Concat(e.Join, e.Leave) {
		if b.Group(m.Group).Draws == "own" || b.Group(m.Group).Rule != nil {
			return nil, false
		}
	}
	for _, m := range e.Leave {
		links[m.User] = slices.DeleteFunc(linksOf(m.User), func(l link) bool { return l.group() == m.Group && l.how() == Direct })
		if r := n.users.records[m.User]; r.PrimaryGroup.Name != "" {
			if g, err := n.FindGroup(r.PrimaryGroup.Name, n.UserHome(m.User)); err == nil && g == m.Group {
				links[m.User] = append(links[m.User], newLink(uint32(g), primary))
			}
		}
	}
	for _, m := range e.Join {
		links[m.User] = append(linksOf(m.User), newLink(uint32(m.Group), direct))
	}
	n.relink(b, links)
	for u := range links {
		n.changed = append(n.changed, u)
	}
	slices.Sort(n.changed)
	return n, true
}

// Base is the book that this one was edited from, with the users whom the edit
// touched; nil for a book that was built, and for one that another was edited
// from.
func (b *Book) Base() (base *Book, touched []UserID) { return b.base.Load(), b.changed }

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
		within[u] = base.nesting.union(list)
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

// differing lists the attributes, by folded name, of which two records have
// other values.
func differing(a, b *User) []string {
	var names []string
	if a.IsActive() != b.IsActive() {
		names = append(names, "ACTIVE")
	}
	if !a.Expires.Equal(b.Expires.Time) {
		names = append(names, "EXPIRES")
	}
	for _, list := range []Attributes{a.Attributes, b.Attributes} {
		for i := range list {
			n := list[i].folded
			if !slices.Contains(names, n) && text(a.Attributes.Get(n)) != text(b.Attributes.Get(n)) {
				names = append(names, n)
			}
		}
	}
	return names
}

// recount counts who has which attribute after a record has changed. ok is
// false where an attribute that rules ask for comes or goes.
func (b *Book) recount(old, now *User) (ok bool) {
	more := map[string]int{}
	old.eachAttribute(func(n string) { more[n]-- })
	now.eachAttribute(func(n string) { more[n]++ })
	for n, by := range more {
		before := b.attributes[n]
		b.attributes[n] = before + by
		if (before == 0) != (before+by == 0) && len(b.rules.groups) > 0 {
			return false
		}
	}
	return true
}

// describeAgain asks the rules that read one of some attributes whether they
// describe a user now.
func (b *Book) describeAgain(u UserID, links []link, attributes []string) []link {
	asked := map[GroupID]bool{}
	for _, a := range attributes {
		for _, g := range b.rules.by[a] {
			asked[g] = true
		}
	}
	links = slices.DeleteFunc(links, func(l link) bool { return l.how() == ByRule && asked[l.group()] })
	for g := range asked {
		if b.describes(g, u) {
			links = append(links, newLink(uint32(g), byRule))
		}
	}
	return links
}

// Altered is a record with other values of one attribute, or of active; nil
// values take the attribute away.
func (u *User) Altered(attribute string, value any) (*User, error) {
	altered := *u
	switch name.Fold(attribute) {
	case "ACTIVE":
		on, isBool := value.(bool)
		if !isBool {
			return nil, errActive
		}
		altered.Active = &on
		return &altered, nil
	case "EXPIRES":
		text, isText := value.(string)
		altered.Expires = Instant{}
		if value == nil || isText && text == "" {
			return &altered, nil
		}
		return &altered, altered.Expires.UnmarshalText([]byte(text))
	}
	altered.Attributes = slices.Clone(u.Attributes)
	err := altered.Attributes.Set(attribute, value)
	altered.Attributes = slices.DeleteFunc(altered.Attributes, func(a Attribute) bool { return len(a.Values) == 0 })
	return &altered, err
}

var errActive = errors.New("active is true or false")
