package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"gatemap/answer"
)

// RunDelivery works out what is to be delivered to a system.
func (c *Client) RunDelivery(ctx context.Context, system string, asked answer.DeliveryAsked) (*answer.Delivery, error) {
	return call[answer.Delivery](ctx, c, http.MethodPost, "systems/"+url.PathEscape(system)+"/delivery", nil, asked)
}

// Deliveries lists deliveries, the newest first; of one system, where it is named.
func (c *Client) Deliveries(ctx context.Context, system string, limit int, cursor string) (*answer.Deliveries, error) {
	query := url.Values{"limit": {strconv.Itoa(limit)}, "cursor": {cursor}}
	if system != "" {
		query.Set("system", system)
	}
	return call[answer.Deliveries](ctx, c, http.MethodGet, "deliveries", query, nil)
}

// Delivery is one delivery, with its statements.
func (c *Client) Delivery(ctx context.Context, id int64) (*answer.DeliveryPlan, error) {
	return call[answer.DeliveryPlan](ctx, c, http.MethodGet, fmt.Sprintf("deliveries/%d", id), nil, nil)
}

// DeliveryScript is one delivery as a script.
func (c *Client) DeliveryScript(ctx context.Context, id int64) (*answer.DeliveryScript, error) {
	return call[answer.DeliveryScript](ctx, c, http.MethodGet, fmt.Sprintf("deliveries/%d/script", id), nil, nil)
}

// CommitDelivery makes the statements of a delivery, and waits until that is done.
func (c *Client) CommitDelivery(ctx context.Context, id int64, confirm bool) (*answer.Delivery, error) {
	d, err := call[answer.Delivery](
		ctx,
		c,
		http.MethodPost,
		fmt.Sprintf("deliveries/%d/commit", id),
		nil,
		map[string]bool{"confirm": confirm},
	)
	for err == nil && d.State == answer.DeliveryDelivering {
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(time.Second):
		}
		var p *answer.DeliveryPlan
		if p, err = c.Delivery(ctx, id); err == nil {
			d = &p.Delivery
		}
	}
	return d, err
}

// DiscardDelivery ends a delivery that waits.
func (c *Client) DiscardDelivery(ctx context.Context, id int64) (*answer.Delivery, error) {
	return call[answer.Delivery](ctx, c, http.MethodPost, fmt.Sprintf("deliveries/%d/discard", id), nil, struct{}{})
}
