package service

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/store"
)

func rowOf(r answer.Run) (store.Run, error) {
	report, err := json.Marshal(r.RunReport)
	row := store.Run{ID: r.ID, Directory: r.Directory, How: r.How, StartedBy: r.StartedBy, State: string(r.State), Started: r.Started, Revision: r.Revision, Report: report}
	if r.Ended != nil {
		row.Ended = *r.Ended
	}
	return row, err
}

func ofRow(row store.Run) (answer.Run, error) {
	r := answer.Run{ID: row.ID, Directory: row.Directory, How: row.How, StartedBy: row.StartedBy, State: answer.RunState(row.State), Started: row.Started, Revision: row.Revision}
	if !row.Ended.IsZero() {
		r.Ended = &row.Ended
	}
	err := json.Unmarshal(row.Report, &r.RunReport)
	return r, err
}

// Run is one run. The error is a *directory.NotFoundError.
func (s *Service) Run(ctx context.Context, id int64) (answer.Run, error) {
	row, ok, err := s.store.Run(ctx, id)
	if err != nil {
		return answer.Run{}, err
	}
	if !ok {
		return answer.Run{}, &directory.NotFoundError{Kind: "run", Name: fmt.Sprint(id)}
	}
	return ofRow(row)
}

// Preview is what a run changes or changed, for as long as it is in the log.
func (s *Service) Preview(ctx context.Context, id int64) (*answer.Preview, error) {
	state, err := s.Run(ctx, id)
	if err != nil {
		return nil, err
	}
	raw, err := s.store.RunPreview(ctx, id)
	if err != nil {
		return nil, err
	}
	if raw == nil {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("run %d has no changes to show: it is %s", id, state.State)}
	}
	p, err := unpacked(raw)
	if err == nil {
		p.Run = state
	}
	return p, err
}

// packed is a preview as the log keeps it.
func packed(p *answer.Preview) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	err := errors.Join(json.NewEncoder(z).Encode(p), z.Close())
	return b.Bytes(), err
}

func unpacked(raw []byte) (*answer.Preview, error) {
	z, err := gzip.NewReader(bytes.NewReader(raw))
	if err != nil {
		return nil, err
	}
	p := &answer.Preview{}
	return p, json.NewDecoder(z).Decode(p)
}

// Runs lists runs, the newest first.
func (s *Service) Runs(ctx context.Context, named string, limit int, cursor string) (*answer.Runs, error) {
	before, err := readCursor(cursor)
	if err != nil {
		return nil, err
	}
	if named != "" {
		d := s.Head().Folder.directory(named)
		if d == nil {
			return nil, s.Head().Folder.missing(named)
		}
		named = d.Name
	}
	rows, err := s.store.Runs(ctx, named, int64(before), limit+1)
	if err != nil {
		return nil, err
	}
	runs := &answer.Runs{Runs: []answer.Run{}}
	rows, runs.Next = page(rows, limit, func(r *store.Run) int64 { return r.ID })
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
func (s *Service) cutOff(ctx context.Context) error {
	rows, err := s.store.OpenRuns(ctx)
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
			err = s.store.UpdateRun(ctx, &row)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
