package directory

import (
	"cmp"
	"slices"

	"gatemap/core/filter"
)

// Step is one group on the way from a user to a group.
type Step struct {
	Group GroupID
	How   How
}

// Subject is a user with all groups that the user is a member of. It belongs to
// one goroutine: paths are computed when the first is asked for.
type Subject struct {
	ID UserID

	book   *Book
	other  []link    // the links where they are others than in the book
	groups []GroupID // in order
	trail  []reached // beside groups, once a path was asked for
}

// reached is how a user comes to a group: before is the group through which, or
// the group itself where the membership is not nested.
type reached struct {
	before GroupID
	how    How
}

// Subject gives a user with all groups.
func (b *Book) Subject(id UserID) *Subject {
	s := &Subject{}
	s.Turn(b, id)
	return s
}

// Turn makes the subject another user of a book.
func (s *Subject) Turn(b *Book, id UserID) {
	*s = Subject{ID: id, book: b, groups: b.within.at(id), trail: s.trail[:0]}
}

// User is the user's record.
func (s *Subject) User() *User { return s.book.users.records[s.ID] }

// direct are the links of the user to the groups that hold the user directly.
func (s *Subject) direct() []link {
	if s.other != nil {
		return s.other
	}
	return s.book.userGroups.at(uint32(s.ID))
}

// SubjectWith is a user as one more membership would make it.
func (b *Book) SubjectWith(id UserID, g GroupID) *Subject {
	s := b.Subject(id)
	if !slices.ContainsFunc(s.direct(), func(l link) bool { return l.group() == g }) {
		s.other = append(slices.Clone(s.direct()), newLink(uint32(g), direct))
		slices.Sort(s.other)
		s.groups = b.nesting.union(s.other)
	}
	return s
}

// Values are the values of an attribute of the user, as of Book.Values.
func (s *Subject) Values(folded string) []filter.Value { return s.book.Values(s.ID, folded) }

// In says whether the user is a member of a group, at whatever level.
func (s *Subject) In(g GroupID) bool {
	_, in := s.Place(g)
	return in
}

// Place is where a group stands in Groups, if it does.
func (s *Subject) Place(g GroupID) (at int, in bool) { return slices.BinarySearch(s.groups, g) }

// Groups are the numbers of all groups that the user is a member of, in order.
// The list must not be changed.
func (s *Subject) Groups() []GroupID { return s.groups }

// How says in which way the user is a member of a group; "" if the user is
// none.
func (s *Subject) How(g GroupID) How {
	i, in := slices.BinarySearch(s.groups, g)
	if !in {
		return ""
	}
	s.walk()
	return s.trail[i].how
}

// Path is the shortest way from the user to a group (ties by name); nil if
// there is none.
func (s *Subject) Path(g GroupID) []Step {
	if !s.In(g) {
		return nil
	}
	if len(s.trail) == 0 {
		if path := s.shortPath(g); path != nil {
			return path
		}
	}
	s.walk()
	var path []Step
	for {
		i, _ := slices.BinarySearch(s.groups, g)
		r := s.trail[i]
		path = append(path, Step{g, r.how})
		if r.before == g {
			slices.Reverse(path)
			return path
		}
		g = r.before
	}
}

// shortPath is the path where it has one step or two, which are found without the
// others; nil if it has more.
func (s *Subject) shortPath(g GroupID) []Step {
	links := s.direct()
	i, _ := slices.BinarySearchFunc(links, g, func(l link, g GroupID) int { return cmp.Compare(l.group(), g) })
	if i < len(links) && links[i].group() == g {
		return []Step{{g, links[i].how()}}
	}
	for _, l := range linksInOrder(s.book, links) {
		if slices.Contains(s.book.Holders(l.group()), g) {
			return []Step{{l.group(), l.how()}, {g, Nested}}
		}
	}
	return nil
}

// linksInOrder are links to groups in the order of these groups' names.
func linksInOrder(b *Book, links []link) []link {
	return inOrderOf(&b.groups, links, link.id)
}

// walk computes the paths, breadth first from the groups that hold the user
// directly, in the order of names, so that the first path found is the shortest, and of
// several that one whose names come first.
func (s *Subject) walk() {
	if len(s.trail) > 0 {
		return
	}
	s.trail = slices.Grow(s.trail, len(s.groups))[:len(s.groups)]
	clear(s.trail)
	queue := make([]GroupID, 0, len(s.groups))
	reach := func(g, before GroupID, how How) {
		if i, _ := slices.BinarySearch(s.groups, g); s.trail[i].how == "" {
			s.trail[i] = reached{before, how}
			queue = append(queue, g)
		}
	}
	for _, l := range linksInOrder(s.book, s.direct()) {
		reach(l.group(), l.group(), l.how())
	}
	for i := 0; i < len(queue); i++ {
		for _, outer := range s.book.InOrder(s.book.Holders(queue[i])) {
			reach(outer, queue[i], Nested)
		}
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
		for _, m := range b.groupUsers.at(uint32(inner)) {
			have, ok := best[m.user()]
			if ok &&
				cmp.Or(
					cmp.Compare(next[have.Group].distance, next[inner].distance),
					cmp.Compare(b.GroupOrder(have.Group), b.GroupOrder(inner)),
				) <= 0 {
				continue
			}
			best[m.user()] = Step{inner, m.how()}
		}
	}
	members := make([]Member, 0, len(best))
	for u, first := range best {
		path, how := next.up(first, g)
		members = append(members, Member{u, how, path})
	}
	slices.SortFunc(members, func(x, y Member) int { return cmp.Compare(x.User, y.User) })
	return inOrderOf(&b.users, members, func(m Member) uint32 { return uint32(m.User) })
}

// DeviceMember is a device in a group.
type DeviceMember struct {
	Device DeviceID
	How    How
	Path   []Step
}

// DeviceMembers lists the devices that are members of a group, in order, each by its
// shortest path.
func (b *Book) DeviceMembers(g GroupID) (members []DeviceMember) {
	next := b.below(g)
	for i, in := range b.deviceIn {
		d, first := DeviceID(i), Step{}
		found := false
		for _, inner := range in {
			if _, below := next[inner]; !below {
				continue
			}
			if found && cmp.Or(
				cmp.Compare(next[first.Group].distance, next[inner].distance),
				cmp.Compare(b.GroupOrder(first.Group), b.GroupOrder(inner)),
			) <= 0 {
				continue
			}
			first, found = Step{inner, Direct}, true
			if p, is := b.devicePrimary[d]; is && p == inner {
				first.How = Primary
			}
		}
		if !found {
			continue
		}
		path, how := next.up(first, g)
		members = append(members, DeviceMember{d, how, path})
	}
	return members
}

// hop is the next group on the shortest way up, and how far there is to go.
type hop struct {
	toward   GroupID
	distance int
}

// hops are the ways up to a group from every group below it.
type hops map[GroupID]hop

// up is the path from a first step to the group, and how one comes to it by that.
func (h hops) up(first Step, g GroupID) (path []Step, how How) {
	path = []Step{first}
	for at := first.Group; at != g; {
		at = h[at].toward
		path = append(path, Step{at, Nested})
	}
	if len(path) > 1 {
		return path, Nested
	}
	return path, first.How
}

// below finds every group whose members flow into g, g included.
func (b *Book) below(g GroupID) hops {
	next := hops{g: {g, 0}}
	layer := []GroupID{g}
	for distance := 1; len(layer) > 0; distance++ {
		var deeper []GroupID
		for _, outer := range layer {
			for _, inner := range b.Held(outer) {
				if have, seen := next[inner]; seen {
					if have.distance == distance && b.GroupOrder(outer) < b.GroupOrder(have.toward) {
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
	_, in := slices.BinarySearch(b.nesting.over(inner), outer)
	return in
}
