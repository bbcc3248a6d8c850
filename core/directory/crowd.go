package directory

import (
	"iter"
	"math/bits"
	"slices"
)

// Holders are the groups that hold a group directly; Held are the groups that
// it holds directly.
func (b *Book) Holders(g GroupID) []GroupID { return b.nesting.parents.at(uint32(g)) }
func (b *Book) Held(g GroupID) []GroupID    { return b.nesting.children.at(uint32(g)) }

// DirectUsers counts the users whom a group holds directly, by list, rule or
// primary group; DirectMembers lists them.
func (b *Book) DirectUsers(g GroupID) int { return len(b.groupUsers.at(uint32(g))) }

func (b *Book) DirectMembers(g GroupID) []UserID {
	var users []UserID
	for _, l := range b.groupUsers.at(uint32(g)) {
		users = append(users, l.user())
	}
	return b.UsersInOrder(users)
}

// HasDirectly says whether a group holds a user directly.
func (b *Book) HasDirectly(g GroupID, u UserID) bool {
	return slices.ContainsFunc(b.userGroups.at(uint32(u)), func(l link) bool { return l.group() == g })
}

// ActiveMembers counts, by group, the members at whatever level whose account is
// switched on.
func (b *Book) ActiveMembers() []int {
	counts := make([]int, b.Groups())
	for u := range b.AllUsers {
		if b.Active(u) {
			for _, g := range b.within.at(u) {
				counts[g]++
			}
		}
	}
	return counts
}

// InactiveMembers lists, by group, the names of the direct members whose account is switched
// off, in their order.
func (b *Book) InactiveMembers() [][]string {
	inactive := make([][]string, b.Groups())
	for u := range b.AllUsers {
		if b.Active(u) {
			continue
		}
		for _, l := range b.userGroups.at(uint32(u)) {
			inactive[l.group()] = append(inactive[l.group()], b.UserName(u))
		}
	}
	return inactive
}

// ListedUsers are the users whom a group lists by name.
func (b *Book) ListedUsers(g GroupID) []UserID {
	var users []UserID
	for _, m := range b.groupUsers.at(uint32(g)) {
		if m.how() == Direct {
			users = append(users, m.user())
		}
	}
	return b.UsersInOrder(users)
}

// DeviceGroups is the set of groups that a device is a member of, at whatever
// level.
func (b *Book) DeviceGroups(d DeviceID) map[GroupID]bool {
	in := map[GroupID]bool{}
	for _, held := range b.deviceIn[d] {
		for _, g := range b.nesting.over(held) {
			in[g] = true
		}
	}
	return in
}

// Everyone lists all users, in the order of their names.
func (b *Book) Everyone() []UserID {
	return slices.AppendSeq(make([]UserID, 0, b.UserCount()), b.AllUsers)
}

// Among lists the members of groups, at whatever level, together with some
// users, each once and in the order of their names.
func (b *Book) Among(groups []GroupID, users []UserID) []UserID {
	in := make([]uint64, b.Users()/64+1)
	for _, u := range users {
		in[u/64] |= 1 << (u % 64)
	}
	for g := range b.under(groups) {
		for _, l := range b.groupUsers.at(uint32(g)) {
			in[l.user()/64] |= 1 << (l.user() % 64)
		}
	}
	var all []UserID
	for w, word := range in {
		for ; word != 0; word &= word - 1 {
			all = append(all, UserID(w*64+bits.TrailingZeros64(word)))
		}
	}
	return b.UsersInOrder(all)
}

// Below yields the members of groups, at whatever level, and some users; who is in several
// groups comes several times.
func (b *Book) Below(groups []GroupID, users []UserID) iter.Seq[UserID] {
	return func(yield func(UserID) bool) {
		for _, u := range users {
			if !yield(u) {
				return
			}
		}
		for g := range b.under(groups) {
			for _, l := range b.groupUsers.at(uint32(g)) {
				if !yield(l.user()) {
					return
				}
			}
		}
	}
}

// under yields groups and all groups whose members flow into them, each once.
func (b *Book) under(groups []GroupID) iter.Seq[GroupID] {
	return func(yield func(GroupID) bool) {
		below := make([]GroupID, 0, max(len(groups), fewGroups))
		var marks []uint64 // of those below, once these are many
		put := func(all []GroupID) {
			for _, g := range all {
				switch {
				case marks != nil && marks[g/64]&(1<<(g%64)) != 0, marks == nil && slices.Contains(below, g):
					continue
				case marks == nil && len(below) == fewGroups:
					marks = make([]uint64, b.Groups()/64+1)
					for _, g := range below {
						marks[g/64] |= 1 << (g % 64)
					}
				}
				if below = append(below, g); marks != nil {
					marks[g/64] |= 1 << (g % 64)
				}
			}
		}
		put(groups)
		for at := 0; at < len(below); at++ {
			if !yield(below[at]) {
				return
			}
			put(b.Held(below[at]))
		}
	}
}

// fewGroups is how many groups are searched through rather than marked; a variable, so that
// tests take both ways.
var fewGroups = 16
