package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"

	"gatemap/answer"
)

// Operators lists who works with the service.
func (c *Client) Operators(ctx context.Context) (*answer.Operators, error) {
	return call[answer.Operators](ctx, c, http.MethodGet, "operators", nil, nil)
}

// SetOperator adds an operator, or changes one.
func (c *Client) SetOperator(
	ctx context.Context,
	named string,
	change answer.OperatorChange,
) (*answer.Operator, error) {
	return call[answer.Operator](ctx, c, http.MethodPut, "operators/"+url.PathEscape(named), nil, change)
}

// RemoveOperator removes an operator.
func (c *Client) RemoveOperator(ctx context.Context, named string) error {
	_, err := call[struct{}](ctx, c, http.MethodDelete, "operators/"+url.PathEscape(named), nil, nil)
	return err
}

// SecondFactor makes the secret of an operator's second factor.
func (c *Client) SecondFactor(ctx context.Context, named string) (*answer.SecondFactor, error) {
	return call[answer.SecondFactor](
		ctx,
		c,
		http.MethodPost,
		"operators/"+url.PathEscape(named)+"/second-factor",
		nil,
		nil,
	)
}

// Tokens lists the tokens, without themselves.
func (c *Client) Tokens(ctx context.Context) (*answer.Tokens, error) {
	return call[answer.Tokens](ctx, c, http.MethodGet, "tokens", nil, nil)
}

// CreateToken creates a token; it is shown only once.
func (c *Client) CreateToken(ctx context.Context, t answer.TokenChange) (*answer.Token, error) {
	return call[answer.Token](ctx, c, http.MethodPost, "tokens", nil, t)
}

// RevokeToken revokes a token.
func (c *Client) RevokeToken(ctx context.Context, named string) error {
	_, err := call[struct{}](ctx, c, http.MethodDelete, "tokens/"+url.PathEscape(named), nil, nil)
	return err
}

// UntieManager lets a manager of groups, by the full name, be tied anew.
func (c *Client) UntieManager(ctx context.Context, directory, user string) error {
	_, err := call[struct{}](
		ctx,
		c,
		http.MethodDelete,
		"managers/"+url.PathEscape(directory)+"/"+url.PathEscape(user),
		nil,
		nil,
	)
	return err
}

// ChangeOwnPassword changes the password of whoever the token is of.
func (c *Client) ChangeOwnPassword(ctx context.Context, change answer.PasswordChange) error {
	_, err := call[struct{}](ctx, c, http.MethodPut, "own-password", nil, change)
	return err
}

// Settings are the settings of the service.
func (c *Client) Settings(ctx context.Context) (*answer.Settings, error) {
	return call[answer.Settings](ctx, c, http.MethodGet, "settings", nil, nil)
}

// ChangeSettings changes the settings of the service.
func (c *Client) ChangeSettings(ctx context.Context, s answer.SettingsChange) (*answer.Settings, error) {
	return call[answer.Settings](ctx, c, http.MethodPut, "settings", nil, s)
}

// Audited says which entries of the audit are asked for; empty fields ask for all.
type Audited struct {
	Actor, Object string
	From, To      time.Time
}

// Audit is a page of the entries of the audit, the oldest first.
func (c *Client) Audit(ctx context.Context, a Audited, cursor string) (*answer.Audit, error) {
	query := url.Values{"order": {"oldest"}, "limit": {longest}, "cursor": {cursor}}
	for name, value := range map[string]string{"actor": a.Actor, "object": a.Object} {
		if value != "" {
			query.Set(name, value)
		}
	}
	for name, at := range map[string]time.Time{"from": a.From, "to": a.To} {
		if !at.IsZero() {
			query.Set(name, at.Format(time.RFC3339))
		}
	}
	return call[answer.Audit](ctx, c, http.MethodGet, "audit", query, nil)
}

// VerifyAudit looks whether the audit is what it was when it was written, and goes on from
// a signed head that was kept; "" is none.
func (c *Client) VerifyAudit(ctx context.Context, kept string) (*answer.Verified, error) {
	query := url.Values{}
	if kept != "" {
		query.Set("against", kept)
	}
	return call[answer.Verified](ctx, c, http.MethodGet, "audit/verify", query, nil)
}

// OwnGroups are the groups that the token manages.
func (c *Client) OwnGroups(ctx context.Context) (*answer.OwnGroups, error) {
	return call[answer.OwnGroups](ctx, c, http.MethodGet, "own-groups", nil, nil)
}

// ChangeOwn changes the members of a group that the token manages, by its full name.
func (c *Client) ChangeOwn(
	ctx context.Context,
	directory, group string,
	add, remove []string,
	reason string,
) (*answer.Committed, error) {
	body := map[string]any{"reason": reason}
	if add != nil {
		body["add"] = add
	}
	if remove != nil {
		body["remove"] = remove
	}
	return call[answer.Committed](
		ctx,
		c,
		http.MethodPost,
		"own-groups/"+url.PathEscape(directory)+"/"+url.PathEscape(group)+"/members",
		nil,
		body,
	)
}

// Backup writes a copy of the service's database.
func (c *Client) Backup(ctx context.Context, to io.Writer) error {
	endless := *c.http
	endless.Timeout = 0
	response, err := c.send(ctx, &endless, http.MethodGet, "backup", nil, nil, nil)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		raw, _ := io.ReadAll(io.LimitReader(response.Body, 1<<20)) // what came of it is told
		return c.failure(response, raw)
	}
	if _, err := io.Copy(to, response.Body); err != nil {
		return fmt.Errorf("the backup broke off: %w", err)
	}
	return nil
}
