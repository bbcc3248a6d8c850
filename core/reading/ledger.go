package reading

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/parallel"
	"gatemap/core/rule"
	"gatemap/core/sorted"
)

// ledger is what both sides give to whom, in words that both have: a group of the map that is tied
// to one there has the name of that.
type ledger struct {
	points      []Point   // of both, in order
	here, there [][]grant // what the sides say of each point, in the order of the words
	whom        []string  // by the number of the word
	lines       []*rule.Rule
	names       [2]namings
	plain       bool   // who has something follows from words alone
	always      uint32 // the word of no condition
	// written are the lines that write a point just so, by side; nil: all that give it do.
	written [2]map[Point]rule.LineSet
}

// Point is an object and a right of it.
type Point struct{ Object, Right string }

func comparePoints(a, b Point) int {
	return cmp.Or(strings.Compare(a.Object, b.Object), strings.Compare(a.Right, b.Right))
}

// grant is what a line says of one that it names: words are numbered.
type grant struct {
	whom  uint32
	takes bool
	when  uint32
	line  uint32
}

func compareGrants(a, b grant) int {
	order := cmp.Compare(a.whom, b.whom)
	if order == 0 && a.takes != b.takes {
		order = 1
		if b.takes {
			order = -1
		}
	}
	return order
}

// is says that another grant is the same, on the same condition, whatever line it is of.
func (g grant) is(h grant) bool { return compareGrants(g, h) == 0 && g.when == h.when }

// numbered numbers words.
type numbered map[string]uint32

func (n numbered) of(word string) uint32 {
	number, known := n[word]
	if !known {
		number = uint32(len(n))
		n[word] = number
	}
	return number
}

// all lists the words by number.
func (n numbered) all() []string {
	words := make([]string, len(n))
	for word, number := range n {
		words[number] = word
	}
	return words
}

// everyone is whom a line for everyone there is for; butNot stands before who is excepted.
const (
	everyone = "everyone"
	butNot   = ", but not "
)

func (d *Drift) newLedger() *ledger {
	c, words, l := d.Of, numbered{}, &ledger{plain: len(d.Of.names.called) == 0}
	l.always = words.of("")
	l.lines = d.here.Site.Index.All()
	byMap := d.named(l, 0, d.here, words, d.book, func(g directory.GroupID) string {
		if own, tied := c.theirs[g]; tied {
			return own
		}
		if c.hasAll(g) {
			return everyone
		}
		return d.book.GroupName(g) + " (not there)"
	})
	byReading := d.named(l, 1, d.there, words, c.Atlas.Book, func(g directory.GroupID) string {
		return c.called(c.names.own[c.Atlas.Book.GroupName(g)])
	})
	var here, there []given
	plain := [2]bool{}
	parallel.Do(
		func() { here, plain[0] = d.grants(d.here, byMap) },
		func() { there, plain[1] = d.grants(d.there, byReading) },
	)
	l.plain = l.plain && plain[0] && plain[1]
	if d.asWritten != nil {
		l.written = [2]map[Point]rule.LineSet{written(d.asWritten), written(c.System)}
	}
	most := max(len(here), len(there))
	l.points, l.here, l.there = make([]Point, 0, most), make([][]grant, 0, most), make([][]grant, 0, most)
	sorted.Beside(here, there, func(x, y *given) int { return comparePoints(x.Point, y.Point) }, func(x, y *given) {
		var none given
		switch {
		case x != nil && y != nil:
		case y != nil && d.asWritten != nil: // only lines for accounts that are left aside list it
			return
		case y != nil:
			none.Point, x = y.Point, &none
		default:
			y = &none
		}
		l.points, l.here, l.there = append(l.points, x.Point), append(l.here, x.grants), append(l.there, y.grants)
	})
	l.whom = words.all()
	for n, word := range l.whom {
		l.whom[n] = strings.ReplaceAll(word, "\n", butNot)
	}
	return l
}

// written are the points that the lines of a system write, with the lines.
func written(s *atlas.System) map[Point]rule.LineSet {
	all := map[Point]rule.LineSet{}
	s.Gate.Given(func(x rule.Given) {
		lines := x.Gives
		lines.Join(x.Takes)
		all[Point{x.Object, x.Right}] = lines
	})
	return all
}

// hasAll says whether a group of the map has everyone there in it: all who have an account.
func (c *Compiled) hasAll(g directory.GroupID) bool {
	for i := range c.Accounts {
		name := c.Accounts[i].Name
		u, tied := c.UserOf[name]
		if !c.Ignored(name) && (!tied || !c.Now.Book.Subject(u).In(g)) {
			return false
		}
	}
	return len(c.UserOf) > 0
}

// named is what the lines of a system say of each that they name, by line; group names a group as the
// reading does.
func (d *Drift) named(
	l *ledger, side int, s *atlas.System, words numbered, book *directory.Book, group func(directory.GroupID) string,
) [][]grant {
	lines := s.Site.Index.All()
	whom := make([][]grant, len(lines))
	names := &l.names[side]
	names.groups, names.users = map[directory.GroupID][]naming{}, map[directory.UserID][]naming{}
	for i, r := range lines {
		whom[i] = d.namedBy(r, words, book, group, names)
		l.plain = l.plain && r.Only == nil && len(r.Claims) == 0
	}
	return whom
}

// given is what the lines of a system give at a point.
type given struct {
	Point
	grants []grant // in the order of the words
}

// grants lists what the lines of a system give to whom, by point; plain says that who has something
// follows from that alone.
func (d *Drift) grants(s *atlas.System, whom [][]grant) (all []given, plain bool) {
	plain = true
	var of [][]grant // what the lines of one point say
	for _, list := range whom {
		slices.SortFunc(list, compareGrants)
	}
	s.Gate.Given(func(x rule.Given) {
		plain = plain && x.Plain
		if !d.Of.can(x.Object, x.Right) {
			return
		}
		of = of[:0]
		for _, set := range []rule.LineSet{x.Gives, x.Takes} {
			for n := range set.All() {
				of = append(of, whom[n])
			}
		}
		var list []grant
		if len(of) == 1 { // what the only one says is not written again
			list = of[0]
		} else {
			list = slices.Concat(of...)
			slices.SortFunc(list, compareGrants)
		}
		if len(all) == cap(all) { // append alone makes room for less, and so more often
			all = slices.Grow(all, max(len(all), 64))
		}
		all = append(all, given{Point{x.Object, x.Right}, list})
	})
	inOrder := func(a, b given) int { return comparePoints(a.Point, b.Point) }
	if !slices.IsSortedFunc(all, inOrder) {
		slices.SortFunc(all, inOrder)
	}
	return all, plain
}
