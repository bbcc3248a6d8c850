package workspace_test

import (
	"errors"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/stage"
	"gatemap/tools/bigmap/world"
)

// tiny is a made-up map in which everything is there, and little of it.
var tiny = world.Size{Name: "tiny", Users: 90, Groups: 40, Systems: 10, Memberships: 400, Mappings: 140, Rules: 40}

func made(t require.TestingT, folder string, size world.Size, seed uint64) (*content.Folder, *atlas.Atlas) {
	require.NoError(t, world.Write(folder, size, seed))
	f, err := content.ReadFolder(folder)
	require.NoError(t, err)
	a, err := f.Compile("a made-up map")
	require.NoError(t, err)
	return f, a
}

var situations = []map[string]string{
	{},
	{
		"from":     "203.0.113.9",
		"at":       "2026-11-24T11:00:00Z",
		"device":   "managed,compliant",
		"strength": "aal3",
		"access":   "vpn",
		"client":   "browser",
		"risk":     "low",
		"via":      "share",
	},
	{
		"from":     "198.51.100.9",
		"at":       "2026-11-24T22:00:00Z",
		"device":   "none",
		"strength": "aal1",
		"access":   "wifi",
		"client":   "legacy",
		"risk":     "high",
	},
	{
		"from": "192.0.2.200",
		"via":  "local",
	}, {"at": "2026-06-15T12:00:00Z"}, {"device": "managed"}, {"risk": "medium", "strength": "aal2"},
}

func given(t require.TestingT, facts map[string]string) situation.Situation {
	s, err := situation.Parse(func(f string) string { return facts[f] })
	require.NoError(t, err)
	return s
}

// lineChange drops a line of a system that names groups, moves one, or says that it
// is for everyone.
func lineChange(t require.TestingT, files []mapfile.File, s *atlas.System, r *rand.Rand) stage.Change {
	i := slices.IndexFunc(files, func(f mapfile.File) bool { return f.Path == "systems/"+s.Name()+".yaml" })
	text, err := mapfile.OpenText(files[i])
	require.NoError(t, err)
	at, ok := text.Document("system", s.Name())
	require.True(t, ok)
	type entry struct{ list, number string }
	var entries []entry
	for _, key := range text.Keys(at) {
		list, _ := text.Key(at, key)
		for i := range text.Size(list) {
			if _, named := text.Key(list.At(i), "groups"); text.IsList(list) && named {
				entries = append(entries, entry{key, strconv.Itoa(i + 1)})
			}
		}
	}
	if len(entries) == 0 {
		return stage.Change{
			Do:       stage.AddPart,
			Document: "guarantees",
			List:     "guarantees",
			Value: []byte(
				`{"guarantee": "x", "nobody": {"everyone": true}, "can": {"system": "` + s.Name() + `", "right": "*"}}`,
			),
		}
	}
	e := entries[r.IntN(len(entries))]
	c := stage.Change{Do: stage.RemoveLine, System: s.Name(), List: e.list, Line: e.number}
	if r.IntN(2) == 0 && e.number != "1" {
		c.Do, c.Before = stage.MoveLine, "1"
	}
	return c
}

func drawChange(t require.TestingT, f *content.Folder, a *atlas.Atlas, r *rand.Rand) stage.Change {
	b := a.Book
	u := directory.UserID(r.IntN(b.Users()))
	var listing, ruled []directory.GroupID
	for g := range directory.GroupID(b.Groups()) {
		if b.Group(g).Rule == nil {
			listing = append(listing, g)
		} else {
			ruled = append(ruled, g)
		}
	}
	some := b.GroupName(listing[r.IntN(len(listing))])
	switch r.IntN(11) {
	case 8:
		return stage.Change{
			Do:    stage.CreateGroup,
			Group: b.GroupHome(listing[0]) + "/aa-admins-north",
			Value: raw(map[string]any{"members": map[string]any{"users": []string{b.UserName(u)}}}),
		}
	case 9:
		return stage.Change{Do: stage.RemoveGroup, Group: some}
	case 10:
		return stage.Change{Do: stage.RenameGroup, Group: some, To: b.Group(listing[0]).Name[:1] + "-otherwise"}
	case 7:
		at := [][2]string{{"networks", `["192.0.2.0/24"]`}, {"windows", `{"days": ["mon"], "from": "08:00", "to": "18:00"}`}}[r.IntN(2)]
		return stage.Change{Do: stage.AddPart, Document: "map", List: at[0], Part: "more", Value: []byte(at[1])}
	case 0:
		return stage.Change{Do: stage.Join, Group: some, Member: b.UserName(u)}
	case 1:
		for _, at := range r.Perm(len(listing)) {
			if users := b.ListedUsers(listing[at]); len(users) > 0 {
				return stage.Change{Do: stage.Leave, Group: b.GroupName(listing[at]), Member: b.UserName(users[r.IntN(len(users))])}
			}
		}
	case 2:
		other := b.User(directory.UserID(r.IntN(b.Users())))
		attribute := []string{"title", "department", "emails", "remoteAccess", "active", "employeeNumber", "expires", "userType"}[r.IntN(8)]
		c := stage.Change{Do: stage.SetUser, User: b.UserName(u), Attribute: attribute}
		switch attribute {
		case "active":
			c.Value = raw(!b.User(u).IsActive())
		case "expires":
			c.Value = raw("2026-08-01T00:00:00Z")
		default:
			if value := other.Attributes.First(attribute); value != "" {
				c.Value = raw(value)
			}
		}
		return c
	case 3:
		return stage.Change{Do: stage.Join, Group: some, Member: b.GroupName(listing[r.IntN(len(listing))])}
	case 4:
		if len(ruled) > 0 {
			return stage.Change{
				Do:    stage.SetGroup,
				Group: b.GroupName(ruled[r.IntN(len(ruled))]),
				Field: "rule",
				Value: raw([]string{`title co "a"`, `active eq true`, `department eq "Science"`}[r.IntN(3)]),
			}
		}
	case 5:
		field := [][2]string{{"kind", "mail"}, {"usable_in", "own"}, {"members_from", "own"}, {"description", "something else"}}[r.IntN(4)]
		return stage.Change{Do: stage.SetGroup, Group: some, Field: field[0], Value: raw(field[1])}
	}
	return lineChange(t, f.Files, a.Systems[r.IntN(len(a.Systems))], r)
}

// What a trial computes again comes to the same as the whole map recompiled:
// its outcome is the difference of the two maps, each user's groups are those of the
// new one, and it finds the errors that are new.
func TestATrialIsTheDifferenceOfTheWholeMaps(t *testing.T) {
	if testing.Short() {
		t.Skip("a law of what is computed, not of what is done at once")
	}
	folder := t.TempDir()
	moved, again := 0, 0
	for seed := range uint64(40) {
		r := rand.New(rand.NewPCG(seed, 1))
		require.NoError(t, os.RemoveAll(folder))
		f, a := made(t, folder, tiny, seed)
		var changes []stage.Change
		for range 1 + r.IntN(3) {
			changes = append(changes, drawChange(t, f, a, r))
		}
		for _, facts := range situations[:3] { // what is computed once is there before
			facts, err := a.Facts(given(t, facts))
			require.NoError(t, err)
			a.Survey(facts, atlas.Whole, func(*atlas.System, []atlas.Class) {})
		}
		next, err := f.Changed(a, changes)
		var e *stage.Error
		if errors.As(err, &e) {
			continue // it is there already, or two changes are about the same
		}
		require.NoError(t, err)
		trial, err := change.Try(a, f.Map, next.Map)
		require.NoError(t, err)
		if trial.Recompiled() {
			again++
		}
		fresh, err := atlas.Compile(next.Map)
		require.NoError(t, err)
		for u := range directory.UserID(a.Book.Users()) {
			require.Equal(t, groupsOf(fresh.Book, u), groupsOf(trial.Atlas.Book, u), "%s after %+v", a.Book.UserName(u), changes)
		}
		for _, facts := range situations[:3] {
			want, err := change.Entitlements(a, fresh, given(t, facts))
			require.NoError(t, err)
			got, err := trial.Outcome(given(t, facts))
			require.NoError(t, err)
			moved += len(want.Gains) + len(want.Losses)
			require.Equal(t, want.Gains, got.Gains, "%v %+v", facts, changes)
			require.Equal(t, want.Losses, got.Losses, "%v %+v", facts, changes)
			require.Equal(t, want.Changes, got.Changes, "%v %+v", facts, changes)
		}
		before := check.Findings(a)
		want := change.None(fresh).Findings(before)
		require.Equal(t, want, trial.Findings(before))
		require.Equal(t, errorsOf(want.New), errorsOf(trial.Written().New), "%+v", changes)
	}
	require.NotZero(t, moved, "some change moves something")
	require.Less(t, again, 5, "most is computed from what was there")
}

func groupsOf(b *directory.Book, u directory.UserID) (names []string) {
	for _, g := range b.InOrder(b.Subject(u).Groups()) {
		names = append(names, b.GroupName(g))
	}
	return names
}

func errorsOf(list []finding.Finding) (messages []string) {
	for _, f := range list {
		if f.Severity == finding.Error {
			messages = append(messages, f.Message)
		}
	}
	return messages
}
