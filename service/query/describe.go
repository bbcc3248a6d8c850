package query

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/directory"
)

// Map describes the map in force.
func (h *Head) Map(context.Context) (*answer.Map, error) {
	frame := h.Atlas.Frame
	m := &answer.Map{
		Title: h.Atlas.Title, Revision: h.Revision.Number, TimeZone: frame.Zone.String(),
		Networks: []answer.Network{}, Windows: []answer.Window{},
		Users: h.Atlas.Book.UserCount(), Groups: h.Atlas.Book.GroupCount(), Systems: len(h.Atlas.Systems),
	}
	for _, n := range frame.Networks {
		ranges := make([]string, len(n.Prefixes))
		for i, p := range n.Prefixes {
			ranges[i] = p.String()
		}
		m.Networks = append(m.Networks, answer.Network{Name: n.Name, Ranges: ranges})
	}
	for _, w := range frame.Windows {
		days := make([]string, len(w.Days))
		for i, d := range w.Days {
			days[i] = string(d)
		}
		from, _ := w.From.MarshalText()
		to, _ := w.To.MarshalText()
		m.Windows = append(m.Windows, answer.Window{Name: w.Name, Days: days, From: string(from), To: string(to)})
	}
	slices.SortFunc(m.Networks, func(a, b answer.Network) int { return strings.Compare(a.Name, b.Name) })
	slices.SortFunc(m.Windows, func(a, b answer.Window) int { return strings.Compare(a.Name, b.Name) })
	return m, nil
}

// User describes a user. The error is a *directory.NotFoundError.
func (r Records) User(written string) (*answer.User, error) {
	id, err := r.atlas.Book.FindUser(written, "")
	if err != nil {
		return nil, err
	}
	u := r.atlas.Book.User(id)
	d := &answer.User{
		User: r.atlas.Book.UserName(id), DisplayName: u.Attributes.First("displayName"), Active: u.IsActive(),
		DN: u.DN, Attributes: u.Attributes.Plain(), Groups: len(r.atlas.Book.Subject(id).Groups()),
	}
	if !u.Expires.IsZero() {
		d.Expires = &u.Expires.Time
	}
	return d, nil
}

// Group describes a group. The error is a *directory.NotFoundError.
func (r Records) Group(_ context.Context, written string) (*answer.GroupInfo, error) {
	book := r.atlas.Book
	id, err := book.FindGroup(written, "")
	if err != nil {
		return nil, err
	}
	g := book.Group(id)
	d := &answer.GroupInfo{
		Group: book.GroupName(id), Description: g.Description, DN: g.DN, Host: g.Host,
		Kind: cmp.Or(
			string(g.Kind),
			"security",
		), MembersFrom: cmp.Or(string(g.MembersFrom), "any"), UsableIn: cmp.Or(string(g.UsableIn), "any"),
		Members: len(book.Members(id)), Managers: []string{},
		ManagedBy: groupNames(
			book,
			book.Managers(id).Groups,
		), Groups: groupNames(book, book.InOrder(book.Held(id))), MemberOf: groupNames(book, book.InOrder(book.Holders(id))),
	}
	if g.Rule != nil {
		d.Rule = g.Rule.Text
	}
	for _, u := range book.Managers(id).Users {
		d.Managers = append(d.Managers, book.UserName(u))
	}
	return d, nil
}

func groupNames(book *directory.Book, ids []directory.GroupID) []string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = book.GroupName(id)
	}
	return names
}

// System describes a system. The error is a *directory.NotFoundError.
func (h *Head) System(_ context.Context, written string) (*answer.SystemInfo, error) {
	s, err := h.Atlas.System(written)
	if err != nil {
		return nil, err
	}
	d := &answer.SystemInfo{
		System: s.Name(), Type: s.Document.Type.Name, Title: s.Document.Title, Directory: s.Document.Directory.Name,
		Requires: append([]string{}, s.Document.Requires...), Catalogue: s.Gate.Catalogue(),
		File: s.Document.Place.File, Document: h.Folder.Files.Document(s),
	}
	d.Seats = s.Site.Seats(h.Atlas.Book)
	return d, nil
}
