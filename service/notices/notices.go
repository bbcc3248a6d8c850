// Package notices tells those whom the map names what must not wait for someone to look: once when it
// begins, when it changes, and when it is over (docs/notices.md). What is to be told is kept before it
// is sent, so that a stop loses nothing; it may send something twice, by the same ID.
package notices

import (
	"context"
	"encoding/json"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"gatemap/connect"
	"gatemap/core/name"
	"gatemap/core/notice"
	"gatemap/service/audit"
	"gatemap/service/deliveries"
	"gatemap/service/events"
	"gatemap/service/intake"
	"gatemap/service/query"
	"gatemap/service/readings"
	"gatemap/service/rights"
	"gatemap/store"
)

// Ports are what notices need of the workspace that they are of.
type Ports struct {
	Store      *store.Store
	Head       func() *query.Head
	Host       *connect.Host
	Rights     *rights.Rights
	Audit      *audit.Log
	Journal    *intake.Journal
	Readings   *readings.Readings
	Deliveries *deliveries.Deliveries
	Events     *events.Events
	Log        *slog.Logger
	Closing    context.Context // ends when the workspace is being closed
	Working    *sync.WaitGroup // counts what goes on
	RetryAfter time.Duration   // how long is waited after a message that could not be sent, at first; 0: a second
}

// receivers are those whom the map names, by folded name.
func (p *Ports) receivers() map[string]*notice.Document {
	all := map[string]*notice.Document{}
	for _, d := range p.Head().Folder.Written.Map.Notices {
		all[name.Fold(d.Name)] = d
	}
	return all
}

// Notices are the notices of one map. They are safe for use by many.
type Notices struct {
	Ports
	watch  *watch
	sender *sender
}

// New makes ready to tell; Follow begins it.
func New(p Ports) *Notices {
	s := &Notices{Ports: p}
	s.watch = &watch{Ports: &s.Ports, turned: make(chan struct{}, 1)}
	s.sender = &sender{Ports: &s.Ports, wake: make(chan struct{}, 1), busy: map[string]bool{}, counts: map[string]Counts{}}
	return s
}

// Counts are how much was sent to each receiver, by name.
func (s *Notices) Counts() map[string]Counts { return s.sender.all() }

// How often it is looked at what changes with time alone, how long is waited for what happens
// together, and how many times as long as a look took: on a large map that is much work.
const (
	looked   = time.Minute
	together = 200 * time.Millisecond
	rest     = 4
)

// Follow tells what stands and what turns, until the workspace is closed.
func (s *Notices) Follow() {
	happened := s.Events.Listen(s.Closing)
	s.Working.Go(s.sender.run)
	s.Working.Go(func() {
		var was map[string]*notice.Document
		for {
			now, began := s.receivers(), time.Now()
			if err := s.look(s.Closing, was, now); err != nil && s.Closing.Err() == nil {
				s.Log.Error("it cannot be seen what is to be told", "error", err)
			} else {
				was = now
			}
			if !s.wait(happened, max(together, rest*time.Since(began))) {
				return
			}
		}
	})
}

// wait waits until something may have turned, and then a pause for what happens together with it. It is
// false when the workspace is being closed.
func (s *Notices) wait(happened <-chan events.Event, pause time.Duration) bool {
	until := time.NewTimer(looked)
	defer until.Stop()
	soon := false
	for {
		select {
		case <-s.Closing.Done():
			return false
		case <-until.C:
			return true
		case <-s.watch.turned:
			return true
		case e := <-happened:
			if matters := e.Revision > 0 || e.Reading != "" || e.Delivery != "" ||
				e.Run != nil && !e.Run.State.Running(); matters &&
				!soon {
				soon = true
				until.Reset(min(pause, looked))
			}
		}
	}
}

// look notes what is to be told to the receivers. What waits for one whose document is another than
// before is tried at once.
func (s *Notices) look(ctx context.Context, was, now map[string]*notice.Document) error {
	if err := s.keep(ctx, was, now); err != nil || len(now) == 0 {
		return err
	}
	stands, err := s.watch.standing(ctx, now)
	if err != nil {
		return err
	}
	told, err := s.told(ctx)
	if err != nil {
		return err
	}
	for n, d := range now {
		if err := s.turn(ctx, n, d, told[n], stands); err != nil {
			return err
		}
	}
	s.sender.awake()
	return nil
}

// keep forgets receivers that are gone, and lets what could not be sent to one whose document is
// another now be tried at once.
func (s *Notices) keep(ctx context.Context, was, now map[string]*notice.Document) error {
	gone := was == nil
	for n := range was {
		gone = gone || now[n] == nil
	}
	if gone {
		if err := s.Store.KeepReceivers(ctx, slices.Collect(maps.Keys(now))); err != nil {
			return err
		}
	}
	for n, d := range now {
		if was[n] != nil && was[n] != d {
			if err := s.Store.HastenNotices(ctx, n, time.Now()); err != nil {
				return err
			}
		}
	}
	return nil
}

// told is what each receiver was told.
func (s *Notices) told(ctx context.Context) (map[string]map[string]notice.Told, error) {
	rows, err := s.Store.Told(ctx)
	if err != nil {
		return nil, err
	}
	all := map[string]map[string]notice.Told{}
	for _, r := range rows {
		t := notice.Told{Since: r.Since}
		if err := json.Unmarshal(r.Body, &t.Standing); err != nil {
			return nil, err
		}
		if all[r.Receiver] == nil {
			all[r.Receiver] = map[string]notice.Told{}
		}
		all[r.Receiver][r.ID] = t
	}
	return all, nil
}

// turn notes what a receiver is to be told.
func (s *Notices) turn(
	ctx context.Context,
	folded string,
	d *notice.Document,
	told map[string]notice.Told,
	stands []notice.Standing,
) error {
	now := time.Now()
	turned, known := notice.Turned(d, told, stands, now)
	if len(turned) == 0 && len(known) == len(told) {
		return nil
	}
	var rows []store.Told
	for id, t := range known {
		body, err := json.Marshal(t.Standing)
		if err != nil {
			return err
		}
		rows = append(rows, store.Told{Receiver: folded, ID: id, Since: t.Since, Body: body})
	}
	var out []store.Notice
	for i := range turned {
		turned[i].ID = uuid.NewString()
		body, err := json.Marshal(&turned[i])
		if err != nil {
			return err
		}
		out = append(out, store.Notice{At: now, Due: now.Add(d.Digest.Duration), Body: body})
	}
	return s.Store.Tell(ctx, folded, rows, out)
}
