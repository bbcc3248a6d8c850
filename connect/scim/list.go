package scim

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
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
		"resourceType": TypeName(r.Kind), "created": r.Created.Format(time.RFC3339Nano), "lastModified": r.Modified.Format(time.RFC3339Nano),
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
			groups = append(groups, map[string]any{"value": m.Group.ID, "$ref": s.Location(m.Group), "display": m.Group.Name(), "type": typ})
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

// Query is what a list is asked for (RFC 7644 section 3.4.2).
type Query struct {
	Filter     string
	SortBy     string
	Descending bool
	Start      int // of the first, from 1; less is 1
	Count      int // how many at the most; less than 0 is none
}

// view is a resource as a filter sees it.
type view struct{ attributes directory.Attributes }

func (v view) Values(folded string) []filter.Value { return v.attributes.Get(folded) }

// Exact says which attributes regard case (RFC 7643 sections 3.1, 4.1 and 8.7).
func (view) Exact(folded string) bool { return folded == "ID" || folded == "EXTERNALID" }

func viewed(full map[string]any) view {
	var v view
	for key, value := range full {
		if inner, ok := value.(map[string]any); ok && strings.HasPrefix(key, "urn:") {
			for k, x := range inner {
				set(&v.attributes, k, x)
			}
			continue
		}
		set(&v.attributes, key, value)
	}
	return v
}

// List lists the resources of some kinds: the ones on the page, and how many
// there are in all.
func (d *Directory) List(kinds []connect.Kind, q Query, s *Shown) (page []*Resource, total int, err error) {
	var f *filter.Filter
	if q.Filter != "" {
		if f, err = filter.Parse(q.Filter); err != nil {
			return nil, 0, invalid("invalidFilter", "the filter has an error at %v", err)
		}
	}
	var all []*Resource
	if one, ok := d.named(f, kinds); ok {
		all = one
	} else {
		for _, k := range kinds {
			for _, r := range d.byName[k] {
				all = append(all, r)
			}
		}
	}
	views := map[*Resource]view{}
	if f != nil || q.SortBy != "" {
		bare := &Shown{Base: s.Base, Groups: s.Groups}
		if f == nil || !mentions(f, "GROUPS") {
			bare.Groups = nil
		}
		all = slices.DeleteFunc(all, func(r *Resource) bool {
			v := viewed(bare.Full(r))
			views[r] = v
			return f != nil && !f.Match(v)
		})
	}
	by := func(r *Resource) string { return name.Fold(r.Name()) }
	if q.SortBy != "" {
		by = func(r *Resource) string { return sortKey(views[r], r.Kind, q.SortBy) }
	}
	slices.SortFunc(all, func(a, b *Resource) int {
		x, y := by(a), by(b)
		if q.SortBy != "" && (x == "") != (y == "") { // without a value comes last, or first where it descends
			return cmp.Or(map[bool]int{true: 1, false: -1}[(x == "") != q.Descending])
		}
		c := strings.Compare(x, y)
		if q.Descending {
			c = -c
		}
		return cmp.Or(c, strings.Compare(name.Fold(a.Name()), name.Fold(b.Name())), strings.Compare(a.ID, b.ID))
	})
	total = len(all)
	start := min(max(q.Start, 1)-1, total)
	return all[start:min(start+max(q.Count, 0), total)], total, nil
}

// named is the only resource that a filter for one name can mean.
func (d *Directory) named(f *filter.Filter, kinds []connect.Kind) ([]*Resource, bool) {
	if f == nil || len(kinds) != 1 {
		return nil, false
	}
	key := map[connect.Kind]string{connect.User: "userName", connect.Group: "displayName"}[kinds[0]]
	pairs := equalities(f.String())
	if len(pairs) != 1 || !strings.EqualFold(pairs[0][0], key) {
		return nil, false
	}
	if r := d.byName[kinds[0]][name.Fold(pairs[0][1])]; r != nil {
		return []*Resource{r}, true
	}
	return nil, true
}

func mentions(f *filter.Filter, folded string) bool {
	for a := range f.Reads() {
		if a == folded || strings.HasPrefix(a, folded+".") {
			return true
		}
	}
	return false
}

// sortKey is the value by which a resource is sorted: of several the primary one,
// or the first (RFC 7644 section 3.4.2.3).
func sortKey(v view, k connect.Kind, path string) string {
	if at := strings.LastIndexByte(path, ':'); at >= 0 {
		path = path[at+1:]
	}
	attribute, sub, _ := strings.Cut(path, ".")
	values := v.attributes.Get(name.Fold(attribute))
	if len(values) == 0 {
		return ""
	}
	value := values[0]
	for _, x := range values {
		if p := x.Sub["PRIMARY"]; len(p) > 0 && p[0].Text == "true" {
			value = x
		}
	}
	text := value.Text
	if value.Kind == filter.Complex {
		if sub == "" {
			sub = "value"
		}
		text = ""
		if inner := value.Sub[name.Fold(sub)]; len(inner) > 0 {
			text = inner[0].Text
		}
	}
	if a := find(core(k), attribute); a != nil && a.CaseExact {
		return text
	}
	return name.Fold(text)
}
