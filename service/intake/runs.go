package intake

import (
	"context"
	"fmt"
	"sync"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/rights"
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

// Start begins a run of a directory and returns at once; what becomes of it is
// told by Run, Preview and the events. The error is a *directory.NotFoundError, an
// *operator.ForbiddenError, or an *answer.ConflictError: a run is going on, or there is
// nothing to fetch.
func (s *Runs) Start(ctx context.Context, named string, how How, in Intaking) (answer.Run, error) {
	r, finish, err := s.starting(ctx, named, how, in)
	if err != nil {
		return answer.Run{}, err
	}
	go finish(context.WithoutCancel(ctx))
	return r.snapshot(), nil
}

// starting makes a run; finish does its work, and must be called.
func (s *Runs) starting(
	ctx context.Context,
	named string,
	how How,
	in Intaking,
) (r *run, finish func(context.Context), err error) {
	if err := in.By.May(operator.Intake); err != nil {
		return nil, nil, err
	}
	if in.Commit || in.Confirm {
		if err := s.Rights.MayCommit(ctx, in.By, rights.Begun{By: in.By.Name, Did: "starts this run"}); err != nil {
			return nil, nil, err
		}
	}
	head := s.History.Head()
	d := head.Folder.Directory(named)
	switch {
	case d == nil:
		return nil, nil, head.Folder.Missing(named)
	case d.Source == nil:
		return nil, nil, &answer.ConflictError{
			Message: fmt.Sprintf("directory %s is listed in the map itself and has no source to read", d.Name),
		}
	case content.Pushed(d.Source):
		return nil, nil, &answer.ConflictError{Message: fmt.Sprintf("directory %s: %v", d.Name, connect.ErrPushed)}
	}
	l := s.lanes.lane(d.Name)
	if !l.try() {
		return nil, nil, busy(d.Name)
	}
	if r, err = s.journal.begin(ctx, d.Name, how, in.By); err != nil {
		l.busy.Unlock()
		return nil, nil, err
	}
	l.works(r)
	s.Working.Add(1)
	return r, func(ctx context.Context) {
		defer s.Working.Done()
		defer l.busy.Unlock()
		ctx, cancel := context.WithCancel(ctx)
		defer cancel()
		defer context.AfterFunc(s.Closing, cancel)()
		defer s.Busy()()
		records, server, err := content.Bring(ctx, *s.Host, d.Source, func(read int) {
			_ = s.journal.update(ctx, r, func(x *answer.Run) { x.Read = read }) // progress is not logged
		})
		if err != nil {
			s.journal.fail(ctx, r, err)
			return
		}
		s.whole(ctx, l, r, records, server, in)
	}, nil
}
