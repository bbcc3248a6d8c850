package server_test

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Who guesses is told how long to wait, in the answer and in Retry-After (RFC 9110 section
// 10.2.3).
func TestWhoGuessesIsToldHowLongToWait(t *testing.T) {
	r := start(t)
	for range 5 {
		status, header, _ := r.call(t, "POST", "/api/v1/sign-in", "", `{"name":"edda","password":"wrong"}`)
		assert.Equal(t, 401, status)
		assert.Empty(t, header.Get("Retry-After"))
	}
	status, header, body := r.call(t, "POST", "/api/v1/sign-in", "", `{"name":"edda","password":"wrong"}`)
	for range 5 { // where the machine is slow, the first waits of seconds may pass between two calls
		if status == 429 {
			break
		}
		status, header, body = r.call(t, "POST", "/api/v1/sign-in", "", `{"name":"edda","password":"wrong"}`)
	}
	assert.Equal(t, 429, status)
	wait, err := strconv.Atoi(header.Get("Retry-After"))
	require.NoError(t, err)
	assert.Positive(t, wait)
	assert.Contains(t, body, `"wait":`+strconv.Itoa(wait))
}
