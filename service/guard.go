package service

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
)

// taken is what a run takes away, as the guards count it.
type taken struct {
	users   int            // active ones that become inactive, or go
	groups  int            // that go
	revived int            // inactive accounts that become active
	emptied map[string]int // people, by attribute
}

// taken counts what a prepared run takes away.
func (p *prepared) taken() taken {
	t := taken{users: p.delta.Off(), groups: len(p.delta.GoneGroups), emptied: map[string]int{}}
	for _, c := range p.delta.Changed {
		for _, f := range c.Fields {
			if f.Before != "" && f.After == "" {
				t.emptied[f.Attribute]++
			}
		}
		if !c.Before.IsActive() && c.After.IsActive() {
			t.revived++
		}
	}
	return t
}

// nothing says that nothing is taken away.
func (t taken) nothing() bool { return t.users+t.groups+t.revived+len(t.emptied) == 0 }

// held says why an intake is held until someone confirms it; "" if it is not.
func (p *prepared) held() string { return p.heldAfter(taken{}, 0) }

// heldAfter is held after some was taken already, which counts with it. Up to above users, and
// as many groups, never are.
func (p *prepared) heldAfter(before taken, above int) string {
	limit := p.directory.Source.Limit()
	all := p.head.Folder.Records[p.directory.Name]
	active := before.users
	for _, u := range all.Users {
		if u.IsActive() {
			active++
		}
	}
	now := p.taken()
	var held []string
	removed := func(what string, now, before, all int) {
		if n := now + before; now > 0 && n > above && limit.Exceeded(n, all) {
			held = append(held, fmt.Sprintf("it would deactivate or remove %d of %d %s (%.1f%%); the removal limit of the source is %s", n, all, what, 100*float64(n)/float64(all), limit))
		}
	}
	removed("active users", now.users, before.users, active)
	removed("groups", now.groups, before.groups, len(all.Groups)+before.groups)
	// A file without its column, or with another meaning of it, sooner than a wish.
	for _, attribute := range slices.Sorted(maps.Keys(now.emptied)) {
		if n := now.emptied[attribute] + before.emptied[attribute]; n > 1 && limit.Exceeded(n, len(all.Users)) {
			held = append(held, fmt.Sprintf("it would empty %s for %d of %d people; the removal limit of the source is %s", attribute, n, len(all.Users), limit))
		}
	}
	if n := now.revived + before.revived; now.revived > 0 && n > 1 && limit.Exceeded(n, len(all.Users)) {
		held = append(held, fmt.Sprintf("it would make %d inactive accounts of %d active; the removal limit of the source is %s", n, len(all.Users), limit))
	}
	if len(p.reused) > 0 {
		held = append(held, reusedWords(p.reused))
	}
	return strings.Join(held, "; ")
}

// limitFor is how long changes that come one by one count as one run for the guards.
const limitFor = 10 * time.Minute

// guard says why a change that came by itself is held: what was taken away in the last
// minutes counts with it.
func (l *lane) guard(p *prepared) string { return p.heldAfter(l.lately.within(time.Now()), 0) }

// lately is what was taken away by changes that came one by one. It is for who is busy in
// the lane.
type lately []takenAt

type takenAt struct {
	at    time.Time
	taken taken
}

// within is what was taken in the last minutes.
func (l lately) within(now time.Time) taken {
	sum := taken{emptied: map[string]int{}}
	for _, x := range l {
		if now.Sub(x.at) >= limitFor {
			continue
		}
		sum.users, sum.groups, sum.revived = sum.users+x.taken.users, sum.groups+x.taken.groups, sum.revived+x.taken.revived
		for attribute, n := range x.taken.emptied {
			sum.emptied[attribute] += n
		}
	}
	return sum
}

// note notes what goes now.
func (l *lately) note(t taken, now time.Time) {
	*l = slices.DeleteFunc(*l, func(x takenAt) bool { return now.Sub(x.at) >= limitFor })
	if !t.nothing() {
		*l = append(*l, takenAt{now, t})
	}
}
