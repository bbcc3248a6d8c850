package scim_test

import (
	"encoding/json"
	"fmt"
	"hash/crc32"
	"net/http"
	"net/http/httptest"
	"slices"
	"strconv"
	"strings"
	"time"
)

// standIn is a service provider with habits that others have.
type standIn struct {
	users, groups []map[string]any
	most          int  // resources in a page, whatever is asked; 0: as many as asked
	silent        bool // it does not say how many there are
	apart         bool // lists of groups do not tell members
	busy          int  // every so many requests it is busy first (429, 503 in turns); 0: never
	status        int  // it answers this to everything; 0: it does not
	changing      func(n int, s *standIn)
	wholeOnly     bool                                      // it knows no PATCH
	formats       bool                                      // it writes names in full beside what it is given
	versions      bool                                      // it tells versions, and heeds If-Match
	breaks        func(r *http.Request) (before, after int) // statuses that it answers, before it takes a request, or after; 0: none

	requests int
	refused  bool
}

func (s *standIn) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.requests++
	if s.changing != nil {
		s.changing(s.requests, s)
	}
	switch {
	case s.status != 0:
		w.WriteHeader(s.status)
		_, _ = w.Write([]byte(`{"detail": "not now"}`))
		return
	case r.Header.Get("Authorization") != "Bearer opensesame":
		w.WriteHeader(http.StatusUnauthorized)
		return
	case s.busy > 0 && s.requests%s.busy == 0 && !s.refused:
		s.refused = true
		w.Header().Set("Retry-After", "0")
		w.WriteHeader([]int{http.StatusTooManyRequests, http.StatusServiceUnavailable}[s.requests/s.busy%2])
		return
	}
	s.refused = false
	if s.breaks != nil {
		before, after := s.breaks(r)
		if before != 0 {
			w.WriteHeader(before)
			return
		}
		if after != 0 {
			s.write(httptest.NewRecorder(), r)
			w.WriteHeader(after)
			return
		}
	}
	if r.Method != http.MethodGet {
		s.write(w, r)
		return
	}
	kind, id, one := strings.Cut(strings.TrimPrefix(r.URL.Path, "/v2/"), "/")
	list := s.users
	if kind == "Groups" {
		list = s.groups
	}
	if one {
		i := slices.IndexFunc(list, func(x map[string]any) bool { return x["id"] == id })
		if i < 0 {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		if s.versions {
			w.Header().Set("ETag", s.version(list[i]))
		}
		_ = json.NewEncoder(w).Encode(list[i])
		return
	}
	if attribute, quoted, filtered := strings.Cut(r.URL.Query().Get("filter"), " eq "); filtered {
		named, _ := strconv.Unquote(quoted)
		list = slices.DeleteFunc(slices.Clone(list), func(x map[string]any) bool { return x[attribute] != named })
		_ = json.NewEncoder(w).Encode(map[string]any{"totalResults": len(list), "Resources": list})
		return
	}
	start, _ := strconv.Atoi(r.URL.Query().Get("startIndex"))
	count, _ := strconv.Atoi(r.URL.Query().Get("count"))
	if s.most > 0 {
		count = min(count, s.most)
	}
	page := map[string]any{"Resources": []any{}}
	if !s.silent {
		page["totalResults"] = len(list)
	}
	var resources []map[string]any
	for _, x := range list[min(start-1, len(list)):min(start-1+count, len(list))] {
		if s.apart && kind == "Groups" {
			x = map[string]any{"id": x["id"], "displayName": x["displayName"]}
		}
		resources = append(resources, x)
	}
	page["Resources"] = resources
	_ = json.NewEncoder(w).Encode(page)
}

func (s *standIn) user(id, named string, more ...any) {
	u := map[string]any{"id": id, "userName": named}
	for i := 0; i < len(more); i += 2 {
		u[more[i].(string)] = more[i+1]
	}
	s.users = append(s.users, u)
}

func (s *standIn) group(id, named string, members ...string) map[string]any {
	list := []map[string]any{}
	for _, m := range members {
		list = append(list, map[string]any{"value": m})
	}
	g := map[string]any{"id": id, "displayName": named, "members": list}
	s.groups = append(s.groups, g)
	return g
}

// version is another for every state of a resource.
func (s *standIn) version(x map[string]any) string {
	text, _ := json.Marshal(x)
	return fmt.Sprintf("W/\"%x\"", crc32.ChecksumIEEE(text))
}

func (s *standIn) write(w http.ResponseWriter, r *http.Request) {
	kind, id, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/v2/"), "/")
	list := &s.users
	if kind == "Groups" {
		list = &s.groups
	}
	var body map[string]any
	_ = json.NewDecoder(r.Body).Decode(&body)
	i := slices.IndexFunc(*list, func(x map[string]any) bool { return x["id"] == id })
	switch {
	case r.Method == http.MethodPost:
		delete(body, "password")
		body["id"] = fmt.Sprintf("new%d", s.requests)
		now := time.Now().UTC().Format(time.RFC3339Nano)
		body["meta"] = map[string]any{"created": now, "lastModified": now}
		*list = append(*list, body)
		w.WriteHeader(http.StatusCreated)
		_ = json.NewEncoder(w).Encode(body)
	case i < 0:
		w.WriteHeader(http.StatusNotFound)
	case s.versions && r.Header.Get("If-Match") != "" && r.Header.Get("If-Match") != s.version((*list)[i]):
		w.WriteHeader(http.StatusPreconditionFailed)
	case r.Method == http.MethodDelete:
		*list = slices.Delete(*list, i, i+1)
		w.WriteHeader(http.StatusNoContent)
	case r.Method == http.MethodPatch && s.wholeOnly:
		w.WriteHeader(http.StatusNotImplemented)
	case r.Method == http.MethodPut:
		if meta, has := (*list)[i]["meta"]; has { // it is the server's
			body["meta"] = meta
		}
		(*list)[i] = body
		_ = json.NewEncoder(w).Encode(body)
	default:
		for _, op := range body["Operations"].([]any) {
			s.change((*list)[i], op.(map[string]any))
		}
		w.WriteHeader(http.StatusNoContent)
	}
}

// change makes one operation of a PATCH.
func (s *standIn) change(at, op map[string]any) {
	raw, _ := json.Marshal(at["members"]) // as it came, or as the test has it
	var members []any
	_ = json.Unmarshal(raw, &members)
	path, _ := op["path"].(string)
	if named, is := op["value"].(map[string]any); is && s.formats {
		named["formatted"] = fmt.Sprint(named["givenName"], " ", named["familyName"])
	}
	switch {
	case op["op"] == "replace":
		at[path] = op["value"]
	case op["op"] == "add":
		at["members"] = append(members, op["value"].([]any)...)
	case strings.HasPrefix(path, "members["):
		at["members"] = slices.DeleteFunc(members, func(m any) bool {
			return path == fmt.Sprintf("members[value eq %q]", m.(map[string]any)["value"])
		})
	default:
		delete(at, path)
	}
}
