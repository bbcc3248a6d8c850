package scim

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/name"
	"gatemap/core/reading"
)

// there is what a reading is of, with the ids that requests need.
type there struct{ users, groups []*found }

// ByAccount is false: there are groups.
func (l *Link) ByAccount() bool { return false }

// planning compares what a service provider has with what is wanted.
type planning struct {
	w      *delivery.Wanted
	plan   delivery.Plan
	users  map[string]*found // by folded name
	groups map[string]*found
	names  map[string]string // of users and groups, by id
	wanted map[string]bool   // groups, by folded name

	taking, giving []delivery.Statement
}

// Plan says who gets an account, who comes into groups and goes, and whose account is switched off.
// What a group opens is the business of the system itself, and only compared.
func (l *Link) Plan(r *reading.Reading, w *delivery.Wanted, _ connect.Mark) (*delivery.Plan, error) {
	is := r.Native.(*there)
	p := &planning{
		w:      w,
		users:  map[string]*found{},
		groups: map[string]*found{},
		names:  map[string]string{},
		wanted: map[string]bool{},
	}
	for _, u := range is.users {
		p.users[name.Fold(u.UserName)], p.names[u.ID] = u, u.UserName
	}
	for _, g := range is.groups {
		p.groups[name.Fold(g.DisplayName)], p.names[g.ID] = g, g.DisplayName
	}
	p.accounts()
	for i := range w.Groups {
		p.wanted[name.Fold(w.Groups[i].Name)] = true
		p.group(&w.Groups[i])
	}
	for _, g := range is.groups { // called as only ours are, and no group of the map
		if w.Ours(g.DisplayName) && !p.wanted[name.Fold(g.DisplayName)] {
			p.group(&delivery.Group{Name: g.DisplayName})
		}
	}
	p.strangers(is.groups)
	p.granted()
	p.plan.Statements = slices.Concat(p.taking, p.giving)
	return &p.plan, nil
}

// standsFor stands for the id of a user or group. What gives is said with it, so that a delivery that
// was cut off still is the same once some of these are there.
func standsFor(kind, named string) string { return "{" + kind + " " + named + "}" }

// stoodFor is the name for whose id a text stands.
func stoodFor(kind, text string) (named string, is bool) {
	named, is = strings.CutPrefix(text, "{"+kind+" ")
	return strings.TrimSuffix(named, "}"), is
}

func request(method, path string, body any) string {
	text, err := json.Marshal(body)
	if err != nil {
		panic(err) // maps of text alone
	}
	return method + " " + path + "\n" + string(text)
}

type object = map[string]any

func patch(op object) object {
	return object{"schemas": []string{PatchMessage}, "Operations": []object{op}}
}

// memberOut takes a member out of a group (RFC 7644 section 3.5.2.2).
func memberOut(g *found, id string) string {
	return request(
		http.MethodPatch,
		"/Groups/"+url.PathEscape(g.ID),
		patch(object{"op": "remove", "path": memberPath(id)}),
	)
}

// memberPath is the path of a member of a group.
func memberPath(id string) string { return "members[value eq " + quotedValue(id) + "]" }

// switched switches an account on or off.
func switched(u *found, on bool) string {
	return request(
		http.MethodPatch,
		"/Users/"+url.PathEscape(u.ID),
		patch(object{"op": "replace", "path": "active", "value": on}),
	)
}

func (p *planning) takes(text, why string) {
	p.plan.Taken++
	p.taking = append(p.taking, delivery.Statement{Text: text, For: why, Effect: delivery.Takes})
}

func (p *planning) gives(text, why string) {
	p.giving = append(p.giving, delivery.Statement{Text: text, For: why, Effect: delivery.Gives})
}

func (p *planning) accounts() {
	for _, a := range p.w.Accounts {
		u := p.users[name.Fold(a.Name)]
		on := u != nil && (u.Active == nil || *u.Active)
		if on {
			p.plan.Held++
		}
		switch {
		case !a.On && on:
			p.takes(switched(u, false), a.User+" is switched off or has ended")
		case !a.On:
		case u == nil:
			body := object{"schemas": []string{UserSchema}, "userName": a.Name, "active": true}
			if a.ID != "" {
				body["externalId"] = a.ID
			}
			p.gives(request(http.MethodPost, "/Users", body), a.User+" gets an account")
		default:
			if u.ExternalID == "" && a.ID != "" {
				own := patch(object{"op": "replace", "path": "externalId", "value": a.ID})
				p.gives(
					request(http.MethodPatch, "/Users/"+url.PathEscape(u.ID), own),
					a.User+" takes the account over that is found by its name: from now on it is theirs by the identifier",
				)
			}
			if !on {
				p.gives(switched(u, true), a.User+" can sign in again")
			}
		}
	}
}

// group brings the members of a group to those who are wanted.
func (p *planning) group(want *delivery.Group) {
	there := p.groups[name.Fold(want.Name)]
	of := cmp.Or(want.Of, "any group of the map by that name")
	if there == nil {
		if !want.Used {
			return
		}
		p.gives(
			request(http.MethodPost, "/Groups", object{"schemas": []string{GroupSchema}, "displayName": want.Name}),
			"for "+of,
		)
		there = &found{}
	}
	in := map[string]bool{}
	for _, m := range there.Members {
		named, known := p.names[m.Value]
		p.plan.Held++
		switch {
		case known && p.isUser(m.Value, named) && (slices.Contains(want.Accounts, named) || p.w.Aside(named)):
			in[named] = true
		case !known:
			p.plan.Stays = append(p.plan.Stays, fmt.Sprintf("%s has a member whom the token may not see", want.Name))
		default:
			p.takes(memberOut(there, m.Value), "by the map "+named+" is not in "+of)
		}
	}
	for _, account := range want.Accounts {
		if want.Used && !in[account] {
			add := patch(
				object{"op": "add", "path": "members", "value": []object{{"value": standsFor("user", account)}}},
			)
			p.gives(
				request(http.MethodPatch, "/Groups/"+standsFor("group", want.Name), add),
				"by the map "+account+" is in "+of,
			)
		}
	}
}

// isUser says whether an id is that of the user by some name, and not of a group.
func (p *planning) isUser(id, named string) bool {
	u := p.users[name.Fold(named)]
	return u != nil && u.ID == id
}

// quotedValue is a value as a filter has it (RFC 7644 section 3.4.2.2).
func quotedValue(v string) string {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // text alone
	}
	return string(text)
}

// strangers are what is beside our names: accounts of nobody of the map, and other groups that people
// are in. It stays, unless it is asked to go as well.
func (p *planning) strangers(groups []*found) {
	for _, account := range p.w.Unknown {
		if !p.w.Strangers {
			p.plan.Stays = append(p.plan.Stays, account+" belongs to nobody of the map, and can sign in")
			continue
		}
		p.plan.Held++
		p.takes(switched(p.users[name.Fold(account)], false), "it belongs to nobody of the map")
	}
	for _, g := range groups {
		if p.wanted[name.Fold(g.DisplayName)] || p.w.Ours(g.DisplayName) || p.w.AsideGroup(g.DisplayName) {
			continue
		}
		for _, m := range g.Members {
			account := p.names[m.Value]
			if _, known := p.w.Known[account]; !known || !p.isUser(m.Value, account) {
				continue
			}
			if !p.w.Strangers {
				p.plan.Stays = append(p.plan.Stays, account+" is in "+g.DisplayName+", which is not ours")
				continue
			}
			p.plan.Held++
			p.takes(memberOut(g, m.Value), "by the map "+account+" has nothing of "+g.DisplayName)
		}
	}
}

// granted compares what groups and accounts are given with what they are given there.
func (p *planning) granted() {
	var left delivery.LeftOut
	wanted := map[string]map[delivery.Permission]bool{}
	for i := range p.w.Grants {
		g := &p.w.Grants[i]
		whom, at := g.Whom(), g.Permission()
		if wanted[whom] == nil {
			wanted[whom] = map[delivery.Permission]bool{}
		}
		wanted[whom][at] = true
		if !p.w.There()[whom][at] {
			left.Ungiven(g)
		}
	}
	p.plan.Left = left.List()
	for whom, permissions := range p.w.There() {
		for at := range permissions {
			if _, group := p.groups[name.Fold(whom)]; group && !wanted[whom][at] {
				p.plan.Stays = append(
					p.plan.Stays,
					strings.TrimSpace(fmt.Sprintf("%s is given %s on %s there", whom, at.Right, at.Object)),
				)
			}
		}
	}
	slices.Sort(p.plan.Stays)
	p.plan.Stays = slices.Compact(p.plan.Stays)
}
