package server_test

import (
	"io/fs"
	"net/http"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/demo"
	"gatemap/service/content"
)

const question = "/api/v1/reach?user=cindervale/ilse.okonjo"

// An answer that was given before is the same, is for those alone who may ask,
// and is given again once another revision is in force.
func TestAnswersGivenBefore(t *testing.T) {
	r := start(t)
	status, header, first := r.call(t, http.MethodGet, question, r.token, "")
	require.Equal(t, http.StatusOK, status)
	for range 2 {
		status, again, body := r.call(t, http.MethodGet, question, r.token, "")
		assert.Equal(t, http.StatusOK, status)
		assert.Equal(t, first, body)
		assert.Equal(t, header.Get("Content-Type"), again.Get("Content-Type"))
		assert.Equal(t, "no-store", again.Get("Cache-Control"))
	}
	status, _, body := r.call(t, http.MethodGet, question, "wrong", "")
	assert.Equal(t, http.StatusUnauthorized, status)
	assert.NotContains(t, body, "entitlements")
	_, _, other := r.call(t, http.MethodGet, question+"&at=2026-11-23T03:00:00Z", r.token, "")
	assert.NotEqual(t, first, other, "another situation is another question")

	changed := fstest.MapFS{}
	require.NoError(t, fs.WalkDir(demo.Map(), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		content, err := fs.ReadFile(demo.Map(), path)
		changed[path] = &fstest.MapFile{
			Data: []byte(strings.ReplaceAll(string(content), "Ilse Okonjo", "Ilse Okonjo-Brandt")),
		}
		return err
	}))
	folder, err := content.ReadFS(changed)
	require.NoError(t, err)
	_, err = r.service.Folders.Commit(ctx, folder, "test", "a new name")
	require.NoError(t, err)
	_, _, after := r.call(t, http.MethodGet, question, r.token, "")
	assert.Contains(t, after, "Okonjo-Brandt")
}
