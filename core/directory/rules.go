package directory

import (
	"cmp"
	"fmt"
	"iter"
	"slices"

	"gatemap/core/filter"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/parallel"
)

// checkRule reports attributes that the rule names and no user has, and numbers that it
// compares as text.
func (j *joining) checkRule() {
	b, rule := j.book, j.group.Rule
	for a := range rule.Filter.Attributes() {
		if a.AsText != "" {
			j.find(
				finding.NumberAsText,
				rule.Place,
				[]string{b.GroupName(j.id), a.Name},
				fmt.Sprintf(
					"The rule of group %s orders %s (column %d of the rule) by %q as text, in which 10 comes before 9.",
					b.GroupName(j.id),
					a.Name,
					a.Column,
					a.AsText,
				),
				"Write the number without quotes.",
			)
		}
		if b.HasAttribute(a.Name) {
			continue
		}
		near := name.Near(a.Name, b.AttributeNames())
		j.find(finding.UnknownAttribute, rule.Place, []string{b.GroupName(j.id), a.Name},
			fmt.Sprintf("The rule of group %s uses the attribute %s (column %d of the rule), which no user has%s",
				b.GroupName(j.id), a.Name, a.Column, cmp.Or(name.DidYouMean(near), ".")),
			"Correct the name of the attribute, or add the attribute to the source.")
	}
}

// rules are the groups with a rule, by the attributes that the rules read: a
// change of one attribute asks again only the rules that read it.
type rules struct {
	groups []GroupID
	reads  map[GroupID][]string // folded attributes, in order
	by     map[string][]GroupID // by folded attribute
}

func newRules(b *Book) *rules {
	r := &rules{reads: map[GroupID][]string{}, by: map[string][]GroupID{}}
	for id, g := range b.groups.records {
		if g.Rule == nil {
			continue
		}
		reads := slices.Compact(slices.Sorted(g.Rule.Filter.Reads()))
		r.groups, r.reads[GroupID(id)] = append(r.groups, GroupID(id)), reads
		for _, a := range reads {
			r.by[a] = append(r.by[a], GroupID(id))
		}
	}
	return r
}

// describes says whether a group's rule makes a user a member: of all
// directories, or of its own where the group is members_from: own.
func (b *Book) describes(g GroupID, u UserID) bool {
	return b.mayTake(g, u) && b.Group(g).Rule.Filter.Match(record{b.users.records[u], b.exact[b.users.home[u]]})
}

// described are the links of all users whom the rule of one group describes.
func (b *Book) described(g GroupID) []link {
	if reads := b.rules.reads[g]; !slices.ContainsFunc(reads, b.own) {
		start, ok := b.Group(g).Rule.Filter.Start()
		return b.ofKinds(g, reads, start, ok)
	}
	return slices.Concat(inPieces(b.users.written, func(users []uint32) (some []link) {
		for _, u := range users {
			if b.describes(g, UserID(u)) {
				some = append(some, newLink(u, byRule))
			}
		}
		return some
	})...)
}

// Matching yields the users whom a filter matches, of one directory, or of all where
// none is named.
func (b *Book) Matching(f *filter.Filter, home string) iter.Seq[UserID] {
	return func(yield func(UserID) bool) {
		for u := range b.AllUsers {
			user := b.User(u)
			if (home == "" || name.Equal(home, b.UserHome(u))) && f.Match(record{user, b.exact[b.users.home[u]]}) && !yield(u) {
				return
			}
		}
	}
}

// mayTake says whether a group takes members from the directory of a user.
func (b *Book) mayTake(g GroupID, u UserID) bool {
	return b.Group(g).MembersFrom != "own" || b.users.home[u] == b.groups.home[g]
}

// casts says whether some directory compares an attribute with regard to case.
func (b *Book) casts(attribute string) bool {
	return slices.ContainsFunc(b.exact, func(exact map[string]bool) bool { return exact[attribute] })
}

// enrol adds those whom rules describe. Users who have the same values of all
// attributes that a rule reads are asked once; where nearly everyone has a value
// of their own, only those who can match are asked.
func (r *rules) enrol(b *Book, members [][]link) {
	own, sorted := map[string]bool{}, map[string]postings{}
	var shared []string
	for a := range r.by {
		if own[a] = b.own(a); own[a] {
			sorted[a] = b.postings(a)
		} else {
			shared = append(shared, a)
		}
	}
	b.prepare(shared)
	parallel.For(len(r.groups), 8, func(from, to int) {
		for _, g := range r.groups[from:to] {
			start, ok := b.Group(g).Rule.Filter.Start()
			if slices.ContainsFunc(r.reads[g], func(a string) bool { return own[a] }) {
				sure := ok && start.Alone && sorted[start.Attribute] != nil && !b.casts(start.Attribute)
				for u := range sorted[start.Attribute].candidates(b, start, ok) {
					if sure && b.mayTake(g, u) || !sure && b.describes(g, u) {
						members[g] = append(members[g], newLink(uint32(u), byRule))
					}
				}
				continue
			}
			members[g] = b.ofKinds(g, r.reads[g], start, ok)
		}
	})
}

// ofKinds are the links of the users whom the rule of a group describes, found by the
// kinds of users that have the same of what it reads.
func (b *Book) ofKinds(g GroupID, reads []string, start filter.Start, ok bool) []link {
	k, like := b.Kinds(reads), b.likeness(reads)
	var kinds []int
	count := 0
	for kind := range b.starting(k, reads, start, ok) {
		users := k.Users(kind)
		like.user = users[0]
		if b.mayTake(g, like.user) && b.Group(g).Rule.Filter.Match(like) {
			kinds = append(kinds, kind)
			count += len(users)
		}
	}
	links := make([]link, 0, count)
	for _, kind := range kinds {
		for _, u := range k.Users(kind) {
			links = append(links, newLink(uint32(u), byRule))
		}
	}
	return links
}
