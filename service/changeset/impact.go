package changeset

import (
	"context"

	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/stage"
)

// Impact says what a change would do on top of a trial, or of the revision in force
// where none is named, before it is staged.
func (s *Outcomes) Impact(
	ctx context.Context,
	named string,
	c stage.Change,
	in situation.Situation,
) (*answer.Impact, error) {
	head, err := s.bench.AskedHead(ctx, named)
	if err != nil {
		return nil, err
	}
	c.Was, c.Beside = nil, nil
	w := &tried{head: head, changes: []stage.Signed{{Change: c}}}
	var impact *answer.Impact
	if stopped := s.bench.atWork(ctx, func() { impact, err = w.impact(named, in) }); stopped != nil {
		return nil, stopped
	}
	return impact, err
}

func (w *tried) impact(named string, in situation.Situation) (*answer.Impact, error) {
	if w.try(); w.err != nil {
		return nil, badChange(0, 1, w.err)
	}
	out, err := w.outcome(named, Outcoming{Situation: in, Limit: 50})
	if err != nil {
		return nil, err
	}
	return &answer.Impact{Sentence: w.changes[0].Sentence(), Passes: w.draft.Passed, Turned: w.turns(), Outcome: *out}, nil
}
