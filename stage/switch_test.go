package stage_test

import (
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/demo"
	"gatemap/mapfile"
	"gatemap/stage"
)

// Every line of the demo, of all gate types, can be switched off and on again: the map loads
// in between, and every byte is as it was afterwards.
func TestEveryLineIsSwitchedOffAndOn(t *testing.T) {
	files, err := mapfile.Files(demo.Map())
	require.NoError(t, err)
	m, err := mapfile.Parse(files, types.Table, connectors.Kinds())
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	b := stage.Base{Files: files, Map: m, Book: a.Book}
	switched := map[string]int{}
	for _, s := range m.Systems {
		g := types.Table[slices.IndexFunc(types.Table, func(g gate.Type) bool { return g.Name == s.Type.Name })]
		for _, f := range files {
			opened, err := mapfile.OpenText(f)
			require.NoError(t, err)
			if _, is := opened.Document("system", s.Name); !is {
				continue
			}
			for entry := range opened.Entries {
				if entry.Document != s.Name || !mapfile.HoldsLines(g, entry.List) {
					continue
				}
				d := stage.NewDraft(b)
				change := func(to string) *stage.Change {
					return &stage.Change{
						Do:     stage.SwitchLine,
						System: s.Name,
						List:   strings.Join(entry.List, " > "),
						Line:   strconv.Itoa(entry.Number),
						Value:  []byte(strconv.Quote(to)),
					}
				}
				require.NoError(t, d.Apply(change("off")), "%+v", entry)
				_, err := mapfile.Parse(d.Files, types.Table, connectors.Kinds())
				require.NoError(t, err, "%+v", entry)
				assert.ErrorContains(t, d.Apply(change("off")), "is off already")
				require.NoError(t, d.Apply(change("on")), "%+v", entry)
				assert.Equal(t, text(files), text(d.Files), "%+v", entry)
				assert.ErrorContains(t, d.Apply(change("on")), "is on already")
				switched[g.Name]++
			}
		}
	}
	for _, g := range types.Table {
		assert.Positive(t, switched[g.Name], "%s has no line that was switched", g.Name)
	}
}
