package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/stage"
)

func ofTrial(named, rest string) string { return "trials/" + url.PathEscape(named) + rest }

// Trials lists the trials that are open.
func (c *Client) Trials(ctx context.Context) (*answer.Trials, error) {
	return pages(func(cursor string) (*answer.Trials, error) {
		return call[answer.Trials](ctx, c, http.MethodGet, "trials", url.Values{"limit": {longest}, "cursor": {cursor}}, nil)
	}, func(t *answer.Trials) *string { return &t.Next },
		func(all, page *answer.Trials) { all.Trials = append(all.Trials, page.Trials...) })
}

// Trial is one trial.
func (c *Client) Trial(ctx context.Context, named string) (*answer.Trial, error) {
	return call[answer.Trial](ctx, c, http.MethodGet, ofTrial(named, ""), nil, nil)
}

// TrialWrites is what the commit of a trial first writes where records come from.
func (c *Client) TrialWrites(ctx context.Context, named string) (*answer.Writes, error) {
	return call[answer.Writes](ctx, c, http.MethodGet, ofTrial(named, "/writes"), nil, nil)
}

// BeginTrial begins a trial: an empty one, or, with all files of a map folder by path,
// one with the differences between these and the map in force.
func (c *Client) BeginTrial(ctx context.Context, named, note string, files map[string]string) (*answer.Trial, error) {
	body := map[string]any{"name": named}
	if note != "" {
		body["note"] = note
	}
	if files != nil {
		body["files"] = files
	}
	return call[answer.Trial](ctx, c, http.MethodPost, "trials", nil, body)
}

// Stage adds changes to a trial: all of them, or none.
func (c *Client) Stage(ctx context.Context, named string, changes ...stage.Change) (*answer.Trial, error) {
	return call[answer.Trial](ctx, c, http.MethodPost, ofTrial(named, "/changes"), nil, map[string]any{"changes": changes})
}

// Unstage takes one change out of a trial, by its number from 1.
func (c *Client) Unstage(ctx context.Context, named string, number int) (*answer.Trial, error) {
	return call[answer.Trial](ctx, c, http.MethodDelete, ofTrial(named, "/changes/"+strconv.Itoa(number)), nil, nil)
}

// Withdraw stages that a user loses what lines give to the user by name; object may
// be empty.
func (c *Client) Withdraw(ctx context.Context, named, user, system, right, object string) (*answer.Trial, error) {
	body := map[string]string{"user": user, "system": system, "right": right}
	if object != "" {
		body["object"] = object
	}
	return call[answer.Trial](ctx, c, http.MethodPost, ofTrial(named, "/withdraw"), nil, body)
}

// RemoveTrial lets a trial go.
func (c *Client) RemoveTrial(ctx context.Context, named string) error {
	_, err := call[struct{}](ctx, c, http.MethodDelete, ofTrial(named, ""), nil, nil)
	return err
}

// Outcome is what a trial would change in a situation.
func (c *Client) Outcome(
	ctx context.Context,
	named string,
	s situation.Situation,
	p answer.Part,
) (*answer.Outcome, error) {
	limit := ""
	if p.Limit > 0 {
		limit = strconv.Itoa(p.Limit)
	}
	return get[answer.Outcome](
		ctx,
		c,
		ofTrial(named, "/outcome"),
		s,
		"user",
		p.User,
		"system",
		p.System,
		"effect",
		p.Effect,
		"cursor",
		p.Cursor,
		"limit",
		limit,
	)
}

// WholeOutcome is Outcome with all pages in one. A trial that changes between the pages
// is an error.
func (c *Client) WholeOutcome(
	ctx context.Context,
	named string,
	s situation.Situation,
	p answer.Part,
) (*answer.Outcome, error) {
	var moved error
	all, err := pages(func(cursor string) (*answer.Outcome, error) {
		p.Cursor, p.Limit = cursor, maxPage
		return c.Outcome(ctx, named, s, p)
	}, func(o *answer.Outcome) *string { return &o.Next },
		func(all, page *answer.Outcome) {
			if all.Version != page.Version || all.Revision != page.Revision {
				moved = fmt.Errorf("the trial %s or the map changed while its outcome was read: ask again", named)
			}
			all.Items = append(all.Items, page.Items...)
		})
	if moved != nil {
		return nil, moved
	}
	return all, err
}

// Turned is which findings and guarantees a trial turns.
func (c *Client) Turned(ctx context.Context, named string) (*answer.Turned, error) {
	return call[answer.Turned](ctx, c, http.MethodGet, ofTrial(named, "/turned"), nil, nil)
}

// Impact is what a change would do on top of a trial, or, where none is named, of
// the revision in force.
func (c *Client) Impact(
	ctx context.Context,
	named string,
	change stage.Change,
	s situation.Situation,
) (*answer.Impact, error) {
	query := url.Values{}
	for field, value := range s.Facts() {
		query.Set(field, value)
	}
	if named != "" {
		query.Set("trial", named)
	}
	return call[answer.Impact](ctx, c, http.MethodPost, "impact", query, change)
}

// CommitTrial puts a version of a trial in force. The same key asks for the same commit;
// override says why it is to be made though it brings an error or breaks a guarantee.
func (c *Client) CommitTrial(
	ctx context.Context,
	named string,
	version int,
	reason, override, key string,
) (*answer.Committed, error) {
	body := map[string]string{"reason": reason}
	if override != "" {
		body["override"] = override
	}
	return callWith[answer.Committed](
		ctx,
		c,
		http.MethodPost,
		ofTrial(named, "/commit"),
		nil,
		body,
		http.Header{"If-Match": {strconv.Quote(strconv.Itoa(version))}, "Idempotency-Key": {key}},
	)
}

// Revert begins a trial that reverts a revision; named may be empty.
func (c *Client) Revert(ctx context.Context, revision int, named string) (*answer.Trial, error) {
	body := map[string]string{}
	if named != "" {
		body["name"] = named
	}
	return call[answer.Trial](ctx, c, http.MethodPost, "revisions/"+strconv.Itoa(revision)+"/revert", nil, body)
}

// History is a page of the revisions, the newest first; limit is 1 to 1000.
func (c *Client) History(ctx context.Context, limit int, cursor string) (*answer.Revisions, error) {
	return call[answer.Revisions](
		ctx,
		c,
		http.MethodGet,
		"revisions",
		url.Values{"limit": {strconv.Itoa(limit)}, "cursor": {cursor}},
		nil,
	)
}

// Revision is one revision, with what it changed.
func (c *Client) Revision(ctx context.Context, number int) (*answer.Revision, error) {
	return call[answer.Revision](ctx, c, http.MethodGet, "revisions/"+strconv.Itoa(number), nil, nil)
}

// Documents are the files of the map in force.
func (c *Client) Documents(ctx context.Context) (*answer.Documents, error) {
	return call[answer.Documents](ctx, c, http.MethodGet, "documents", nil, nil)
}

// Of asks questions of a trial instead of the revision in force.
func (c *Client) Of(_ context.Context, trial string) (answer.Asker, error) {
	other := *c
	other.trial = trial
	return &other, nil
}
