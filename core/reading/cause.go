package reading

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/parallel"
	"gatemap/core/rule"
)

// Why says what kind of thing explains a part of a drift.
type Why string

// What explains that someone holds less there, and more.
const (
	NoAccount  Why = "no-account"  // the user has no account there
	AccountOff Why = "account-off" // the account cannot be used there
	NoGroup    Why = "no-group"    // the group is not there
	NotMember  Why = "not-member"  // the account is not in the group there
	NotGranted Why = "not-granted" // the line of the map is not there
	Stopped    Why = "stopped"     // a line there stops it

	OffHere       Why = "off-here"       // by the map the account is switched off, or has ended
	LacksHere     Why = "lacks-here"     // by the map the account lacks what the system requires
	Unknown       Why = "unknown"        // the account belongs to nobody of the map
	ExtraMember   Why = "extra-member"   // the account is in the group there, and by the map is not
	ExtraNesting  Why = "extra-nesting"  // a group is in another there, and by the map is not
	ForeignGroup  Why = "foreign-group"  // a group there that is none of the map's gives it
	ExtraGrant    Why = "extra-grant"    // a line there gives it to a group, and the map has none
	DirectGrant   Why = "direct-grant"   // a line there gives it to the account itself
	ToEveryone    Why = "to-everyone"    // a line there gives it to everyone
	Unconditional Why = "unconditional"  // it is given there in more situations than by the map
	Elsewhere     Why = "other-decision" // the lines there decide otherwise
)

// Cause explains a part of a drift.
type Cause struct {
	Effect Effect
	Why    Why
	User   string // the user or account concerned, if it is one
	Group  string // the group of the map, or without one that there
	There  string // the group there, or the line there that stops it
	Line   string // the line of the map
	Lacks  string // the attribute
	// Users and Items are how many people and entitlements it explains.
	Users, Items int
}

// explain finds the causes of all items.
func (d *Drift) explain() {
	const piece = 4096
	parallel.For(len(d.Items), piece, func(from, to int) {
		here, there := d.sides(false)
		for i := from; i < to; i++ {
			x := &d.Items[i]
			if x.cause != nil {
				continue
			}
			c := d.cause(x, here, there)
			c.Effect = x.Effect()
			x.cause = &c
			d.settle(x, here, there)
		}
	})
	at := map[Cause]int{}
	user := map[int]string{} // the user whom a cause was met with last: items are by user
	var last *Cause
	n := 0
	for i := range d.Items {
		x := &d.Items[i]
		if x.cause != last { // many in a row have the same
			known := false
			if n, known = at[*x.cause]; !known {
				n = len(d.Causes)
				at[*x.cause] = n
				d.Causes = append(d.Causes, *x.cause)
			}
			last = x.cause
		}
		d.Causes[n].Items++
		if user[n] != x.User {
			user[n] = x.User
			d.Causes[n].Users++
		}
		x.Cause, x.cause = int32(n), nil
	}
	order := make([]int, len(d.Causes))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(i, j int) int { return compareCauses(&d.Causes[i], &d.Causes[j]) })
	sorted, place := make([]Cause, len(order)), make([]int, len(order))
	for to, from := range order {
		sorted[to], place[from] = d.Causes[from], to
	}
	d.Causes = sorted
	for i := range d.Items {
		d.Items[i].Cause = int32(place[d.Items[i].Cause])
	}
}

func compareCauses(a, b *Cause) int {
	return cmp.Or(
		strings.Compare(string(a.Effect), string(b.Effect)),
		-cmp.Compare(a.Items, b.Items),
		strings.Compare(string(a.Why), string(b.Why)),
		strings.Compare(
			a.User,
			b.User,
		),
		strings.Compare(a.Group, b.Group),
		strings.Compare(a.There, b.There),
		strings.Compare(a.Line, b.Line),
		strings.Compare(a.Lacks, b.Lacks),
	)
}

func (d *Drift) cause(x *Item, here, there *side) Cause {
	if x.Effect() == Short {
		return d.whyShort(x, here, there)
	}
	return d.whyExcess(x, here, there)
}

func (d *Drift) whyShort(x *Item, here, there *side) Cause {
	switch {
	case !x.has:
		return Cause{Why: NoAccount, User: x.User}
	case !there.turned(x.there).able():
		return Cause{Why: AccountOff, User: x.User}
	}
	e := here.decide(x.here, x.Object, x.Right)
	if real := there.decide(x.there, x.Object, x.Right); real.State == rule.Shut && len(real.ShutBy) > 0 {
		return Cause{Why: Stopped, There: real.ShutBy[0].At}
	}
	route := first(e.Routes)
	if route == nil || len(route.Path) == 0 {
		c := Cause{Why: NotGranted, Line: lineOf(route)}
		if route != nil && route.Direct {
			c.User = x.User
		}
		return c
	}
	group := route.Path[len(route.Path)-1].Group
	g, err := d.book.FindGroup(group, "")
	own, tied := d.Of.theirs[g]
	if err != nil || !tied {
		return Cause{Why: NoGroup, Group: group}
	}
	if len(d.Of.names.called) > 0 {
		own = d.Of.groupOn(own, x.Object)
	}
	if in, err := d.Of.Atlas.Book.FindGroup(d.Of.names.groups[own], ""); err == nil &&
		there.turned(x.there).question.Subject.In(in) {
		return Cause{Why: NotGranted, Group: group, There: own, Line: route.Mapping}
	}
	return Cause{Why: NotMember, User: x.User, Group: group, There: own}
}

func (d *Drift) whyExcess(x *Item, here, there *side) Cause {
	switch {
	case !x.known:
		return Cause{Why: Unknown, User: x.User}
	case here.turned(x.here).off():
		return Cause{Why: OffHere, User: x.User}
	case here.lacks() != "":
		return Cause{Why: LacksHere, User: x.User, Lacks: here.lacks()}
	}
	e := there.decide(x.there, x.Object, x.Right)
	if by := here.decide(x.here, x.Object, x.Right); by.State == rule.Depends {
		return Cause{Why: Unconditional, Line: lineOf(first(by.Routes))}
	}
	route := first(e.Routes)
	switch {
	case route == nil:
		return Cause{Why: Elsewhere}
	case route.Direct:
		return Cause{Why: DirectGrant, User: x.User}
	case len(route.Path) == 0:
		return Cause{Why: ToEveryone}
	}
	subject := here.turned(x.here).question.Subject
	before := ""
	for i, hop := range route.Path {
		own := d.Of.names.own[hop.Group]
		g, tied := d.Of.GroupOf[own]
		switch {
		case !tied:
			return Cause{Why: ForeignGroup, Group: own, There: own}
		case subject.In(g):
		case i == 0:
			return Cause{Why: ExtraMember, User: x.User, Group: d.book.GroupName(g), There: own}
		default:
			return Cause{Why: ExtraNesting, Group: before, There: own}
		}
		before = own
	}
	last := d.Of.names.own[route.Path[len(route.Path)-1].Group]
	return Cause{Why: ExtraGrant, Group: d.book.GroupName(d.Of.GroupOf[last]), There: last}
}

// cause explains an item where one group of the map that is a group there does; told is false where
// words do not tell.
func (s *suspects) cause(d *Drift, x *Item, at int32, here, there *side) (c Cause, told bool) {
	if x.Effect() == Short && x.There == rule.None {
		return s.whyShort(d, x, at, here, there)
	}
	if x.Effect() == Excess && x.Here == rule.None {
		return s.whyExcess(d, x, at, here, there)
	}
	return Cause{}, false
}

func (s *suspects) whyShort(d *Drift, x *Item, at int32, here, there *side) (c Cause, told bool) {
	for g := range s.granted(0, at, here) {
		of := &s.tied[g.whom]
		switch {
		case !of.is || g.takes:
			return Cause{}, false
		case !there.question.Subject.In(of.there):
			return Cause{Why: NotMember, User: x.User, Group: d.book.GroupName(of.here), There: of.own}, true
		case !told:
			told = true
			c = Cause{Why: NotGranted, Group: d.book.GroupName(of.here), There: of.own, Line: s.lines[g.line].Name}
		}
	}
	return c, told
}

func (s *suspects) whyExcess(d *Drift, x *Item, at int32, here, there *side) (c Cause, told bool) {
	for g := range s.granted(1, at, there) {
		of := &s.tied[g.whom]
		switch in := of.is && here.question.Subject.In(of.here); {
		case !of.is || g.takes, !in && !there.question.Book.HasDirectly(of.there, x.there):
			return Cause{}, false
		case !in:
			return Cause{Why: ExtraMember, User: x.User, Group: d.book.GroupName(of.here), There: of.own}, true
		case !told:
			told = true
			c = Cause{Why: ExtraGrant, Group: d.book.GroupName(of.here), There: of.own}
		}
	}
	return c, told
}

func first(routes []rule.Route) *rule.Route {
	if len(routes) == 0 {
		return nil
	}
	return &routes[0]
}

func lineOf(r *rule.Route) string {
	if r == nil {
		return ""
	}
	return r.Mapping
}

// settle sets the states of the side that has not more as they are told: shut is something that a
// line gives.
func (d *Drift) settle(x *Item, here, there *side) {
	if x.Here == rule.None && x.known && here.decide(x.here, x.Object, x.Right).State != rule.None {
		x.Here = rule.Shut
	}
	if x.There == rule.None && x.has && d.Of.has(x.Object) && there.decide(x.there, x.Object, x.Right).State != rule.None {
		x.There = rule.Shut
	}
}

// Sides tells of items, one after the other, how the map and the reading have them, with routes.
func (d *Drift) Sides() func(*Item) (here, there rule.Entitlement) {
	h, t := d.sides(false)
	return func(x *Item) (here, there rule.Entitlement) {
		if x.known {
			here = h.decide(x.here, x.Object, x.Right)
		}
		if x.has {
			there = t.decide(x.there, x.Object, x.Right)
		}
		return here, there
	}
}
