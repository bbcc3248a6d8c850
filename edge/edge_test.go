package edge_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/edge"
	"gatemap/operator"
	"gatemap/service/access"
	"gatemap/stage"
)

// What an Asker's error says comes back whole from the other side of the API.
func TestProblemsThereAndBack(t *testing.T) {
	for _, err := range []error{
		&directory.NotFoundError{Kind: "user", Name: "x", Near: []string{"y", "z"}},
		&directory.NotFoundError{Kind: "user", Name: "x", Candidates: []string{"a/x", "b/x"}},
		&directory.NotFoundError{Kind: "right", Name: "x", Within: "archive"},
		&rule.ObjectNeededError{System: "s", Objects: []string{"a", "b"}},
		&situation.FieldError{Field: "at", Value: "noon", Problem: "not a time"},
	} {
		sent, marshalErr := json.Marshal(edge.Problem(err))
		require.NoError(t, marshalErr)
		var received answer.Problem
		require.NoError(t, json.Unmarshal(sent, &received))
		assert.Equal(t, err, received.Err())
		assert.Equal(t, err.Error(), received.Detail)
	}
	hidden := edge.Problem(errors.New("password is hunter2"))
	assert.Equal(t, 500, hidden.Status)
	assert.NotContains(t, hidden.Error(), "hunter2")
	assert.Same(t, hidden, edge.Problem(hidden))
	assert.Equal(t, "Gone", (&answer.Problem{Title: "Gone"}).Error())
}

// Each kind of error has a status and an exit code, and the problem that a service sends of it
// ends the command line with the same code.
func TestEachKindOfErrorHasAStatusAndAnExitCode(t *testing.T) {
	for _, c := range []struct {
		err          error
		status, exit int
		detail       string
	}{
		{&operator.ForbiddenError{Reason: "no"}, 403, edge.Refused, "no"},
		{&access.StrangerError{Message: "who?"}, 403, edge.Refused, "who?"},
		{&access.SignInError{Message: "wrong"}, 401, edge.Refused, "wrong"},
		{&access.WaitError{Wait: 4 * time.Second}, 429, edge.NoMap, "too many failed sign-ins; try again in 4s"},
		{&access.BusyError{Wait: 5 * time.Second}, 503, edge.NoMap, "too many people sign in at this moment; try again in 5s"},
		{answer.Invalid("name", "x", "too short"), 422, edge.Usage, "name: too short"},
		{&answer.MovedError{Message: "newer"}, 412, edge.Refused, "newer"},
		{&answer.UnseenError{Message: "which?"}, 428, edge.Usage, "which?"},
		{&answer.ConflictError{Message: "not now"}, 409, edge.Refused, "not now"},
		{&directory.NotFoundError{Kind: "user", Name: "x"}, 404, edge.Missing, (&directory.NotFoundError{Kind: "user", Name: "x"}).Error()},
		{&rule.ObjectNeededError{System: "s", Objects: []string{"a"}}, 422, edge.Usage, (&rule.ObjectNeededError{System: "s", Objects: []string{"a"}}).Error()},
		{&situation.FieldError{Field: "at", Value: "noon", Problem: "not a time"}, 422, edge.Usage, (&situation.FieldError{Field: "at", Value: "noon", Problem: "not a time"}).Error()},
		{&stage.Error{Reason: "no such list"}, 422, edge.Usage, (&stage.Error{Reason: "no such list"}).Error()},
		{context.DeadlineExceeded, 503, edge.NoMap, "what goes before this takes long; try again in a moment"},
		{context.Canceled, edge.StatusGivenUp, edge.NoMap, "whoever asked has gone"},
		{errors.New("a secret"), 500, edge.NoMap, "the service could not answer; its log says why"},
	} {
		for _, err := range []error{c.err, fmt.Errorf("while it was tried: %w", c.err), errors.Join(c.err, errors.New("and the log failed"))} {
			p := edge.Problem(err)
			assert.Equal(t, c.status, p.Status, "%v", err)
			assert.Equal(t, c.detail, p.Detail, "%v", err)
			assert.Equal(t, c.exit, edge.Exit(err), "%v", err)
			assert.Equal(t, c.exit, edge.Exit(p.Err()), "%v, sent", err)
		}
	}
	assert.Equal(t, edge.NoMap, edge.Exit(&answer.Problem{Status: 502}))
	for err, wait := range map[error]int{&access.WaitError{Wait: 4 * time.Second}: 5, &access.BusyError{Wait: 5 * time.Second}: 5, context.DeadlineExceeded: 1, context.Canceled: 0} {
		assert.Equal(t, wait, edge.Problem(err).Wait, "%v", err)
	}
}
