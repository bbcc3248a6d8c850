package e2e

import (
	"encoding/json"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/client"
	"gatemap/stage"
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
			"notices: log\nsyslog: {address: \"tcp://127.0.0.1:1\"}\nabout: [stranger]\n",
	), 0o600))
	demo := startService(
		t,
		"--data",
		filepath.Join(t.TempDir(), "data"),
		"--map",
		folder,
		"--allow-files",
		folder,
		"--listen",
		"127.0.0.1:0",
	)
	require.Eventually(
		t,
		func() bool { return heard()["gatemap.drift.began"] == 6 },
		30*time.Second,
		20*time.Millisecond,
	)
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

// However often the service is killed, and whatever the receiver refuses: told in the order of coming,
// each notice counted once, it knows in the end what stands, and is never told that something began
// that has begun.
func TestNoticesOutliveKills(t *testing.T) {
	var mu sync.Mutex
	var told []string
	seen, requests := map[string]bool{}, 0
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var event struct{ ID, Type string }
		_ = json.Unmarshal(body, &event)
		mu.Lock()
		defer mu.Unlock()
		if requests++; requests%3 == 0 {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		if !seen[event.ID] {
			seen[event.ID] = true
			told = append(told, event.Type)
		}
	}))
	t.Cleanup(hook.Close)
	folder, data := t.TempDir(), filepath.Join(t.TempDir(), "data")
	for file, text := range map[string]string{
		"gatemap.yaml": "title: x\n",
		"night.yaml":   "notices: night\nwebhook: {url: \"" + hook.URL + "\"}\n",
		"map.yaml": "directory: club\nusers: [{userName: bo}]\ngroups: [{name: crew}]\n---\n" +
			"system: doors\ntype: firewall\nzones: {yard: [192.0.2.0/26]}\nrules: [{name: crew, action: permit, groups: [crew], to: [yard]}]\n---\n" +
			"guarantees: [{guarantee: bo stays out, nobody: {users: [bo]}, can: {system: doors, right: any, object: yard}}]\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, file), []byte(text), 0o600))
	}
	p := startService(t, "--data", data, "--map", folder, "--listen", "127.0.0.1:0")
	token, stands := p.token, false
	random := rand.New(rand.NewPCG(22, 9))
	for round := range 15 {
		c, err := client.New(p.address, token)
		require.NoError(t, err)
		do := stage.Change{Do: stage.Join, Group: "crew", Member: "bo"}
		if stands {
			do.Do = stage.Leave
		}
		_, err = c.BeginTrial(t.Context(), "turn", "", nil)
		require.NoError(t, err)
		trial, err := c.Stage(t.Context(), "turn", do)
		require.NoError(t, err)
		_, err = c.CommitTrial(t.Context(), "turn", trial.Version, "r", "it is a test", "")
		require.NoError(t, err)
		stands = !stands
		time.Sleep(time.Duration(random.IntN(400)) * time.Millisecond)
		if round < 14 {
			_ = p.stop(t, syscall.SIGKILL)
			p = launch(t, "serve", "--data", data, "--listen", "127.0.0.1:0")
			p.address = p.out.waitFor(t, `at (http://\S+)`)[1]
		}
	}
	last := func() string {
		mu.Lock()
		defer mu.Unlock()
		if len(told) == 0 {
			return ""
		}
		return told[len(told)-1]
	}
	require.True(t, stands)
	require.Eventually(
		t,
		func() bool { return last() == "gatemap.guarantee.began" },
		30*time.Second,
		20*time.Millisecond,
	)
	mu.Lock()
	defer mu.Unlock()
	for i, typ := range told {
		assert.Equal(t, []string{"gatemap.guarantee.began", "gatemap.guarantee.over"}[i%2], typ, "%d", i)
	}
	assert.GreaterOrEqual(t, len(told), 3, "some were told between the kills")
	t.Logf("%d notices by %d requests", len(told), requests)
}
