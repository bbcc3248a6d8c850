package workspace

import (
	"context"
	"slices"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/finding"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/proposed"
	"gatemap/service/query"
	"gatemap/service/readings"
	"gatemap/stage"
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
	return adopted(ctx, adopting{f.readings, f.changes.Trials, *f.readings.Host}, f.by, trial, a)
}

// Adopt begins a trial in which what is really there is what the map says. What the map does not have
// yet is connected to as the one who adopts it says, who must have the right to.
func (s *Service) Adopt(
	ctx context.Context,
	by operator.Actor,
	trial string,
	a answer.Adopting,
) (*answer.Adopted, error) {
	whose := "the system " + a.System
	if a.Directory != "" {
		whose = "the directory " + a.System
	}
	if a.New || a.Directory != "" {
		if err := s.Rights.MayReach(ctx, by, whose); err != nil {
			return nil, err
		}
	}
	return adopted(ctx, adopting{s.Readings, s.Trials, s.host}, by, trial, a)
}

// adopting is what it takes to adopt.
type adopting struct {
	readings *readings.Readings
	trials   *changeset.Trials
	host     connect.Host
}

func adopted(
	ctx context.Context, with adopting, by operator.Actor, trial string, a answer.Adopting,
) (*answer.Adopted, error) {
	if a.Lines != nil && (a.New || a.Type+a.Link+a.Directory != "") {
		return nil, answer.Invalid("lines", "",
			"lines are of the drift of a system that the map has: leave out new, type, link and directory")
	}
	var files map[string]string
	var changes []stage.Change
	var steps []answer.Step
	var err error
	right := func(*query.Head) error { return nil }
	switch {
	case a.Directory != "":
		head := with.readings.Head()
		files, steps, err = proposed.Directory(ctx, head, with.host, a.System, a.Directory)
		if err == nil {
			changes, err = head.Folder.Files.Differing(files)
		}
	case a.Lines != nil:
		changes, right, err = with.readings.AdoptedLines(ctx, a.System, a.Lines)
	default:
		changes, err = with.readings.Adopted(ctx, a)
	}
	if err != nil {
		return nil, err
	}
	t, err := with.trials.BeginWith(ctx, by, a.Named(trial), a.Note(), changes, right)
	if err != nil {
		return nil, err
	}
	return &answer.Adopted{Trial: *t, Steps: steps}, nil
}
