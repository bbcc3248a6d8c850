package plain

import (
	"strings"

	"gatemap/core/gate"
	"gatemap/core/gate/app"
	"gatemap/core/gate/federation"
	"gatemap/core/gate/files"
	"gatemap/core/gate/firewall"
	"gatemap/core/gate/hosts"
	"gatemap/core/gate/licences"
	"gatemap/core/gate/network"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/signin"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Permission is an object and a right of a system.
type Permission struct{ Object, Right string }

// Asker asks about one user in one situation.
type Asker struct{ q *asked }

// Ask begins with a user.
func (w *World) Ask(u *User, s situation.Situation) *Asker {
	return &Asker{&asked{u, w.groupsOf(u), &sit{s, w.m}, map[any][]int{}}}
}

// At asks about the same user in another situation.
func (a *Asker) At(s situation.Situation) *Asker {
	q := *a.q
	q.sit = &sit{s, a.q.sit.m}
	return &Asker{&q}
}

// State answers for one permission.
func (w *World) State(a *Asker, in string, p Permission) rule.State {
	s := w.systems[name.Fold(in)]
	own := s.reading(a.q).own(p)
	if own == rule.None {
		return own
	}
	return min(own, s.around(a.q))
}

// Reach lists everything that the user holds in a system, in whatever state but
// none.
func (w *World) Reach(a *Asker, in string) map[Permission]rule.State {
	s := w.systems[name.Fold(in)]
	held := map[Permission]rule.State{}
	around := s.around(a.q)
	gates := s.reading(a.q)
	for _, p := range gates.permissions() {
		if own := gates.own(p); own != rule.None {
			held[p] = min(own, around)
		}
	}
	return held
}

// reading is how a gate type is read: what it decides by itself for a permission, and
// which permissions a listing tells, whether the user holds them or not.
type reading struct {
	own         func(Permission) rule.State
	permissions func() []Permission
}

func (s *system) reading(q *asked) reading {
	switch d := s.Gate.(type) {
	case *roles.Document:
		return reading{func(p Permission) rule.State { return s.roles(q, d, p) },
			func() []Permission { return rolePoints(d) }}
	case *licences.Document:
		return reading{func(p Permission) rule.State { return s.licences(q, d, p) },
			func() []Permission { return licencePoints(d) }}
	case *firewall.Document:
		return reading{func(p Permission) rule.State { return s.firewall(q, d, p) },
			func() []Permission { return s.firewallPoints(q, d) }}
	case *network.Document:
		return reading{func(p Permission) rule.State { return s.network(q, d, p) },
			func() []Permission { return networkPoints(d) }}
	case *app.Document:
		return reading{func(p Permission) rule.State { return s.app(q, d, p) }, func() []Permission { return appPoints(d) }}
	case *files.Document:
		return reading{func(p Permission) rule.State { return s.files(q, d, p) },
			func() []Permission { return filePoints(d) }}
	case *hosts.Document:
		return reading{func(p Permission) rule.State { return s.hosts(q, d, p) },
			func() []Permission { return s.hostPoints(q, d) }}
	case *federation.Document:
		return reading{func(p Permission) rule.State { return s.federation(q, d, p) },
			func() []Permission { return s.federationPoints(q, d) }}
	case *signin.Document:
		return reading{func(p Permission) rule.State { return s.signin(q, d, p) },
			func() []Permission { return s.signinPoints(d) }}
	}
	panic("a gate type that the plain reading does not know")
}

// around is what the account, the prerequisites and what stands in front leave.
func (s *system) around(q *asked) rule.State {
	state := rule.Open
	if !q.IsActive() {
		state = rule.Shut
	}
	if !q.Expires.IsZero() {
		switch at := q.sit.At; {
		case at.IsZero():
			state = min(state, rule.Depends)
		case !at.Before(q.Expires.Time):
			state = rule.Shut
		}
	}
	for _, attribute := range s.Requires {
		has := false
		for _, v := range (record{q.User}).Values(name.Fold(attribute)) {
			has = has || v.Text != ""
		}
		if !has {
			state = rule.Shut
		}
	}
	for i := range s.Behind {
		state = min(state, s.front(q, &s.Behind[i]))
	}
	return state
}

func (s *system) front(q *asked, f *gate.Prerequisite) rule.State {
	switch {
	case f.When != nil:
		return gives(q.sit.holds(f.When))
	case f.Any != nil:
		best := rule.None
		for i := range f.Any {
			best = max(best, s.front(q, &f.Any[i]))
		}
		return best
	}
	at := func(typ string) (*system, string) {
		named, part, _ := strings.Cut(f.Gate[typ], "/")
		return s.world.systems[name.Fold(named)], part
	}
	pass := func(other *system, p Permission) rule.State {
		return max(rule.Shut, min(other.reading(q).own(p), other.around(q)))
	}
	if other, _ := at("signin"); other != nil {
		return pass(other, Permission{s.Name, "sign-in"})
	}
	if other, party := at("federation"); other != nil {
		return pass(other, Permission{party, "sign-in"})
	}
	if other, _ := at("network"); other != nil {
		way := situation.Access(f.Gate["access"])
		return min(
			pass(other, Permission{string(way), "admit"}),
			gives(q.sit.holds(&situation.When{Access: []situation.Access{way}})),
		)
	}
	if other, _ := at("firewall"); other != nil {
		p := Permission{f.Gate["to"], f.Gate["service"]}
		if _, refused, _, _ := other.walked(q, other.Gate.(*firewall.Document), p); refused {
			return rule.Shut
		}
		return pass(other, p)
	}
	other, _ := at("hosts")
	return pass(other, Permission{f.Gate["host"], "login"})
}
