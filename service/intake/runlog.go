package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/events"
	"gatemap/service/packed"
	"gatemap/service/page"
	"gatemap/store"
)

func rowOf(r answer.Run) (store.Run, error) {
	report, err := json.Marshal(r.RunReport)
	row := store.Run{
		ID:        r.ID,
		Directory: r.Directory,
		How:       r.How,
		StartedBy: r.StartedBy,
		State:     string(r.State),
		Started:   r.Started,
		Revision:  r.Revision,
		Report:    report,
	}
	if r.Ended != nil {
		row.Ended = *r.Ended
	}
	return row, err
}

func ofRow(row store.Run) (answer.Run, error) {
	r := answer.Run{
		ID:        row.ID,
		Directory: row.Directory,
		How:       row.How,
		StartedBy: row.StartedBy,
		State:     answer.RunState(row.State),
		Started:   row.Started,
		Revision:  row.Revision,
	}
	if !row.Ended.IsZero() {
		r.Ended = &row.Ended
	}
	err := json.Unmarshal(row.Report, &r.RunReport)
	return r, err
}

// Run is one run. The error is a *directory.NotFoundError.
func (s *Journal) Run(ctx context.Context, id int64) (answer.Run, error) {
	row, ok, err := s.Store.Run(ctx, id)
	if err != nil {
		return answer.Run{}, err
	}
	if !ok {
		return answer.Run{}, &directory.NotFoundError{Kind: "run", Name: fmt.Sprint(id)}
	}
	return ofRow(row)
}

// Preview is what a run changes or changed, for as long as it is in the log.
func (s *Journal) Preview(ctx context.Context, id int64) (*answer.Preview, error) {
	state, err := s.Run(ctx, id)
	if err != nil {
		return nil, err
	}
	raw, err := s.Store.RunPreview(ctx, id)
	if err != nil {
		return nil, err
	}
	if raw == nil {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("run %d has no changes to show: it is %s", id, state.State)}
	}
	p, err := packed.Unpack[answer.Preview](raw)
	if err == nil {
		p.Run = state
	}
	return p, err
}

// List lists runs, the newest first.
func (s *Journal) List(ctx context.Context, named string, limit int, cursor string) (*answer.Runs, error) {
	before, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	if named != "" {
		d := s.History.Head().Folder.Directory(named)
		if d == nil {
			return nil, s.History.Head().Folder.Missing(named)
		}
		named = d.Name
	}
	rows, err := s.Store.Runs(ctx, named, int64(before), limit+1)
	if err != nil {
		return nil, err
	}
	runs := &answer.Runs{Runs: []answer.Run{}}
	rows, runs.Next = page.Cut(rows, limit, func(r *store.Run) int64 { return r.ID })
	for _, row := range rows {
		r, err := ofRow(row)
		if err != nil {
			return nil, err
		}
		runs.Runs = append(runs.Runs, r)
	}
	return runs, nil
}

// cutOff logs of runs that a stop or a crash cut off that it did.
func (s *Journal) cutOff(ctx context.Context) error {
	rows, err := s.Store.OpenRuns(ctx)
	if err != nil {
		return err
	}
	for _, row := range rows {
		r, err := ofRow(row)
		if err != nil {
			return err
		}
		r.State, r.Ended = answer.RunCutOff, new(time.Now())
		if r.Error == "" {
			r.Error = "the service was stopped before the run was committed"
		}
		if row, err = rowOf(r); err == nil {
			err = s.Store.UpdateRun(ctx, &row)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// begin logs a run and tells everyone of it.
func (s *Journal) begin(ctx context.Context, named string, how How, by operator.Actor) (*run, error) {
	r := &run{state: answer.Run{
		Directory: named, How: string(how), StartedBy: by.Name, State: answer.RunReading, Started: time.Now(),
		RunReport: answer.RunReport{Samples: []string{}, Version: 1},
	}}
	row, err := rowOf(r.state)
	if err != nil {
		return nil, err
	}
	if err := s.Store.BeginRun(ctx, &row, func(id int64) *store.Entry {
		if by.IsService() {
			return nil
		}
		return new(audit.Of(by, "intake", named, audit.Done, fmt.Sprintf("started run %d", id)))
	}); err != nil {
		return nil, err
	}
	r.state.ID = row.ID
	s.Events.Tell(events.Event{Run: new(r.state)})
	return r, nil
}

// update changes what a run says of itself, tells everyone, and logs it unless
// only its progress changed.
func (s *Journal) update(ctx context.Context, r *run, change func(*answer.Run), entries ...store.Entry) error {
	r.mu.Lock()
	before := r.state.State
	change(&r.state)
	if !r.state.State.Running() && !r.state.State.Open() && r.state.Ended == nil {
		r.state.Ended = new(time.Now())
		r.prepared = nil // the maps before and after are not needed any more
	}
	state := r.state
	r.mu.Unlock()
	defer s.Events.Tell(events.Event{Run: &state})
	if state.State == before {
		return nil
	}
	return s.logRun(ctx, r, entries...)
}

// logRun logs how far a run is.
func (s *Journal) logRun(ctx context.Context, r *run, entries ...store.Entry) error {
	r.mu.Lock()
	state, preview := r.state, r.preview
	r.mu.Unlock()
	row, err := rowOf(state)
	if err == nil && preview != nil {
		row.Preview, err = packed.Pack(preview)
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
	return s.Store.UpdateRun(ctx, &row, entries...)
}

// sameAgain counts a run that came by itself and changed nothing, where the one before was
// such a one, too: that one goes from the log, so that nothing new is one line.
func (s *Journal) sameAgain(ctx context.Context, r *run, row store.Run) (store.Run, error) {
	list, err := s.Store.Runs(ctx, row.Directory, row.ID, 1)
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
	return row, s.Store.RemoveRun(ctx, before.ID)
}

// fail ends a run that failed. The map is unchanged.
func (s *Journal) fail(ctx context.Context, r *run, err error) {
	state := answer.RunFailed
	if s.Closing.Err() != nil {
		state, err = answer.RunCutOff, errors.New("the service was stopped")
	}
	s.Log.Warn("intake failed", "directory", r.state.Directory, "run", r.state.ID, "error", err)
	if err := s.update(ctx, r, func(x *answer.Run) { x.State, x.Error = state, err.Error() }); err != nil {
		s.Log.Error("the log of a run cannot be written", "run", r.state.ID, "error", err)
	}
}
