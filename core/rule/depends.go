package rule

import "gatemap/core/directory"

// Dependencies are what is looked at in a subject besides whom lines name: subjects who
// are alike in it, and of one directory, are answered alike.
type Dependencies struct {
	Attributes []string             // by folded name
	Groups     []directory.GroupID  // whether the subject is in each of them
	Users      [][]directory.UserID // whether the subject is one of each of these, or of the others
	Apart      []directory.UserID   // those who are looked at one by one
	// Shown are attributes, and sets of groups, whose values or names are handed
	// on: all that is decided by them is whether there is any.
	Shown       []string
	ShownGroups [][]directory.GroupID
}

// Join adds what something else looks at.
func (d *Dependencies) Join(other Dependencies) {
	d.Attributes, d.Groups = append(d.Attributes, other.Attributes...), append(d.Groups, other.Groups...)
	d.Users, d.Apart = append(d.Users, other.Users...), append(d.Apart, other.Apart...)
	d.Shown, d.ShownGroups = append(d.Shown, other.Shown...), append(d.ShownGroups, other.ShownGroups...)
}
