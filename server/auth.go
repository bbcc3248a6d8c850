package server

import (
	"context"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/service"
)

// cookie is the name of the cookie that holds a console's session.
const cookie = "gatemap_session"

var unauthorized = &problem{
	Title: "Not signed in", Status: http.StatusUnauthorized,
	Detail: "this call needs a token of the service in the header Authorization: Bearer TOKEN",
}

// authenticate lets through who brings a token (RFC 6750) or, from the
// console, a session. A wrong token and a missing one get the same answer in
// the same time.
func (s *Server) authenticate(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.service.Opens(bearer(r)) || s.inSession(r) {
			next.ServeHTTP(w, r)
			return
		}
		w.Header().Set("WWW-Authenticate", `Bearer realm="Gate Map"`)
		writeProblem(w, unauthorized)
	})
}

func bearer(r *http.Request) string {
	scheme, token, _ := strings.Cut(r.Header.Get("Authorization"), " ")
	if !strings.EqualFold(scheme, "Bearer") {
		return ""
	}
	return strings.TrimSpace(token)
}

// inSession says whether the request comes from a signed-in console. Sessions
// are for reading: whoever changes something must bring a token.
func (s *Server) inSession(r *http.Request) bool {
	c, err := r.Cookie(cookie)
	if err != nil || r.Method != http.MethodGet {
		return false
	}
	ok, err := s.service.Session(r.Context(), c.Value)
	if err != nil {
		s.log.Error("session", "error", err)
	}
	return ok
}

// sessions are the calls by which the console signs in and out.
func sessions(api huma.API, s *service.Service) {
	huma.Register(api, huma.Operation{
		Method: http.MethodPost, Path: "/session", OperationID: "sign-in", Summary: "Sign in to the console with a token",
		Security: []map[string][]string{}, DefaultStatus: http.StatusNoContent,
		Errors: []int{http.StatusUnauthorized, http.StatusUnprocessableEntity},
	}, func(ctx context.Context, in *struct {
		Body struct {
			Token string `json:"token" minLength:"1" doc:"A token of this service."`
		}
	}) (*cookieReply, error) {
		token := strings.TrimSpace(in.Body.Token)
		if !s.Opens(token) {
			return nil, &problem{Title: "Wrong token", Status: http.StatusUnauthorized, Detail: "this is not a token of this service"}
		}
		session, err := s.SignIn(ctx, token)
		if err != nil {
			return nil, answer.ProblemOf(err)
		}
		return &cookieReply{sessionCookie(session, int(service.SessionLength.Seconds()))}, nil
	})
	huma.Register(api, huma.Operation{
		Method: http.MethodGet, Path: "/session", OperationID: "session", Summary: "Whether the console is signed in",
		Security: []map[string][]string{},
	}, func(ctx context.Context, in *struct {
		Session string `cookie:"gatemap_session"`
	}) (*reply[answer.Session], error) {
		holds, err := s.Session(ctx, in.Session)
		if err != nil {
			return nil, answer.ProblemOf(err)
		}
		return &reply[answer.Session]{&answer.Session{SignedIn: holds}}, nil
	})
	huma.Register(api, huma.Operation{
		Method: http.MethodDelete, Path: "/session", OperationID: "sign-out", Summary: "End the console's session",
		Security: []map[string][]string{}, DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *struct {
		Session string `cookie:"gatemap_session"`
	}) (*cookieReply, error) {
		if err := s.SignOut(ctx, in.Session); err != nil {
			return nil, answer.ProblemOf(err)
		}
		return &cookieReply{sessionCookie("", -1)}, nil
	})
}

// cookieReply has no body and sets a cookie.
type cookieReply struct {
	Cookie http.Cookie `header:"Set-Cookie"`
}

func sessionCookie(value string, age int) http.Cookie {
	return http.Cookie{Name: cookie, Value: value, Path: "/", MaxAge: age, HttpOnly: true, SameSite: http.SameSiteStrictMode}
}
