package access

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/store"
)

// SessionLength is how long a session in the console holds.
const SessionLength = 12 * time.Hour

// What everyone is told whose sign-in fails, whatever was wrong.
var (
	wrongSignIn = &SignInError{"name, password and code do not fit together"}
	wrongToken  = &SignInError{"this is not a token of this service"}
)

// BySession is who acts in a session; ok is false if it does not hold.
func (s *Sessions) BySession(ctx context.Context, session string) (a operator.Actor, ok bool, err error) {
	if session == "" {
		return a, false, nil
	}
	x, ok, err := s.store.Session(ctx, session, time.Now())
	if err != nil || !ok {
		return a, false, err
	}
	switch {
	case x.Operator != "":
		o, known, err := s.store.Operator(ctx, x.Operator)
		if err != nil || !known || o.Inactive {
			return a, false, err
		}
		return operator.Actor{Name: o.Name, Role: operator.Role(o.Role), How: x.How}, true, nil
	case x.Token != "":
		for _, t := range s.tokens.keys.Load().All() {
			if t.Name == x.Token && t.Holds(time.Now()) {
				return tokenActor(&t), true, nil
			}
		}
		return a, false, nil
	}
	return operator.Actor{Name: x.User, Role: operator.Manager, How: x.How, User: x.User}, true, nil
}

// SignIn is how someone signs in: with a token, or with a name, a password and,
// where there is a second factor, a code.
type SignIn struct{ Token, Name, Password, Code string }

// SignIn gives out a session. The error is a *SignInError, a *WaitError,
// a *BusyError, or an *answer.InvalidError.
func (s *Sessions) SignIn(ctx context.Context, in SignIn, origin string) (session string, a operator.Actor, err error) {
	now := time.Now()
	as := in.Name
	switch {
	case (in.Token == "") == (in.Name == ""):
		return "", a, answer.Invalid("name", in.Name, "give a token, or a name and a password, and not both")
	case in.Token != "":
		as = "token"
	}
	if wait := s.throttle.begin(name.Fold(in.Name), origin, now); wait > 0 {
		return "", a, errors.Join(
			&WaitError{wait},
			s.audit.Note(ctx, operator.Actor{Name: as, Origin: origin}, "sign-in", "", audit.Refused, "too many tries"),
		)
	}
	x, a, err := s.check(ctx, in, now)
	if err == nil {
		x.Expires = now.Add(SessionLength)
		if session, err = s.store.BeginSession(ctx, x); err != nil {
			return "", a, err
		}
	}
	result := audit.Done
	switch {
	case err == nil:
		s.throttle.succeeded(name.Fold(in.Name), origin)
	case errors.Is(err, errBusy):
		s.throttle.takeBack(name.Fold(in.Name), origin) // nothing was tried
	default:
		s.throttle.failed(name.Fold(in.Name), origin, time.Now())
	}
	if err != nil {
		a.Name, result = as, audit.Refused
	}
	a.Origin = origin
	return session, a, errors.Join(err, s.audit.Note(ctx, a, "sign-in", "", result, x.How))
}

// check looks at what someone signs in with.
func (s *Sessions) check(ctx context.Context, in SignIn, now time.Time) (x store.Session, a operator.Actor, err error) {
	if in.Token != "" {
		a, ok := s.tokens.ByToken(in.Token)
		if !ok {
			return store.Session{How: "token"}, a, wrongToken
		}
		return store.Session{Token: in.Token, How: "token"}, a, nil
	}
	x = store.Session{How: "password"}
	o, known, err := s.store.Operator(ctx, in.Name)
	if err != nil {
		return x, a, err
	}
	right := false
	if err := s.hashing.do(ctx, func() { right = operator.CheckPassword(o.Password, in.Password) }); err != nil {
		return x, a, err
	}
	if !known || !right || o.Inactive {
		return x, a, wrongSignIn
	}
	if o.TOTP != "" {
		x.How = "password and code"
		counter, ok := operator.CheckTOTP(o.TOTP, in.Code, now)
		if ok {
			ok, err = s.store.UseCode(ctx, o.Name, counter)
		}
		if err != nil || !ok {
			return x, a, errors.Join(err, wrongSignIn)
		}
	}
	x.Operator = o.Name
	return x, operator.Actor{Name: o.Name, Role: operator.Role(o.Role), How: x.How}, nil
}

// SignInBy gives out a session for someone whom a provider of OpenID Connect has
// signed in: an operator whom it knows by the subject, or who is to be known by this
// name, or else a user who manages groups.
func (s *Sessions) SignInBy(ctx context.Context, issuer, subject, named, origin string) (session string, err error) {
	x := store.Session{How: "provider", Expires: time.Now().Add(SessionLength)}
	o, known, err := s.store.OperatorBySubject(ctx, issuer, subject)
	if err != nil {
		return "", err
	}
	if !known {
		if o, known, err = s.store.Operator(ctx, named); err != nil {
			return "", err
		}
		// An operator is tied to the subject at the first sign-in, and to no other.
		if known = known && o.Subject == "" && o.Issuer == issuer; known {
			o.Subject = subject
			if err := s.store.UpdateOperator(ctx, &o, audit.Of(operator.Actor{Name: o.Name, Origin: origin}, "operator", o.Name,
				audit.Done, "tied to a subject of "+issuer)); err != nil {
				return "", err
			}
		}
	}
	a := operator.Actor{Name: named, Origin: origin, How: x.How}
	switch user, manages := s.manager(named); {
	case known && !o.Inactive:
		x.Operator, a.Name = o.Name, o.Name
	case manages && !known:
		if err := s.tie(ctx, a, user, issuer, subject); err != nil {
			return "", err
		}
		x.User, a.Name = user, user
	default:
		problem := &StrangerError{
			fmt.Sprintf("%s is no operator here, and manages no group; an admin can add operators", named),
		}
		return "", errors.Join(
			problem,
			s.audit.Note(ctx, a, "sign-in", "", audit.Refused, "provider: no operator, and no manager of a group"),
		)
	}
	if session, err = s.store.BeginSession(ctx, x); err != nil {
		return "", err
	}
	return session, s.audit.Note(ctx, a, "sign-in", "", audit.Done, "provider")
}

// tie ties a manager to the account of the provider, and to no other.
func (s *Sessions) tie(ctx context.Context, a operator.Actor, user, issuer, subject string) error {
	tied, err := s.store.TieManager(ctx, user, issuer, subject, audit.Of(
		operator.Actor{Name: user, Origin: a.Origin}, "manager", user, audit.Done, "tied to a subject of "+issuer))
	if err != nil || tied {
		return err
	}
	problem := &StrangerError{fmt.Sprintf(
		"%s signed in before as another account of the provider, or that account as someone else; "+
			"an admin can untie them: gatemap operator untie %s", user, user)}
	return errors.Join(problem, s.audit.Note(ctx, a, "sign-in", "", audit.Refused,
		"provider: "+user+" is tied to another subject"))
}

// manager finds the active user by a name who manages groups.
func (s *Sessions) manager(named string) (user string, ok bool) {
	book := s.history.Head().Atlas.Book
	u, err := book.LookUser(named, "")
	if err != nil || !book.User(u).IsActive() {
		return "", false
	}
	for g := range book.AllGroups {
		if book.Manages(u, g) {
			return book.UserName(u), true
		}
	}
	return "", false
}

// SignOut ends a session.
func (s *Sessions) SignOut(ctx context.Context, session string) error {
	a, ok, err := s.BySession(ctx, session)
	if err != nil || !ok {
		return err
	}
	return errors.Join(s.store.EndSession(ctx, session, time.Now()), s.audit.Note(ctx, a, "sign-out", "", audit.Done, ""))
}
