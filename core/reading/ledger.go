package reading

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/parallel"
	"gatemap/core/rule"
)

// ledger is what both sides give to whom, in words that both have: a group of the map that is tied
// to one there has the name of that.
type ledger struct {
	points      []point   // of both, in order
	here, there [][]grant // what the sides say of each point, in the order of the words
	whom        []string  // by the number of the word
	lines       []*rule.Rule
	names       [2]namings
	plain       bool   // who has something follows from words alone
	always      uint32 // the word of no condition
	// written are the lines that write a point just so, by side; nil: all that give it do.
	written [2]map[point]rule.LineSet
}

type point struct{ object, right string }

func comparePoints(a, b point) int {
	return cmp.Or(strings.Compare(a.object, b.object), strings.Compare(a.right, b.right))
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

// namings are the words that a user may go by on one side.
type namings struct {
	everyone []naming
	groups   map[directory.GroupID][]naming
	users    map[directory.UserID][]naming
}

// naming is a word, but for those who are excepted.
type naming struct {
	word   uint32
	except directory.Party
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
	var here, there map[point][]grant
	plain := [2]bool{}
	parallel.Do(
		func() { here, plain[0] = d.grants(d.here, byMap) },
		func() { there, plain[1] = d.grants(d.there, byReading) },
	)
	l.plain = l.plain && plain[0] && plain[1]
	if d.asWritten != nil {
		l.written = [2]map[point]rule.LineSet{written(d.asWritten), written(c.System)}
	}
	for at := range here {
		l.points = append(l.points, at)
	}
	for at := range there {
		if _, both := here[at]; !both && d.asWritten == nil { // else only lines for accounts that are left aside list it
			l.points = append(l.points, at)
		}
	}
	slices.SortFunc(l.points, comparePoints)
	for _, at := range l.points {
		l.here, l.there = append(l.here, here[at]), append(l.there, there[at])
	}
	l.whom = make([]string, len(words))
	for word, n := range words {
		l.whom[n] = strings.ReplaceAll(word, "\n", butNot)
	}
	return l
}

// written are the points that the lines of a system write, with the lines.
func written(s *atlas.System) map[point]rule.LineSet {
	all := map[point]rule.LineSet{}
	s.Gate.Given(func(x rule.Given) {
		lines := x.Gives
		lines.Join(x.Takes)
		all[point{x.Object, x.Right}] = lines
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

// grants lists what the lines of a system give to whom; plain says that who has something follows
// from that alone.
func (d *Drift) grants(s *atlas.System, whom [][]grant) (all map[point][]grant, plain bool) {
	all, plain = map[point][]grant{}, true
	s.Gate.Given(func(x rule.Given) {
		plain = plain && x.Plain
		if !d.Of.can(x.Object, x.Right) {
			return
		}
		var list []grant
		for _, set := range []rule.LineSet{x.Gives, x.Takes} {
			for n := range set.All() {
				list = append(list, whom[n]...)
			}
		}
		slices.SortFunc(list, compareGrants)
		all[point{x.Object, x.Right}] = list
	})
	return all, plain
}

// namedBy is what a rule says of each that it names.
func (d *Drift) namedBy(
	r *rule.Rule, words numbered, book *directory.Book, group func(directory.GroupID) string, names *namings,
) (list []grant) {
	if r.Nobody() {
		return nil
	}
	var conditions, except []string
	for _, n := range r.When.Needed() {
		conditions = append(conditions, string(n))
	}
	for _, g := range r.Except.Groups {
		except = append(except, "\n"+group(g))
	}
	for _, u := range r.Except.Users {
		except = append(except, "\n"+book.UserName(u))
	}
	slices.Sort(conditions)
	slices.Sort(except)
	but, when := strings.Join(except, ""), words.of(strings.Join(conditions, " "))
	add := func(who string) naming {
		n := naming{words.of(who + but), r.Except}
		list = append(list, grant{n.word, r.Effect == rule.Taking, when, r.Number()})
		return n
	}
	if r.Everyone {
		names.everyone = known(names.everyone, add(everyone))
		return list
	}
	for _, g := range r.Groups {
		names.groups[g] = known(names.groups[g], add(group(g)))
	}
	for _, u := range r.Users {
		if full := book.UserName(u); !d.ignored[full] {
			names.users[u] = known(names.users[u], add(full))
		}
	}
	return list
}

// known adds a word that is not there yet.
func known(list []naming, n naming) []naming {
	if slices.ContainsFunc(list, func(x naming) bool { return x.word == n.word }) {
		return list
	}
	return append(list, n)
}

// of adds the words that a subject goes by, in order.
func (n *namings) of(s *directory.Subject, words []uint32) []uint32 {
	add := func(list []naming) {
		for i := range list {
			x := &list[i].except
			if !slices.Contains(x.Users, s.ID) && !slices.ContainsFunc(x.Groups, s.In) {
				words = append(words, list[i].word)
			}
		}
	}
	add(n.everyone)
	add(n.users[s.ID])
	for _, g := range s.Groups() {
		add(n.groups[g])
	}
	slices.Sort(words)
	return slices.Compact(words)
}
