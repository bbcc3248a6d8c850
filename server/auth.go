package server

import (
	"context"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"gatemap/answer"
	"gatemap/edge"
	"gatemap/operator"
	"gatemap/service/access"
	"gatemap/workspace"
)

// cookie is the name of the cookie that holds a console's session.
const cookie = "gatemap_session"

var unauthorized = &problem{
	Title: "Not signed in", Status: http.StatusUnauthorized,
	Detail: "this call needs a token in the header Authorization: Bearer TOKEN, or a console session",
}

// crossOrigin refuses what a page of another origin makes a browser send: by
// Sec-Fetch-Site, or, from older browsers, by Origin.
var crossOrigin = http.NewCrossOriginProtection()

// authenticate lets through who brings a token (RFC 6750) or, from the console, a
// session. A wrong token and a missing one get the same answer in the same time.
func (s *Server) authenticate(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		a, ok := s.actor(r)
		if !ok {
			w.Header().Set("WWW-Authenticate", `Bearer realm="Gate Map"`)
			writeProblem(w, unauthorized)
			return
		}
		a.Origin = origin(r)
		if a.How != "token" || bearer(r) == "" {
			if err := crossOrigin.Check(r); err != nil {
				s.service.Audit.Refused(r.Context(), a, r.Method+" "+r.URL.Path, "from a page of another origin")
				writeProblem(w, &problem{Title: "Not allowed", Status: http.StatusForbidden,
					Detail: "this request came from a page of another origin: the console accepts only its own pages"})
				return
			}
		}
		ctx := operator.With(r.Context(), a)
		if strings.HasSuffix(r.URL.Path, "/events") {
			leave, ok := s.limitStreams(w, a)
			if !ok {
				return
			}
			defer leave()
			var cancel context.CancelFunc
			ctx, cancel = context.WithCancel(ctx)
			defer cancel()
			go s.cutOff(ctx, r, cancel)
			defer endStream(w)
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// recheck is how often it is looked whether who reads a stream is still signed in.
const recheck = 2 * time.Second

// cutOff ends a stream when the token or the session that opened it does.
func (s *Server) cutOff(ctx context.Context, r *http.Request, end context.CancelFunc) {
	tick := time.NewTicker(recheck)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if _, ok := s.actor(r); !ok {
				end()
				return
			}
		}
	}
}

// endStream gives the end of a stream time to be written: what was sent last had a
// deadline, which has passed since.
func endStream(w http.ResponseWriter) {
	// Without a deadline of its own the stream ends in the middle.
	_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(sse.WriteTimeout))
}

// actor is who makes a request.
func (s *Server) actor(r *http.Request) (operator.Actor, bool) {
	if token := bearer(r); token != "" {
		return s.service.Tokens.ByToken(token)
	}
	c, err := r.Cookie(cookie)
	if err != nil {
		return operator.Actor{}, false
	}
	a, ok, err := s.service.Sessions.BySession(r.Context(), c.Value)
	if err != nil {
		s.log.Error("session", "error", err)
	}
	return a, ok
}

// origin is the address that a request comes from.
func origin(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

func bearer(r *http.Request) string {
	scheme, token, _ := strings.Cut(r.Header.Get("Authorization"), " ")
	if !strings.EqualFold(scheme, "Bearer") {
		return ""
	}
	return strings.TrimSpace(token)
}

// requires lets through who has a right and is not bound to some systems.
func requires(right operator.Right) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			by := operator.From(r.Context())
			err := by.May(right)
			if err == nil && by.Systems != nil {
				err = limited(by)
			}
			if err != nil {
				writeProblem(w, edge.Problem(err))
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

// How operations show what tokens that are bound to some systems may not see.
const (
	boundTo   = "x-bound-to"
	bySystem  = "system" // the parameter system, or the name in the path, must be one of them
	byNothing = "none"   // it shows nothing of systems
)

// authorize sees that who makes a call has the right that its operation needs.
func authorize(s *workspace.Service) func(huma.Context, func(huma.Context)) {
	return func(c huma.Context, next func(huma.Context)) {
		o, by := c.Operation(), operator.From(c.Context())
		right, _ := o.Extensions[rightOf].(string)
		err := by.May(operator.Right(right))
		if err == nil && by.Systems != nil && right != "" {
			err = bound(c, by)
		}
		if err == nil {
			next(c)
			return
		}
		s.Audit.Refused(c.Context(), by, o.OperationID, err.Error())
		p := edge.Problem(err)
		c.SetHeader("Content-Type", p.ContentType(""))
		c.SetStatus(p.Status)
		_ = writeJSON(c.BodyWriter(), p)
	}
}

// bound sees that a token that opens some systems is not used for others.
func bound(c huma.Context, by operator.Actor) error {
	switch c.Operation().Extensions[boundTo] {
	case byNothing:
		return nil
	case bySystem:
		system := c.Query("system")
		if strings.HasPrefix(c.Operation().Path, "/systems/") {
			system = unescape(c.Param("name"))
		}
		if system != "" && by.Sees(system) {
			return nil
		}
	}
	return limited(by)
}

func limited(by operator.Actor) error {
	return &operator.ForbiddenError{Actor: by, Reason: by.Name + " opens " + strings.Join(by.Systems, ", ") +
		" only: name one of them in system, if the call takes one"}
}

// sessions are the calls by which the console signs in and out.
func sessions(api huma.API, s *workspace.Service, p *Provider) {
	open := func(method, path, id, summary string, status int) huma.Operation {
		o := operation(method, path, id, summary, "", status)
		o.Security = []map[string][]string{}
		return o
	}
	huma.Register(api, open(http.MethodPost, "/sign-in", "sign-in",
		"Sign in to the console: with a token, or with a name, a password and perhaps a code", http.StatusNoContent),
		func(ctx context.Context, in *struct {
			From
			Body struct {
				Token    string `json:"token,omitempty" doc:"A token of this service."`
				Name     string `json:"name,omitempty" maxLength:"200" doc:"The name of an operator."`
				Password string `json:"password,omitempty" maxLength:"1000"`
				Code     string `json:"code,omitempty" maxLength:"20" doc:"Of the second factor, where there is one."`
			}
		}) (*cookieReply, error) {
			if in.foreign {
				return nil, &problem{Title: "Not allowed", Status: http.StatusForbidden,
					Detail: "a page of another origin cannot sign in"}
			}
			session, _, err := s.Sessions.SignIn(ctx, access.SignIn{Token: strings.TrimSpace(in.Body.Token), Name: in.Body.Name,
				Password: in.Body.Password, Code: in.Body.Code}, in.address)
			if err != nil {
				p := edge.Problem(err)
				if p.Wait > 0 {
					return nil, huma.ErrorWithHeaders(p, http.Header{"Retry-After": {strconv.Itoa(p.Wait)}})
				}
				return nil, p
			}
			return &cookieReply{sessionCookie(session, int(access.SessionLength.Seconds()), in.secure)}, nil
		})
	huma.Register(api, open(http.MethodGet, "/sign-in", "signed-in",
		"Whether the console is signed in, as whom, and with which rights", http.StatusOK),
		func(ctx context.Context, in *struct {
			Session string `cookie:"gatemap_session"`
		}) (*reply[answer.SignedIn], error) {
			a, ok, err := s.Sessions.BySession(ctx, in.Session)
			if err != nil {
				return nil, edge.Problem(err)
			}
			out := &answer.SignedIn{SignedIn: ok, Name: a.Name, Role: string(a.Role), Rights: []string{}, Provider: p != nil}
			if ok {
				for _, r := range a.Role.Rights() {
					out.Rights = append(out.Rights, string(r))
				}
				slices.Sort(out.Rights)
			}
			return &reply[answer.SignedIn]{out}, nil
		})
	huma.Register(api, open(http.MethodDelete, "/sign-in", "sign-out", "End the console's session", http.StatusNoContent),
		func(ctx context.Context, in *struct {
			From
			Session string `cookie:"gatemap_session"`
		}) (*cookieReply, error) {
			if err := s.Sessions.SignOut(ctx, in.Session); err != nil {
				return nil, edge.Problem(err)
			}
			return &cookieReply{sessionCookie("", -1, in.secure)}, nil
		})
}

// From is where a call comes from.
type From struct {
	address string
	secure  bool
	foreign bool // a page of another origin made the browser send it
}

// Resolve reads it from the request.
func (f *From) Resolve(c huma.Context) []error {
	host, _, err := net.SplitHostPort(c.RemoteAddr())
	if err != nil {
		host = c.RemoteAddr()
	}
	f.address, f.secure = host, c.TLS() != nil
	site := c.Header("Sec-Fetch-Site")
	f.foreign = site != "" && site != "same-origin" && site != "none"
	return nil
}

// cookieReply has no body and sets a cookie.
type cookieReply struct {
	Cookie http.Cookie `header:"Set-Cookie"`
}

func sessionCookie(value string, age int, secure bool) http.Cookie {
	return http.Cookie{Name: cookie, Value: value, Path: "/", MaxAge: age, HttpOnly: true, Secure: secure,
		SameSite: http.SameSiteStrictMode}
}
