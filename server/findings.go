package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/service/query"
	"gatemap/workspace"
)

// findingsQuestion are the questions of what is wrong, and of guarantees. What is found in linked systems
// changes without a new revision, so the answers are never kept.
func findingsQuestion(api huma.API, s *workspace.Service) {
	question(
		api,
		s,
		"/guarantees",
		"guarantees",
		"Every guarantee of the map, and whether it holds",
		func(ctx context.Context, a query.Answers, _ *Of, _ situation.Situation) (*answer.Guarantees, error) {
			return a.Really(s.Readings.Kept).Guarantees(ctx)
		},
	)
	question(
		api,
		s,
		"/findings",
		"findings",
		"What is wrong, useless or risky in the map, with how many there are of which code",
		func(ctx context.Context, a query.Answers, in *struct {
			System   string `query:"system" doc:"Only findings of this system."`
			Code     string `query:"code" doc:"Only findings with this code."`
			Severity string `query:"severity" enum:"error,warning,note" doc:"Only findings of this severity."`
			SoFar    bool   `query:"so_far" doc:"true: answer with the first page of what was found so far, at once; pending says whether there may be more."`
			Paging
			Of
		}, _ situation.Situation) (*answer.Findings, error) {
			if in.Trial == "" {
				a = a.Besides(s.Observed(ctx))
			}
			if in.SoFar && in.Cursor == "" {
				return a.FoundSoFar(answer.Wanted{System: in.System, Code: in.Code, Severity: in.Severity}, in.Limit), nil
			}
			return a.FindingsPage(
				ctx,
				answer.Wanted{System: in.System, Code: in.Code, Severity: in.Severity},
				in.Limit,
				in.Cursor,
			)
		},
	)
}
