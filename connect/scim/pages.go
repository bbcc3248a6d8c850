package scim

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"strings"
)

// page is a page of a list (RFC 7644 section 3.4.2).
type page[T any] struct {
	TotalResults *int
	Resources    []T
}

// errChanged says that something came or went while it was read.
var errChanged = errors.New("it changes while it is read, again and again: read it when less goes on there")

// everything is all users and groups.
func (p *provider) everything(ctx context.Context) (users, groups []*found, err error) {
	err = p.steady(func() error {
		if users, err = listed(ctx, p, "Users", settled, "userName", "externalId", "active", "roles",
			"entitlements"); err == nil {
			groups, err = listed(ctx, p, "Groups", settled, "displayName", "members", "roles", "entitlements")
		}
		return err
	})
	if err != nil {
		return nil, nil, err
	}
	return users, groups, p.membersOf(ctx, groups)
}

// steady reads everything, and again where it changed meanwhile.
func (p *provider) steady(read func() error) (err error) {
	for range mostAnew {
		p.read = 0
		if err = read(); !errors.Is(err, errChanged) {
			return err
		}
	}
	return err
}

// settled takes a resource, and gives its id and its name.
func settled(f *found) (id, named string, err error) {
	return f.ID, cmp.Or(f.UserName, f.DisplayName), f.settle()
}

// listed reads a list page by page; each takes a resource, and gives its id and name. How many come in
// a page is the server's choice; one that says nothing of how many there are is read until a page is
// empty or not full. Without attributes it is read whole.
func listed[T any](
	ctx context.Context,
	p *provider,
	of string,
	each func(T) (id, named string, err error),
	attributes ...string,
) (all []T, err error) {
	seen := map[string]bool{}
	total := -1
	for {
		query := url.Values{"startIndex": {strconv.Itoa(len(all) + 1)}, "count": {strconv.Itoa(p.page)}}
		if attributes != nil {
			query.Set("attributes", strings.Join(attributes, ","))
		}
		var got page[T]
		if err := p.get(ctx, "/"+of+"?"+query.Encode(), &got); err != nil {
			return nil, err
		}
		if got.TotalResults != nil {
			if total >= 0 && *got.TotalResults != total {
				return nil, errChanged
			}
			total = *got.TotalResults
		}
		for _, x := range got.Resources {
			id, named, err := each(x)
			switch {
			case id == "" || named == "":
				return nil, fmt.Errorf("one of its %s has no id or no name", strings.ToLower(of))
			case seen[id]:
				return nil, errChanged
			case err != nil:
				return nil, fmt.Errorf("%s %s: %w", strings.TrimSuffix(of, "s"), id, err)
			}
			seen[id] = true
		}
		all = append(all, got.Resources...)
		p.read += len(got.Resources)
		p.progress(p.read)
		switch {
		case total >= 0 && len(all) >= total, total < 0 && len(got.Resources) < p.page:
			return all, nil
		case len(got.Resources) == 0:
			return nil, errChanged // it says that there are more
		}
	}
}

// membersOf asks for the members of groups whose list does not tell them.
func (p *provider) membersOf(ctx context.Context, groups []*found) error {
	for _, g := range groups {
		if g.said {
			continue
		}
		var one found
		if err := p.get(ctx, "/Groups/"+url.PathEscape(g.ID), &one); err != nil {
			return err
		}
		if err := one.settle(); err != nil {
			return fmt.Errorf("Group %s: %w", g.ID, err)
		}
		g.Members = one.Members
	}
	return nil
}
