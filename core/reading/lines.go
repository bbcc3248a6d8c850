package reading

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/rule"
)

// Line is a line of the map that is not there as it is written, or what someone is given there
// and by no line of the map.
type Line struct {
	Name string // of the map, as SYSTEM/NAME; or a group or account, by its name there
	Real bool   // it is given there
	// Of what it gives, to each that it names, so many are on the other side too.
	Same, All int
	// Lacking is the first of what is not.
	Lacking []Grant
	// Condition says that the other side gives it in other situations.
	Condition bool
}

// Grant is a right that someone is given, or denied.
type Grant struct {
	Whom          string // a group or account by its name there, or as the map has it; everyone
	Object, Right string
	Denied        bool
}

// someGrants is how many grants a line names that the other side does not have.
const someGrants = 5

// grants are what the lines of one side give, by object and right.
type grants struct {
	of    map[point][]grant
	lines []*rule.Rule
}

type point struct{ object, right string }

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

// lines compares the lines of both sides by what they give to whom.
func (d *Drift) lines() []Line {
	c, words := d.compiled, numbered{}
	here := d.grants(d.here, words, d.book, func(g directory.GroupID) string {
		if own, tied := c.theirs[g]; tied {
			return own
		}
		if c.hasAll(g) {
			return everyone
		}
		return d.book.GroupName(g) + " (not there)"
	})
	there := d.grants(c.System, words, c.Atlas.Book, func(g directory.GroupID) string { return c.names.own[c.Atlas.Book.GroupName(g)] })
	whom := make([]string, len(words))
	for word, n := range words {
		whom[n] = strings.ReplaceAll(word, "\n", ", but not ")
	}
	list := lost(here, there, whom, func(g grant) string { return here.lines[g.line].Name })
	for _, l := range lost(there, here, whom, func(g grant) string { return whom[g.whom] }) {
		l.Real = true
		list = append(list, l)
	}
	return list
}

// everyone is whom a line for everyone there is for.
const everyone = "everyone"

// hasAll says whether a group of the map has everyone there in it: all who have an account.
func (c *Compiled) hasAll(g directory.GroupID) bool {
	for i := range c.Accounts {
		account := c.Accounts[i].Name
		u, tied := c.UserOf[account]
		if !c.Ignored(account) && (!tied || !c.Now.Book.Subject(u).In(g)) {
			return false
		}
	}
	return len(c.UserOf) > 0
}

// grants lists what the lines of a system give to whom; group names a group as the reading does.
func (d *Drift) grants(s *atlas.System, words numbered, book *directory.Book, group func(directory.GroupID) string) grants {
	all := grants{map[point][]grant{}, s.Site.Index.All()}
	whom := make([][]grant, len(all.lines))
	for i, r := range all.lines {
		whom[i] = d.named(r, words, book, group)
	}
	s.Gate.Given(func(object, right string, gives, takes rule.LineSet) {
		if !d.compiled.can(object, right) {
			return
		}
		var list []grant
		for _, lines := range []rule.LineSet{gives, takes} {
			for n := range lines.All() {
				list = append(list, whom[n]...)
			}
		}
		slices.SortFunc(list, compareGrants)
		all.of[point{object, right}] = list
	})
	return all
}

// named is what a rule says of each that it names.
func (d *Drift) named(r *rule.Rule, words numbered, book *directory.Book, group func(directory.GroupID) string) (list []grant) {
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
	add := func(who string) {
		list = append(list, grant{words.of(who + strings.Join(except, "")), r.Effect == rule.Taking, words.of(strings.Join(conditions, " ")), r.Number()})
	}
	if r.Everyone {
		add(everyone)
		return list
	}
	for _, g := range r.Groups {
		add(group(g))
	}
	for _, u := range r.Users {
		if full := book.UserName(u); !d.ignored[full] {
			add(full)
		}
	}
	return list
}

// lost is what one side gives and the other does not, put together by what it is of.
func lost(of, other grants, whom []string, by func(grant) string) (list []Line) {
	lines := map[string]*Line{}
	for _, at := range slices.SortedFunc(maps.Keys(of.of), comparePoints) {
		there := other.of[at]
		for _, g := range of.of[at] {
			named := by(g)
			l := lines[named]
			if l == nil {
				l = &Line{Name: named}
				lines[named] = l
			}
			l.All++
			i, is := slices.BinarySearchFunc(there, g, compareGrants)
			if !is {
				if len(l.Lacking) < someGrants {
					l.Lacking = append(l.Lacking, Grant{whom[g.whom], at.object, at.right, g.takes})
				}
				continue
			}
			l.Same++
			same := false
			for ; i < len(there) && compareGrants(there[i], g) == 0; i++ {
				same = same || there[i].when == g.when
			}
			l.Condition = l.Condition || !same
		}
	}
	for _, l := range lines {
		if l.Same < l.All || l.Condition {
			list = append(list, *l)
		}
	}
	slices.SortFunc(list, func(a, b Line) int { return strings.Compare(a.Name, b.Name) })
	return list
}

func comparePoints(a, b point) int {
	return cmp.Or(strings.Compare(a.object, b.object), strings.Compare(a.right, b.right))
}
