package reading

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/rule"
)

// Line is a line of the map that is not there as it is written, or one there that the map does
// not have.
type Line struct {
	Name string // SYSTEM/NAME, of the side that has it
	Real bool   // it is a line of the reading
	// Of what the line gives, to each that it names, so many are on the other side too.
	Same, All int
	// Condition says that the other side gives it in other situations.
	Condition bool
}

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
			return c.names.groups[own]
		}
		return "map:" + d.book.GroupName(g)
	})
	there := d.grants(c.System, words, c.Atlas.Book, c.Atlas.Book.GroupName)
	return append(lost(here, there, false), lost(there, here, true)...)
}

// grants lists what the lines of a system give to whom; group names a group as the reading does.
func (d *Drift) grants(s *atlas.System, words numbered, book *directory.Book, group func(directory.GroupID) string) grants {
	all := grants{map[point][]grant{}, s.Site.Index.All()}
	whom := make([][]grant, len(all.lines))
	for i, r := range all.lines {
		whom[i] = named(r, words, book, group)
	}
	catalogue := s.Gate.Catalogue()
	for _, object := range catalogue.Objects {
		for _, right := range catalogue.Rights {
			if !d.compiled.can(object, right) {
				continue
			}
			p, err := s.Gate.At(object, right)
			if err != nil {
				continue
			}
			var list []grant
			for n := range p.Lines().All() {
				list = append(list, whom[n]...)
			}
			slices.SortFunc(list, compareGrants)
			all.of[point{object, right}] = list
		}
	}
	return all
}

// named is what a rule says of each that it names.
func named(r *rule.Rule, words numbered, book *directory.Book, group func(directory.GroupID) string) (list []grant) {
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
		add("everyone")
		return list
	}
	for _, g := range r.Groups {
		add("group:" + group(g))
	}
	for _, u := range r.Users {
		add("user:" + book.UserName(u))
	}
	return list
}

// lost are the lines of one side, in their order, that the other does not have as they are.
func lost(of, other grants, real bool) (list []Line) {
	lines := make([]Line, len(of.lines))
	for at, given := range of.of {
		there := other.of[at]
		for _, g := range given {
			l := &lines[g.line]
			l.All++
			i, is := slices.BinarySearchFunc(there, g, compareGrants)
			if !is {
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
	for i, l := range lines {
		if l.Same < l.All || l.Condition {
			l.Name, l.Real = of.lines[i].Name, real
			list = append(list, l)
		}
	}
	return list
}
