package server

import (
	"encoding/json"
	"gatemap/connect"
	"gatemap/connect/scim"
	"net/http"
	"strconv"
	"strings"
)

func (s *Server) scimList(kinds ...connect.Kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		q := r.URL.Query()
		query := scim.Query{
			Filter:     q.Get("filter"),
			SortBy:     q.Get("sortBy"),
			Descending: strings.EqualFold(q.Get("sortOrder"), "descending"),
		}
		for _, number := range []struct {
			key     string
			into    *int
			missing int
		}{{"startIndex", &query.Start, 1}, {"count", &query.Count, scimPage}} {
			*number.into = number.missing
			if text := q.Get(number.key); text != "" {
				n, err := strconv.Atoi(text)
				if err != nil {
					scimFail(
						w,
						&scim.Error{Status: http.StatusBadRequest, Type: "invalidValue", Detail: number.key + " is a whole number"},
					)
					return
				}
				*number.into = n
			}
		}
		s.answerList(w, r, kinds, query, listed(q["attributes"]), listed(q["excludedAttributes"]))
	}
}

// scimSearch is a list that is asked for in a body (RFC 7644 section 3.4.3).
func (s *Server) scimSearch(kinds ...connect.Kind) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		body, err := scimBody(r)
		if err != nil {
			s.scimError(w, r, err)
			return
		}
		raw, _ := json.Marshal(body) // it has just been read
		asked := struct {
			Schemas            []string `json:"schemas"`
			Attributes         []string `json:"attributes"`
			ExcludedAttributes []string `json:"excludedAttributes"`
			Filter             string   `json:"filter"`
			SortBy             string   `json:"sortBy"`
			SortOrder          string   `json:"sortOrder"`
			StartIndex         int      `json:"startIndex"`
			Count              *int     `json:"count"`
		}{StartIndex: 1}
		if err := json.Unmarshal(raw, &asked); err != nil || len(asked.Schemas) != 1 ||
			!strings.EqualFold(asked.Schemas[0], scim.SearchMessage) {
			scimFail(
				w,
				&scim.Error{
					Status: http.StatusBadRequest,
					Type:   "invalidSyntax",
					Detail: "the body is no search request: schemas must name " + scim.SearchMessage,
				},
			)
			return
		}
		count := scimPage
		if asked.Count != nil {
			count = *asked.Count
		}
		s.answerList(w, r, kinds, scim.Query{
			Filter: asked.Filter, SortBy: asked.SortBy, Descending: strings.EqualFold(asked.SortOrder, "descending"),
			Start: asked.StartIndex, Count: count,
		}, asked.Attributes, asked.ExcludedAttributes)
	}
}

func (s *Server) answerList(
	w http.ResponseWriter,
	r *http.Request,
	kinds []connect.Kind,
	q scim.Query,
	attributes, excluded []string,
) {
	q.Count = min(q.Count, scimMost)
	d, err := s.service.Pushes.Pushed(pushedTo(r))
	if err != nil {
		s.scimError(w, r, err)
		return
	}
	shown, err := s.shown(r, d, attributes, excluded)
	if err != nil {
		s.scimError(w, r, err)
		return
	}
	page, total, err := d.List(kinds, q, shown)
	if err != nil {
		s.scimError(w, r, err)
		return
	}
	resources := make([]any, len(page))
	for i, resource := range page {
		resources[i] = shown.Of(resource)
	}
	scimWrite(w, http.StatusOK, map[string]any{
		"schemas": []string{
			scim.ListMessage,
		}, "totalResults": total, "startIndex": max(q.Start, 1), "itemsPerPage": len(page), "Resources": resources,
	})
}
