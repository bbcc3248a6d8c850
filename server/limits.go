package server

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"gatemap/connect/scim"
	"gatemap/operator"
)

// What is answered at the same time, and by how many of it one client can hold up others.
const (
	maxAtOnce      = 256  // requests that are answered
	maxWaiting     = 1024 // requests that wait for that
	maxOfAddress   = 128  // requests of one address (of IPv6, one network of 64 bits), also while their bodies come
	longestQueue   = 10 * time.Second
	maxBody        = 1 << 20
	maxSignIn      = 16 << 10 // the body of those who are not known yet
	maxPush        = 64 << 20 // a group of 500,000 members
	longestBody    = 10 * time.Second
	longestPush    = 2 * time.Minute
	maxStreams     = 1024 // streams of events
	maxStreamsOf   = 32   // of one operator or token
	tooMuchAdvice  = "the service has more to do than it can; try again in a moment"
	tooManyFromOne = "too much at once comes from your address; try again in a moment"
)

// limits shares out the places in which requests are answered.
type limits struct {
	places, waiting chan struct{}

	mu        sync.Mutex
	addresses map[netip.Prefix]int
	streams   map[string]int
	streaming int
}

func newLimits() *limits {
	return &limits{
		places: make(chan struct{}, maxAtOnce), waiting: make(chan struct{}, maxAtOnce+maxWaiting),
		addresses: map[netip.Prefix]int{}, streams: map[string]int{},
	}
}

// full says whether no more requests are taken.
func (l *limits) full() bool { return len(l.waiting) == cap(l.waiting) }

// network is what counts as one client.
func network(r *http.Request) netip.Prefix {
	at, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return netip.Prefix{}
	}
	bits := 32
	if at.Addr().Unmap().Is6() {
		bits = 64
	}
	p, _ := at.Addr().Unmap().Prefix(bits) // no bits but these
	return p
}

// enter counts a request of an address; leave must be called where it is let in.
func (l *limits) enter(from netip.Prefix) (leave func(), ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.addresses[from] >= maxOfAddress {
		return nil, false
	}
	l.addresses[from]++
	return func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		if l.addresses[from]--; l.addresses[from] == 0 {
			delete(l.addresses, from)
		}
	}, true
}

// stream counts a stream of events of someone.
func (l *limits) stream(of string) (leave func(), ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.streaming >= maxStreams || l.streams[of] >= maxStreamsOf {
		return nil, false
	}
	l.streaming++
	l.streams[of]++
	return func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		l.streaming--
		if l.streams[of]--; l.streams[of] == 0 {
			delete(l.streams, of)
		}
	}, true
}

func busy(w http.ResponseWriter, status int, why string) {
	w.Header().Set("Retry-After", "1")
	writeProblem(w, &problem{Title: "Too much at once", Status: status, Detail: why, Wait: 1})
}

// limitNumber bounds how many requests are answered at the same time, how many wait for
// that, and how many of one address. A request takes its place when its body is there.
// What looks after the service itself, and streams, which have limits of their own, do not
// count.
func (s *Server) limitNumber(next http.Handler) http.Handler {
	l := s.limits
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/health", "/ready", "/metrics", "/api/v1/events":
			r.Body = http.NoBody
			next.ServeHTTP(w, r)
			return
		}
		leave, ok := l.enter(network(r))
		if !ok {
			busy(w, http.StatusTooManyRequests, tooManyFromOne)
			return
		}
		defer leave()
		select {
		case l.waiting <- struct{}{}:
			defer func() { <-l.waiting }()
		default:
			busy(w, http.StatusServiceUnavailable, tooMuchAdvice)
			return
		}
		if err := s.takeBody(w, r); err != nil {
			refuseBody(w, r, err)
			return
		}
		patience := time.NewTimer(longestQueue)
		defer patience.Stop()
		select {
		case l.places <- struct{}{}:
			defer func() { <-l.places }()
			next.ServeHTTP(w, r)
		case <-patience.C:
			busy(w, http.StatusServiceUnavailable, tooMuchAdvice)
		case <-r.Context().Done():
		}
	})
}

// takeBody reads the body of a request, as far as who sends it may send one, and as fast
// as it must come.
func (s *Server) takeBody(w http.ResponseWriter, r *http.Request) error {
	if r.Body == nil || r.Body == http.NoBody {
		return nil
	}
	most, longest := int64(maxBody), longestBody
	switch push := strings.HasPrefix(r.URL.Path, scimPath); {
	case push && s.service.Tokens.Pushes(bearer(r)) != "":
		most, longest = maxPush, longestPush
	case r.URL.Path == "/api/v1/sign-in":
		most = maxSignIn
	case push || !s.known(r):
		r.Body, r.ContentLength = http.NoBody, 0 // it is refused unread
		return nil
	}
	_ = http.NewResponseController(w).SetReadDeadline(time.Now().Add(longest)) // without it the usual limit holds
	var body bytes.Buffer
	_, err := body.ReadFrom(http.MaxBytesReader(w, r.Body, most))
	r.Body = io.NopCloser(&body)
	return err
}

// refuseBody says why a body was not taken.
func refuseBody(w http.ResponseWriter, r *http.Request, err error) {
	p := &problem{
		Title:  "Body missing",
		Status: http.StatusRequestTimeout,
		Detail: "the body did not come in time, or not whole",
	}
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		p = &problem{
			Title:  "Body too large",
			Status: http.StatusRequestEntityTooLarge,
			Detail: fmt.Sprintf("the body is longer than %d bytes", large.Limit),
		}
	}
	if strings.HasPrefix(r.URL.Path, scimPath) {
		scimFail(w, &scim.Error{Status: p.Status, Detail: p.Detail})
		return
	}
	writeProblem(w, p)
}

func (s *Server) known(r *http.Request) bool {
	_, ok := s.actor(r)
	return ok
}

// limitStreams bounds how many streams of events one caller has.
func (s *Server) limitStreams(w http.ResponseWriter, by operator.Actor) (leave func(), ok bool) {
	leave, ok = s.limits.stream(by.Name + " " + by.Token)
	if !ok {
		busy(w, http.StatusTooManyRequests, "you have too many streams of events open; close some")
	}
	return leave, ok
}

// methods are those that are counted by their names.
var methods = []string{
	http.MethodGet,
	http.MethodHead,
	http.MethodPost,
	http.MethodPut,
	http.MethodPatch,
	http.MethodDelete,
	http.MethodOptions,
}

func counted(method string) string {
	if slices.Contains(methods, method) {
		return method
	}
	return "other"
}
