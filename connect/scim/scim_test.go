package scim_test

import (
	"encoding/json"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/scim"
)

var now = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func empty(t testing.TB) *scim.Directory {
	t.Helper()
	d, err := scim.Read(connect.Records{}, "")
	require.NoError(t, err)
	return d
}

const ida = `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User","urn:example:club"],"userName":"ida","active":true,"name":{"givenName":"Ida"},
	"emails":[{"value":"w@club.example","type":"work","primary":true},{"value":"h@club.example","type":"home"}],"urn:example:club":{"boat":"Skua"}}`

// What was pushed is read again as it was, with the identifiers and versions.
func TestWhatIsPushedIsReadAgain(t *testing.T) {
	body, err := scim.Object([]byte(ida))
	require.NoError(t, err)
	d, r, err := empty(t).Create(connect.User, body, now)
	require.NoError(t, err)
	records := connect.Records{}.With(empty(t).To(d))
	require.Len(t, records.Users, 1)
	u := records.Users[0]
	assert.Equal(t, "ida", u.Name)
	assert.True(t, u.IsActive())
	assert.Len(t, u.Attributes.Get("EMAILS"), 2)
	again, err := scim.Read(records, "")
	require.NoError(t, err)
	same, err := again.Get(connect.User, r.ID)
	require.NoError(t, err)
	assert.Equal(t, r.Version(), same.Version())
	assert.Equal(t, r.Body, same.Body)
	_, err = scim.Read(
		connect.Records{Resources: map[connect.Named][]byte{{Kind: connect.User, Name: "x"}: []byte("{")}},
		"",
	)
	assert.Error(t, err)
}

// Whatever a PATCH says, it fails with an error of the protocol and changes
// nothing, or leaves a resource that could have been pushed as a whole.
func FuzzPatch(f *testing.F) {
	for _, path := range []string{"", "title", "name.givenName", `emails[type eq "work"].value`, `emails[type eq "fax"]`, "emails", "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department",
		"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User", "members", "active", "groups", "x[", `emails[value co "]"]`} {
		for _, value := range []string{`"x"`, `null`, `true`, `{"value":"x","primary":true}`, `[{"value":"x"}]`, `[[]]`, `{"emails":[1]}`} {
			for _, op := range []string{"add", "replace", "remove"} {
				f.Add(op, path, value)
			}
		}
	}
	f.Fuzz(func(t *testing.T, op, path, value string) {
		body, err := scim.Object([]byte(ida))
		require.NoError(t, err)
		d, before, err := empty(t).Create(connect.User, body, now)
		require.NoError(t, err)
		version := before.Version()
		var given any
		if json.Unmarshal([]byte(value), &given) != nil {
			return
		}
		_, after, err := d.Patch(before, map[string]any{
			"schemas":    []any{scim.PatchMessage},
			"Operations": []any{map[string]any{"op": op, "path": path, "value": given}},
		}, now)
		if before.Version() != version {
			t.Fatal("the resource itself was changed")
		}
		if err != nil {
			var e *scim.Error
			if !errors.As(err, &e) || e.Status < 400 || e.Status > 499 {
				t.Fatalf("not an error of the protocol: %v", err)
			}
			return
		}
		shown := &scim.Shown{}
		full, err := json.Marshal(shown.Full(after))
		require.NoError(t, err)
		whole, err := scim.Object(full)
		require.NoError(t, err)
		if _, _, err := d.Replace(before, whole, now); err != nil {
			t.Fatalf("%s %s %s left what cannot be pushed: %v\n%s", op, path, value, err, full)
		}
	})
}
