package workspace

import (
	"context"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/store"
)

var _ answer.Observer = (*Folder)(nil)

// unkept keeps no readings: what is asked of a folder is read when it is asked.
type unkept struct{}

func (unkept) Readings(context.Context) ([]store.Reading, error)                 { return nil, nil }
func (unkept) ReadingBody(context.Context, string) ([]byte, error)               { return nil, nil }
func (unkept) KeepReading(context.Context, *store.Reading, ...store.Entry) error { return nil }

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

// Adopt begins a trial in which what was read of a system is what its document says.
func (f *Folder) Adopt(ctx context.Context, trial string, a answer.Adopting) (*answer.Trial, error) {
	files, err := f.readings.Adopted(ctx, a)
	if err != nil {
		return nil, err
	}
	return f.changes.Trials.BeginFrom(ctx, f.by, a.Named(trial), a.Note(), files)
}

// Adopt begins a trial in which what was read of a system is what its document says. A new system
// is connected to as the one who adopts it says, who must have the right to.
func (s *Service) Adopt(ctx context.Context, by operator.Actor, trial string, a answer.Adopting) (*answer.Trial, error) {
	if a.New {
		if err := s.Rights.MayReach(ctx, by, "the system "+a.System); err != nil {
			return nil, err
		}
	}
	files, err := s.Readings.Adopted(ctx, a)
	if err != nil {
		return nil, err
	}
	return s.Trials.BeginFrom(ctx, by, a.Named(trial), a.Note(), files)
}
