package files_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/gate/files"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func compile(t require.TestingT, member [2]bool, doc *files.Document) (*atlas.Atlas, *atlas.System) {
	d := &directory.Document{Name: "d", Users: []*directory.User{{Name: "ilse"}}}
	for g, n := range groups {
		m := &directory.Members{}
		if member[g] {
			m.Users = nametest.Refs("ilse")
		}
		d.Groups = append(d.Groups, &directory.Group{Name: n, Members: m})
	}
	a, err := atlas.Compile(
		&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{{Name: "s", Gate: doc}}},
	)
	require.NoError(t, err)
	return a, a.Systems[0]
}

func why(t require.TestingT, a *atlas.Atlas, s *atlas.System, object, right, via string) rule.Entitlement {
	p, err := s.Gate.At(object, right)
	require.NoError(t, err)
	f, err := a.Facts(situation.Situation{Via: situation.Via(via)})
	require.NoError(t, err)
	return a.Why(0, f, s, p)
}

var (
	groups  = []string{"crew", "science"}
	rights  = []string{"list", "read", "write", "delete", "manage"}
	bundles = map[files.Grant][]string{"reader": rights[:2], "editor": rights[:4], "full": rights}
	paths   = []string{"/", "/shift", "/shift/handover", "/notes"}
)

func named(list []files.Grant, right string) bool {
	return slices.ContainsFunc(list, func(g files.Grant) bool {
		return string(g) == right || slices.Contains(bundles[g], right)
	})
}

func matches(w gate.Who, member [2]bool) bool {
	return w.Everyone ||
		slices.ContainsFunc(w.Groups, func(r name.Ref) bool { return member[slices.Index(groups, r.Name)] })
}

// plain walks the entries of one folder after the other, and then the door, by
// the words of docs/model.md section 5.6.
func plain(sh files.Share, member [2]bool, at, right string, local bool) rule.State {
	chain := []files.Folder{}
	for path := at; ; {
		stop := path == "/"
		for _, f := range sh.Folders {
			if f.Path.Value == path {
				chain = append(chain, f)
				stop = stop || f.Inherits != nil && !*f.Inherits
			}
		}
		if stop {
			break
		}
		if path = path[:len(path)-len(path[lastSlash(path):])]; path == "" {
			path = "/"
		}
	}
	decided := ""
	allowedBehind := false
	for _, f := range chain {
		for _, deny := range []bool{true, false} { // at one distance deny comes first
			for _, e := range f.Entries {
				list, verdict := e.Allow, "allow"
				if deny {
					list, verdict = e.Deny, "deny"
				}
				if !named(list, right) || !matches(e.Who, member) {
					continue
				}
				allowedBehind = allowedBehind || !deny
				if decided == "" {
					decided = verdict
				}
			}
		}
	}
	door := false
	for _, e := range sh.Door {
		door = door || named(e.Allow, right) && matches(e.Who, member)
	}
	for _, e := range sh.Door {
		door = door && !(named(e.Deny, right) && matches(e.Who, member))
	}
	switch {
	case !allowedBehind:
		return rule.None
	case decided == "deny" || !local && !door:
		return rule.Shut
	}
	return rule.Open
}

func lastSlash(path string) int {
	for i := len(path) - 1; i >= 0; i-- {
		if path[i] == '/' {
			return i
		}
	}
	return 0
}

func drawEntries(t *rapid.T, label string) []files.Entry {
	var list []files.Entry
	for range rapid.IntRange(0, 3).Draw(t, label) {
		e := files.Entry{
			Who: gate.Who{
				Groups:   nametest.Refs(rapid.SampledFrom(groups).Draw(t, "group")),
				Everyone: rapid.IntRange(0, 3).Draw(t, "everyone") == 0,
			},
		}
		grants := []files.Grant{
			rapid.SampledFrom([]files.Grant{"list", "read", "write", "delete", "manage", "reader", "editor", "full"}).
				Draw(t, "grant"),
		}
		if rapid.Bool().Draw(t, "deny") {
			e.Deny = grants
		} else {
			e.Allow = grants
		}
		list = append(list, e)
	}
	return list
}

func drawShare(t *rapid.T) files.Share {
	sh := files.Share{Share: place.Text{Value: "logs"}, Door: drawEntries(t, "door")}
	for _, p := range paths {
		if rapid.IntRange(0, 3).Draw(t, "undeclared") == 0 {
			continue
		}
		f := files.Folder{Path: place.Text{Value: p}, Entries: drawEntries(t, "entries")}
		if rapid.IntRange(0, 3).Draw(t, "inherits") == 0 {
			f.Inherits = new(bool)
		}
		sh.Folders = append(sh.Folders, f)
	}
	return sh
}

func TestDecisionsAgreeWithAPlainWalk(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		member := [2]bool{rapid.Bool().Draw(t, "in crew"), rapid.Bool().Draw(t, "in science")}
		sh := drawShare(t)
		a, s := compile(t, member, &files.Document{Shares: []files.Share{sh}})
		f, err := a.Facts(situation.Situation{})
		require.NoError(t, err)
		listed := map[string]rule.State{}
		for _, e := range a.Reach(0, f, nil) {
			listed[e.Object+e.Right] = e.State
		}
		for _, p := range paths {
			for _, right := range rights {
				for _, via := range []string{"", "share", "local"} {
					got := why(t, a, s, "logs:"+p, right, via)
					if want := plain(sh, member, p, right, via == "local"); got.State != want {
						t.Fatalf("%s on %s via %q: %v %v, plainly %v", right, p, via, got.State, got.ShutBy, want)
					}
					if declared := slices.ContainsFunc(sh.Folders, func(f files.Folder) bool { return f.Path.Value == p }); via == "" &&
						declared &&
						listed["logs:"+p+right] != got.State {
						t.Fatalf("%s on %s: listed %v, asked %v", right, p, listed["logs:"+p+right], got.State)
					}
				}
			}
		}
	})
}

// Leaving out an entry that is reported as redundant changes nothing for anyone.
func TestRedundantEntriesCanGo(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		sh := drawShare(t)
		a, _ := compile(t, [2]bool{true, true}, &files.Document{Shares: []files.Share{sh}})
		for _, f := range check.Findings(a) {
			if f.Code != finding.Redundant {
				continue
			}
			without, found := sh, false
			without.Folders = slices.Clone(sh.Folders)
			leaveOut := func(list []files.Entry, of string) []files.Entry {
				left := slices.Clone(list)
				for i := range list {
					if f.Where.Rule == fmt.Sprintf("%s entry %d", of, i+1) {
						left, found = slices.Delete(left, i, i+1), true
					}
				}
				return left
			}
			without.Door = leaveOut(sh.Door, "logs door")
			for i := range without.Folders {
				without.Folders[i].Entries = leaveOut(sh.Folders[i].Entries, "logs:"+sh.Folders[i].Path.Value)
			}
			require.True(t, found, f.Where.Rule)
			for _, member := range [][2]bool{{}, {true, false}, {false, true}, {true, true}} {
				for _, p := range paths {
					for _, right := range rights {
						for _, local := range []bool{false, true} {
							if plain(sh, member, p, right, local) != plain(without, member, p, right, local) {
								t.Fatalf("%s decides %s on %s for %v", f.Where.Rule, right, p, member)
							}
						}
					}
				}
			}
		}
	})
}

func TestObjectsAndErrors(t *testing.T) {
	doc := &files.Document{Shares: []files.Share{
		{Share: place.Text{Value: "logs"}, Door: []files.Entry{{Who: gate.Who{Everyone: true}, Allow: []files.Grant{"full"}}},
			Folders: []files.Folder{
				{
					Path:    place.Text{Value: "/shift/"},
					Entries: []files.Entry{{Who: gate.Who{Groups: nametest.Refs("crew")}, Allow: []files.Grant{"reader"}}},
				},
			}},
		{Share: place.Text{Value: "charts"}},
	}}
	a, s := compile(t, [2]bool{true, false}, doc)
	e := why(t, a, s, "logs:/shift/monday/", "read", "")
	assert.Equal(t, rule.Open, e.State)
	assert.Equal(t, "logs:/shift", e.DecidedAt)
	assert.Equal(t, rule.None, why(t, a, s, "logs", "read", "").State)
	for _, bad := range [][2]string{{"logs:/shift", "execute"}, {"lugs:/", "read"}, {"logs:shift", "read"}, {"", "read"}} {
		_, err := s.Gate.At(bad[0], bad[1])
		assert.Error(t, err, bad)
	}
}
