package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"gatemap/answer"
	"gatemap/core/situation"
)

// get asks a question; pairs are its parameters and their values, of which
// empty ones are left out.
func get[T any](ctx context.Context, c *Client, operation string, s situation.Situation, pairs ...string) (*T, error) {
	query := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			query.Set(pairs[i], pairs[i+1])
		}
	}
	for field, value := range s.Facts() {
		query.Set(field, value)
	}
	if c.trial != "" {
		query.Set("trial", c.trial)
	}
	return call[T](ctx, c, http.MethodGet, c.under+operation, query, nil)
}

// call makes one call and reads its answer.
func call[T any](ctx context.Context, c *Client, method, operation string, query url.Values, body any) (*T, error) {
	return callWith[T](ctx, c, method, operation, query, body, nil)
}

// callWith is call with headers of its own, of which empty ones are left out.
func callWith[T any](
	ctx context.Context,
	c *Client,
	method, operation string,
	query url.Values,
	body any,
	headers http.Header,
) (*T, error) {
	response, err := c.send(ctx, c.http, method, operation, query, body, headers)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(response.Body, maxAnswer))
	if err != nil {
		return nil, fmt.Errorf("the answer of the service at %s broke off: %w", c.base, err)
	}
	if response.StatusCode >= http.StatusMultipleChoices {
		return nil, c.failure(response, raw)
	}
	var got T
	if response.StatusCode == http.StatusNoContent {
		return &got, nil
	}
	if err := json.Unmarshal(raw, &got); err != nil {
		return nil, fmt.Errorf("the service at %s sent an answer that cannot be read: %w", c.base, err)
	}
	return &got, nil
}

// send sends a request. The error says that the service cannot be reached.
func (c *Client) send(
	ctx context.Context,
	by *http.Client,
	method, operation string,
	query url.Values,
	body any,
	headers http.Header,
) (*http.Response, error) {
	at := c.base.JoinPath("api/v1", operation)
	at.RawQuery = query.Encode()
	var content io.Reader
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		content = bytes.NewReader(raw)
	}
	request, err := http.NewRequestWithContext(ctx, method, at.String(), content)
	if err != nil {
		return nil, err
	}
	request.Header.Set("Authorization", "Bearer "+c.token)
	request.Header.Set("Accept", "application/json")
	if body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	for name, values := range headers {
		if values[0] != "" {
			request.Header.Set(name, values[0])
		}
	}
	response, err := by.Do(request)
	if err != nil {
		if inner := errors.Unwrap(err); inner != nil {
			err = inner // without the address of the call, which names people
		}
		return nil, fmt.Errorf(
			"the service at %s cannot be reached: %w\nIs it running? gatemap serve starts one, --map DIR asks a folder instead",
			c.base,
			err,
		)
	}
	return response, nil
}

// TokenError says that a service does not accept the token.
type TokenError struct{ Service string }

func (e *TokenError) Error() string {
	return fmt.Sprintf(
		"the service at %s does not accept the token: set GATEMAP_TOKEN or --token-file to one that it gave out",
		e.Service,
	)
}

func (c *Client) failure(response *http.Response, body []byte) error {
	var problem answer.Problem
	if !strings.HasPrefix(response.Header.Get("Content-Type"), "application/problem+json") ||
		json.Unmarshal(body, &problem) != nil {
		return fmt.Errorf("what answers at %s is no Gate Map service: it said %s", c.base, response.Status)
	}
	if problem.Status == http.StatusUnauthorized {
		return &TokenError{c.base.String()}
	}
	return problem.Err()
}
