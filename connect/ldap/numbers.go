package ldap

import (
	"context"
	"regexp"
	"slices"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
)

// A domain controller gives every change a number, keeps it with the entry, and keeps
// entries that were deleted, with theirs, for months. So it can be asked what has changed
// since a comparison, wherever that is now, at the cost of the changes alone.

// showDeleted is the control by which deleted entries are among what a search finds
// (LDAP_SERVER_SHOW_DELETED_OID).
const showDeleted = "1.2.840.113556.1.4.417"

// computed are attributes that change without a change number, as the server computes them.
var computed = regexp.MustCompile(`(?i)\((memberOf|directReports|managedObjects|tokenGroups[a-z]*|[a-z-]*BL)[:~<>=]`)

// numbered is an entry that has changed.
type numbered struct {
	dn      string
	deleted bool
}

// byNumber compares what is known with what is there, as verify does, where the server
// tells what has changed by numbers, also of what was deleted; ok is false where it does
// not, and the first time.
func (c *Conn) byNumber(
	ctx context.Context, searches []search, known standing, gone func(k connect.Kind, id string),
	stray func(s search, e *connect.Entry) error,
) (ok bool, err error) {
	if c.heavy || c.parents == nil || c.marked() != byNumber {
		return false, nil
	}
	if slices.ContainsFunc(searches, func(s search) bool { return computed.MatchString(s.filter) }) {
		return false, nil
	}
	next, err := c.Mark()
	if err != nil {
		return false, err
	}
	since := c.compared
	if since == (Mark{}) {
		c.compared = next
		return false, nil
	}
	changed, told, err := c.changedSince(ctx, searches, since)
	if err != nil {
		return false, err
	}
	if !told {
		c.compared = next
		return false, nil
	}
	if c.treeMoved(changed) {
		return true, errTreeMoved
	}
	meant := [connect.Device + 1]map[string]string{{}, {}, {}}
	for _, s := range searches {
		if err := c.since(ctx, s, since, nil, func(e *connect.Entry) { meant[s.kind][e.Identity()] = e.DN }); err != nil {
			return true, err
		}
	}
	strays := 0
	for _, s := range searches {
		for id, dn := range meant[s.kind] {
			if was, is := known[s.kind][id]; is && dnKey(was.dn) == dnKey(dn) {
				continue
			}
			if strays++; strays > manyStray {
				return true, errManyStray
			}
			if err := c.each(ctx, s, dn, func(e *connect.Entry) error { return stray(s, e) }); err != nil {
				return true, err
			}
		}
	}
	for k := range known {
		for id := range changed {
			if _, is := known[k][id]; is && meant[k][id] == "" {
				gone(connect.Kind(k), id)
			}
		}
	}
	c.compared = next
	return true, nil
}

// since visits what a search has that has changed since a number, by identifiers alone.
func (c *Conn) since(
	ctx context.Context, s search, since Mark, controls []ldap.Control, visit func(*connect.Entry),
) error {
	s.filter = c.changed(s.filter, since)
	s.attributes, s.controls = append(slices.Clone(connect.Identifiers), "isDeleted"), controls
	var rejected connect.Records
	return c.pages(ctx, s, func(e *ldap.Entry) error {
		entry, err := c.entry(e)
		if err == nil && entry.Identity() != "" {
			visit(entry)
		}
		return err
	}, &rejected)
}

// changedSince is everything that has changed since a number in the trees in which searches
// look, by identifier; told is false where nothing that was deleted is to be seen, as for an
// account that may not.
func (c *Conn) changedSince(
	ctx context.Context, searches []search, since Mark,
) (all map[string]numbered, told bool, err error) {
	root, err := c.rootEntry()
	if err != nil {
		return nil, false, &Error{"search", c.server, err}
	}
	deleted := []ldap.Control{ldap.NewControlString(showDeleted, true, "")}
	all = map[string]numbered{}
	list, whole := trees(root.GetEqualFoldAttributeValues("namingContexts"), searches)
	if !whole {
		return nil, false, nil
	}
	for _, tree := range list {
		bin := "CN=Deleted Objects," + tree
		seen, err := c.ldap.Search(ldap.NewSearchRequest(bin, ldap.ScopeSingleLevel, ldap.NeverDerefAliases, 1, 0, false,
			"(isDeleted=TRUE)", []string{"1.1"}, deleted))
		if seen == nil || len(seen.Entries) == 0 || err != nil &&
			!ldap.IsErrorWithCode(err, ldap.LDAPResultSizeLimitExceeded) {
			return nil, false, nil
		}
		everything := search{filter: "(objectClass=*)"}
		everything.base.Value = tree
		if err := c.since(ctx, everything, since, deleted, func(e *connect.Entry) {
			all[e.Identity()] = numbered{e.DN, strings.EqualFold(e.First("isDeleted").Value, "TRUE")}
		}); err != nil {
			return nil, false, err
		}
	}
	return all, true, nil
}

// trees are the naming contexts in which searches look: of each the longest that its base
// lies in. whole is false where one lies in none.
func trees(contexts []string, searches []search) (list []string, whole bool) {
	whole = true
	for _, s := range searches {
		longest := ""
		for _, tree := range contexts {
			if below(s.base.Value, tree) && len(tree) > len(longest) {
				longest = tree
			}
		}
		if longest == "" {
			whole = false
		} else if !slices.Contains(list, longest) {
			list = append(list, longest)
		}
	}
	return list, whole
}

// below says whether a distinguished name is another, or lies below it.
func below(dn, base string) bool {
	dn, base = dnKey(dn), dnKey(base)
	return dn == base || strings.HasSuffix(dn, "\x00"+base)
}

// treeMoved says whether a container that polls know has another name, also out of the
// bases: what lies below it has other names too, and no change of its own.
func (c *Conn) treeMoved(changed map[string]numbered) bool {
	for id, n := range changed {
		if was := c.parents[id]; was != "" && !n.deleted && dnKey(was) != dnKey(n.dn) {
			return true
		}
	}
	return false
}
