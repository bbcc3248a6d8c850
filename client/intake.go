package client

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"gatemap/answer"
)

// Directories lists the directories with their newest runs.
func (c *Client) Directories(ctx context.Context) (*answer.Directories, error) {
	return call[answer.Directories](ctx, c, http.MethodGet, "directories", nil, nil)
}

// RunIntake begins a run of a directory.
func (c *Client) RunIntake(ctx context.Context, directory string, commit, confirm bool) (*answer.Run, error) {
	return call[answer.Run](
		ctx,
		c,
		http.MethodPost,
		"directories/"+url.PathEscape(directory)+"/intake",
		nil,
		map[string]bool{"commit": commit, "confirm": confirm},
	)
}

// TestDirectory checks a directory's source, and with a user how that user comes
// to groups that open something, in one system or in any.
func (c *Client) TestDirectory(ctx context.Context, directory, user, system string) (*answer.Checked, error) {
	query := url.Values{}
	if user != "" {
		query.Set("user", user)
	}
	if system != "" {
		query.Set("system", system)
	}
	return call[answer.Checked](ctx, c, http.MethodPost, "directories/"+url.PathEscape(directory)+"/test", query, nil)
}

// CreatePushToken makes the token by which the records of a directory are pushed.
func (c *Client) CreatePushToken(ctx context.Context, directory string) (string, error) {
	t, err := call[answer.Token](ctx, c, http.MethodPost, "directories/"+url.PathEscape(directory)+"/token", nil, nil)
	if err != nil {
		return "", err
	}
	return t.Token, nil
}

// Runs is a page of the runs of one directory, or of all, the newest first; limit is 1 to
// 1000.
func (c *Client) Runs(ctx context.Context, directory string, limit int, cursor string) (*answer.Runs, error) {
	query := url.Values{"limit": {strconv.Itoa(limit)}, "cursor": {cursor}}
	if directory != "" {
		query.Set("directory", directory)
	}
	return call[answer.Runs](ctx, c, http.MethodGet, "runs", query, nil)
}

func ofRun(id int64, rest string) string { return fmt.Sprintf("runs/%d%s", id, rest) }

// Run is one run.
func (c *Client) Run(ctx context.Context, id int64) (*answer.Run, error) {
	return call[answer.Run](ctx, c, http.MethodGet, ofRun(id, ""), nil, nil)
}

// Preview is what a run changes, or changed.
func (c *Client) Preview(ctx context.Context, id int64) (*answer.Preview, error) {
	return call[answer.Preview](ctx, c, http.MethodGet, ofRun(id, "/preview"), nil, nil)
}

// CommitRun commits a run that waits.
func (c *Client) CommitRun(ctx context.Context, id int64, version int, confirm bool) (*answer.Run, error) {
	return callWith[answer.Run](
		ctx,
		c,
		http.MethodPost,
		ofRun(id, "/commit"),
		nil,
		map[string]bool{"confirm": confirm},
		http.Header{"If-Match": {strconv.Quote(strconv.Itoa(version))}},
	)
}

// DiscardRun lets a run that waits go.
func (c *Client) DiscardRun(ctx context.Context, id int64) (*answer.Run, error) {
	return call[answer.Run](ctx, c, http.MethodPost, ofRun(id, "/discard"), nil, nil)
}

// Event is something that happened: a run got further, a trial has changed, or
// there is a new revision.
type Event struct {
	Run      *answer.Run
	Trial    string
	Revision int
}

// Events tells what happens from now on to visit, the revision in force first,
// until visit says to stop or the context ends.
func (c *Client) Events(ctx context.Context, visit func(Event) (more bool)) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	endless := *c.http
	endless.Timeout = 0
	response, err := c.send(ctx, &endless, http.MethodGet, "events", nil, nil, nil)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		raw, _ := io.ReadAll(io.LimitReader(response.Body, 1<<20)) // what came of it is told
		return c.failure(response, raw)
	}
	kind := ""
	lines := bufio.NewScanner(response.Body)
	lines.Buffer(nil, 16<<20)
	for lines.Scan() {
		field, value, _ := strings.Cut(lines.Text(), ":")
		value = strings.TrimPrefix(value, " ")
		switch field {
		case "event":
			kind = value
		case "data":
			e, err := event(kind, value)
			if err != nil {
				return fmt.Errorf("the service at %s sent an event that cannot be read: %w", c.base, err)
			}
			if !visit(e) {
				return nil
			}
		}
	}
	if err := lines.Err(); err != nil && ctx.Err() == nil {
		return fmt.Errorf("the events of the service at %s broke off: %w", c.base, err)
	}
	return ctx.Err()
}

func event(kind, data string) (Event, error) {
	switch kind {
	case "run":
		var r answer.Run
		err := json.Unmarshal([]byte(data), &r)
		return Event{Run: &r}, err
	case "trial":
		var t answer.TrialChanged
		err := json.Unmarshal([]byte(data), &t)
		return Event{Trial: t.Trial}, err
	}
	var n answer.NewRevision
	err := json.Unmarshal([]byte(data), &n)
	return Event{Revision: n.Revision}, err
}

// Accounts is what becomes of the accounts of a directory by what is known of people.
func (c *Client) Accounts(ctx context.Context, directory string) (*answer.Accounts, error) {
	return call[answer.Accounts](ctx, c, http.MethodGet, "directories/"+url.PathEscape(directory)+"/accounts", nil, nil)
}
