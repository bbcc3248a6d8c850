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
	"time"

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

// Head is the newest revision, compiled. It is immutable.
type Head struct {
	Revision store.Revision
	Folder   *Folder
	Answers
}

var _ answer.Asker = (*Head)(nil)

// HeadOf is a folder with the atlas compiled of it, without a revision.
func HeadOf(f *Folder, a *atlas.Atlas) *Head { return &Head{Folder: f, Answers: From(a)} }

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

func (s *Service) put(r store.Revision, f *Folder, a *atlas.Atlas) {
	s.head.Store(&Head{r, f, From(a)})
	s.tried.Purge() // they keep what was in force before
	s.events.tell(Event{Revision: r.Number})
}

// Allow says what the map may read on the host; before it is called, variables alone.
func (s *Service) Allow(host connect.Host) { s.host = host }

// Head is what is in force.
func (s *Service) Head() *Head { return s.head.Load() }

// CommitFolder makes a folder the newest revision, where it differs from the
// one in force. What the sources of live directories brought in stays, and so does what
// the guards hold of what files of the folder bring: it waits as a run. A folder that
// cannot be compiled changes nothing.
func (s *Service) CommitFolder(ctx context.Context, f *Folder, author, reason string) (store.Revision, error) {
	s.committing.Lock()
	defer s.committing.Unlock()
	head := s.Head()
	var held []func() error
	for _, d := range f.written.Map.Directories {
		was, known := head.Folder.Records[d.Name]
		if !known || d.Source == nil {
			continue
		}
		now := f.Records[d.Name]
		if !d.Source.Connection.Live && heldBy(head, d, now) == "" {
			continue
		}
		f = f.with(d.Name, was)
		if !d.Source.Connection.Live {
			held = append(held, func() error { return s.holdFolder(ctx, d.Name, now) })
		}
	}
	a, err := f.Compile("the folder")
	if err != nil {
		return store.Revision{}, err
	}
	rows, err := f.rows()
	if err != nil {
		return store.Revision{}, err
	}
	before := head.Revision.Number
	exempt, err := s.exempt(ctx, "a folder on the host")
	if err != nil {
		return store.Revision{}, err
	}
	r, err := s.store.Commit(ctx, store.Revision{At: time.Now(), Author: author, Reason: reason, Exempt: exempt}, rows)
	if err != nil {
		return head.Revision, err
	}
	if r.Number != before {
		s.put(r, f, a)
		s.log.Info("revision committed", "revision", r.Number, "author", author, "reason", reason)
	}
	for _, hold := range held {
		err = errors.Join(err, hold())
	}
	return r, err
}

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
