package server

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/service/readings"
	"gatemap/workspace"
)

// readingWait is how long an answer waits for a reading, which goes on without it.
const readingWait = 30 * time.Second

// linked are the operations on systems that are linked. What they answer changes without a new
// revision, so it is never kept.
func linked(api huma.API, s *workspace.Service) {
	get(
		api,
		"/linked",
		"linked",
		"The systems that have a link, with what is known of the real ones",
		func(ctx context.Context, _ *struct{}) (*answer.LinkedSystems, error) {
			return s.Readings.List(ctx)
		},
	)
	post(
		api,
		"/systems/{name}/reading",
		"read-system",
		"Read what a linked system really holds; a reading that takes longer goes on, and the answer says busy",
		operator.Intake,
		http.StatusOK,
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
		}) (*answer.Linked, error) {
			return s.Readings.Start(ctx, operator.From(ctx), unescape(in.Name), readingWait)
		},
	)
	post(
		api,
		"/adopt",
		"adopt",
		"Begin a trial in which what was read of a system is what its document says, "+
			"or in which the map gets a directory as its server has it",
		operator.Stage,
		http.StatusCreated,
		func(ctx context.Context, in *struct {
			Body struct {
				Trial string `json:"trial,omitempty" doc:"The name of the trial; missing: adopt-SYSTEM."`
				answer.Adopting
			}
		}) (*answer.Adopted, error) {
			return s.Adopt(ctx, operator.From(ctx), in.Body.Trial, in.Body.Adopting)
		},
	)
	get(
		api,
		"/drift",
		"drift",
		"How what linked systems really hold differs from the map",
		func(ctx context.Context, in *struct {
			System string `query:"system" doc:"Only this system; missing: all that are linked, the first page of each."`
			Effect string `query:"effect" enum:"excess,short" doc:"Only who holds more, or less."`
			User   string `query:"user" doc:"Only this user, by full name."`
			Paging
		}) (*answer.Drifts, error) {
			return s.Readings.Drifts(
				ctx,
				in.System,
				answer.DriftAsked{Effect: in.Effect, User: in.User, Limit: in.Limit, Cursor: in.Cursor},
			)
		},
	)
	really(api, s)
}

// really are the questions that are answered from the newest readings.
func really(api huma.API, s *workspace.Service) {
	realQuestion(
		api,
		s,
		"/really/reach",
		"really-reach",
		"Everything that a user really holds in linked systems",
		func(ctx context.Context, really *readings.Really, in *struct {
			User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name, or a stranger as SYSTEM/ACCOUNT."`
			System string `query:"system" doc:"Only this system."`
			Facts
		}, given situation.Situation) (*answer.Reach, error) {
			return really.Reach(ctx, in.User, in.System, given)
		},
	)
	realQuestion(
		api,
		s,
		"/really/why",
		"really-why",
		"Why a user can really do one thing, or why not",
		func(ctx context.Context, really *readings.Really, in *struct {
			User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name, or a stranger as SYSTEM/ACCOUNT."`
			System string `query:"system" required:"true" minLength:"1" doc:"The system."`
			Right  string `query:"right" required:"true" minLength:"1" doc:"The right."`
			Object string `query:"object" doc:"The object; missing: the system's own default."`
			Facts
		}, given situation.Situation) (*answer.Why, error) {
			return really.Why(ctx, in.User, in.System, in.Right, in.Object, given)
		},
	)
	realQuestion(
		api,
		s,
		"/really/who",
		"really-who",
		"Everyone who really holds one right",
		func(ctx context.Context, really *readings.Really, in *struct {
			System string `query:"system" required:"true" minLength:"1" doc:"The system."`
			Right  string `query:"right" required:"true" minLength:"1" doc:"The right."`
			Object string `query:"object" doc:"The object; missing: the system's own default."`
			Paging
			Facts
		}, given situation.Situation) (*answer.Who, error) {
			return really.WhoPage(ctx, in.System, in.Right, in.Object, given, in.Limit, in.Cursor)
		},
	)
	reallyBeside(api, s)
}

// reallyBeside are those of them that put people beside each other.
func reallyBeside(api huma.API, s *workspace.Service) {
	realQuestion(
		api,
		s,
		"/really/compare",
		"really-compare",
		"What two people really hold in linked systems, side by side",
		func(ctx context.Context, really *readings.Really, in *struct {
			First  string `query:"first" required:"true" minLength:"1" doc:"A user, by name."`
			Second string `query:"second" required:"true" minLength:"1" doc:"Another user, by name."`
			Facts
		}, given situation.Situation) (*answer.Compare, error) {
			return really.Compare(ctx, in.First, in.Second, given)
		},
	)
	realQuestion(
		api,
		s,
		"/really/matrix",
		"really-matrix",
		"People against what they really hold in one system",
		func(ctx context.Context, really *readings.Really, in *struct {
			System string `query:"system" doc:"The system; it must be named."`
			Group  string `query:"group" doc:"Only members of this group of the map."`
			Right  string `query:"right" doc:"Only rights like this, with *."`
			Facts
		}, given situation.Situation) (*answer.Matrix, error) {
			return really.Matrix(ctx, in.System, in.Group, in.Right, given)
		},
	)
}

// realQuestion registers a question that is answered from the newest readings.
func realQuestion[In, Out any, P interface {
	*In
	situation() (situation.Situation, error)
}](
	api huma.API, s *workspace.Service, path, id, summary string,
	ask func(context.Context, *readings.Really, *In, situation.Situation) (*Out, error),
) {
	get(api, path, id, summary, func(ctx context.Context, in *In) (*Out, error) {
		given, err := P(in).situation()
		if err != nil {
			return nil, err
		}
		return ask(ctx, s.Readings.Really(), in, given)
	})
}
