package atlas_test

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/atlas/atlastest"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/gate/network"
	"gatemap/core/situation"
)

// dropOff takes the lines that are switched off out of a document, and says whether there
// were any.
func dropOff(v reflect.Value) (dropped bool) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		return !v.IsNil() && dropOff(v.Elem())
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				dropped = dropOff(v.Field(i)) || dropped
			}
		}
	case reflect.Slice:
		kept := reflect.MakeSlice(v.Type(), 0, v.Len())
		for i := range v.Len() {
			item := v.Index(i)
			if item.Kind() == reflect.Struct {
				if off := item.FieldByName("Off"); off.IsValid() && off.Bool() &&
					item.Type() != reflect.TypeFor[network.TagRule]() { // a tag is known by its name
					dropped = true
					continue
				}
				dropped = dropOff(item) || dropped
			}
			kept = reflect.Append(kept, item)
		}
		if v.CanSet() {
			v.Set(kept)
		}
	}
	return dropped
}

// standing is what everyone holds, without the names of lines, which have numbers.
func standing(a *atlas.Atlas, facts *situation.Facts) map[string]any {
	all := map[string]any{}
	for u := range directory.UserID(a.Book.Users()) {
		for _, e := range a.Reach(u, facts, nil) {
			all[a.Book.UserName(u)+" "+e.System+" "+e.Object+" "+e.Right] = [4]any{e.State, e.OpenIf, e.Breadth, e.Claims}
		}
	}
	return all
}

// A line that is switched off is as one that is not there, and nothing is found about it but
// its own misspelt names.
func TestALineThatIsOffIsAsNone(t *testing.T) {
	some := false
	rapid.Check(t, func(t *rapid.T) {
		m, a, given, facts := atlastest.Asked(t)
		with, found := standing(a, facts), codes(a)
		dropped := false
		for _, s := range m.Systems {
			dropped = dropOff(reflect.ValueOf(s.Gate)) || dropped
		}
		b, err := atlas.Compile(m)
		require.NoError(t, err)
		if facts, err = b.Facts(given); err != nil {
			t.Fatal(err)
		}
		require.Equal(t, standing(b, facts), with)
		require.Equal(t, codes(b), found)
		some = some || dropped
	})
	require.True(t, some, "some line is off")
}

func codes(a *atlas.Atlas) map[string]int {
	n := map[string]int{}
	for _, f := range check.Findings(a) {
		n[string(f.Code)+" "+f.Where.System]++
	}
	return n
}
