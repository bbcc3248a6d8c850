package gate

import (
	"slices"
	"strings"

	"gatemap/core/name"
	"gatemap/core/place"
)

// ClaimRef names a value of a claim of a relying party.
type ClaimRef struct {
	Place place.Place `yaml:"-"`
	Party name.Ref    `yaml:"party,required" doc:"The relying party, as SYSTEM/PARTY."`
	Claim string      `yaml:"claim,required" doc:"The claim."`
	Is    string      `yaml:"is,required" doc:"Its value."`
}

// Claimant gives claims: a federation.
type Claimant interface {
	// Carries says whether a user's sign-in to a party is admitted and
	// carries a claim of that value. HasParty says whether there is such a
	// party, and PartyNames yields them.
	Carries(q *Question, party, claim, value string) bool
	HasParty(party string) bool
	PartyNames(yield func(string) bool)
}

// claimed is one claim that a crowd looks at. What gives claims is compiled
// later than what looks at them, so test is filled in when all systems are.
type claimed struct {
	ref  ClaimRef
	text string // SYSTEM/PARTY claim=value
	test func(*Question) bool
	lost bool // the name leads to nothing
}

func (c *Crowd) byClaim(q *Question) bool {
	return slices.ContainsFunc(c.claims, func(x *claimed) bool { return !x.lost && x.test(q) })
}

// lean notes that this system needs an answer from another, and says whether
// there is one of that name.
func (s *Site) lean(ref name.Ref, system string, line Line) bool {
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

// claim compiles a claim that a line looks at.
func (s *Site) claim(ref ClaimRef, line Line) *claimed {
	system, party, _ := strings.Cut(ref.Party.Name, "/")
	c := &claimed{ref: ref, text: ref.Party.Name + " " + ref.Claim + "=" + ref.Is}
	if !s.lean(ref.Party, system, line) {
		c.lost = true
		return c
	}
	s.later = append(s.later, func() {
		claimant, ok := s.Claims(system)
		if !ok || !claimant.HasParty(party) {
			var near []string
			if ok {
				near = name.Near(party, claimant.PartyNames)
			}
			s.Missing("relying party", ref.Party, near, line)
			c.lost = true
			return
		}
		c.test = func(q *Question) bool { return claimant.Carries(q, party, ref.Claim, ref.Is) }
	})
	return c
}
