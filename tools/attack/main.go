// Command attack does to a running service what someone does who wants it to stop:
// floods, slow bodies, sign-ins at once, and input that is long to work on. It starts the
// built program on the demo's map, with the data in a folder of its own, and says of each
// attack whether the service stood: others were answered meanwhile, and memory stayed.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"time"

	"gatemap/demo"
)

func main() {
	binary := flag.String("binary", "bin/gatemap", "the program that is attacked")
	only := flag.String("only", "", "only attacks whose name contains this")
	length := flag.Duration("for", 10*time.Second, "how long each flood goes on")
	flag.Parse()
	if err := run(*binary, *only, *length); err != nil {
		fmt.Fprintln(os.Stderr, "attack:", err)
		os.Exit(1)
	}
}

// attack is one attack; do returns what happened, and an error where the service did not
// stand.
type attack struct {
	name string
	do   func(*target) (string, error)
}

func run(binary, only string, length time.Duration) error {
	t, err := start(binary, length)
	if err != nil {
		return err
	}
	defer t.stop()
	failed := 0
	for _, a := range attacks() {
		if !strings.Contains(a.name, only) {
			continue
		}
		begun := time.Now()
		said, err := a.do(t)
		mark := "stood "
		if err != nil {
			failed++
			mark, said = "FAILED", err.Error()
		}
		fmt.Printf("%s  %-34s  %5.1f s  %5d MB  %s\n", mark, a.name, time.Since(begun).Seconds(), t.memory(), said)
	}
	if failed > 0 {
		return fmt.Errorf("%d attacks were not stood", failed)
	}
	return nil
}

// target is the service that is attacked.
type target struct {
	cmd     *exec.Cmd
	folder  string
	address string // host:port
	token   string
	push    string
	length  time.Duration
}

// club is a directory to push to, beside the demo's map.
const club = "directory: club\nsource: {scim: {}}\n"

func start(binary string, length time.Duration) (*target, error) {
	folder, err := os.MkdirTemp("", "gatemap-attack-")
	if err != nil {
		return nil, err
	}
	t := &target{folder: folder, length: length}
	files := filepath.Join(folder, "map")
	if err := os.CopyFS(files, demo.Map()); err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(files, "club.yaml"), []byte(club), 0o600); err != nil {
		return nil, err
	}
	log, err := os.Create(filepath.Join(folder, "log"))
	if err != nil {
		return nil, err
	}
	defer log.Close()
	t.cmd = exec.Command(
		binary,
		"serve",
		"--data",
		filepath.Join(folder, "data"),
		"--map",
		files,
		"--listen",
		"127.0.0.1:0",
	)
	t.cmd.Stdout, t.cmd.Stderr = log, log
	if err := t.cmd.Start(); err != nil {
		return nil, err
	}
	serving, shown := regexp.MustCompile(`at http://(127\.0\.0\.1:\d+)`), regexp.MustCompile(`shown only once: (\S+)`)
	for deadline := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		raw, err := os.ReadFile(log.Name())
		if err != nil {
			return nil, errors.Join(err, t.stop())
		}
		if at, token := serving.FindSubmatch(raw), shown.FindSubmatch(raw); at != nil && token != nil {
			t.address, t.token = string(at[1]), string(token[1])
			break
		}
		if time.Now().After(deadline) {
			return nil, errors.Join(fmt.Errorf("the service does not start:\n%s", raw), t.stop())
		}
	}
	status, body, err := t.call(context.Background(), "POST", "/api/v1/directories/club/token", t.token, "{}")
	if err != nil || status >= 300 {
		return nil, errors.Join(fmt.Errorf("no token to push with: %d %s", status, body), err, t.stop())
	}
	t.push = regexp.MustCompile(`gm_[\w-]+`).FindString(body)
	return t, nil
}

func (t *target) stop() error {
	_ = t.cmd.Process.Signal(syscall.SIGTERM)
	ended := make(chan error, 1)
	go func() { ended <- t.cmd.Wait() }()
	select {
	case <-ended:
	case <-time.After(20 * time.Second):
		_ = t.cmd.Process.Kill()
		<-ended
	}
	return os.RemoveAll(t.folder)
}

// memory is what the service has of it, in MB.
func (t *target) memory() int {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", t.cmd.Process.Pid))
	if err != nil {
		return 0
	}
	var kb int
	if m := regexp.MustCompile(`VmRSS:\s+(\d+)`).FindSubmatch(raw); m != nil {
		_, _ = fmt.Sscan(string(m[1]), &kb)
	}
	return kb >> 10
}
