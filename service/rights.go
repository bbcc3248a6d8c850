package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gatemap/operator"
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

// mayConnect is nil if someone may make the change from one folder to another: they have
// the right to connect, or it neither adds nor changes what the map connects to and reads
// on the host. A refusal is in the audit.
func (s *Service) mayConnect(ctx context.Context, by operator.Actor, before, after *Folder) error {
	was := before.targets()
	for directory, target := range after.targets() {
		if target == was[directory] || by.IsService() {
			continue
		}
		err := by.May(operator.Connect)
		if err != nil && !by.Program {
			settings, failed := s.Settings(ctx)
			if failed != nil {
				return failed
			}
			if slices.ContainsFunc(settings.Connect, func(n string) bool { return strings.EqualFold(n, by.Name) }) {
				err = nil
			}
		}
		if err != nil {
			s.Refused(ctx, by, "connect", err.Error())
			return &operator.ForbiddenError{Actor: by, Reason: fmt.Sprintf("this changes where the records of directory %s come from: %v", directory, err)}
		}
	}
	return nil
}

// exempt says for the audit that the two-person rule, where it is on, does not apply to
// something; "" where it is off.
func (s *Service) exempt(ctx context.Context, what string) (string, error) {
	settings, err := s.Settings(ctx)
	if err != nil || !settings.TwoPersons {
		return "", err
	}
	return what, nil
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
