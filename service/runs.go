package service

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/operator"
	"gatemap/store"
)

// How says what makes an intake run.
type How string

// The ways.
const (
	ByHand     How = "hand"
	BySchedule How = "schedule"
	ByStream   How = "stream"
	ByPush     How = "push"
	ByFolder   How = "folder"
)

// Intaking says what is to become of an intake.
type Intaking struct {
	Commit  bool // commit it at once, unless the removal limit holds it
	Confirm bool // even then; only with Commit
	By      operator.Actor
}

func busy(named string) error {
	return &answer.ConflictError{Message: fmt.Sprintf("a run of directory %s is in progress; wait until it ends", named)}
}

// lane is what goes on for one directory: one run at a time.
type lane struct {
	busy      sync.Mutex
	lately    lately // what changes that came one by one took away
	remembers bool   // lately has what the store has
	rejected  string // what changes that came by themselves rejected last; for who is busy
	mu        sync.Mutex
	current   *run // the newest that brings in everything
	pending   *run // waits or is held
	pushed    pushedTo
}

// try takes the lane, unless a run is at work in it. It waits for one that rests
// already and is about to leave.
func (l *lane) try() bool {
	if l.busy.TryLock() {
		return true
	}
	l.mu.Lock()
	current := l.current
	l.mu.Unlock()
	if current == nil || current.snapshot().State.Running() {
		return false
	}
	l.busy.Lock()
	return true
}

// works notes that a run is at work in the lane.
func (l *lane) works(r *run) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.current = r
}

// run is a run that has not been forgotten yet.
type run struct {
	mu       sync.Mutex
	state    answer.Run
	prepared *prepared
	preview  *answer.Preview
}

func (r *run) snapshot() answer.Run {
	r.mu.Lock()
	defer r.mu.Unlock()
	state := r.state
	return state
}

func (s *Service) lane(named string) *lane {
	s.lanesMu.Lock()
	defer s.lanesMu.Unlock()
	key := strings.ToLower(named)
	if s.lanes[key] == nil {
		s.lanes[key] = &lane{}
	}
	return s.lanes[key]
}

// begin logs a run and tells everyone of it.
func (s *Service) begin(ctx context.Context, named string, how How, by operator.Actor) (*run, error) {
	r := &run{state: answer.Run{
		Directory: named, How: string(how), StartedBy: by.Name, State: answer.RunReading, Started: time.Now(), RunReport: answer.RunReport{Samples: []string{}, Version: 1},
	}}
	row, err := rowOf(r.state)
	if err != nil {
		return nil, err
	}
	if err := s.store.BeginRun(ctx, &row, func(id int64) *store.Entry {
		if by.IsService() {
			return nil
		}
		return new(auditOf(by, "intake", named, done, fmt.Sprintf("started run %d", id)))
	}); err != nil {
		return nil, err
	}
	r.state.ID = row.ID
	s.events.tell(Event{Run: new(r.state)})
	return r, nil
}

// update changes what a run says of itself, tells everyone, and logs it unless
// only its progress changed.
func (s *Service) update(ctx context.Context, r *run, change func(*answer.Run), entries ...store.Entry) error {
	r.mu.Lock()
	before := r.state.State
	change(&r.state)
	if !r.state.State.Running() && !r.state.State.Open() && r.state.Ended == nil {
		r.state.Ended = new(time.Now())
		r.prepared = nil // the maps before and after are not needed any more
	}
	state := r.state
	r.mu.Unlock()
	defer s.events.tell(Event{Run: &state})
	if state.State == before {
		return nil
	}
	return s.logRun(ctx, r, entries...)
}

// logRun logs how far a run is.
func (s *Service) logRun(ctx context.Context, r *run, entries ...store.Entry) error {
	r.mu.Lock()
	state, preview := r.state, r.preview
	r.mu.Unlock()
	row, err := rowOf(state)
	if err == nil && preview != nil {
		row.Preview, err = packed(preview)
	}
	if err != nil {
		return err
	}
	// What happened is logged even when whoever asked has gone.
	ctx = context.WithoutCancel(ctx)
	if state.State == answer.RunUnchanged && state.How != string(ByHand) {
		if row, err = s.sameAgain(ctx, r, row); err != nil {
			return err
		}
	}
	return s.store.UpdateRun(ctx, &row, entries...)
}

// sameAgain counts a run that came by itself and changed nothing, where the one before was
// such a one, too: that one goes from the log, so that nothing new is one line.
func (s *Service) sameAgain(ctx context.Context, r *run, row store.Run) (store.Run, error) {
	list, err := s.store.Runs(ctx, row.Directory, row.ID, 1)
	if err != nil || len(list) == 0 || list[0].State != string(answer.RunUnchanged) || list[0].How != row.How {
		return row, err
	}
	before, err := ofRow(list[0])
	if err != nil {
		return row, err
	}
	r.mu.Lock()
	r.state.Times = max(before.Times, 1) + 1
	row, err = rowOf(r.state)
	r.mu.Unlock()
	if err != nil {
		return row, err
	}
	return row, s.store.RemoveRun(ctx, before.ID)
}

// Intake begins a run of a directory and returns at once; what becomes of it is
// told by Run, Preview and the events. The error is a *directory.NotFoundError, an
// *operator.ForbiddenError, or an *answer.ConflictError: a run is going on, or there is
// nothing to fetch.
func (s *Service) Intake(ctx context.Context, named string, how How, in Intaking) (answer.Run, error) {
	r, finish, err := s.start(ctx, named, how, in)
	if err != nil {
		return answer.Run{}, err
	}
	go finish(context.WithoutCancel(ctx))
	return r.snapshot(), nil
}

// start makes a run; finish does its work, and must be called.
func (s *Service) start(ctx context.Context, named string, how How, in Intaking) (r *run, finish func(context.Context), err error) {
	if err := in.By.May(operator.Intake); err != nil {
		return nil, nil, err
	}
	if in.Commit || in.Confirm {
		if err := s.mayCommit(ctx, in.By, begun{in.By.Name, "starts this run"}); err != nil {
			return nil, nil, err
		}
	}
	head := s.Head()
	d := head.Folder.directory(named)
	switch {
	case d == nil:
		return nil, nil, head.Folder.missing(named)
	case d.Source == nil:
		return nil, nil, &answer.ConflictError{Message: fmt.Sprintf("directory %s is listed in the map itself and has no source to read", d.Name)}
	case pushed(d.Source):
		return nil, nil, &answer.ConflictError{Message: fmt.Sprintf("directory %s: %v", d.Name, connect.ErrPushed)}
	}
	l := s.lane(d.Name)
	if !l.try() {
		return nil, nil, busy(d.Name)
	}
	if r, err = s.begin(ctx, d.Name, how, in.By); err != nil {
		l.busy.Unlock()
		return nil, nil, err
	}
	l.works(r)
	s.working.Add(1)
	return r, func(ctx context.Context) {
		defer s.working.Done()
		defer l.busy.Unlock()
		ctx, cancel := context.WithCancel(ctx)
		defer cancel()
		defer context.AfterFunc(s.closing, cancel)()
		defer s.thrifty()()
		records, server, err := bring(ctx, s.host, d.Source, func(read int) {
			_ = s.update(ctx, r, func(x *answer.Run) { x.Read = read }) // progress is not logged
		})
		if err != nil {
			s.fail(ctx, r, err)
			return
		}
		s.whole(ctx, l, r, records, server, in)
	}, nil
}

// thrifty lets the memory of what was read be looked for more often, until it is
// undone: an intake must not take much more than it brings.
func (s *Service) thrifty() (undo func()) {
	s.lanesMu.Lock()
	defer s.lanesMu.Unlock()
	if s.thrift++; s.thrift == 1 {
		s.usualGC = debug.SetGCPercent(thriftGC)
	}
	return func() {
		s.lanesMu.Lock()
		defer s.lanesMu.Unlock()
		if s.thrift--; s.thrift == 0 {
			debug.SetGCPercent(s.usualGC)
		}
	}
}

const thriftGC = 20 // percent of what is in use

// fail ends a run that failed. The map is unchanged.
func (s *Service) fail(ctx context.Context, r *run, err error) {
	state := answer.RunFailed
	if s.closing.Err() != nil {
		state, err = answer.RunCutOff, errors.New("the service was stopped")
	}
	s.log.Warn("intake failed", "directory", r.state.Directory, "run", r.state.ID, "error", err)
	if err := s.update(ctx, r, func(x *answer.Run) { x.State, x.Error = state, err.Error() }); err != nil {
		s.log.Error("the log of a run cannot be written", "run", r.state.ID, "error", err)
	}
}
