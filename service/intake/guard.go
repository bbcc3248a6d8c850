package intake

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"gatemap/store"
)

// taken is what a run takes away, as the guards count it.
type taken struct {
	Users   int            `json:"users"`   // active ones that become inactive, or go
	Groups  int            `json:"groups"`  // that go
	Revived int            `json:"revived"` // inactive accounts that become active
	Emptied map[string]int `json:"emptied"` // people, by attribute
}

// taken counts what a prepared run takes away.
func (p *prepared) taken() taken {
	t := taken{Users: p.delta.Off(), Groups: len(p.delta.GoneGroups), Emptied: map[string]int{}}
	for _, c := range p.delta.Changed {
		for _, f := range c.Fields {
			if f.Before != "" && f.After == "" {
				t.Emptied[f.Attribute]++
			}
		}
		if !c.Before.IsActive() && c.After.IsActive() {
			t.Revived++
		}
	}
	return t
}

// nothing says that nothing is taken away.
func (t taken) nothing() bool { return t.Users+t.Groups+t.Revived+len(t.Emptied) == 0 }

// heldAlone says why an intake is held until someone confirms it; "" if it is not.
func heldAlone(p *prepared) string { return p.heldAfter(taken{}, 0) }

// heldAfter is heldAlone after some was taken already, which counts with it. Up to above users, and
// as many groups, never are.
func (p *prepared) heldAfter(before taken, above int) string {
	limit := p.directory.Source.Limit()
	all := p.head.Folder.Records[p.directory.Name]
	active := before.Users
	for _, u := range all.Users {
		if u.IsActive() {
			active++
		}
	}
	now := p.taken()
	var held []string
	removed := func(what string, now, before, all int) {
		if n := now + before; now > 0 && n > above && limit.Exceeded(n, all) {
			held = append(
				held,
				fmt.Sprintf(
					"it would deactivate or remove %d of %d %s (%.1f%%); the removal limit of the source is %s",
					n,
					all,
					what,
					100*float64(n)/float64(all),
					limit,
				),
			)
		}
	}
	removed("active users", now.Users, before.Users, active)
	removed("groups", now.Groups, before.Groups, len(all.Groups)+before.Groups)
	// A file without its column, or with another meaning of it, sooner than a wish.
	for _, attribute := range slices.Sorted(maps.Keys(now.Emptied)) {
		if n := now.Emptied[attribute] + before.Emptied[attribute]; n > 1 && limit.Exceeded(n, len(all.Users)) {
			held = append(
				held,
				fmt.Sprintf(
					"it would empty %s for %d of %d people; the removal limit of the source is %s",
					attribute,
					n,
					len(all.Users),
					limit,
				),
			)
		}
	}
	if n := now.Revived + before.Revived; now.Revived > 0 && n > 1 && limit.Exceeded(n, len(all.Users)) {
		held = append(
			held,
			fmt.Sprintf(
				"it would make %d inactive accounts of %d active; the removal limit of the source is %s",
				n,
				len(all.Users),
				limit,
			),
		)
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

// remember makes sure that a lane knows what was taken away in the last minutes, before the
// service started too. It is for who is busy in the lane.
func (s *Plans) remember(ctx context.Context, l *lane, directory string) error {
	if l.remembers {
		return nil
	}
	list, err := s.Store.Taken(ctx, directory, time.Now().Add(-limitFor))
	if err != nil {
		return err
	}
	for _, row := range list {
		var t taken
		if err := json.Unmarshal(row.What, &t); err != nil {
			return fmt.Errorf("what was taken from %s: %w", directory, err)
		}
		l.lately.note(t, row.At)
	}
	l.remembers = true
	return nil
}

// forget makes a lane, and the store, forget what was taken away: everything was read.
func (s *Plans) forget(ctx context.Context, l *lane, directory string) error {
	l.lately, l.remembers = nil, true
	return s.Store.ForgetTaken(ctx, directory, time.Now())
}

// counted is what a prepared change takes away, as the store keeps it for the guards.
func (p *prepared) counted() (*store.Taken, error) {
	t := p.taken()
	if !p.step || t.nothing() {
		return nil, nil
	}
	what, err := json.Marshal(t)
	return &store.Taken{Directory: p.directory.Name, At: time.Now(), What: what}, err
}

// lately is what was taken away by changes that came one by one. It is for who is busy in
// the lane.
type lately []takenAt

type takenAt struct {
	at    time.Time
	taken taken
}

// within is what was taken in the last minutes.
func (l lately) within(now time.Time) taken {
	sum := taken{Emptied: map[string]int{}}
	for _, x := range l {
		if now.Sub(x.at) >= limitFor {
			continue
		}
		sum.Users, sum.Groups, sum.Revived = sum.Users+x.taken.Users, sum.Groups+x.taken.Groups, sum.Revived+x.taken.Revived
		for attribute, n := range x.taken.Emptied {
			sum.Emptied[attribute] += n
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
