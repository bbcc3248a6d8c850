package server

import (
	"bytes"
	"encoding/json"
	"reflect"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/answer"
	"gatemap/core/rule"
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
			require.Equal(t, written(t, reach), oneByOne(t, asked, name, given))
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
		sameJSON(t, v)
	}
}

// oneByOne is what a user holds, written while it is worked out.
func oneByOne(t *testing.T, asked query.Answers, user string, given situation.Situation) string {
	who, each, err := asked.Held(user, "", given)
	require.NoError(t, err)
	encoded, err := encode(who, each)
	require.NoError(t, err)
	return written(t, encoded)
}

// What a user holds is written field by field, whatever stands in them.
func TestReachIsWrittenAsTheStandardLibraryDoes(t *testing.T) {
	of := rapid.MakeConfig{Types: map[reflect.Type]*rapid.Generator[any]{
		reflect.TypeFor[any]():        rapid.OneOf(rapid.Bool().AsAny(), rapid.String().AsAny(), rapid.Int().AsAny()),
		reflect.TypeFor[rule.State](): rapid.SampledFrom([]rule.State{rule.None, rule.Shut, rule.Depends, rule.Open}).AsAny(),
		reflect.TypeFor[time.Time]():  rapid.Just(time.Date(2026, 11, 29, 20, 0, 0, 0, time.UTC)).AsAny(),
	}}
	entitlements := rapid.SliceOfN(rapid.MakeCustom[rule.Entitlement](of), 0, 3)
	rapid.Check(t, func(t *rapid.T) {
		reach := rapid.MakeCustom[answer.Reach](of).Draw(t, "reach")
		reach.Entitlements = entitlements.Draw(t, "entitlements")
		sameJSON(t, &reach)
	})
	sameJSON(t, &answer.Reach{})
	sameJSON(t, &answer.Reach{Entitlements: []rule.Entitlement{{}}})
}

func sameJSON(t require.TestingT, v any) {
	var want bytes.Buffer
	e := json.NewEncoder(&want)
	e.SetEscapeHTML(false)
	require.NoError(t, e.Encode(v))
	require.Equal(t, want.String(), written(t, v))
}

func written(t require.TestingT, v any) string {
	var got bytes.Buffer
	require.NoError(t, writeJSON(&got, v))
	return got.String()
}
