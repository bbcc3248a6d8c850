package gate_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
)

const walls = `system: wall
type: firewall
default: refuse
zones: {domes: [192.0.2.0/24], stores: [198.51.100.0/24]}
rules:
  - {name: one, action: permit, groups: [night], to: [domes]}
  - {name: two, action: permit, users: [ilse], to: [stores]}
  - {name: three, action: refuse, groups: [guests], to: [domes]}
`

func wall(t *testing.T, edit func(string) string) *gate.System {
	t.Helper()
	m, err := mapfile.Parse([]mapfile.File{{Path: "systems/wall.yaml", Content: []byte(edit(walls))}}, types.Table, nil)
	require.NoError(t, err)
	return m.Systems[0]
}

func TestDiffering(t *testing.T) {
	replace := func(pairs ...string) func(string) string { return strings.NewReplacer(pairs...).Replace }
	two := "  - {name: two, action: permit, users: [ilse], to: [stores]}\n"
	for name, c := range map[string]struct {
		edit func(string) string
		want []string // groups and users, as they come
		more bool
	}{
		"nothing but places":         {edit: func(s string) string { return "# a wall\n" + s }},
		"a line is gone":             {edit: replace(two, ""), want: []string{"ilse"}},
		"a line is new":              {edit: replace(two, two+strings.ReplaceAll(two, "ilse", "teo")), want: []string{"teo"}},
		"another whom":               {edit: replace("[ilse]", "[teo]"), want: []string{"ilse", "teo"}},
		"another where":              {edit: replace("to: [stores]", "to: [domes]"), want: []string{"ilse", "ilse"}},
		"moved: those passed count":  {edit: func(s string) string { return strings.Replace(s, two, "", 1) + two }, want: []string{"ilse", "guests", "guests", "ilse"}},
		"a zone is wider":            {edit: replace("192.0.2.0/24", "192.0.2.0/23"), more: true},
		"the default":                {edit: replace("default: refuse", "default: permit"), more: true},
		"a title, which no line has": {edit: replace("type: firewall", "type: firewall\ntitle: The wall"), more: true},
	} {
		who, ok := gate.Differing(wall(t, func(s string) string { return s }), wall(t, c.edit))
		assert.Equal(t, !c.more, ok, name)
		if c.more {
			continue
		}
		var got []string
		for _, w := range who {
			for _, ref := range slices.Concat(w.Groups, w.Users) {
				got = append(got, ref.Name)
			}
		}
		assert.Equal(t, c.want, got, name)
	}
}
