package service

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
	"gatemap/store"
)

// operatorName is what an operator may be called.
var operatorName = regexp.MustCompile(`^[a-zA-Z0-9][a-zA-Z0-9._@-]{0,63}$`)

// Operators lists the operators, by name.
func (s *Service) Operators(ctx context.Context) (*answer.Operators, error) {
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
		Name: o.Name, Role: o.Role, Display: o.Display, Password: o.Password != "", TwoFactor: o.TOTP != "", Issuer: o.Issuer, Inactive: o.Inactive, Version: o.Version,
		Created: o.Created,
	}
}

// reservedNames are actors of the audit that are no operators.
var reservedNames = []string{operator.Service.Name, "host", "folder", "token", "push", "provider"}

// SetOperator adds an operator, where version is 0, or changes that version of one.
// The error is an *answer.Problem or an *answer.ConflictError.
func (s *Service) SetOperator(ctx context.Context, by operator.Actor, named string, version int, in answer.OperatorChange) (*answer.Operator, error) {
	if !operatorName.MatchString(named) {
		return nil, badField("name", named, "an operator's name has letters, digits and any of . _ @ -, at most 64 of them")
	}
	if slices.Contains(reservedNames, strings.ToLower(named)) {
		return nil, badField("name", named, "this name stands in the audit for the service or its host; take another")
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
		return nil, &answer.Problem{Title: "Changed by someone else", Status: 412, Detail: fmt.Sprintf("operator %s has changed and is at version %d now: read it again", named, o.Version)}
	}
	var changed []string
	if in.Role != nil {
		role, err := operator.ParseRole(*in.Role)
		if err != nil {
			return nil, badField("role", *in.Role, err.Error())
		}
		o.Role = string(role)
		changed = append(changed, "role "+o.Role)
	}
	if in.Display != nil {
		o.Display = *in.Display
	}
	if in.Password != nil {
		var wrong error
		if err := s.hashing.do(ctx, func() { o.Password, wrong = operator.HashPassword(*in.Password) }); err != nil {
			return nil, err
		}
		if wrong != nil {
			return nil, badField("password", "", wrong.Error())
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
	if err := s.adminStays(ctx, &o, false); err != nil {
		return nil, err
	}
	if known {
		err = s.store.UpdateOperator(ctx, &o)
		o.Version++
	} else {
		err = s.store.CreateOperator(ctx, &o)
		changed = append([]string{"new"}, changed...)
	}
	if errors.Is(err, store.ErrMoved) || errors.Is(err, store.ErrTaken) {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("operator %s was changed by someone else at the same time", named)}
	}
	if err == nil {
		err = s.note(ctx, by, "operator", o.Name, done, strings.Join(changed, ", "))
	}
	return describeOperator(&o), err
}

// SecondFactor makes the secret of an operator's second factor, and returns the
// address by which an authenticator takes it in: the only time that it is seen.
func (s *Service) SecondFactor(ctx context.Context, by operator.Actor, named string) (*answer.SecondFactor, error) {
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
	if err := s.store.UpdateOperator(ctx, &o); err != nil {
		return nil, err
	}
	return &answer.SecondFactor{Secret: secret, Address: address}, s.note(ctx, by, "second factor", o.Name, done, "")
}

// RemoveOperator removes an operator.
func (s *Service) RemoveOperator(ctx context.Context, by operator.Actor, named string) error {
	o, known, err := s.store.Operator(ctx, named)
	if err != nil {
		return err
	}
	if !known {
		return &directory.NotFoundError{Kind: "operator", Name: named}
	}
	if err := s.adminStays(ctx, &o, true); err != nil {
		return err
	}
	if err := s.store.RemoveOperator(ctx, o.Name); err != nil {
		return err
	}
	return s.note(ctx, by, "operator", o.Name, done, "removed")
}

// adminStays sees that someone is left who may administer.
func (s *Service) adminStays(ctx context.Context, o *store.Operator, gone bool) error {
	if !gone && !o.Inactive && o.Role == string(operator.Admin) {
		return nil
	}
	was, known, err := s.store.Operator(ctx, o.Name)
	if err != nil || !known || was.Inactive || was.Role != string(operator.Admin) {
		return err
	}
	for _, t := range s.keys.Load().All() {
		if t.Role == string(operator.Admin) && t.Holds(time.Now()) {
			return nil
		}
	}
	list, err := s.store.Operators(ctx)
	if err != nil {
		return err
	}
	for _, other := range list {
		if !strings.EqualFold(other.Name, o.Name) && !other.Inactive && other.Role == string(operator.Admin) {
			return nil
		}
	}
	return &answer.ConflictError{Message: fmt.Sprintf("%s is the last admin: make someone else admin first", o.Name)}
}

// Settings are the settings of the service.
func (s *Service) Settings(ctx context.Context) (*answer.Settings, error) {
	two, err := s.store.Setting(ctx, settingTwoPersons)
	return &answer.Settings{TwoPersons: two == "on"}, err
}

const settingTwoPersons = "two-persons"

// ChangeSettings writes settings. A version that is not 0 must be that of the settings as
// they are, else the error is an *answer.Problem.
func (s *Service) ChangeSettings(ctx context.Context, by operator.Actor, version int, in answer.Settings) (*answer.Settings, error) {
	s.committing.Lock()
	defer s.committing.Unlock()
	now, err := s.Settings(ctx)
	if err != nil {
		return nil, err
	}
	if version != 0 && version != now.Version() {
		return nil, &answer.Problem{Title: "Changed by someone else", Status: 412, Detail: "the settings have changed: read them again"}
	}
	value := "off"
	if in.TwoPersons {
		value = "on"
	}
	if err := s.store.Set(ctx, settingTwoPersons, value); err != nil {
		return nil, err
	}
	return &in, s.note(ctx, by, "setting", settingTwoPersons, done, value)
}

// FirstToken makes the first token and returns it, the only time that it is
// seen; "" if there was one ever, or an operator.
func (s *Service) FirstToken(ctx context.Context) (string, error) {
	token, err := s.store.FirstToken(ctx, "first", time.Now())
	if err != nil || token == "" {
		return "", err
	}
	return token, errors.Join(s.readKeys(ctx), s.note(ctx, operator.Service, "token", "first", done, "role admin"))
}

// recoveryLength is how long a token holds that a recovery makes.
const recoveryLength = 24 * time.Hour

// Recover makes an admin token for those who have the host, where no admin can sign in
// any more, and says what it is called. It holds for a day.
func (s *Service) Recover(ctx context.Context) (named, token string, err error) {
	now := time.Now()
	named = "recovery-" + now.UTC().Format("20060102-150405")
	made, err := s.CreateToken(ctx, operator.Actor{Name: "host", Role: operator.Admin, How: "host"}, answer.TokenChange{
		Name: named, Role: string(operator.Admin), Expires: new(now.Add(recoveryLength)),
	})
	if err != nil {
		return "", "", err
	}
	return named, made.Token, nil
}

// Tokens lists the tokens, by name.
func (s *Service) Tokens() *answer.Tokens {
	all := &answer.Tokens{Tokens: []answer.TokenInfo{}}
	for _, t := range s.keys.Load().All() {
		all.Tokens = append(all.Tokens, describeToken(&t))
	}
	return all
}

func describeToken(t *store.Token) answer.TokenInfo {
	d := answer.TokenInfo{Name: t.Name, Role: t.Role, Author: t.Author, Created: t.Created, Systems: t.Systems, User: t.User, Directory: t.Directory, Expired: !t.Holds(time.Now())}
	if !t.Expires.IsZero() {
		d.Expires = &t.Expires
	}
	return d
}

// CreateToken creates a token and returns it: the only time that it is shown.
func (s *Service) CreateToken(ctx context.Context, by operator.Actor, in answer.TokenChange) (*answer.Token, error) {
	t := store.Token{Name: in.Name, Role: in.Role, Author: by.Name, Created: time.Now(), Systems: in.Systems}
	if !operatorName.MatchString(in.Name) {
		return nil, badField("name", in.Name, "a token's name has letters, digits and any of . _ @ -, at most 64 of them")
	}
	if in.User != "" {
		u, err := s.Head().Atlas.Book.FindUser(in.User, "")
		if err != nil {
			return nil, err
		}
		t.Role, t.User = string(operator.Manager), s.Head().Atlas.Book.UserName(u)
	} else if _, err := operator.ParseRole(in.Role); err != nil {
		return nil, badField("role", in.Role, err.Error())
	}
	for i, system := range in.Systems {
		x, err := s.Head().Atlas.System(system)
		if err != nil {
			return nil, err
		}
		t.Systems[i] = x.Name()
	}
	if in.Expires != nil {
		if t.Expires = *in.Expires; !t.Holds(t.Created) {
			return nil, badField("expires", in.Expires.Format(time.RFC3339), "a token ends in the future")
		}
	}
	token, err := s.store.CreateToken(ctx, t, false)
	if errors.Is(err, store.ErrTaken) {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("there is a token %s already", t.Name)}
	}
	if err != nil {
		return nil, err
	}
	return &answer.Token{Token: token}, errors.Join(s.readKeys(ctx), s.note(ctx, by, "token", t.Name, done, "role "+t.Role))
}

// RevokeToken ends a token. The error is a *directory.NotFoundError.
func (s *Service) RevokeToken(ctx context.Context, by operator.Actor, named string) error {
	err := s.store.RevokeToken(ctx, named)
	if errors.Is(err, store.ErrMoved) {
		return &directory.NotFoundError{Kind: "token", Name: named, Near: name.Near(named, func(yield func(string) bool) {
			for _, t := range s.keys.Load().All() {
				if !yield(t.Name) {
					return
				}
			}
		})}
	}
	if err != nil {
		return err
	}
	return errors.Join(s.readKeys(ctx), s.note(ctx, by, "token", named, done, "ended"))
}

// CreatePushToken makes the token by which the records of a directory are pushed. The
// error is a *directory.NotFoundError, or says that nothing is pushed to it.
func (s *Service) CreatePushToken(ctx context.Context, by operator.Actor, named string) (string, error) {
	d := s.Head().Folder.directory(named)
	switch {
	case d == nil:
		return "", s.Head().Folder.missing(named)
	case d.Source == nil || d.Source.SCIM == nil:
		return "", &answer.ConflictError{Message: fmt.Sprintf("directory %s does not take pushes; give it source: {scim: {}}", d.Name)}
	}
	token, err := s.store.CreateToken(ctx, store.Token{Name: "push to " + d.Name, Role: "push", Author: by.Name, Created: time.Now(), Directory: d.Name}, true)
	return token, errors.Join(err, s.readKeys(ctx), s.note(ctx, by, "token", "push to "+d.Name, done, "role push"))
}

func (s *Service) readKeys(ctx context.Context) error {
	keys, err := s.store.Tokens(ctx)
	if err == nil {
		s.keys.Store(keys)
	}
	return err
}

// Pushes says to which directory a token pushes; "" for none.
func (s *Service) Pushes(token string) string {
	if t, known := s.keys.Load().Find(token); known && t.Holds(time.Now()) {
		return t.Directory
	}
	return ""
}
