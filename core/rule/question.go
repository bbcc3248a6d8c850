package rule

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/situation"
)

// Question is a subject in a situation. It belongs to one goroutine.
type Question struct {
	Book    *directory.Book
	Subject *directory.Subject
	Facts   *situation.Facts
	// Brief asks for states alone: needs, reasons and routes are left out, and
	// for the common gate types nothing is allocated.
	Brief bool
	// Pathless asks for routes that name their lines alone, without the groups on the way.
	Pathless bool
	// Texts says that the texts of each answer are read at once, as by who writes it out.
	Texts bool
	// Passes, where it is not nil, is filled in with the lines that are come to.
	Passes Passes

	ways  [][]Hop // beside the groups of the subject, once asked for
	marks marks
	slab  []Route // in which the routes of the answers lie
	told  wording

	warmed uint32 // what was read before it is needed; nothing follows from it
}

// touch reads a little of a text that is going to be read.
func (q *Question) touch(s string) {
	if q.Texts && s != "" {
		q.warmed += uint32(s[0])
	}
}

// wording is what ways come to in words, as Told of situation.Facts gives it.
type wording struct {
	ways   situation.Ways
	openIf [][]situation.Need
	needs  []situation.Need
	more   bool
}

// word puts ways into words: those of one entitlement are mostly those of the one before.
func (q *Question) word(ways situation.Ways) *wording {
	if t := &q.told; t.openIf == nil || !t.ways.Same(ways) {
		t.ways = ways
		t.openIf, t.needs, t.more = q.Facts.Told(ways)
	}
	return &q.told
}

// room gives room for up to n routes, in memory that the answers of a question share.
func (q *Question) room(n int) []Route {
	const some = 64
	if cap(q.slab)-len(q.slab) < n {
		q.slab = make([]Route, 0, max(some, n))
	}
	return q.slab[len(q.slab):]
}

// kept keeps the routes that were put into the room.
func (q *Question) kept(routes []Route) []Route {
	if len(routes) == 0 {
		return nil
	}
	q.slab = q.slab[:len(q.slab)+len(routes)]
	return slices.Clip(routes)
}

// Turn asks the same about another user.
func (q *Question) Turn(u directory.UserID) {
	q.Subject.Turn(q.Book, u)
	q.ways = q.ways[:0]
	q.marks.clear()
}

var noPath = []Hop{}

// way is the subject's shortest path to a group, as hops; nil if there is
// none. It is computed once for a question.
func (q *Question) way(g directory.GroupID) []Hop {
	at, in := q.Subject.Place(g)
	switch {
	case !in:
		return nil
	case q.Pathless:
		return noPath
	}
	if len(q.ways) == 0 {
		groups := len(q.Subject.Groups())
		q.ways = slices.Grow(q.ways, groups)[:groups]
		clear(q.ways)
	}
	if q.ways[at] == nil {
		path := q.Subject.Path(g)
		hops := make([]Hop, len(path))
		for i, step := range path {
			hops[i] = Hop{q.Book.GroupName(step.Group), string(step.How)}
		}
		q.ways[at] = hops
	}
	return q.ways[at]
}

// RoutesBy are the routes by n groups to a line that gives something for being in one of them;
// brief questions have none.
func (q *Question) RoutesBy(line string, n int, group func(i int) directory.GroupID) []Route {
	if q.Brief {
		return nil
	}
	routes := q.room(n)
	for i := range n {
		routes = append(routes, Route{Mapping: line, Path: q.way(group(i))})
	}
	return q.kept(routes)
}
