package roles_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
)

// everything is what all people hold in a situation, by person, object and
// right.
func everything(t require.TestingT, a *atlas.Atlas, from, risk string) map[string]rule.State {
	f, err := a.Facts(situationOf(t, from, risk))
	require.NoError(t, err)
	all := map[string]rule.State{}
	for _, p := range people {
		u, err := a.Book.FindUser(p, "")
		require.NoError(t, err)
		for _, e := range a.Reach(u, f, nil) {
			all[p+" "+e.Object+" "+e.Right] = e.State
		}
	}
	return all
}

func drawMember(t *rapid.T) (member [3][3]bool) {
	for p := range people {
		for g := range crews {
			member[p][g] = rapid.Bool().Draw(t, "member")
		}
	}
	return member
}

// A line that is reported as redundant can go, and nobody holds anything else;
// one that is reported as locked out opens nothing in any situation.
func TestRedundantAndLockedOutLinesDoNothing(t *testing.T) {
	situations := [][2]string{
		{"198.51.100.1", "low"},
		{"203.0.113.1", "high"},
		{"203.0.113.1", "low"},
		{"198.51.100.1", "medium"},
		{"", ""},
	}
	rapid.Check(t, func(t *rapid.T) {
		member := drawMember(t)
		doc := drawDocument(t)
		a, s := compile(t, world(member), doc)
		for _, f := range check.Findings(a) {
			i := -1
			for j := range doc.Mappings {
				if f.Where.Rule == "mapping "+string(rune('1'+j)) {
					i = j
				}
			}
			if i < 0 {
				continue
			}
			switch f.Code {
			case finding.Redundant:
				without := *doc
				without.Mappings = slices.Delete(slices.Clone(doc.Mappings), i, i+1)
				b, _ := compile(t, world(member), &without)
				for _, x := range situations {
					require.Equal(t, everything(t, a, x[0], x[1]), everything(t, b, x[0], x[1]), "%s without %s", x, f.Where.Rule)
				}
			case finding.LockedOut:
				for _, x := range situations {
					facts, err := a.Facts(situationOf(t, x[0], x[1]))
					require.NoError(t, err)
					for _, p := range people {
						u, err := a.Book.FindUser(p, "")
						require.NoError(t, err)
						for _, e := range a.Reach(u, facts, s) {
							given := slices.ContainsFunc(e.Routes, func(r rule.Route) bool { return r.Mapping == "s/"+f.Where.Rule })
							if given && e.State > rule.Shut {
								t.Fatalf("%s gives %s %s to %s, which is %v at %v", f.Where.Rule, e.Right, e.Object, p, e.State, x)
							}
						}
					}
				}
			}
		}
	})
}

// Every way in that leads to an open gate does so: with that membership the
// right is what the way says.
func TestWaysInLeadIn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		member := drawMember(t)
		doc := drawDocument(t)
		a, s := compile(t, world(member), doc)
		f, err := a.Facts(situationOf(t, "", ""))
		require.NoError(t, err)
		for p, person := range people {
			u, err := a.Book.FindUser(person, "")
			require.NoError(t, err)
			for _, right := range catalogue {
				point, err := s.Gate.At("/", right)
				require.NoError(t, err)
				e := a.Why(u, f, s, point)
				if e.State != rule.None {
					continue
				}
				for _, way := range a.Ways(a.Question(u, f), situationOf(t, "", ""), s, point, &e) {
					with := member
					group, joins := way.Changes[0].Group()
					require.True(t, joins)
					with[p][slices.Index(crews, strings.TrimPrefix(group, "d/"))] = true
					b, bs := compile(t, world(with), doc)
					bp, err := bs.Gate.At("/", right)
					require.NoError(t, err)
					bf, err := b.Facts(situationOf(t, "", ""))
					require.NoError(t, err)
					if got := b.Why(u, bf, bs, bp); got.State != way.State {
						t.Fatalf("%s for %s is said to make %s %v, and makes it %v", way.Changes, person, right, way.State, got.State)
					}
					before, after := everything(t, a, "", ""), everything(t, b, "", "")
					gained := -1 // the one asked about
					for k, state := range after {
						if state >= rule.Depends && before[k] < rule.Depends {
							gained++
						}
					}
					if gained >= 0 && way.State >= rule.Depends && gained != way.Brings {
						t.Fatalf("%s for %s is said to bring %d, and brings %d", way.Changes, person, way.Brings, gained)
					}
				}
			}
		}
	})
}

// Of many lines, each on a resource of its own, only those are looked at beside a line that apply
// where it does: otherwise this would take hours.
func TestManyLinesAreChecked(t *testing.T) {
	const many = 5000
	doc := &roles.Document{
		Rights: []place.Text{text("table:read")},
		Roles:  map[string]*roles.Role{"reader": {Rights: []gate.Pattern{{Text: text("table:read")}}}},
	}
	give := func(on string, crew int) {
		doc.Mappings = append(doc.Mappings, roles.Mapping{
			Who: gate.Who{Groups: nametest.Refs(crews[crew])}, Role: name.Ref{Name: "reader"}, Object: path(on),
		})
	}
	doc.Resources = append(doc.Resources, roles.Resource{Path: path("/")})
	for i := range many {
		at := fmt.Sprintf("/t%d", i)
		doc.Resources = append(doc.Resources, roles.Resource{Path: path(at)})
		give(at, i%2)
	}
	give("/", 2)
	give("/t7", 2)
	a, _ := compile(t, world([3][3]bool{}), doc)
	var redundant []string
	for _, f := range check.Findings(a) {
		if f.Code == finding.Redundant {
			redundant = append(redundant, f.Where.Rule)
		}
	}
	require.Equal(t, []string{fmt.Sprintf("mapping %d", many+2)}, redundant)
}
