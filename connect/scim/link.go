package scim

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// Link says how the service provider of a system is asked (RFC 7644).
type Link struct {
	Place     place.Place       `yaml:"-"`
	Address   place.Text        `yaml:"address,required" doc:"Base address of the service provider, such as https://tools.cindervale.example/scim/v2."`
	Secret    *connect.Secret   `yaml:"secret" doc:"Where the bearer token is; it is never in the map. Missing: it is asked without one."`
	TLS       *connect.TLS      `yaml:"tls" doc:"Who vouches for the server. Missing: those that this machine trusts; http:// is for addresses of this machine only."`
	Words     map[string]string `yaml:"words" doc:"What values of roles and entitlements are called in the map, by what they are there."`
	Separator string            `yaml:"separator" doc:"What stands in a value between the object and the right on it. Missing: a value is a right, or of licences a product."`
	Object    string            `yaml:"object" doc:"The object of values that name none."`
	Page      int               `yaml:"page" doc:"Resources in a page. Missing: 200."`
	Timeout   directory.Span    `yaml:"timeout" doc:"How long a reading may take. Missing: 2m."`
}

// linkAddress makes a link from scim://HOST/PATH, which is asked over HTTPS, where secret=env:NAME or
// secret=file:PATH says where the token is, and ca=FILE who vouches for the server.
func linkAddress(at *url.URL) (connect.Link, error) {
	l := &Link{Address: place.Text{Value: (&url.URL{Scheme: "https", Host: at.Host, Path: at.Path}).String()}}
	if at.User != nil {
		return nil, errors.New(
			"a token is never in the map: say where it is with ?secret=env:GATEMAP_SECRET_NAME or ?secret=file:PATH",
		)
	}
	ca := ""
	if err := connect.Parts(at, &l.Secret, map[string]*string{"ca": &ca}); err != nil {
		return nil, err
	}
	l.TLS = connect.TrustedBy(ca)
	return l, nil
}

// Connector is the entry of the table of connectors.
func (l *Link) Connector() connect.Connector { return Connector }

// Types are the gate types of which accounts and groups can say what they hold.
func (l *Link) Types() []string { return []string{"app", "licences", "roles"} }

// Deliverer is the link itself.
func (l *Link) Deliverer() connect.Deliverer { return l }

// Targets are the server, how it is trusted, and what is told it.
func (l *Link) Targets() []string {
	return append([]string{"scim " + l.Address.Value}, connect.Told(l.TLS, l.Secret)...)
}

func (l *Link) reached() reached { return reached{l.Place, l.Address, l.Secret, l.TLS, l.Page} }

// Observe reads all users and groups. Where something came or went while they were read, they are
// read anew; where that goes on, it is an error.
func (l *Link) Observe(ctx context.Context, o *connect.Observing, progress func(int)) (*reading.Reading, error) {
	ctx, cancel := context.WithTimeout(ctx, l.Timeout.Or(connect.ReadingTimeout))
	defer cancel()
	p, err := l.reached().provider(o.Host)
	if err != nil {
		return nil, err
	}
	p.progress = progress
	users, groups, err := p.everything(ctx)
	if err != nil {
		return nil, failed(ctx, l.Address.Value, l.Timeout.Or(connect.ReadingTimeout), err)
	}
	r := &reading.Reading{At: time.Now(), Server: l.Address.Value, Native: &there{users, groups}}
	held, err := l.taken(r, users, groups)
	if err != nil {
		return nil, failed(ctx, l.Address.Value, l.Timeout.Or(connect.ReadingTimeout), err)
	}
	of, _ := types.Named(o.System.Type.Name) // one of Types
	var left []gate.Holding
	r.Document, left = of.Holding(o.System.Gate, held)
	for _, h := range left {
		r.Beyond = append(
			r.Beyond,
			reading.Beyond{What: "value", Text: strings.TrimSpace(cmp.Or(h.Group, h.Account) + ": " + h.Object + " " + h.Right)},
		)
	}
	return r, nil
}

// failed says at which server reading failed, and that it was too late.
func failed(ctx context.Context, at string, timeout time.Duration, err error) error {
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		err = connect.Late(timeout)
	}
	return fmt.Errorf("%s: %w", at, err)
}

// taken puts accounts and groups into a reading, and gives what they hold.
// Where a user and a group have one id (RFC 7643 section 3.1 forbids it), nobody can say who a member
// is.
func (l *Link) taken(r *reading.Reading, users, groups []*found) (held []gate.Holding, err error) {
	names, kinds := map[string]string{}, map[string]bool{} // by id; whether it is a group
	for _, u := range users {
		names[u.ID] = u.UserName
		r.Accounts = append(
			r.Accounts,
			reading.Account{Name: u.UserName, Active: u.Active == nil || *u.Active, Of: u.ExternalID},
		)
		for _, v := range u.values() {
			held = append(held, l.holding(gate.Holding{Account: u.UserName}, v))
		}
	}
	for _, g := range groups {
		if user, taken := names[g.ID]; taken {
			return nil, oneID(user, g.DisplayName, g.ID)
		}
		names[g.ID], kinds[g.ID] = g.DisplayName, true
	}
	unseen := map[string]bool{}
	for _, g := range groups {
		group := reading.Group{Name: g.DisplayName}
		for _, m := range g.Members {
			switch named, known := names[m.Value]; {
			case !known:
				unseen[m.Value] = true
			case kinds[m.Value]:
				group.Groups = append(group.Groups, named)
			default:
				group.Accounts = append(group.Accounts, named)
			}
		}
		slices.Sort(group.Accounts)
		slices.Sort(group.Groups)
		r.Groups = append(r.Groups, group)
		for _, v := range g.values() {
			held = append(held, l.holding(gate.Holding{Group: g.DisplayName}, v))
		}
	}
	if len(unseen) > 0 {
		r.Unseen = append(r.Unseen, fmt.Sprintf("members of groups whom it does not show: %d", len(unseen)))
	}
	return held, nil
}

// holding is what a value means.
func (l *Link) holding(h gate.Holding, value string) gate.Holding {
	value = cmp.Or(l.Words[value], value)
	h.Object = l.Object
	if object, right, is := strings.Cut(value, l.Separator); l.Separator != "" && is {
		h.Object, h.Right = object, right
		return h
	}
	h.Right = value
	if l.Object == "" && l.Separator != "" { // a product, whole
		h.Object, h.Right = value, ""
	}
	return h
}

// values are what a user or group has of roles and entitlements, without primary ones twice.
func (f *found) values() []string {
	all := map[string]bool{}
	for _, list := range [][]valued{f.Roles, f.Entitlements} {
		for _, v := range list {
			if v.Value != "" {
				all[v.Value] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(all))
}
