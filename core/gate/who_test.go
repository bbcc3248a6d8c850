package gate_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

const few = 5

// nested draws a directory of a few users and groups that hold each other.
func nested(t *rapid.T) *directory.Book {
	d := &directory.Document{Name: "d"}
	for i := range few {
		d.Users = append(d.Users, &directory.User{Name: fmt.Sprintf("u%d", i)})
		g := directory.Group{Name: fmt.Sprintf("g%d", i), Members: &directory.Members{}}
		for j := range few {
			if rapid.IntRange(0, 3).Draw(t, "member") == 0 {
				g.Members.Users = append(g.Members.Users, name.Ref{Name: fmt.Sprintf("u%d", j)})
			}
			if rapid.IntRange(0, 4).Draw(t, "holds") == 0 {
				g.Members.Groups = append(g.Members.Groups, name.Ref{Name: fmt.Sprintf("g%d", j)})
			}
		}
		d.Groups = append(d.Groups, &g)
	}
	var errs place.Errors
	b := directory.Build([]*directory.Document{d}, &errs)
	require.NoError(t, errs.Err())
	return b
}

func drawWho(t *rapid.T) *gate.Who {
	pick := func(prefix, label string) []name.Ref {
		var refs []name.Ref
		for _, i := range rapid.SliceOfNDistinct(rapid.IntRange(0, few-1), 0, 2, rapid.ID).Draw(t, label) {
			refs = append(refs, name.Ref{Name: fmt.Sprintf("%s%d", prefix, i)})
		}
		return refs
	}
	w := &gate.Who{
		Groups:   pick("g", "groups"),
		Users:    pick("u", "users"),
		Everyone: rapid.IntRange(0, 5).Draw(t, "everyone") == 0,
	}
	if rapid.IntRange(0, 3).Draw(t, "except") == 0 {
		w.Except = &directory.People{Groups: pick("g", "except")}
	}
	if w.Empty() {
		w.Everyone = true
	}
	return w
}

func site(b *directory.Book) *gate.Site {
	return &gate.Site{System: &gate.System{Name: "s"}, Book: b, Frame: &situation.Frame{}, Errors: &place.Errors{}}
}

// A rule has those whom its keys name and no exception does; one that is said
// to cover another has everyone in it; and whoever it has, it has a route for.
func TestRules(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := nested(t)
		s := site(b)
		wideDoc, narrowDoc := drawWho(t), drawWho(t)
		wide, narrow := s.Rule(
			rule.Line{Name: "s/wide"},
			wideDoc,
			nil,
			rule.Giving,
		), s.Rule(
			rule.Line{Name: "s/narrow"},
			narrowDoc,
			nil,
			rule.Giving,
		)
		covers := wide.Covers(b, narrow)
		s.Finish()
		for u := range directory.UserID(b.Users()) {
			q := &rule.Question{Book: b, Subject: b.Subject(u)}
			if covers && narrow.Has(q) && !wide.Has(q) {
				t.Fatalf("%+v is said to cover %+v, but not for u%d", wideDoc, narrowDoc, u)
			}
			has := wideDoc.Everyone
			for _, r := range wideDoc.Users {
				has = has || r.Name == b.User(u).Name
			}
			in := func(refs []name.Ref) bool {
				for _, r := range refs {
					g, err := b.FindGroup(r.Name, "")
					require.NoError(t, err)
					for _, m := range b.Members(g) {
						if m.User == u {
							return true
						}
					}
				}
				return false
			}
			has = has || in(wideDoc.Groups)
			if wideDoc.Except != nil {
				has = has && !in(wideDoc.Except.Groups)
			}
			if wide.Has(q) != has || has != (wide.Lacks(q) == nil) {
				t.Fatalf("%+v has u%d: %v, plainly %v, lacks %v", wideDoc, u, wide.Has(q), has, wide.Lacks(q))
			}
			if has && len(wide.Routes(q)) == 0 {
				t.Fatalf("no route for u%d by %+v", u, wideDoc)
			}
		}
	})
}

func TestWhereGroupsCount(t *testing.T) {
	var errs place.Errors
	b := directory.Build([]*directory.Document{
		{
			Name: "here",
			Groups: []*directory.Group{
				{Name: "any"},
				{Name: "own", UsableIn: "own"},
				{Name: "host", UsableIn: "host", Host: "S"},
				{Name: "other", UsableIn: "host", Host: "x"},
				{Name: "mail", Kind: "mail"},
			},
		},
		{Name: "there", Groups: []*directory.Group{{Name: "foreign", UsableIn: "own"}}},
	}, &errs)
	require.NoError(t, errs.Err())
	for _, c := range []struct {
		directory string
		counts    []string
	}{
		{"", []string{"any", "host"}},
		{"HERE", []string{"any", "own", "host"}},
		{"there", []string{"any", "host", "foreign"}},
	} {
		s := site(b)
		s.System.Directory.Name = c.directory
		var got []string
		for _, n := range []string{"any", "own", "host", "other", "mail", "foreign"} {
			g, err := b.FindGroup(n, "")
			require.NoError(t, err)
			if s.Counts(g) {
				got = append(got, n)
			}
			r := s.Rule(rule.Line{Name: "s/line"}, &gate.Who{Groups: []name.Ref{{Name: n}}}, nil, rule.Giving)
			assert.Equal(t, s.Counts(g), !r.Nobody(), n)
		}
		assert.Equal(t, c.counts, got, c.directory)
		assert.Len(t, s.Findings, 6-len(c.counts), "one for each that does not count")
	}
}

func TestLinesForNobodyDoNotLoad(t *testing.T) {
	var errs place.Errors
	s := site(directory.Build(nil, &errs))
	s.Rule(rule.Line{Name: "s/mapping 1", Place: place.Place{File: "s.yaml", Line: 5}}, &gate.Who{}, nil, rule.Giving)
	assert.EqualError(
		t,
		s.Errors.Err(),
		"s.yaml:5: line s/mapping 1 names nobody: it needs groups, users or everyone: true",
	)
}

// Groups beside everyone: true narrow nothing, which whoever wrote them may have meant.
func TestGroupsBesideEveryone(t *testing.T) {
	var errs place.Errors
	b := directory.Build([]*directory.Document{{Name: "here", Groups: []*directory.Group{{Name: "crew"}}}}, &errs)
	require.NoError(t, errs.Err())
	crew := []name.Ref{{Name: "crew"}}
	for _, c := range []struct {
		who   gate.Who
		found int
	}{
		{gate.Who{Everyone: true, Groups: crew}, 1},
		{gate.Who{Everyone: true, Groups: crew, Off: true}, 0},
		{gate.Who{Everyone: true}, 0},
		{gate.Who{Groups: crew}, 0},
	} {
		s := site(b)
		r := s.Rule(rule.Line{Name: "s/mapping 1"}, &c.who, nil, rule.Giving)
		assert.Equal(t, c.who.Off, r.Nobody(), "%+v", c.who)
		require.Len(t, s.Findings, c.found, "%+v", c.who)
		if c.found > 0 {
			assert.Equal(t, finding.BesideEveryone, s.Findings[0].Code)
		}
	}
}
