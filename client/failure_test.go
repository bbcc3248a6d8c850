package client_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/client"
	"gatemap/core/directory"
	"gatemap/core/situation"
)

// What a service answers with instead of an answer is told in words that say what to do.
func TestWhatGoesWrongIsTold(t *testing.T) {
	for name, c := range map[string]struct {
		status  int
		content string
		body    string
		want    string
	}{
		"no token":      {http.StatusUnauthorized, "application/problem+json", `{"title":"Unauthorized","status":401}`, "set GATEMAP_TOKEN or --token-file"},
		"not allowed":   {http.StatusForbidden, "application/problem+json", `{"title":"Forbidden","status":403,"detail":"this token may not commit"}`, "may not commit"},
		"a wrong field": {http.StatusUnprocessableEntity, "application/problem+json", `{"title":"Unprocessable","status":422,"type":"/problems/bad-value","field":"from","value":"x","problem":"not an address"}`, `from "x": not an address`},
		"no service":    {http.StatusOK, "text/html", "<html>a page of something else</html>", "http://"},
		"broken off":    {http.StatusOK, "application/json", `{"user": "cinderv`, "http://"},
		"in front":      {http.StatusBadGateway, "text/plain", "no route\n", "502"},
	} {
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", c.content)
			w.WriteHeader(c.status)
			fmt.Fprint(w, c.body)
		}))
		by, err := client.New(s.URL, "a token")
		require.NoError(t, err)
		_, err = by.Reach(t.Context(), "ilse.okonjo", "", situation.Situation{})
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.want, name)
		s.Close()
	}
}

// A name that leads to nothing comes through as such, with what is near.
func TestAMissingNameIsToldAsOnAFolder(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusNotFound)
		fmt.Fprint(
			w,
			`{"type":"/problems/no-such-name","title":"Not Found","status":404,"kind":"user","name":"ilse.okonj","near":["ilse.okonjo"]}`,
		)
	}))
	defer s.Close()
	by, err := client.New(s.URL, "a token")
	require.NoError(t, err)
	_, err = by.Reach(t.Context(), "ilse.okonj", "", situation.Situation{})
	var missing *directory.NotFoundError
	require.ErrorAs(t, err, &missing)
	assert.Equal(t, []string{"ilse.okonjo"}, missing.Near)
	assert.Contains(t, err.Error(), `there is no user "ilse.okonj"`)
}

// Events of a service are read one after the other, whatever stands between them, and
// reading ends where the visitor has had enough.
func TestEventsAreReadUntilEnough(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "Bearer a token", r.Header.Get("Authorization"))
		w.Header().Set("Content-Type", "text/event-stream")
		fmt.Fprint(
			w,
			": still here\n\nevent: revision\ndata: {\"revision\": 7}\n\nevent: revision\ndata: {\"revision\": 8}\n\nevent: revision\ndata: {\"revision\": 9}\n\n",
		)
	}))
	defer s.Close()
	by, err := client.New(s.URL, "a token")
	require.NoError(t, err)
	var seen []int
	require.NoError(t, by.Events(t.Context(), func(e client.Event) bool {
		seen = append(seen, e.Revision)
		return len(seen) < 2
	}))
	assert.Equal(t, []int{7, 8}, seen)
}
