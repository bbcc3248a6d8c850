package e2e

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Who the map names is told what stands, and sees it in the console and by the command; a test says
// whether it arrives.
func TestNoticesOfTheDemo(t *testing.T) {
	var mu sync.Mutex
	types := map[string]int{}
	heard := func() map[string]int {
		mu.Lock()
		defer mu.Unlock()
		all := map[string]int{}
		for k, n := range types {
			all[k] = n
		}
		return all
	}
	hook := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var event struct{ Type string }
		_ = json.Unmarshal(body, &event)
		mu.Lock()
		defer mu.Unlock()
		if r.Header.Get("Signature") != "" {
			types[event.Type]++
		}
	}))
	t.Cleanup(hook.Close)
	t.Setenv("GATEMAP_SECRET_NIGHT_DESK", "only-here")
	folder := filepath.Join(t.TempDir(), "map")
	require.NoError(t, exec.Command("cp", "-r", "../demo/cindervale", folder).Run())
	require.NoError(t, os.WriteFile(filepath.Join(folder, "notices.yaml"), []byte(
		"notices: night-desk\nwebhook: {url: \""+hook.URL+"/gatemap\", secret: {env: GATEMAP_SECRET_NIGHT_DESK}}\n---\n"+
			"notices: log\nsyslog: {address: \"tcp://127.0.0.1:1\"}\nabout: [stranger]\n"), 0o600))
	demo := startService(t, "--data", filepath.Join(t.TempDir(), "data"), "--map", folder, "--allow-files", folder, "--listen", "127.0.0.1:0")
	require.Eventually(t, func() bool { return heard()["gatemap.drift.began"] == 6 }, 30*time.Second, 20*time.Millisecond)
	out, errs, code := run(t, demo.env(), "notices", "list")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "night-desk  webhook "+hook.URL+"/gatemap\n")
	assert.Contains(t, out, "  about    stranger\n")
	assert.Contains(t, out, "The account field-laptop-7 of sky-tools belongs to nobody of the map.")
	_, errs, code = run(t, demo.env(), "notices", "test", "log")
	assert.Equal(t, 5, code)
	assert.Contains(t, errs, "the test did not arrive at log")

	p := signedIn(t, demo, "/notices")
	p.sees("By webhook to", "1 notice waits", "connection refused", "field-laptop-7")
	p.press("Send night-desk a test")
	p.sees("The test arrived at " + hook.URL + "/gatemap.")
	assert.Equal(t, 1, heard()["gatemap.test"])
	p.press("Send log a test")
	p.sees("That did not work")
}
