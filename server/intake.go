package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/intake"
	"gatemap/service/sourcecheck"
	"gatemap/workspace"
)

// Numbered is the number of a run in a path.
type Numbered struct {
	ID int64 `path:"id" minimum:"1" doc:"Number of the run."`
}

// intakes are the operations on directories and their runs. What they answer
// changes without a new revision, so it is never kept.
func intakes(api huma.API, s *workspace.Service) {
	get(api, "/directories", "directories", "The directories, with their newest runs",
		func(ctx context.Context, _ *struct{}) (*answer.Directories, error) {
			return s.Runs.Directories(ctx)
		})
	post(api, "/directories/{name}/intake", "run-intake",
		"Read the source of a directory and preview or commit the changes", operator.Intake, http.StatusAccepted,
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
			Body struct {
				Commit  bool `json:"commit,omitempty" doc:"Commit at once, unless the removal limit of the source holds the run."`
				Confirm bool `json:"confirm,omitempty" doc:"Commit it even then."`
			}
		}) (*answer.Run, error) {
			run, err := s.Runs.Start(ctx, unescape(in.Name), intake.ByHand,
				intake.Intaking{Commit: in.Body.Commit || in.Body.Confirm, Confirm: in.Body.Confirm, By: operator.From(ctx)})
			return &run, err
		})
	read(api, "/directories/{name}/accounts", "accounts",
		"What becomes of the accounts of a directory by what is known of people in sources that feed it", operator.Stage,
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
		}) (*answer.Accounts, error) {
			return s.Accounts.Plan(ctx, unescape(in.Name))
		})
	post(api, "/directories/{name}/test", "test-directory",
		"Test a directory's source step by step, and how one user comes to groups", operator.Intake, http.StatusOK,
		func(ctx context.Context, in *struct {
			Name   string `path:"name"`
			User   string `query:"user" doc:"A user to look for."`
			System string `query:"system" doc:"The only system of which it is told what the groups of the user open there; missing: all."`
		}) (*answer.Checked, error) {
			return s.Runs.TestDirectory(ctx, unescape(in.Name), sourcecheck.Tested{User: in.User, System: in.System},
				func(answer.Step) {})
		})
	post(api, "/directories/{name}/token", "create-push-token",
		"Create the token that pushes records to a directory; the token before it stops working", operator.Administer,
		http.StatusCreated, func(ctx context.Context, in *struct {
			Name string `path:"name"`
		}) (*answer.Token, error) {
			token, err := s.Tokens.CreatePush(ctx, operator.From(ctx), unescape(in.Name))
			return &answer.Token{Token: token}, err
		})
	runs(api, s)
	events(api, s)
}

// runs are the operations on runs.
func runs(api huma.API, s *workspace.Service) {
	get(api, "/runs", "runs", "The runs of intakes, the newest first", func(ctx context.Context, in *struct {
		Directory string `query:"directory" doc:"Only runs of this directory."`
		Paging
	}) (*answer.Runs, error) {
		return s.Journal.List(ctx, in.Directory, in.Limit, in.Cursor)
	})
	get(api, "/runs/{id}", "run", "One run of an intake", func(ctx context.Context, in *Numbered) (*answer.Run, error) {
		run, err := s.Journal.Run(ctx, in.ID)
		return &run, err
	})
	get(api, "/runs/{id}/preview", "preview", "The changes of a run",
		func(ctx context.Context, in *Numbered) (*answer.Preview, error) {
			return s.Journal.Preview(ctx, in.ID)
		})
	post(api, "/runs/{id}/commit", "commit-run", "Commit a run that waits, at the version that was seen", operator.Commit,
		http.StatusOK, func(ctx context.Context, in *struct {
			Numbered
			Version
			Body struct {
				Confirm bool `json:"confirm,omitempty" doc:"Commit even if the removal limit holds the run."`
			}
		}) (*answer.Run, error) {
			version, err := in.number()
			if err != nil {
				return nil, err
			}
			run, err := s.Runs.Commit(ctx, in.ID, version, in.Body.Confirm, operator.From(ctx))
			return &run, err
		})
	post(api, "/runs/{id}/discard", "discard-run", "Discard a run that waits", operator.Intake, http.StatusOK,
		func(ctx context.Context, in *Numbered) (*answer.Run, error) {
			run, err := s.Runs.Discard(ctx, in.ID, operator.From(ctx))
			return &run, err
		})
}

// events is the stream of what happens.
func events(api huma.API, s *workspace.Service) {
	sse.Register(api, huma.Operation{
		Method: http.MethodGet, Path: "/events", OperationID: "events",
		Summary:    "Events from now on: progress of runs, changed trials, readings of systems, deliveries and new revisions",
		Errors:     []int{http.StatusUnauthorized},
		Extensions: map[string]any{rightOf: string(operator.Read)},
	}, map[string]any{"run": answer.Run{}, "trial": answer.TrialChanged{}, "revision": answer.NewRevision{},
		"reading": answer.SystemRead{}, "delivery": answer.SystemDelivered{}, "hello": answer.Hello{}},
		func(ctx context.Context, _ *struct{}, send sse.Sender) {
			ctx, cancel := context.WithCancel(ctx)
			defer cancel()
			happened := s.Events.Listen(ctx)
			if send.Data(answer.Hello{Revision: s.Head().Revision.Number}) != nil {
				return
			}
			for {
				select {
				case <-ctx.Done():
					return
				case <-s.Stopped():
					return
				case e, more := <-happened:
					if !more {
						return
					}
					var err error
					switch {
					case e.Run != nil:
						err = send.Data(*e.Run)
					case e.Trial != "":
						err = send.Data(answer.TrialChanged{Trial: e.Trial})
					case e.Reading != "":
						err = send.Data(answer.SystemRead{System: e.Reading})
					case e.Delivery != "":
						err = send.Data(answer.SystemDelivered{System: e.Delivery})
					default:
						err = send.Data(answer.NewRevision{Revision: e.Revision})
					}
					if err != nil {
						return
					}
				}
			}
		})
}
