package service

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/ldap"
	"gatemap/core/change"
	"gatemap/core/directory"
	"gatemap/operator"
)

// What holds where the map does not say otherwise.
const (
	pollEvery = 10 * time.Second
	fullEvery = 6 * time.Hour
	firstWait = time.Second
	// pruneEvery is how often the log of runs is looked through for what is old.
	pruneEvery = time.Hour
	// limitFor is how long changes that come one by one count as one run for the
	// removal limit.
	limitFor = 10 * time.Minute
)

// Follow keeps the directories up to date that ask for it: by streams, polls and
// schedules, until the service is closed. When a revision says otherwise of a
// source, so does it.
func (s *Service) Follow() {
	revisions := s.Events(s.closing)
	s.working.Go(func() {
		for {
			if err := s.store.PruneRuns(s.closing, time.Now()); err != nil && s.closing.Err() == nil {
				s.log.Error("old runs cannot be let go", "error", err)
			}
			select {
			case <-time.After(pruneEvery):
			case <-s.closing.Done():
				return
			}
		}
	})
	s.working.Go(func() {
		type followed struct {
			source *directory.Source
			cancel context.CancelFunc
		}
		going := map[string]followed{}
		for {
			for _, d := range s.Head().Folder.written.Map.Directories {
				old, known := going[d.Name]
				if known && old.source == d.Source {
					continue
				}
				if known {
					old.cancel()
				}
				ctx, cancel := context.WithCancel(s.closing)
				going[d.Name] = followed{d.Source, cancel}
				if d.Source != nil {
					s.followOne(ctx, d)
				}
			}
			for named, old := range going {
				if s.Head().Folder.directory(named) == nil {
					old.cancel()
					delete(going, named)
				}
			}
			for e := (Event{}); e.Revision == 0; {
				var more bool
				if e, more = <-revisions; !more {
					return
				}
			}
		}
	})
}

func (s *Service) followOne(ctx context.Context, d *directory.Document) {
	source := d.Source
	switch {
	case source.LDAP != nil && source.Follow == "stream":
		s.working.Go(func() { s.keepTrying(ctx, d, s.stream) })
	case source.LDAP != nil && source.Follow == "poll":
		s.working.Go(func() { s.keepTrying(ctx, d, s.poll) })
	}
	if every := source.Every.Duration; every > 0 && source.SCIM == nil && source.Follow != "poll" {
		s.working.Go(func() {
			for range ticks(ctx, every) {
				if _, err := s.Intake(ctx, d.Name, BySchedule, Intaking{Commit: true, By: operator.Service}); err != nil {
					s.log.Warn("intake by schedule", "directory", d.Name, "error", err)
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
func (s *Service) keepTrying(ctx context.Context, d *directory.Document, follow func(context.Context, *directory.Document) error) {
	wait := firstWait
	for {
		began := time.Now()
		err := follow(ctx, d)
		if ctx.Err() != nil {
			return
		}
		if errors.Is(err, ldap.ErrTreeMoved) {
			s.log.Info("following a directory", "directory", d.Name, "reason", err)
			continue
		}
		s.log.Warn("following a directory", "directory", d.Name, "error", err)
		if time.Since(began) > time.Minute {
			wait = firstWait
		}
		if ldap.Pause(ctx, wait) != nil {
			return
		}
		wait = ldap.Longer(wait)
	}
}

// whole runs work as a run of a directory that brings in everything. Work ends
// the run by calling done with what came in.
func (s *Service) whole(ctx context.Context, d *directory.Document, work func(progress func(int), done func(connect.Records, string) error) error) error {
	l := s.lane(d.Name)
	l.busy.Lock()
	release := sync.OnceFunc(l.busy.Unlock)
	defer release()
	r, err := s.begin(ctx, d.Name, ByStream, operator.Service)
	if err != nil {
		return err
	}
	l.works(r)
	ended := false
	err = work(func(read int) {
		_ = s.update(ctx, r, func(x *answer.Run) { x.Read = read }) // progress is not logged
	}, func(records connect.Records, server string) error {
		ended = true
		l.recent = nil
		s.finish(ctx, l, r, records, server, Intaking{Commit: true, By: operator.Service})
		release()
		return nil
	})
	if err != nil && !ended {
		s.fail(ctx, r, err)
	}
	return err
}

// stream follows a server that tells changes as they happen.
func (s *Service) stream(ctx context.Context, d *directory.Document) error {
	t, err := tables(d.Source)
	if err != nil {
		return err
	}
	return s.whole(ctx, d, func(progress func(int), done func(connect.Records, string) error) error {
		conn, err := ldap.New(d.Source, s.host).Connect(ctx)
		if err != nil {
			return err
		}
		defer conn.Close()
		return conn.Stream(ctx, t, progress, func(all connect.Records) error {
			return done(all, conn.Server())
		}, func(p connect.Patch) error { return s.patch(ctx, d, p, conn.Server()) })
	})
}

// poll asks a server again and again for what changed.
func (s *Service) poll(ctx context.Context, d *directory.Document) error {
	t, err := tables(d.Source)
	if err != nil {
		return err
	}
	conn, err := ldap.New(d.Source, s.host).Connect(ctx)
	if err != nil {
		return s.whole(ctx, d, func(func(int), func(connect.Records, string) error) error { return err })
	}
	defer conn.Close()
	for {
		mark, err := conn.Mark(time.Now())
		if err != nil {
			return err
		}
		if err := s.whole(ctx, d, func(progress func(int), done func(connect.Records, string) error) error {
			all, err := conn.Fetch(ctx, t, progress)
			if err != nil {
				return err
			}
			return done(all, conn.Server())
		}); err != nil {
			return err
		}
		full, verify := time.Now().Add(d.Source.Every.Or(fullEvery)), time.Now().Add(d.Source.Verify.Or(ldap.VerifyEvery))
		for range ticks(ctx, d.Source.Poll.Or(pollEvery)) {
			if time.Now().After(full) {
				break
			}
			next, err := conn.Mark(time.Now())
			if err != nil {
				return err
			}
			p, err := conn.Changes(ctx, t, mark, s.known(d.Name))
			if errors.Is(err, ldap.ErrTreeMoved) {
				break // everything is read anew
			}
			if err != nil {
				return err
			}
			if err := s.patch(ctx, d, p, conn.Server()); err != nil {
				return err
			}
			mark = next
			if time.Now().Before(verify) {
				continue
			}
			verify = time.Now().Add(d.Source.Verify.Or(ldap.VerifyEvery))
			if p, err = conn.Verify(ctx, t, s.known(d.Name)); errors.Is(err, ldap.ErrTreeMoved) {
				break
			}
			if err != nil {
				return err
			}
			if err := s.patch(ctx, d, p, conn.Server()); err != nil {
				return err
			}
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

// known are the records that a directory has, with what waits to be confirmed, where
// something does.
func (s *Service) known(named string) connect.Records {
	if r := s.lane(named).waiting(); r != nil {
		return r.prepared.records
	}
	return s.Head().Folder.Records[named]
}

// patch takes in what a server says has changed. It goes on top of what waits to
// be confirmed, where something does.
func (s *Service) patch(ctx context.Context, d *directory.Document, p connect.Patch, server string) error {
	l := s.lane(d.Name)
	l.busy.Lock()
	defer l.busy.Unlock()
	head := s.Head()
	ready, err := s.prepare(head, d.Name, s.known(d.Name).With(p))
	if err != nil {
		return err
	}
	rejected := fmt.Sprint(ready.records.Rejected)
	if len(ready.put)+len(ready.gone) == 0 && (len(ready.records.Rejected) == 0 || rejected == l.rejected) {
		return nil // nothing new
	}
	l.rejected = rejected
	r, err := s.begin(ctx, d.Name, ByStream, operator.Service)
	if err != nil {
		return err
	}
	if ready, err = s.withoutReused(ctx, ready, operator.Service, func(p *prepared) string { return l.overLimit(p, time.Now()) }); err != nil {
		s.fail(ctx, r, err)
		return err
	}
	held := l.overLimit(ready, time.Now())
	v := ready.describeWith(&change.Summary{}) // what comes by itself is not to wait for the rest
	r.prepared, r.preview = ready, &v.Preview
	report := func(x *answer.Run) {
		x.Counts, x.Samples, x.Held, x.Server, x.Read = v.Run.Counts, v.samples(), held, server, len(p.Put.Users)+len(p.Put.Groups)+len(p.Put.Devices)+len(p.Gone)
	}
	switch {
	case held != "":
		s.await(ctx, l, r)
		return s.update(ctx, r, func(x *answer.Run) { report(x); x.State = answer.RunHeld })
	case len(ready.put)+len(ready.gone) == 0:
		return s.update(ctx, r, func(x *answer.Run) { report(x); x.State = answer.RunUnchanged })
	}
	s.await(ctx, l, nil)
	l.note(ready, time.Now())
	revision, err := s.commit(ctx, ready, operator.Service, fmt.Sprintf("Changes in %s", d.Name), nil)
	if err != nil {
		s.fail(ctx, r, err)
		return err
	}
	s.remember(r)
	return s.update(ctx, r, func(x *answer.Run) { report(x); x.State, x.Revision = answer.RunCommitted, revision.Number })
}

// removal is how many users and groups went at a time.
type removal struct {
	at            time.Time
	users, groups int
}

// waiting is the run that waits, if any.
func (l *lane) waiting() *run {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.pending
}

// overLimit is the removal limit for a change that comes by itself: what went in the last
// minutes counts with it.
func (l *lane) overLimit(p *prepared, now time.Time) string {
	users, groups := 0, 0
	for _, r := range l.recent {
		if now.Sub(r.at) < limitFor {
			users, groups = users+r.users, groups+r.groups
		}
	}
	return p.heldWith(users, groups)
}

// note notes what goes by itself.
func (l *lane) note(p *prepared, now time.Time) {
	kept := l.recent[:0]
	for _, r := range l.recent {
		if now.Sub(r.at) < limitFor {
			kept = append(kept, r)
		}
	}
	if r := (removal{now, p.delta.Off(), len(p.delta.GoneGroups)}); r.users+r.groups > 0 {
		kept = append(kept, r)
	}
	l.recent = kept
}
