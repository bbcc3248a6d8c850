package directory

import (
	"cmp"
	"encoding/binary"
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/core/filter"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/parallel"
)

// collectAttributes notes which attributes users have.
func (b *Book) collectAttributes() {
	b.attributes = map[string]bool{}
	if b.Users() > 0 {
		b.attributes["USERNAME"], b.attributes["ACTIVE"] = true, true
	}
	for _, u := range b.users.records {
		if !u.Expires.IsZero() {
			b.attributes["EXPIRES"] = true
		}
		for i := range u.Attributes {
			if folded := u.Attributes[i].folded; !b.attributes[folded] {
				b.attributes[folded] = true
				head, _, _ := strings.Cut(folded, ".")
				b.attributes[head] = true
			}
		}
	}
}

// checkRule reports attributes that the rule names and no user has.
func (j *joining) checkRule() {
	b, rule := j.book, j.group.Rule
	for a := range rule.Filter.Attributes() {
		if b.HasAttribute(a.Name) {
			continue
		}
		near := name.Near(a.Name, b.AttributeNames())
		j.find(finding.UnknownAttribute, rule.Place, []string{b.GroupName(j.id), a.Name},
			fmt.Sprintf("The rule of group %s asks for the attribute %s (column %d of the rule), which no user has%s",
				b.GroupName(j.id), a.Name, a.Column, cmp.Or(name.DidYouMean(near), ".")),
			"Correct the attribute's name, or see that the directory brings it in.")
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
// directories, or of its own where the group draws own.
func (b *Book) describes(g GroupID, u UserID) bool {
	group := b.Group(g)
	if group.Draws == "own" && b.users.home[u] != b.groups.home[g] {
		return false
	}
	return group.Rule.Filter.Match(record{b.users.records[u], b.exact[b.users.home[u]]})
}

// enrol adds those whom rules describe. Users who have the same values of all
// attributes that a rule reads are asked once.
func (r *rules) enrol(b *Book, members [][]link) {
	kinds := newKinds(b)
	alike := map[string]*Kinds{}
	for _, g := range r.groups {
		key := strings.Join(r.reads[g], "\x00")
		if alike[key] == nil {
			alike[key] = kinds.of(r.reads[g])
		}
	}
	parallel.For(len(r.groups), 8, func(from, to int) {
		for _, g := range r.groups[from:to] {
			k := alike[strings.Join(r.reads[g], "\x00")]
			for kind := range k.Count() {
				users := k.Users(kind)
				if !b.describes(g, users[0]) {
					continue
				}
				for _, u := range users {
					members[g] = append(members[g], newLink(uint32(u), byRule))
				}
			}
		}
	})
}

// Kinds sorts all users by the values of some attributes and by their
// directory: two users are of one kind where all of these are the same.
type Kinds struct {
	of    []uint32 // by user
	users lists[UserID]
}

// Count says how many kinds there are; they are numbered from 0.
func (k *Kinds) Count() int { return len(k.users.start) - 1 }

// Of gives the kind of a user.
func (k *Kinds) Of(u UserID) uint32 { return k.of[u] }

// Users lists the users of a kind, in order.
func (k *Kinds) Users(kind int) []UserID { return k.users.at(uint32(kind)) }

// Kinds sorts the users by the values of attributes, given by folded name.
func (b *Book) Kinds(attributes []string) *Kinds { return newKinds(b).of(attributes) }

// kinds remembers the columns of attributes, so that several sets of them can
// be put together.
type kinds struct {
	book    *Book
	columns map[string][]uint32
}

func newKinds(b *Book) *kinds { return &kinds{b, map[string][]uint32{}} }

func (k *kinds) of(attributes []string) *Kinds {
	b := k.book
	of := make([]uint32, b.Users())
	for u, home := range b.users.home {
		of[u] = uint32(home)
	}
	for _, a := range attributes {
		if k.columns[a] == nil {
			k.columns[a] = b.column(a)
		}
		of = paired(of, k.columns[a])
	}
	if len(attributes) == 0 {
		of = paired(of, make([]uint32, len(of)))
	}
	count := uint32(0)
	for _, kind := range of {
		count = max(count, kind+1)
	}
	l := lists[UserID]{start: make([]uint32, count+1), all: make([]UserID, len(of))}
	for _, kind := range of {
		l.start[kind+1]++
	}
	for i := range count {
		l.start[i+1] += l.start[i]
	}
	next := slices.Clone(l.start[:count])
	for u, kind := range of {
		l.all[next[kind]] = UserID(u)
		next[kind]++
	}
	return &Kinds{of, l}
}

// paired numbers the pairs of two columns, in the order in which they come.
func paired(a, b []uint32) []uint32 {
	numbers := map[uint64]uint32{}
	out := make([]uint32, len(a))
	for i := range a {
		key := uint64(a[i])<<32 | uint64(b[i])
		n, ok := numbers[key]
		if !ok {
			n = uint32(len(numbers))
			numbers[key] = n
		}
		out[i] = n
	}
	return out
}

// column numbers the values that users have of an attribute: equal numbers are
// equal values, spelling included.
func (b *Book) column(attribute string) []uint32 {
	numbers := map[string]uint32{}
	out := make([]uint32, b.Users())
	var key []byte
	for u := range out {
		key = key[:0]
		for _, v := range b.Values(UserID(u), attribute) {
			key = appendValue(key, v)
		}
		n, ok := numbers[string(key)]
		if !ok {
			n = uint32(len(numbers))
			numbers[string(key)] = n
		}
		out[u] = n
	}
	return out
}

// appendValue writes a value so that different ones are written differently.
func appendValue(b []byte, v filter.Value) []byte {
	b = append(b, byte(v.Kind))
	b = binary.AppendUvarint(b, uint64(len(v.Text)))
	b = append(b, v.Text...)
	if v.Kind != filter.Complex {
		return b
	}
	b = binary.AppendUvarint(b, uint64(len(v.Sub)))
	for _, key := range slices.Sorted(maps.Keys(v.Sub)) {
		b = binary.AppendUvarint(b, uint64(len(key)))
		b = append(b, key...)
		b = binary.AppendUvarint(b, uint64(len(v.Sub[key])))
		for _, s := range v.Sub[key] {
			b = appendValue(b, s)
		}
	}
	return b
}
