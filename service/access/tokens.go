package access

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/content"
	"gatemap/store"
)

// First makes the first token and returns it, the only time that it is
// seen; "" if there was one ever, or an operator.
func (s *Tokens) First(ctx context.Context) (string, error) {
	token, err := s.store.FirstToken(
		ctx,
		"first",
		time.Now(),
		audit.Of(operator.Service, "token", "first", audit.Done, "role admin"),
	)
	if err != nil || token == "" {
		return "", err
	}
	return token, s.read(ctx)
}

// recoveryLength is how long a token holds that a recovery makes.
const recoveryLength = 24 * time.Hour

// Recover makes an admin token for those who have the host, where no admin can sign in
// any more, and says what it is called. It holds for a day.
func (s *Tokens) Recover(ctx context.Context) (named, token string, err error) {
	now := time.Now()
	named = "recovery-" + now.UTC().Format("20060102-150405")
	made, err := s.Create(ctx, operator.Actor{Name: store.Host, Role: operator.Admin, How: "host"}, answer.TokenChange{
		Name: named, Role: string(operator.Admin), Expires: new(now.Add(recoveryLength)),
	})
	if err != nil {
		return "", "", err
	}
	return named, made.Token, nil
}

// List lists the tokens that someone may see, by name: an admin all of them, others
// their own.
func (s *Tokens) List(by operator.Actor) *answer.Tokens {
	all := &answer.Tokens{Tokens: []answer.TokenInfo{}, Services: []answer.TokenInfo{}}
	for _, t := range s.keys.Load().All() {
		switch {
		case !ownToken(by, &t):
		case t.Owner == "" && t.User == "":
			all.Services = append(all.Services, describeToken(&t))
		default:
			all.Tokens = append(all.Tokens, describeToken(&t))
		}
	}
	return all
}

// ownToken says whether someone may see and revoke a token.
func ownToken(by operator.Actor, t *store.Token) bool {
	return by.May(operator.Administer) == nil || t.Owner != "" && strings.EqualFold(t.Owner, by.Name)
}

func describeToken(t *store.Token) answer.TokenInfo {
	d := answer.TokenInfo{
		Name: t.Name, Role: t.Role, Owner: t.Owner, Author: t.Author, Created: t.Created, Systems: t.Systems,
		User: t.User, Directory: t.Directory, Expired: !t.Holds(time.Now()),
	}
	if !t.Expires.IsZero() {
		d.Expires = &t.Expires
	}
	return d
}

// Create creates a token and returns it: the only time that it is shown. It is of
// whoever makes it, unless it is of a service or of a manager of groups, which takes an
// admin. The error is an *answer.InvalidError, an *answer.ConflictError or an
// *operator.ForbiddenError.
func (s *Tokens) Create(ctx context.Context, by operator.Actor, in answer.TokenChange) (*answer.Token, error) {
	t := store.Token{Name: in.Name, Role: in.Role, Author: by.Name, Created: time.Now(), Systems: in.Systems}
	if !operatorName.MatchString(in.Name) {
		return nil, answer.Invalid(
			"name",
			in.Name,
			"a token's name has letters, digits and any of . _ @ -, at most 64 of them",
		)
	}
	if err := s.tokenOf(by, &t, in); err != nil {
		return nil, err
	}
	for i, system := range in.Systems {
		x, err := s.history.Head().Atlas.System(system)
		if err != nil {
			return nil, err
		}
		t.Systems[i] = x.Name()
	}
	if in.Expires != nil {
		if t.Expires = *in.Expires; !t.Expires.After(t.Created) {
			return nil, answer.Invalid("expires", in.Expires.Format(time.RFC3339), "a token ends in the future")
		}
	}
	token, err := s.store.CreateToken(ctx, t, false, audit.Of(by, "token", t.Name, audit.Done, "role "+t.Role))
	if errors.Is(err, store.ErrTaken) {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("there is a token %s already", t.Name)}
	}
	if err != nil {
		return nil, err
	}
	return &answer.Token{Token: token}, s.read(ctx)
}

// tokenOf says whose a new token is, and with which role.
func (s *Tokens) tokenOf(by operator.Actor, t *store.Token, in answer.TokenChange) error {
	if in.User != "" {
		if err := by.May(operator.Administer); err != nil {
			return err
		}
		u, err := s.history.Head().Atlas.Book.FindUser(in.User, "")
		if err != nil {
			return err
		}
		t.Role, t.User = string(operator.Manager), s.history.Head().Atlas.Book.UserName(u)
		return nil
	}
	role, err := operator.ParseRole(in.Role)
	if err != nil {
		return answer.Invalid("role", in.Role, err.Error())
	}
	if in.Service {
		return by.May(operator.Administer)
	}
	t.Owner = by.Name
	if by.IsService() {
		t.Owner = store.Host
	}
	switch {
	case by.Program || by.Systems != nil || by.Token != "" && by.May(operator.Administer) != nil:
		return &operator.ForbiddenError{Actor: by, Reason: "a token makes no other token: sign in to the console to make one"}
	case operator.Least(role, by.Role) != role:
		return answer.Invalid(
			"role",
			in.Role,
			fmt.Sprintf("a token of yours can have your own role, %s, or a weaker one", by.Role),
		)
	}
	return nil
}

// Revoke ends a token. The error is a *directory.NotFoundError.
func (s *Tokens) Revoke(ctx context.Context, by operator.Actor, named string) error {
	all := s.keys.Load().All()
	i := slices.IndexFunc(all, func(t store.Token) bool { return strings.EqualFold(t.Name, named) })
	err := store.ErrMoved
	if i >= 0 && ownToken(by, &all[i]) {
		err = s.store.RevokeToken(ctx, named, audit.Of(by, "token", all[i].Name, audit.Done, "revoked"))
	}
	if errors.Is(err, store.ErrMoved) {
		return &directory.NotFoundError{Kind: "token", Name: named, Near: name.Near(named, func(yield func(string) bool) {
			for _, t := range all {
				if ownToken(by, &t) && !yield(t.Name) {
					return
				}
			}
		})}
	}
	if err != nil {
		return err
	}
	return s.read(ctx)
}

// CreatePush makes the token by which the records of a directory are pushed. The
// error is a *directory.NotFoundError, or says that nothing is pushed to it.
func (s *Tokens) CreatePush(ctx context.Context, by operator.Actor, named string) (string, error) {
	d := s.history.Head().Folder.Directory(named)
	switch {
	case d == nil:
		return "", s.history.Head().Folder.Missing(named)
	case !content.Pushed(d.Source):
		return "", &answer.ConflictError{
			Message: fmt.Sprintf("directory %s does not take pushes; give it source: {scim: {}}", d.Name),
		}
	}
	token, err := s.store.CreateToken(
		ctx,
		store.Token{Name: "push to " + d.Name, Role: "push", Author: by.Name, Created: time.Now(), Directory: d.Name},
		true,
		audit.Of(by, "token", "push to "+d.Name, audit.Done, "role push"),
	)
	return token, errors.Join(err, s.read(ctx))
}

func (s *Tokens) read(ctx context.Context) error {
	keys, err := s.store.Tokens(ctx)
	if err == nil {
		s.keys.Store(keys)
	}
	return err
}

// Pushes says to which directory a token pushes; "" for none.
func (s *Tokens) Pushes(token string) string {
	if t, known := s.keys.Load().Find(token); known && t.Holds(time.Now()) {
		return t.Directory
	}
	return ""
}

// ByToken is who acts by a token; ok is false if it does not open the service.
func (s *Tokens) ByToken(token string) (a operator.Actor, ok bool) {
	t, known := s.keys.Load().Find(token)
	if !known || t.Directory != "" || !t.Holds(time.Now()) {
		return operator.Actor{}, false
	}
	return tokenActor(t), true
}

// tokenActor is who acts by a token: whose it is, with the weaker of its role and theirs,
// or the token itself where no person uses it.
func tokenActor(t *store.Token) operator.Actor {
	a := operator.Actor{
		Name:    "token “" + t.Name + "”",
		Role:    operator.Role(t.Role),
		How:     "token",
		Systems: t.Systems,
		User:    t.User,
		Program: t.Owner == "" && t.User == "",
	}
	if t.Owner != "" {
		a.Name, a.Token = t.Owner, t.Name
	}
	if t.OwnerRole != "" {
		a.Role = operator.Least(a.Role, operator.Role(t.OwnerRole))
	}
	return a
}
