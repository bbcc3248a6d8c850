package scim

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
)

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
