package main

import (
	"fmt"
	"hash/maphash"
	"runtime"
	"slices"
	"sync/atomic"
	"time"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/plain"
	"gatemap/core/rule"
)

// compile measures making the atlas against one pass that reads every
// membership and every attribute once.
func (b *bench) compile() error {
	seed := maphash.MakeSeed()
	var sum uint64
	var err error
	own, pass := inTurn(3, func() { b.atlas, err = b.folder.Compile("a made-up map") }, func() {
		for _, d := range b.folder.Map.Directories {
			for _, g := range d.Groups {
				if g.Members != nil {
					for _, r := range g.Members.Any {
						sum += maphash.String(seed, r.Name)
					}
				}
			}
			for _, u := range d.Users {
				for _, a := range u.Attributes {
					for _, v := range a.Values {
						sum += maphash.String(seed, v.Text)
					}
				}
			}
		}
	})
	runtime.KeepAlive(sum)
	if err != nil {
		return err
	}
	b.rows = append(
		b.rows,
		row{
			work:     "compile from memory",
			own:      own,
			baseline: "one pass that reads every membership and attribute",
			other:    pass,
			least:    15,
			slower:   true,
		},
	)
	b.facts = b.atlas.Frame.Facts(nothing, nil)
	for i := range 1000 {
		b.users = append(b.users, directory.UserID(i*7919%b.atlas.Book.Users()))
	}
	return nil
}

// reading gives the plain reading of the map, and the sample of users in it.
func (b *bench) reading() (*plain.World, []*plain.User) {
	if b.plain == nil {
		progress("  (the plain reading takes its time)")
		b.plain = plain.New(b.folder.Map)
	}
	byName := map[string]*plain.User{}
	for _, u := range b.plain.Users() {
		byName[u.FullName()] = u
	}
	var sample []*plain.User
	for _, u := range b.users {
		sample = append(sample, byName[b.atlas.Book.UserName(u)])
	}
	return b.plain, sample
}

func quantile(all []time.Duration, q float64) time.Duration {
	slices.Sort(all)
	return all[int(float64(len(all)-1)*q)]
}

// quantiles measures single listings, as answers of their own and into a list that is
// used again, and who holds a permission.
func (b *bench) quantiles() error {
	var reach, again, who []time.Duration
	clock := func(into *[]time.Duration, work func()) {
		start := time.Now()
		work()
		*into = append(*into, time.Since(start))
	}
	for range 2 { // the first is to warm up
		reach, again, who = reach[:0], again[:0], who[:0]
		q, used := b.atlas.Question(0, b.facts), []rule.Entitlement(nil)
		runtime.GC()
		for _, u := range b.users {
			clock(&again, func() {
				q.Turn(u)
				used = b.atlas.AppendReach(used[:0], q)
			})
		}
		var list []rule.Entitlement
		for i, u := range b.users {
			clock(&reach, func() { list = b.atlas.Reach(u, b.facts, nil) })
			if i%10 != 0 || len(list) == 0 {
				continue
			}
			e := list[i%len(list)]
			s, p, err := b.at(&e)
			if err != nil {
				return err
			}
			clock(&who, func() { b.atlas.Who(b.facts, s, p) })
		}
	}
	for _, x := range []struct {
		work string
		all  []time.Duration
	}{{"one reach", reach}, {"one reach, into a list that is used again", again}, {"one who", who}} {
		b.rows = append(
			b.rows,
			row{work: x.work + ", median", own: quantile(x.all, 0.5)},
			row{work: x.work + ", p99", own: quantile(x.all, 0.99)},
		)
	}
	return nil
}

// at finds what an entitlement is about.
func (b *bench) at(e *rule.Entitlement) (*atlas.System, rule.Permission, error) {
	s, err := b.atlas.System(e.System)
	if err != nil {
		return nil, nil, err
	}
	p, err := s.Gate.At(e.Object, e.Right)
	return s, p, err
}

// decisions measures one decision of each of some gate types.
func (b *bench) decisions() error {
	world, sample := b.reading()
	for _, typ := range []string{"roles", "firewall", "network", "signin"} {
		type question struct {
			system     *atlas.System
			permission rule.Permission
			plain      plain.Permission
			user       int
		}
		var all []question
		q := b.atlas.Brief(b.facts)
		for i, u := range b.users {
			var own []rule.Entitlement
			q.Turn(u)
			for _, s := range b.atlas.Systems {
				if s.Document.Type.Name == typ {
					own = append(own, b.atlas.In(q, s)...)
				}
			}
			if len(own) == 0 {
				continue
			}
			e := own[i%len(own)]
			s, p, err := b.at(&e)
			if err != nil {
				return err
			}
			all = append(all, question{s, p, plain.Permission{Object: e.Object, Right: e.Right}, i})
		}
		if len(all) == 0 {
			return fmt.Errorf("nobody in the sample holds anything of the type %s", typ)
		}
		want, got := make([]rule.State, len(all)), make([]rule.State, len(all))
		const rounds = 100
		own, other := inTurn(5, func() {
			for range rounds {
				for i, x := range all {
					q.Turn(b.users[x.user])
					got[i] = b.atlas.State(q, x.system, x.permission)
				}
			}
		}, func() {
			for i, x := range all {
				want[i] = world.State(world.Ask(sample[x.user], nothing), x.system.Name(), x.plain)
			}
		})
		if !slices.Equal(want, got) {
			return fmt.Errorf("%s: the engine and the plain reading differ", typ)
		}
		b.rows = append(
			b.rows,
			row{
				work:     "one decision, " + typ,
				own:      own / time.Duration(rounds*len(all)),
				baseline: "the plain walk of the lines",
				other:    other / time.Duration(len(all)),
				least:    50,
			},
		)
	}
	return nil
}

// findings measures looking for everything that is wrong, useless or risky.
func (b *bench) findings() error {
	var list []finding.Finding
	own := timed(1, func() { list = check.Findings(b.atlas) })
	b.rows = append(
		b.rows,
		row{work: fmt.Sprintf("all findings (%d)", len(list)), own: own, baseline: "4 s", other: 4 * time.Second, least: 1},
	)
	return nil
}

// everything measures what everyone holds against the plain reading for some,
// scaled to all.
func (b *bench) everything() error {
	var entitlements atomic.Int64
	held := make([]atomic.Int64, b.atlas.Book.Users())
	own := timed(1, func() {
		b.atlas.Survey(b.facts, atlas.Brief, func(_ *atlas.System, classes []atlas.Class) {
			for _, c := range classes {
				entitlements.Add(int64(len(c.Users) * len(c.Held)))
				for _, u := range c.Users {
					held[u].Add(int64(len(c.Held)))
				}
			}
		})
	})
	world, sample := b.reading()
	var wrong string
	other := timed(1, func() {
		for i, u := range sample {
			asker, n := world.Ask(u, nothing), 0
			for _, s := range b.atlas.Systems {
				n += len(world.Reach(asker, s.Name()))
			}
			if int64(n) != held[b.users[i]].Load() {
				wrong = u.FullName()
			}
		}
	})
	if wrong != "" {
		return fmt.Errorf("the engine and the plain reading differ for %s", wrong)
	}
	b.rows = append(b.rows, row{
		work: fmt.Sprintf("everything for everyone (%d million entitlements)", entitlements.Load()/1e6), own: own,
		baseline: "the plain reading for 1,000 users, scaled",
		other:    other / time.Duration(len(sample)) * time.Duration(b.atlas.Book.Users()), least: 100,
	})
	return nil
}
