package server

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/workspace"
)

// readingWait is how long an answer waits for a reading, which goes on without it.
const readingWait = 30 * time.Second

// linked are the operations on systems that are linked. What they answer changes without a new
// revision, so it is never kept.
func linked(api huma.API, s *workspace.Service) {
	get(api, "/linked", "linked", "The systems that have a link, with what is known of the real ones", func(ctx context.Context, _ *struct{}) (*answer.LinkedSystems, error) {
		return s.Readings.List(ctx)
	})
	post(api, "/systems/{name}/reading", "read-system", "Read what a linked system really holds; a reading that takes longer goes on, and the answer says busy", operator.Intake, http.StatusOK, func(ctx context.Context, in *struct {
		Name string `path:"name"`
	}) (*answer.Linked, error) {
		return s.Readings.Start(ctx, operator.From(ctx), unescape(in.Name), readingWait)
	})
	post(api, "/adopt", "adopt", "Begin a trial in which what was read of a system is what its document says", operator.Stage, http.StatusCreated, func(ctx context.Context, in *struct {
		Body struct {
			Trial string `json:"trial,omitempty" doc:"The name of the trial; missing: adopt-SYSTEM."`
			answer.Adopting
		}
	}) (*answer.Trial, error) {
		return s.Adopt(ctx, operator.From(ctx), in.Body.Trial, in.Body.Adopting)
	})
	get(api, "/drift", "drift", "How what linked systems really hold differs from the map", func(ctx context.Context, in *struct {
		System string `query:"system" doc:"Only this system; missing: all that are linked, the first page of each."`
		Effect string `query:"effect" enum:"excess,short" doc:"Only who holds more, or less."`
		User   string `query:"user" doc:"Only this user, by full name."`
		Paging
	}) (*answer.Drifts, error) {
		return s.Readings.Drifts(ctx, in.System, answer.DriftAsked{Effect: in.Effect, User: in.User, Limit: in.Limit, Cursor: in.Cursor})
	})
	really(api, s)
}

// really are the questions that are answered from the newest readings.
func really(api huma.API, s *workspace.Service) {
	get(api, "/really/reach", "really-reach", "Everything that a user really holds in linked systems", func(ctx context.Context, in *struct {
		User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name, or a stranger as SYSTEM/ACCOUNT."`
		System string `query:"system" doc:"Only this system."`
		Facts
	}) (*answer.Reach, error) {
		given, err := in.situation()
		if err != nil {
			return nil, err
		}
		return s.Readings.Really().Reach(ctx, in.User, in.System, given)
	})
	get(api, "/really/why", "really-why", "Why a user can really do one thing, or why not", func(ctx context.Context, in *struct {
		User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name, or a stranger as SYSTEM/ACCOUNT."`
		System string `query:"system" required:"true" minLength:"1" doc:"The system."`
		Right  string `query:"right" required:"true" minLength:"1" doc:"The right."`
		Object string `query:"object" doc:"The object; missing: the system's own default."`
		Facts
	}) (*answer.Why, error) {
		given, err := in.situation()
		if err != nil {
			return nil, err
		}
		return s.Readings.Really().Why(ctx, in.User, in.System, in.Right, in.Object, given)
	})
	get(api, "/really/who", "really-who", "Everyone who really holds one right", func(ctx context.Context, in *struct {
		System string `query:"system" required:"true" minLength:"1" doc:"The system."`
		Right  string `query:"right" required:"true" minLength:"1" doc:"The right."`
		Object string `query:"object" doc:"The object; missing: the system's own default."`
		Paging
		Facts
	}) (*answer.Who, error) {
		given, err := in.situation()
		if err != nil {
			return nil, err
		}
		return s.Readings.Really().WhoPage(ctx, in.System, in.Right, in.Object, given, in.Limit, in.Cursor)
	})
	reallyBeside(api, s)
}

// reallyBeside are those of them that put people beside each other.
func reallyBeside(api huma.API, s *workspace.Service) {
	get(api, "/really/compare", "really-compare", "What two people really hold in linked systems, side by side", func(ctx context.Context, in *struct {
		First  string `query:"first" required:"true" minLength:"1" doc:"A user, by name."`
		Second string `query:"second" required:"true" minLength:"1" doc:"Another user, by name."`
		Facts
	}) (*answer.Compare, error) {
		given, err := in.situation()
		if err != nil {
			return nil, err
		}
		return s.Readings.Really().Compare(ctx, in.First, in.Second, given)
	})
	get(api, "/really/matrix", "really-matrix", "People against what they really hold in one system", func(ctx context.Context, in *struct {
		System string `query:"system" doc:"The system; it must be named."`
		Group  string `query:"group" doc:"Only members of this group of the map."`
		Right  string `query:"right" doc:"Only rights like this, with *."`
		Facts
	}) (*answer.Matrix, error) {
		given, err := in.situation()
		if err != nil {
			return nil, err
		}
		return s.Readings.Really().Matrix(ctx, in.System, in.Group, in.Right, given)
	})
}
