package ldap

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// search is one question to a server: the entries of one table below one base.
type search struct {
	kind       connect.Kind
	base       directory.Base
	filter     string
	attributes []string
	controls   []ldap.Control // besides that of pages
}

var scopes = map[directory.Scope]int{"": ldap.ScopeWholeSubtree, "sub": ldap.ScopeWholeSubtree,
	"one": ldap.ScopeSingleLevel, "base": ldap.ScopeBaseObject}

// searches lists what has to be asked to get everything that the tables mean.
// Without a base it is below the server's own.
func (c *Conn) searches(tables *connect.Tables) ([]search, error) {
	var all []search
	for kind, wanted := range tables.Wanted() {
		bases := wanted.Pick.Base
		if len(bases) == 0 {
			own, err := c.ownBase()
			if err != nil {
				return nil, &Error{"base", c.server, err}
			}
			bases = []directory.Base{{Text: place.Text{Value: own}}}
		}
		filter := wanted.Pick.Filter.Value
		if filter == "" {
			filter = "(" + ldap.EscapeFilter(wanted.Pick.Name) + "=*)"
		}
		attributes := wanted.Attributes
		if len(attributes) == 0 {
			attributes = []string{"*"}
		}
		attributes = slices.Concat(attributes, connect.Identifiers)
		if c.marked() == byTime {
			attributes = append(attributes, byTime)
		}
		for _, base := range bases {
			all = append(all, search{kind: kind, base: base, filter: filter, attributes: attributes})
		}
	}
	return all, nil
}

// rootEntry is what the server says of itself.
func (c *Conn) rootEntry() (*ldap.Entry, error) {
	if c.root == nil {
		r, err := c.ldap.Search(ldap.NewSearchRequest("", ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false,
			"(objectClass=*)",
			[]string{"namingContexts", "defaultNamingContext", "supportedControl", "supportedExtension", "supportedCapabilities",
				"subschemaSubentry", "highestCommittedUSN"}, nil))
		if err != nil {
			return nil, plain(err)
		}
		if len(r.Entries) != 1 {
			return nil, errors.New("the server says nothing of itself")
		}
		c.root = r.Entries[0]
	}
	return c.root, nil
}

func (c *Conn) ownBase() (string, error) {
	root, err := c.rootEntry()
	if err != nil {
		return "", err
	}
	if own := root.GetEqualFoldAttributeValue("defaultNamingContext"); own != "" {
		return own, nil
	}
	if all := root.GetEqualFoldAttributeValues("namingContexts"); len(all) == 1 {
		return all[0], nil
	}
	return "", errors.New("the server has several trees, or does not say which; name a base")
}

// Fetch reads everything that the tables select, again where an entry was replaced while it
// did. progress gets how many entries have come so far. The error is an *Error.
func (c *Conn) Fetch(ctx context.Context, tables *connect.Tables, progress func(read int)) (connect.Records, error) {
	for try := 1; ; try++ {
		r, err := c.fetch(ctx, tables, progress)
		if !errors.Is(err, errReplaced) || try == tries {
			return r, err
		}
	}
}

func (c *Conn) fetch(ctx context.Context, tables *connect.Tables, progress func(read int)) (connect.Records, error) {
	var r connect.Records
	searches, err := c.searches(tables)
	if err != nil {
		return r, err
	}
	if c.client.source.Follow == "poll" {
		if err := c.containersMoved(ctx, searches, Mark{}); err != nil {
			return r, err
		}
	}
	read, seen := 0, map[string]bool{}
	for _, s := range searches {
		err := c.taken(ctx, s, tables, seen, &r, func(again bool) {
			if again {
				return
			}
			if read++; read%100 == 0 {
				progress(read)
			}
		})
		if err != nil {
			return r, err
		}
	}
	progress(read)
	tables.Finish(&r)
	return r, nil
}

// taken adds what one search finds to the records, but for what another found
// already, as bases may overlap. each is told of every entry, and whether it was
// found before.
func (c *Conn) taken(
	ctx context.Context, s search, tables *connect.Tables, seen map[string]bool, to *connect.Records,
	each func(again bool),
) error {
	return c.pages(ctx, s, func(e *ldap.Entry) error {
		key := fmt.Sprint(s.kind) + dnKey(e.DN)
		if seen[key] {
			each(true)
			return nil
		}
		seen[key] = true
		entry, err := c.entry(e)
		if err != nil {
			return err
		}
		tables.TakeAs(s.kind, entry, to)
		each(false)
		return nil
	}, to)
}

func dnKey(dn string) string {
	if canonical, ok := name.DN(dn); ok {
		return canonical
	}
	return dn
}

// emptyPages is how many pages without an entry are taken from a server that
// says that there are more.
const emptyPages = 100

// pages asks page by page (RFC 2696). Referrals are reported and not followed.
func (c *Conn) pages(ctx context.Context, s search, visit func(*ldap.Entry) error, to *connect.Records) error {
	failed := func(err error) error {
		return &Error{"search", c.server, fmt.Errorf("below %q for %s: %w", s.base.Value, s.filter, err)}
	}
	size := c.client.ldap.Page
	if size <= 0 {
		size = page
	}
	paging := ldap.NewControlPaging(uint32(size))
	own, empty := map[string]string{}, 0 // identifiers by distinguished name
	stop := context.AfterFunc(ctx, func() { c.Close() })
	defer stop()
	for {
		request := ldap.NewSearchRequest(s.base.Value, scopes[s.base.Scope], ldap.NeverDerefAliases, 0, 0, false, s.filter,
			s.attributes, append([]ldap.Control{paging}, s.controls...))
		result, err := c.ldap.Search(request)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case ldap.IsErrorWithCode(err, ldap.LDAPResultNoSuchObject):
			return &Error{"base", c.server, fmt.Errorf("there is no entry %q", s.base.Value)}
		case err != nil:
			return failed(plain(err))
		}
		for _, referral := range result.Referrals {
			to.Rejected = append(to.Rejected, *place.Errorf(c.place, "the server refers to %s, which is not followed", referral))
		}
		for _, e := range result.Entries {
			key, id := dnKey(e.DN), identifier(e)
			if was, again := own[key]; again && was != id {
				return failed(fmt.Errorf("entry %q was %w", e.DN, errReplaced))
			} else if again {
				return failed(fmt.Errorf("the server gives entry %q twice, so its pages cannot be trusted", e.DN))
			}
			own[key] = id
			if err := visit(e); err != nil {
				return failed(err)
			}
		}
		if len(result.Entries) > 0 {
			empty = 0
		} else if empty++; empty > emptyPages {
			return failed(fmt.Errorf("the server says that there are more entries, and gives none in %d pages", empty))
		}
		answer, _ := ldap.FindControl(result.Controls, ldap.ControlTypePaging).(*ldap.ControlPaging)
		if answer == nil || len(answer.Cookie) == 0 {
			return nil
		}
		paging.SetCookie(answer.Cookie)
	}
}

// errReplaced says that an entry was deleted, and another made by its name, between two pages.
var errReplaced = fmt.Errorf("replaced by another while it was read; %w", connect.ErrAnew)

// identifier is what a server identifies an entry by for good, as it gives it; "" where it
// does not.
func identifier(e *ldap.Entry) string {
	for _, attribute := range connect.Identifiers {
		if v := e.GetEqualFoldAttributeValue(attribute); v != "" {
			return v
		}
	}
	return ""
}
