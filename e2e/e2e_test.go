// Package e2e starts the real program and drives it from outside: by its
// command line, its API and its console in a browser.
package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "gatemap-e2e")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "gatemap")
	if out, err := exec.Command("go", "build", "-o", binary, "gatemap/cmd/gatemap").CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building: %v\n%s", err, out)
		os.Exit(1)
	}
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// program is a gatemap that runs until the test ends.
type program struct {
	cmd     *exec.Cmd
	out     *lines
	address string
	token   string
}

// lines gathers output and lets a test wait for it.
type lines struct {
	add  chan string
	text strings.Builder
}

func (l *lines) Write(p []byte) (int, error) {
	l.add <- string(p)
	return len(p), nil
}

func (l *lines) waitFor(t testing.TB, pattern string) []string {
	t.Helper()
	re := regexp.MustCompile(pattern)
	deadline := time.After(20 * time.Second)
	for {
		if m := re.FindStringSubmatch(l.text.String()); m != nil {
			return m
		}
		select {
		case s := <-l.add:
			l.text.WriteString(s)
		case <-deadline:
			t.Fatalf("waited in vain for %s in:\n%s", pattern, l.text.String())
		}
	}
}

func launch(t testing.TB, args ...string) *program { return launchAs(t, binary, args...) }

// launchAs starts a build of the program.
func launchAs(t testing.TB, binary string, args ...string) *program {
	t.Helper()
	p := &program{cmd: exec.Command(binary, args...), out: &lines{add: make(chan string, 10000)}}
	p.cmd.Stdout, p.cmd.Stderr = p.out, p.out
	require.NoError(t, p.cmd.Start())
	t.Cleanup(func() { p.stop(t, syscall.SIGKILL) })
	return p
}

func (p *program) stop(t testing.TB, signal os.Signal) error {
	t.Helper()
	if p.cmd.ProcessState != nil {
		return nil
	}
	_ = p.cmd.Process.Signal(signal)
	return p.cmd.Wait()
}

func startDemo(t testing.TB, args ...string) *program {
	t.Helper()
	p := launch(t, append([]string{"demo"}, args...)...)
	m := p.out.waitFor(t, `Console   (http://[^/]+)/#token=(\S+)`)
	p.address, p.token = m[1], m[2]
	return p
}

// startService starts a service on a data folder that no service had before.
func startService(t testing.TB, args ...string) *program {
	t.Helper()
	p := launch(t, append([]string{"serve"}, args...)...)
	p.token = p.out.waitFor(t, `Token, shown only once: (\S+)`)[1]
	p.address = p.out.waitFor(t, `at (http://\S+)`)[1]
	return p
}

// run runs the command line once, on what the environment names.
func run(t testing.TB, env []string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), env...)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	if _, exited := err.(*exec.ExitError); err != nil && !exited {
		t.Fatal(err)
	}
	return out.String(), errs.String(), cmd.ProcessState.ExitCode()
}

func (p *program) env() []string {
	return []string{"GATEMAP_SERVER=" + p.address, "GATEMAP_TOKEN=" + p.token, "GATEMAP_MAP="}
}

func people(t testing.TB, env []string) []string {
	t.Helper()
	out, errs, _ := run(t, env, "search", "--kind", "user", "--limit", "200", "-o", "json")
	var page struct{ Items []struct{ Name string } }
	require.NoError(t, json.Unmarshal([]byte(out), &page), errs)
	var names []string
	for _, i := range page.Items {
		names = append(names, i.Name)
	}
	require.Len(t, names, 60)
	return names
}

func TestAFolderAndAServiceGiveTheSameAnswers(t *testing.T) {
	data := t.TempDir()
	p := startDemo(t, "--data", data)
	folder := []string{"GATEMAP_MAP=" + filepath.Join(data, "map"), "GATEMAP_SERVER="}
	questions := [][]string{
		{
			"findings",
			"--severity",
			"error",
		}, {"findings", "--system", "archive"}, // those of linked systems are a service's, which keeps readings
		{
			"members",
			"archive-readers",
		}, {"members", "nigth-crew"}, {"memberships", "vic.aldaine"}, {"group", "show", "night-crew"}, {"system", "show", "archive"}, {"system", "lines", "core-net"}, {"system", "roles", "proposals"}, {"rule", "test", "title pr"}, {"reach", "ilse.okonjo", "--at", "2026-11-23 22:00"}, {"findings", "--system", "core-net"},
		{
			"who",
			"archive",
			"frames:write",
			"--on",
			"/raw/2026",
			"--at",
			"2026-11-24T22:00:00Z",
		}, {"who", "sky-tools", "viewer"}, {"who", "archive", "no:right"},
		{
			"why",
			"ilse.okonjo",
			"archive",
			"frames:purge",
			"--on",
			"/raw",
		}, {"why", "teo.marchetti", "archive", "frames:read", "--on", "/raw/embargo/comet/7"},
		{
			"why",
			"mika.soliveres",
			"archive",
			"jobs:run",
			"--on",
			"/raw",
			"--device-name",
			"dome-console-1",
		}, {"reach", "nobody"}, {"reach", "ilse.okonjo", "--risk", "hi"},
		{
			"guarantees",
		}, {"compare", "ilse.okonjo", "bram.ystad"}, {"matrix", "--system", "ledger"}, {"matrix", "--group", "crow"},
		{"hours", "ilse.okonjo", "--at", "2026-11-23T00:00:00Z", "--system", "dome-hosts"}, {"reach", "jory.pell"},
		{
			"why",
			"ilse.okonjo",
			"core-net",
			"ssh",
			"--on",
			"dome",
			"--lines",
		}, {"why", "vic.aldaine", "night-files", "write", "--on", "logs:/shift", "--lines"}, {"search", "pings", "--kind", "line"},
		{"search", "comet"}, {"reach", "ilse.okonjo", "--system", "nothing"},
	}
	for _, who := range people(t, folder) {
		questions = append(
			questions,
			[]string{"reach", who},
			[]string{
				"reach",
				who,
				"--from",
				"203.0.113.9",
				"--at",
				"2026-11-23T12:00:00Z",
				"--device",
				"managed",
				"--risk",
				"low",
			},
		)
	}
	for _, q := range questions {
		for _, form := range []string{"text", "json", "csv"} {
			args := append(append([]string{}, q...), "-o", form)
			wantOut, wantErr, wantCode := run(t, folder, args...)
			out, errs, code := run(t, p.env(), args...)
			require.Equal(t, wantOut, out, "%v", args)
			require.Equal(t, wantErr, errs, "%v", args)
			require.Equal(t, wantCode, code, "%v", args)
			if form != "text" && len(q) > 2 {
				break // one form is enough for the many
			}
		}
	}
}

func TestADemoKeepsItsDataAndStartsOver(t *testing.T) {
	data := t.TempDir()
	first := startDemo(t, "--data", data)
	_, errs, code := run(t, nil, "demo", "--data", data)
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "another gatemap uses it")
	_, errs, code = run(t, nil, "demo", "--data", data, "--fresh")
	assert.Equal(t, 3, code, errs)
	_, errs, code = run(t, nil, "demo", "--data", t.TempDir(), "--listen", strings.TrimPrefix(first.address, "http://"))
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "is in use by another program")
	assert.NoError(t, first.stop(t, syscall.SIGTERM), "a stop is no failure")

	second := startDemo(t, "--data", data)
	assert.Equal(t, first.token, second.token)
	_, _, code = run(t, second.env(), "reach", "ilse.okonjo")
	assert.Equal(t, 0, code)
	require.NoError(t, second.stop(t, syscall.SIGINT))

	third := startDemo(t, "--data", data, "--fresh")
	assert.NotEqual(t, first.token, third.token)
}

func TestServeBringsAFolderInOnce(t *testing.T) {
	data, folder := t.TempDir(), filepath.Join(t.TempDir(), "map")
	require.NoError(t, os.CopyFS(folder, os.DirFS("../demo/cindervale")))
	serve := func() *program {
		p := launch(t, "serve", "--data", data, "--map", folder, "--listen", "127.0.0.1:0")
		p.address = p.out.waitFor(t, `Serving Cindervale Observatory, revision \d+, at (http://\S+)\n`)[1]
		return p
	}
	first := serve()
	token := first.out.waitFor(t, `Token, shown only once: (\S+)`)[1]
	revision := func(p *program) string {
		request, _ := http.NewRequest("GET", p.address+"/api/v1/map", nil)
		request.Header.Set("Authorization", "Bearer "+token)
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		defer response.Body.Close()
		body, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return regexp.MustCompile(`"revision":\d+`).FindString(string(body))
	}
	assert.Equal(t, `"revision":1`, revision(first))
	require.NoError(t, first.stop(t, syscall.SIGTERM))
	again := serve()
	assert.Equal(t, `"revision":1`, revision(again))
	assert.NotContains(t, again.out.text.String(), "Token, shown")
	require.NoError(t, again.stop(t, syscall.SIGTERM))

	ldif := filepath.Join(folder, "people.ldif")
	content, err := os.ReadFile(ldif)
	require.NoError(t, err)
	require.NoError(
		t,
		os.WriteFile(ldif, bytes.Replace(content, []byte("title: Night assistant"), []byte("title: Archivist"), 1), 0o600),
	)
	changed := serve()
	assert.Equal(t, `"revision":2`, revision(changed))
	require.NoError(t, changed.stop(t, syscall.SIGTERM))
}

func BenchmarkReachAsAProcess(b *testing.B) {
	env := []string{"GATEMAP_MAP=../demo/cindervale", "GATEMAP_SERVER="}
	for b.Loop() {
		if _, errs, code := run(b, env, "reach", "ilse.okonjo"); code != 0 {
			b.Fatal(errs)
		}
	}
}

func BenchmarkDemoFromStartToFirstAnswer(b *testing.B) {
	for b.Loop() {
		p := startDemo(b, "--data", b.TempDir())
		if _, errs, code := run(b, p.env(), "reach", "ilse.okonjo"); code != 0 {
			b.Fatal(errs)
		}
		_ = p.stop(b, syscall.SIGTERM)
	}
}

// A folder that cannot be read keeps no service from what it had.
func TestABrokenFolderStopsNoService(t *testing.T) {
	dir, data := t.TempDir(), filepath.Join(t.TempDir(), "data")
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("gatemap.yaml", "title: Dome\n")
	write("club.yaml", "directory: club\nsource: {csv: {file: club.csv}, users: {name: name}}\n")
	write("club.csv", "name\nbo\n")
	serve := func() *program { return launch(t, "serve", "--data", data, "--map", dir, "--listen", "127.0.0.1:0") }
	p := serve()
	p.out.waitFor(t, `Serving Dome, revision 1, at`)
	require.NoError(t, p.stop(t, syscall.SIGTERM))
	write("club.csv", "")
	p = serve()
	p.out.waitFor(t, `revision 1 stays in force:\n(?s:.*)club.csv:1: the file is empty(?s:.*)Serving Dome, revision 1, at`)
	require.NoError(t, p.stop(t, syscall.SIGTERM))
}
