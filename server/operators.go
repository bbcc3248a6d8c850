package server

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"gatemap/answer"
	"gatemap/edge"
	"gatemap/operator"
	"gatemap/store"
	"gatemap/workspace"
)

// settings are the settings with their version.
func settings(x *answer.Settings, err error) (*versioned[answer.Settings], error) {
	if err != nil {
		return nil, edge.Problem(err)
	}
	return &versioned[answer.Settings]{etag(x.Version()), x}, nil
}

// remove registers an operation that removes something.
func remove[In any](
	api huma.API, path, id, summary string, right operator.Right, work func(context.Context, *In) error,
) {
	huma.Register(api, operation(http.MethodDelete, path, id, summary, right, http.StatusNoContent),
		func(ctx context.Context, in *In) (*struct{}, error) {
			if err := work(ctx, in); err != nil {
				return nil, edge.Problem(err)
			}
			return &struct{}{}, nil
		})
}

// read registers an operation that reads what not everyone may.
func read[In, Out any](
	api huma.API, path, id, summary string, right operator.Right, ask func(context.Context, *In) (*Out, error),
) {
	call(api, operation(http.MethodGet, path, id, summary, right, http.StatusOK), ask)
}

// Called is a name in a path.
type Called struct {
	Name string `path:"name"`
}

// administration are the operations on operators, tokens and settings.
func administration(api huma.API, s *workspace.Service) {
	people(api, s)
	tokens(api, s)
	keeping(api, s)
	ownGroups(api, s)
}

// people are the operations on operators, and on what one is oneself.
func people(api huma.API, s *workspace.Service) {
	read(api, "/operators", "operators", "Who works with the service", operator.Administer,
		func(ctx context.Context, _ *struct{}) (*answer.Operators, error) {
			return s.Operators.List(ctx)
		})
	huma.Register(api, operation(http.MethodPut, "/operators/{name}", "set-operator", "Add or change an operator",
		operator.Administer, http.StatusOK), func(ctx context.Context, in *struct {
		Called
		Version
		Body answer.OperatorChange
	}) (*versioned[answer.Operator], error) {
		version, err := in.number()
		if err != nil {
			return nil, err
		}
		o, err := s.Operators.Set(ctx, operator.From(ctx), unescape(in.Name), version, in.Body)
		if err != nil {
			return nil, edge.Problem(err)
		}
		return &versioned[answer.Operator]{etag(o.Version), o}, nil
	})
	remove(api, "/operators/{name}", "remove-operator", "Remove an operator and sign them out", operator.Administer,
		func(ctx context.Context, in *Called) error {
			return s.Operators.Remove(ctx, operator.From(ctx), unescape(in.Name))
		})
	post(api, "/operators/{name}/second-factor", "second-factor",
		"Create the secret of an operator's second factor; the one before it stops working", operator.Administer,
		http.StatusCreated, func(ctx context.Context, in *Called) (*answer.SecondFactor, error) {
			return s.Operators.SecondFactor(ctx, operator.From(ctx), unescape(in.Name))
		})
	remove(api, "/managers/{directory}/{name}", "untie-manager",
		"Let a manager of groups be tied anew to an account of the provider, at the next sign-in", operator.Administer,
		func(ctx context.Context, in *FullName) error {
			return s.Operators.UntieManager(ctx, operator.From(ctx), in.full())
		})
	huma.Register(api, operation(http.MethodPut, "/own-password", "change-own-password",
		"Change the caller's password; the caller's sessions and tokens end", operator.Read, http.StatusNoContent),
		func(ctx context.Context, in *struct{ Body answer.PasswordChange }) (*struct{}, error) {
			if err := s.Operators.ChangeOwnPassword(ctx, operator.From(ctx), in.Body.Old, in.Body.New); err != nil {
				return nil, edge.Problem(err)
			}
			return &struct{}{}, nil
		})
}

// tokens are the operations on tokens.
func tokens(api huma.API, s *workspace.Service) {
	read(api, "/tokens", "tokens", "The tokens, without their secrets: all of them for an admin, their own for others",
		operator.Read, func(ctx context.Context, _ *struct{}) (*answer.Tokens, error) {
			return s.Tokens.List(operator.From(ctx)), nil
		})
	post(api, "/tokens", "create-token",
		"Create a token of the caller, or, as an admin, one of a service or a manager of groups; it is shown only once",
		operator.Read, http.StatusCreated,
		func(ctx context.Context, in *struct{ Body answer.TokenChange }) (*answer.Token, error) {
			return s.Tokens.Create(ctx, operator.From(ctx), in.Body)
		})
	remove(api, "/tokens/{name}", "revoke-token", "Revoke a token: any as an admin, else an own one", operator.Read,
		func(ctx context.Context, in *Called) error {
			return s.Tokens.Revoke(ctx, operator.From(ctx), unescape(in.Name))
		})
}

// keeping are the operations on settings, the audit and the database.
func keeping(api huma.API, s *workspace.Service) {
	huma.Register(api, operation(http.MethodGet, "/settings", "settings", "The settings of the service", operator.Read,
		http.StatusOK), func(ctx context.Context, _ *struct{}) (*versioned[answer.Settings], error) {
		return settings(s.Rights.Settings(ctx))
	})
	huma.Register(api, operation(http.MethodPut, "/settings", "change-settings", "Change the settings of the service",
		operator.Administer, http.StatusOK), func(ctx context.Context, in *struct {
		Version
		Body answer.SettingsChange
	}) (*versioned[answer.Settings], error) {
		version, err := in.number()
		if err != nil {
			return nil, err
		}
		return settings(s.Rights.ChangeSettings(ctx, operator.From(ctx), version, in.Body))
	})
	read(api, "/audit", "audit", "What was done and what was refused", operator.Audit,
		func(ctx context.Context, in *struct {
			Actor  string    `query:"actor" doc:"Only what this operator or token did."`
			Object string    `query:"object" doc:"Only what was done to this, such as revision 12."`
			From   time.Time `query:"from" doc:"Only from this time on (RFC 3339)."`
			To     time.Time `query:"to" doc:"Only before this time (RFC 3339)."`
			Order  string    `query:"order" enum:"newest,oldest" default:"newest" doc:"Which entries come first."`
			Paging
		}) (*answer.Audit, error) {
			return s.Audit.List(ctx, store.Asked{Actor: in.Actor, Object: in.Object, From: in.From, To: in.To,
				OldestFirst: in.Order == "oldest"}, in.Limit, in.Cursor)
		})
	read(api, "/audit/verify", "verify-audit", "Whether the audit is unchanged since it was written", operator.Audit,
		func(ctx context.Context, in *struct {
			Against string `query:"against" doc:"A signed head that was kept: the audit must go on from it."`
		}) (*answer.Verified, error) {
			return s.Audit.Verify(ctx, in.Against)
		})
	huma.Register(api, operation(http.MethodGet, "/backup", "backup", "A copy of the database, as it is at one moment",
		operator.Administer, http.StatusOK), func(context.Context, *struct{}) (*huma.StreamResponse, error) {
		return &huma.StreamResponse{Body: func(c huma.Context) {
			_, w := humachi.Unwrap(c)
			_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(longestBackup)) // without it the usual limit holds
			c.SetHeader("Content-Type", "application/vnd.sqlite3")
			if err := s.Backup(c.Context(), operator.From(c.Context()), c.BodyWriter()); err != nil {
				panic(http.ErrAbortHandler) // the client sees that it is cut short
			}
		}}, nil
	})
}

// ownGroups are the operations of those who manage groups.
func ownGroups(api huma.API, s *workspace.Service) {
	read(api, "/own-groups", "own-groups", "The groups that the caller manages", operator.Members,
		func(ctx context.Context, _ *struct{}) (*answer.OwnGroups, error) {
			return s.OwnGroups.List(operator.From(ctx))
		})
	post(api, "/own-groups/{directory}/{name}/members", "change-own-group",
		"Change the members of a group that the caller manages", operator.Members, http.StatusOK,
		func(ctx context.Context, in *struct {
			FullName
			Body struct {
				Add    []string `json:"add,omitempty" doc:"Users to add, by name."`
				Remove []string `json:"remove,omitempty" doc:"Users to remove, by name."`
				Reason string   `json:"reason,omitempty"`
			}
		}) (*answer.Committed, error) {
			return s.OwnGroups.Change(ctx, operator.From(ctx), in.full(), in.Body.Add, in.Body.Remove, in.Body.Reason)
		})
}
