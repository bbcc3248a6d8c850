package workspace_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/service/changeset"
	"gatemap/stage"
)

// Whoever listens slowly hears of the newest revision all the same, and of the newest trials.
func TestASlowListenerHearsOfRevisions(t *testing.T) {
	s := demoService(t)
	listening, stop := context.WithCancel(t.Context())
	defer stop()
	events := s.Events.Listen(listening)
	begin(t, s, "first")
	got, err := s.Trials.Stage(
		ctx,
		ada,
		"first",
		0,
		[]stage.Change{
			{Do: stage.SetGroup, Group: "night-crew", Field: "description", Value: []byte(`"Who works at night"`)},
		},
	)
	require.NoError(t, err)
	done, err := s.Commits.Commit(ctx, ada, "first", changeset.Committing{Version: got.Version, Reason: "told"})
	require.NoError(t, err)
	const many = 100
	for i := range many {
		begin(t, s, fmt.Sprintf("t%d", i))
		begin(t, s, fmt.Sprintf("x%d", i))
		require.NoError(t, s.Trials.Remove(ctx, ada, fmt.Sprintf("x%d", i), 0))
	}
	revision, trials, last := 0, 0, ""
	for last != fmt.Sprintf("x%d", many-1) {
		e := <-events
		revision = max(revision, e.Revision)
		if e.Trial != "" {
			trials, last = trials+1, e.Trial
		}
	}
	assert.Equal(t, done.Revision, revision)
	assert.Less(t, trials, many)
	stop()
	_, more := <-events
	assert.False(t, more)
}
