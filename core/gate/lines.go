package gate

import (
	"fmt"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Rule compiles a line: for whom it is, and on what condition. A line that gives has
// nobody where a name in it leads to nothing, and none has anybody that is switched off.
func (s *Site) Rule(line rule.Line, w *Who, when *situation.When, effect rule.Effect) *rule.Rule {
	return s.compile(w.Off, func() *rule.Rule { return s.on(s.who(w, line, effect), when) })
}

// EveryoneBut compiles a line that is for all but whom it excepts.
func (s *Site) EveryoneBut(line rule.Line, w *Who, when *situation.When, effect rule.Effect) *rule.Rule {
	return s.compile(w.Off, func() *rule.Rule {
		party, _ := s.Party(w.Except, line)
		return s.on(s.Index.Enter(rule.Rule{Line: line, Everyone: true, Except: party, Effect: effect}), when)
	})
}

// compile compiles a line. One that is switched off has nobody, and of all that it names
// nothing stays but what is misspelt.
func (s *Site) compile(off bool, line func() *rule.Rule) *rule.Rule {
	found, mapped, named := len(s.Findings), len(s.mapped), len(s.Named)
	r := line()
	if off {
		s.Findings = append(s.Findings[:found], misspelt(s.Findings[found:])...)
		s.mapped, s.Named = s.mapped[:mapped], s.Named[:named]
		r.SwitchOff()
	}
	return r
}

// on puts a rule under a condition.
func (s *Site) on(r *rule.Rule, when *situation.When) *rule.Rule {
	var usable bool
	if r.When, usable = s.When(when, r.Line, r.Effect); !usable {
		r.Break()
	}
	return r
}

// misspelt are the findings about names that lead to nothing, or to too much.
func misspelt(list []finding.Finding) []finding.Finding {
	return slices.DeleteFunc(
		slices.Clone(list),
		func(f finding.Finding) bool { return f.Code != finding.UnknownName && f.Code != finding.AmbiguousName },
	)
}

func (s *Site) who(w *Who, line rule.Line, effect rule.Effect) *rule.Rule {
	c := s.Index.Enter(rule.Rule{Line: line, Everyone: w.Everyone, Effect: effect})
	if w.Empty() {
		s.Errors.Addf(line.Place, "line %s names nobody: it needs groups, users or everyone: true", line.Name)
	}
	if beside := len(w.Groups) + len(w.Users) + len(w.Claims); w.Everyone && beside > 0 && !w.Off {
		s.Find(
			finding.BesideEveryone,
			line,
			fmt.Sprintf("Line %s is for everyone: the groups, users and claims beside it add nothing.", line.Name),
			"Remove them, or remove everyone: true if only they are meant.",
		)
	}
	whole := true
	c.Groups = slices.Grow(c.Groups, len(w.Groups))
	groups := make([]spelling, 0, len(w.Groups))
	for _, r := range w.Groups {
		if g, ok := s.group(r, line); !ok {
			whole = false
		} else {
			groups = append(groups, spelling{g, r.Place.Line, r.Place.Column})
			if s.counts(g, r, line) {
				c.Groups = append(c.Groups, g)
			}
		}
	}
	if len(groups) > 0 {
		s.mapped = append(s.mapped, naming{c.Number(), groups})
	}
	for _, r := range w.Users {
		if u, ok := s.user(r, line); !ok {
			whole = false
		} else {
			c.Users = append(c.Users, u)
		}
	}
	for _, r := range w.Claims {
		c.Claims = append(c.Claims, s.claim(r, line))
	}
	excepted, exceptWhole := s.Party(w.Except, line)
	c.Except = excepted
	if effect == rule.Giving && !(whole && exceptWhole) {
		c.Break()
	}
	c.Groups, c.Users = s.Book.InOrder(unique(c.Groups)), s.Book.UsersInOrder(unique(c.Users))
	return c
}

// People compiles people who are looked at for membership alone, whatever the
// groups' kind and reach.
func (s *Site) People(w *Who, line rule.Line) *rule.Rule {
	if w.Empty() {
		s.Errors.Addf(line.Place, "line %s names nobody: it needs groups, users or everyone: true", line.Name)
	}
	party, _ := s.Party(&directory.People{Users: w.Users, Groups: w.Groups}, line)
	c := s.EveryoneBut(line, &Who{Except: w.Except}, nil, rule.Taking)
	c.Everyone, c.Users, c.Groups = w.Everyone, s.Book.UsersInOrder(
		unique(party.Users),
	), s.Book.InOrder(
		unique(party.Groups),
	)
	for _, r := range w.Claims {
		c.Claims = append(c.Claims, s.claim(r, line))
	}
	return c
}

// Party compiles users and groups that are looked at for membership alone,
// whatever the groups' kind and reach. whole is false if a name leads to
// nothing.
func (s *Site) Party(p *directory.People, line rule.Line) (party directory.Party, whole bool) {
	if p == nil {
		return directory.Party{}, true
	}
	whole = true
	for _, r := range p.Groups {
		if g, ok := s.group(r, line); ok {
			party.Groups = append(party.Groups, g)
			s.Named = append(s.Named, g)
		} else {
			whole = false
		}
	}
	for _, r := range p.Users {
		if u, ok := s.user(r, line); ok {
			party.Users = append(party.Users, u)
		} else {
			whole = false
		}
	}
	return party, whole
}

// When compiles the condition of a line. usable is false for a line that gives
// and has a name in its condition that leads to nothing.
func (s *Site) When(w *situation.When, line rule.Line, effect rule.Effect) (c situation.Condition, usable bool) {
	resolve := func(ref name.Ref) (uint32, string, bool) {
		g, ok := s.group(ref, line)
		if !ok {
			return 0, "", false
		}
		s.Named = append(s.Named, g)
		return uint32(g), s.Book.GroupName(g), true
	}
	c, whole := s.Frame.Compile(w, resolve, func(kind string, ref name.Ref, near []string) {
		s.Missing(kind, ref, near, line)
	})
	return c, whole || effect == rule.Taking
}
