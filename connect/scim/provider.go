package scim

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"gatemap/connect"
	"gatemap/connect/web"
	"gatemap/core/name"
	"gatemap/core/place"
)

// What a service provider is asked at most.
const (
	usualPage  = 200
	mostAnswer = 64 << 20 // bytes of one answer
	mostAnew   = 3        // how often everything is read where it changes meanwhile
	mostTries  = 6        // of one request
)

// provider is a service provider that is asked.
type provider struct {
	*Link
	client   *retryablehttp.Client
	token    string
	progress func(int)
	read     int
}

// found is a user or a group as a service provider has it (RFC 7643).
type found struct {
	ID                    string `json:"id"`
	UserName, DisplayName string
	Active                *bool    `json:"-"`
	RawActive             any      `json:"active"`
	Roles, Entitlements   []valued `json:"-"`
	RawRoles              any      `json:"roles"`
	RawEntitlements       any      `json:"entitlements"`
	Members               []valued `json:"-"`
	RawMembers            any      `json:"members"`
	said                  bool     // it was said who its members are
}

type valued struct{ Value string }

// page is a page of a list (RFC 7644 section 3.4.2).
type page struct {
	TotalResults *int
	Resources    []*found
}

func (l *Link) provider(host connect.Host) (*provider, error) {
	at, err := url.Parse(l.Address.Value)
	if err != nil || at.Hostname() == "" || at.Scheme != "https" && at.Scheme != "http" {
		return nil, place.Errorf(l.Address.Place, "%q is no address of a service provider: it is written https://HOST/PATH", l.Address.Value)
	}
	if at.Scheme == "http" && !connect.Loopback(at.Hostname()) {
		return nil, place.Errorf(l.Address.Place, "%s is another machine, and the token would go there in the clear: write https://", at.Hostname())
	}
	client, err := web.Client(at, l.TLS, host)
	if err != nil {
		return nil, connect.At(l.Address.Place, err)
	}
	p := &provider{Link: l, client: retryablehttp.NewClient()}
	if l.Secret != nil {
		if p.token, err = host.Secret(l.Secret); err != nil {
			return nil, place.Errorf(l.Place, "%v", err)
		}
	}
	p.client.HTTPClient = client
	p.client.Logger, p.client.RetryMax = nil, mostTries-1
	p.client.RetryWaitMin, p.client.RetryWaitMax = 200*time.Millisecond, 5*time.Second
	p.client.ErrorHandler = retryablehttp.PassthroughErrorHandler
	return p, nil
}

// errChanged says that something came or went while it was read.
var errChanged = errors.New("it changes while it is read, again and again: read it when less goes on there")

// everything is all users and groups.
func (p *provider) everything(ctx context.Context) (users, groups []*found, err error) {
	for range mostAnew {
		p.read = 0
		if users, err = p.list(ctx, "Users", "userName", "active", "roles", "entitlements"); err == nil {
			if groups, err = p.list(ctx, "Groups", "displayName", "members", "roles", "entitlements"); err == nil {
				return users, groups, p.membersOf(ctx, groups)
			}
		}
		if !errors.Is(err, errChanged) {
			break
		}
	}
	return nil, nil, err
}

// list reads a list page by page. How many come in a page is the server's choice; one that
// says nothing of how many there are is read until a page is empty or not full.
func (p *provider) list(ctx context.Context, of string, attributes ...string) (all []*found, err error) {
	seen := map[string]bool{}
	total, asked := -1, cmp.Or(p.Page, usualPage)
	for {
		query := url.Values{
			"startIndex": {strconv.Itoa(len(all) + 1)}, "count": {strconv.Itoa(asked)}, "attributes": {strings.Join(attributes, ",")},
		}
		var got page
		if err := p.get(ctx, "/"+of+"?"+query.Encode(), &got); err != nil {
			return nil, err
		}
		if got.TotalResults != nil {
			if total >= 0 && *got.TotalResults != total {
				return nil, errChanged
			}
			total = *got.TotalResults
		}
		for _, f := range got.Resources {
			if f.ID == "" || of == "Users" && f.UserName == "" || of == "Groups" && f.DisplayName == "" {
				return nil, fmt.Errorf("one of its %s has no id or no name", strings.ToLower(of))
			}
			if seen[f.ID] {
				return nil, errChanged
			}
			seen[f.ID] = true
			if err := f.settle(); err != nil {
				return nil, fmt.Errorf("%s %s: %w", strings.TrimSuffix(of, "s"), f.ID, err)
			}
		}
		all = append(all, got.Resources...)
		p.read += len(got.Resources)
		p.progress(p.read)
		switch {
		case total >= 0 && len(all) >= total, total < 0 && len(got.Resources) < asked:
			return all, nil
		case len(got.Resources) == 0:
			return nil, errChanged // it says that there are more
		}
	}
}

// membersOf asks for the members of groups whose list does not tell them.
func (p *provider) membersOf(ctx context.Context, groups []*found) error {
	for _, g := range groups {
		if g.said {
			continue
		}
		var one found
		if err := p.get(ctx, "/Groups/"+url.PathEscape(g.ID), &one); err != nil {
			return err
		}
		if err := one.settle(); err != nil {
			return fmt.Errorf("Group %s: %w", g.ID, err)
		}
		g.Members = one.Members
	}
	return nil
}

// settle takes what servers write in several ways: truth as text, one value in the place of several,
// and values that are plain text.
func (f *found) settle() (err error) {
	switch active := f.RawActive.(type) {
	case nil:
	case bool:
		f.Active = &active
	case string:
		is := name.Equal(active, "true")
		if !is && !name.Equal(active, "false") {
			return fmt.Errorf("active is %q, which is neither true nor false", active)
		}
		f.Active = &is
	default:
		return fmt.Errorf("active is neither true nor false")
	}
	f.said = f.RawMembers != nil
	for _, x := range []struct {
		raw any
		to  *[]valued
	}{{f.RawRoles, &f.Roles}, {f.RawEntitlements, &f.Entitlements}, {f.RawMembers, &f.Members}} {
		if *x.to, err = values(x.raw); err != nil {
			return err
		}
	}
	f.RawRoles, f.RawEntitlements, f.RawMembers = nil, nil, nil
	return nil
}

func values(raw any) (list []valued, err error) {
	switch v := raw.(type) {
	case nil:
		return nil, nil
	case string:
		return []valued{{v}}, nil
	case map[string]any:
		text, _ := v["value"].(string)
		return []valued{{text}}, nil
	case []any:
		for _, one := range v {
			inner, err := values(one)
			if err != nil {
				return nil, err
			}
			list = append(list, inner...)
		}
		return list, nil
	}
	return nil, fmt.Errorf("%v is no value", raw)
}

// get asks for one thing.
func (p *provider) get(ctx context.Context, path string, into any) error {
	_, err := p.ask(ctx, http.MethodGet, path, nil, "", into)
	return err
}

// statusError is an answer that is no success.
type statusError struct {
	status int
	text   string
}

func (e *statusError) Error() string { return e.text }

// ask makes one request, of one version of what is there where it is said, and gives the version of
// what is there now. A server that is busy (429, or 5xx) is asked again, when it says so.
func (p *provider) ask(ctx context.Context, method, path string, body []byte, version string, into any) (etag string, err error) {
	request, err := retryablehttp.NewRequestWithContext(ctx, method, strings.TrimRight(p.Address.Value, "/")+path, body)
	if err != nil {
		return "", err
	}
	request.Header.Set("Accept", "application/scim+json, application/json")
	if body != nil {
		request.Header.Set("Content-Type", "application/scim+json")
	}
	if version != "" {
		request.Header.Set("If-Match", version)
	}
	if p.token != "" {
		request.Header.Set("Authorization", "Bearer "+p.token)
	}
	response, err := p.client.Do(request)
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	answer, err := io.ReadAll(io.LimitReader(response.Body, mostAnswer+1))
	refused := func(format string, args ...any) error {
		return &statusError{response.StatusCode, fmt.Sprintf(format, args...)}
	}
	switch {
	case err != nil:
		return "", err
	case len(answer) > mostAnswer:
		return "", fmt.Errorf("an answer is longer than %d MiB", mostAnswer>>20)
	case response.StatusCode == http.StatusUnauthorized:
		return "", refused("it does not take the token (401)")
	case response.StatusCode == http.StatusForbidden && method == http.MethodGet:
		return "", refused("the token may not read %s (403), so that nobody can say what is there", strings.Split(path, "?")[0])
	case response.StatusCode/100 != 2:
		return "", refused("it answers %d to %s: %s", response.StatusCode, path, detail(answer))
	}
	if into != nil && len(answer) > 0 {
		if err := json.Unmarshal(answer, into); err != nil {
			return "", fmt.Errorf("what it answers to %s cannot be read: %w", path, err)
		}
	}
	return response.Header.Get("ETag"), nil
}

// detail is what an error says of itself (RFC 7644 section 3.12).
func detail(body []byte) string {
	var e struct{ Detail string }
	_ = json.Unmarshal(body, &e)
	return cmp.Or(e.Detail, "it gives no reason")
}
