package reading

import (
	"slices"

	"gatemap/core/rule"
)

// suspects finds the points at which someone may hold otherwise on one side than on the other,
// where who has something follows from words alone: those of words that the user goes by on one
// side only, and those at which the sides differ for a word that the user goes by on both.
type suspects struct {
	*ledger
	of      [2][][]int32         // the points of each word, by side
	differs [][]int32            // the points at which the sides differ for a word
	asked   [2][]rule.Permission // by point; nil: the side does not have it
}

func (d *Drift) newSuspects(l *ledger) *suspects {
	s := &suspects{ledger: l, differs: make([][]int32, len(l.whom))}
	gates := [2]func(object, right string) (rule.Permission, error){d.here.Gate.At, d.there.Gate.At}
	for side, accounts := range [2][][]grant{l.here, l.there} {
		s.of[side], s.asked[side] = make([][]int32, len(l.whom)), make([]rule.Permission, len(l.points))
		for i, list := range accounts {
			for j, g := range list {
				if j == 0 || list[j-1].whom != g.whom {
					s.of[side][g.whom] = append(s.of[side][g.whom], int32(i))
				}
			}
			if at := l.points[i]; list != nil { // it is listed on this side
				s.asked[side][i], _ = gates[side](at.object, at.right)
			}
		}
	}
	for i := range l.points {
		s.compare(int32(i))
	}
	return s
}

// compare notes for whom the sides differ at a point.
func (s *suspects) compare(i int32) {
	x, y := s.here[i], s.there[i]
	for len(x) > 0 || len(y) > 0 {
		word := ^uint32(0)
		if len(x) > 0 {
			word = x[0].whom
		}
		if len(y) > 0 {
			word = min(word, y[0].whom)
		}
		var a, b []grant
		a, x = ofWord(x, word)
		b, y = ofWord(y, word)
		if !sameGrants(a, b) {
			s.differs[word] = append(s.differs[word], i)
		}
	}
}

// ofWord cuts the grants of a word off the beginning of a list.
func ofWord(list []grant, word uint32) (of, rest []grant) {
	n := 0
	for n < len(list) && list[n].whom == word {
		n++
	}
	return list[:n], list[n:]
}

// sameGrants says whether two lists give and take the same, in the same situations.
func sameGrants(a, b []grant) bool {
	in := func(list []grant, g grant) bool {
		return slices.ContainsFunc(list, func(x grant) bool { return x.takes == g.takes && x.when == g.when })
	}
	return !slices.ContainsFunc(a, func(g grant) bool { return !in(b, g) }) && !slices.ContainsFunc(b, func(g grant) bool { return !in(a, g) })
}

// among adds the suspects of a user who goes by some words on each side, in order.
func (s *suspects) among(here, there []uint32, points []int32) []int32 {
	for len(here) > 0 || len(there) > 0 {
		switch {
		case len(there) == 0 || len(here) > 0 && here[0] < there[0]:
			points, here = append(points, s.of[0][here[0]]...), here[1:]
		case len(here) == 0 || there[0] < here[0]:
			points, there = append(points, s.of[1][there[0]]...), there[1:]
		default:
			points, here, there = append(points, s.differs[here[0]]...), here[1:], there[1:]
		}
	}
	slices.Sort(points)
	return slices.Compact(points)
}

// held lists what a user to whom both sides are turned holds at the suspects, that can be used in
// some situation. At all other points both sides hold the same.
func (s *suspects) held(here, there *side) (x, y []rule.Entitlement) {
	sides := [2]*side{here, there}
	var words [2][]uint32
	for i, side := range sides {
		side.words = s.names[i].of(side.question.Subject, side.words[:0])
		words[i] = side.words
		side.held = side.held[:0]
	}
	for _, at := range s.among(words[0], words[1], nil) {
		for i, side := range sides {
			p := s.asked[i][at]
			if p == nil {
				continue
			}
			if state := p.State(side.question); state >= rule.Depends {
				side.held = append(side.held, rule.Entitlement{Object: s.points[at].object, Right: s.points[at].right, State: state})
			}
		}
	}
	return here.held, there.held
}
