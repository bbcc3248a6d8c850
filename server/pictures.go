package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/service/query"
	"gatemap/stage"
	"gatemap/workspace"
)

// pictures registers what is drawn: the lines of systems, the way of an answer through them, the
// whole map at a glance.
func pictures(api huma.API, s *workspace.Service) {
	question(api, s, "/probe", "probe", "Why a user can do one thing, with the part that every line of the system plays",
		func(ctx context.Context, a query.Answers, in *struct {
			User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name."`
			System string `query:"system" required:"true" minLength:"1" doc:"The system."`
			Right  string `query:"right" required:"true" minLength:"1" doc:"The right."`
			Object string `query:"object" doc:"The object; missing: the system's own default."`
			Asking
		}, given situation.Situation) (*answer.Probe, error) {
			return a.Probe(ctx, in.User, in.System, in.Right, in.Object, given)
		})
	get(api, "/systems/{name}", "system", "What the map says of a system", func(ctx context.Context, in *struct {
		Name string `path:"name"`
		Of
	}) (*answer.SystemInfo, error) {
		h, err := s.AskedHead(ctx, in.Trial)
		if err != nil {
			return nil, err
		}
		return h.System(ctx, unescape(in.Name))
	})
	get(api, "/systems/{name}/lines", "lines", "The lines of a system, with their places and for how many people each is",
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
			Of
		}) (*answer.Lines, error) {
			h, err := s.AskedHead(ctx, in.Trial)
			if err != nil {
				return nil, err
			}
			return h.Lines(ctx, unescape(in.Name))
		})
	get(api, "/groups/{directory}/{name}/opens", "opens", "All lines by which members of a group get something",
		func(ctx context.Context, in *struct {
			FullName
			Of
		}) (*answer.Opened, error) {
			h, err := s.AskedHead(ctx, in.Trial)
			if err != nil {
				return nil, err
			}
			return h.Opens(ctx, in.full())
		})
	get(api, "/chart", "chart", "The map at a glance: whole, summed up, or around one thing",
		func(_ context.Context, in *struct {
			Most   int    `query:"most" minimum:"1" maximum:"200" default:"40" doc:"How many groups, or values of by, at the most."`
			By     string `query:"by" default:"group" doc:"group; or people by their directory, or by any attribute, such as department." example:"department"`
			Types  bool   `query:"types" doc:"true: the systems of one type together. Not by group."`
			Type   string `query:"type" doc:"Only systems of this type."`
			System string `query:"system" doc:"Only the neighbourhood of this system."`
			Group  string `query:"group" doc:"Only what this group opens, by others that it is in too."`
			User   string `query:"user" doc:"Only what this user's groups open."`
		}) (*answer.Chart, error) {
			return s.Head().Chart(answer.ChartAsked(*in))
		})
}

// impacts registers what is asked about a change that is being written.
func impacts(api huma.API, s *workspace.Service) {
	question(api, s, "/rule-test", "test-rule", "Whom a rule would match",
		func(ctx context.Context, a query.Answers, in *struct {
			Filter    string `query:"filter" required:"true" doc:"The rule (RFC 7644 section 3.4.2.2)."`
			Directory string `query:"directory" doc:"Only users of this directory."`
			Of
		}, _ situation.Situation) (*answer.Matched, error) {
			return a.TestRule(ctx, in.Filter, in.Directory)
		})
	post(api, "/impact", "impact", "What a change would do, without staging it", operator.Read, http.StatusOK,
		func(ctx context.Context, in *struct {
			Asking
			Body stage.Change
		}) (*answer.Impact, error) {
			given, err := in.situation()
			if err != nil {
				return nil, err
			}
			return s.Outcomes.Impact(ctx, in.Trial, in.Body, given)
		})
}
