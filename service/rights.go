package service

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"gatemap/operator"
	"gatemap/stage"
	"gatemap/store"
)

// begun is a part of what is to be committed: by whom, and what they did.
type begun struct{ by, did string }

// mayCommit is nil if someone may commit something: they have the right to, for the
// whole map, and by the two-person rule began no part of it. The service itself is held
// to neither (docs/security.md, "Ways to a revision"). A refusal is in the audit.
func (s *Service) mayCommit(ctx context.Context, by operator.Actor, parts ...begun) error {
	err := by.May(operator.Commit)
	if err == nil && by.Systems != nil {
		err = &operator.ForbiddenError{Actor: by, Reason: fmt.Sprintf("%s is limited to %s, and a commit is for the whole map", by.Name, strings.Join(by.Systems, ", "))}
	}
	if err == nil {
		err = s.twoPersons(ctx, by, parts)
	}
	if err != nil {
		s.Refused(ctx, by, "commit", err.Error())
	}
	return err
}

// mayStage says whether someone may stage a change.
func mayStage(by operator.Actor, c *stage.Change) error {
	if by.Systems == nil {
		return nil
	}
	switch c.Do {
	case stage.AddLine, stage.ChangeLine, stage.MoveLine, stage.RemoveLine:
		if by.Sees(c.System) {
			return nil
		}
	}
	return &operator.ForbiddenError{Actor: by, Reason: fmt.Sprintf("%s may change lines of %s, and nothing else", by.Name, strings.Join(by.Systems, ", "))}
}

// mayTouch says whether someone may see, change and remove a trial: who is limited to
// some systems may only where they began it, and nobody staged anything else in it.
func mayTouch(by operator.Actor, t *store.Trial) error {
	if by.Systems == nil {
		return nil
	}
	var changes []staged
	err := json.Unmarshal(t.Changes, &changes)
	if err == nil && t.Author == by.Name && !slices.ContainsFunc(changes, func(c staged) bool { return mayStage(by, &c.Change) != nil }) {
		return nil
	}
	return &operator.ForbiddenError{Actor: by, Reason: fmt.Sprintf("%s is limited to %s, and to trials of its own with nothing else in them", by.Name, strings.Join(by.Systems, ", "))}
}

func (s *Service) twoPersons(ctx context.Context, by operator.Actor, parts []begun) error {
	if by.IsService() {
		return nil
	}
	settings, err := s.Settings(ctx)
	if err != nil || !settings.TwoPersons {
		return err
	}
	for _, p := range parts {
		if p.by == by.Name {
			return &operator.ForbiddenError{Actor: by, Reason: fmt.Sprintf("%s %s: by the two-person rule someone else must commit it", by.Name, p.did)}
		}
	}
	return nil
}
