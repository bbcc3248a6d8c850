// Package rights says who may change the map: the rights of roles, the two-person rule, who may
// say where records come from. Refusals are in the audit.
package rights

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/content"
	"gatemap/service/history"
	"gatemap/store"
)

// Rights says who may change one map.
type Rights struct {
	store   *store.Store
	audit   *audit.Log
	history *history.History
}

// New makes the rights to change the map of a store.
func New(st *store.Store, log *audit.Log, h *history.History) *Rights {
	return &Rights{store: st, audit: log, history: h}
}

// Begun is a part of what is to be committed: by whom, and what they did.
type Begun struct{ By, Did string }

// MayCommit is nil if someone may commit something: they have the right to, for the
// whole map, and by the two-person rule began no part of it. The service itself is held
// to neither (docs/security.md, "Ways to a revision"). A refusal is in the audit.
func (s *Rights) MayCommit(ctx context.Context, by operator.Actor, parts ...Begun) error {
	err := by.May(operator.Commit)
	if err == nil && by.Systems != nil {
		err = &operator.ForbiddenError{
			Actor: by,
			Reason: fmt.Sprintf(
				"%s is limited to %s, and a commit is for the whole map",
				by.Name,
				strings.Join(by.Systems, ", "),
			),
		}
	}
	if err == nil {
		err = s.twoPersons(ctx, by, parts)
	}
	if err != nil {
		s.audit.Refused(ctx, by, "commit", err.Error())
	}
	return err
}

// MayConnect is nil if someone may make the change from one folder to another: they have
// the right to connect, or it neither adds nor changes what the map connects to and reads
// on the host; and the right to deliver, or it lets commits change nothing more elsewhere, in systems
// or directories. A refusal is in the audit.
func (s *Rights) MayConnect(ctx context.Context, by operator.Actor, before, after *content.Folder) error {
	already := content.Unasked(before)
	for what, how := range content.Unasked(after) {
		was, is := already[what]
		if err := by.May(operator.Deliver); err != nil && (!is || was != how) && !by.IsService() {
			s.audit.Refused(ctx, by, "deliver", err.Error())
			return &operator.ForbiddenError{
				Actor:  by,
				Reason: fmt.Sprintf("this lets commits change %s elsewhere: %v", what, err),
			}
		}
	}
	was := content.Targets(before)
	for whose, target := range content.Targets(after) {
		if target == was[whose] || by.IsService() {
			continue
		}
		return s.MayReach(ctx, by, strings.ToLower(whose))
	}
	return nil
}

// MayReach is nil if someone may say what something of the map connects to, or reads on the host.
// A refusal is in the audit.
func (s *Rights) MayReach(ctx context.Context, by operator.Actor, whose string) error {
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
		s.audit.Refused(ctx, by, "connect", err.Error())
		return &operator.ForbiddenError{
			Actor:  by,
			Reason: fmt.Sprintf("this says what %s connects to or reads: %v", whose, err),
		}
	}
	return nil
}

// MayDeliver is nil if someone may deliver to a system: they have the right to, and by the
// two-person rule did not begin the delivery. A refusal is in the audit.
func (s *Rights) MayDeliver(ctx context.Context, by operator.Actor, system string, parts ...Begun) error {
	err := by.May(operator.Deliver)
	if err == nil && !by.Sees(system) {
		err = &operator.ForbiddenError{
			Actor:  by,
			Reason: fmt.Sprintf("%s is limited to %s", by.Name, strings.Join(by.Systems, ", ")),
		}
	}
	if err == nil {
		err = s.twoPersons(ctx, by, parts)
	}
	if err != nil {
		s.audit.Refused(ctx, by, "deliver", err.Error())
	}
	return err
}

// Exempt says for the audit that the two-person rule, where it is on, does not apply to
// something; "" where it is off.
func (s *Rights) Exempt(ctx context.Context, what string) (string, error) {
	settings, err := s.Settings(ctx)
	if err != nil || !settings.TwoPersons {
		return "", err
	}
	return what, nil
}

func (s *Rights) twoPersons(ctx context.Context, by operator.Actor, parts []Begun) error {
	if by.IsService() {
		return nil
	}
	settings, err := s.Settings(ctx)
	if err != nil || !settings.TwoPersons {
		return err
	}
	for _, p := range parts {
		if p.By == by.Name {
			return &operator.ForbiddenError{
				Actor:  by,
				Reason: fmt.Sprintf("%s %s: by the two-person rule someone else must commit it", by.Name, p.Did),
			}
		}
	}
	return nil
}
