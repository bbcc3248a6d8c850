package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/workspace"
)

// noticed are the operations on notices. What they answer changes without a new revision, so it is
// never kept.
func noticed(api huma.API, s *workspace.Service) {
	get(
		api,
		"/notices",
		"notices",
		"Whom the map tells what must not wait, and what they were told, the newest first",
		func(ctx context.Context, in *Paging) (*answer.Notices, error) {
			return s.Notices.List(ctx, operator.From(ctx), in.Limit, in.Cursor)
		},
	)
	post(
		api,
		"/notices/{receiver}/test",
		"test-notices",
		"Send a receiver a notice that says that it is a test",
		operator.Intake,
		http.StatusOK,
		func(ctx context.Context, in *struct {
			Receiver string `path:"receiver" doc:"Name of the receiver."`
		}) (*answer.NoticeTested, error) {
			return s.Notices.Test(ctx, operator.From(ctx), unescape(in.Receiver))
		},
	)
}
