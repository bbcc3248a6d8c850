package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"time"

	"gatemap/answer"
	"gatemap/cli/collector"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/intake"
	"gatemap/workspace"
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
	var got taken
	if err := apart(&got, "--intake", b.path); err != nil {
		return err
	}
	b.rows = append(
		b.rows,
		row{
			work: fmt.Sprintf("an intake of everyone from LDIF to the first answer; %d MB at the most", got.Peak>>10),
			own:  got.Took,
		},
	)
	return nil
}

// take is the process of its own.
func take(path string) error {
	ctx := context.Background()
	dir, folder, err := copied(path)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	const people = "cindervale.ldif"
	full, own := filepath.Join(dir, people), filepath.Join(folder, people)
	if err := errors.Join(os.Rename(own, full), os.WriteFile(own,
		[]byte("dn: dc=cindervale,dc=example\ndc: cindervale\n\n"), 0o600)); err != nil {
		return err
	}
	s, err := open(ctx, dir)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := os.Rename(full, own); err != nil {
		return err
	}
	start := time.Now()
	events := s.Events.Listen(ctx)
	run, err := s.Runs.Start(ctx, "cindervale", intake.ByHand, intake.Intaking{Commit: true, By: operator.Service})
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
	if _, err := head.Reach(ctx, head.Atlas.Book.UserName(directory.UserID(head.Atlas.Book.Users()/2)), "",
		nothing); err != nil {
		return err
	}
	return json.NewEncoder(os.Stdout).Encode(taken{Took: time.Since(start), Peak: resident("VmHWM")})
}

// resident is how much memory this process has (VmRSS) or had at the most (VmHWM), in kB (proc(5)).
func resident(key string) (kB int) {
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return 0
	}
	if m := regexp.MustCompile(key + `:\s+(\d+) kB`).FindSubmatch(status); m != nil {
		kB, _ = strconv.Atoi(string(m[1]))
	}
	return kB
}

// copied is a directory with a copy of a map to change, in its folder.
func copied(path string) (dir, folder string, err error) {
	if dir, err = os.MkdirTemp("", "gatemap-measure-"); err != nil {
		return "", "", err
	}
	folder = filepath.Join(dir, "map")
	if err := os.CopyFS(folder, os.DirFS(path)); err != nil {
		return "", "", errors.Join(err, os.RemoveAll(dir))
	}
	return dir, folder, nil
}

// open is a service with the map that was copied into a directory, of which nothing else
// stays in memory.
func open(ctx context.Context, dir string) (*workspace.Service, error) {
	files := os.DirFS(filepath.Join(dir, "map"))
	s, err := collector.Open(ctx, filepath.Join(dir, "data"), slog.New(slog.DiscardHandler), "")
	if err != nil {
		return nil, err
	}
	s.Allow(connect.Host{Files: files})
	f, err := content.ReadFS(files)
	if err == nil {
		_, err = s.Folders.Commit(ctx, f, "measure", "a made-up map")
	}
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}
