package connect

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
)

type fields []Field

func (f *fields) text(attribute, before, after string) {
	if before != after {
		*f = append(*f, Field{attribute, before, after})
	}
}

func flag(b *bool, missing string) string {
	switch {
	case b == nil:
		return missing
	case *b:
		return "true"
	}
	return "false"
}

func instant(i directory.Instant) string {
	if i.IsZero() {
		return ""
	}
	return i.UTC().Format("2006-01-02T15:04:05Z")
}

func userFields(a, b *directory.User) []Field {
	var f fields
	f.text("userName", a.Name, b.Name)
	f.text("dn", a.DN, b.DN)
	f.text("active", flag(a.Active, "true"), flag(b.Active, "true"))
	f.text("expires", instant(a.Expires), instant(b.Expires))
	f.text("primary_group", a.PrimaryGroup.Name, b.PrimaryGroup.Name)
	f.attributes(a.Attributes, b.Attributes)
	return f
}

func deviceFields(a, b *directory.Device) []Field {
	var f fields
	f.text("name", a.Name, b.Name)
	f.text("dn", a.DN, b.DN)
	f.text("primary_group", a.PrimaryGroup.Name, b.PrimaryGroup.Name)
	f.text("managed", flag(a.Managed, ""), flag(b.Managed, ""))
	f.text("compliant", flag(a.Compliant, ""), flag(b.Compliant, ""))
	f.attributes(a.Attrs, b.Attrs)
	return f
}

func groupFields(a, b *directory.Group) []Field {
	var f fields
	f.text("name", a.Name, b.Name)
	f.text("dn", a.DN, b.DN)
	f.text("description", a.Description, b.Description)
	f.text("kind", cmp.Or(string(a.Kind), "security"), cmp.Or(string(b.Kind), "security"))
	f.text("members_from", cmp.Or(string(a.MembersFrom), "any"), cmp.Or(string(b.MembersFrom), "any"))
	f.text("usable_in", cmp.Or(string(a.UsableIn), "any"), cmp.Or(string(b.UsableIn), "any"))
	f.text("host", a.Host, b.Host)
	f.text("managers", strings.Join(managers(a), ", "), strings.Join(managers(b), ", "))
	if more, fewer := len(without(b, a)), len(without(a, b)); more+fewer > 0 {
		f = append(f, Field{Attribute: "members", Before: signed("-", fewer), After: signed("+", more)})
	}
	return f
}

// attributes compares attributes as sets: the order of values means nothing in
// a directory (RFC 4512 section 2.2).
func (f *fields) attributes(a, b directory.Attributes) {
	seen := map[string]bool{}
	for _, list := range []directory.Attributes{b, a} {
		for i := range list {
			key := name.Fold(list[i].Name)
			if seen[key] {
				continue
			}
			seen[key] = true
			before, after := a.Get(key), b.Get(key)
			if !slices.EqualFunc(before, after, sameValue) {
				f.text(list[i].Name, spelled(before), spelled(after))
			}
		}
	}
}

func sameValue(a, b filter.Value) bool {
	return a.Kind == b.Kind && a.Text == b.Text && len(a.Sub) == 0 && len(b.Sub) == 0
}

func spelled(values []filter.Value) string {
	texts := make([]string, len(values))
	for i, v := range values {
		if texts[i] = v.Text; v.Kind == filter.Complex {
			var one directory.Attributes
			one.Put("value", []filter.Value{v})
			plain, _ := json.Marshal(one.Plain()["value"]) // plain values always can be written
			texts[i] = string(plain)
		}
	}
	slices.Sort(texts)
	return strings.Join(texts, ", ")
}

func members(g *directory.Group) []name.Ref {
	if g.Members == nil {
		return nil
	}
	if len(g.Members.Users) == 0 {
		return g.Members.Any
	}
	return slices.Concat(g.Members.Any, g.Members.Users)
}

func managers(g *directory.Group) []string {
	if g.Managers == nil {
		return nil
	}
	names := make([]string, len(g.Managers.Users))
	for i, ref := range g.Managers.Users {
		names[i] = ref.Name
	}
	slices.Sort(names)
	return names
}

func sameMembers(a, b []name.Ref) bool {
	return slices.EqualFunc(a, b, func(x, y name.Ref) bool { return x.Name == y.Name })
}
