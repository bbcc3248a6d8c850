package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"gatemap/answer"
)

// Notices are the receivers of notices, and what they were told, the newest first.
func (c *Client) Notices(ctx context.Context, limit int, cursor string) (*answer.Notices, error) {
	return call[answer.Notices](
		ctx,
		c,
		http.MethodGet,
		"notices",
		url.Values{"limit": {strconv.Itoa(limit)}, "cursor": {cursor}},
		nil,
	)
}

// TestNotices sends a receiver a notice that says that it is a test.
func (c *Client) TestNotices(ctx context.Context, receiver string) (*answer.NoticeTested, error) {
	return call[answer.NoticeTested](ctx, c, http.MethodPost, "notices/"+url.PathEscape(receiver)+"/test", nil, nil)
}
