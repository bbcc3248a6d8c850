package mapfile_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/gate/types"
	"gatemap/mapfile"
)

func TestListsOfLines(t *testing.T) {
	want := map[string][]string{
		"app":        {"mappings", "teams"},
		"federation": {"parties > * > claims", "parties > * > admit"},
		"files":      {"shares > * > door", "shares > * > folders > * > entries"},
		"firewall":   {"rules"},
		"hosts":      {"login", "elevate"},
		"licences":   {"mappings"},
		"network":    {"tags > rules", "policies"},
		"roles":      {"mappings", "limits"},
		"signin":     {"policies"},
	}
	for _, g := range types.Table {
		assert.Equal(t, want[g.Name], mapfile.LineLists(g), g.Name)
		assert.False(t, mapfile.HoldsLines(g, []string{"behind"}), g.Name)
		delete(want, g.Name)
	}
	assert.Empty(t, want)
	for _, g := range types.Table {
		if g.Name == "files" {
			assert.True(t, mapfile.HoldsLines(g, []string{"shares", "logs", "folders", "/shift", "entries"}))
			assert.False(t, mapfile.HoldsLines(g, []string{"shares", "logs", "folders"}))
		}
	}
}
