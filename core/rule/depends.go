package rule

import (
	"slices"

	"gatemap/core/directory"
)

// Dependencies are what is looked at in a subject besides whom lines name: subjects who
// are alike in it, and of one directory, are answered alike.
type Dependencies struct {
	Attributes []string             // by folded name
	Groups     []directory.GroupID  // whether the subject is in each of them
	Users      [][]directory.UserID // whether the subject is one of each of these, or of the others
	Apart      []directory.UserID   // those who are looked at one by one
	// Shown are attributes, and sets of groups, whose values or names are handed
	// on: all that is decided by them is whether there is any.
	Shown       []string
	ShownGroups [][]directory.GroupID
}

// Join adds what something else looks at.
func (d *Dependencies) Join(other Dependencies) {
	d.Attributes, d.Groups = append(d.Attributes, other.Attributes...), append(d.Groups, other.Groups...)
	d.Users, d.Apart = append(d.Users, other.Users...), append(d.Apart, other.Apart...)
	d.Shown, d.ShownGroups = append(d.Shown, other.Shown...), append(d.ShownGroups, other.ShownGroups...)
}

// Gives are the rules without any of which there is nothing to have: none, and false, where
// there is a default.
func (d *Decision) Gives() (gives LineSet, needed bool) {
	for n := range d.Ordered.All() {
		if d.Index.rules[n].Effect == Giving {
			gives.put(n)
		}
	}
	for l := d.Nearest; l != nil; l = l.Next {
		gives.Join(l.Gives)
	}
	return gives, d.Default == nil
}

// Lines are the rules that a decision looks at, with those that facts come from.
func (d *Decision) Lines() LineSet {
	var lines LineSet
	for _, s := range []LineSet{d.Ordered, d.Limits, d.Asks, d.Watched} {
		lines.Join(s)
	}
	for l := d.Nearest; l != nil; l = l.Next {
		lines.Join(l.Gives)
		lines.Join(l.Takes)
	}
	for _, lock := range d.Locks {
		lines.Join(lock.Lines())
	}
	for _, fact := range d.facts(lines) {
		lines.Join(fact.Lines())
	}
	return lines
}

// facts are those that a decision looks at, which has some lines.
func (d *Decision) facts(lines LineSet) (facts []Fact) {
	add := func(f Fact) {
		if f != nil && !slices.Contains(facts, f) {
			facts = append(facts, f)
		}
	}
	add(d.Only)
	for _, r := range d.Index.Some(lines) {
		add(r.Only)
	}
	return facts
}

// Depends is what a decision looks at in a subject besides whom its lines name.
func (d *Decision) Depends(book *directory.Book) Dependencies {
	return d.depends(book, map[any]bool{})
}

// depends is Depends, but for facts, locks and overrides that were seen before.
func (d *Decision) depends(book *directory.Book, seen map[any]bool) (all Dependencies) {
	add := func(x interface {
		Depends(*directory.Book) Dependencies
	}) {
		if !seen[x] {
			seen[x] = true
			all.Join(x.Depends(book))
		}
	}
	for _, fact := range d.facts(d.Lines()) {
		add(fact)
	}
	for _, lock := range d.Locks {
		add(lock)
	}
	if d.Override != nil {
		add(d.Override)
	}
	return all
}

// Misses lists the rules that would give something to the subject, none of which does.
func (d *Decision) Misses(q *Question) (misses []Miss) {
	gives, _ := d.Gives()
	for _, r := range d.Index.Some(gives) {
		misses = r.Miss(q, misses)
	}
	return misses
}

// Miss adds a rule that is not for the subject, with what is lacking, if that can be had.
func (r *Rule) Miss(q *Question, to []Miss) []Miss {
	if lacks := r.Lacks(q); lacks != nil {
		return append(to, Miss{Mapping: r.Name, Lacks: lacks})
	}
	return to
}
