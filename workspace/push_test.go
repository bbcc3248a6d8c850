package workspace_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/scim"
	"gatemap/stage"
)

// What is pushed holds from the answer on, after a start too, and when the folder
// is committed again; a push that fails changes nothing.
func TestPushesStay(t *testing.T) {
	o := startObservatory(
		t,
		map[string]string{
			"club.yaml": "directory: club\nsource: {scim: {}}\ngroups: [{name: optics, rule: 'title eq \"Optician\"'}]\n",
		},
	)
	push := func(k connect.Kind, body string) *scim.Resource {
		var made *scim.Resource
		require.NoError(t, o.Pushes.Push(t.Context(), "club", "test", func(d *scim.Directory) (*scim.Directory, error) {
			object, err := scim.Object([]byte(body))
			require.NoError(t, err)
			next, r, err := d.Create(k, object, time.Now())
			made = r
			return next, err
		}))
		return made
	}
	ida := push(
		connect.User,
		`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"ida","title":"Optician","emails":[{"value":"a@club.example","type":"work"}]}`,
	)
	crew := push(
		connect.Group,
		`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"crew","members":[{"value":"`+ida.ID+`"}]}`,
	)
	holds := func() {
		t.Helper()
		groups, err := o.Head().Memberships(t.Context(), "ida")
		require.NoError(t, err)
		require.Len(t, groups.Groups, 2)
		d, err := o.Pushes.Pushed("club")
		require.NoError(t, err)
		for _, r := range []*scim.Resource{ida, crew} {
			same, err := d.Get(r.Kind, r.ID)
			require.NoError(t, err)
			assert.Equal(t, r.Version(), same.Version())
		}
	}
	holds()
	head := o.Head()
	refused := errors.New("no")
	assert.ErrorIs(
		t,
		o.Pushes.Push(
			t.Context(),
			"club",
			"test",
			func(*scim.Directory) (*scim.Directory, error) { return nil, refused },
		),
		refused,
	)
	assert.Same(t, head, o.Head())
	o.write("more.yaml", "directory: ridge\nusers: [{userName: bo}]\n")
	o.commitFolder()
	holds()
	require.NoError(t, o.Close())
	o.open()
	holds()

	require.NoError(
		t,
		o.Pushes.Push(t.Context(), "club", "test", func(d *scim.Directory) (next *scim.Directory, err error) {
			old, err := d.Get(connect.User, ida.ID)
			require.NoError(t, err)
			next, ida, err = d.Patch(old, map[string]any{"schemas": []any{scim.PatchMessage}, "Operations": []any{
				map[string]any{"op": "add", "path": "emails[type eq \"work\"].display", "value": "Ida"},
			}}, time.Now())
			return next, err
		}),
	)
	holds()
}

// A push changes what it says, and nothing else: what trials made of other records stays, those
// that are committed while it is worked out too, and after a start.
func TestAPushLeavesWhatTrialsMadeOfOtherRecords(t *testing.T) {
	o := startObservatory(t, map[string]string{"club.yaml": "directory: club\nsource: {scim: {}}\n"})
	for _, named := range []string{"ida", "bo", "cy", "eli"} {
		require.NoError(t, o.pushUser(named))
	}
	change := func(user, to string) {
		begin(t, o.Service, "titles", title(user, to))
		require.NoError(t, commit(o.Service, ada, "titles", ""))
	}
	retitle := func(named, to string, meanwhile func()) {
		require.NoError(t, o.Pushes.Push(t.Context(), "club", "test", func(d *scim.Directory) (*scim.Directory, error) {
			u, ok := d.Named(connect.User, named)
			require.True(t, ok)
			next, _, err := d.Patch(
				u,
				map[string]any{
					"schemas":    []any{scim.PatchMessage},
					"Operations": []any{map[string]any{"op": "add", "path": "title", "value": to}},
				},
				time.Now(),
			)
			meanwhile()
			return next, err
		}))
	}
	is := func(want ...string) {
		t.Helper()
		assert.Equal(
			t,
			want,
			[]string{o.attribute("ida", "title"), o.attribute("bo", "title"), o.attribute("cy", "title")},
		)
	}
	change("ida", "Engineer")
	retitle("bo", "Guide", func() {})
	is("Engineer", "Guide", "cy")
	retitle("bo", "Cook", func() { change("cy", "Warden") })
	is("Engineer", "Cook", "Warden")
	require.NoError(t, o.Close())
	o.open()
	is("Engineer", "Cook", "Warden")
	retitle("cy", "Baker", func() {})
	is("Engineer", "Cook", "Baker")

	// What was pushed is not read anew for the next push.
	var after *scim.Directory
	require.NoError(t, o.Pushes.Push(t.Context(), "club", "test", func(d *scim.Directory) (_ *scim.Directory, err error) {
		after, _, err = d.Create(
			connect.User,
			map[string]any{"schemas": []any{scim.UserSchema}, "userName": "fay"},
			time.Now(),
		)
		return after, err
	}))
	kept, err := o.Pushes.Pushed("club")
	require.NoError(t, err)
	assert.Same(t, after, kept)
	require.NoError(t, o.pushRemoval("fay"), "one of a few may go")

	// What waits to be confirmed is what was pushed, and nothing else either.
	var held *answer.ConflictError
	require.ErrorAs(t, o.pushRemoval("ida"), &held)
	change("bo", "Guard")
	retitle("cy", "Diver", func() {})
	is("Engineer", "Guard", "Diver")
	list, err := o.Journal.List(t.Context(), "club", 1, "")
	require.NoError(t, err)
	run := list.Runs[0]
	assert.Equal(t, []any{answer.RunHeld, 1, 0}, []any{run.State, run.Counts.Left, run.Counts.Changed})
	_, err = o.Runs.Commit(t.Context(), run.ID, run.Version, true, ada)
	require.NoError(t, err)
	assert.Equal(t, []string{"Guard", "Diver"}, []string{o.attribute("bo", "title"), o.attribute("cy", "title")})
	assert.Equal(t, 3, o.users())
}

// A group that a trial removes is gone for pushes too, before a start as after it.
func TestAPushedGroupThatATrialRemoves(t *testing.T) {
	o := startObservatory(t, map[string]string{"club.yaml": "directory: club\nsource: {scim: {}}\n"})
	require.NoError(t, o.Pushes.Push(t.Context(), "club", "test", func(d *scim.Directory) (*scim.Directory, error) {
		next, _, err := d.Create(
			connect.Group,
			map[string]any{"schemas": []any{scim.GroupSchema}, "displayName": "crew"},
			time.Now(),
		)
		return next, err
	}))
	begin(t, o.Service, "gone", stage.Change{Do: stage.RemoveGroup, Group: "crew"})
	require.NoError(t, commit(o.Service, ada, "gone", ""))
	gone := func() {
		t.Helper()
		d, err := o.Pushes.Pushed("club")
		require.NoError(t, err)
		_, there := d.Named(connect.Group, "crew")
		assert.False(t, there)
	}
	gone()
	require.NoError(t, o.Close())
	o.open()
	gone()
}
