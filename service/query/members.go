package query

import (
	"context"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/service/page"
)

func (r Records) Members(ctx context.Context, group string) (*answer.Members, error) {
	return r.MembersPage(ctx, group, 0, "")
}

// MembersPage is a page of Members; a limit of 0 is all.
func (r Records) MembersPage(_ context.Context, group string, limit int, cursor string) (*answer.Members, error) {
	from, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	g, err := r.atlas.Book.FindGroup(group, "")
	if err != nil {
		return nil, err
	}
	all := r.atlas.Book.Members(g)
	m := &answer.Members{Group: r.atlas.Book.GroupName(g), Members: []answer.Member{}, Total: len(all)}
	to := len(all)
	if limit > 0 {
		to = min(to, from+limit)
	}
	for _, x := range all[min(from, to):to] {
		m.Members = append(
			m.Members,
			answer.Member{User: r.atlas.Book.UserName(x.User), How: string(x.How), Path: r.Names(x.Path)},
		)
	}
	for _, x := range r.atlas.Book.DeviceMembers(g) {
		m.Devices = append(
			m.Devices,
			answer.DeviceMember{Device: r.atlas.Book.DeviceName(x.Device), How: string(x.How), Path: r.Names(x.Path)},
		)
	}
	m.Next = page.Next(from, len(m.Members), m.Total)
	return m, nil
}

func (r Records) Memberships(_ context.Context, user string) (*answer.Memberships, error) {
	u, err := r.atlas.Book.FindUser(user, "")
	if err != nil {
		return nil, err
	}
	m := &answer.Memberships{User: r.atlas.Book.UserName(u), Groups: []answer.Membership{}}
	subject := r.atlas.Book.Subject(u)
	for _, id := range r.atlas.Book.InOrder(subject.Groups()) {
		m.Groups = append(m.Groups, answer.Membership{
			Group: r.atlas.Book.GroupName(id), How: string(subject.How(id)), Path: r.Names(subject.Path(id)),
		})
	}
	return m, nil
}

// Names are the full names of the groups of a path.
func (r Records) Names(path []directory.Step) []string {
	names := make([]string, len(path))
	for i, step := range path {
		names[i] = r.atlas.Book.GroupName(step.Group)
	}
	return names
}
