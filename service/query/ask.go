// Package query answers questions from one map: what people can do, why, and why not, and what
// is worth finding in it. It changes nothing, and keeps nothing but what it computed.
package query

import (
	"context"
	"slices"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/service/page"
)

// Answers answers from one atlas.
type Answers struct {
	Atlas *atlas.Atlas
	// Found gives the findings, which are computed when first asked for.
	Found func() []finding.Finding
	// Kept looks whether the guarantees are kept, likewise.
	Kept func() []check.Guaranteed

	finder *finder
	more   []finding.Finding // that are none of the map itself
	really Guarantee         // looks at those that are asked of what is really there; nil: nobody does
}

// Guarantee looks whether a guarantee is kept.
type Guarantee func(ctx context.Context, a *atlas.Atlas, p *atlas.Promise) check.Guaranteed

// From answers from an atlas.
func From(a *atlas.Atlas) Answers {
	f := newFinder(a)
	return Answers{
		Atlas:  a,
		Found:  f.all,
		Kept:   sync.OnceValue(func() []check.Guaranteed { return check.Guarantees(a) }),
		finder: f,
	}
}

func (a Answers) Why(
	_ context.Context,
	user, system, right, object string,
	s situation.Situation,
) (*answer.Why, error) {
	u, facts, err := a.subject(user, s)
	if err != nil {
		return nil, err
	}
	in, point, err := a.point(system, right, object)
	if err != nil {
		return nil, err
	}
	w := &answer.Why{User: a.Atlas.Book.UserName(u), Situation: s.Facts(), Ways: []answer.Way{}}
	w.Entitlement, w.Lines = a.Atlas.Explain(u, facts, in, point)
	for _, way := range a.Atlas.Ways(a.Atlas.Question(u, facts), s, in, point, &w.Entitlement) {
		w.Ways = append(w.Ways, answer.NewWay(way, w.User))
	}
	w.Sentences = answer.Sentences(w, a.Atlas.Book.User(u).Attributes.First("displayName"))
	return w, nil
}

func (a Answers) Who(ctx context.Context, system, right, object string, s situation.Situation) (*answer.Who, error) {
	return a.WhoPage(ctx, system, right, object, s, 0, "")
}

// WhoPage is a page of Who; a limit of 0 is all.
func (a Answers) WhoPage(
	_ context.Context,
	system, right, object string,
	s situation.Situation,
	limit int,
	cursor string,
) (*answer.Who, error) {
	from, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	in, point, err := a.point(system, right, object)
	if err != nil {
		return nil, err
	}
	facts, err := a.Atlas.Facts(s)
	if err != nil {
		return nil, err
	}
	w := &answer.Who{
		System:    in.Name(),
		Right:     right,
		Object:    point.Object(),
		DecidedAt: a.Atlas.DecidedAt(point),
		Situation: s.Facts(),
		Users:     []answer.Holder{},
	}
	holders := a.Atlas.Who(facts, in, point)
	w.Total = holders.Count
	at := 0
	for u := range holders.Users {
		if at++; at <= from {
			continue
		}
		if limit > 0 && len(w.Users) == limit {
			break
		}
		e := holders.Entitlement(u)
		w.Users = append(w.Users, answer.Holder{
			User: a.Atlas.Book.UserName(
				u,
			), State: e.State, Breadth: e.Breadth, Reply: e.Reply, Needs: e.Needs, OpenIf: e.OpenIf, More: e.More, ShutBy: e.ShutBy, Routes: e.Routes,
		})
	}
	w.Next = page.Next(from, len(w.Users), w.Total)
	return w, nil
}

func (a Answers) Members(ctx context.Context, group string) (*answer.Members, error) {
	return a.MembersPage(ctx, group, 0, "")
}

// MembersPage is a page of Members; a limit of 0 is all.
func (a Answers) MembersPage(_ context.Context, group string, limit int, cursor string) (*answer.Members, error) {
	from, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	g, err := a.Atlas.Book.FindGroup(group, "")
	if err != nil {
		return nil, err
	}
	all := a.Atlas.Book.Members(g)
	m := &answer.Members{Group: a.Atlas.Book.GroupName(g), Members: []answer.Member{}, Total: len(all)}
	to := len(all)
	if limit > 0 {
		to = min(to, from+limit)
	}
	for _, x := range all[min(from, to):to] {
		m.Members = append(
			m.Members,
			answer.Member{User: a.Atlas.Book.UserName(x.User), How: string(x.How), Path: a.Names(x.Path)},
		)
	}
	for _, x := range a.Atlas.Book.DeviceMembers(g) {
		m.Devices = append(
			m.Devices,
			answer.DeviceMember{Device: a.Atlas.Book.DeviceName(x.Device), How: string(x.How), Path: a.Names(x.Path)},
		)
	}
	m.Next = page.Next(from, len(m.Members), m.Total)
	return m, nil
}

func (a Answers) Memberships(_ context.Context, user string) (*answer.Memberships, error) {
	u, err := a.Atlas.Book.FindUser(user, "")
	if err != nil {
		return nil, err
	}
	m := &answer.Memberships{User: a.Atlas.Book.UserName(u), Groups: []answer.Membership{}}
	subject := a.Atlas.Book.Subject(u)
	for _, id := range a.Atlas.Book.InOrder(subject.Groups()) {
		m.Groups = append(m.Groups, answer.Membership{
			Group: a.Atlas.Book.GroupName(id), How: string(subject.How(id)), Path: a.Names(subject.Path(id)),
		})
	}
	return m, nil
}

func (a Answers) Findings(ctx context.Context, w answer.Wanted) (*answer.Findings, error) {
	return a.FindingsPage(ctx, w, 0, "")
}

// FindingsPage is a page of Findings; a limit of 0 is all.
func (a Answers) FindingsPage(_ context.Context, w answer.Wanted, limit int, cursor string) (*answer.Findings, error) {
	from, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	f := answer.Find(a.Found(), w, from, limit)
	f.Next = page.Next(from, len(f.Findings), f.Total)
	return f, nil
}

// Besides answers with more findings than those of the map itself.
func (a Answers) Besides(more []finding.Finding) Answers {
	if len(more) == 0 {
		return a
	}
	found := a.Found
	a.Found = func() []finding.Finding {
		all := slices.Concat(found(), more)
		finding.Sort(all)
		return all
	}
	a.more = more
	return a
}

// patience is how long a page of what was found so far waits for more.
const patience = 100 * time.Millisecond

// FoundSoFar is a page of the findings that there are so far: the first time that they are
// asked for on a large map, looking takes seconds.
func (a Answers) FoundSoFar(w answer.Wanted, limit int) *answer.Findings {
	list, whole := a.finder.soFar(patience)
	if len(a.more) > 0 {
		list = slices.Concat(list, a.more)
		finding.Sort(list)
	}
	f := answer.Find(list, w, 0, limit)
	f.Pending = !whole
	if whole {
		f.Next = page.Next(0, len(f.Findings), f.Total)
	}
	return f
}

// Really answers with guarantees that are asked of what is really there.
func (a Answers) Really(look Guarantee) Answers {
	a.really = look
	return a
}

func (a Answers) Guarantees(ctx context.Context) (*answer.Guarantees, error) {
	all := slices.Clone(a.Kept())
	for i, p := range a.Atlas.Guarantees {
		if p.Document.Really && a.really != nil {
			all[i] = a.really(ctx, a.Atlas, p)
		}
	}
	return &answer.Guarantees{Guarantees: all}, nil
}

func (a Answers) Compare(_ context.Context, first, second string, s situation.Situation) (*answer.Compare, error) {
	one, facts, err := a.subject(first, s)
	if err != nil {
		return nil, err
	}
	two, err := a.Atlas.Book.FindUser(second, "")
	if err != nil {
		return nil, err
	}
	return &answer.Compare{
		First: a.Atlas.Book.UserName(one), Second: a.Atlas.Book.UserName(two), Situation: s.Facts(),
		Compared: change.People(a.Atlas, one, two, facts),
	}, nil
}

func (a Answers) subject(user string, s situation.Situation) (directory.UserID, *situation.Facts, error) {
	u, err := a.Atlas.Book.FindUser(user, "")
	if err != nil {
		return 0, nil, err
	}
	facts, err := a.Atlas.Facts(s)
	return u, facts, err
}

// subjectIn is subject with the system that is asked about; nil for all.
func (a Answers) subjectIn(
	user, system string,
	s situation.Situation,
) (u directory.UserID, facts *situation.Facts, within *atlas.System, err error) {
	if u, facts, err = a.subject(user, s); err == nil && system != "" {
		within, err = a.Atlas.System(system)
	}
	return u, facts, within, err
}

func (a Answers) point(system, right, object string) (*atlas.System, rule.Permission, error) {
	s, err := a.Atlas.System(system)
	if err != nil {
		return nil, nil, err
	}
	p, err := s.Gate.At(object, right)
	return s, p, err
}

// Names are the full names of the groups of a path.
func (a Answers) Names(path []directory.Step) []string {
	names := make([]string, len(path))
	for i, step := range path {
		names[i] = a.Atlas.Book.GroupName(step.Group)
	}
	return names
}
