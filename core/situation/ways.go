package situation

import (
	"cmp"
	"encoding/binary"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
)

// Ways are alternatives, any one of which is enough; of one alternative everything must be
// met (docs/model.md section 2). The zero Ways is none. It is immutable.
type Ways struct {
	list [][]*Literal
	more bool // there are further ones, that were given up
}

// Anyway is met in any case.
var Anyway = Ways{list: [][]*Literal{{}}}

// All is one way, by everything that is given.
func All(literals ...*Literal) Ways { return Ways{list: [][]*Literal{literals}} }

// Any are several ways, by each that is given.
func Any(literals ...*Literal) Ways {
	w := Ways{list: make([][]*Literal, len(literals))}
	for i := range literals {
		w.list[i] = literals[i : i+1]
	}
	return w
}

// None says that there is no way.
func (w Ways) None() bool { return len(w.list) == 0 }

// Same says that both are one value and its copy. Others may be equal all the same.
func (w Ways) Same(v Ways) bool {
	return w.more == v.more && len(w.list) == len(v.list) && (len(w.list) == 0 || &w.list[0] == &v.list[0])
}

// What is worked out at the most: ways in between, and ways that are given.
const (
	mostWithin = 512
	mostGiven  = 32
)

// Or are the ways of both.
func (w Ways) Or(v Ways) Ways {
	switch {
	case len(w.list) == 0:
		return Ways{v.list, v.more || w.more}
	case len(v.list) == 0:
		return Ways{w.list, v.more || w.more}
	}
	return Ways{slices.Concat(w.list, v.list), w.more || v.more}.bounded()
}

// And are the ways in which a way of each is met.
func (w Ways) And(v Ways) Ways {
	switch {
	case len(w.list) == 1 && len(w.list[0]) == 0 && !w.more:
		return v
	case len(v.list) == 1 && len(v.list[0]) == 0 && !v.more:
		return w
	}
	both := Ways{list: make([][]*Literal, 0, len(w.list)*len(v.list)), more: w.more || v.more}
	for _, a := range w.list {
		for _, b := range v.list {
			both.list = append(both.list, joined(a, b))
		}
	}
	return both.bounded()
}

// joined are the literals of two ways, each once.
func joined(a, b []*Literal) []*Literal {
	all := a[:len(a):len(a)]
	for _, l := range b {
		if !slices.ContainsFunc(a, func(x *Literal) bool { return x == l || x.Need == l.Need }) {
			all = append(all, l)
		}
	}
	return all
}

// bounded works ways out as far as there are many.
func (w Ways) bounded() Ways {
	const many = 64
	if len(w.list) <= many {
		return w
	}
	if w.list = minimal(w.list); len(w.list) > mostWithin {
		w.list, w.more = w.list[:mostWithin], true
	}
	return w
}

// Minimal are the ways without those that cannot be met or that others imply, and without
// needs that others of the same way imply, in order of length, then text; Anyway where they
// cover every case. At most 32 are given; more says whether there are others.
func (w Ways) Minimal() (list [][]*Literal, more bool) {
	if len(w.list) == 0 {
		return nil, w.more
	}
	list = minimal(w.list)
	if len(list) > 1 && !w.more && covers(list) {
		return Anyway.list, false
	}
	slices.SortFunc(list, func(a, b []*Literal) int {
		return cmp.Or(cmp.Compare(len(a), len(b)), slices.CompareFunc(a, b, compareNeeds))
	})
	if len(list) > mostGiven {
		return list[:mostGiven], true
	}
	return list, w.more
}

func minimal(list [][]*Literal) [][]*Literal {
	kept := make([][]*Literal, 0, len(list))
	for _, way := range list {
		if contradictory(way) {
			continue
		}
		kept = append(kept, shortest(way))
	}
	if len(kept) < 2 {
		return kept
	}
	slices.SortStableFunc(kept, func(a, b []*Literal) int { return cmp.Compare(len(a), len(b)) })
	var best [][]*Literal
	for i, way := range kept {
		implied := func(other []*Literal) bool { return within(way, other) }
		narrower := func(other []*Literal) bool { return within(way, other) && !within(other, way) }
		if !slices.ContainsFunc(best, implied) && !slices.ContainsFunc(kept[i+1:], narrower) {
			best = append(best, way)
		}
	}
	return best
}

// shortest is a way without needs that are always met, or that another of it implies, in
// order of text.
func shortest(way []*Literal) []*Literal {
	if len(way) == 1 {
		if contradictory(way[:1:1]) || !contradictory([]*Literal{way[0].not}) {
			return way
		}
		return nil
	}
	short := make([]*Literal, 0, len(way))
	for i, l := range way {
		if contradictory([]*Literal{l.not}) {
			continue // always
		}
		implied := false
		for j, m := range way {
			if i != j && m.implies(l) && (!l.implies(m) || j < i) {
				implied = true
				break
			}
		}
		if !implied {
			short = append(short, l)
		}
	}
	slices.SortFunc(short, compareNeeds)
	return short
}

// within says whether another way is met wherever a way is.
func within(way, other []*Literal) bool {
	for _, l := range other {
		if slices.ContainsFunc(way, func(x *Literal) bool { return x == l || x.implies(l) }) {
			continue
		}
		if !contradictory(append(way[:len(way):len(way)], l.not)) {
			return false
		}
	}
	return true
}

// covers says whether there is no situation in which none of some ways is met. Where that
// takes too long it says no.
func covers(list [][]*Literal) bool {
	steps := 0
	var outside func(i int, sofar []*Literal) bool // whether a situation is outside all of list[i:]
	outside = func(i int, sofar []*Literal) bool {
		if steps++; steps > 10_000 || i == len(list) {
			return true
		}
		for _, l := range list[i] {
			next := append(sofar[:len(sofar):len(sofar)], l.not)
			if !contradictory(next) && outside(i+1, next) {
				return true
			}
		}
		return false
	}
	return !outside(0, nil)
}

// Needs are the texts of the ways: of each what must be met.
func Needs(list [][]*Literal) [][]Need {
	all := make([][]Need, len(list))
	for i, way := range list {
		all[i] = make([]Need, len(way))
		for j, l := range way {
			all[i][j] = l.Need
		}
	}
	return all
}

// memo keeps what ways come to, as the same ones are asked for again and again. Its zero
// value is ready to use.
type memo struct {
	known sync.Map // by the identifiers of literals: told
	size  atomic.Int32
}

type told struct {
	list [][]Need
	all  []Need
	more bool
}

// most is how much a memo keeps: more is worked out each time.
const most = 20_000

// Told are the ways in words, shortest first; all that they ask for, each once; and whether
// there are further ways. It is as Minimal has it.
func (f *Facts) Told(w Ways) (list [][]Need, all []Need, more bool) {
	var short [512]byte
	key := short[:0]
	for _, way := range w.list {
		for _, l := range way {
			key = binary.NativeEndian.AppendUint32(key, l.id)
		}
		key = binary.NativeEndian.AppendUint32(key, 0)
	}
	if w.more {
		key = append(key, 1)
	}
	m := f.memo
	if known, ok := m.known.Load(string(key)); ok {
		t := known.(*told)
		return t.list, t.all, t.more
	}
	minimal, more := w.Minimal()
	t := &told{list: Needs(minimal), all: []Need{}, more: more}
	for _, way := range t.list {
		for _, n := range way {
			if !slices.Contains(t.all, n) {
				t.all = append(t.all, n)
			}
		}
	}
	if m.size.Add(1) <= most {
		m.known.Store(string(key), t)
	}
	return t.list, t.all, t.more
}

// String writes the ways, for tests and logs.
func (w Ways) String() string {
	list, more := w.Minimal()
	parts := make([]string, len(list))
	for i, way := range Needs(list) {
		words := make([]string, len(way))
		for j, n := range way {
			words[j] = string(n)
		}
		parts[i] = "(" + strings.Join(words, " and ") + ")"
	}
	text := strings.Join(parts, " or ")
	if more {
		text += " or others"
	}
	return text
}
