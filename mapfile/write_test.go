package mapfile_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect/connectors"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/demo"
	"gatemap/mapfile"
)

// Every system of the demo is the same when what was written of it is read.
func TestWhatIsWrittenReadsBack(t *testing.T) {
	files, err := mapfile.Files(demo.Map())
	require.NoError(t, err)
	m, err := mapfile.Parse(files, types.Table, connectors.Kinds())
	require.NoError(t, err)
	require.NotEmpty(t, m.Systems)
	for _, s := range m.Systems {
		text, err := mapfile.Write(s)
		require.NoError(t, err, s.Name)
		again, err := mapfile.Parse([]mapfile.File{{Path: "systems/a.yaml", Content: text}}, types.Table, connectors.Kinds())
		require.NoError(t, err, "%s:\n%s", s.Name, text)
		twice, err := mapfile.Write(again.Systems[0])
		require.NoError(t, err)
		assert.Equal(t, string(text), string(twice))
		who, ok := gate.Differing(s, again.Systems[0])
		assert.True(t, ok && len(who) == 0, "%s reads back as another:\n%s", s.Name, text)
	}
}
