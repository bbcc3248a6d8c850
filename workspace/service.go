// Package workspace puts the use cases together over the place where a map is kept: a data
// folder, of which a service is made, or a map folder. Both have the same ports to ask, to stage
// changes and to commit them.
package workspace

import (
	"context"
	"fmt"
	"log/slog"
	"sync"

	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
	"gatemap/service/access"
	"gatemap/service/accounts"
	"gatemap/service/audit"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/service/deliveries"
	"gatemap/service/events"
	"gatemap/service/history"
	"gatemap/service/intake"
	"gatemap/service/notices"
	"gatemap/service/query"
	"gatemap/service/readings"
	"gatemap/service/rights"
	"gatemap/service/writes"
	"gatemap/store"
)

// Service is the map in a data folder: its revisions, who may see and change them, and what
// brings records in. It answers from the newest revision. It is safe for use by many.
type Service struct {
	*changeset.Changes
	*intake.Intake
	History    *history.History
	Events     *events.Events
	Rights     *rights.Rights
	Audit      *audit.Log
	Operators  *access.Operators
	Tokens     *access.Tokens
	Sessions   *access.Sessions
	Readings   *readings.Readings
	Deliveries *deliveries.Deliveries
	Writes     *writes.Writes
	Notices    *notices.Notices
	Accounts   *accounts.Accounts

	store   *store.Store
	host    connect.Host
	closing context.Context // ends when the service is being closed
	stop    context.CancelFunc
	working sync.WaitGroup // runs and streams
}

// Options are how a data folder is opened. The zero Options are right for most.
type Options struct {
	SealKey string               // file with the key of the seal (see store.Open)
	Busy    func() (rest func()) // called when much is about to be read, and rest when it was
}

// idle is Busy of a process that takes no notice of what is read.
func idle() (rest func()) { return func() {} }

// Open opens a data folder and compiles the newest revision in it. Without any
// the map is empty.
func Open(ctx context.Context, folder string, log *slog.Logger, o Options) (*Service, error) {
	st, err := store.Open(ctx, folder, o.SealKey)
	if err != nil {
		return nil, err
	}
	if st.Trouble != "" {
		log.Error("the audit does not go on from where it was", "trouble", st.Trouble)
	}
	s := &Service{store: st, Events: &events.Events{}}
	s.closing, s.stop = context.WithCancel(context.Background())
	if err := s.open(ctx, log, o); err != nil {
		_ = st.Close()
		return nil, err
	}
	return s, nil
}

func (s *Service) open(ctx context.Context, log *slog.Logger, o Options) (err error) {
	s.Audit = audit.New(s.closing, &s.working, s.store, log)
	s.History = history.New(s.store, s.Events, log)
	s.Rights = rights.New(s.store, s.Audit, s.History)
	s.Writes = &writes.Writes{Ports: writes.Ports{
		Store: s.store, History: s.History, Folder: func() *content.Folder { return s.History.Head().Folder }, Host: &s.host,
		Log:     log,
		Closing: s.closing, Working: &s.working,
	}}
	s.Changes = changeset.Open(changeset.Ports{
		Keeper: s.store, History: s.History, Past: s.store, Rights: s.Rights, Events: s.Events, Log: log, Writes: s.Writes,
	})
	s.Accounts = &accounts.Accounts{Head: s.History.Head, Departed: s.store.Departed}
	s.History.OnMove(s.Changes.Forget)
	if err := s.load(ctx); err != nil {
		return err
	}
	if s.Operators, s.Tokens, s.Sessions, err = access.Open(ctx, s.store, s.Audit, s.History); err != nil {
		return err
	}
	if o.Busy == nil {
		o.Busy = idle
	}
	if s.Readings, err = readings.Open(ctx, readings.Ports{
		Keeper: s.store, Head: s.History.Head, Host: &s.host, Events: s.Events, Log: log, Busy: o.Busy, Closing: s.closing,
		Working: &s.working,
	}); err != nil {
		return err
	}
	if s.Deliveries, err = deliveries.Open(ctx, deliveries.Ports{
		Store: s.store, Head: s.History.Head, Host: &s.host, Rights: s.Rights, Readings: s.Readings, Events: s.Events,
		Log:     log,
		Closing: s.closing, Working: &s.working,
	}); err != nil {
		return err
	}
	s.Intake, err = intake.Open(ctx, intake.Ports{
		Store: s.store, History: s.History, Rights: s.Rights, Audit: s.Audit, Events: s.Events, Log: log,
		Host: &s.host, Busy: o.Busy, Written: s.Writes.Over, Closing: s.closing, Working: &s.working,
	})
	if err != nil {
		return err
	}
	s.Notices = notices.New(notices.Ports{
		Store: s.store, Head: s.History.Head, Host: &s.host, Rights: s.Rights, Audit: s.Audit, Journal: s.Intake.Journal,
		Readings:   s.Readings,
		Deliveries: s.Deliveries, Events: s.Events, Log: log, Closing: s.closing, Working: &s.working,
	})
	return nil
}

func (s *Service) load(ctx context.Context) error {
	head, err := s.store.Head(ctx)
	if err != nil {
		return err
	}
	if head.Number == 0 {
		return s.loadNothing(head)
	}
	from := fmt.Sprintf("revision %d", head.Number)
	folder, err := content.FromRows(
		func(visit func(store.Row) error) error { return s.store.Load(ctx, head.Number, visit) },
	)
	if err != nil {
		return &content.LoadError{From: from, Err: err}
	}
	a, err := folder.Compile(from)
	if err != nil {
		return err
	}
	s.History.Put(head, folder, a)
	return nil
}

func (s *Service) loadNothing(head store.Revision) error {
	empty := &content.Folder{Records: map[string]connect.Records{}}
	var err error
	if empty.Written, err = mapfile.Read(nil, types.Table, connectors.Kinds()); err != nil {
		return err
	}
	empty.Assemble()
	a, err := atlas.Compile(empty.Map)
	s.History.Put(head, empty, a)
	return err
}

// Allow says what the map may read on the host; before it is called, variables alone.
func (s *Service) Allow(host connect.Host) { s.host = host }

// Head is what is in force.
func (s *Service) Head() *query.Head { return s.History.Head() }

// Ready says whether the service can answer, and write.
func (s *Service) Ready(ctx context.Context) error { return s.store.Writable(ctx) }

// Follow begins what goes on until Stop: first what a stop left by half is taken back, before a run
// takes it in.
func (s *Service) Follow() {
	s.Writes.Follow()
	s.Follower.Follow()
	s.Readings.Follow()
	s.Deliveries.Follow()
	s.Notices.Follow()
}

// Stop ends streams, runs and events. Questions are answered until Close.
func (s *Service) Stop() { s.stop() }

// Stopped is done once Stop was called.
func (s *Service) Stopped() <-chan struct{} { return s.closing.Done() }

// Close ends what goes on, and the use of the data folder.
func (s *Service) Close() error {
	s.stop()
	s.working.Wait()
	s.Audit.SumUp()
	return s.store.Close()
}
