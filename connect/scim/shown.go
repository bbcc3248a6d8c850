package scim

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
)

// Shown is what of a resource is shown, and where it is.
type Shown struct {
	Base       string // address of the directory's resources
	Attributes []string
	Excluded   []string
	// Groups gives the groups of a user by identifier, and whether directly.
	Groups func(r *Resource) []Membership
}

// Membership is a group of a user.
type Membership struct {
	Group  *Resource
	Direct bool
}

// Location is the address of a resource.
func (s *Shown) Location(r *Resource) string { return s.Base + "/" + TypeName(r.Kind) + "s/" + r.ID }

// Full is a resource with everything that the service adds.
func (s *Shown) Full(r *Resource) map[string]any {
	out := clone(r.Body).(map[string]any)
	schemas := []any{schemaOf(r.Kind)}
	for key := range out {
		if strings.HasPrefix(key, "urn:") {
			schemas = append(schemas, key)
		}
	}
	slices.SortFunc(schemas[1:], func(a, b any) int { return strings.Compare(a.(string), b.(string)) })
	out["schemas"], out["id"] = schemas, r.ID
	out["meta"] = map[string]any{
		"resourceType": TypeName(
			r.Kind,
		), "created": r.Created.Format(time.RFC3339Nano), "lastModified": r.Modified.Format(time.RFC3339Nano),
		"location": s.Location(r), "version": r.Version(),
	}
	if list, ok := out["members"].([]any); ok {
		for _, m := range list {
			member := m.(map[string]any)
			member["$ref"] = fmt.Sprintf("%s/%vs/%s", s.Base, member["type"], memberID(m))
		}
	}
	if r.Kind == connect.User && s.Groups != nil && s.shows("groups") {
		var groups []any
		for _, m := range s.Groups(r) {
			typ := "indirect"
			if m.Direct {
				typ = "direct"
			}
			groups = append(
				groups,
				map[string]any{"value": m.Group.ID, "$ref": s.Location(m.Group), "display": m.Group.Name(), "type": typ},
			)
		}
		if groups != nil {
			out["groups"] = groups
		}
	}
	return out
}

// shows says whether an attribute can be asked for at all.
func (s *Shown) shows(attribute string) bool {
	has := func(list []string) bool {
		return slices.ContainsFunc(list, func(x string) bool {
			head, _, _ := strings.Cut(x, ".")
			return strings.EqualFold(head, attribute)
		})
	}
	return len(s.Attributes) == 0 && !has(s.Excluded) || has(s.Attributes)
}

// Of is a resource as it is shown (RFC 7644 section 3.9): with the attributes that
// were asked for, or without those that were excluded; id and schemas always.
func (s *Shown) Of(r *Resource) map[string]any {
	full := s.Full(r)
	switch {
	case len(s.Attributes) > 0:
		out := map[string]any{"id": full["id"], "schemas": full["schemas"]}
		for _, a := range s.Attributes {
			pickPath(full, out, r.Kind, a)
		}
		return out
	case len(s.Excluded) > 0:
		for _, a := range s.Excluded {
			dropPath(full, r.Kind, a)
		}
	}
	return full
}

// keys splits the path of an attribute into the keys that lead to it.
func keys(object map[string]any, k connect.Kind, path string) []string {
	var out []string
	if hasPrefixFold(path, schemaOf(k)+":") {
		path = path[len(schemaOf(k))+1:]
	}
	for key := range object {
		if strings.HasPrefix(key, "urn:") && (strings.EqualFold(key, path) || hasPrefixFold(path, key+":")) {
			out = append(out, key)
			if path = strings.TrimPrefix(path[len(key):], ":"); path == "" {
				return out
			}
			break
		}
	}
	return append(out, strings.SplitN(path, ".", 2)...)
}

func keyOf(object map[string]any, written string) (string, bool) {
	for key := range object {
		if strings.EqualFold(key, written) {
			return key, true
		}
	}
	return "", false
}

func pickPath(from, to map[string]any, k connect.Kind, path string) {
	pickKeys(from, to, keys(from, k, path))
}

func pickKeys(from, to map[string]any, path []string) {
	key, ok := keyOf(from, path[0])
	if !ok {
		return
	}
	if len(path) == 1 {
		to[key] = from[key]
		return
	}
	switch v := from[key].(type) {
	case map[string]any:
		inner, _ := to[key].(map[string]any)
		if inner == nil {
			inner = map[string]any{}
		}
		if pickKeys(v, inner, path[1:]); len(inner) > 0 {
			to[key] = inner
		}
	case []any:
		var list []any
		for i, item := range v {
			object, _ := item.(map[string]any)
			inner := map[string]any{}
			if old, ok := to[key].([]any); ok && i < len(old) {
				inner = old[i].(map[string]any)
			}
			pickKeys(object, inner, path[1:])
			list = append(list, inner)
		}
		to[key] = list
	}
}

func dropPath(from map[string]any, k connect.Kind, path string) {
	dropKeys(from, keys(from, k, path), k)
}

func dropKeys(from map[string]any, path []string, k connect.Kind) {
	key, ok := keyOf(from, path[0])
	if !ok {
		return
	}
	if len(path) == 1 {
		if a := find(core(k), key); a == nil || a.Returned != "always" {
			delete(from, key)
		}
		return
	}
	switch v := from[key].(type) {
	case map[string]any:
		dropKeys(v, path[1:], k)
	case []any:
		for _, item := range v {
			if object, ok := item.(map[string]any); ok {
				dropKeys(object, path[1:], k)
			}
		}
	}
}
