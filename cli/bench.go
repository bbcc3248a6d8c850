package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/operator"
	"gatemap/server"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/workspace"
)

// trialsFile keeps the trials of a map folder. Files that begin with a dot are no part
// of the map.
const trialsFile = ".gatemap-trials.json"

// local is a service of a map folder, for one command.
type local struct {
	dir, data string
	service   *workspace.Service
	before    *query.Head
}

// bench is where trials are kept: a service, or a map folder, of which one is made for
// this command.
func (a *app) bench() (*client.Client, error) {
	folder, _, err := a.place()
	if err != nil {
		return nil, err
	}
	if folder.value == "" {
		return a.service()
	}
	dir := folder.value
	read, err := content.ReadFolder(dir)
	if err != nil {
		return nil, err
	}
	host, err := a.host(dir)
	if err != nil {
		return nil, err
	}
	data, err := os.MkdirTemp("", "gatemap-trial-")
	if err != nil {
		return nil, err
	}
	a.local = &local{dir: dir, data: data}
	ctx, quiet := context.Background(), slog.New(slog.DiscardHandler)
	if a.local.service, err = workspace.Open(ctx, filepath.Join(data, "database"), quiet, workspace.Options{}); err != nil {
		return nil, err
	}
	s := a.local.service
	s.Allow(host)
	if _, err := s.Folders.Commit(ctx, read, "folder", dir); err != nil {
		return nil, err
	}
	a.local.before = s.Head()
	if err := a.local.adopt(ctx); err != nil {
		return nil, err
	}
	token, err := s.Tokens.First(ctx)
	if err != nil {
		return nil, err
	}
	c, err := client.New("http://folder", token)
	if err != nil {
		return nil, err
	}
	return c.By(inProcess{server.New(s, nil, Version, quiet).Handler()}), nil
}

// adopt takes in the trials that the folder keeps.
func (l *local) adopt(ctx context.Context) error {
	raw, err := os.ReadFile(filepath.Join(l.dir, trialsFile))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	var all answer.Trials
	if err := json.Unmarshal(raw, &all); err != nil {
		return fmt.Errorf("%s cannot be read: %w", filepath.Join(l.dir, trialsFile), err)
	}
	for _, t := range all.Trials {
		if err := l.service.Trials.Adopt(ctx, operator.Actor{Name: t.Author}, &t); err != nil {
			return err
		}
	}
	return nil
}

// close ends what a command opened. Where the command did what it was to do, the
// trials, and what was committed, go back into the folder.
func (l *local) close(ctx context.Context, done bool) error {
	defer os.RemoveAll(l.data)
	defer l.service.Close()
	if !done {
		return nil
	}
	if now := l.service.Head(); now != l.before {
		if err := l.write(now.Documents()); err != nil {
			return err
		}
	}
	all, err := l.service.Trials.List(ctx, operator.Service, 0, "")
	if err != nil {
		return err
	}
	file := filepath.Join(l.dir, trialsFile)
	if len(all.Trials) == 0 {
		if err := os.Remove(file); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return nil
	}
	raw, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return err
	}
	return replaceFile(file, append(raw, '\n'))
}

// mayWrite sees that a trial changes files of the map alone.
func (l *local) mayWrite(ctx context.Context, c *client.Client, trial string) error {
	t, err := c.Trial(ctx, trial)
	if err != nil {
		return err
	}
	if len(t.Notices) > 0 {
		return &answer.ConflictError{Message: "the trial changes what sources of the folder hold, which is not written: change it there, or commit the trial into a service"}
	}
	return nil
}

// write writes the files that differ, each whole or not at all.
func (l *local) write(files map[string]string) error {
	before := l.before.Documents()
	for path, content := range files {
		if before[path] == content {
			continue
		}
		at := filepath.Join(l.dir, filepath.FromSlash(path))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			return err
		}
		if err := replaceFile(at, []byte(content)); err != nil {
			return err
		}
	}
	for path := range before {
		if _, stays := files[path]; !stays {
			if err := os.Remove(filepath.Join(l.dir, filepath.FromSlash(path))); err != nil {
				return err
			}
		}
	}
	return nil
}

// replaceFile puts a new file in the place of one.
func replaceFile(at string, content []byte) error {
	fresh, err := os.CreateTemp(filepath.Dir(at), ".gatemap-")
	if err != nil {
		return err
	}
	defer os.Remove(fresh.Name())
	_, err = fresh.Write(content)
	if err = errors.Join(err, fresh.Chmod(0o644), fresh.Sync(), fresh.Close()); err != nil {
		return err
	}
	return os.Rename(fresh.Name(), at)
}

// inProcess hands requests to a handler without a network.
type inProcess struct{ handler http.Handler }

func (p inProcess) RoundTrip(r *http.Request) (*http.Response, error) {
	w := &answered{header: http.Header{}, status: http.StatusOK}
	in := r.Clone(r.Context())
	in.RequestURI, in.RemoteAddr = r.URL.RequestURI(), "127.0.0.1:0"
	if in.Body == nil {
		in.Body = http.NoBody
	}
	p.handler.ServeHTTP(w, in)
	return &http.Response{
		StatusCode: w.status, Status: http.StatusText(w.status), Proto: "HTTP/1.1", ProtoMajor: 1, ProtoMinor: 1, Header: w.header,
		Body: io.NopCloser(&w.body), ContentLength: int64(w.body.Len()), Request: r,
	}, nil
}

type answered struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (a *answered) Header() http.Header         { return a.header }
func (a *answered) WriteHeader(status int)      { a.status = status }
func (a *answered) Write(p []byte) (int, error) { return a.body.Write(p) }
