package query

import (
	"context"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/page"
)

// Search lists users, groups, systems and devices of which the name, the display name,
// title, department, description or mail address contains every word of the
// text, in any case; empty text lists all. Names come in order, by kind. Systems that the
// caller may not see, and their lines, are left out.
func (r Records) Search(
	ctx context.Context,
	text string,
	kind answer.Kind,
	limit int,
	cursor string,
) (*answer.Page, error) {
	from, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	if limit <= 0 || limit > page.Max {
		limit = page.Max
	}
	Cut := &answer.Page{Items: []answer.Item{}}
	words := strings.Fields(name.Fold(text))
	add := func(item func() answer.Item, text string) {
		if slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) }) {
			return
		}
		if Cut.Total >= from && len(Cut.Items) < limit {
			Cut.Items = append(Cut.Items, item())
		}
		Cut.Total++
	}
	if kind == "" || kind == answer.KindUser {
		r.searchUsers(add)
	}
	if kind == "" || kind == answer.KindGroup {
		r.searchGroups(add)
	}
	if kind == "" || kind == answer.KindSystem {
		r.searchSystems(operator.From(ctx), add)
	}
	if kind == "" || kind == answer.KindDevice {
		r.searchDevices(add)
	}
	if kind == answer.KindLine {
		r.searchLines(operator.From(ctx), add)
	}
	Cut.Next = page.Next(from, len(Cut.Items), Cut.Total)
	return Cut, nil
}

// adder takes an item that may be looked for, by its folded text.
type adder func(item func() answer.Item, text string)

func (r Records) searchUsers(add adder) {
	book := r.atlas.Book
	texts := book.Texts().Users
	for id := range book.AllUsers {
		add(func() answer.Item {
			u := book.User(id)
			return answer.Item{
				Kind: answer.KindUser, Name: book.UserName(id), Title: u.Attributes.First("displayName"),
				Detail: strings.Trim(u.Attributes.First("title")+", "+u.Attributes.First("department"), ", "), Active: u.IsActive(),
			}
		}, texts[id])
	}
}

func (r Records) searchGroups(add adder) {
	book := r.atlas.Book
	texts := book.Texts().Groups
	for id := range book.AllGroups {
		add(func() answer.Item {
			g := book.Group(id)
			detail := "security group"
			if g.Kind == "mail" {
				detail = "mail group"
			}
			if g.Rule != nil {
				detail += " by rule"
			}
			return answer.Item{
				Kind:   answer.KindGroup,
				Name:   book.GroupName(id),
				Title:  g.Description,
				Detail: detail,
				Active: true,
			}
		}, texts[id])
	}
}

func (r Records) searchSystems(by operator.Actor, add adder) {
	for _, s := range r.atlas.Systems {
		if !by.Sees(s.Name()) {
			continue
		}
		add(func() answer.Item {
			return answer.Item{
				Kind:   answer.KindSystem,
				Name:   s.Name(),
				Title:  s.Document.Title,
				Detail: s.Document.Type.Name,
				Active: true,
			}
		}, name.Fold(s.Name()+"\x00"+s.Document.Title))
	}
}

func (r Records) searchLines(by operator.Actor, add adder) {
	for _, s := range r.atlas.Systems {
		if !by.Sees(s.Name()) {
			continue
		}
		for _, line := range s.Lines() {
			add(func() answer.Item {
				return answer.Item{
					Kind:   answer.KindLine,
					Name:   line,
					Detail: s.Document.Type.Name + ", " + s.Site.Places[line].String(),
					Active: true,
				}
			}, name.Fold(line))
		}
	}
}

func (r Records) searchDevices(add adder) {
	book := r.atlas.Book
	for id := range directory.DeviceID(book.Devices()) {
		d := book.Device(id)
		add(func() answer.Item {
			var is []string
			if d.Managed != nil && *d.Managed {
				is = append(is, "managed")
			}
			if d.Compliant != nil && *d.Compliant {
				is = append(is, "compliant")
			}
			return answer.Item{Kind: answer.KindDevice, Name: book.DeviceName(id), Detail: strings.Join(is, ", "), Active: true}
		}, name.Fold(book.DeviceName(id)))
	}
}
