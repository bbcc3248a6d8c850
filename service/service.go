package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"

	lru "github.com/hashicorp/golang-lru/v2"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
	"gatemap/store"
)

// Service keeps the revisions of one map and answers from the newest. It is
// safe for use by many: who asks while a revision is committed is answered
// from the one before.
type Service struct {
	store *store.Store
	keys  atomic.Pointer[store.Keys]
	log   *slog.Logger
	head  atomic.Pointer[Head]
	host  connect.Host

	// committing is held while a revision is made.
	committing sync.Mutex
	events     events
	throttle   *throttle
	hashing    *hashing
	refusals   refusals
	room       chan struct{}                      // for heavy work (atWork)
	tried      *lru.Cache[string, *tried]         // trials, computed, by name
	told       *lru.Cache[trialOn, *answer.Trial] // what trials are

	lanesMu sync.Mutex
	lanes   map[string]*lane // by the folded names of directories
	thrift  int              // runs that are at work
	usualGC int

	closing context.Context // ends when the service is being closed
	stop    context.CancelFunc
	working sync.WaitGroup // runs and streams
}

// Open opens a data folder and compiles the newest revision in it. Without any
// the map is empty.
func Open(ctx context.Context, folder string, log *slog.Logger) (*Service, error) {
	return OpenSealed(ctx, folder, "", log)
}

// OpenSealed is Open with the file of the seal's key (see store.Open).
func OpenSealed(ctx context.Context, folder, keyFile string, log *slog.Logger) (*Service, error) {
	st, err := store.Open(ctx, folder, keyFile)
	if err != nil {
		return nil, err
	}
	if st.Trouble != "" {
		log.Error("the audit does not go on from where it was", "trouble", st.Trouble)
	}
	s := &Service{store: st, log: log, lanes: map[string]*lane{}, throttle: newThrottle(), hashing: newHashing(), room: make(chan struct{}, max(2, runtime.GOMAXPROCS(0)))}
	s.tried, _ = lru.New[string, *tried](maxTried) // fails without room alone
	s.told, _ = lru.New[trialOn, *answer.Trial](maxTold)
	s.closing, s.stop = context.WithCancel(context.Background())
	if err := errors.Join(s.load(ctx), s.cutOff(ctx)); err != nil {
		_ = st.Close()
		return nil, err
	}
	return s, nil
}

func (s *Service) load(ctx context.Context) error {
	keys, err := s.store.Tokens(ctx)
	if err != nil {
		return err
	}
	s.keys.Store(keys)
	head, err := s.store.Head(ctx)
	if err != nil {
		return err
	}
	if head.Number == 0 {
		empty := &Folder{Records: map[string]connect.Records{}}
		if empty.written, err = mapfile.Read(nil, types.Table, connectors.Kinds()); err != nil {
			return err
		}
		empty.assemble()
		a, err := atlas.Compile(empty.Map)
		s.put(head, empty, a)
		return err
	}
	// While a map is read nearly all memory that is taken stays in use, so that
	// looking for what does not is seldom worth it.
	defer debug.SetGCPercent(debug.SetGCPercent(700))
	from := fmt.Sprintf("revision %d", head.Number)
	folder, err := fromRows(func(visit func(store.Row) error) error { return s.store.Load(ctx, head.Number, visit) })
	if err != nil {
		return &LoadError{from, err}
	}
	a, err := folder.Compile(from)
	if err != nil {
		return err
	}
	s.put(head, folder, a)
	return nil
}

// Allow says what the map may read on the host; before it is called, variables alone.
func (s *Service) Allow(host connect.Host) { s.host = host }

// Ready says whether the service can answer, and write.
func (s *Service) Ready(ctx context.Context) error { return s.store.Writable(ctx) }

// Stop ends streams, runs and events. Questions are answered until Close.
func (s *Service) Stop() { s.stop() }

// Stopped is done once Stop was called.
func (s *Service) Stopped() <-chan struct{} { return s.closing.Done() }

// Close ends what goes on, and the use of the data folder.
func (s *Service) Close() error {
	s.stop()
	s.working.Wait()
	s.sumRefusals()
	return s.store.Close()
}
