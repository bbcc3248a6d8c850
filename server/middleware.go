package server

import (
	"net/http"
	"runtime/debug"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"gatemap/answer"
)

type problem = answer.Problem

func writeProblem(w http.ResponseWriter, p *problem) {
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = writeJSON(w, p)
}

// record logs and counts each request. Paths are counted by their pattern, and
// queries, which name people, are not logged.
func (s *Server) record(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		begun := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		pattern := chi.RouteContext(r.Context()).RoutePattern()
		if pattern == "" {
			pattern = "console"
		}
		status, took := ww.Status(), time.Since(begun)
		if status == 0 {
			status = http.StatusOK
		}
		s.metrics.observe(counted(r.Method), pattern, status, took)
		s.log.Info("request", "method", r.Method, "path", r.URL.Path, "status", status,
			"bytes", ww.BytesWritten(), "took", took, "from", r.RemoteAddr, "request", middleware.GetReqID(r.Context()))
	})
}

// recover turns a panic into a problem that tells nothing of the inside.
func (s *Server) recover(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil {
				if p == http.ErrAbortHandler {
					panic(p)
				}
				s.log.Error("panic", "value", p, "path", r.URL.Path, "stack", string(debug.Stack()))
				writeProblem(
					w,
					&problem{
						Title:  "The service failed",
						Status: http.StatusInternalServerError,
						Detail: "the service could not answer; its log says why",
					},
				)
			}
		}()
		next.ServeHTTP(w, r)
	})
}

func securityHeaders(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set(
			"Content-Security-Policy",
			"default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; img-src 'self' data:; "+
				"connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
		)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), geolocation=(), microphone=()")
		h.Set("Cache-Control", "no-store")
		if r.TLS != nil {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}
