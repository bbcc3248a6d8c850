package server

import (
	"context"
	"maps"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/edge"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/stage"
	"gatemap/workspace"
)

// Tried is the name of a trial in a path.
type Tried struct {
	Trial string `path:"trial" doc:"Name of the trial."`
}

// Version is which version of something a call is for (RFC 9110 section 13.1.1).
type Version struct {
	IfMatch string `header:"If-Match" doc:"The ETag that was last seen. The call is refused if there is a newer one."`
}

// number reads the version; 0 is whichever there is.
func (v *Version) number() (int, error) {
	if v.IfMatch == "" || v.IfMatch == "*" {
		return 0, nil
	}
	n, err := strconv.Atoi(strings.Trim(strings.TrimPrefix(v.IfMatch, "W/"), `"`))
	if err != nil || n < 1 {
		return 0, &problem{Title: "Invalid value", Status: http.StatusUnprocessableEntity, Field: "If-Match",
			Value: v.IfMatch, Detail: "If-Match is the ETag of an answer of this service"}
	}
	return n, nil
}

// versioned is an answer with the version that it shows.
type versioned[T any] struct {
	ETag string `header:"ETag"`
	Body *T
}

func etag(version int) string { return `"` + strconv.Itoa(version) + `"` }

// ofTrial registers an operation that answers with a trial.
func ofTrial[In any](
	api huma.API, method, path, id, summary string, right operator.Right, status int,
	work func(context.Context, *In) (*answer.Trial, error),
) {
	huma.Register(api, operation(method, path, id, summary, right, status),
		func(ctx context.Context, in *In) (*versioned[answer.Trial], error) {
			t, err := work(ctx, in)
			if err != nil {
				return nil, edge.Problem(err)
			}
			return &versioned[answer.Trial]{etag(t.Version), t}, nil
		})
}

// trials are the operations on trials and revisions.
func trials(api huma.API, s *workspace.Service) {
	get(api, "/trials", "trials", "The open trials, by name",
		func(ctx context.Context, in *struct{ Paging }) (*answer.Trials, error) {
			return s.Trials.List(ctx, operator.From(ctx), in.Limit, in.Cursor)
		})
	ofTrial(api, http.MethodPost, "/trials", "begin-trial",
		"Begin a trial: empty, or with the differences of a map folder", operator.Stage, http.StatusCreated,
		func(ctx context.Context, in *struct {
			Body struct {
				Name  string            `json:"name" minLength:"1" doc:"Its name: letters, digits, dots, dashes, underscores."`
				Note  string            `json:"note,omitempty" doc:"What it is for."`
				Files map[string]string `json:"files,omitempty" doc:"All files of a map folder, by path: how they differ from the map in force is staged."`
			}
		}) (*answer.Trial, error) {
			if in.Body.Files != nil {
				return s.Trials.BeginFrom(ctx, operator.From(ctx), in.Body.Name, in.Body.Note, in.Body.Files)
			}
			return s.Trials.Begin(ctx, operator.From(ctx), in.Body.Name, in.Body.Note)
		})
	ofTrial(api, http.MethodGet, "/trials/{trial}", "trial", "One trial, with its changes as sentences", operator.Read,
		http.StatusOK, func(ctx context.Context, in *Tried) (*answer.Trial, error) {
			return s.Trials.Find(ctx, operator.From(ctx), in.Trial)
		})
	staging(api, s)
	outcomes(api, s)
	revisions(api, s)
}

// staging are the operations on what is staged in a trial.
func staging(api huma.API, s *workspace.Service) {
	ofTrial(api, http.MethodPost, "/trials/{trial}/changes", "stage", "Stage changes: all of them, or none",
		operator.Stage, http.StatusOK, func(ctx context.Context, in *struct {
			Tried
			Version
			Body struct {
				Changes []stage.Change `json:"changes" minItems:"1" doc:"In the order in which they are applied."`
			}
		}) (*answer.Trial, error) {
			version, err := in.number()
			if err != nil {
				return nil, err
			}
			return s.Trials.Stage(ctx, operator.From(ctx), in.Trial, version, in.Body.Changes)
		})
	ofTrial(api, http.MethodDelete, "/trials/{trial}/changes/{number}", "unstage", "Remove one staged change from a trial",
		operator.Stage, http.StatusOK, func(ctx context.Context, in *struct {
			Tried
			Version
			Number int `path:"number" minimum:"1" doc:"Number of the change, from 1."`
		}) (*answer.Trial, error) {
			version, err := in.number()
			if err != nil {
				return nil, err
			}
			return s.Trials.Unstage(ctx, operator.From(ctx), in.Trial, version, in.Number)
		})
	ofTrial(api, http.MethodPost, "/trials/{trial}/withdraw", "withdraw",
		"Stage that lines no longer give an entitlement to a user by name", operator.Stage, http.StatusOK,
		func(ctx context.Context, in *struct {
			Tried
			Body struct {
				User   string `json:"user" minLength:"1"`
				System string `json:"system" minLength:"1"`
				Right  string `json:"right" minLength:"1"`
				Object string `json:"object,omitempty" doc:"Missing: the system's own default."`
			}
		}) (*answer.Trial, error) {
			return s.Trials.Withdraw(ctx, operator.From(ctx), in.Trial, in.Body.User, in.Body.System, in.Body.Right,
				in.Body.Object)
		})
	huma.Register(api, operation(http.MethodDelete, "/trials/{trial}", "remove-trial",
		"Remove a trial without committing it", operator.Stage, http.StatusNoContent), func(ctx context.Context, in *struct {
		Tried
		Version
	}) (*struct{}, error) {
		version, err := in.number()
		if err == nil {
			err = s.Trials.Remove(ctx, operator.From(ctx), in.Trial, version)
		}
		if err != nil {
			return nil, edge.Problem(err)
		}
		return &struct{}{}, nil
	})
}

// outcomes are the operations that say what a trial would do, and that put it in force.
func outcomes(api huma.API, s *workspace.Service) {
	get(api, "/trials/{trial}/outcome", "outcome", "Who gains and who loses what by a trial",
		func(ctx context.Context, in *struct {
			Tried
			User   string `query:"user" doc:"Only this user."`
			System string `query:"system" doc:"Only this system."`
			Effect string `query:"effect" enum:"gain,loss,change,reroute,all" doc:"List only these effects, or all of them; missing: all but other routes. The counts cover all."`
			Paging
			Facts
		}) (*answer.Outcome, error) {
			given, err := in.situation()
			if err != nil {
				return nil, err
			}
			return s.Outcomes.Outcome(ctx, in.Trial, changeset.Outcoming{Situation: given, User: in.User, System: in.System,
				Effect: answer.Effect(in.Effect), Limit: in.Limit, Cursor: in.Cursor})
		})
	get(api, "/trials/{trial}/turned", "turned", "Which findings and guarantees a trial changes",
		func(ctx context.Context, in *Tried) (*answer.Turned, error) {
			return s.Outcomes.Turned(ctx, in.Trial)
		})
	read(api, "/trials/{trial}/writes", "writes", "What the commit of a trial first writes where records come from",
		operator.Stage, func(ctx context.Context, in *Tried) (*answer.Writes, error) {
			return s.Commits.Looked(ctx, operator.From(ctx), in.Trial)
		})
	post(api, "/trials/{trial}/commit", "commit-trial", "Put a trial in force, as one revision", operator.Commit,
		http.StatusOK, func(ctx context.Context, in *struct {
			Tried
			Version
			Key  string `header:"Idempotency-Key" maxLength:"200" doc:"An idempotency key of the caller's own: a repeated call with it commits only once."`
			Body struct {
				Reason   string `json:"reason" doc:"Why, for those who read the history."`
				Override string `json:"override,omitempty" doc:"Why to commit although it brings an error or breaks a guarantee."`
			}
		}) (*answer.Committed, error) {
			version, err := in.number()
			if err != nil {
				return nil, err
			}
			return s.Commits.Commit(ctx, operator.From(ctx), in.Trial,
				changeset.Committing{Version: version, Reason: in.Body.Reason, Override: in.Body.Override, Key: in.Key})
		})
}

// revisions are the operations on what was, and is, in force.
func revisions(api huma.API, s *workspace.Service) {
	ofTrial(api, http.MethodPost, "/revisions/{number}/revert", "revert", "Begin a trial that reverts a revision",
		operator.Stage, http.StatusCreated, func(ctx context.Context, in *struct {
			Number int `path:"number" minimum:"1" doc:"Number of the revision."`
			Body   struct {
				Name string `json:"name,omitempty" doc:"Name of the trial; missing: revert- and the number."`
			}
		}) (*answer.Trial, error) {
			return s.Commits.Revert(ctx, operator.From(ctx), in.Number, in.Body.Name)
		})
	get(api, "/revisions/{number}", "revision", "One revision, with its changes as sentences",
		func(ctx context.Context, in *struct {
			Number int `path:"number" minimum:"1" doc:"Number of the revision."`
		}) (*answer.Revision, error) {
			return s.History.Revision(ctx, in.Number)
		})
	get(api, "/documents", "documents", "The files of the map, by path", func(ctx context.Context, in *struct {
		Path string `query:"path" doc:"Only this file."`
		Of
	}) (*answer.Documents, error) {
		h, err := s.AskedHead(ctx, in.Trial)
		if err != nil {
			return nil, err
		}
		d := &answer.Documents{Revision: h.Revision.Number, Files: h.Documents()}
		if in.Path != "" {
			maps.DeleteFunc(d.Files, func(path, _ string) bool { return path != in.Path })
		}
		return d, nil
	})
}
