// Package client asks a running service over its API. It is an answer.Asker,
// so that whatever asks a folder can ask a service.
package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/situation"
)

// timeout bounds one call, so that a hanging service is reported.
const timeout = 60 * time.Second

// maxAnswer bounds what is read of one answer, in bytes.
const maxAnswer = 1 << 30

// Client asks one service.
type Client struct {
	base  *url.URL
	token string
	trial string // of which questions are asked; "": of what is in force
	under string // the path under which questions are asked of what is really there; "": of the map
	http  *http.Client
}

var _ answer.Asker = (*Client)(nil)

// New makes a client for the service at an address such as
// http://127.0.0.1:8470.
func New(address, token string) (*Client, error) {
	base, err := url.Parse(address)
	if err != nil || base.Host == "" || base.Scheme != "http" && base.Scheme != "https" {
		return nil, fmt.Errorf("%q is not the address of a service, such as http://127.0.0.1:8470", address)
	}
	return &Client{base: base, token: token, http: &http.Client{Timeout: timeout}}, nil
}

// By sends calls by a transport of its own.
func (c *Client) By(t http.RoundTripper) *Client {
	other := *c
	other.http = &http.Client{Timeout: timeout, Transport: t}
	return &other
}

func (c *Client) Reach(ctx context.Context, user, system string, s situation.Situation) (*answer.Reach, error) {
	return get[answer.Reach](ctx, c, "reach", s, "user", user, "system", system)
}

func (c *Client) Person(ctx context.Context, user, system string, s situation.Situation) (*answer.Person, error) {
	return get[answer.Person](ctx, c, "person", s, "user", user, "system", system)
}

func (c *Client) Why(
	ctx context.Context,
	user, system, right, object string,
	s situation.Situation,
) (*answer.Why, error) {
	return get[answer.Why](ctx, c, "why", s, "user", user, "system", system, "right", right, "object", object)
}

// Probe is Why, with the part that every line of the system plays.
func (c *Client) Probe(
	ctx context.Context,
	user, system, right, object string,
	s situation.Situation,
) (*answer.Probe, error) {
	return get[answer.Probe](ctx, c, "probe", s, "user", user, "system", system, "right", right, "object", object)
}

func (c *Client) Who(ctx context.Context, system, right, object string, s situation.Situation) (*answer.Who, error) {
	return pages(func(cursor string) (*answer.Who, error) {
		return get[answer.Who](
			ctx,
			c,
			"who",
			s,
			"system",
			system,
			"right",
			right,
			"object",
			object,
			"limit",
			longest,
			"cursor",
			cursor,
		)
	}, func(w *answer.Who) *string { return &w.Next },
		func(all, page *answer.Who) { all.Users = append(all.Users, page.Users...) })
}

func (c *Client) Members(ctx context.Context, group string) (*answer.Members, error) {
	return pages(func(cursor string) (*answer.Members, error) {
		return get[answer.Members](
			ctx,
			c,
			"members",
			situation.Situation{},
			"group",
			group,
			"limit",
			longest,
			"cursor",
			cursor,
		)
	}, func(m *answer.Members) *string { return &m.Next },
		func(all, page *answer.Members) { all.Members = append(all.Members, page.Members...) })
}

// maxPage is the size of the largest pages.
const maxPage = 1000

var longest = strconv.Itoa(maxPage)

// pages asks for one page after the other and joins them to the first.
func pages[T any](ask func(cursor string) (*T, error), next func(*T) *string, join func(all, page *T)) (*T, error) {
	all, err := ask("")
	if err != nil {
		return nil, err
	}
	for cursor := *next(all); cursor != ""; {
		page, err := ask(cursor)
		if err != nil {
			return nil, err
		}
		join(all, page)
		cursor = *next(page)
	}
	*next(all) = ""
	return all, nil
}

func (c *Client) Memberships(ctx context.Context, user string) (*answer.Memberships, error) {
	return get[answer.Memberships](ctx, c, "memberships", situation.Situation{}, "user", user)
}

func (c *Client) Findings(ctx context.Context, w answer.Wanted) (*answer.Findings, error) {
	return pages(func(cursor string) (*answer.Findings, error) {
		return get[answer.Findings](
			ctx,
			c,
			"findings",
			situation.Situation{},
			"system",
			w.System,
			"code",
			w.Code,
			"severity",
			w.Severity,
			"limit",
			longest,
			"cursor",
			cursor,
		)
	}, func(f *answer.Findings) *string { return &f.Next },
		func(all, page *answer.Findings) { all.Findings = append(all.Findings, page.Findings...) })
}

func (c *Client) Guarantees(ctx context.Context) (*answer.Guarantees, error) {
	return get[answer.Guarantees](ctx, c, "guarantees", situation.Situation{})
}

func (c *Client) Compare(ctx context.Context, first, second string, s situation.Situation) (*answer.Compare, error) {
	return get[answer.Compare](ctx, c, "compare", s, "first", first, "second", second)
}

func (c *Client) Matrix(
	ctx context.Context,
	system, group, right string,
	s situation.Situation,
) (*answer.Matrix, error) {
	return get[answer.Matrix](ctx, c, "matrix", s, "system", system, "group", group, "right", right)
}

func (c *Client) Hours(ctx context.Context, user, system string, s situation.Situation) (*answer.Hours, error) {
	return get[answer.Hours](ctx, c, "hours", s, "user", user, "system", system)
}

func (c *Client) Search(
	ctx context.Context,
	text string,
	kind answer.Kind,
	limit int,
	cursor string,
) (*answer.Page, error) {
	size := ""
	if limit > 0 {
		size = strconv.Itoa(limit)
	}
	return get[answer.Page](
		ctx,
		c,
		"search",
		situation.Situation{},
		"q",
		text,
		"kind",
		string(kind),
		"limit",
		size,
		"cursor",
		cursor,
	)
}

func (c *Client) Map(ctx context.Context) (*answer.Map, error) {
	return get[answer.Map](ctx, c, "map", situation.Situation{})
}

// Words are the words for what answers tell by kind.
func (c *Client) Words(ctx context.Context) (*answer.Words, error) {
	return get[answer.Words](ctx, c, "words", situation.Situation{})
}

// Schema is the JSON Schema (2020-12) of the documents of a map.
func (c *Client) Schema(ctx context.Context) (*json.RawMessage, error) {
	return get[json.RawMessage](ctx, c, "schema", situation.Situation{})
}

func (c *Client) Group(ctx context.Context, name string) (*answer.GroupInfo, error) {
	at, err := c.groupPath(ctx, name)
	if err != nil {
		return nil, err
	}
	return get[answer.GroupInfo](ctx, c, at, situation.Situation{})
}

// groupPath is the path of a group in the API, which takes full names alone; the service
// finds the full name for any other way to write it.
func (c *Client) groupPath(ctx context.Context, written string) (string, error) {
	m, err := get[answer.Members](ctx, c, "members", situation.Situation{}, "group", written, "limit", "1")
	if err != nil {
		return "", err
	}
	directory, name, _ := strings.Cut(m.Group, "/")
	return "groups/" + url.PathEscape(directory) + "/" + url.PathEscape(name), nil
}

func (c *Client) Opens(ctx context.Context, group string) (*answer.Opened, error) {
	at, err := c.groupPath(ctx, group)
	if err != nil {
		return nil, err
	}
	return get[answer.Opened](ctx, c, at+"/opens", situation.Situation{})
}

func (c *Client) System(ctx context.Context, name string) (*answer.SystemInfo, error) {
	return get[answer.SystemInfo](ctx, c, "systems/"+url.PathEscape(name), situation.Situation{})
}

func (c *Client) Lines(ctx context.Context, system string) (*answer.Lines, error) {
	return get[answer.Lines](ctx, c, "systems/"+url.PathEscape(system)+"/lines", situation.Situation{})
}

func (c *Client) TestRule(ctx context.Context, filter, directory string) (*answer.Matched, error) {
	return get[answer.Matched](ctx, c, "rule-test", situation.Situation{}, "filter", filter, "directory", directory)
}
