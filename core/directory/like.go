package directory

import "gatemap/core/filter"

// LikeMembers is the record of a user as the rule of a group describes it, with plain values
// that a member has of what the rule reads, and what differs: of the first members that one
// in which the least does. It is nil where none is enough.
func (b *Book) LikeMembers(g GroupID, u UserID) (best *User, differs Attributes) {
	const tried = 20
	for i, member := range b.DirectMembers(g) {
		if i == tried {
			break
		}
		if like, other := b.like(member, u, b.rules.reads[g]); len(other) > 0 && (best == nil || len(other) < len(differs)) &&
			b.mayTake(g, u) &&
			b.Group(g).Rule.Filter.Match(record{like, b.exact[b.users.home[u]]}) {
			best, differs = like, other
		}
	}
	return best, differs
}

// like is the record of a user with the values that another has of some attributes, by
// folded name, and those of which they differ; nil where these are not plain.
func (b *Book) like(other, u UserID, attributes []string) (like *User, differs Attributes) {
	like = b.User(u)
	for _, attribute := range attributes {
		wanted, has := b.Values(other, attribute), b.Values(u, attribute)
		if text(wanted) == text(has) || !valued(wanted) && !valued(has) {
			continue
		}
		if len(wanted) != 1 || wanted[0].Kind == filter.Complex {
			return nil, nil
		}
		named := attribute
		for _, a := range b.User(other).Attributes {
			if a.folded == attribute {
				named = a.Name
			}
		}
		var value any = wanted[0].Text
		if attribute == "ACTIVE" {
			named, value = "active", wanted[0].Text == "true"
		}
		altered, err := like.Altered(named, value)
		if err != nil || attribute == "USERNAME" || attribute == "EXPIRES" {
			return nil, nil
		}
		like, differs = altered, append(differs, Attribute{Name: named, Values: wanted})
	}
	return like, differs
}
