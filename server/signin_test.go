package server_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"runtime"
	"sync"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/access"
)

// Many sign-ins at once take neither the memory of the host nor more tries than as many
// one after the other.
func TestManySignInsAtOnce(t *testing.T) {
	r := start(t)
	var mu sync.Mutex
	statuses := map[int]int{}
	var peak uint64
	done := make(chan struct{})
	var watch, work sync.WaitGroup
	watch.Go(func() {
		for {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			peak = max(peak, m.HeapInuse)
			select {
			case <-done:
				return
			case <-time.After(5 * time.Millisecond):
			}
		}
	})
	for i := range 60 {
		work.Go(func() {
			name := fmt.Sprint("n", i)
			if i < 30 {
				name = "nadia"
			}
			status := r.status(
				t,
				"POST",
				"/api/v1/sign-in",
				"",
				fmt.Sprintf(`{"name":%q,"password":"eleven domes in a row"}`, name),
			)
			mu.Lock()
			defer mu.Unlock()
			statuses[status]++
		})
	}
	work.Wait()
	close(done)
	watch.Wait()
	assert.Equal(t, 60, statuses[401]+statuses[429]+statuses[503], "%v", statuses)
	assert.Positive(t, statuses[401])
	assert.LessOrEqual(t, statuses[401], 20, "as many tries as an address has")
	assert.Less(t, peak, uint64(700<<20), "at most a few hashes of 64 MiB")
}

// A stream of events ends when the token or the session that opened it does, and as a whole
// answer, also where what was sent last had to be written long ago.
func TestStreamsEndWithTheSignIn(t *testing.T) {
	usual := sse.WriteTimeout
	sse.WriteTimeout = time.Second                 // what ends streams looks every two
	t.Cleanup(func() { sse.WriteTimeout = usual }) // when the service has ended
	r := start(t)
	password := "eleven domes in a row"
	_, err := r.service.Operators.Set(ctx, operator.Service, "edda", 0, answer.OperatorChange{Password: &password})
	require.NoError(t, err)
	session, _, err := r.service.Sessions.SignIn(ctx, access.SignIn{Name: "edda", Password: password}, "192.0.2.1")
	require.NoError(t, err)
	token, err := r.service.Tokens.Create(ctx, operator.Service, answer.TokenChange{Name: "short", Role: "viewer"})
	require.NoError(t, err)
	stays, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	open := func(header, value string) <-chan error {
		request, err := http.NewRequestWithContext(stays, "GET", r.URL+"/api/v1/events", nil)
		require.NoError(t, err)
		request.Header.Set(header, value)
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		require.Equal(t, 200, response.StatusCode)
		ended := make(chan error, 1)
		go func() {
			defer response.Body.Close()
			_, err := io.Copy(io.Discard, response.Body)
			ended <- err
		}()
		return ended
	}
	console, program, other := open(
		"Cookie",
		"gatemap_session="+session,
	), open(
		"Authorization",
		"Bearer "+token.Token,
	), open(
		"Authorization",
		"Bearer "+r.token,
	)
	again := "twelve domes in a row"
	_, err = r.service.Operators.Set(ctx, operator.Service, "edda", 0, answer.OperatorChange{Password: &again})
	require.NoError(t, err)
	assert.NoError(t, <-console)
	require.NoError(t, r.service.Tokens.Revoke(ctx, operator.Service, "short"))
	assert.NoError(t, <-program)
	select {
	case err := <-other:
		assert.Fail(t, "who is signed in is cut off", "%v", err)
	default:
	}
	cancel()
	<-other
}
