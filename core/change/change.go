// Package change computes what differs: between two people of one map, and
// between two maps.
package change

import (
	"cmp"
	"math"
	"reflect"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/core/sorted"
)

// Pair is one entitlement as it is on two sides.
type Pair struct {
	System string           `json:"system"`
	Object string           `json:"object"`
	Right  string           `json:"right"`
	First  rule.Entitlement `json:"first"`
	Second rule.Entitlement `json:"second"`
}

// Compared are two people side by side.
type Compared struct {
	OnlyFirst  []rule.Entitlement `json:"only_first" nullable:"false"`
	OnlySecond []rule.Entitlement `json:"only_second" nullable:"false"`
	Both       []rule.Entitlement `json:"both" doc:"What both hold alike." nullable:"false"`
	Differ     []Pair             `json:"differ" doc:"What both hold, but not alike." nullable:"false"`
}

// People compares what two people hold in one situation.
func People(a *atlas.Atlas, first, second directory.UserID, f *situation.Facts) Compared {
	return Holdings(a.Reach(first, f, nil), a.Reach(second, f, nil))
}

// Holdings compares two lists of what people hold.
func Holdings(first, second []rule.Entitlement) Compared {
	c := Compared{
		OnlyFirst:  []rule.Entitlement{},
		OnlySecond: []rule.Entitlement{},
		Both:       []rule.Entitlement{},
		Differ:     []Pair{},
	}
	sideBySide(first, second, func(x, y *rule.Entitlement) {
		switch {
		case y == nil:
			c.OnlyFirst = append(c.OnlyFirst, *x)
		case x == nil:
			c.OnlySecond = append(c.OnlySecond, *y)
		case alike(x, y):
			c.Both = append(c.Both, *x)
		default:
			c.Differ = append(c.Differ, Pair{x.System, x.Object, x.Right, *x, *y})
		}
	})
	return c
}

func order(a, b *rule.Entitlement) int {
	return cmp.Or(
		strings.Compare(a.System, b.System),
		strings.Compare(a.Object, b.Object),
		strings.Compare(a.Right, b.Right),
	)
}

// sideBySide walks two lists; where one side lacks an entitlement it is nil.
func sideBySide(first, second []rule.Entitlement, visit func(x, y *rule.Entitlement)) {
	for _, list := range [][]rule.Entitlement{first, second} {
		slices.SortStableFunc(list, func(a, b rule.Entitlement) int { return order(&a, &b) })
	}
	sorted.Beside(first, second, order, visit)
}

// alike says that two entitlements come to the same, by whatever routes.
func alike(x, y *rule.Entitlement) bool {
	return x.State == y.State && x.Breadth == y.Breadth &&
		slices.EqualFunc(x.OpenIf, y.OpenIf, slices.Equal[[]situation.Need]) &&
		reflect.DeepEqual(x.Reply, y.Reply) &&
		reflect.DeepEqual(x.Claims, y.Claims)
}

// Outcome is what differs between two maps.
type Outcome struct {
	Gains      []Held           `json:"gains" doc:"Entitlements that rise from none or shut to open or depends." nullable:"false"`
	Losses     []Held           `json:"losses" doc:"The reverse." nullable:"false"`
	Changes    []Changed        `json:"changes" doc:"Everything else that differs." nullable:"false"`
	Reroutes   []Changed        `json:"reroutes,omitempty" doc:"Unchanged, but by other routes; only in trials."`
	Findings   TurnedFindings   `json:"findings"`
	Guarantees TurnedGuarantees `json:"guarantees"`

	routes bool            // tell what is rerouted
	meant  map[string]bool // networks and windows that are others than before
}

// Changed is an entitlement before and after.
type Changed struct {
	User   string           `json:"user"`
	Before rule.Entitlement `json:"before"`
	After  rule.Entitlement `json:"after"`
}

// Maps computes what differs between two maps in a situation. The error is
// about a device that one of them does not have.
func Maps(before, after *atlas.Atlas, s situation.Situation) (*Outcome, error) {
	o, err := Entitlements(before, after, s)
	if err != nil {
		return nil, err
	}
	o.Findings = turnedFindings(check.Findings(before), check.Findings(after))
	o.Guarantees = turnedGuarantees(check.Guarantees(before), check.Guarantees(after))
	return o, nil
}

// Entitlements is Maps without findings and guarantees.
func Entitlements(before, after *atlas.Atlas, s situation.Situation) (*Outcome, error) {
	o, _, err := entitlements(before, after, s, false, math.MaxInt)
	return o, err
}

// entitlements goes through the users by name until it has most effects, and says after how many users
// that was; 0 is all.
func entitlements(
	before, after *atlas.Atlas, s situation.Situation, routes bool, most int,
) (o *Outcome, looked int, err error) {
	was, is, err := onBoth(before, after, s)
	if err != nil {
		return nil, 0, err
	}
	o = nothing(before, after, routes)
	for i, user := range everyone(before, after) {
		if i > 0 && o.effects() >= most {
			looked = i
			break
		}
		o.user(user, reach(before, user, was), reach(after, user, is))
	}
	o.sort()
	return o, looked, nil
}

// effects is how many there are.
func (o *Outcome) effects() int {
	return len(o.Gains) + len(o.Losses) + len(o.Changes) + len(o.Reroutes)
}

// onBoth computes a situation on both maps.
func onBoth(before, after *atlas.Atlas, s situation.Situation) (was, is *situation.Facts, err error) {
	if was, err = before.Facts(s); err != nil {
		return nil, nil, err
	}
	is, err = after.Facts(s)
	return was, is, err
}

// nothing is an outcome in which nothing has been found yet.
func nothing(before, after *atlas.Atlas, routes bool) *Outcome {
	return &Outcome{
		Gains:   []Held{},
		Losses:  []Held{},
		Changes: []Changed{},
		routes:  routes,
		meant:   meant(before.Frame, after.Frame),
	}
}

// everyone lists the full names of the users of both maps.
func everyone(before, after *atlas.Atlas) []string {
	names := slices.Collect(before.Book.UserNames())
	for n := range after.Book.UserNames() {
		if _, err := before.Book.FindUser(n, ""); err != nil {
			names = append(names, n)
		}
	}
	slices.Sort(names)
	return names
}

func reach(a *atlas.Atlas, user string, f *situation.Facts) []rule.Entitlement {
	u, err := a.Book.FindUser(user, "")
	if err != nil {
		return nil
	}
	return a.Reach(u, f, nil)
}

func (o *Outcome) user(user string, before, after []rule.Entitlement) {
	sideBySide(before, after, func(x, y *rule.Entitlement) { o.point(user, x, y) })
}

// point notes one entitlement of a user before and after; nil is none.
func (o *Outcome) point(user string, x, y *rule.Entitlement) {
	was, is := x != nil && x.State >= rule.Depends, y != nil && y.State >= rule.Depends
	switch {
	case is && !was:
		o.Gains = append(o.Gains, held(user, y, x, y))
	case was && !is:
		o.Losses = append(o.Losses, held(user, x, x, y))
	case x == nil:
		o.Changes = append(o.Changes, Changed{user, missing(y), *y})
	case y == nil:
		o.Changes = append(o.Changes, Changed{user, *x, missing(x)})
	case !alike(x, y) || o.meansOther(x):
		o.Changes = append(o.Changes, Changed{user, *x, *y})
	case o.routes && rerouted(x, y):
		o.Reroutes = append(o.Reroutes, Changed{user, *x, *y})
	}
}

// meansOther says whether something depends on a network or a window that is another
// under the same name.
func (o *Outcome) meansOther(e *rule.Entitlement) bool {
	if len(o.meant) == 0 || e.State != rule.Depends {
		return false
	}
	return slices.ContainsFunc(e.Needs, func(n situation.Need) bool {
		kind, value, _ := strings.Cut(strings.TrimPrefix(string(n), "not-"), ":")
		return slices.ContainsFunc(strings.Split(value, "|"), func(named string) bool { return o.meant[kind+":"+named] })
	})
}

// meant are the networks and windows that have other addresses or times than before, or
// another spelling.
func meant(before, after *situation.Frame) map[string]bool {
	other := map[string]bool{}
	unlike(before, after, func(kind, named string, there bool) {
		if there {
			other[kind+":"+named] = true
		}
	})
	return other
}

// rerouted says that two entitlements come by different routes. A line that has a
// number for a name is not another because its number is.
func rerouted(x, y *rule.Entitlement) bool {
	return !slices.EqualFunc(x.Routes, y.Routes, func(a, b rule.Route) bool {
		return a.Direct == b.Direct && slices.Equal(a.Path, b.Path) &&
			(a.Mapping == b.Mapping || numbered(a.Mapping) && numbered(b.Mapping))
	})
}

func numbered(line string) bool {
	last := line[len(line)-1]
	return last >= '0' && last <= '9'
}

// missing is the entitlement that nobody gives.
func missing(like *rule.Entitlement) rule.Entitlement {
	e := rule.Entitlement{System: like.System, Object: like.Object, Right: like.Right}
	e.Settle(nil)
	return e
}
