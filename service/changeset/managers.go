package changeset

import (
	"context"
	"fmt"
	"strings"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/stage"
	"gatemap/store"
)

// List lists the groups that someone manages.
func (s *OwnGroups) List(by operator.Actor) (*answer.OwnGroups, error) {
	book := s.History.Head().Atlas.Book
	u, err := book.FindUser(by.User, "")
	if err != nil {
		return nil, err
	}
	all := &answer.OwnGroups{User: book.UserName(u), DisplayName: book.User(u).Attributes.First("displayName"),
		Groups: []answer.OwnGroup{}}
	for g := range book.AllGroups {
		if !book.Manages(u, g) {
			continue
		}
		own := answer.OwnGroup{Group: book.GroupName(g), Description: book.Group(g).Description, Members: []answer.Member{}}
		if r := book.Group(g).Rule; r != nil {
			own.Rule = r.Text
		}
		for _, m := range book.Members(g) {
			own.Members = append(own.Members, answer.Member{User: book.UserName(m.User), How: string(m.How),
				Path: s.History.Head().Names(m.Path)})
		}
		all.Groups = append(all.Groups, own)
	}
	return all, nil
}

// Change changes the members of a group that someone manages, as one revision.
// The error is an *operator.ForbiddenError where someone else manages it.
func (s *OwnGroups) Change(
	ctx context.Context, by operator.Actor, group string, add, remove []string, reason string,
) (*answer.Committed, error) {
	if err := by.May(operator.Members); err != nil {
		return nil, err
	}
	s.History.Lock() // what is checked here is what is committed
	defer s.History.Unlock()
	w := &tried{head: s.History.Head()}
	book := w.head.Atlas.Book
	u, err := book.FindUser(by.User, "")
	if err != nil {
		return nil, err
	}
	g, err := book.FindGroup(group, "")
	if err != nil || !book.Manages(u, g) {
		// Whether there is such a group is not told to those who do not manage it.
		return nil, &operator.ForbiddenError{Actor: by,
			Reason: fmt.Sprintf("%s does not manage the group %s", by.Name, group)}
	}
	if !book.User(u).IsActive() {
		return nil, &operator.ForbiddenError{Actor: by, Reason: fmt.Sprintf("the account %s is inactive", by.User)}
	}
	for _, m := range add {
		if _, err := book.FindUser(m, ""); err != nil {
			return nil, err
		}
		w.changes = append(w.changes, stage.Signed{Change: stage.Change{Do: stage.Join, Group: book.GroupName(g), Member: m},
			By: by.Name})
	}
	for _, m := range remove {
		w.changes = append(w.changes, stage.Signed{Change: stage.Change{Do: stage.Leave, Group: book.GroupName(g), Member: m},
			By: by.Name})
	}
	if len(w.changes) == 0 {
		return nil, answer.Invalid("add", "", "name whom to add or remove")
	}
	if s.bench.try(ctx, w); w.err != nil {
		return nil, badChange(0, 1, w.err)
	}
	if strings.TrimSpace(reason) == "" {
		reason = fmt.Sprintf("%s changed the members of %s", by.User, book.GroupName(g))
	}
	exempt, err := s.Rights.Exempt(ctx, "groups that one manages")
	if err != nil {
		return nil, err
	}
	r, _, err := s.commits.commitTried(ctx, by, w, store.Revision{Reason: reason, Exempt: exempt}, "")
	if err != nil {
		return nil, err
	}
	return &answer.Committed{Revision: r.Number}, nil
}
