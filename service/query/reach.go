package query

import (
	"context"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func (a Holdings) Reach(_ context.Context, user, system string, s situation.Situation) (*answer.Reach, error) {
	u, facts, within, err := a.subjectIn(user, system, s)
	if err != nil {
		return nil, err
	}
	return a.reach(u, s, facts, within), nil
}

// Held is what Reach answers without the entitlements, which each works out one by one, for who
// writes them out.
func (a Holdings) Held(user, system string, s situation.Situation) (who *answer.Reach, each Each, err error) {
	u, facts, within, err := a.subjectIn(user, system, s)
	if err != nil {
		return nil, nil, err
	}
	q := a.atlas.Question(u, facts)
	q.Texts = true
	return a.holder(u, s), func(visit func(rule.Entitlement)) { a.atlas.Each(q, within, visit) }, nil
}

// Each hands entitlements to visit, as soon as each is known.
type Each func(visit func(rule.Entitlement))

func (a Holdings) reach(
	u directory.UserID, s situation.Situation, facts *situation.Facts, within *atlas.System,
) *answer.Reach {
	r := a.holder(u, s)
	if held := a.atlas.Reach(u, facts, within); held != nil {
		r.Entitlements = held
	}
	return r
}

// holder is who holds, with nothing that is held yet.
func (a Holdings) holder(u directory.UserID, s situation.Situation) *answer.Reach {
	book := a.atlas.Book
	r := &answer.Reach{
		User: book.UserName(u), DisplayName: book.User(u).Attributes.First("displayName"),
		Situation: s.Facts(), Entitlements: []rule.Entitlement{},
	}
	for _, other := range book.Accounts(u) {
		if other != u {
			r.Others = append(r.Others, answer.Account{User: book.UserName(other), Active: book.User(other).IsActive()})
		}
	}
	return r
}

func (a Holdings) Person(_ context.Context, user, system string, s situation.Situation) (*answer.Person, error) {
	u, facts, within, err := a.subjectIn(user, system, s)
	if err != nil {
		return nil, err
	}
	p := &answer.Person{}
	active := 0
	for _, account := range a.atlas.Book.Accounts(u) {
		p.Accounts = append(p.Accounts, *a.reach(account, s, facts, within))
		if a.atlas.Book.User(account).IsActive() {
			active++
		}
	}
	p.HalfLeft = active > 0 && active < len(p.Accounts)
	return p, nil
}
