package plain

import (
	"gatemap/core/directory"
	"gatemap/core/gate"
)

func (s *system) names(q *asked, who *gate.Who) bool {
	if who.Everyone {
		return true
	}
	for _, r := range who.Groups {
		if g := s.world.groups.find(r.Name, ""); q.in[g] && s.counts(g) {
			return true
		}
	}
	for _, r := range who.Users {
		if s.world.users.find(r.Name, "") == q.User {
			return true
		}
	}
	for _, c := range who.Claims {
		if s.world.carries(q, c) {
			return true
		}
	}
	return false
}

func (s *system) excepted(q *asked, p *directory.People) bool {
	if p == nil {
		return false
	}
	for _, r := range p.Groups {
		if q.in[s.world.groups.find(r.Name, "")] {
			return true
		}
	}
	for _, r := range p.Users {
		if s.world.users.find(r.Name, "") == q.User {
			return true
		}
	}
	return false
}
