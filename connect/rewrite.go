package connect

import (
	"cmp"
	"fmt"
	"slices"

	"gatemap/core/directory"
)

// Rewrite is a record that is to be written: that of a user or of a group, which is new where there is
// none before, and is removed where there is none after.
type Rewrite struct {
	User  *Changed[directory.User]
	Group *Regrouped

	follows bool // another before it changes its entry: by itself, or where the server follows a move
	early   bool // others are moved after it
}

// Follows says that another rewrite before it may change the entry, or make it what it is to be.
func (r *Rewrite) Follows() bool { return r.follows }

// New says that the record is to be made.
func (r *Rewrite) New() bool {
	if r.User != nil {
		return r.User.Before == nil
	}
	return r.Group.Before == nil
}

// Goes says that the record is to be removed.
func (r *Rewrite) Goes() bool { return r.Group != nil && r.Group.After == nil }

// Moves says that the entry of the record is to be moved.
func (r *Rewrite) Moves() bool { return r.User != nil && !r.New() && hasField(r.User.Fields, "dn") }

// String names the record, with what becomes of it.
func (r *Rewrite) String() string { return r.Named().String() + ": " + r.Words() }

// Words says what becomes of the record.
func (r *Rewrite) Words() string {
	switch {
	case r.New():
		return "is new"
	case r.Goes():
		return "is removed"
	case r.User != nil:
		return FieldWords(r.User.Fields)
	}
	return r.Group.Words()
}

// Named names the record.
func (r *Rewrite) Named() Named {
	if r.User != nil {
		return Named{User, cmp.Or(r.User.Before, r.User.After).Name}
	}
	return Named{Group, cmp.Or(r.Group.Before, r.Group.After).Name}
}

// DN is the distinguished name of the record's entry; "" where none is known. That of a new one is what
// it will be.
func (r *Rewrite) DN() string {
	if r.User != nil {
		return cmp.Or(r.User.Before, r.User.After).DN
	}
	return cmp.Or(r.Group.Before, r.Group.After).DN
}

// Becomes is the distinguished name of the entry once it is written.
func (r *Rewrite) Becomes() string {
	if r.Moves() {
		return r.User.After.DN
	}
	return r.DN()
}

// takes says that somebody loses something by it: it is made before those that only give.
func (r *Rewrite) takes() bool {
	if r.User != nil {
		return !r.New() && r.User.Before.IsActive() && !r.User.After.IsActive()
	}
	return len(r.Group.Removed) > 0 && !r.follows
}

// Rewrites are the records that are to be written where they come from, those of which somebody
// loses something first, and then what others may list, and, in words, what of the change is not
// written there.
func Rewrites(s *directory.Source, before, after Records) (all []*Rewrite, stays []string) {
	_, d := Settle(before, after)
	to := noneArriving()
	come := len(d.Joined)
	if slices.Contains(s.Write, directory.WriteUsers) {
		come = 0
		for _, u := range d.Joined {
			all = append(all, &Rewrite{User: &Changed[directory.User]{After: u}})
			to.comes(u.Name, u.DN)
		}
	}
	groupsCome := len(d.NewGroups) + len(d.GoneGroups)
	if slices.Contains(s.Write, directory.WriteGroups) {
		groupsCome = 0
		for _, g := range d.NewGroups {
			all = append(all, madeGroup(g)...)
			if other := FieldWords(groupFields(&directory.Group{}, g), entered...); other != "" {
				stays = append(stays, fmt.Sprintf("group %s: %s", g.Name, other))
			}
			to.comes(g.Name, g.DN)
		}
		for _, g := range d.GoneGroups {
			all = append(all, goneGroup(g)...)
		}
	}
	for i := range d.Changed {
		c := &d.Changed[i]
		written, other := parted(c.Fields, s.Write, userWrite)
		all = append(all, rewritten(c, written)...)
		if hasField(written, "dn") {
			to.stood[key(c.After.DN)] = c.Before.DN
		}
		if len(other) > 0 {
			stays = append(stays, fmt.Sprintf("user %s: %s", c.Before.Name, FieldWords(other)))
		}
	}
	for i := range d.ChangedGroups {
		c := d.ChangedGroups[i]
		_, other := parted(c.Fields, s.Write, groupWrite)
		all = append(all, regroupings(c, s.Write, to)...)
		if len(other) > 0 {
			stays = append(stays, fmt.Sprintf("group %s: %s", c.Before.Name, FieldWords(other)))
		}
	}
	for _, line := range []struct {
		words string
		n     int
	}{
		{"users who come or go", come + len(d.Left)},
		{"groups that come or go", groupsCome},
		{"devices", len(d.NewDevices) + len(d.GoneDevices) + len(d.OtherDevices)},
	} {
		if line.n > 0 {
			stays = append(stays, fmt.Sprintf("%s: %d", line.words, line.n))
		}
	}
	slices.SortStableFunc(all, func(a, b *Rewrite) int { return cmp.Compare(rank(b), rank(a)) })
	return all, stays
}

func rank(r *Rewrite) int {
	switch {
	case r.takes():
		return 4
	case r.New():
		return 3
	case r.early:
		return 2
	case r.Moves():
		return 1
	case r.Goes():
		return -1
	}
	return 0
}

// rewritten are the rewrites of a user: that of the attributes, and that of where the entry stands.
func rewritten(c *Changed[directory.User], fields []Field) (all []*Rewrite) {
	moves, others := splitFields(fields, "dn")
	before := c.Before
	if len(others) > 0 {
		now := *c.After
		now.DN = before.DN
		all = append(all, &Rewrite{User: &Changed[directory.User]{before, &now, others}, early: len(moves) > 0})
		before = &now
	}
	if len(moves) > 0 {
		all = append(all, &Rewrite{User: &Changed[directory.User]{before, c.After, moves}, follows: len(others) > 0})
	}
	return all
}

// splitFields are the field of one attribute, and the others.
func splitFields(fields []Field, attribute string) (is, others []Field) {
	for _, f := range fields {
		if f.Attribute == attribute {
			is = append(is, f)
		} else {
			others = append(others, f)
		}
	}
	return is, others
}

// parted are the fields that are written, and the others.
func parted(fields []Field, all []directory.Write, as func(field string) directory.Write) (written, other []Field) {
	for _, f := range fields {
		if slices.Contains(all, as(f.Attribute)) {
			written = append(written, f)
		} else {
			other = append(other, f)
		}
	}
	return written, other
}

// userWrite says what a field of a user is for write; "" is never written.
func userWrite(field string) directory.Write {
	switch field {
	case "active":
		return directory.WriteActive
	case "dn":
		return directory.WriteUsers
	case "userName", "primary_group":
		return ""
	}
	return directory.WriteAttributes
}

func groupWrite(field string) directory.Write {
	switch field {
	case "members":
		return directory.WriteMembers
	case "description":
		return directory.WriteAttributes
	}
	return ""
}

// Differs says in words what of a record that is to be written is not as it is on one side now; ""
// says that nothing is. The record is the only one of now.
func (r *Rewrite) Differs(now Records, after bool) string {
	if r.User != nil {
		if len(now.Users) != 1 {
			return "it is not one of the users that the source means"
		}
		side := r.User.Before
		if after {
			side = r.User.After
		}
		fields := userFields(side, now.Users[0])
		if SameReference(side.DN, now.Users[0].DN) {
			_, fields = splitFields(fields, "dn") // a server spells names in its own way
		}
		if r.New() { // the server adds what it has of every entry
			return FieldWords(slices.DeleteFunc(fields, func(f Field) bool { return f.Before == "" }))
		}
		return FieldWords(ofFields(fields, r.User.Fields))
	}
	if len(now.Groups) != 1 {
		return "it is not one of the groups that the source means"
	}
	side := r.Group.Before
	if after {
		side = r.Group.After
	}
	if r.New() { // the server adds where it stands
		fields := groupFields(side, now.Groups[0])
		return FieldWords(
			slices.DeleteFunc(
				fields,
				func(f Field) bool { return f.Attribute == "dn" || !slices.Contains(entered, f.Attribute) },
			),
		)
	}
	other := regrouped(Changed[directory.Group]{side, now.Groups[0], groupFields(side, now.Groups[0])})
	if r.Goes() {
		_, other.Fields = splitFields(other.Fields, "dn")
		return other.Words()
	}
	other.Fields = ofFields(other.Fields, r.Group.Fields)
	if !hasField(r.Group.Fields, "members") {
		other.Added, other.Removed = nil, nil
	}
	return other.Words()
}

// Is says that a record is as it is to be already, which only one that follows others may be. The
// error is an *ElsewhereError where it is not as it was before; of one that follows others that is known
// only once these are written. The record is the only one of now.
func (r *Rewrite) Is(now Records, written bool) (bool, error) {
	theirs := r.Differs(now, false)
	switch {
	case theirs == "" || !written && r.Follows():
		return false, nil
	case r.Follows() && !r.Goes() && r.Differs(now, true) == "":
		return true, nil
	}
	return false, &ElsewhereError{Rewrite: r, Theirs: theirs}
}

// ofFields are those of some fields that are among others.
func ofFields(fields, others []Field) []Field {
	return slices.DeleteFunc(fields, func(f Field) bool { return !hasField(others, f.Attribute) })
}

func hasField(fields []Field, attribute string) bool {
	return slices.ContainsFunc(fields, func(f Field) bool { return f.Attribute == attribute })
}
