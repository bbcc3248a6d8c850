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
	"slices"
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
	at       string // its base address
	page     int    // resources in a page
	client   *retryablehttp.Client
	token    string
	progress func(int)
	read     int
	said     string // the time of the last answer by the server's clock (RFC 9110 section 6.6.1)
}

// found is a user or a group as a service provider has it (RFC 7643).
type found struct {
	ID                    string `json:"id"`
	ExternalID            string `json:"externalId"`
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

// reached says how a service provider is reached.
type reached struct {
	place   place.Place
	address place.Text
	secret  *connect.Secret
	tls     *connect.TLS
	page    int // 0: the usual one
}

// provider makes a client of the service provider.
func (r reached) provider(host connect.Host) (*provider, error) {
	at, err := url.Parse(r.address.Value)
	if err != nil || at.Hostname() == "" || at.Scheme != "https" && at.Scheme != "http" {
		return nil, place.Errorf(
			r.address.Place,
			"%q is no address of a service provider: it is written https://HOST/PATH",
			r.address.Value,
		)
	}
	if at.Scheme == "http" && !connect.Loopback(at.Hostname()) {
		return nil, place.Errorf(
			r.address.Place,
			"%s is another machine, and the token would go there in the clear: write https://",
			at.Hostname(),
		)
	}
	client, err := web.Client(at, r.tls, host)
	if err != nil {
		return nil, connect.At(r.address.Place, err)
	}
	p := &provider{
		at: strings.TrimRight(r.address.Value, "/"), page: cmp.Or(r.page, usualPage),
		client: retryablehttp.NewClient(), progress: func(int) {},
	}
	if r.secret != nil {
		if p.token, err = host.Secret(r.secret); err != nil {
			return nil, place.Errorf(r.place, "%v", err)
		}
	}
	p.client.HTTPClient = client
	p.client.Logger, p.client.RetryMax = nil, mostTries-1
	p.client.RetryWaitMin, p.client.RetryWaitMax = 200*time.Millisecond, 5*time.Second
	p.client.ErrorHandler = retryablehttp.PassthroughErrorHandler
	return p, nil
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
func (p *provider) ask(
	ctx context.Context,
	method, path string,
	body []byte,
	version string,
	into any,
) (etag string, err error) {
	request, err := retryablehttp.NewRequestWithContext(ctx, method, p.at+path, body)
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
	p.said = response.Header.Get("Date")
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
		return "", refused(
			"the token may not read %s (403), so that nobody can say what is there",
			strings.Split(path, "?")[0],
		)
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

// hasStatus says that an error is an answer with one of some statuses.
func hasStatus(err error, of ...int) bool {
	var status *statusError
	return errors.As(err, &status) && slices.Contains(of, status.status)
}

// knowsNoPatch says that a server refused a PATCH as such: a change is put there with the whole resource.
func knowsNoPatch(err error) bool {
	return hasStatus(err, http.StatusNotImplemented, http.StatusMethodNotAllowed)
}

// put puts a whole resource back, but for what is the server's, of one version where it is said.
func (p *provider) put(ctx context.Context, path string, body map[string]any, version string) error {
	delete(body, spelledAs(body, "meta"))
	text, err := json.Marshal(body)
	if err != nil {
		return err
	}
	_, err = p.ask(ctx, http.MethodPut, path, text, version, nil)
	return err
}

// detail is what an error says of itself (RFC 7644 section 3.12).
func detail(body []byte) string {
	var e struct{ Detail string }
	_ = json.Unmarshal(body, &e)
	return cmp.Or(e.Detail, "it gives no reason")
}
