package readings

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/change"
	"gatemap/core/gate"
	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/service/query"
)

// Really answers from the newest readings: what people can really do in systems that are linked,
// leaving aside what stands in front of these.
type Really struct {
	readings *Readings
	head     *query.Head
}

// Really asks what is really there.
func (s *Readings) Really() *Really { return &Really{s, s.Head()} }

// read is a system that was read.
type read struct {
	query.Answers
	real     *reading.Compiled
	document *gate.System
}

// in is the reading of a system, or, where none is named, of all that are linked and were read.
func (r *Really) in(ctx context.Context, system string) ([]read, error) {
	if system != "" {
		d, err := linked(r.head, system)
		if err != nil {
			return nil, err
		}
		real, err := r.readings.compiled(ctx, r.head, d)
		if err != nil {
			return nil, err
		}
		return []read{{query.From(real.Atlas), real, d}}, nil
	}
	var all []read
	var failed []error
	for d := range linkedIn(r.head) {
		real, err := r.readings.compiled(ctx, r.head, d)
		if err != nil {
			failed = append(failed, err)
			continue
		}
		all = append(all, read{query.From(real.Atlas), real, d})
	}
	if all == nil {
		return nil, &answer.ConflictError{
			Message: strings.Join(
				append([]string{"no linked system was read, so that nobody can say what is really there"}, texts(failed)...),
				"; ",
			),
		}
	}
	return all, nil
}

func texts(errs []error) (list []string) {
	for _, err := range errs {
		list = append(list, err.Error())
	}
	return list
}

// infos are what some readings are of.
func infos(all []read) (list []answer.ReadingInfo) {
	for _, x := range all {
		list = append(list, *infoOf(x.real, x.document))
	}
	return list
}

// user is the full name of whoever is asked about, by the map or as a stranger.
func (r *Really) user(all []read, written string) (full string, err error) {
	u, err := r.head.Atlas.Book.FindUser(written, "")
	if err == nil {
		return r.head.Atlas.Book.UserName(u), nil
	}
	for _, x := range all {
		if u, there := x.Atlas.Book.FindUser(written, ""); there == nil {
			return x.Atlas.Book.UserName(u), nil
		}
	}
	return "", err
}

// has says whether a user has an account in a system that was read.
func (x *read) has(full string) bool {
	_, err := x.Atlas.Book.FindUser(full, "")
	return err == nil
}

// Reach is everything that a user really holds.
func (r *Really) Reach(ctx context.Context, user, system string, s situation.Situation) (*answer.Reach, error) {
	all, err := r.in(ctx, system)
	if err != nil {
		return nil, err
	}
	full, err := r.user(all, user)
	if err != nil {
		return nil, err
	}
	out := &answer.Reach{User: full, Situation: s.Facts(), Entitlements: []rule.Entitlement{}, Really: infos(all)}
	if u, err := r.head.Atlas.Book.FindUser(full, ""); err == nil {
		out.DisplayName = r.head.Atlas.Book.User(u).Attributes.First("displayName")
	}
	for _, x := range all {
		if !x.has(full) {
			continue
		}
		one, err := x.Reach(ctx, full, "", s)
		if err != nil {
			return nil, err
		}
		out.Entitlements = append(out.Entitlements, one.Entitlements...)
	}
	return out, nil
}

// Why is why a user can really do one thing, or why not.
func (r *Really) Why(
	ctx context.Context,
	user, system, right, object string,
	s situation.Situation,
) (*answer.Why, error) {
	all, err := r.in(ctx, system)
	if err != nil {
		return nil, err
	}
	full, err := r.user(all, user)
	if err != nil {
		return nil, err
	}
	x := &all[0]
	if x.has(full) {
		why, err := x.Why(ctx, full, x.real.Reading.System, right, object, s)
		if err == nil {
			why.Really = infos(all)
		}
		return why, err
	}
	p, err := x.real.System.Gate.At(object, right)
	if err != nil {
		return nil, err
	}
	none := rule.Entitlement{
		System: x.real.Reading.System,
		Object: p.Object(),
		Right:  right,
		Needs:  []situation.Need{},
		OpenIf: [][]situation.Need{},
		ShutBy: []rule.Stop{},
		Routes: []rule.Route{},
	}
	return &answer.Why{
		User: full, Situation: s.Facts(), Entitlement: none, Lines: []rule.Pass{}, Ways: []answer.Way{}, Really: infos(all),
		Sentences: []string{fmt.Sprintf("%s has no account in %s, and so holds nothing there.", full, none.System)},
	}, nil
}

// Who is everyone who really holds one right.
func (r *Really) Who(ctx context.Context, system, right, object string, s situation.Situation) (*answer.Who, error) {
	return r.WhoPage(ctx, system, right, object, s, 0, "")
}

// WhoPage is a page of Who; a limit of 0 is all.
func (r *Really) WhoPage(
	ctx context.Context,
	system, right, object string,
	s situation.Situation,
	limit int,
	cursor string,
) (*answer.Who, error) {
	all, err := r.in(ctx, system)
	if err != nil {
		return nil, err
	}
	who, err := all[0].WhoPage(ctx, all[0].real.Reading.System, right, object, s, limit, cursor)
	if err == nil {
		who.Really = infos(all)
	}
	return who, err
}

// Compare is what two people really hold, side by side.
func (r *Really) Compare(ctx context.Context, first, second string, s situation.Situation) (*answer.Compare, error) {
	all, err := r.in(ctx, "")
	if err != nil {
		return nil, err
	}
	one, err := r.user(all, first)
	two, err2 := r.user(all, second)
	if err := errors.Join(err, err2); err != nil {
		return nil, err
	}
	out := &answer.Compare{First: one, Second: two, Situation: s.Facts(), Really: infos(all)}
	var lists [2][]rule.Entitlement
	for i, user := range []string{one, two} {
		reach, err := r.Reach(ctx, user, "", s)
		if err != nil {
			return nil, err
		}
		lists[i] = reach.Entitlements
	}
	out.Compared = change.Holdings(lists[0], lists[1])
	return out, nil
}

// Matrix puts people against what they really hold in one system, of one group of the map or all.
func (r *Really) Matrix(
	ctx context.Context,
	system, group, right string,
	s situation.Situation,
) (*answer.Matrix, error) {
	if system == "" {
		return nil, answer.Invalid("system", "", "what is really there is put in a matrix for one system: name it")
	}
	all, err := r.in(ctx, system)
	if err != nil {
		return nil, err
	}
	m, err := all[0].Matrix(ctx, "", "", right, s)
	if err != nil {
		return nil, err
	}
	m.Really = infos(all)
	if group == "" {
		return m, nil
	}
	book := r.head.Atlas.Book
	g, err := book.FindGroup(group, "")
	if err != nil {
		return nil, err
	}
	m.Rows = slices.DeleteFunc(m.Rows, func(row answer.Row) bool {
		u, err := book.FindUser(row.User, "")
		return err != nil || !book.Subject(u).In(g)
	})
	return m, nil
}
