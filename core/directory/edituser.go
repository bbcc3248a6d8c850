package directory

import (
	"errors"
	"maps"
	"slices"
	"strings"

	"gatemap/core/finding"
	"gatemap/core/name"
)

// rerecordUsers puts other records in the place of those of some users.
func (b *Book) rerecordUsers(base *Book, e *Edit) (ok bool) {
	if len(e.Users)+len(b.MovedUsers()) == 0 {
		return true
	}
	if len(e.Users) > 0 {
		b.users.records = slices.Clone(b.users.records)
	}
	b.bounded = append(slices.Clone(b.bounded), make([]uint64, b.Users()/64+1-len(b.bounded))...)
	for u, record := range e.Users {
		old := base.User(u)
		if record.Name != old.Name || record.DN != old.DN || record.PrimaryGroup.Name != old.PrimaryGroup.Name {
			return false
		}
		b.users.records[u] = record
		b.bound(u)
	}
	for _, u := range b.MovedUsers() {
		b.bound(u)
	}
	return b.recount(base, e)
}

// bound notes whether the account of a user is switched off, or has an end.
func (b *Book) bound(u UserID) {
	b.bounded[u/64] &^= 1 << (u % 64)
	if b.User(u).isBounded() {
		b.bounded[u/64] |= 1 << (u % 64)
	}
}

// linksOfMoved are the links of a user who comes by his own record, and by rules, and none
// of one who goes; ok is false where the primary group is not one that holds him.
func (b *Book) linksOfMoved(base *Book, u UserID) (links []link, ok bool) {
	record, there := b.User(u), b.HasUser(u)
	if !there {
		record = base.User(u)
	}
	if record.PrimaryGroup.Name != "" {
		g, err := b.LookGroup(record.PrimaryGroup.Name, b.UserHome(u))
		if err != nil || !b.mayTake(g, u) {
			return nil, false
		}
		links = append(links, newLink(uint32(g), primary))
		if !b.primaries[record.PrimaryGroup.Name] {
			b.primaries = maps.Clone(b.primaries)
			b.primaries[record.PrimaryGroup.Name] = true
		}
	}
	if !there {
		return nil, true
	}
	for _, g := range b.rules.groups {
		if !b.Gone(g) && b.describes(g, u) {
			links = append(links, newLink(uint32(g), byRule))
		}
	}
	return links, true
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

// recount counts who has which attribute after an edit. ok is false where an attribute
// that rules ask for comes or goes.
func (b *Book) recount(base *Book, e *Edit) (ok bool) {
	more := map[string]int{}
	come, leave := func(n string) { more[n]++ }, func(n string) { more[n]-- }
	for u, record := range e.Users {
		base.User(u).eachAttribute(leave)
		record.eachAttribute(come)
	}
	for _, c := range e.Join {
		c.Record.eachAttribute(come)
	}
	for _, u := range e.Leave {
		base.User(u).eachAttribute(leave)
	}
	b.attributes = maps.Clone(b.attributes)
	for n, by := range more {
		before := b.attributes[n]
		b.attributes[n] = before + by
		if (before == 0) != (before+by == 0) && (b.rules.by[n] != nil || b.asksForUnknown()) {
			return false
		}
	}
	return true
}

// asksForUnknown says whether a rule asks for an attribute that no user has.
func (b *Book) asksForUnknown() bool {
	return slices.ContainsFunc(b.Findings(), func(f finding.Finding) bool { return f.Code == finding.UnknownAttribute })
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

// First is the text of the first value of an attribute, or "". userName is one.
func (u *User) First(attribute string) string {
	if strings.EqualFold(attribute, "userName") {
		return u.Name
	}
	return u.Attributes.First(attribute)
}

var errActive = errors.New("active is true or false")
