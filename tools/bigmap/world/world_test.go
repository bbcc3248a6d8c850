package world

import (
	"crypto/sha256"
	"gatemap/service/content"
	"io/fs"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var small = Size{Name: "small", Users: 400, Groups: 90, Systems: 11, Memberships: 1500, Mappings: 200, Rules: 60}

// written gives the files of a map by path, as sums.
func written(t *testing.T, size Size, seed uint64) (folder string, sums map[string][32]byte) {
	folder, sums = t.TempDir(), map[string][32]byte{}
	require.NoError(t, Write(folder, size, seed))
	require.NoError(t, fs.WalkDir(os.DirFS(folder), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		content, err := fs.ReadFile(os.DirFS(folder), path)
		sums[path] = sha256.Sum256(content)
		return err
	}))
	return folder, sums
}

// One seed makes one map, byte for byte, and another seed another.
func TestASeedMakesOneMap(t *testing.T) {
	_, one := written(t, small, 1)
	_, again := written(t, small, 1)
	_, other := written(t, small, 2)
	assert.Equal(t, one, again)
	assert.NotEqual(t, one["cindervale.ldif"], other["cindervale.ldif"])
}

// A made-up map has as much of everything as its size says, loads, and nests deep.
func TestAMapIsAsLargeAsItsSizeSays(t *testing.T) {
	folder, _ := written(t, small, 7)
	f, err := content.ReadFolder(folder)
	require.NoError(t, err)
	a, err := f.Compile("a made-up map")
	require.NoError(t, err)
	assert.Equal(t, small.Users, a.Book.Users())
	assert.Equal(t, small.Groups, a.Book.Groups())
	assert.Len(t, a.Systems, small.Systems)
	assert.Len(t, a.Book.Directories(), 2)
	listed, types, mails, ruled := 0, map[string]bool{}, 0, 0
	for _, d := range a.Book.Directories() {
		for _, g := range d.Groups {
			if g.Rule != nil {
				ruled++
			}
			if g.Kind == "mail" {
				mails++
			}
			if g.Members != nil {
				for _, m := range g.Members.Any {
					if strings.HasPrefix(m.Name, "uid=") {
						listed++
					}
				}
				listed += len(g.Members.Users)
			}
		}
	}
	for _, s := range a.Systems {
		types[s.Document.Type.Name] = true
	}
	assert.LessOrEqual(t, listed, small.Memberships)
	assert.Greater(t, listed, small.Memberships*3/4, "no group has everyone, so that small maps have somewhat less")
	assert.Len(t, types, 9, "systems of all gate types")
	assert.NotZero(t, mails)
	assert.NotZero(t, ruled)
}

// As many people share a department in a larger observatory as in one of 300,000.
func TestALargerObservatoryHasMoreDepartments(t *testing.T) {
	for people, want := range map[int]int{3_000: 16, 300_000: 16, 600_000: 32, 1_000_000: 53} {
		all := branches(departments, people)
		assert.Len(t, all, want)
		seen := map[string]bool{}
		for _, n := range all {
			assert.False(t, seen[n], "%s is there twice", n)
			seen[n] = true
		}
	}
}
