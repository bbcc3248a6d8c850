package server

import (
	"bytes"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/demo"
	"gatemap/service/content"
	"gatemap/service/query"
)

// What is written is what encoding/json writes, byte for byte.
func TestJSONIsThatOfTheStandardLibrary(t *testing.T) {
	f, err := content.ReadFS(demo.Map())
	require.NoError(t, err)
	a, err := f.Compile("demo")
	require.NoError(t, err)
	asked := query.From(a)
	var all []any
	note := func(v any, err error) {
		require.NoError(t, err)
		all = append(all, v)
	}
	late := situation.Situation{Strength: "aal1", Risk: "high", Client: "legacy"}
	for _, given := range []situation.Situation{{}, late} {
		for name := range a.Book.UserNames() {
			reach, err := asked.Reach(t.Context(), name, "", given)
			note(reach, err)
			for i, e := range reach.Entitlements {
				if i%7 == 0 {
					note(asked.Why(t.Context(), name, e.System, e.Right, e.Object, given))
					note(asked.Probe(t.Context(), name, e.System, e.Right, e.Object, given))
				}
			}
		}
		note(asked.Why(t.Context(), "dagny.oyelaran", "archive", "frames:write", "/raw/2026", given))
		note(asked.Who(t.Context(), "proposals", "edit", "proposal", given))
		note(asked.Matrix(t.Context(), "remote-access", "night-crew", "", given))
	}
	for _, s := range a.Systems {
		note(s.Gate.Catalogue(), nil)
	}
	note(asked.Found(), nil)
	note(&answer.Problem{Title: "<&>", Detail: "a \u2028 and a \x01", Status: 422}, nil)
	for _, v := range all {
		var want, got bytes.Buffer
		e := json.NewEncoder(&want)
		e.SetEscapeHTML(false)
		require.NoError(t, e.Encode(v))
		require.NoError(t, writeJSON(&got, v))
		require.Equal(t, want.String(), got.String())
	}
}
