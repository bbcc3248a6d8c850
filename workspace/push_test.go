package workspace_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/scim"
)

// What is pushed holds from the answer on, after a start too, and when the folder
// is committed again; a push that fails changes nothing.
func TestPushesStay(t *testing.T) {
	o := startObservatory(t, map[string]string{"club.yaml": "directory: club\nsource: {scim: {}}\ngroups: [{name: optics, rule: 'title eq \"Optician\"'}]\n"})
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
	ida := push(connect.User, `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"ida","title":"Optician","emails":[{"value":"a@club.example","type":"work"}]}`)
	crew := push(connect.Group, `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"crew","members":[{"value":"`+ida.ID+`"}]}`)
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
	assert.ErrorIs(t, o.Pushes.Push(t.Context(), "club", "test", func(*scim.Directory) (*scim.Directory, error) { return nil, refused }), refused)
	assert.Same(t, head, o.Head())
	o.write("more.yaml", "directory: ridge\nusers: [{userName: bo}]\n")
	o.commitFolder()
	holds()
	require.NoError(t, o.Close())
	o.open()
	holds()

	require.NoError(t, o.Pushes.Push(t.Context(), "club", "test", func(d *scim.Directory) (next *scim.Directory, err error) {
		old, err := d.Get(connect.User, ida.ID)
		require.NoError(t, err)
		next, ida, err = d.Patch(old, map[string]any{"schemas": []any{scim.PatchMessage}, "Operations": []any{
			map[string]any{"op": "add", "path": "emails[type eq \"work\"].display", "value": "Ida"},
		}}, time.Now())
		return next, err
	}))
	holds()
}
