package scim

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"net/url"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// writing writes the resources of one service provider (RFC 7644 section 3.5).
type writing struct {
	*provider
	ctx context.Context
	d   *Document
	job *connect.Job

	coming  map[string]bool   // groups that are to be made, by name
	instead map[string]string // paths of groups that were put back, by those that they had
}

// Writing makes a client of the service provider.
func (d *Document) Writing(ctx context.Context, j *connect.Job, at string) (connect.Writing, error) {
	if at != "" && at != d.Address.Value {
		return nil, connect.ErrNoServer
	}
	p, err := d.reached().provider(j.Host)
	if err != nil {
		return nil, err
	}
	p.client.CheckRetry = onlyWhenNotTaken
	return &writing{p, ctx, d, j, map[string]bool{}, map[string]string{}}, nil
}

// onlyWhenNotTaken tries a request again only where the server says that it did not take it: of any other
// failure nobody knows.
func onlyWhenNotTaken(ctx context.Context, response *http.Response, _ error) (bool, error) {
	return ctx.Err() == nil && response != nil && response.StatusCode == http.StatusTooManyRequests, ctx.Err()
}

// Server is the address.
func (w *writing) Server() string { return w.d.Address.Value }

// Close has nothing to close.
func (w *writing) Close() {}

// Shape is the user with attributes in the form of their schema, in which the server gives them back
// (RFC 7643 section 4.1). Of pushed records it is the user.
func (d *Document) Shape(u *directory.User) (*directory.User, error) {
	if !d.asks() {
		return u, nil
	}
	resource, err := d.resource(connect.User, bodyOf(u))
	if err != nil {
		return nil, err
	}
	shaped := *u
	shaped.Attributes = resource.asUser().Attributes
	return &shaped, nil
}

func pathOf(k connect.Kind, id string) string { return listOf(k) + "/" + url.PathEscape(id) }

// Look reads a resource, and works out how it is to be modified.
func (w *writing) Look(r *connect.Rewrite, written bool) (*connect.Modification, error) {
	if r.New() {
		return w.lookNew(r)
	}
	if r.Group != nil && w.coming[r.Named().Name] && r.Follows() && !written {
		changes, err := w.groupChanges(r.Group)
		return &connect.Modification{
			At:      listOf(connect.Group) + "/" + standsFor("group", r.Named().Name),
			Changes: changes,
		}, err
	}
	at, body, version, err := w.resourceOf(r)
	if err != nil {
		return nil, err
	}
	now, err := w.taken(r, body)
	if err != nil {
		return nil, err
	}
	if is, err := r.Is(now, written); is || err != nil {
		return &connect.Modification{At: at}, err
	}
	if r.Goes() {
		return w.lookGone(at, body, version)
	}
	var changes []connect.ValueChange
	if r.User != nil {
		changes, err = w.userChanges(r.User, body)
	} else {
		changes, err = w.groupChanges(r.Group)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	return &connect.Modification{At: at, Changes: changes, Version: version}, nil
}

// resourceOf reads the resource of a record, and says where it is and which version.
func (w *writing) resourceOf(r *connect.Rewrite) (at string, body raw, version string, err error) {
	n := r.Named()
	id := ""
	if r.User != nil {
		id = r.User.Before.ID
	} else {
		id = r.Group.Before.ID
	}
	if id == "" { // it was made, and not taken in since
		if id, err = w.called(n.Kind, n.Name); err != nil {
			return "", nil, "", fmt.Errorf("%s: %w", n, err)
		}
	}
	if id != "" {
		at = pathOf(n.Kind, id)
		if body, version, err = w.read(at); err != nil {
			return "", nil, "", fmt.Errorf("%s: %w", n, err)
		}
	}
	if body == nil {
		theirs := fmt.Sprintf("there is no %s %q any more", TypeName(n.Kind), n.Name)
		return "", nil, "", &connect.ElsewhereError{Rewrite: r, Theirs: theirs}
	}
	return at, body, version, nil
}

// read reads one resource, and says which version it is (RFC 7644 section 3.14), "" where the server
// tells none; nil if there is none.
func (w *writing) read(at string) (body raw, version string, err error) {
	version, err = w.ask(w.ctx, http.MethodGet, at, nil, "", &body)
	if hasStatus(err, http.StatusNotFound) {
		return nil, "", nil
	}
	meta, _ := body.value("meta").(map[string]any)
	return body, cmp.Or(version, raw(meta).text("version")), err
}

// called is the id of the resource that has a name; "" if there is none.
func (w *writing) called(k connect.Kind, named string) (id string, err error) {
	attribute := "userName"
	if k == connect.Group {
		attribute = "displayName"
	}
	query := url.Values{"filter": {attribute + " eq " + quotedValue(named)}, "count": {"2"}}
	var got page[raw]
	if err := w.get(w.ctx, listOf(k)+"?"+query.Encode(), &got); err != nil {
		return "", err
	}
	for _, x := range got.Resources {
		if name.Equal(x.named(k), named) {
			return x.id(), nil
		}
	}
	return "", nil
}

// taken is the record that a resource is now. Members to whom the record refers by name are referred to
// so.
func (w *writing) taken(r *connect.Rewrite, body raw) (one connect.Records, err error) {
	w.d.take(r.Named().Kind, body, &one)
	if len(one.Rejected) > 0 {
		return one, fmt.Errorf("%s: %s", r.Named(), one.Rejected[0].Message)
	}
	if r.Group == nil {
		return one, nil
	}
	known, asked := map[string]name.Ref{}, map[string]bool{} // by distinguished name, and by name
	for _, side := range []*directory.Group{r.Group.Before, r.Group.After} {
		for _, ref := range members(side) {
			if _, isID := idOf(ref.Name); isID || asked[ref.Name] {
				continue
			}
			asked[ref.Name] = true
			id, err := w.idOf(ref.Name)
			if err != nil {
				return one, err
			}
			if id != "" {
				known[dn(id)] = ref
			}
		}
	}
	list := one.Groups[0].Members.Any
	for i, ref := range list {
		if as, is := known[ref.Name]; is {
			list[i] = as
		}
	}
	return one, nil
}

func members(g *directory.Group) []name.Ref {
	if g == nil || g.Members == nil {
		return nil
	}
	return g.Members.Any
}
