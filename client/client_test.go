package client_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/situation"
)

// paged is a service whose lists come in pages of one; the page with the number wrong is
// refused.
func paged(t *testing.T, users []string, wrong int) *client.Client {
	t.Helper()
	asked := 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		at := 0
		if c := r.URL.Query().Get("cursor"); c != "" {
			_, err := fmt.Sscanf(c, "after %d", &at)
			assert.NoError(t, err)
		}
		if asked++; asked == wrong {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		next := ""
		if at+1 < len(users) {
			next = fmt.Sprintf("after %d", at+1)
		}
		var body any
		switch r.URL.Path {
		case "/api/v1/who":
			body = answer.Who{
				Right: r.URL.Query().Get("right"),
				Users: []answer.Holder{{User: users[at]}},
				Total: len(users),
				Next:  next,
			}
		case "/api/v1/members":
			body = answer.Members{
				Group:   r.URL.Query().Get("group"),
				Members: []answer.Member{{User: users[at]}},
				Total:   len(users),
				Next:    next,
			}
		case "/api/v1/trials/season/outcome":
			body = answer.Outcome{Version: 1, Items: []answer.Effected{{User: users[at]}}, Next: next}
		case "/api/v1/trials/moving/outcome":
			body = answer.Outcome{Version: asked, Items: []answer.Effected{{User: users[at]}}, Next: next}
		default:
			t.Errorf("asked for %s", r.URL.Path)
		}
		assert.NoError(t, json.NewEncoder(w).Encode(body))
	}))
	t.Cleanup(s.Close)
	c, err := client.New(s.URL, "a token")
	require.NoError(t, err)
	return c
}

// A list that comes by page is told whole, or not at all.
func TestPagesAreJoined(t *testing.T) {
	for _, users := range [][]string{{"ilse"}, {"ilse", "rana", "teo"}} {
		c := paged(t, users, 0)
		w, err := c.Who(t.Context(), "archive", "frames:read", "/", situation.Situation{})
		require.NoError(t, err)
		var got []string
		for _, u := range w.Users {
			got = append(got, u.User)
		}
		assert.Equal(t, users, got)
		assert.Equal(t, []any{"frames:read", len(users), ""}, []any{w.Right, w.Total, w.Next})
		m, err := c.Members(t.Context(), "night-crew")
		require.NoError(t, err)
		got = nil
		for _, u := range m.Members {
			got = append(got, u.User)
		}
		assert.Equal(t, users, got)
		o, err := c.WholeOutcome(t.Context(), "season", situation.Situation{}, answer.Part{})
		require.NoError(t, err)
		assert.Len(t, o.Items, len(users))
		assert.Empty(t, o.Next)
		assert.Equal(t, []any{"night-crew", len(users), ""}, []any{m.Group, m.Total, m.Next})
	}
	m, err := paged(t, []string{"ilse", "rana", "teo"}, 2).Members(t.Context(), "night-crew")
	require.Error(t, err)
	_, err = paged(
		t,
		[]string{"ilse", "rana", "teo"},
		0,
	).WholeOutcome(t.Context(), "moving", situation.Situation{}, answer.Part{})
	assert.ErrorContains(t, err, "changed while its outcome was read")
	assert.Nil(t, m, "a part of a list is none")
}
