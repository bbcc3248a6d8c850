package gate

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/name"
)

// Holding is a right that a system was found to give: to an account, or to all in a group.
type Holding struct {
	Account, Group string // one of them
	Object, Right  string
}

// Held are those who hold the same.
type Held struct {
	Object, Right string
	Who
}

// Together puts holdings of the same object and right together, in their order.
func Together(list []Holding) (all []Held) {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b Holding) int {
		return cmp.Or(
			strings.Compare(a.Object, b.Object),
			strings.Compare(a.Right, b.Right),
			strings.Compare(a.Group, b.Group),
			strings.Compare(a.Account, b.Account),
		)
	})
	for _, h := range slices.Compact(list) {
		if n := len(all); n == 0 || all[n-1].Object != h.Object || all[n-1].Right != h.Right {
			all = append(all, Held{Object: h.Object, Right: h.Right})
		}
		last := &all[len(all)-1]
		if h.Group != "" {
			last.Groups = append(last.Groups, name.Ref{Name: h.Group})
		} else {
			last.Users = append(last.Users, name.Ref{Name: h.Account})
		}
	}
	return all
}
