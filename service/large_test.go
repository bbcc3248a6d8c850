package service_test

import (
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/service"
	"gatemap/tools/bigmap/world"
)

// tiny is a made-up map in which everything is there, and little of it.
var tiny = world.Size{Name: "tiny", Users: 90, Groups: 40, Systems: 10, Memberships: 400, Mappings: 140, Rules: 40}

func made(t require.TestingT, folder string, size world.Size, seed uint64) (*service.Folder, *atlas.Atlas) {
	require.NoError(t, world.Write(folder, size, seed))
	f, err := service.ReadFolder(folder)
	require.NoError(t, err)
	a, err := f.Compile("a made-up map")
	require.NoError(t, err)
	return f, a
}

var situations = []map[string]string{
	{},
	{"from": "203.0.113.9", "at": "2026-11-24T11:00:00Z", "device": "managed,compliant", "strength": "aal3", "access": "vpn", "client": "browser", "risk": "low", "via": "share"},
	{"from": "198.51.100.9", "at": "2026-11-24T22:00:00Z", "device": "none", "strength": "aal1", "access": "wifi", "client": "legacy", "risk": "high"},
	{"from": "192.0.2.200", "via": "local"}, {"at": "2026-06-15T12:00:00Z"}, {"device": "managed"}, {"risk": "medium", "strength": "aal2"},
}

func given(t require.TestingT, facts map[string]string) situation.Situation {
	s, err := situation.Parse(func(f string) string { return facts[f] })
	require.NoError(t, err)
	return s
}

// withoutALine is a document of a system with one of its lines taken out, or two
// of them in the other order.
func withoutALine(t require.TestingT, files []mapfile.File, s *atlas.System, r *rand.Rand) *gate.System {
	edited := slices.Clone(files)
	i := slices.IndexFunc(edited, func(f mapfile.File) bool { return f.Path == "systems/"+s.Name()+".yaml" })
	lines := strings.Split(string(edited[i].Content), "\n")
	var own []int
	for n, l := range lines {
		if strings.HasPrefix(strings.TrimLeft(l, " "), "- {") && strings.Contains(l, "groups: [") {
			own = append(own, n)
		}
	}
	n := own[r.IntN(len(own)-1)]
	if r.IntN(2) == 0 || !slices.Contains(own, n+1) {
		lines = slices.Delete(lines, n, n+1)
	} else {
		lines[n], lines[n+1] = lines[n+1], lines[n]
	}
	edited[i].Content = []byte(strings.Join(lines, "\n"))
	m, err := mapfile.Parse(edited, types.Table)
	require.NoError(t, err)
	for _, d := range m.Systems {
		if d.Name == s.Name() {
			return d
		}
	}
	return nil
}

func drawChange(t require.TestingT, f *service.Folder, a *atlas.Atlas, r *rand.Rand) change.Change {
	b := a.Book
	u := directory.UserID(r.IntN(b.Users()))
	var listing []directory.GroupID
	for g := range directory.GroupID(b.Groups()) {
		if b.Group(g).Rule == nil {
			listing = append(listing, g)
		}
	}
	switch r.IntN(4) {
	case 0:
		return change.Join{Group: b.GroupName(listing[r.IntN(len(listing))]), User: b.UserName(u)}
	case 1:
		for _, at := range r.Perm(len(listing)) {
			if users := b.ListedUsers(listing[at]); len(users) > 0 {
				return change.Leave{Group: b.GroupName(listing[at]), User: b.UserName(users[r.IntN(len(users))])}
			}
		}
	case 2:
		other := b.User(directory.UserID(r.IntN(b.Users())))
		attribute := []string{"title", "department", "emails", "remoteAccess", "active", "employeeNumber", "expires", "userType"}[r.IntN(8)]
		switch attribute {
		case "active":
			return change.Set{User: b.UserName(u), Attribute: attribute, Value: !b.User(u).IsActive()}
		case "expires":
			return change.Set{User: b.UserName(u), Attribute: attribute, Value: "2026-08-01T00:00:00Z"}
		}
		if value := other.Attributes.First(attribute); value != "" {
			return change.Set{User: b.UserName(u), Attribute: attribute, Value: value}
		}
		return change.Set{User: b.UserName(u), Attribute: attribute}
	}
	return change.Replace{System: withoutALine(t, f.Files, a.Systems[r.IntN(len(a.Systems))], r)}
}

// What a trial works out again comes to the same as the whole map compiled anew:
// its outcome is the difference of the two maps, and each user's groups are those
// of the new one.
func TestATrialIsTheDifferenceOfTheWholeMaps(t *testing.T) {
	folder := t.TempDir()
	moved := 0
	for seed := range uint64(30) {
		r := rand.New(rand.NewPCG(seed, 1))
		require.NoError(t, os.RemoveAll(folder))
		f, a := made(t, folder, tiny, seed)
		var changes []change.Change
		for range 1 + r.IntN(3) {
			changes = append(changes, drawChange(t, f, a, r))
		}
		for _, facts := range situations[:4] { // what is worked out once is there before
			facts, err := a.Facts(given(t, facts))
			require.NoError(t, err)
			a.Survey(facts, atlas.Whole, func(*atlas.System, []atlas.Class) {})
		}
		trial, err := change.Try(a, f.Map, changes...)
		if err != nil && strings.Contains(err.Error(), "does not list") {
			continue // two changes took out the same member
		}
		require.NoError(t, err)
		anew, err := atlas.Compile(trial.Map)
		require.NoError(t, err)
		for u := range directory.UserID(a.Book.Users()) {
			require.True(t, slices.Equal(anew.Book.Subject(u).Groups(), trial.Atlas.Book.Subject(u).Groups()), "%s after %+v", a.Book.UserName(u), changes)
		}
		for _, facts := range situations[:4] {
			want, err := change.Entitlements(a, anew, given(t, facts))
			require.NoError(t, err)
			got, err := trial.Outcome(given(t, facts))
			require.NoError(t, err)
			moved += len(want.Gains) + len(want.Losses)
			require.Equal(t, want.Gains, got.Gains, "%v %+v", facts, changes)
			require.Equal(t, want.Losses, got.Losses, "%v %+v", facts, changes)
			require.Equal(t, want.Changes, got.Changes, "%v %+v", facts, changes)
		}
	}
	require.NotZero(t, moved, "some change moves something")
}
