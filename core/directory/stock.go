package directory

import (
	"slices"
	"strings"
)

// tally is what is counted of users before they are put into groups.
type tally struct {
	counts  []count
	primary []UserID // those whose records name a group
	bounded []UserID // those whose accounts are switched off, or have an end
}

type count struct {
	attribute string // folded
	users     int
}

// takeStock counts how many users have each attribute, and gives those whose
// records name a primary group, in order.
func (b *Book) takeStock() []UserID {
	b.attributes = map[string]int{}
	b.bounded = make([]uint64, b.Users()/64+1)
	var primary []UserID
	for _, t := range inPieces(b.users.written, b.tallied) {
		for _, c := range t.counts {
			b.attributes[c.attribute] += c.users
		}
		primary = append(primary, t.primary...)
		for _, u := range t.bounded {
			b.bounded[u/64] |= 1 << (u % 64)
		}
	}
	slices.Sort(primary)
	return primary
}

func (b *Book) tallied(users []uint32) tally {
	var t tally
	for _, id := range users {
		u, next := b.users.records[id], 0
		if u.PrimaryGroup.Name != "" {
			t.primary = append(t.primary, UserID(id))
		}
		if u.isBounded() {
			t.bounded = append(t.bounded, UserID(id))
		}
		// Most records have the same attributes in the same order.
		u.eachAttribute(func(folded string) {
			if next == len(t.counts) || t.counts[next].attribute != folded {
				next = slices.IndexFunc(t.counts, func(c count) bool { return c.attribute == folded })
				if next < 0 {
					next = len(t.counts)
					t.counts = append(t.counts, count{attribute: folded})
				}
			}
			t.counts[next].users++
			next++
		})
	}
	return t
}

// eachAttribute visits the attributes that a user has, by folded name, and for
// sub-attributes that are kept as attributes what stands before the dot.
func (u *User) eachAttribute(visit func(folded string)) {
	visit("USERNAME")
	visit("ACTIVE")
	if !u.Expires.IsZero() {
		visit("EXPIRES")
	}
	for i := range u.Attributes {
		folded := u.Attributes[i].folded
		visit(folded)
		if head, _, dotted := strings.Cut(folded, "."); dotted {
			visit(head)
		}
	}
}
