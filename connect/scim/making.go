package scim

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/delivery"
)

// Deliver makes one request after the other.
func (l *Link) Deliver(ctx context.Context, o *connect.Observing, agreed *delivery.Plan, plan connect.Planned) error {
	s, err := l.steps(o)
	if err != nil {
		return err
	}
	return s.Deliver(ctx, agreed, plan)
}

// Finish makes what is left of a delivery that was cut off.
func (l *Link) Finish(
	ctx context.Context,
	o *connect.Observing,
	agreed *delivery.Plan,
	plan connect.Planned,
) (bool, error) {
	s, err := l.steps(o)
	if err != nil {
		return false, err
	}
	return s.Finish(ctx, agreed, plan)
}

func (l *Link) steps(o *connect.Observing) (*connect.Steps, error) {
	p, err := l.reached().provider(o.Host)
	if err != nil {
		return nil, err
	}
	m := &making{provider: p}
	return &connect.Steps{
		Observing: o,
		Timeout:   l.Timeout.Or(connect.ReadingTimeout),
		Make:      m.make,
		Text: func(s *delivery.Statement) string {
			line, _, _ := strings.Cut(s.Text, "\n")
			return line
		},
	}, nil
}

// making makes requests, and knows the ids of what it made.
type making struct {
	*provider
	ids map[string]string // by what stands for them; nil: nobody asked yet
}

func (m *making) make(ctx context.Context, s *delivery.Statement) error {
	line, text, _ := strings.Cut(s.Text, "\n")
	method, path, _ := strings.Cut(line, " ")
	var body object
	if err := json.Unmarshal([]byte(text), &body); err != nil {
		return err
	}
	if err := m.look(ctx); err != nil {
		return err
	}
	if kind, ref, is := strings.Cut(path, "/{"); is {
		path = kind + "/" + url.PathEscape(m.ids["{"+ref])
	}
	body = m.known(body).(object)
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	var made found
	_, err = m.ask(ctx, method, path, raw, "", &made)
	if method == http.MethodPatch && knowsNoPatch(err) {
		return m.whole(ctx, path, body)
	}
	if err != nil {
		return err
	}
	if method == http.MethodPost {
		if made.ID == "" {
			return errors.New("it does not say which id it gave")
		}
		if named, user := body["userName"].(string); user {
			m.ids[standsFor("user", named)] = made.ID
		} else {
			m.ids[standsFor("group", body["displayName"].(string))] = made.ID
		}
	}
	return nil
}

// look asks once for the ids of all that is there.
func (m *making) look(ctx context.Context) error {
	if m.ids != nil {
		return nil
	}
	users, groups, err := m.everything(ctx)
	if err != nil {
		return err
	}
	m.ids = map[string]string{}
	for _, u := range users {
		m.ids[standsFor("user", u.UserName)] = u.ID
	}
	for _, g := range groups {
		m.ids[standsFor("group", g.DisplayName)] = g.ID
	}
	return nil
}

// known puts ids in the place of what stands for them.
func (m *making) known(v any) any {
	switch x := v.(type) {
	case string:
		return cmp.Or(m.ids[x], x)
	case object:
		for k := range x {
			x[k] = m.known(x[k])
		}
	case []any:
		for i := range x {
			x[i] = m.known(x[i])
		}
	}
	return v
}

// whole makes a change at a server that knows no PATCH: what is there is put back with it, if it is
// still the version that was got.
func (m *making) whole(ctx context.Context, path string, body object) error {
	var is object
	version, err := m.ask(ctx, http.MethodGet, path, nil, "", &is)
	if err != nil {
		return err
	}
	op := body["Operations"].([]any)[0].(object)
	members, _ := is["members"].([]any)
	switch at, _ := op["path"].(string); {
	case at == "active", at == "externalId":
		is[at] = op["value"]
	case at == "members":
		is["members"] = append(members, op["value"].([]any)...)
	default: // members[value eq "…"]
		is["members"] = slices.DeleteFunc(members, func(x any) bool {
			one, _ := x.(object)
			value, _ := one["value"].(string)
			return at == memberPath(value)
		})
	}
	return m.put(ctx, path, is, version)
}

// Script is the requests, with what each is for: for a program, or a person with one.
func (l *Link) Script(p *delivery.Plan) string {
	var b strings.Builder
	fmt.Fprintf(
		&b,
		"# Made by Gate Map: requests to %s (RFC 7644), in this order. What stands in braces is the id of that user or "+
			"group.\n",
		l.Address.Value,
	)
	for _, s := range p.Statements {
		fmt.Fprintf(&b, "\n# %s\n%s\n", s.For, s.Text)
	}
	return b.String()
}
