package ldap_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// makesGroups makes a group at a domain controller with an account in it that is new, and one that lists
// it; removes another; and takes all of it back.
func makesGroups(t *testing.T, s *server, from *directory.Source) {
	source := *from
	source.Write = []directory.Write{directory.WriteMembers, directory.WriteUsers, directory.WriteGroups}
	before, err := fetch(t, s, &source)
	require.NoError(t, err)
	fresh := &directory.User{Name: "liv.castrejon", DN: "CN=liv.castrejon,OU=people," + domain}
	made := &directory.Group{Name: "watchers", DN: "CN=watchers,OU=groups," + domain, Description: "Who watches"}
	made.Members = &directory.Members{Any: []name.Ref{{Name: fresh.DN}, {Name: before.Users[50].DN}}}
	w := s.writing(t, &source)
	for _, how := range []connect.Made{connect.IsMade, connect.Unknown} {
		after := connect.Records{
			Users:   append(slices.Clone(before.Users), fresh),
			Groups:  slices.Clone(before.Groups),
			Devices: before.Devices,
		}
		i := slices.IndexFunc(before.Groups, func(g *directory.Group) bool { return g.Name == "crew" })
		crew := *before.Groups[i]
		keeps := crew.Members.Any
		if how == connect.IsMade { // where that is not known, what is only taken away is not given back
			keeps = keeps[1:]
		}
		crew.Members = &directory.Members{Any: append(slices.Clone(keeps), name.Ref{Name: made.DN})}
		after.Groups[i] = &crew
		after.Groups = append(after.Groups, made)
		all, stays := connect.Rewrites(&source, before, after)
		require.Empty(t, stays)
		list, err := connect.Look(w, all)
		require.NoError(t, err)
		require.NoError(t, connect.Make(w, all, list))
		now, err := fetch(t, s, &source)
		require.NoError(t, err)
		_, left := connect.Settle(after, now)
		require.Len(t, left.ChangedGroups, 1, "the server says of which reach it is")
		assert.Equal(t, `members_from "any" becomes "own"`, connect.FieldWords(left.ChangedGroups[0].Fields))
		assert.Empty(t, left.NewGroups)
		assert.Empty(t, left.GoneGroups)
		removes(t, w, &source, now, "watchers")
		again, err := fetch(t, s, &source)
		require.NoError(t, err)
		_, left = connect.Settle(now, again)
		assert.Empty(t, left.ChangedGroups, "what was removed is back with whom it had")
		require.NoError(t, connect.Undo(w, list, how))
		now, err = fetch(t, s, &source)
		require.NoError(t, err)
		_, left = connect.Settle(before, now)
		assert.True(t, left.Empty(), "%+v", left)
	}
}

// removes removes a group, and takes it back.
func removes(t *testing.T, w connect.Writing, source *directory.Source, before connect.Records, named string) {
	after := before
	after.Groups = nil
	var gone *directory.Group
	for _, g := range before.Groups {
		if g.Name == named {
			gone = g
		}
	}
	for _, g := range before.Groups {
		now := *g
		now.Members = &directory.Members{
			Any: slices.DeleteFunc(
				slices.Clone(g.Members.Any),
				func(ref name.Ref) bool { return connect.SameReference(ref.Name, gone.DN) },
			),
		}
		if g != gone {
			after.Groups = append(after.Groups, &now)
		}
	}
	all, stays := connect.Rewrites(source, before, after)
	require.Empty(t, stays)
	assert.True(t, all[len(all)-1].Goes(), "it goes last")
	list, err := connect.Look(w, all)
	require.NoError(t, err)
	require.NoError(t, connect.Make(w, all, list))
	assert.Contains(t, w.Text(list[len(list)-1]), "changetype: delete")
	_, err = connect.Look(w, all)
	assert.ErrorAs(t, err, new(*connect.ElsewhereError))
	require.NoError(t, connect.Undo(w, list, connect.IsMade))
}
