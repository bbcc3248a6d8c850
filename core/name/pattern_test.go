package name_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/name"
)

func TestPatterns(t *testing.T) {
	record := map[string]string{"name": "crew", "site": "Summit"}
	value := func(attribute string) string { return record[attribute] }
	for text, want := range map[string][2]string{
		"{name}": {"crew"}, "gm_{name}": {"gm_crew"}, "{site}-{name}.x": {"Summit-crew.x"}, "gm": {"gm"}, "gm_{name": {"gm_{name"},
		"{floor}/{name}": {"", "floor"}, "{}": {"", ""}, "": {""},
	} {
		written, lacks := name.ParsePattern(text).Write(value)
		assert.Equal(t, want, [2]string{written, lacks}, text)
	}
	for text, ok := range map[string]bool{"{name}": true, "gm_{name}": true, "gm": false, "gm_{name": false, "": false} {
		assert.Equal(t, ok, name.CheckPattern(text) == nil, text)
	}
}
