package workspace_test

import (
	"fmt"
	"runtime"
	"testing"
	"time"
	"weak"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/service/changeset"
	"gatemap/stage"
)

// The map of a revision that is no longer in force is free once nobody reads it, whatever was
// asked of it, tried on it and listened to.
func TestOldMapsAreFree(t *testing.T) {
	s := demoService(t)
	events := s.Events.Listen(t.Context())
	go func() {
		for range events {
		}
	}()
	var olds []weak.Pointer[atlas.Atlas]
	for i := range 4 {
		olds = append(olds, weak.Make(s.Head().Atlas))
		_ = s.Head().Found()
		_, err := s.Head().Guarantees(ctx)
		require.NoError(t, err)
		named := fmt.Sprint("t", i)
		begin(
			t,
			s,
			named,
			stage.Change{
				Do:    stage.SetGroup,
				Group: "night-crew",
				Field: "description",
				Value: fmt.Appendf(nil, `"told %d times"`, i),
			},
		)
		_, err = s.Outcomes.Outcome(ctx, named, changeset.Outcoming{})
		require.NoError(t, err)
		_, err = s.Trials.List(ctx, ada, 0, "")
		require.NoError(t, err)
		_, err = s.Commits.Commit(ctx, ada, named, changeset.Committing{Version: version(s, named), Reason: "told"})
		require.NoError(t, err)
	}
	deadline := time.Now().Add(10 * time.Second)
	for i := range olds {
		for olds[i].Value() != nil && time.Now().Before(deadline) {
			runtime.GC()
			time.Sleep(time.Millisecond)
		}
		assert.True(t, olds[i].Value() == nil, "the map of revision %d is kept", i+1)
	}
}
