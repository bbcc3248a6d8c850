package service

import (
	"context"
	"encoding/base64"
	"slices"
	"strconv"
	"strings"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// MaxPage is the most that one page of a list holds.
const MaxPage = 200

// Search lists users, groups, systems and devices of which the name, the display name,
// title, department, description or mail address contains every word of the
// text, in any case; empty text lists all. Names come in order, by kind.
func (a Answers) Search(_ context.Context, text string, kind answer.Kind, limit int, cursor string) (*answer.Page, error) {
	from, err := readCursor(cursor)
	if err != nil {
		return nil, err
	}
	if limit <= 0 || limit > MaxPage {
		limit = MaxPage
	}
	page := &answer.Page{Items: []answer.Item{}}
	words := strings.Fields(name.Fold(text))
	add := func(item func() answer.Item, text string) {
		if slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) }) {
			return
		}
		if page.Total >= from && len(page.Items) < limit {
			page.Items = append(page.Items, item())
		}
		page.Total++
	}
	if kind == "" || kind == answer.KindUser {
		a.searchUsers(add)
	}
	if kind == "" || kind == answer.KindGroup {
		a.searchGroups(add)
	}
	if kind == "" || kind == answer.KindSystem {
		a.searchSystems(add)
	}
	if kind == "" || kind == answer.KindDevice {
		a.searchDevices(add)
	}
	if kind == answer.KindLine {
		a.searchLines(add)
	}
	page.Cursor = nextCursor(from, len(page.Items), page.Total)
	return page, nil
}

// nextCursor is the cursor of the page after one that begins somewhere and has so many of
// all; empty after the last.
func nextCursor(from, count, total int) string {
	if count == 0 || from+count >= total {
		return ""
	}
	return base64.RawURLEncoding.EncodeToString([]byte(strconv.Itoa(from + count)))
}

func readCursor(cursor string) (int, error) {
	if cursor == "" {
		return 0, nil
	}
	raw, err := base64.RawURLEncoding.DecodeString(cursor)
	from, numberErr := strconv.Atoi(string(raw))
	if err != nil || numberErr != nil || from < 0 {
		return 0, &situation.FieldError{Field: "cursor", Value: cursor, Problem: "not a cursor of this list; leave it out to begin at the start"}
	}
	return from, nil
}

// adder takes an item that may be looked for, by its folded text.
type adder func(item func() answer.Item, text string)

func (a Answers) searchUsers(add adder) {
	book := a.Atlas.Book
	for i, text := range book.Texts().Users {
		add(func() answer.Item {
			id := directory.UserID(i)
			u := book.User(id)
			return answer.Item{
				Kind: answer.KindUser, Name: book.UserName(id), Title: u.Attributes.First("displayName"),
				Detail: strings.Trim(u.Attributes.First("title")+", "+u.Attributes.First("department"), ", "), Active: u.IsActive(),
			}
		}, text)
	}
}

func (a Answers) searchGroups(add adder) {
	book := a.Atlas.Book
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
			return answer.Item{Kind: answer.KindGroup, Name: book.GroupName(id), Title: g.Description, Detail: detail, Active: true}
		}, texts[id])
	}
}

func (a Answers) searchSystems(add adder) {
	for _, s := range a.Atlas.Systems {
		add(func() answer.Item {
			return answer.Item{Kind: answer.KindSystem, Name: s.Name(), Title: s.Document.Title, Detail: s.Document.Type.Name, Active: true}
		}, name.Fold(s.Name()+"\x00"+s.Document.Title))
	}
}

func (a Answers) searchLines(add adder) {
	for _, s := range a.Atlas.Systems {
		for _, line := range s.Lines() {
			add(func() answer.Item {
				return answer.Item{Kind: answer.KindLine, Name: line, Detail: s.Document.Type.Name + ", " + s.Site.Places[line].String(), Active: true}
			}, name.Fold(line))
		}
	}
}

func (a Answers) searchDevices(add adder) {
	book := a.Atlas.Book
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
