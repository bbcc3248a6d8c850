package scim

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// raw is a resource as a service provider has it, with numbers as they stand.
type raw object

// UnmarshalJSON reads one JSON object.
func (r *raw) UnmarshalJSON(text []byte) (err error) {
	*r, err = Object(text)
	return err
}

// value is the value of an attribute, whose name may be in another case.
func (r raw) value(attribute string) any { return r[spelledAs(r, attribute)] }

func (r raw) text(attribute string) string {
	text, _ := r.value(attribute).(string)
	return text
}

func (r raw) id() string { return r.text("id") }

// named is the name of a resource.
func (r raw) named(k connect.Kind) string {
	if k == connect.Group {
		return r.text("displayName")
	}
	return r.text("userName")
}

// records are all users and groups of a service provider; of one that feeds a directory, users alone.
func (d *Document) records(ctx context.Context, p *provider, j *connect.Job) (r connect.Records, err error) {
	var users, groups []raw
	err = p.steady(func() error {
		if users, err = p.resources(ctx, connect.User); err == nil && j.Source.Feeds == nil {
			groups, err = p.resources(ctx, connect.Group)
		}
		return err
	})
	if err != nil {
		return r, err
	}
	if err := apart(users, groups); err != nil {
		return r, err
	}
	for _, u := range users {
		d.take(connect.User, u, &r)
	}
	for _, g := range groups {
		if g.value("members") == nil { // some lists do not tell members
			path := "/Groups/" + url.PathEscape(g.id())
			g = nil
			if err := p.get(ctx, path, &g); err != nil {
				return r, err
			}
		}
		d.take(connect.Group, g, &r)
	}
	j.Tables.Finish(&r)
	return r, nil
}

// resources is a list, each resource whole.
func (p *provider) resources(ctx context.Context, k connect.Kind) ([]raw, error) {
	return listed(ctx, p, TypeName(k)+"s", func(r raw) (id, named string, err error) { return r.id(), r.named(k), nil })
}

// apart sees that no user and group have one id (RFC 7643 section 3.1 forbids it): nobody could say
// which of them is a member.
func apart(users, groups []raw) error {
	names := make(map[string]string, len(users))
	for _, u := range users {
		names[u.id()] = u.text("userName")
	}
	for _, g := range groups {
		if user, taken := names[g.id()]; taken {
			return oneID(user, g.text("displayName"), g.id())
		}
	}
	return nil
}

func oneID(user, group, id string) error {
	return fmt.Errorf(
		"the user %s and the group %s have the id %s, so that nobody can say which of them is a member",
		user,
		group,
		id,
	)
}

// take adds what a resource is to the records. One with something wrong in it is rejected.
func (d *Document) take(k connect.Kind, body raw, to *connect.Records) {
	resource, err := d.resource(k, body)
	if err != nil {
		at := place.Place{File: d.Address.Value}
		to.Rejected = append(to.Rejected, *place.Errorf(at, "%s %q: %v", k, body.named(k), err))
		return
	}
	if k == connect.User {
		to.Users = append(to.Users, resource.asUser())
	} else {
		to.Groups = append(to.Groups, resource.asGroup())
	}
}

// resource is a resource of a service provider as one that was pushed. What no known schema has is kept
// as it is, unless the source leaves it aside.
func (d *Document) resource(k connect.Kind, body raw) (*Resource, error) {
	out := object{}
	of := &Directory{others: d.Extensions}
	for key, value := range body {
		a := find(core(k), key)
		var err error
		switch {
		case value == nil || strings.EqualFold(key, "schemas"):
		case hasPrefixFold(key, "urn:"):
			err = of.extend(out, k, key, value)
		case a == nil && d.Extensions != "ignore":
			out[key] = value
		case a != nil:
			err = assign(out, core(k), key, knownParts(a, value))
		}
		if err != nil {
			return nil, err
		}
	}
	return &Resource{Kind: k, ID: body.id(), Body: out, from: d.Address.Value}, required(k, out)
}

// knownParts is a value without parts that its attribute does not have.
func knownParts(a *Attribute, value any) any {
	switch v := value.(type) {
	case []any:
		list := make([]any, len(v))
		for i := range v {
			list[i] = knownParts(a, v[i])
		}
		return list
	case map[string]any:
		parts := object{}
		for key, part := range v {
			if find(a.Sub, key) != nil {
				parts[key] = part
			}
		}
		return parts
	}
	return value
}

// dn is the distinguished name by which members are referred to: the identifier
// stays when a name changes. Names regard no case, and identifiers do (RFC 7643 section 3.1): what is
// no lower-case letter, digit or dash is written as its octets.
func dn(id string) string {
	b := []byte("entryUUID=")
	for i := range len(id) {
		switch c := id[i]; {
		case 'a' <= c && c <= 'z', '0' <= c && c <= '9', c == '-':
			b = append(b, c)
		default:
			b = fmt.Appendf(b, "%%%02x", c)
		}
	}
	return string(b)
}

// idOf is the identifier of a reference that dn made; ok is false of others.
func idOf(ref string) (id string, ok bool) {
	written, ok := strings.CutPrefix(ref, "entryUUID=")
	if !ok {
		return "", false
	}
	id, err := url.PathUnescape(written)
	return id, err == nil
}

// place is where a record comes from.
func (r *Resource) place() place.Place { return place.Place{File: cmp.Or(r.from, "scim")} }

func (r *Resource) asUser() *directory.User {
	if r.user != nil {
		return r.user
	}
	u := &directory.User{Place: r.place(), ID: r.ID, Name: r.Name(), DN: dn(r.ID)}
	for _, key := range slices.Sorted(maps.Keys(r.Body)) {
		switch key {
		case "userName":
		case "active":
			on := r.Body[key] == true
			u.Active = &on
		case EnterpriseSchema:
			inner, _ := r.Body[key].(map[string]any)
			for _, k := range slices.Sorted(maps.Keys(inner)) {
				set(&u.Attributes, k, inner[k])
			}
		default:
			set(&u.Attributes, key, r.Body[key])
		}
	}
	r.user = u
	return u
}

// set gives a user an attribute, as rules ask for it.
func set(a *directory.Attributes, key string, value any) {
	if a.Set(key, value) != nil {
		return // an extension's attribute of a form that rules cannot ask for
	}
}

func (r *Resource) asGroup() *directory.Group {
	if r.group != nil {
		return r.group
	}
	g := &directory.Group{Place: r.place(), ID: r.ID, Name: r.Name(), DN: dn(r.ID), Members: &directory.Members{}}
	g.Description, _ = r.Body["description"].(string)
	list, _ := r.Body["members"].([]any)
	for _, m := range list {
		g.Members.Any = append(g.Members.Any, name.Ref{Name: dn(memberID(m)), Place: g.Place})
	}
	r.group = g
	return g
}
