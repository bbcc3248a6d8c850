package scim_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/scim"
)

const club = "urn:example:club"

// patched is what a user has of the extension after operations.
func patched(t *testing.T, others scim.Extensions, was string, operations string) (string, error) {
	t.Helper()
	empty, err := scim.Read(connect.Records{}, others)
	require.NoError(t, err)
	body, err := scim.Object(
		[]byte(`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"ida","` + club + `":` + was + `}`),
	)
	require.NoError(t, err)
	d, r, err := empty.Create(connect.User, body, now)
	require.NoError(t, err)
	patch, err := scim.Object([]byte(`{"Operations":` + operations + `}`))
	require.NoError(t, err)
	_, after, err := d.Patch(r, patch, now)
	if err != nil {
		return "", err
	}
	raw, err := json.Marshal(after.Body[club])
	require.NoError(t, err)
	return string(raw), nil
}

// Attributes of an extension that nobody knows are changed as they were sent: by what is
// there, since no schema says what they are.
func TestUnknownExtensionsAreChanged(t *testing.T) {
	for _, c := range []struct{ what, was, operations, want string }{
		{"a new attribute", `{"boat":"Skua"}`, `[{"op":"add","path":"` + club + `:berth","value":7}]`, `{"berth":7,"boat":"Skua"}`},
		{"another value", `{"boat":"Skua"}`, `[{"op":"replace","path":"` + club + `:boat","value":"Tern"}]`, `{"boat":"Tern"}`},
		{"spelled otherwise", `{"boat":"Skua"}`, `[{"op":"replace","path":"URN:Example:Club:BOAT","value":"Tern"}]`, `{"boat":"Tern"}`},
		{"an attribute goes", `{"boat":"Skua","berth":7}`, `[{"op":"remove","path":"` + club + `:boat"}]`, `{"berth":7}`},
		{"the last attribute goes, and the extension", `{"boat":"Skua"}`, `[{"op":"remove","path":"` + club + `:boat"}]`, `null`},
		{"null is no value", `{"boat":"Skua","berth":7}`, `[{"op":"replace","path":"` + club + `:boat","value":null}]`, `{"berth":7}`},
		{"the whole extension goes", `{"boat":"Skua"}`, `[{"op":"remove","path":"` + club + `"}]`, `null`},
		{"keys beside others", `{"boat":"Skua"}`, `[{"op":"add","path":"` + club + `","value":{"berth":7}}]`, `{"berth":7,"boat":"Skua"}`},
		{"without a path", `{"boat":"Skua"}`, `[{"op":"add","value":{"` + club + `":{"berth":7}}}]`, `{"berth":7,"boat":"Skua"}`},
		{"without a path, by the full name", `{"boat":"Skua"}`, `[{"op":"replace","value":{"` + club + `:boat":"Tern"}}]`, `{"boat":"Tern"}`},
		{"a value beside others", `{"courses":["knots"]}`, `[{"op":"add","path":"` + club + `:courses","value":"stars"}]`, `{"courses":["knots","stars"]}`},
		{"a value that is there", `{"courses":["knots"]}`, `[{"op":"add","path":"` + club + `:courses","value":["knots","stars"]}]`, `{"courses":["knots","stars"]}`},
		{"values instead", `{"courses":["knots"]}`, `[{"op":"replace","path":"` + club + `:courses","value":["stars"]}]`, `{"courses":["stars"]}`},
		{"values that are listed go", `{"courses":["knots","stars"]}`, `[{"op":"remove","path":"` + club + `:courses","value":["knots"]}]`, `{"courses":["stars"]}`},
		{"all values go", `{"courses":["knots","stars"]}`, `[{"op":"remove","path":"` + club + `:courses"}]`, `null`},
		{"keys of an object", `{"boat":{"name":"Skua","berth":7}}`, `[{"op":"add","path":"` + club + `:boat","value":{"berth":8}}]`, `{"boat":{"berth":8,"name":"Skua"}}`},
		{"another object", `{"boat":{"name":"Skua","berth":7}}`, `[{"op":"replace","path":"` + club + `:boat","value":{"berth":8}}]`, `{"boat":{"berth":8}}`},
		{"a part of an object", `{"boat":{"name":"Skua","berth":7}}`, `[{"op":"replace","path":"` + club + `:boat.berth","value":8}]`, `{"boat":{"berth":8,"name":"Skua"}}`},
		{"a part of an object goes", `{"boat":{"name":"Skua","berth":7}}`, `[{"op":"remove","path":"` + club + `:boat.berth"}]`, `{"boat":{"name":"Skua"}}`},
		{"a part of a new object", `{"berth":7}`, `[{"op":"add","path":"` + club + `:boat.name","value":"Skua"}]`, `{"berth":7,"boat":{"name":"Skua"}}`},
		{"a part of those that a filter means", `{"boats":[{"name":"Skua","berth":7},{"name":"Tern","berth":8}]}`,
			`[{"op":"replace","path":"` + club + `:boats[name eq \"Tern\"].berth","value":9}]`, `{"boats":[{"berth":7,"name":"Skua"},{"berth":9,"name":"Tern"}]}`},
		{"those that a filter means go", `{"boats":[{"name":"Skua"},{"name":"Tern"}]}`,
			`[{"op":"remove","path":"` + club + `:boats[name eq \"Tern\"]"}]`, `{"boats":[{"name":"Skua"}]}`},
		{"one instead of what a filter means", `{"boats":[{"name":"Skua"},{"name":"Tern"}]}`,
			`[{"op":"replace","path":"` + club + `:boats[name eq \"Tern\"]","value":{"name":"Gull"}}]`, `{"boats":[{"name":"Skua"},{"name":"Gull"}]}`},
		{"a filter that means none", `{"boats":[{"name":"Skua"}]}`,
			`[{"op":"remove","path":"` + club + `:boats[name eq \"Gull\"]"}]`, `{"boats":[{"name":"Skua"}]}`},
		{"one operation after another", `{"boat":"Skua"}`,
			`[{"op":"remove","path":"` + club + `:boat"},{"op":"add","path":"` + club + `:berth","value":7}]`, `{"berth":7}`},
	} {
		got, err := patched(t, "keep", c.was, c.operations)
		require.NoError(t, err, c.what)
		assert.JSONEq(t, c.want, got, c.what)
		got, err = patched(t, "ignore", c.was, c.operations)
		require.NoError(t, err, c.what)
		assert.Equal(t, "null", got, "%s: nothing is kept", c.what)
	}
}

// A patch that fails part of the way changes nothing, in extensions either.
func TestAPatchOfAnExtensionIsWholeOrNone(t *testing.T) {
	for _, operations := range []string{
		`[{"op":"remove","path":"` + club + `:boat"},{"op":"add","path":"nothing","value":1}]`,
		`[{"op":"replace","path":"` + club + `:boat[","value":1}]`,
		`[{"op":"move","path":"` + club + `:boat"}]`,
	} {
		_, err := patched(t, "keep", `{"boat":"Skua"}`, operations)
		var e *scim.Error
		require.ErrorAs(t, err, &e, operations)
		assert.Equal(t, 400, e.Status, operations)
	}
}

// A body that removes, and does nothing else, is known by that.
func TestPatchesThatRemoveAlone(t *testing.T) {
	for operations, want := range map[string]bool{
		`[{"op":"remove","path":"title"}]`:                                              true,
		`[{"op":"Remove","path":"title"},{"op":"remove","path":"nickName"}]`:            true,
		`[{"op":"remove","path":"title"},{"op":"add","path":"nickName","value":"Ida"}]`: false,
		`[{"op":"replace","path":"title","value":null}]`:                                false,
		`[]`: false,
	} {
		body, err := scim.Object([]byte(`{"Operations":` + operations + `}`))
		require.NoError(t, err)
		assert.Equal(t, want, scim.Removes(body), operations)
	}
}
