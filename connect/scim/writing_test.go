package scim_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/connect"
	"gatemap/connect/scim"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// written is a directory that is asked for at a stand-in, and written there.
type written struct {
	t      *rapid.T
	there  *standIn
	d      *scim.Document
	source *directory.Source
}

func drawWritten(t *rapid.T) (*written, func()) {
	s := &standIn{
		versions: rapid.Bool().Draw(t, "versions"),
		apart:    rapid.Bool().Draw(t, "apart"),
		most:     rapid.IntRange(0, 3).Draw(t, "most"),
	}
	s.formats = rapid.Bool().Draw(t, "formats")
	s.wholeOnly = s.versions && rapid.Bool().Draw(t, "whole only")
	users := rapid.IntRange(1, 5).Draw(t, "users")
	for i := range users {
		u := []any{"active", rapid.SampledFrom([]any{true, false}).Draw(t, "active")}
		if title := rapid.SampledFrom([]string{"", "Observer", "Guard"}).Draw(t, "title"); title != "" {
			u = append(u, "title", title)
		}
		s.user(fmt.Sprint("U", i), fmt.Sprint("p", i), u...)
	}
	for g := range rapid.IntRange(1, 3).Draw(t, "groups") {
		var in []string
		for i := range users {
			if rapid.Bool().Draw(t, "in") {
				in = append(in, fmt.Sprint("U", i))
			}
		}
		s.group(fmt.Sprint("G", g), fmt.Sprint("crew", g), in...)
	}
	server := httptest.NewServer(s)
	d := &scim.Document{
		Address: place.Text{Value: server.URL + "/v2/"},
		Secret:  &connect.Secret{Env: "GATEMAP_SECRET_TOOLS"},
	}
	source := &directory.Source{
		Write: []directory.Write{
			directory.WriteMembers,
			directory.WriteAttributes,
			directory.WriteActive,
			directory.WriteUsers, directory.WriteGroups,
		},
		Connection: directory.Connection{Document: d},
	}
	return &written{t, s, d, source}, server.Close
}

func (x *written) job() *connect.Job {
	j, _, err := connect.NewJob(x.source, connect.Host{}, connect.Records{})
	require.NoError(x.t, err)
	return j
}

func (x *written) read() connect.Records {
	r, _, err := x.d.Read(context.Background(), x.job(), func(int) {})
	require.NoError(x.t, err)
	require.Empty(x.t, r.Rejected)
	return r
}

func (x *written) writing() connect.Writing {
	w, err := x.d.Writing(context.Background(), x.job(), "")
	require.NoError(x.t, err)
	return w
}

// looked is what is written so that records become others, and how.
func (x *written) looked(before, after connect.Records) (w connect.Writing, all []*connect.Rewrite, list []*connect.Modification) {
	all, stays := connect.Rewrites(x.source, before, after)
	require.Empty(x.t, stays)
	w = x.writing()
	list, err := connect.Look(w, all)
	require.NoError(x.t, err)
	return w, all, list
}

// drawn is records with other titles, accounts and members, and perhaps with a new account.
func (x *written) drawn(r connect.Records) connect.Records {
	after := connect.Records{}
	refs := []string{}
	for _, u := range r.Users {
		now := u
		var err error
		if rapid.Bool().Draw(x.t, "retitled") {
			now, err = now.Altered("title", rapid.SampledFrom([]any{nil, "Engineer", "Guard"}).Draw(x.t, "title"))
			require.NoError(x.t, err)
		}
		if rapid.Bool().Draw(x.t, "renamed") {
			now, err = now.Altered("name", map[string]any{"givenName": "Ilse", "familyName": "Vey"})
			require.NoError(x.t, err)
		}
		if rapid.Bool().Draw(x.t, "switched") {
			now, err = now.Altered("active", !now.IsActive())
			require.NoError(x.t, err)
		}
		after.Users, refs = append(after.Users, now), append(refs, u.DN)
	}
	if rapid.Bool().Draw(x.t, "starter") {
		u, err := (&directory.User{Name: "starter"}).Altered("title", "Observer")
		require.NoError(x.t, err)
		after.Users, refs = append(after.Users, u), append(refs, "starter")
	}
	for _, g := range r.Groups {
		now := *g
		now.Members = &directory.Members{}
		for _, ref := range refs {
			if rapid.Bool().Draw(x.t, "member") {
				now.Members.Any = append(now.Members.Any, name.Ref{Name: ref})
			}
		}
		after.Groups = append(after.Groups, &now)
	}
	x.regrouped(&after, refs)
	return after
}

// regrouped makes a group, in one of those that are there and with members who may be new, and removes
// another.
func (x *written) regrouped(after *connect.Records, refs []string) {
	if rapid.Bool().Draw(x.t, "gone") {
		after.Groups = after.Groups[1:]
	}
	if !rapid.Bool().Draw(x.t, "made") {
		return
	}
	made := &directory.Group{Name: "watchers", Members: &directory.Members{}}
	made.Description = rapid.SampledFrom([]string{"", "Who watches"}).Draw(x.t, "description")
	for _, ref := range refs {
		if rapid.Bool().Draw(x.t, "watches") {
			made.Members.Any = append(made.Members.Any, name.Ref{Name: ref})
		}
	}
	for _, g := range after.Groups {
		if rapid.Bool().Draw(x.t, "nested") {
			g.Members.Any = append(g.Members.Any, name.Ref{Name: "watchers"})
		}
	}
	after.Groups = append(after.Groups, made)
}

// whatever says what of the records is there, without identifiers.
func whatever(r connect.Records) (lines []string) {
	names := map[string]string{}
	for _, u := range r.Users {
		names[u.DN] = u.Name
		lines = append(lines, fmt.Sprint(u.Name, " ", u.IsActive(), " ", u.First("title"), u.First("name.familyName")))
	}
	for _, g := range r.Groups {
		names[g.DN] = g.Name
	}
	for _, g := range r.Groups {
		var list []string
		for _, ref := range g.Members.Any {
			if n := names[ref.Name]; n != "" {
				list = append(list, n)
			} else {
				list = append(list, ref.Name)
			}
		}
		slices.Sort(list)
		lines = append(lines, fmt.Sprint(g.Name, " ", list, g.Description))
	}
	slices.Sort(lines)
	return lines
}

// Whatever the habits of a service provider, and whatever fails, everything is there as it is to be, or
// nothing.
func TestAllIsWrittenOrNothing(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	rapid.Check(t, func(t *rapid.T) {
		x, done := drawWritten(t)
		defer done()
		before := x.read()
		after := x.drawn(before)
		failing := rapid.SampledFrom([]int{0, 400, 403, 500, -500, 412}).Draw(t, "status")
		left := rapid.IntRange(0, 4).Draw(t, "at")
		x.there.breaks = func(r *http.Request) (int, int) {
			if r.Method == http.MethodGet || failing == 0 {
				return 0, 0
			}
			if left--; left != -1 {
				return 0, 0
			}
			return max(failing, 0), max(-failing, 0)
		}
		w, all, list := x.looked(before, after)
		err := connect.Make(w, all, list)
		if err == nil {
			assert.Equal(t, whatever(after), whatever(x.read()))
			return
		}
		assert.NotErrorAs(t, err, new(*connect.UnfinishedError))
		sameBut(t, x, before, onlyTaken(all, list, failing == -500), err)
	})
}

// What was written when the program ended is taken back from the journal, but for what was only taken away.
func TestWhatWasWrittenIsTakenBack(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	rapid.Check(t, func(t *rapid.T) {
		x, done := drawWritten(t)
		defer done()
		before := x.read()
		w, all, list := x.looked(before, x.drawn(before))
		journal, err := json.Marshal(list)
		require.NoError(t, err)
		reached := rapid.IntRange(0, len(all)).Draw(t, "reached")
		require.NoError(t, connect.Make(w, all[:reached], list[:reached]))
		var kept []*connect.Modification
		require.NoError(t, json.Unmarshal(journal, &kept))
		require.NoError(t, connect.Undo(x.writing(), kept, connect.Unknown))
		sameBut(t, x, before, onlyTaken(all, list, true), nil)
	})
}

// onlyTaken are the names of whom something was only taken away: where it is not known whether it was,
// nobody can tell that it was not somebody else.
func onlyTaken(all []*connect.Rewrite, list []*connect.Modification, unknown bool) map[string]bool {
	taken := map[string]bool{}
	for i, m := range list {
		for _, c := range m.Changes {
			n := all[i].Named().Name
			taken[n] = taken[n] || unknown && len(c.Add) == 0
		}
		taken[all[i].Named().Name] = taken[all[i].Named().Name] || unknown && m.Gone
	}
	return taken
}

// sameBut sees that everything is there as it was, but for what was only taken from some.
func sameBut(t *rapid.T, x *written, before connect.Records, taken map[string]bool, err error) {
	of := func(r connect.Records) (lines []string) {
		return slices.DeleteFunc(whatever(r), func(line string) bool { return taken[strings.Fields(line)[0]] })
	}
	assert.Equal(t, of(before), of(x.read()), "%v", err)
}

// What somebody else has changed since is left.
func TestWhatOthersChangedSinceStays(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	rapid.Check(t, func(t *rapid.T) {
		x, done := drawWritten(t)
		defer done()
		before := x.read()
		w, all, list := x.looked(before, x.drawn(before))
		require.NoError(t, connect.Make(w, all, list))
		x.there.users[0]["title"] = "Cook"
		require.NoError(t, connect.Undo(x.writing(), list, connect.IsMade))
		assert.Equal(t, "Cook", x.there.users[0]["title"])
		for _, u := range x.there.users[1:] {
			i := slices.IndexFunc(before.Users, func(b *directory.User) bool { return b.Name == u["userName"] })
			require.GreaterOrEqual(t, i, 0, "a new account stays, though nobody changed it")
			title, _ := u["title"].(string)
			assert.Equal(t, before.Users[i].First("title"), title)
		}
	})
}

// Identifiers regard case, and the names by which members are referred to do not.
func TestIdentifiersThatDifferInCaseAreOthers(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TOOLS", "opensesame")
	rapid.Check(t, func(t *rapid.T) {
		s := &standIn{}
		server := httptest.NewServer(s)
		defer server.Close()
		ids := rapid.SliceOfNDistinct(rapid.StringMatching(`[aAbB+,= %é]{1,4}`), 2, 6, rapid.ID).Draw(t, "ids")
		for i, id := range ids {
			s.user(id, fmt.Sprint("p", i))
		}
		s.group("crew-id", "crew", ids[0])
		x := &written{
			t: t,
			d: &scim.Document{
				Address: place.Text{Value: server.URL + "/v2"},
				Secret:  &connect.Secret{Env: "GATEMAP_SECRET_TOOLS"},
			},
		}
		x.source = &directory.Source{Connection: directory.Connection{Document: x.d}}
		assert.Contains(t, whatever(x.read()), "crew [p0]")
		seen := map[string]bool{}
		for _, u := range x.read().Users {
			canonical, ok := name.DN(u.DN)
			assert.True(t, ok)
			assert.False(t, seen[canonical], "%q", u.DN)
			seen[canonical] = true
		}
	})
}
