package demo_test

import (
	"io/fs"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/demo"
)

// Nobody's time runs out while the demo is in use: it shows the same on any day.
func TestTheDemoDoesNotAge(t *testing.T) {
	end := regexp.MustCompile(`(?:seasonEnd: |expires: ")(\d{4})`)
	ends := 0
	files := demo.Map()
	require.NoError(t, fs.WalkDir(files, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := fs.ReadFile(files, path)
		for _, m := range end.FindAllStringSubmatch(string(text), -1) {
			year, err := strconv.Atoi(m[1])
			require.NoError(t, err)
			assert.Greater(t, year, 2035, path)
			ends++
		}
		return err
	}))
	assert.Positive(t, ends)
}
