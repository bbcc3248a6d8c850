package atlas_test

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/atlas/atlastest"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name/nametest"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// drawn is a map with what is asked of it.
type drawn struct {
	m     *atlas.Map
	a     *atlas.Atlas
	given situation.Situation
	facts *situation.Facts
}

func draw(t *rapid.T) drawn {
	m, a, given, facts := atlastest.Asked(t)
	return drawn{m, a, given, facts}
}

// thing is a point by its names.
type thing struct{ system, object, right string }

func (d drawn) point(t *rapid.T, x thing) (*atlas.System, rule.Permission) {
	s, err := d.a.System(x.system)
	require.NoError(t, err)
	p, err := s.Gate.At(x.object, x.right)
	require.NoError(t, err)
	return s, p
}

// things are all points that anyone holds, and one that few do.
func (d drawn) things() []thing {
	all := []thing{{"archive", "/raw/2026", "frames:write"}, {"suite", "planner", "rooms"}}
	for u := range directory.UserID(d.a.Book.Users()) {
		for _, e := range d.a.Reach(u, d.facts, nil) {
			all = append(all, thing{e.System, e.Object, e.Right})
		}
	}
	slices.SortFunc(all, func(x, y thing) int {
		return cmp.Or(cmp.Compare(x.system, y.system), cmp.Compare(x.object, y.object), cmp.Compare(x.right, y.right))
	})
	return slices.Compact(all)
}

// What people hold is in the catalogue of its system, but for values of claims, which have
// no catalogue; and all that is in the catalogue can be asked.
func TestTheCatalogueHasWhatPeopleHold(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := draw(t)
		for _, x := range d.things() {
			s, err := d.a.System(x.system)
			require.NoError(t, err)
			c := s.Gate.Catalogue()
			assert.Contains(t, c.Objects, x.object, x.system)
			if !strings.HasPrefix(x.right, "claim ") {
				assert.Contains(t, c.Rights, x.right, x.system)
			}
		}
		for _, s := range d.a.Systems {
			c := s.Gate.Catalogue()
			for _, right := range c.Rights {
				asked := len(c.Objects) == 0 ||
					slices.ContainsFunc(c.Objects, func(object string) bool { _, err := s.Gate.At(object, right); return err == nil })
				assert.True(t, asked, "%s %s", s.Name(), right)
			}
		}
	})
}

// Who holds a thing is what asking each user says, and so is what a survey says of
// everyone, in whole and in brief.
func TestAskingForEveryoneIsAskingEach(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := draw(t)
		for _, x := range d.things() {
			s, p := d.point(t, x)
			holders, held := d.a.Who(d.facts, s, p), 0
			for u := range directory.UserID(d.a.Book.Users()) {
				alone := d.a.Why(u, d.facts, s, p)
				require.Equal(t, alone.State, holders.States[u], "%v of %s", x, d.a.Book.UserName(u))
				require.Equal(t, alone.State, d.a.State(turned(d, u), s, p))
				if alone.State != rule.None {
					held++
					got := holders.Entitlement(u)
					require.Subset(t, got.Routes, alone.Routes, "those that decide are some of them")
					require.Equal(t, alone.Needs, got.Needs)
				}
			}
			require.Equal(t, held, holders.Count)
		}
		for _, depth := range []atlas.Depth{atlas.Whole, atlas.Brief} {
			var one sync.Mutex
			d.a.Survey(d.facts, depth, func(s *atlas.System, classes []atlas.Class) {
				one.Lock()
				defer one.Unlock()
				told := map[directory.UserID]bool{}
				for _, c := range classes {
					for _, u := range c.Users {
						told[u] = true
						alone := d.a.Reach(u, d.facts, s)
						require.Len(t, c.Held, len(alone))
						for i, e := range alone {
							require.Equal(
								t,
								[3]any{e.Object, e.Right, e.State},
								[3]any{c.Held[i].Object, c.Held[i].Right, c.Held[i].State},
								s.Name(),
							)
						}
					}
				}
				for u := range directory.UserID(d.a.Book.Users()) {
					require.Equal(t, len(d.a.Reach(u, d.facts, s)) > 0, told[u])
				}
			})
		}
	})
}

func turned(d drawn, u directory.UserID) *rule.Question {
	q := d.a.Brief(d.facts)
	q.Turn(u)
	return q
}

// fields are the facts that needs are about.
var fields = map[string]string{
	"network": "from", "window": "at", "before": "at", "after": "at", "device": "device", "strength": "strength", "access": "access", "client": "client", "risk": "risk",
}

// A way is enough: with its memberships, values and account, and however the situation is
// otherwise than it was in what the way asks for, the entitlement is open; and it brings as
// much else as it says.
func TestAWayIsEnough(t *testing.T) {
	in, past, set := 0, 0, 0
	rapid.Check(t, func(t *rapid.T) {
		d := draw(t)
		for u := range d.a.Book.AllUsers {
			for _, x := range d.things() {
				s, p := d.point(t, x)
				e := d.a.Why(u, d.facts, s, p)
				ways := d.a.Ways(d.a.Question(u, d.facts), d.given, s, p, &e)
				if e.State >= rule.Depends {
					require.Empty(t, ways)
				}
				for _, w := range ways {
					is, needs := d.after(t, u, w.Changes)
					if e.State == rule.None {
						in++
						d.brings(t, is, u, x, w)
					} else {
						past++
					}
					if strings.HasPrefix(string(w.Changes[0]), "attribute:title=") {
						set++
					}
					if w.State == rule.Depends {
						facts, err := is.Facts(d.given)
						require.NoError(t, err)
						require.Equal(t, rule.Depends, why(t, is, u, x, facts).State, "%v for %v", w.Changes, x)
						continue
					}
					for range 3 {
						if full, met := d.meeting(t, is, needs); met {
							facts, err := is.Facts(full)
							require.NoError(t, err)
							require.Equal(
								t,
								rule.Open,
								why(t, is, u, x, facts).State,
								"%v for %v with %v, was %v",
								w.Changes,
								x,
								full.Facts(),
								e,
							)
						}
					}
				}
			}
		}
	})
	t.Log(in, "ways in,", past, "past what shuts,", set, "by a value")
	require.NotZero(t, in*past*set)
}

func why(t *rapid.T, a *atlas.Atlas, u directory.UserID, x thing, facts *situation.Facts) rule.Entitlement {
	s, err := a.System(x.system)
	require.NoError(t, err)
	p, err := s.Gate.At(x.object, x.right)
	require.NoError(t, err)
	return a.Why(u, facts, s, p)
}

// after is the map with the changes of a way, and what the way asks of the situation.
func (d drawn) after(t *rapid.T, u directory.UserID, changes []atlas.Step) (a *atlas.Atlas, needs []situation.Need) {
	m, own := d.m, d.a.Book.User(u).Name
	alter := func(attribute string, value any) {
		is, home := *m, *m.Directories[0]
		home.Users = slices.Clone(home.Users)
		i := slices.IndexFunc(home.Users, func(x *directory.User) bool { return x.Name == own })
		var err error
		home.Users[i], err = home.Users[i].Altered(attribute, value)
		require.NoError(t, err)
		is.Directories = []*directory.Document{&home}
		m = &is
	}
	for _, c := range changes {
		named, joins := c.Group()
		attribute, to, given, set := c.Attribute()
		switch {
		case joins:
			group, err := d.a.Book.FindGroup(named, "")
			require.NoError(t, err)
			m = joined(m, d.a.Book.Group(group).Name, own)
		case c == atlas.Active:
			alter("active", true)
		case c == atlas.Longer:
			alter("expires", nil)
		case set && (to == "true" || to == "false"):
			alter(attribute, to == "true")
		case set && given:
			alter(attribute, to)
		case set:
			alter(attribute, "something")
		default:
			needs = append(needs, situation.Need(c))
		}
	}
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	return a, needs
}

// meeting draws a full situation that is as it was given but for what needs ask for, and
// says whether it meets them.
func (d drawn) meeting(t *rapid.T, a *atlas.Atlas, needs []situation.Need) (full situation.Situation, all bool) {
	facts := d.given.Facts()
	for _, n := range needs {
		kind, _, _ := n.Parts()
		if fields[kind] == "" {
			return full, false
		}
		delete(facts, fields[kind])
	}
	free, err := situation.Parse(func(field string) string { return facts[field] })
	require.NoError(t, err)
	full = atlastest.Completed(t, free)
	return full, !slices.ContainsFunc(needs, func(n situation.Need) bool { return !atlastest.Met(a, n, full) })
}

// brings compares what a way is said to bring with what it brings in the situation given.
func (d drawn) brings(t *rapid.T, a *atlas.Atlas, u directory.UserID, x thing, w atlas.Way) {
	for _, c := range w.Changes {
		if _, _, _, has := c.Attribute(); has || c == atlas.Active || c == atlas.Longer {
			return // what the account lacks counts for all else too
		}
	}
	facts, err := a.Facts(d.given)
	require.NoError(t, err)
	more := 0
	for thing := range usable(a, u, facts) {
		if !usable(d.a, u, d.facts)[thing] && thing != x {
			more++
		}
	}
	require.Equal(t, more, w.Brings, "%v for %v", w.Changes, x)
	require.LessOrEqual(t, len(w.Sample), w.Brings)
}

func usable(a *atlas.Atlas, u directory.UserID, f *situation.Facts) map[thing]bool {
	all := map[thing]bool{}
	for _, e := range a.Reach(u, f, nil) {
		if e.State >= rule.Depends {
			all[thing{e.System, e.Object, e.Right}] = true
		}
	}
	return all
}

// joined is a map with one membership more.
func joined(m *atlas.Map, group, user string) *atlas.Map {
	is, d := *m, *m.Directories[0]
	d.Groups = slices.Clone(d.Groups)
	for i, g := range d.Groups {
		if g.Name == group {
			other, members := *g, *g.Members
			members.Users = append(slices.Clone(members.Users), nametest.Refs(user)...)
			other.Members, d.Groups[i] = &members, &other
		}
	}
	is.Directories = []*directory.Document{&d}
	return &is
}

// A walk tells of every line of a system once, in the order in which they stand; those
// by which something is held are for its holder, and where it is open one of them decides.
func TestAWalkTellsOfEveryLine(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := draw(t)
		for u := range directory.UserID(d.a.Book.Users()) {
			for _, x := range d.things() {
				s, p := d.point(t, x)
				fates := map[string]rule.Fate{}
				var told []string
				for _, step := range d.a.Walk(u, d.facts, s, p) {
					told, fates[step.Line] = append(told, step.Line), step.Fate
				}
				told = slices.DeleteFunc(told, func(line string) bool { return !slices.Contains(s.Lines(), line) })
				require.True(t, slices.Equal(s.Lines(), told), "%v, told %v", s.Lines(), told)
				own := p.Decide(d.a.Question(u, d.facts))
				if own.State != rule.Open {
					continue
				}
				known, decides := 0, false
				for _, r := range own.Routes {
					if fate, is := fates[r.Mapping]; is {
						known++
						decides = decides || fate == rule.Decides
						require.NotEqual(t, rule.Others, fate, "%s of %v", r.Mapping, x)
					}
				}
				require.True(t, decides || known == 0, "%v is open by a line that decides: %v %+v", x, fates, own)
			}
		}
	})
}

// Those who are alike to a system of two maps hold the same of it in both.
func TestThoseAlikeHoldTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := draw(t)
		other := *d.m
		at := rapid.IntRange(0, len(other.Systems)-1).Draw(t, "system")
		n := other.Systems[at].Name
		other.Systems = slices.Clone(other.Systems)
		other.Systems[at] = atlastest.System(t, n)
		b, err := d.a.With(
			atlas.Changed{Title: other.Title, Book: d.a.Book, Frame: d.a.Frame, Systems: []*gate.System{other.Systems[at]}},
		)
		require.NoError(t, err)
		was, err := d.a.System(n)
		require.NoError(t, err)
		is, err := b.System(n)
		require.NoError(t, err)
		count := 0
		for _, set := range atlas.Alike(d.a, was, b, is, d.a.Book.Everyone()) {
			count += len(set)
			for _, u := range set[1:] {
				require.Equal(t, states(d.a.Reach(set[0], d.facts, was)), states(d.a.Reach(u, d.facts, was)))
				require.Equal(t, states(b.Reach(set[0], d.facts, is)), states(b.Reach(u, d.facts, is)))
			}
		}
		require.Equal(t, d.a.Book.Users(), count)
	})
}

func states(list []rule.Entitlement) map[thing]rule.State {
	all := map[thing]rule.State{}
	for _, e := range list {
		all[thing{e.System, e.Object, e.Right}] = e.State
	}
	return all
}

// A line counts those whom it is for, whatever the state of their accounts.
func TestForHowManyALineIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := draw(t)
		s, err := d.a.System(rapid.SampledFrom([]string{"archive", "desk", "hosts", "suite", "wall"}).Draw(t, "system"))
		require.NoError(t, err)
		for _, c := range s.Site.Index.All() {
			want := 0
			for u := range directory.UserID(d.a.Book.Users()) {
				if c.Has(turned(d, u)) {
					want++
				}
			}
			assert.Equal(t, want, d.a.People(c))
		}
	})
}

// What is sure stays so, whatever else becomes known: an answer that is open, shut or none
// with some facts is the same with more of them.
func TestMoreFactsChangeOnlyWhatDepends(t *testing.T) {
	all := map[string][]string{
		"device": {"managed", "compliant", "none"}, "strength": {"aal1", "aal2"}, "from": {"203.0.113.9", "198.51.100.9"},
		"access": {"vpn", "wired"}, "via": {"share", "local"}, "at": {"2026-11-24T11:00:00Z"}, "risk": {"low", "high"},
	}
	settled := 0
	rapid.Check(t, func(t *rapid.T) {
		d := draw(t)
		few, more := map[string]string{}, map[string]string{}
		for _, field := range slices.Sorted(maps.Keys(all)) {
			value := rapid.SampledFrom(all[field]).Draw(t, field)
			known := rapid.IntRange(0, 2).Draw(t, "known")
			if field == "via" {
				known = 0 // it is a known fact where it is not given
			}
			switch known {
			case 0:
				few[field], more[field] = value, value
			case 1:
				more[field] = value
			}
		}
		at := func(u directory.UserID, facts map[string]string) map[thing]rule.State {
			s, err := situation.Parse(func(f string) string { return facts[f] })
			require.NoError(t, err)
			f, err := d.a.Facts(s)
			require.NoError(t, err)
			return states(d.a.Reach(u, f, nil))
		}
		for u := range directory.UserID(d.a.Book.Users()) {
			before, after := at(u, few), at(u, more)
			for _, x := range slices.Concat(slices.Collect(maps.Keys(before)), slices.Collect(maps.Keys(after))) {
				if before[x] != rule.Depends {
					require.Equal(t, before[x], after[x], "%v, with %v and then %v", x, few, more)
				} else if after[x] != rule.Depends {
					settled++
				}
			}
		}
	})
	require.NotZero(t, settled)
}
