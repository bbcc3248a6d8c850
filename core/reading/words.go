package reading

import (
	"cmp"
	"iter"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/rule"
)

// suspects finds the points at which someone may hold otherwise on one side than on the other,
// where who has something follows from words alone: those of words that the user goes by on one
// side only, and those at which the sides differ for a word that the user goes by on both.
type suspects struct {
	*ledger
	of      [2][][]int32         // the points of each word, by side
	differs [][]int32            // the points at which the sides differ for a word
	asked   [2][]rule.Permission // by point, of those that are not simple
	tied    []tiedGroup          // by word
	can     []bool               // by point: whether it can be held there
	simple  [2][]bool            // by point: whoever goes by a word that it is given to has it, in any case
	always  uint32               // the word of no condition
}

// tiedGroup is a group of the map and the group there; is says that there is one.
type tiedGroup struct {
	is          bool
	here, there directory.GroupID
	own         string // what it is called there
}

func (d *Drift) newSuspects(l *ledger) *suspects {
	s := &suspects{
		ledger:  l,
		differs: make([][]int32, len(l.whom)),
		tied:    make([]tiedGroup, len(l.whom)),
		always:  l.always,
	}
	for g, list := range l.names[0].groups {
		own, tied := d.Of.theirs[g]
		there, err := d.Of.Atlas.Book.FindGroup(d.Of.names.groups[own], "")
		for i := range list {
			if tied && err == nil && list[i].whole() {
				s.tied[list[i].word] = tiedGroup{true, g, there, own}
			}
		}
	}
	gates := [2]func(object, right string) (rule.Permission, error){d.here.Gate.At, d.there.Gate.At}
	for side, accounts := range [2][][]grant{l.here, l.there} {
		s.of[side], s.asked[side] = pointsOf(accounts, len(l.whom)), make([]rule.Permission, len(l.points))
		s.simple[side] = make([]bool, len(l.points))
		for i, list := range accounts {
			s.simple[side][i] = !slices.ContainsFunc(list, func(g grant) bool { return g.takes || g.when != s.always })
			if at := l.points[i]; !s.simple[side][i] {
				s.asked[side][i], _ = gates[side](at.Object, at.Right)
			}
		}
	}
	for i, at := range l.points {
		s.can = append(s.can, d.Of.can(at.Object, at.Right))
		s.compare(int32(i))
	}
	return s
}

// pointsOf lists the points at which each of so many words is given or denied something, in order.
func pointsOf(accounts [][]grant, words int) [][]int32 {
	count, all := make([]int, words), 0
	each := func(visit func(at int, word uint32)) {
		for i, list := range accounts {
			for j, g := range list {
				if j == 0 || list[j-1].whom != g.whom {
					visit(i, g.whom)
				}
			}
		}
	}
	each(func(_ int, word uint32) { count[word]++; all++ })
	room, points := make([]int32, all), make([][]int32, words)
	for word, n := range count {
		points[word], room = room[:0:n], room[n:]
	}
	each(func(at int, word uint32) { points[word] = append(points[word], int32(at)) })
	return points
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
	return !slices.ContainsFunc(a, func(g grant) bool { return !in(b, g) }) &&
		!slices.ContainsFunc(b, func(g grant) bool { return !in(a, g) })
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

// differ adds what a user to whom both sides are turned holds otherwise on one of them, with the cause
// where words tell it. At points that are no suspects both sides hold the same.
func (s *suspects) differ(d *Drift, list []Item, p *Person, here, there *side) []Item {
	here.words = s.names[0].of(here.question.Subject, here.words[:0])
	there.words = s.names[1].of(there.question.Subject, there.words[:0])
	points := s.among(here.words, there.words, nil)
	if len(points) == 0 {
		return list
	}
	if len(points) > many {
		s.mark(0, here, true)
		s.mark(1, there, true)
	}
	var last *Cause
	for _, at := range points {
		x := Item{Point: &s.points[at], Person: p, Here: s.state(0, at, here), There: s.state(1, at, there)}
		held, really := x.Here >= rule.Depends, x.There >= rule.Depends
		switch {
		case !held && !really, x.Here == x.There:
			continue
		case held && !really && !s.can[at]: // it is about what lies below
			continue
		}
		if c, told := s.cause(d, &x, at, here, there); told {
			if c.Effect = x.Effect(); last == nil || *last != c {
				last = new(Cause) // most explain the one before as well
				*last = c
			}
			x.cause = last
		}
		list = append(list, x)
	}
	if here.marked {
		s.mark(0, here, false)
		s.mark(1, there, false)
	}
	return list
}

// many is at how many suspects of a user everything that is given to the user's words is marked,
// which is otherwise looked for. A variable, so that tests take both ways.
var many = 100

// mark notes the points that are given to a user's words on a side, or forgets them.
func (s *suspects) mark(side int, of *side, given bool) {
	if of.marked = given; of.given == nil {
		of.given = make([]uint8, len(s.points))
	}
	for i, word := range of.words {
		for _, at := range s.of[side][word] {
			switch by := &of.given[at]; {
			case !given:
				*by = 0
			case *by == 0 && i+1 < int(several):
				*by = uint8(i) + 1
			default:
				*by = several
			}
		}
	}
}

// several stands for more than one word, or one that is far behind. A variable, so that tests
// take both ways.
var several uint8 = 255

// state is what a side says of a user at a point. Where words alone give it and nothing takes it
// away, it is open.
func (s *suspects) state(side int, at int32, of *side) rule.State {
	switch p := s.asked[side][at]; {
	case !s.gives(side, at, of):
		return rule.None
	case s.simple[side][at]:
		return rule.Open
	case p == nil:
		return rule.None
	default:
		return p.State(of.question)
	}
}

// gives says whether anything at a point is for a user's words.
func (s *suspects) gives(side int, at int32, of *side) bool {
	if of.marked {
		return of.given[at] != 0
	}
	for range s.granted(side, at, of) {
		return true
	}
	return false
}

// granted are the grants at a point to a user's words.
func (s *suspects) granted(side int, at int32, of *side) iter.Seq[grant] {
	list := s.here[at]
	if side == 1 {
		list = s.there[at]
	}
	words := of.words
	if of.marked {
		switch by := of.given[at]; by {
		case 0:
			words = nil
		case several:
		default:
			words = words[by-1 : by]
		}
	}
	return func(yield func(grant) bool) {
		for _, word := range words {
			i, _ := slices.BinarySearchFunc(list, word, func(g grant, word uint32) int { return cmp.Compare(g.whom, word) })
			for ; i < len(list) && list[i].whom == word; i++ {
				if !yield(list[i]) {
					return
				}
			}
		}
	}
}
