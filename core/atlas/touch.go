package atlas

import (
	"gatemap/core/directory"
	"gatemap/core/gate"
)

// touch finds the systems whose lines name a subject, so that the others need
// not be asked: by group, and by user.
type touch struct {
	groups [][]uint16
	users  map[directory.UserID][]uint16
}

func newTouch(a *Atlas) *touch {
	t := &touch{groups: make([][]uint16, a.Book.Groups()), users: map[directory.UserID][]uint16{}}
	for i, s := range a.Systems {
		last := func(list []uint16) bool { return len(list) > 0 && list[len(list)-1] == uint16(i) }
		for g := range s.Site.Roster.Groups {
			if !last(t.groups[g]) {
				t.groups[g] = append(t.groups[g], uint16(i))
			}
		}
		for u := range s.Site.Roster.Users {
			if !last(t.users[u]) {
				t.users[u] = append(t.users[u], uint16(i))
			}
		}
	}
	return t
}

// systems marks the systems whose lines name a subject: a bit for each.
func (t *touch) systems(q *gate.Question, marks []uint64) {
	for _, g := range q.Subject.Groups() {
		for _, s := range t.groups[g] {
			marks[s/64] |= 1 << (s % 64)
		}
	}
	for _, s := range t.users[q.Subject.ID] {
		marks[s/64] |= 1 << (s % 64)
	}
}
