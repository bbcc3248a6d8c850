package atlas_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// A directory whose first run has not come yet has nobody: every question is answered.
func TestAMapWithoutPeople(t *testing.T) {
	var root roles.Path
	require.NoError(t, root.UnmarshalText([]byte("/")))
	a, err := atlas.Compile(&atlas.Map{
		Directories: []*directory.Document{{Name: "dome", Groups: []*directory.Group{{Name: "crew"}}}},
		Systems: []*gate.System{{Name: "archive", Gate: &roles.Document{
			Rights: []place.Text{
				{Value: "frames:read"},
			}, Resources: []roles.Resource{{Path: root}}, Roles: map[string]*roles.Role{"reader": {Rights: []gate.Pattern{{Text: place.Text{Value: "frames:read"}}}}},
		}}},
	})
	require.NoError(t, err)
	facts, err := a.Facts(situation.Situation{})
	require.NoError(t, err)
	s, err := a.System("archive")
	require.NoError(t, err)
	p, err := s.Gate.At("/", "frames:read")
	require.NoError(t, err)
	assert.Zero(t, a.Who(facts, s, p).Count)
	g, err := a.Book.FindGroup("crew", "")
	require.NoError(t, err)
	assert.Empty(t, a.Book.Members(g))
}
