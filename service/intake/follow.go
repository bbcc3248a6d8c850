package intake

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/keeping"
)

// What holds where the map does not say otherwise.
const (
	firstWait = time.Second
	// pruneEvery is how often the log of runs is looked through for what is old.
	pruneEvery = time.Hour
)

// Follow keeps the directories up to date that ask for it: by streams, polls and
// schedules, until the service is closed. When a revision says otherwise of a
// source, so does it.
func (s *Follower) Follow() {
	revisions := s.Events.Listen(s.Closing)
	s.Working.Go(func() {
		for {
			if err := s.Store.PruneRuns(s.Closing, time.Now()); err != nil && s.Closing.Err() == nil {
				s.Log.Error("old runs cannot be let go", "error", err)
			}
			select {
			case <-time.After(pruneEvery):
			case <-s.Closing.Done():
				return
			}
		}
	})
	s.Working.Go(func() {
		keeping.Going(s.Closing, revisions, func() map[string]keeping.Wanted {
			wanted := map[string]keeping.Wanted{}
			for _, d := range s.History.Head().Folder.Written.Map.Directories {
				if d.Source != nil {
					wanted[d.Name] = keeping.Wanted{As: d.Source, Begin: func(ctx context.Context) { s.followOne(ctx, d) }}
				}
			}
			return wanted
		})
	})
}

func (s *Follower) followOne(ctx context.Context, d *directory.Document) {
	source, from := d.Source, connect.Of(d.Source)
	if from == nil {
		return
	}
	if source.Follow != "" {
		s.Working.Go(func() { s.keepTrying(ctx, d, from) })
	}
	if every := source.Every.Duration; every > 0 && !content.Pushed(source) && source.Follow != "poll" {
		s.Working.Go(func() {
			for range ticks(ctx, every) {
				if _, err := s.runs.Start(ctx, d.Name, BySchedule, Intaking{Commit: true, By: operator.Service}); err != nil {
					s.Log.Warn("intake by schedule", "directory", d.Name, "error", err)
				}
			}
		})
	}
}

// ticks yields every so often until the context ends.
func ticks(ctx context.Context, every time.Duration) func(func() bool) {
	return func(yield func() bool) {
		t := time.NewTicker(every)
		defer t.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-t.C:
				if !yield() {
					return
				}
			}
		}
	}
}

// keepTrying follows a directory again after growing pauses whenever that ends.
func (s *Follower) keepTrying(ctx context.Context, d *directory.Document, from connect.Document) {
	wait := firstWait
	for {
		began := time.Now()
		job, _, err := connect.NewJob(d.Source, *s.Host, connect.Records{})
		if err == nil {
			err = from.Follow(ctx, job, &observer{s, ctx, d})
		}
		if ctx.Err() != nil {
			return
		}
		if errors.Is(err, connect.ErrAnew) {
			s.Log.Info("following a directory", "directory", d.Name, "reason", err)
			continue
		}
		s.Log.Warn("following a directory", "directory", d.Name, "error", err)
		if time.Since(began) > time.Minute {
			wait = firstWait
		}
		if connect.Pause(ctx, wait) != nil {
			return
		}
		wait = connect.Longer(wait)
	}
}

// observer takes what a directory that is followed tells.
type observer struct {
	*Follower
	ctx      context.Context
	document *directory.Document
}

// Everything runs read as a run of the directory that brings in everything.
func (s *observer) Everything(read func(progress func(int), done func(connect.Records, string) error) error) error {
	ctx, d := s.ctx, s.document
	l := s.runs.lanes.lane(d.Name)
	l.busy.Lock()
	release := sync.OnceFunc(l.busy.Unlock)
	defer release()
	r, err := s.runs.journal.begin(ctx, d.Name, ByStream, operator.Service)
	if err != nil {
		return err
	}
	l.works(r)
	ended := false
	err = read(func(read int) {
		_ = s.runs.journal.update(ctx, r, func(x *answer.Run) { x.Read = read }) // progress is not logged
	}, func(records connect.Records, server string) error {
		ended = true
		s.runs.whole(ctx, l, r, records, server, Intaking{Commit: true, By: operator.Service})
		release()
		return nil
	})
	if err != nil && !ended {
		s.runs.journal.fail(ctx, r, err)
	}
	return err
}

// Known are the records that the directory has, with what waits to be confirmed, where
// something does.
func (s *observer) Known() connect.Records {
	if r := s.runs.lanes.lane(s.document.Name).waiting(); r != nil {
		return r.prepared.records
	}
	return s.History.Head().Folder.Records[s.document.Name]
}

// Change takes in what a server says has changed. It goes on top of what waits to
// be confirmed, where something does.
func (s *observer) Change(p connect.Patch, server string) error {
	ctx, d := s.ctx, s.document
	l := s.runs.lanes.lane(d.Name)
	l.busy.Lock()
	defer l.busy.Unlock()
	change := brought{patch: &p}
	if r := l.waiting(); r != nil {
		change = brought{records: r.prepared.records.With(p), began: r.prepared.brought.began}
	}
	ready, err := s.runs.plans.prepare(s.History.Head(), d.Name, change)
	if err != nil {
		return err
	}
	rejected := fmt.Sprint(ready.records.Rejected)
	if ready.empty() && (len(ready.records.Rejected) == 0 || rejected == l.rejected) {
		return nil // nothing new
	}
	l.rejected = rejected
	r, err := s.runs.journal.begin(ctx, d.Name, ByStream, operator.Service)
	if err != nil {
		return err
	}
	if err = s.runs.journal.update(ctx, r, func(x *answer.Run) {
		x.Server, x.Read = server, len(p.Put.Users)+len(p.Put.Groups)+len(p.Put.Devices)+len(p.Gone)
	}); err == nil {
		err = s.runs.reconcile(
			ctx,
			l,
			r,
			ready,
			pass{Intaking{Commit: true, By: operator.Service}, true, "Changes in " + d.Name},
		)
	}
	if err != nil {
		s.runs.journal.fail(ctx, r, err)
	}
	return err
}

// waiting is the run that waits, if any.
func (l *lane) waiting() *run {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.pending
}
