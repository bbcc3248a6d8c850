package server

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"gatemap/connect"
	"gatemap/connect/scim"
)

// scimPage is how many resources a page has at the most, and unless a client
// says otherwise.
const (
	scimMost = 1000
	scimPage = 100
)

// scimPath is where pushes come in. The token says to which directory.
const scimPath = "/scim/v2"

// scim answers the protocol by which other programs push users and groups
// (RFC 7644).
func (s *Server) scim(r chi.Router) {
	r.Use(middleware.StripSlashes, middleware.GetHead, s.pushes)
	r.Get("/ServiceProviderConfig", s.scimConfig)
	r.Get("/Schemas", s.scimSchemas)
	r.Get("/Schemas/{id}", s.scimSchema)
	r.Get("/ResourceTypes", s.scimTypes)
	r.Get("/ResourceTypes/{id}", s.scimType)
	r.Get("/", s.scimList(connect.User, connect.Group))
	r.Post("/.search", s.scimSearch(connect.User, connect.Group))
	for _, k := range []connect.Kind{connect.User, connect.Group} {
		r.Route("/"+scim.TypeName(k)+"s", func(r chi.Router) {
			r.Get("/", s.scimList(k))
			r.Post("/", s.scimCreate(k))
			r.Post("/.search", s.scimSearch(k))
			r.Get("/{id}", s.scimGet(k))
			r.Put("/{id}", s.scimChange(k, (*scim.Directory).Replace))
			r.Patch("/{id}", s.scimChange(k, (*scim.Directory).Patch))
			r.Delete("/{id}", s.scimDelete(k))
		})
	}
	for _, path := range []string{"/Me", "/Bulk"} {
		r.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			scimFail(w, &scim.Error{Status: http.StatusNotImplemented, Detail: "the service does not offer this"})
		})
	}
	r.NotFound(func(w http.ResponseWriter, _ *http.Request) {
		scimFail(
			w,
			&scim.Error{
				Status: http.StatusNotFound,
				Detail: "there is no such endpoint; GET " + scimPath + "/ResourceTypes lists them",
			},
		)
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, _ *http.Request) {
		scimFail(w, &scim.Error{Status: http.StatusMethodNotAllowed, Detail: "the endpoint does not take this method"})
	})
}

type directoryKey struct{}

// pushes lets through who brings the token of a directory.
func (s *Server) pushes(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		named := s.service.Tokens.Pushes(bearer(r))
		if named == "" {
			w.Header().Set("WWW-Authenticate", `Bearer realm="Gate Map"`)
			scimFail(
				w,
				&scim.Error{
					Status: http.StatusUnauthorized,
					Detail: "this call needs the token of a directory that takes pushes; gatemap directory token makes one",
				},
			)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), directoryKey{}, named)))
	})
}

func pushedTo(r *http.Request) string { return r.Context().Value(directoryKey{}).(string) }

// shown is what a request wants to see.
func (s *Server) shown(r *http.Request, d *scim.Directory, attributes, excluded []string) (*scim.Shown, error) {
	if len(attributes) > 0 && len(excluded) > 0 {
		return nil, &scim.Error{
			Status: http.StatusBadRequest,
			Type:   "invalidValue",
			Detail: "attributes and excludedAttributes exclude each other",
		}
	}
	return &scim.Shown{
		Base:       strings.TrimSuffix(s.Address, "/") + scimPath,
		Attributes: attributes,
		Excluded:   excluded,
		Groups:     s.service.Pushes.PushedGroups(pushedTo(r), d),
	}, nil
}

// listed splits the values of a parameter at commas.
func listed(values []string) []string {
	var all []string
	for _, v := range values {
		for _, x := range strings.Split(v, ",") {
			if x = strings.TrimSpace(x); x != "" {
				all = append(all, x)
			}
		}
	}
	return all
}

// open reads what is in force and what of it a request wants to see.
func (s *Server) open(r *http.Request) (*scim.Directory, *scim.Shown, error) {
	d, err := s.service.Pushes.Pushed(pushedTo(r))
	if err != nil {
		return nil, nil, err
	}
	q := r.URL.Query()
	shown, err := s.shown(r, d, listed(q["attributes"]), listed(q["excludedAttributes"]))
	return d, shown, err
}

func (s *Server) scimGet(k connect.Kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		d, shown, err := s.open(r)
		if err != nil {
			s.scimError(w, r, err)
			return
		}
		resource, err := d.Get(k, chi.URLParam(r, "id"))
		if err != nil {
			s.scimError(w, r, err)
			return
		}
		w.Header().Set("ETag", resource.Version())
		if tags := r.Header.Get("If-None-Match"); tags != "" && tagged(tags, resource) {
			w.WriteHeader(http.StatusNotModified)
			return
		}
		w.Header().Set("Location", shown.Location(resource))
		scimWrite(w, http.StatusOK, shown.Of(resource))
	}
}

// tagged says whether one of a list of entity tags is the resource's.
func tagged(tags string, r *scim.Resource) bool {
	for _, tag := range strings.Split(tags, ",") {
		if tag = strings.TrimSpace(tag); tag == "*" ||
			strings.TrimPrefix(tag, "W/") == strings.TrimPrefix(r.Version(), "W/") {
			return true
		}
	}
	return false
}

func unmodified(r *http.Request, resource *scim.Resource) error {
	if tags := r.Header.Get("If-Match"); tags != "" && !tagged(tags, resource) {
		return &scim.Error{Status: http.StatusPreconditionFailed, Detail: "the resource has changed since; get it again"}
	}
	return nil
}

func (s *Server) scimCreate(k connect.Kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		body, err := scimBody(r)
		if err != nil {
			s.scimError(w, r, err)
			return
		}
		var made *scim.Resource
		err = s.service.Pushes.Push(
			r.Context(),
			pushedTo(r),
			"A "+k.String()+" was pushed",
			func(d *scim.Directory) (next *scim.Directory, err error) {
				next, made, err = d.Create(k, body, time.Now())
				return next, err
			},
		)
		s.answerChange(w, r, http.StatusCreated, made, err)
	}
}

func (s *Server) scimChange(
	k connect.Kind,
	change func(*scim.Directory, *scim.Resource, map[string]any, time.Time) (*scim.Directory, *scim.Resource, error),
) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		body, err := scimBody(r)
		if err != nil {
			s.scimError(w, r, err)
			return
		}
		var changed, was *scim.Resource
		err = s.service.Pushes.Push(
			r.Context(),
			pushedTo(r),
			"A "+k.String()+" was changed by a push",
			func(d *scim.Directory) (next *scim.Directory, err error) {
				old, err := d.Get(k, chi.URLParam(r, "id"))
				if err == nil {
					err = unmodified(r, old)
				}
				if err != nil {
					return nil, err
				}
				was = old
				next, changed, err = change(d, old, body, time.Now())
				return next, err
			},
		)
		if err == nil && r.Method == http.MethodPatch && changed == was && len(r.URL.Query()) == 0 && scim.Removes(body) {
			w.Header().Set("ETag", was.Version())
			w.WriteHeader(http.StatusNoContent)
			return
		}
		s.answerChange(w, r, http.StatusOK, changed, err)
	}
}

func (s *Server) answerChange(w http.ResponseWriter, r *http.Request, status int, resource *scim.Resource, err error) {
	if err != nil {
		s.scimError(w, r, err)
		return
	}
	_, shown, err := s.open(r)
	if err != nil {
		s.scimError(w, r, err)
		return
	}
	w.Header().Set("ETag", resource.Version())
	w.Header().Set("Location", shown.Location(resource))
	scimWrite(w, status, shown.Of(resource))
}

func (s *Server) scimDelete(k connect.Kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		err := s.service.Pushes.Push(
			r.Context(),
			pushedTo(r),
			"A "+k.String()+" was removed by a push",
			func(d *scim.Directory) (*scim.Directory, error) {
				old, err := d.Get(k, chi.URLParam(r, "id"))
				if err == nil {
					err = unmodified(r, old)
				}
				if err != nil {
					return nil, err
				}
				return d.Delete(old, time.Now()), nil
			},
		)
		if err != nil {
			s.scimError(w, r, err)
			return
		}
		w.WriteHeader(http.StatusNoContent)
	}
}
