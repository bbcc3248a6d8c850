package delivery

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"gatemap/core/rule"
)

// somePermissions is how many permissions something that is left out lists.
const somePermissions = 5

// LeftOut puts together what is left out: by line, by whom it names and by why. The zero LeftOut has
// nothing, and is ready to use.
type LeftOut struct{ of map[leftKey]*Left }

type leftKey struct {
	line, whom string
	why        Why
}

// Add adds a permission that is left out. Needs and People may be said of what it gives.
func (o *LeftOut) Add(line, whom string, why Why, p Permission) *Left {
	key := leftKey{line, whom, why}
	l := o.of[key]
	if l == nil {
		if o.of == nil {
			o.of = map[leftKey]*Left{}
		}
		l = &Left{Line: line, Whom: whom, Why: why}
		o.of[key] = l
	}
	l.All++
	if len(l.Permissions) < somePermissions {
		l.Permissions = append(l.Permissions, p)
	}
	return l
}

// Ungiven adds a grant that no statement gives.
func (o *LeftOut) Ungiven(g *Grant) {
	o.Add(g.Line, g.Whom(), ByKind, g.Permission())
}

// List lists it, by line, by whom and by why.
func (o *LeftOut) List() (list []Left) {
	for l := range maps.Values(o.of) {
		list = append(list, *l)
	}
	slices.SortFunc(list, func(a, b Left) int {
		return cmp.Or(
			strings.Compare(a.Line, b.Line),
			strings.Compare(a.Whom, b.Whom),
			strings.Compare(string(a.Why), string(b.Why)),
		)
	})
	return list
}

// needed is what the condition of a line asks for.
func needed(r *rule.Rule) (needs []string) {
	for _, n := range r.When.Needed() {
		needs = append(needs, string(n))
	}
	return needs
}
