package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"gatemap/answer"
)

var _ answer.Observer = (*Client)(nil)

// Linked lists the systems that have a link.
func (c *Client) Linked(ctx context.Context) (*answer.LinkedSystems, error) {
	return call[answer.LinkedSystems](ctx, c, http.MethodGet, "linked", nil, nil)
}

// Observe has a system read, and waits until it was.
func (c *Client) Observe(ctx context.Context, system string) (*answer.Linked, error) {
	l, err := call[answer.Linked](ctx, c, http.MethodPost, "systems/"+url.PathEscape(system)+"/reading", nil, nil)
	failed := 0
	for err == nil && l.Busy {
		failed = l.Failed
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(time.Second):
		}
		var all *answer.LinkedSystems
		if all, err = c.Linked(ctx); err != nil {
			return nil, err
		}
		i := slices.IndexFunc(all.Systems, func(x answer.Linked) bool { return x.System == l.System })
		if i < 0 {
			return nil, fmt.Errorf("the system %s has no link any more", l.System)
		}
		if l = &all.Systems[i]; !l.Busy && l.Failed > failed {
			return nil, &answer.ConflictError{Message: l.Error}
		}
	}
	return l, err
}

// Drifts tells how systems differ from the map.
func (c *Client) Drifts(ctx context.Context, system string, asked answer.DriftAsked) (*answer.Drifts, error) {
	query := url.Values{}
	limit := longest
	if asked.Limit > 0 {
		limit = strconv.Itoa(asked.Limit)
	}
	for key, value := range map[string]string{"system": system, "effect": asked.Effect, "user": asked.User,
		"limit": limit} {
		if value != "" {
			query.Set(key, value)
		}
	}
	all, err := call[answer.Drifts](ctx, c, http.MethodGet, "drift", query, nil)
	if err != nil || asked.Limit > 0 {
		return all, err
	}
	for i := range all.Drifts {
		d := &all.Drifts[i]
		for d.Next != "" {
			query.Set("system", d.System)
			query.Set("cursor", d.Next)
			more, err := call[answer.Drifts](ctx, c, http.MethodGet, "drift", query, nil)
			if err != nil {
				return nil, err
			}
			d.Items, d.Next = append(d.Items, more.Drifts[0].Items...), more.Drifts[0].Next
		}
	}
	return all, nil
}

// Really answers from the newest readings.
func (c *Client) Really(context.Context) (answer.Holdings, error) {
	other := *c
	other.under, other.trial = "really/", ""
	return &other, nil
}

// Adopt begins a trial in which what was read of a system is what its document says.
func (c *Client) Adopt(ctx context.Context, trial string, a answer.Adopting) (*answer.Adopted, error) {
	return call[answer.Adopted](ctx, c, http.MethodPost, "adopt", nil, struct {
		Trial string `json:"trial,omitempty"`
		answer.Adopting
	}{trial, a})
}
