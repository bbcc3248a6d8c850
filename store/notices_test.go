package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/store"
)

// What comes while something is sent that does not arrive waits with it, and arrives after it.
func TestNoticesStayInTheirOrder(t *testing.T) {
	s, err := store.Open(t.Context(), t.TempDir(), "")
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	at := func(seconds int) time.Time {
		return time.Date(2026, 11, 29, 20, 0, seconds, 0, time.UTC)
	}
	tell := func(body string, when time.Time) {
		require.NoError(t, s.Tell(t.Context(), "night", nil, []store.Notice{{At: when, Due: when, Body: []byte(body)}}))
	}
	due := func(now time.Time) (bodies []string) {
		list, err := s.DueNotices(t.Context(), "night", now, 10)
		require.NoError(t, err)
		for _, n := range list {
			bodies = append(bodies, string(n.Body))
		}
		return bodies
	}
	tell("began", at(0))
	require.Equal(t, []string{"began"}, due(at(1)))
	tell("over", at(2))
	require.NoError(t, s.DelayNotices(t.Context(), "night", at(1), at(5), "503"))
	assert.Empty(t, due(at(3)), "over must not arrive before began")
	assert.Equal(t, []string{"began", "over"}, due(at(5)))
	list, err := s.DueNotices(t.Context(), "night", at(5), 10)
	require.NoError(t, err)
	assert.Equal(t, 1, list[0].Tries)
	assert.Equal(t, "503", list[0].Error)
	assert.Zero(t, list[1].Tries, "it was not tried")
	assert.Empty(t, list[1].Error)
}
