package directory

import (
	"cmp"
	"slices"
)

// Step is one group on the way from a user to a group.
type Step struct {
	Group GroupID
	How   How
}

// Subject is a user with all groups that the user is a member of, each with
// its shortest path (ties by name). It is immutable.
type Subject struct {
	ID    UserID
	User  *User
	reach []reached // by group
	in    []uint64  // a bit for each group
}

// reached is a group that a user is a member of; before is the group through
// which, or the group itself where the membership is not nested.
type reached struct {
	group, before GroupID
	how           How
}

// Subject works out a user's groups: breadth first from those that hold the
// user directly. Groups are numbered by name, so that the first path found is
// the shortest, and of several that one whose names come first.
func (b *Book) Subject(id UserID) *Subject { return b.subject(id, b.userGroups[id]) }

// SubjectWith is a user as one more membership would make it.
func (b *Book) SubjectWith(id UserID, g GroupID) *Subject {
	return b.subject(id, append(slices.Clone(b.userGroups[id]), edge{g, Direct}))
}

func (b *Book) subject(id UserID, direct []edge) *Subject {
	s := &Subject{ID: id, User: b.User(id)}
	s.reach = make([]reached, 0, 2*len(direct)+4)
	seen := make(map[GroupID]struct{}, 2*len(direct)+4)
	for _, e := range direct {
		if _, twice := seen[e.group]; twice {
			continue
		}
		s.reach = append(s.reach, reached{e.group, e.group, e.how})
		seen[e.group] = struct{}{}
	}
	for i := 0; i < len(s.reach); i++ {
		from := s.reach[i].group
		for _, outer := range b.parents[from] {
			if _, ok := seen[outer]; !ok {
				seen[outer] = struct{}{}
				s.reach = append(s.reach, reached{outer, from, Nested})
			}
		}
	}
	slices.SortFunc(s.reach, func(x, y reached) int { return cmp.Compare(x.group, y.group) })
	s.mark()
	return s
}

// mark sets the bits of the groups, which are in order.
func (s *Subject) mark() {
	if len(s.reach) > 0 {
		s.in = make([]uint64, s.reach[len(s.reach)-1].group/64+1)
	}
	for _, r := range s.reach {
		s.in[r.group/64] |= 1 << (r.group % 64)
	}
}

// SubjectIn is nobody in particular, who is in one group alone.
func SubjectIn(g GroupID) *Subject {
	s := &Subject{User: &User{}, reach: []reached{{g, g, Direct}}}
	s.mark()
	return s
}

func (s *Subject) find(g GroupID) (reached, bool) {
	i, ok := slices.BinarySearchFunc(s.reach, g, func(r reached, g GroupID) int { return cmp.Compare(r.group, g) })
	if !ok {
		return reached{}, false
	}
	return s.reach[i], true
}

// In says whether the user is a member of a group, at whatever level.
func (s *Subject) In(g GroupID) bool {
	word := int(g / 64)
	return word < len(s.in) && s.in[word]&(1<<(g%64)) != 0
}

// Groups are the numbers of all groups that the user is a member of, in order.
func (s *Subject) Groups() []GroupID {
	all := make([]GroupID, len(s.reach))
	for i, r := range s.reach {
		all[i] = r.group
	}
	return all
}

// How says in which way the user is a member of a group.
func (s *Subject) How(g GroupID) How {
	r, _ := s.find(g)
	return r.how
}

// Path is the shortest way from the user to a group; nil where there is none.
func (s *Subject) Path(g GroupID) []Step {
	var path []Step
	for {
		r, ok := s.find(g)
		if !ok {
			return nil
		}
		path = append(path, Step{r.group, r.how})
		if r.before == r.group {
			slices.Reverse(path)
			return path
		}
		g = r.before
	}
}

// Member is a user who is a member of a group, and by which path.
type Member struct {
	User UserID
	How  How
	Path []Step
}

// Members lists everyone in a group at whatever level, in the order of names,
// each by the shortest path (ties by name).
func (b *Book) Members(g GroupID) []Member {
	next := b.below(g)
	best := map[UserID]Step{}
	for inner := range next {
		for _, m := range b.groupUsers[inner] {
			have, ok := best[m.user]
			if ok && cmp.Or(cmp.Compare(next[have.Group].distance, next[inner].distance), cmp.Compare(have.Group, inner)) <= 0 {
				continue
			}
			best[m.user] = Step{inner, m.how}
		}
	}
	members := make([]Member, 0, len(best))
	for u, first := range best {
		path := []Step{first}
		for at := first.Group; at != g; {
			at = next[at].toward
			path = append(path, Step{at, Nested})
		}
		how := first.How
		if len(path) > 1 {
			how = Nested
		}
		members = append(members, Member{u, how, path})
	}
	slices.SortFunc(members, func(x, y Member) int { return cmp.Compare(x.User, y.User) })
	return members
}

// hop is the next group on the shortest way up, and how far there is to go.
type hop struct {
	toward   GroupID
	distance int
}

// below finds every group whose members flow into g, g included.
func (b *Book) below(g GroupID) map[GroupID]hop {
	next := map[GroupID]hop{g: {g, 0}}
	layer := []GroupID{g}
	for distance := 1; len(layer) > 0; distance++ {
		var deeper []GroupID
		for _, outer := range layer {
			for _, inner := range b.children[outer] {
				if have, seen := next[inner]; seen {
					if have.distance == distance && outer < have.toward {
						next[inner] = hop{outer, distance}
					}
					continue
				}
				next[inner] = hop{outer, distance}
				deeper = append(deeper, inner)
			}
		}
		layer = deeper
	}
	return next
}

// Flows says whether the members of inner are members of outer: they are the
// same, or nested at whatever level.
func (b *Book) Flows(inner, outer GroupID) bool {
	_, ok := b.below(outer)[inner]
	return ok
}

// Holders are the groups that hold a group directly; Held are the groups that
// it holds directly.
func (b *Book) Holders(g GroupID) []GroupID { return b.parents[g] }
func (b *Book) Held(g GroupID) []GroupID    { return b.children[g] }

// DirectUsers counts the users whom a group holds directly, by list, rule or
// primary group.
func (b *Book) DirectUsers(g GroupID) int { return len(b.groupUsers[g]) }

// ListedUsers are the users whom a group lists by name.
func (b *Book) ListedUsers(g GroupID) []UserID {
	var users []UserID
	for _, m := range b.groupUsers[g] {
		if m.how == Direct {
			users = append(users, m.user)
		}
	}
	return users
}

// DeviceGroups is the set of groups that a device is a member of, at whatever
// level.
func (b *Book) DeviceGroups(d DeviceID) map[GroupID]bool {
	in := map[GroupID]bool{}
	queue := slices.Clone(b.deviceIn[d])
	for len(queue) > 0 {
		g := queue[0]
		queue = queue[1:]
		if in[g] {
			continue
		}
		in[g] = true
		queue = append(queue, b.parents[g]...)
	}
	return in
}
