package reading_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/demo"
	"gatemap/mapfile"
	"gatemap/service/content"
)

func demoAtlas(t testing.TB) *atlas.Atlas {
	t.Helper()
	f, err := content.ReadFS(demo.Map())
	require.NoError(t, err)
	a, err := f.Compile("demo")
	require.NoError(t, err)
	return a
}

func typeOf(s *atlas.System) gate.Type {
	of, _ := types.Named(s.Document.Type.Name)
	return of
}

// thing is what someone holds.
type thing struct{ user, object, right string }

// byMap is what everyone can do in a system by the map, asked one by one, with what stands in
// front left aside.
func byMap(a *atlas.Atlas, s *atlas.System, at time.Time) map[thing]rule.State {
	held := map[thing]rule.State{}
	for u := range a.Book.AllUsers {
		record := a.Book.User(u)
		lacks := slices.ContainsFunc(
			s.Document.Requires,
			func(attribute string) bool { return record.Attributes.First(attribute) == "" },
		)
		if !record.IsActive() || !record.Expires.IsZero() && !at.Before(record.Expires.Time) || lacks {
			continue
		}
		s.Gate.Reach(a.Question(u, a.Frame.Facts(situation.Situation{}, nil)), func(e rule.Entitlement) {
			if e.State >= rule.Depends {
				held[thing{a.Book.UserName(u), e.Object, e.Right}] = e.State
			}
		})
	}
	return held
}

// readOf is the reading of a list of holdings by user, each by the account itself.
func readOf(t require.TestingT, a *atlas.Atlas, s *atlas.System, held []thing, at time.Time) *reading.Compiled {
	r := &reading.Reading{System: s.Name(), Type: s.Document.Type.Name, At: at}
	accounts := map[string]bool{}
	var list []gate.Holding
	for _, h := range held {
		_, account, _ := strings.Cut(h.user, "/")
		accounts[account] = true
		list = append(list, gate.Holding{Account: account, Object: h.object, Right: h.right})
	}
	for account := range accounts {
		r.Accounts = append(r.Accounts, reading.Account{Name: account, Active: true})
	}
	r.Document, _ = typeOf(s).Holding(s.Document.Gate, list)
	c, err := reading.Compile(r, a, s.Document)
	require.NoError(t, err)
	return c
}

// The drift by person is the difference of what the map gives and what was read, exactly: nothing
// is missing and nothing is made up, however much of it is taken away and added.
func TestDriftIsTheDifference(t *testing.T) {
	a := demoAtlas(t)
	at := time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)
	for _, named := range []string{"ledger", "sky-tools", "proposals", "night-files"} {
		s, err := a.System(named)
		require.NoError(t, err)
		here := byMap(a, s, at)
		require.NotEmpty(t, here, named)
		var all []thing
		catalogue := map[[2]string]bool{}
		for x := range here {
			all = append(all, x)
			catalogue[[2]string{x.object, x.right}] = true
		}
		slices.SortFunc(all, func(x, y thing) int { return strings.Compare(fmt.Sprint(x), fmt.Sprint(y)) })
		var points [][2]string
		for p := range catalogue {
			points = append(points, p)
		}
		slices.SortFunc(points, func(x, y [2]string) int { return strings.Compare(x[0]+" "+x[1], y[0]+" "+y[1]) })
		users := slices.Collect(func(yield func(string) bool) {
			for u := range a.Book.AllUsers {
				if a.Book.UserHome(u) == "cindervale" && !yield(a.Book.UserName(u)) {
					return
				}
			}
		})
		rapid.Check(t, func(rt *rapid.T) {
			defer reading.Many(
				rapid.SampledFrom([]int{0, 3, 100}).Draw(rt, "many"),
				rapid.SampledFrom([]uint8{1, 3, 255}).Draw(rt, "word"),
			)()
			there := map[thing]bool{}
			drop := rapid.IntRange(0, 3).Draw(rt, "dropped in ten")
			for _, x := range all {
				if rapid.IntRange(1, 10).Draw(rt, "drop") > drop {
					there[x] = true
				}
			}
			for range rapid.IntRange(0, 5).Draw(rt, "added") {
				p := rapid.SampledFrom(points).Draw(rt, "what")
				there[thing{rapid.SampledFrom(users).Draw(rt, "who"), p[0], p[1]}] = true
			}
			for _, p := range points { // of files a folder of which nothing is listed is as the map has it
				if p == points[0] || named == "night-files" {
					there[thing{"cindervale/nobody-we-know", p[0], p[1]}] = true
				}
			}
			var list []thing
			for x := range there {
				list = append(list, x)
			}
			d, err := reading.Between(readOf(rt, a, s, list, at), typeOf(s))
			require.NoError(rt, err)
			want := map[thing]reading.Effect{}
			for x, state := range here {
				switch {
				case !there[x]:
					want[x] = reading.Short
				case state == rule.Depends:
					want[x] = reading.Excess
				}
			}
			for x := range there {
				if _, has := here[x]; !has {
					x.user = strings.Replace(x.user, "cindervale/nobody-we-know", named+"/nobody-we-know", 1)
					want[x] = reading.Excess
				}
			}
			got := map[thing]reading.Effect{}
			for _, x := range d.Items {
				got[thing{x.User, x.Object, x.Right}] = x.Effect()
			}
			assert.Equal(rt, want, got, named)
			total := 0
			for _, c := range d.Causes {
				total += c.Items
			}
			assert.Equal(rt, len(d.Items), total, "each item has one cause")
		})
	}
}

const observatory = `directory: cindervale
users:
  - {userName: ilse, title: Night assistant}
  - {userName: rana}
  - {userName: bram}
  - {userName: joss, active: false}
  - {userName: Teo}
  - {userName: mika}
groups:
  - {name: writers, members: {groups: [crew], users: [rana]}}
  - {name: crew, members: {users: [ilse, bram]}}
  - {name: readers, members: {users: [mika]}}
---
system: frames
type: roles
rights: ["frames:read", "frames:write", "frames:purge"]
resources: [{path: /raw}, {path: /raw/2026}]
roles: {reader: {rights: ["frames:read"]}, writer: {rights: ["frames:read", "frames:write"]}}
mappings:
  - {groups: [writers], role: writer, object: /raw}
  - {groups: [readers], role: reader, object: /raw}
  - {users: [Teo], role: reader, object: /raw}
`

// What explains a difference is told: by whom, by which group there and here.
func TestCausesOfDrift(t *testing.T) {
	a := compiled(t, observatory)
	s, err := a.System("frames")
	require.NoError(t, err)
	document := *s.Document
	document.Link = &gate.Link{Names: gate.Written{Groups: "gm_{name}"}, Ignore: gate.Ignored{Accounts: patterns("svc-*")}}
	for what, c := range map[string]struct {
		change func(*reading.Reading)
		want   []string
	}{
		"as it should be": {func(*reading.Reading) {}, nil},
		"one missing membership explains all that comes of it": {
			func(r *reading.Reading) { without(r, "gm_writers", "ilse") },
			[]string{"short not-member cindervale/ilse cindervale/writers gm_writers: 4 of 1"},
		},
		"an account that is not there": {
			func(r *reading.Reading) {
				without(r, "gm_writers", "bram")
				r.Accounts = slices.DeleteFunc(r.Accounts, func(a reading.Account) bool { return a.Name == "bram" })
			},
			[]string{"short no-account cindervale/bram: 4 of 1"},
		},
		"an account that is locked": {
			func(r *reading.Reading) { r.Accounts[0].Active = false },
			[]string{"short account-off cindervale/ilse: 4 of 1"},
		},
		"a group that is named there, and not there": {
			func(r *reading.Reading) {
				r.Groups = slices.DeleteFunc(r.Groups, func(g reading.Group) bool { return g.Name == "gm_readers" })
			},
			[]string{"short not-member cindervale/mika cindervale/readers gm_readers: 2 of 1"},
		},
		"a group that is not there": {
			func(r *reading.Reading) {
				r.Groups = slices.DeleteFunc(r.Groups, func(g reading.Group) bool { return g.Name == "gm_readers" })
				r.Document, _ = typeOf(s).Holding(s.Document.Gate, slices.DeleteFunc(slices.Clone(grants), func(h gate.Holding) bool { return h.Group == "gm_readers" }))
			},
			[]string{"short no-group cindervale/readers: 2 of 1"},
		},
		"somebody who is off by the map": {
			func(r *reading.Reading) {
				r.Accounts = append(r.Accounts, reading.Account{Name: "joss", Active: true})
				with(r, "gm_readers", "joss")
			},
			[]string{"excess off-here cindervale/joss: 2 of 1"},
		},
		"somebody too many in a group": {
			func(r *reading.Reading) { with(r, "gm_writers", "mika") },
			[]string{"excess extra-member cindervale/mika cindervale/writers gm_writers: 2 of 1"},
		},
		"a group in another": {
			func(r *reading.Reading) { r.Groups[0].Groups = append(r.Groups[0].Groups, "gm_readers") },
			[]string{"excess extra-nesting gm_readers gm_writers: 2 of 1"},
		},
		"a group of somebody else": {
			func(r *reading.Reading) {
				r.Groups = append(r.Groups, reading.Group{Name: "old_admins", Accounts: []string{"mika", "Teo"}})
				grant(r, gate.Holding{Group: "old_admins", Object: "/raw", Right: "frames:purge"})
			},
			[]string{"excess foreign-group old_admins old_admins: 4 of 2"},
		},
		"a grant too many": {
			func(r *reading.Reading) {
				grant(r, gate.Holding{Group: "gm_readers", Object: "/raw/2026", Right: "frames:write"})
			},
			[]string{"excess extra-grant cindervale/readers gm_readers: 1 of 1"},
		},
		"a grant to an account itself": {
			func(r *reading.Reading) {
				grant(r, gate.Holding{Account: "rana", Object: "/raw/2026", Right: "frames:purge"})
			},
			[]string{"excess direct-grant cindervale/rana: 1 of 1"},
		},
		"a stranger": {
			func(r *reading.Reading) {
				r.Accounts = append(r.Accounts, reading.Account{Name: "temp", Active: true}, reading.Account{Name: "svc-backup", Active: true})
				with(r, "gm_readers", "temp")
				with(r, "gm_readers", "svc-backup")
			},
			[]string{"excess unknown frames/temp: 2 of 1"},
		},
		"a grant too few": {
			func(r *reading.Reading) { r.Document, _ = typeOf(s).Holding(s.Document.Gate, grants[1:]) },
			[]string{"short not-granted cindervale/writers gm_writers frames/mapping 1: 6 of 3"},
		},
	} {
		t.Run(what, func(t *testing.T) {
			r := asItShouldBe(s)
			c.change(r)
			real, err := reading.Compile(r, a, &document)
			require.NoError(t, err)
			d, err := reading.Between(real, typeOf(s))
			require.NoError(t, err)
			var got []string
			for _, x := range d.Causes {
				words := []string{string(x.Effect), string(x.Why)}
				for _, w := range []string{x.User, x.Group, x.There, x.Line} {
					if w != "" {
						words = append(words, w)
					}
				}
				got = append(got, fmt.Sprintf("%s: %d of %d", strings.Join(words, " "), x.Items, x.Users))
			}
			assert.Equal(t, c.want, got)
			if c.want == nil {
				assert.Empty(t, d.Lines)
				assert.Empty(t, real.Strangers())
			}
		})
	}
}

var grants = []gate.Holding{
	{Group: "gm_writers", Object: "/raw", Right: "frames:write"},
	{Group: "gm_writers", Object: "/raw", Right: "frames:read"},
	{Group: "gm_readers", Object: "/raw", Right: "frames:read"},
	{Account: "Teo", Object: "/raw", Right: "frames:read"},
}

// asItShouldBe is a reading that holds what the map says, in names of its own.
func asItShouldBe(s *atlas.System) *reading.Reading {
	r := &reading.Reading{
		System: s.Name(), Type: "roles", At: time.Now(),
		Groups: []reading.Group{
			{Name: "gm_writers", Accounts: []string{"ilse", "rana", "bram"}},
			{Name: "gm_readers", Accounts: []string{"mika"}},
		},
	}
	for _, named := range []string{"ilse", "rana", "bram", "Teo", "mika"} {
		r.Accounts = append(r.Accounts, reading.Account{Name: named, Active: true})
	}
	r.Document, _ = typeOf(s).Holding(s.Document.Gate, grants)
	return r
}

func grant(r *reading.Reading, more gate.Holding) {
	of, _ := types.Named(r.Type)
	r.Document, _ = of.Holding(r.Document, append(slices.Clone(grants), more))
}

func with(r *reading.Reading, group, account string) {
	for i := range r.Groups {
		if r.Groups[i].Name == group {
			r.Groups[i].Accounts = append(r.Groups[i].Accounts, account)
		}
	}
}

func without(r *reading.Reading, group, account string) {
	for i := range r.Groups {
		if r.Groups[i].Name == group {
			r.Groups[i].Accounts = slices.DeleteFunc(
				slices.Clone(r.Groups[i].Accounts),
				func(a string) bool { return a == account },
			)
		}
	}
}

// Accounts belong to the one user whose name is written so: in the same case, else in any, of the
// system's own directory before others; where several may be meant to nobody.
func TestMatching(t *testing.T) {
	a := compiled(t, observatory+`---
directory: ridge
users: [{userName: ilse, uid: x1}, {userName: ana}, {userName: BO}]
---
directory: dale
users: [{userName: ana}]
`)
	s, err := a.System("frames")
	require.NoError(t, err)
	for what, c := range map[string]struct {
		home, pattern string
		accounts      []string
		want          map[string]string
		unclear       []string
	}{
		"in any case":                    {"", "", []string{"TEO", "bo"}, map[string]string{"TEO": "cindervale/Teo", "bo": "ridge/BO"}, nil},
		"in the same case first":         {"", "", []string{"teo", "Teo"}, map[string]string{"Teo": "cindervale/Teo"}, nil},
		"several may be meant":           {"", "", []string{"ana", "ilse"}, map[string]string{}, []string{"ana", "ilse"}},
		"the system's own directory":     {"ridge", "", []string{"ana", "ilse"}, map[string]string{"ana": "ridge/ana", "ilse": "ridge/ilse"}, nil},
		"by another attribute":           {"", "{uid}", []string{"x1", "ilse"}, map[string]string{"x1": "ridge/ilse"}, nil},
		"with something around the name": {"", "ext-{userName}", []string{"ext-rana", "rana"}, map[string]string{"ext-rana": "cindervale/rana"}, nil},
	} {
		t.Run(what, func(t *testing.T) {
			document := *s.Document
			document.Directory.Name, document.Link = c.home, &gate.Link{Names: gate.Written{Users: c.pattern}}
			r := asItShouldBe(s)
			r.Accounts = nil
			r.Document, _ = typeOf(s).Holding(s.Document.Gate, nil)
			for _, named := range c.accounts {
				r.Accounts = append(r.Accounts, reading.Account{Name: named, Active: true})
			}
			isMatched(t, r, a, &document, c.want, c.unclear)
		})
	}
}

// isMatched sees whose the accounts of a reading are, and of which that is not clear.
func isMatched(
	t *testing.T,
	r *reading.Reading,
	a *atlas.Atlas,
	s *gate.System,
	want map[string]string,
	unclear []string,
) {
	t.Helper()
	real, err := reading.Compile(r, a, s)
	require.NoError(t, err)
	got := map[string]string{}
	for account, u := range real.UserOf {
		got[account] = a.Book.UserName(u)
	}
	assert.Equal(t, want, got)
	for _, named := range unclear {
		assert.Len(t, real.Unclear[named], 2, named)
	}
	assert.Len(t, real.Unclear, len(unclear))
}

// An account of which the system was told whose it is belongs to them whatever it is called; names are left
// for the others, and an identifier that is not clear says nothing.
func TestMatchingByIdentifier(t *testing.T) {
	a := compiled(t, observatory+`---
directory: ridge
users: [{userName: ilse}, {userName: ana}, {userName: liv}]
---
directory: dale
users: [{userName: ana}]
`)
	s, err := a.System("frames")
	require.NoError(t, err)
	for named, id := range map[string]string{"ridge/ilse": "1", "ridge/ana": "2", "dale/ana": "2", "ridge/liv": "3"} {
		u, err := a.Book.FindUser(named, "")
		require.NoError(t, err)
		a.Book.User(u).ID = id
	}
	for what, c := range map[string]struct {
		home     string
		accounts []reading.Account
		want     map[string]string
		unclear  []string
	}{
		"an account that was renamed": {"", []reading.Account{{Name: "ilse.old", Of: "1"}}, map[string]string{"ilse.old": "ridge/ilse"}, nil},
		"the name is another's":       {"", []reading.Account{{Name: "liv", Of: "1"}}, map[string]string{"liv": "ridge/ilse"}, nil},
		"whose account is known has no other by the name, and neither has a namesake": {
			"ridge", []reading.Account{{Name: "ilse.old", Of: "1"}, {Name: "ilse"}}, map[string]string{"ilse.old": "ridge/ilse"}, nil,
		},
		"an identifier of nobody":    {"ridge", []reading.Account{{Name: "ilse", Of: "9"}}, map[string]string{"ilse": "ridge/ilse"}, nil},
		"an identifier of several":   {"", []reading.Account{{Name: "liv", Of: "2"}}, map[string]string{}, []string{"liv"}},
		"of the system's own first":  {"dale", []reading.Account{{Name: "x", Of: "2"}}, map[string]string{"x": "dale/ana"}, nil},
		"an identifier of two there": {"", []reading.Account{{Name: "liv", Of: "1"}, {Name: "x", Of: "1"}}, map[string]string{"liv": "ridge/liv"}, nil},
	} {
		t.Run(what, func(t *testing.T) {
			document := *s.Document
			document.Directory.Name, document.Link = c.home, &gate.Link{}
			r := asItShouldBe(s)
			r.Accounts = c.accounts
			r.Document, _ = typeOf(s).Holding(s.Document.Gate, nil)
			isMatched(t, r, a, &document, c.want, c.unclear)
		})
	}
}

// What was adopted goes by its own name, whatever the link says of names; people who come from a
// source into a directory that happens to be called as the system do not.
func TestAdoptedRecordsGoByTheirOwnNames(t *testing.T) {
	for _, source := range []*directory.Source{nil, {}} {
		m, err := mapfile.Parse([]mapfile.File{{Path: "map.yaml", Content: []byte(observatory + `---
directory: frames
users: [{userName: lone}, {userName: rana}]
groups: [{name: vendors, members: {users: [lone]}}]
`)}}, types.Table, nil)
		require.NoError(t, err)
		m.Directories[len(m.Directories)-1].Source = source
		a, err := atlas.Compile(m)
		require.NoError(t, err)
		s, err := a.System("frames")
		require.NoError(t, err)
		document := *s.Document
		document.Link = &gate.Link{Names: gate.Written{Users: "ext-{userName}", Groups: "gm-{name}"}}
		r := asItShouldBe(s)
		r.Document, _ = typeOf(s).Holding(s.Document.Gate, nil)
		r.Accounts = []reading.Account{{Name: "lone", Active: true}, {Name: "ext-rana", Active: true}}
		r.Groups = []reading.Group{{Name: "vendors", Accounts: []string{"lone"}}}
		real, err := reading.Compile(r, a, &document)
		require.NoError(t, err)
		var users, groups []string
		for account, u := range real.UserOf {
			users = append(users, account+" is "+a.Book.UserName(u))
		}
		for group, g := range real.GroupOf {
			groups = append(groups, group+" is "+a.Book.GroupName(g))
		}
		slices.Sort(users)
		if source == nil {
			assert.Equal(t, []string{"lone is frames/lone"}, users, "two records are written ext-rana")
			assert.Equal(t, []string{"vendors is frames/vendors"}, groups)
			continue
		}
		assert.Empty(t, users)
		assert.Empty(t, groups)
	}
}

func compiled(t *testing.T, text string) *atlas.Atlas {
	t.Helper()
	m, err := mapfile.Parse([]mapfile.File{{Path: "map.yaml", Content: []byte(text)}}, types.Table, nil)
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	return a
}

func patterns(texts ...string) (list []gate.Pattern) {
	for _, text := range texts {
		list = append(list, gate.Pattern{Text: place.Text{Value: text}})
	}
	return list
}

// What is found for words is what is found point by point: with denials, limits, tags, sealed
// resources and conditions, whichever lines and members are missing there or are there besides.
func TestDriftIsWhatEachPointSays(t *testing.T) {
	a := demoAtlas(t)
	at := time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)
	for _, named := range []string{"archive", "reduction-hosts", "dome-hosts", "compute", "night-files"} {
		s, err := a.System(named)
		require.NoError(t, err)
		document := *s.Document
		document.Link = &gate.Link{Names: gate.Written{Groups: "gm-{name}"}}
		var groups []string
		own := gate.Rewritten(document.Gate, func(w *gate.Who) {
			w.Claims = nil
			for i := range w.Groups {
				groups, w.Groups[i].Name = append(groups, w.Groups[i].Name), "gm-"+w.Groups[i].Name
			}
			if w.Empty() {
				w.Users = append(w.Users, name.Ref{Name: "nobody"})
			}
		}, func(p *directory.People) {
			for i := range p.Groups {
				groups, p.Groups[i].Name = append(groups, p.Groups[i].Name), "gm-"+p.Groups[i].Name
			}
		})
		slices.Sort(groups)
		groups = slices.Compact(groups)
		rapid.Check(t, func(rt *rapid.T) {
			defer reading.Many(
				rapid.SampledFrom([]int{0, 3, 100}).Draw(rt, "many"),
				rapid.SampledFrom([]uint8{1, 3, 255}).Draw(rt, "word"),
			)()
			r := &reading.Reading{System: named, Type: document.Type.Name, At: at}
			drop := rapid.IntRange(0, 2).Draw(rt, "dropped in ten")
			r.Document = gate.Rewritten(
				own,
				func(w *gate.Who) { w.Off = rapid.IntRange(1, 10).Draw(rt, "off") <= drop },
				func(*directory.People) {},
			)
			for u := range a.Book.AllUsers {
				if a.Book.UserHome(u) == "cindervale" && rapid.IntRange(1, 20).Draw(rt, "no account") > drop {
					r.Accounts = append(
						r.Accounts,
						reading.Account{Name: a.Book.User(u).Name, Active: rapid.IntRange(1, 20).Draw(rt, "locked") > drop},
					)
				}
			}
			for _, group := range groups {
				g := reading.Group{Name: "gm-" + group}
				id, err := a.Book.FindGroup(group, "")
				if err != nil {
					continue
				}
				for u := range a.Book.AllUsers {
					if in := a.Book.Subject(u).In(id); in == (rapid.IntRange(1, 20).Draw(rt, "other") > drop) {
						g.Accounts = append(g.Accounts, a.Book.User(u).Name)
					}
				}
				r.Groups = append(r.Groups, g)
			}
			c, err := reading.Compile(r, a, &document)
			require.NoError(rt, err)
			d, err := reading.Between(c, typeOf(s))
			require.NoError(rt, err)
			got := map[thing]reading.Effect{}
			for _, x := range d.Items {
				got[thing{x.User, x.Object, x.Right}] = x.Effect()
			}
			assert.Equal(rt, pointByPoint(a, s, c, at), got, named)
			for _, x := range d.Items {
				causeHolds(rt, a, c, x.User, d.Causes[x.Cause])
			}
		})
	}
}

// causeHolds says whether a cause that names groups says the truth of who is in them.
func causeHolds(t require.TestingT, a *atlas.Atlas, c *reading.Compiled, named string, cause reading.Cause) {
	type in struct{ here, there bool }
	want, said := map[reading.Why]in{
		reading.NotMember: {true, false}, reading.NotGranted: {true, true}, reading.ExtraMember: {false, true}, reading.ExtraGrant: {true, true},
	}[cause.Why]
	if !said || cause.Group == "" || cause.There == "" {
		return
	}
	member := func(book *directory.Book, group string) bool {
		u, err := book.FindUser(named, "")
		require.NoError(t, err)
		g, err := book.FindGroup(group, "")
		require.NoError(t, err, "%+v", cause)
		return book.Subject(u).In(g)
	}
	got := in{member(a.Book, cause.Group), member(c.Atlas.Book, c.Reading.System+"/"+cause.There)}
	assert.Equal(t, want, got, "%s: %+v", named, cause)
	if cause.User != "" {
		assert.Equal(t, named, cause.User)
	}
}

// pointByPoint is who holds otherwise on both sides, of everything that is listed on either. Of
// hosts it asks for every command line that either side writes.
func pointByPoint(a *atlas.Atlas, s *atlas.System, c *reading.Compiled, at time.Time) map[thing]reading.Effect {
	here := byMap(a, s, at)
	there := map[thing]rule.State{}
	facts := a.Frame.Facts(situation.Situation{}, nil)
	for u := range c.Atlas.Book.AllUsers {
		if !c.Atlas.Book.User(u).IsActive() {
			continue
		}
		c.System.Gate.Reach(c.Atlas.Question(u, facts), func(e rule.Entitlement) {
			if e.State >= rule.Depends {
				there[thing{c.Atlas.Book.UserName(u), e.Object, e.Right}] = e.State
			}
		})
	}
	if d, is := s.Document.Gate.(*hosts.Document); is {
		rights := s.Gate.Catalogue().Rights
		for _, e := range d.Elevate {
			for _, p := range e.Except {
				rights = append(rights, "run "+p.Value+" as "+e.As)
			}
		}
		ask := func(a *atlas.Atlas, s *atlas.System, held map[thing]rule.State) {
			for u := range a.Book.AllUsers {
				able := a.Book.User(u).IsActive() &&
					!slices.ContainsFunc(
						s.Document.Requires,
						func(attribute string) bool { return a.Book.User(u).Attributes.First(attribute) == "" },
					)
				for _, host := range s.Gate.Catalogue().Objects {
					for _, right := range rights {
						p, err := s.Gate.At(host, right)
						if err != nil || !able {
							continue
						}
						if state := p.State(a.Question(u, facts)); state >= rule.Depends {
							held[thing{a.Book.UserName(u), host, right}] = state
						}
					}
				}
			}
		}
		ask(a, s, here)
		ask(c.Atlas, c.System, there)
	}
	want := map[thing]reading.Effect{}
	for x, state := range here {
		if there[x] < state {
			want[x] = reading.Short
		}
	}
	for x, state := range there {
		if here[x] < state {
			want[x] = reading.Excess
		}
	}
	return want
}
