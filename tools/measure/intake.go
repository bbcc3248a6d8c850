package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/service"
)

// taken is what a process of its own says of one intake: how long it takes from
// the file to the first answer, and the most memory that the process ever had.
type taken struct {
	Took time.Duration
	Peak int // kB
}

// intake measures bringing in the largest directory of the map from its file, into
// a map that has everything else.
func (b *bench) intake() error {
	binary, err := os.Executable()
	if err != nil {
		return err
	}
	child := exec.Command(binary, "--intake", b.path)
	child.Stderr = os.Stderr
	out, err := child.Output()
	if err != nil {
		return err
	}
	var got taken
	if err := json.Unmarshal(out, &got); err != nil {
		return err
	}
	b.rows = append(b.rows, row{work: fmt.Sprintf("an intake of everyone from LDIF to the first answer; %d MB at the most", got.Peak>>10), own: got.Took})
	return nil
}

// take is the process of its own.
func take(path string) error {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "gatemap-measure-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	folder := filepath.Join(dir, "map")
	if err := os.CopyFS(folder, os.DirFS(path)); err != nil {
		return err
	}
	const people = "cindervale.ldif"
	full, own := filepath.Join(dir, people), filepath.Join(folder, people)
	if err := errors.Join(os.Rename(own, full), os.WriteFile(own, []byte("dn: dc=cindervale,dc=example\ndc: cindervale\n\n"), 0o600)); err != nil {
		return err
	}
	s, err := service.Open(ctx, filepath.Join(dir, "data"), slog.New(slog.DiscardHandler))
	if err != nil {
		return err
	}
	defer s.Close()
	s.Allow(connect.Host{Files: os.DirFS(folder)})
	if err := commit(ctx, s, os.DirFS(folder)); err != nil {
		return err
	}
	if err := os.Rename(full, own); err != nil {
		return err
	}
	start := time.Now()
	events := s.Events(ctx)
	run, err := s.Intake(ctx, "cindervale", service.ByHand, service.Intaking{Commit: true, By: operator.Service})
	if err != nil {
		return err
	}
	for e := range events {
		if e.Run == nil || e.Run.ID != run.ID || e.Run.State.Running() {
			continue
		}
		if e.Run.State != answer.RunCommitted {
			return fmt.Errorf("the run is %s: %s", e.Run.State, e.Run.Error)
		}
		break
	}
	head := s.Head()
	if _, err := head.Reach(ctx, head.Atlas.Book.UserName(directory.UserID(head.Atlas.Book.Users()/2)), "", nothing); err != nil {
		return err
	}
	got := taken{Took: time.Since(start)}
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return err
	}
	if m := regexp.MustCompile(`VmHWM:\s+(\d+) kB`).FindSubmatch(status); m != nil {
		got.Peak, err = strconv.Atoi(string(m[1]))
	}
	return errors.Join(err, json.NewEncoder(os.Stdout).Encode(got))
}

// commit commits a folder, of which nothing stays in memory but the map.
func commit(ctx context.Context, s *service.Service, files fs.FS) error {
	f, err := service.ReadFS(files)
	if err != nil {
		return err
	}
	_, err = s.CommitFolder(ctx, f, "measure", "a made-up map")
	return err
}
