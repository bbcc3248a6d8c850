package server

import (
	"cmp"
	"encoding/json"
	"errors"
	"io"
	"mime"
	"net/http"
	"strconv"

	"gatemap/answer"
	"gatemap/connect/scim"
)

func scimWrite(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/scim+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body) // a client that has gone needs no answer
}

// scimFail answers with an error (RFC 7644 section 3.12).
func scimFail(w http.ResponseWriter, err error) {
	var e *scim.Error
	var large *http.MaxBytesError
	var held *answer.ConflictError
	switch {
	case errors.As(err, &e):
	case errors.As(err, &held):
		e = &scim.Error{Status: http.StatusConflict, Detail: held.Message}
	case errors.As(err, &large):
		e = &scim.Error{Status: http.StatusRequestEntityTooLarge, Detail: "the body is too large"}
	default:
		e = &scim.Error{Status: http.StatusInternalServerError, Detail: "the service could not answer; its log says why"}
	}
	body := map[string]any{"schemas": []string{scim.ErrorMessage}, "status": strconv.Itoa(e.Status), "detail": e.Detail}
	if e.Type != "" {
		body["scimType"] = e.Type
	}
	scimWrite(w, e.Status, body)
}

// scimError answers with an error, and logs one that is the service's own.
func (s *Server) scimError(w http.ResponseWriter, r *http.Request, err error) {
	var e *scim.Error
	var held *answer.ConflictError
	if !errors.As(err, &e) && !errors.As(err, &held) {
		s.log.Error("push", "directory", pushedTo(r), "path", r.URL.Path, "error", err)
	}
	scimFail(w, err)
}

func scimBody(r *http.Request) (map[string]any, error) {
	kind, _, err := mime.ParseMediaType(cmp.Or(r.Header.Get("Content-Type"), "application/scim+json"))
	if err != nil || kind != "application/scim+json" && kind != "application/json" {
		return nil, &scim.Error{Status: http.StatusUnsupportedMediaType, Detail: "the body is application/scim+json"}
	}
	raw, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	return scim.Object(raw)
}
