package workspace

import (
	"context"
	"slices"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/finding"
	"gatemap/operator"
	"gatemap/service/proposed"
	"gatemap/service/query"
	"gatemap/service/readings"
	"gatemap/store"
)

var _ answer.Observer = (*Folder)(nil)

// unkept keeps no readings: what is asked of a folder is read when it is asked.
type unkept struct{}

func (unkept) Readings(context.Context) ([]store.Reading, error)                 { return nil, nil }
func (unkept) ReadingBody(context.Context, string) ([]byte, error)               { return nil, nil }
func (unkept) KeepReading(context.Context, *store.Reading, ...store.Entry) error { return nil }

// Observed is what is found in the systems that are linked: what they hold, and what did not arrive there;
// and in the accounts of directories that are written.
func (s *Service) Observed(ctx context.Context) []finding.Finding {
	return slices.Concat(s.Readings.Findings(ctx), s.Deliveries.Findings(ctx), s.Accounts.Findings(ctx))
}

// Linked lists the systems that have a link.
func (f *Folder) Linked(ctx context.Context) (*answer.LinkedSystems, error) {
	return f.readings.List(ctx)
}

// Observe reads a system.
func (f *Folder) Observe(ctx context.Context, system string) (*answer.Linked, error) {
	return f.readings.Read(ctx, f.by, system)
}

// Drifts tells how systems differ from the map.
func (f *Folder) Drifts(ctx context.Context, system string, asked answer.DriftAsked) (*answer.Drifts, error) {
	return f.readings.Drifts(ctx, system, asked)
}

// Really answers from what systems hold now.
func (f *Folder) Really(context.Context) (answer.Holdings, error) { return f.readings.Really(), nil }

// Adopt begins a trial in which what is really there is what the map says.
func (f *Folder) Adopt(ctx context.Context, trial string, a answer.Adopting) (*answer.Adopted, error) {
	files, steps, err := adopted(ctx, f.readings, f.readings.Head(), *f.readings.Host, a)
	if err != nil {
		return nil, err
	}
	t, err := f.changes.Trials.BeginFrom(ctx, f.by, a.Named(trial), a.Note(), files)
	return begun(t, steps, err)
}

// Adopt begins a trial in which what is really there is what the map says. What the map does not have
// yet is connected to as the one who adopts it says, who must have the right to.
func (s *Service) Adopt(ctx context.Context, by operator.Actor, trial string, a answer.Adopting) (*answer.Adopted, error) {
	whose := "the system " + a.System
	if a.Directory != "" {
		whose = "the directory " + a.System
	}
	if a.New || a.Directory != "" {
		if err := s.Rights.MayReach(ctx, by, whose); err != nil {
			return nil, err
		}
	}
	files, steps, err := adopted(ctx, s.Readings, s.Head(), s.host, a)
	if err != nil {
		return nil, err
	}
	t, err := s.Trials.BeginFrom(ctx, by, a.Named(trial), a.Note(), files)
	return begun(t, steps, err)
}

func adopted(ctx context.Context, r *readings.Readings, head *query.Head, host connect.Host, a answer.Adopting) (map[string]string, []answer.Step, error) {
	if a.Directory != "" {
		return proposed.Directory(ctx, head, host, a.System, a.Directory)
	}
	files, err := r.Adopted(ctx, a)
	return files, nil, err
}

func begun(t *answer.Trial, steps []answer.Step, err error) (*answer.Adopted, error) {
	if err != nil {
		return nil, err
	}
	return &answer.Adopted{Trial: *t, Steps: steps}, nil
}
