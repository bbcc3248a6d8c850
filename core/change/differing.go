package change

import (
	"cmp"
	"errors"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/rule"
)

// difference is something that is held before or after, or both, but not alike;
// where it is not held at all, the point is nil.
type difference struct{ was, is rule.Permission }

// points finds points of a system, each once.
type points struct {
	system *atlas.System
	known  map[[2]string]rule.Permission
}

func (p *points) of(e *rule.Entitlement) (rule.Permission, error) {
	if e == nil {
		return nil, nil
	}
	key := [2]string{e.Object, e.Right}
	if known, ok := p.known[key]; ok {
		return known, nil
	}
	point, err := p.system.Gate.At(e.Object, e.Right)
	p.known[key] = point
	return point, err
}

func differing(o *Outcome, old, fresh *points, before, after []rule.Entitlement) (all []difference, err error) {
	sideBySide(before, after, func(x, y *rule.Entitlement) {
		if x == nil || y == nil || !alike(x, y) || rerouted(x, y) || o.meansOther(x) {
			was, oldErr := old.of(x)
			is, freshErr := fresh.of(y)
			err = errors.Join(err, oldErr, freshErr)
			all = append(all, difference{was, is})
		}
	})
	return all, err
}

func decided(a *atlas.Atlas, q *rule.Question, s *atlas.System, p rule.Permission) *rule.Entitlement {
	if p == nil {
		return nil
	}
	e := a.Decide(q, s, p)
	return &e
}

// sort puts everything in the order of users, systems, objects and rights.
func (o *Outcome) sort() {
	held := func(a, b *Held) int {
		return cmp.Or(strings.Compare(a.User, b.User), order(&a.Entitlement, &b.Entitlement))
	}
	o.Gains, o.Losses = inOrder(o.Gains, held), inOrder(o.Losses, held)
	changed := func(a, b *Changed) int {
		return cmp.Or(strings.Compare(a.User, b.User), order(&a.Before, &b.Before))
	}
	o.Changes, o.Reroutes = inOrder(o.Changes, changed), inOrder(o.Reroutes, changed)
}

// inOrder sorts large things by moving each once.
func inOrder[T any](list []T, compare func(a, b *T) int) []T {
	places := make([]int, len(list))
	for i := range places {
		places[i] = i
	}
	slices.SortFunc(places, func(i, j int) int { return cmp.Or(compare(&list[i], &list[j]), cmp.Compare(i, j)) })
	sorted := make([]T, len(list))
	for to, from := range places {
		sorted[to] = list[from]
	}
	return sorted
}
