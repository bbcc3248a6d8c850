// Package server speaks HTTP for the service: the API, the console's files,
// sign-in, health and metrics. What the answers are is not its business.
package server

import (
	"context"
	"crypto/tls"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"gatemap/operator"
	"gatemap/workspace"
)

// The limits of one connection.
const (
	readTimeout   = 10 * time.Second
	answerTimeout = 60 * time.Second
	idleTimeout   = 2 * time.Minute
	maxHeader     = 32 << 10
	longestBackup = time.Hour
	stopTimeout   = 15 * time.Second
)

// Server is the HTTP side of one service.
type Server struct {
	service *workspace.Service
	log     *slog.Logger
	metrics *metrics
	kept    *kept
	limits  *limits
	console fs.FS
	version string

	// Address is that of the service as its clients see it, for what it tells of places
	// (RFC 7644 section 3.1); the header Host of a request is never believed.
	Address string
	// Provider signs operators in by OpenID Connect; nil: nobody is signed in so.
	Provider *Provider
	// TLS serves HTTPS; nil: plain HTTP.
	TLS *tls.Config
}

// New makes a server. console holds the built files of the console.
func New(s *workspace.Service, console fs.FS, version string, log *slog.Logger) *Server {
	return &Server{
		service: s,
		log:     log,
		metrics: newMetrics(s),
		kept:    newKept(),
		limits:  newLimits(),
		console: console,
		version: version,
	}
}

// Handler is everything that the server answers.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(middleware.RequestID, s.record, s.recover, s.limitNumber, securityHeaders)
	r.Get("/health", func(w http.ResponseWriter, _ *http.Request) { writeText(w, http.StatusOK, "alive\n") })
	r.Get("/ready", s.ready)
	r.Method(http.MethodGet, "/metrics", s.authenticate(requires(operator.Read)(s.metrics.handler())))
	r.Route(scimPath, s.scim)
	r.Route("/api/v1", func(open chi.Router) {
		closed := open.With(s.authenticate)
		description := Operations(open, closed, closed.With(s.keep), s.service, s.Provider, s.version)
		closed.Get("/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "application/openapi+json")
			_ = writeJSON(w, description) // who asked may have gone
		})
		open.NotFound(func(w http.ResponseWriter, _ *http.Request) {
			writeProblem(
				w,
				&problem{
					Title:  "No such operation",
					Status: http.StatusNotFound,
					Detail: "the API has no operation at this path; GET /api/v1/openapi.json lists them",
				},
			)
		})
	})
	r.With(middleware.Compress(compression)).Get("/api", s.serveReference)
	r.NotFound(middleware.Compress(compression)(http.HandlerFunc(s.serveConsole)).ServeHTTP)
	return r
}

// Serve answers on a listener until the context ends; then it takes no new
// requests, finishes those that it has, and returns.
func (s *Server) Serve(ctx context.Context, l net.Listener) error {
	srv := &http.Server{
		Handler: s.Handler(), ReadHeaderTimeout: readTimeout, ReadTimeout: readTimeout, // of the body: takeBody
		WriteTimeout: answerTimeout, IdleTimeout: idleTimeout, MaxHeaderBytes: maxHeader,
		ErrorLog: slog.NewLogLogger(s.log.Handler(), slog.LevelWarn),
	}
	srv.RegisterOnShutdown(s.service.Stop) // what would go on for ever ends first
	stopped := make(chan error, 1)
	go func() {
		<-ctx.Done()
		s.log.Info("stopping: finishing what is being answered")
		grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopTimeout)
		defer cancel()
		stopped <- srv.Shutdown(grace)
	}()
	serve := srv.Serve
	if s.TLS != nil {
		srv.TLSConfig = s.TLS
		serve = func(l net.Listener) error { return srv.ServeTLS(l, "", "") }
	}
	if err := serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return <-stopped
}

func (s *Server) ready(w http.ResponseWriter, r *http.Request) {
	if s.limits.full() {
		writeText(w, http.StatusServiceUnavailable, "the queue of requests is full\n")
		return
	}
	if err := s.service.Ready(r.Context()); err != nil {
		s.log.Error("not ready", "error", err)
		writeText(w, http.StatusServiceUnavailable, "the database does not answer, or cannot be written\n")
		return
	}
	writeText(w, http.StatusOK, "ready\n")
}

func writeText(w http.ResponseWriter, status int, text string) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.WriteHeader(status)
	_, _ = w.Write([]byte(text))
}
