package service_test

import (
	"encoding/json"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/demo"
	"gatemap/operator"
	"gatemap/service"
	"gatemap/stage"
)

var ada = operator.Actor{Name: "ada.lindqvist", Role: operator.Approver}

// demoService is a service with the demo's map.
func demoService(t *testing.T) *service.Service {
	t.Helper()
	s, err := service.Open(t.Context(), t.TempDir(), slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	s.Allow(connect.Host{Files: demo.Map()})
	f, err := service.ReadFS(demo.Map())
	require.NoError(t, err)
	_, err = s.CommitFolder(t.Context(), f, "test", "the demo")
	require.NoError(t, err)
	return s
}

func staged(do stage.Do, set func(*stage.Change)) stage.Change {
	c := stage.Change{Do: do}
	set(&c)
	return c
}

func raw(v any) json.RawMessage {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return b
}

func TestATrialTellsWhoGainsAndLosesAndIsCommitted(t *testing.T) {
	s := demoService(t)
	_, err := s.BeginTrial(t.Context(), ada, "season", "Ilse becomes an engineer")
	require.NoError(t, err)
	trial, err := s.Stage(t.Context(), ada, "season", 0, []stage.Change{
		staged(stage.SetUser, func(c *stage.Change) { c.User, c.Attribute, c.Value = "ilse.okonjo", "title", raw("Dome engineer") }),
		staged(stage.Leave, func(c *stage.Change) { c.Group, c.Member = "night-assistants", "ilse.okonjo" }),
	})
	require.NoError(t, err)
	assert.Equal(t, "Sets title of cindervale/ilse.okonjo to Dome engineer (was Night assistant).", trial.Changes[0].Sentence)
	assert.Equal(t, "Removes cindervale/ilse.okonjo from the group cindervale/night-assistants.", trial.Changes[1].Sentence)
	out, err := s.Outcome(t.Context(), "season", service.Outcoming{})
	require.NoError(t, err)
	assert.Positive(t, out.Total.Losses)
	for _, x := range out.Items {
		t.Log(x.Effect, x.User, x.Entitlement().System, x.Entitlement().Object, x.Entitlement().Right)
	}
	done, err := s.CommitTrial(t.Context(), ada, "season", service.Committing{Version: version(s, "season"), Reason: "She starts on Monday", Key: "k1"})
	require.NoError(t, err)
	assert.Equal(t, 2, done.Revision)
	again, err := s.CommitTrial(t.Context(), ada, "season", service.Committing{Version: version(s, "season"), Reason: "She starts on Monday", Key: "k1"})
	require.NoError(t, err)
	assert.True(t, again.Again)
	back, err := s.Revert(t.Context(), ada, 2, "")
	require.NoError(t, err)
	for _, c := range back.Changes {
		t.Log(c.Sentence)
	}
	_, err = s.CommitTrial(t.Context(), ada, back.Name, service.Committing{Version: version(s, back.Name), Reason: "Not yet"})
	require.NoError(t, err)
}
