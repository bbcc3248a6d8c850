package situation

import (
	"slices"
	"time"

	"go4.org/netipx"
)

// contradictory says whether there is no situation in which some literals are all met.
func contradictory(list []*Literal) bool {
	for i, l := range list {
		about := l.about
		if slices.ContainsFunc(list[:i], func(x *Literal) bool { return x.about == about && about != other }) {
			continue // it was looked at together with that one
		}
		var same []*Literal
		if i+1 < len(list) {
			for _, x := range list[i:] {
				if x.about == about && (about != other || x.Need == l.Need || x.Need == l.not.Need) {
					same = append(same, x)
				}
			}
		} else {
			same = list[i:]
		}
		if empty(about, same) {
			return true
		}
	}
	return false
}

// empty says whether no value of a fact meets literals about it.
func empty(about fact, list []*Literal) bool {
	switch about {
	case other:
		return slices.ContainsFunc(list, func(x *Literal) bool { return x.Need != list[0].Need })
	case address:
		if len(list) == 1 {
			return len(list[0].from().Ranges()) == 0
		}
		return nowhere(list)
	case instant:
		return never(list)
	case group:
		return noGroups(list)
	}
	all := every[about]
	for _, l := range list {
		all &= l.values
	}
	return all == 0
}

func nowhere(list []*Literal) bool {
	if len(list) == 2 {
		return !overlap(list[0].from(), list[1].from())
	}
	var b netipx.IPSetBuilder
	b.AddSet(list[0].from())
	for _, l := range list[1:] {
		b.Intersect(l.from())
	}
	return len(set(&b).Ranges()) == 0
}

// overlap says whether two sets of addresses have one in common.
func overlap(a, b *netipx.IPSet) bool {
	return slices.ContainsFunc(b.Ranges(), a.OverlapsRange)
}

func never(list []*Literal) bool {
	var since, until time.Time
	var weeks []*week
	var zone *time.Location
	for _, l := range list {
		if !l.since.IsZero() && (since.IsZero() || l.since.After(since)) {
			since = l.since
		}
		if !l.until.IsZero() && (until.IsZero() || l.until.Before(until)) {
			until = l.until
		}
		if l.week != nil {
			weeks, zone = append(weeks, l.week()), l.zone
		}
	}
	bounded := !since.IsZero() && !until.IsZero()
	switch {
	case bounded && !since.Before(until):
		return true
	case len(weeks) == 0:
		return false
	case !bounded || until.Sub(since) >= 8*24*time.Hour:
		return !meets(weeks)
	}
	for at := since; at.Before(until); at = at.Truncate(time.Minute).Add(time.Minute) {
		minute := minuteOf(at, zone)
		if !slices.ContainsFunc(weeks, func(w *week) bool { return !w.has(minute) }) {
			return false
		}
	}
	return true
}

// minuteOf is the minute of the week on the wall clock, from Monday on.
func minuteOf(at time.Time, zone *time.Location) int {
	local := at.In(zone)
	return (int(local.Weekday())+6)%7*24*60 + local.Hour()*60 + local.Minute()
}

func noGroups(list []*Literal) bool {
	out := map[string]bool{}
	for _, l := range list {
		for g := range l.groups {
			out[g] = out[g] || l.none
		}
	}
	return slices.ContainsFunc(list, func(l *Literal) bool {
		if l.none {
			return false
		}
		for g := range l.groups {
			if !out[g] {
				return false
			}
		}
		return true
	})
}
