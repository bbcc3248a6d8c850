package access

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/store"
)

// operatorName is what an operator may be called.
var operatorName = regexp.MustCompile(`^[a-zA-Z0-9][a-zA-Z0-9._@-]{0,63}$`)

// List lists the operators, by name.
func (s *Operators) List(ctx context.Context) (*answer.Operators, error) {
	list, err := s.store.Operators(ctx)
	if err != nil {
		return nil, err
	}
	all := &answer.Operators{Operators: []answer.Operator{}}
	for i := range list {
		all.Operators = append(all.Operators, *describeOperator(&list[i]))
	}
	return all, nil
}

func describeOperator(o *store.Operator) *answer.Operator {
	return &answer.Operator{
		Name: o.Name, Role: o.Role, Display: o.Display, Password: o.Password != "", TwoFactor: o.TOTP != "", Issuer: o.Issuer,
		Inactive: o.Inactive, Version: o.Version,
		Created: o.Created,
	}
}

// reservedNames are actors of the audit that are no operators.
var reservedNames = []string{operator.Service.Name, "host", "folder", "token", "push", "provider"}

// Set adds an operator, where version is 0, or changes that version of one.
// The error is an *answer.InvalidError, an *answer.MovedError or an *answer.ConflictError.
func (s *Operators) Set(
	ctx context.Context, by operator.Actor, named string, version int, in answer.OperatorChange,
) (*answer.Operator, error) {
	if !operatorName.MatchString(named) {
		return nil, answer.Invalid("name", named,
			"an operator's name has letters, digits and any of . _ @ -, at most 64 of them")
	}
	if slices.Contains(reservedNames, strings.ToLower(named)) {
		return nil, answer.Invalid("name", named, "this name stands in the audit for the service or its host; take another")
	}
	o, known, err := s.store.Operator(ctx, named)
	if err != nil {
		return nil, err
	}
	if !known {
		if version > 0 {
			return nil, &directory.NotFoundError{Kind: "operator", Name: named}
		}
		o = store.Operator{Name: named, Created: time.Now(), Role: string(operator.Viewer)}
	}
	if version > 0 && version != o.Version {
		return nil, &answer.MovedError{Message: fmt.Sprintf("operator %s has changed and is at version %d now: read it again",
			named, o.Version)}
	}
	changed, err := s.take(ctx, &o, in)
	if err != nil {
		return nil, err
	}
	if known {
		err = s.store.UpdateOperator(ctx, &o, audit.Of(by, "operator", o.Name, audit.Done, strings.Join(changed, ", ")))
		o.Version++
	} else {
		err = s.store.CreateOperator(ctx, &o, audit.Of(by, "operator", o.Name, audit.Done,
			strings.Join(append([]string{"new"}, changed...), ", ")))
	}
	switch {
	case errors.Is(err, store.ErrLastAdmin):
		return nil, lastAdmin(named)
	case errors.Is(err, store.ErrMoved) || errors.Is(err, store.ErrTaken):
		return nil, &answer.ConflictError{Message: fmt.Sprintf("operator %s was changed by someone else at the same time",
			named)}
	}
	return describeOperator(&o), errors.Join(err, s.tokens.read(ctx)) // what tokens can do depends on it
}

// take takes a change into an operator, and says what is changed.
func (s *Operators) take(
	ctx context.Context, o *store.Operator, in answer.OperatorChange,
) (changed []string, err error) {
	if in.Role != nil {
		role, err := operator.ParseRole(*in.Role)
		if err != nil {
			return nil, answer.Invalid("role", *in.Role, err.Error())
		}
		o.Role = string(role)
		changed = append(changed, "role "+o.Role)
	}
	if in.Display != nil {
		o.Display = *in.Display
	}
	if in.Password != nil {
		if err := s.setPassword(ctx, o, *in.Password); err != nil {
			return nil, err
		}
		changed = append(changed, "password")
	}
	if in.Issuer != nil {
		o.Issuer, o.Subject = *in.Issuer, ""
		changed = append(changed, "provider "+o.Issuer)
	}
	if in.Inactive != nil {
		o.Inactive = *in.Inactive
		changed = append(changed, fmt.Sprintf("inactive %t", o.Inactive))
	}
	return changed, nil
}

func (s *Operators) setPassword(ctx context.Context, o *store.Operator, password string) error {
	if err := operator.NewPassword(password, o.Name); err != nil {
		return answer.Invalid("password", "", err.Error())
	}
	return s.hashing.do(ctx, func() { o.Password = operator.HashPassword(password) })
}

// ChangeOwnPassword gives an operator who knows the password another one. The sessions and
// the tokens of that operator end. The error is an *answer.InvalidError or an
// *operator.ForbiddenError.
func (s *Operators) ChangeOwnPassword(ctx context.Context, by operator.Actor, old, fresh string) error {
	o, known, err := s.store.Operator(ctx, by.Name)
	if err != nil {
		return err
	}
	if !known || by.Systems != nil || o.Password == "" {
		return &operator.ForbiddenError{Actor: by, Reason: fmt.Sprintf("%s has no password here: there is none to change",
			by.Name)}
	}
	if wait := s.throttle.begin(name.Fold(o.Name), by.Origin, time.Now()); wait > 0 {
		return &WaitError{wait}
	}
	right := false
	if err := s.hashing.do(ctx, func() { right = operator.CheckPassword(o.Password, old) }); err != nil {
		return err
	}
	if !right {
		s.throttle.failed(name.Fold(o.Name), by.Origin, time.Now())
		s.audit.Refused(ctx, by, "operator", "the old password is wrong")
		return answer.Invalid("old", "", "this is not your password")
	}
	s.throttle.succeeded(name.Fold(o.Name), by.Origin)
	if err := s.setPassword(ctx, &o, fresh); err != nil {
		return err
	}
	err = s.store.UpdateOperator(ctx, &o, audit.Of(by, "operator", o.Name, audit.Done, "own password"))
	return errors.Join(err, s.tokens.read(ctx))
}

// SecondFactor makes the secret of an operator's second factor, and returns the
// address by which an authenticator takes it in: the only time that it is seen.
func (s *Operators) SecondFactor(ctx context.Context, by operator.Actor, named string) (*answer.SecondFactor, error) {
	o, known, err := s.store.Operator(ctx, named)
	if err != nil {
		return nil, err
	}
	if !known {
		return nil, &directory.NotFoundError{Kind: "operator", Name: named}
	}
	secret, address, err := operator.NewTOTP(o.Name)
	if err != nil {
		return nil, err
	}
	o.TOTP, o.Counter = secret, 0
	err = s.store.UpdateOperator(ctx, &o, audit.Of(by, "second factor", o.Name, audit.Done, ""))
	if err := errors.Join(err, s.tokens.read(ctx)); err != nil {
		return nil, err
	}
	return &answer.SecondFactor{Secret: secret, Address: address}, nil
}

// Remove removes an operator.
func (s *Operators) Remove(ctx context.Context, by operator.Actor, named string) error {
	o, known, err := s.store.Operator(ctx, named)
	if err != nil {
		return err
	}
	if !known {
		return &directory.NotFoundError{Kind: "operator", Name: named}
	}
	err = s.store.RemoveOperator(ctx, o.Name, audit.Of(by, "operator", o.Name, audit.Done, "removed"))
	if errors.Is(err, store.ErrLastAdmin) {
		return lastAdmin(o.Name)
	}
	return errors.Join(err, s.tokens.read(ctx))
}

// UntieManager lets a manager of groups be tied anew, at the next sign-in by a provider.
// The error is a *directory.NotFoundError.
func (s *Operators) UntieManager(ctx context.Context, by operator.Actor, user string) error {
	err := s.store.UntieManager(ctx, user, audit.Of(by, "manager", user, audit.Done, "untied"))
	if errors.Is(err, store.ErrMoved) {
		return &directory.NotFoundError{Kind: "manager who signed in by the provider", Name: user}
	}
	return err
}

func lastAdmin(named string) error {
	return &answer.ConflictError{Message: fmt.Sprintf("%s is the last admin: make someone else admin first", named)}
}
