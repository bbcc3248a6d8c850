package server_test

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/operator"
)

// from is a client at an address of this machine.
func from(address string) *http.Client {
	d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}}
	return &http.Client{
		Transport: &http.Transport{DialContext: d.DialContext, DisableKeepAlives: true},
		Timeout:   20 * time.Second,
	}
}

func (r *running) at(t *testing.T, c *http.Client, path string) int {
	t.Helper()
	request, err := http.NewRequest("GET", r.URL+path, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+r.token)
	response, err := c.Do(request)
	require.NoError(t, err)
	response.Body.Close()
	return response.StatusCode
}

// Bodies that do not come hold up whoever sends them, and nobody else.
func TestSlowBodiesTakeNoPlaces(t *testing.T) {
	r := start(t)
	address := strings.TrimPrefix(r.URL, "http://")
	for i := range 300 {
		c, err := net.Dial("tcp", address)
		require.NoError(t, err)
		defer c.Close()
		path := "/api/v1/sign-in"
		if i%2 == 0 {
			path = "/api/v1/trials"
		}
		_, err = fmt.Fprintf(
			c,
			"POST %s HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{",
			path,
			r.token,
		)
		require.NoError(t, err)
	}
	require.Eventually(
		t,
		func() bool { return r.at(t, from("127.0.0.1"), "/api/v1/map") == 429 },
		5*time.Second,
		10*time.Millisecond,
	)
	for range 20 {
		assert.Equal(t, 200, r.at(t, from("127.0.0.2"), "/api/v1/map"), "others are answered as ever")
	}
	assert.Equal(t, 200, r.at(t, from("127.0.0.1"), "/ready"), "the service itself is fine")
}

// Nobody who is not known makes the service take in a body.
func TestBodiesOfStrangersAreNotRead(t *testing.T) {
	r := start(t)
	for path, want := range map[string]string{"/api/v1/trials": " 401 ", "/scim/v2/Users": " 401 ", "/api/v1/sign-in": " 413 "} {
		c, err := net.Dial("tcp", strings.TrimPrefix(r.URL, "http://"))
		require.NoError(t, err)
		defer c.Close()
		require.NoError(t, c.SetDeadline(time.Now().Add(5*time.Second)))
		_, err = fmt.Fprintf(
			c,
			"POST %s HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer wrong\r\nContent-Type: application/json\r\nContent-Length: 1000000\r\n\r\n%s",
			path,
			strings.Repeat(" ", 20<<10),
		)
		require.NoError(t, err)
		answer := make([]byte, 512)
		n, err := c.Read(answer)
		require.NoError(t, err, path)
		assert.Contains(t, string(answer[:n]), want, path)
	}
}

// A body that is cut off, or too long, is not a failure of the service.
func TestBodiesThatAreNotWhole(t *testing.T) {
	r := start(t)
	c, err := net.Dial("tcp", strings.TrimPrefix(r.URL, "http://"))
	require.NoError(t, err)
	_, err = fmt.Fprintf(
		c,
		"POST /api/v1/trials HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{",
		r.token,
	)
	require.NoError(t, err)
	require.NoError(t, c.(*net.TCPConn).CloseWrite())
	raw, err := io.ReadAll(c)
	require.NoError(t, err)
	c.Close()
	assert.NotContains(t, string(raw), " 500 ")
	assert.Equal(t, 413, r.status(t, "POST", "/api/v1/trials", r.token, `{"name":"`+strings.Repeat("x", 1<<20)+`"}`))
	assert.Equal(
		t,
		201,
		r.status(t, "POST", "/api/v1/trials", r.token, `{"name":"long","note":"`+strings.Repeat("x", 1<<19)+`"}`),
	)
}

// Whoever gives up is no failure of the service.
func TestGivingUpIsNoFailure(t *testing.T) {
	r := start(t)
	for i := range 200 {
		short, stop := context.WithTimeout(ctx, time.Duration(i)*20*time.Microsecond)
		request, err := http.NewRequestWithContext(short, "GET", r.URL+"/api/v1/matrix?system=archive", nil)
		require.NoError(t, err)
		request.Header.Set("Authorization", "Bearer "+r.token)
		if response, err := http.DefaultClient.Do(request); err == nil {
			response.Body.Close()
		}
		stop()
	}
	_, _, text := r.call(t, "GET", "/metrics", r.token, "")
	assert.NotContains(t, text, `status="500"`)
	assert.NotContains(t, r.log.String(), "level=ERROR")
}

// One caller has some streams of events, and others still have theirs.
func TestStreamsAreLimitedByCaller(t *testing.T) {
	r := start(t)
	other := r.person(t, "other.viewer", operator.Viewer)
	open := func(token string) int {
		stays, stop := context.WithCancel(ctx)
		t.Cleanup(stop)
		request, err := http.NewRequestWithContext(stays, "GET", r.URL+"/api/v1/events", nil)
		require.NoError(t, err)
		request.Header.Set("Authorization", "Bearer "+token)
		response, err := http.DefaultTransport.RoundTrip(request)
		require.NoError(t, err)
		return response.StatusCode
	}
	for range 32 {
		require.Equal(t, 200, open(r.token))
	}
	assert.Equal(t, 429, open(r.token))
	assert.Equal(t, 200, open(other))
}

// The service is ready where it can write, and not where it cannot.
func TestReadinessTellsTheTruth(t *testing.T) {
	r := start(t)
	assert.Equal(t, 200, r.at(t, http.DefaultClient, "/ready"))
	require.NoError(t, os.Rename(r.folder, r.folder+".gone"))
	defer func() { _ = os.Rename(r.folder+".gone", r.folder) }()
	require.Eventually(
		t,
		func() bool { return r.at(t, http.DefaultClient, "/ready") == 503 },
		5*time.Second,
		100*time.Millisecond,
	)
	assert.Equal(t, 200, r.at(t, http.DefaultClient, "/health"), "it is alive all the same")
}

// Methods that nobody knows are counted as one.
func TestStrangeMethodsDoNotFillTheMetrics(t *testing.T) {
	r := start(t)
	for i := range 50 {
		r.status(t, fmt.Sprint("FETCH", i), "/api/v1/map", r.token, "")
	}
	_, _, text := r.call(t, "GET", "/metrics", r.token, "")
	assert.NotContains(t, text, "FETCH")
	assert.Contains(t, text, `method="other"`)
}
