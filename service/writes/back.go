package writes

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gatemap/connect"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/store"
)

// Back takes back what was written, as the revision is not made.
func (w *Written) Back(ctx context.Context) {
	s := w.s
	for i := len(w.parts) - 1; i >= 0; i-- {
		p := w.parts[i]
		s.forget(p)
		if p.id == 0 {
			continue
		}
		if p.made {
			if err := connect.Undo(p.w, p.list, connect.IsMade); err != nil {
				s.retry(err)
				continue
			}
		}
		entry := audit.Of(w.by, "write", p.directory.Name, audit.Refused, "taken back: the revision was not made")
		if err := s.Store.TookBack(ctx, p.id, time.Now(), entry); err != nil {
			s.Log.Error("what was written cannot be noted as taken back", "directory", p.directory.Name, "error", err)
		}
	}
}

// Open says how many directories are being written, or have in them what is not taken back yet.
func (s *Writes) Open(ctx context.Context) (int, error) {
	open, err := s.Store.OpenWrites(ctx)
	return len(open), err
}

// Resume takes back what was written for revisions that were not made, as the program or the server
// ended in between. The history is locked. The error says what could not be taken back.
func (s *Writes) Resume(ctx context.Context) error {
	open, err := s.Store.OpenWrites(ctx)
	if err != nil {
		return err
	}
	var errs []error
	for i := range open {
		if err := s.resume(ctx, &open[i]); err != nil {
			errs = append(errs, fmt.Errorf("%s: %w", open[i].Directory, err))
		}
	}
	return errors.Join(errs...)
}

func (s *Writes) resume(ctx context.Context, row *store.Write) error {
	ended := func(detail string) error {
		s.Log.Warn("what a commit wrote that was cut off", "directory", row.Directory, "became", detail)
		entry := audit.Of(operator.Service, "write", row.Directory, audit.Done, detail)
		return s.Store.TookBack(ctx, row.ID, time.Now(), entry)
	}
	var was journaled
	if err := json.Unmarshal(row.Body, &was); err != nil {
		return err
	}
	d := s.Folder().Directory(row.Directory)
	var writer connect.Writer
	if d != nil {
		writer, _ = connect.Of(d.Source).(connect.Writer)
	}
	if writer == nil {
		return ended("left as it is: the directory is not written any more")
	}
	job, _, err := connect.NewJob(d.Source, *s.Host, connect.Records{})
	if err != nil {
		return err
	}
	w, err := writer.Writing(ctx, job, was.Server)
	if errors.Is(err, connect.ErrNoServer) {
		return ended("left as it is at " + was.Server + ": " + err.Error())
	}
	if err != nil {
		return err
	}
	defer w.Close()
	if err := connect.Undo(w, was.Modifications, connect.Unknown); err != nil {
		return err
	}
	return ended("taken back: the program or the connection ended before the revision was made")
}

// Follow takes back what a stop cut off.
func (s *Writes) Follow() {
	s.History.Lock()
	err := s.Resume(s.Closing)
	s.History.Unlock()
	if err != nil {
		s.retry(err)
	}
}

// retry takes back what could not be taken back, once it can.
func (s *Writes) retry(err error) {
	s.Log.Error("what a commit wrote is not taken back yet", "error", err)
	if s.retrying.Swap(true) {
		return
	}
	s.Working.Go(func() {
		defer s.retrying.Store(false)
		for connect.Pause(s.Closing, cmp.Or(s.RetryAfter, time.Minute)) == nil {
			s.History.Lock()
			err := s.Resume(s.Closing)
			s.History.Unlock()
			if err == nil {
				return
			}
		}
	})
}
