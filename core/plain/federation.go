package plain

import (
	"path"
	"slices"
	"strings"

	"gatemap/core/filter"
	"gatemap/core/gate"
	"gatemap/core/gate/federation"
	"gatemap/core/gate/signin"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// claims are what a sign-in to a party carries.
func (s *system) claims(q *asked, p *federation.Party) map[string][]string {
	claims := map[string][]string{}
	put := func(claim, value string) {
		if value != "" {
			claims[claim] = append(claims[claim], value)
		}
	}
	for i := range p.Claims {
		c := &p.Claims[i]
		if !s.forUser(q, &c.Who) {
			continue
		}
		switch {
		case c.From != "":
			for _, v := range (record{q.User}).Values(name.Fold(c.From)) {
				if v.Kind != filter.Complex {
					put(c.Claim, v.Text)
				}
			}
		case !c.FromGroups:
			put(c.Claim, c.Value)
		default:
			for g := range q.in {
				if ok, _ := path.Match(c.Matching.Value, g.Name); s.counts(g) && (ok || c.Matching.Value == "") {
					if c.Value != "" {
						put(c.Claim, c.Value)
					} else {
						put(c.Claim, g.Name)
					}
				}
			}
		}
	}
	return claims
}

// admitted: one refusal that holds refuses, else one permit admits, else the
// default.
func (s *system) admitted(q *asked, p *federation.Party, claims map[string][]string) rule.State {
	holds := func(t *federation.Test) bool {
		if t.Claim == "" {
			return s.has(q, &t.Who)
		}
		return slices.ContainsFunc(claims[t.Claim], func(v string) bool {
			return t.Is != nil && v == *t.Is || t.Starts != nil && strings.HasPrefix(v, *t.Starts) ||
				t.Ends != nil && strings.HasSuffix(v, *t.Ends)
		})
	}
	permitted, refused := p.Default == "permit", false
	for _, a := range p.Admit {
		if a.Off {
			continue
		}
		permitted = permitted || a.Permit != nil && holds(a.Permit)
		refused = refused || a.Refuse != nil && holds(a.Refuse)
	}
	switch {
	case !permitted:
		return rule.None
	case refused:
		return rule.Shut
	}
	return rule.Open
}

func (s *system) federationPoints(q *asked, d *federation.Document) (permissions []Permission) {
	for i := range d.Parties {
		p := &d.Parties[i]
		permissions = append(permissions, Permission{p.Party.Value, "sign-in"})
		for claim, values := range s.claims(q, p) {
			for _, v := range values {
				permissions = append(permissions, Permission{p.Party.Value, "claim " + claim + "=" + v})
			}
		}
	}
	return permissions
}

// federation: section 5.8.
func (s *system) federation(q *asked, d *federation.Document, at Permission) rule.State {
	for i := range d.Parties {
		p := &d.Parties[i]
		if p.Party.Value != at.Object {
			continue
		}
		claims := s.claims(q, p)
		state := s.admitted(q, p, claims)
		if at.Right == "sign-in" {
			return state
		}
		claim, value, _ := strings.Cut(strings.TrimPrefix(at.Right, "claim "), "=")
		if slices.Contains(claims[claim], value) {
			return max(state, rule.Shut)
		}
	}
	return rule.None
}

// carries says whether a user is admitted to a party with a claim.
func (w *World) carries(q *asked, c gate.ClaimRef) bool {
	named, party, _ := strings.Cut(c.Party.Name, "/")
	s := w.systems[name.Fold(named)]
	d := s.Gate.(*federation.Document)
	for i := range d.Parties {
		if p := &d.Parties[i]; p.Party.Value == party {
			claims := s.claims(q, p)
			return s.admitted(q, p, claims) == rule.Open && slices.Contains(claims[c.Claim], c.Is)
		}
	}
	return false
}

func (s *system) signinPoints(d *signin.Document) (permissions []Permission) {
	for _, other := range s.world.m.Systems {
		listed := behind(other.Behind, s.Name)
		for i := range d.Policies {
			for _, r := range d.Policies[i].Apps {
				listed = listed || d.Policies[i].Mode != "disabled" && !d.Policies[i].Off && name.Equal(r.Name, other.Name)
			}
		}
		if listed {
			permissions = append(permissions, Permission{other.Name, "sign-in"})
		}
	}
	return permissions
}

func behind(list []gate.Prerequisite, system string) bool {
	return slices.ContainsFunc(list, func(f gate.Prerequisite) bool {
		return name.Equal(f.Gate["signin"], system) || behind(f.Any, system)
	})
}

// signin: section 5.9.
func (s *system) signin(q *asked, d *signin.Document, p Permission) rule.State {
	state, given := rule.Open, rule.None
	for _, i := range mine(s, q, d.Policies, func(c *signin.Policy) *gate.Who { return &c.Who }) {
		c := &d.Policies[i]
		about := slices.ContainsFunc(c.Apps, func(r name.Ref) bool { return r.Name == "all" || name.Equal(r.Name, p.Object) })
		if !about || c.Mode == "watch" || c.Mode == "disabled" {
			continue
		}
		matches := q.sit.holds(c.When)
		if c.Then.Block {
			state = min(state, takes(matches))
			continue
		}
		given = max(given, gives(matches))
		for _, r := range c.Then.Require {
			// A policy that does not match asks for nothing.
			state = min(state, gives(max(yes-matches, q.sit.holds(required(r)))))
		}
	}
	if d.Default == "block" {
		if given == rule.None {
			return given
		}
		return min(state, given)
	}
	return state
}

func required(r signin.Requirement) *situation.When {
	switch r {
	case "managed-device":
		return &situation.When{Device: []situation.Property{"managed"}}
	case "compliant-device":
		return &situation.When{Device: []situation.Property{"compliant"}}
	}
	return &situation.When{Strength: []situation.Strength{situation.Strength(r)}}
}
