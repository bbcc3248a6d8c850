package connect

import (
	"slices"
)

// Rewritten is records with some that were written in the place of those that are still as they were
// before that.
func Rewritten(r Records, all []*Rewrite) Records {
	var p Patch
	had, groupsHad := users.index(r.Users), groups.index(r.Groups)
	for _, x := range whole(all) {
		switch {
		case x.User != nil:
			if had.takes(x.User, userFields) {
				p.Put.Users = append(p.Put.Users, x.User.After)
			}
		case !groupsHad.takes(&x.Group.Changed, groupFields):
		case x.Goes():
			p.Gone = append(p.Gone, Gone{x.Named(), x.Group.Before.ID})
		default:
			p.Put.Groups = append(p.Put.Groups, x.Group.After)
		}
	}
	if p.Empty() {
		return r
	}
	rejected, resources := r.Rejected, r.Resources
	r = r.With(p)
	r.Rejected, r.Resources = append(slices.Clone(rejected), r.Rejected...), resources
	return r
}

// takes says that a record is still as it was before a change; one that is new, that there is none of
// its name.
func (s *same[T]) takes(c *Changed[T], fields func(a, b *T) []Field) bool {
	if c.Before == nil {
		return s.called(s.of.named(c.After)) == nil
	}
	is := s.as(c.Before)
	return is != nil && is != c.After && fields(c.Before, is) == nil
}
