package gate

import (
	"errors"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/rule"
)

// SignIn is the right to sign in, to a relying party or an application.
const SignIn = "sign-in"

// ClaimRef names a value of a claim of a relying party.
type ClaimRef struct {
	Place place.Place `yaml:"-"`
	Party name.Ref    `yaml:"party,required" doc:"The relying party, as SYSTEM/PARTY."`
	Claim string      `yaml:"claim,required" doc:"The claim."`
	Is    string      `yaml:"is,required" doc:"Its value."`
}

// lean notes that this system needs an answer from another, and says whether
// there is one of that name.
func (s *Site) lean(ref name.Ref, system string, line rule.Line) bool {
	names := func(yield func(string) bool) {
		for _, other := range s.Systems {
			if !yield(other.Name) {
				return
			}
		}
	}
	for other := range names {
		if name.Equal(other, system) {
			s.Leans = append(s.Leans, name.Ref{Name: system, Place: ref.Place})
			return true
		}
	}
	s.Missing("system", ref, name.Near(system, names), line)
	return false
}

// claim compiles a claim that a line looks at: the permission to have it in a sign-in. What
// gives claims is compiled later than what looks at them.
func (s *Site) claim(ref ClaimRef, line rule.Line) *rule.Claim {
	system, party, _ := strings.Cut(ref.Party.Name, "/")
	c := &rule.Claim{Party: ref.Party.Name, Claim: ref.Claim, Is: ref.Is}
	if !s.lean(ref.Party, system, line) {
		return c
	}
	s.later = append(s.later, func() {
		var near []string
		g, ok := s.Gate(system)
		if ok && party != "" {
			_, err := g.At(party, SignIn)
			if err == nil && g.Catalogue().Open {
				if c.By, err = g.At(party, "claim "+ref.Claim+"="+ref.Is); err != nil {
					c.By = &rule.Entry{Decision: &rule.Decision{Index: &rule.Index{}}} // no rule gives it
				}
				return
			}
			var missing *directory.NotFoundError
			if errors.As(err, &missing) {
				near = missing.Near
			}
		}
		s.Missing("relying party", ref.Party, near, line)
	})
	return c
}
