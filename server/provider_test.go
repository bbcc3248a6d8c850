package server_test

import (
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/demo/provider"
	"gatemap/operator"
	"gatemap/server"
	"gatemap/store"
)

// signing is a service at which a provider signs people in.
type signing struct {
	issuer, address string
}

func signingIn(t *testing.T, r *running, claim string, people ...provider.Person) *signing {
	t.Helper()
	var p, handler http.Handler
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { p.ServeHTTP(w, r) }))
	t.Cleanup(at.Close)
	p, err := provider.New(at.URL, "gatemap", people)
	require.NoError(t, err)
	srv := server.New(
		r.service,
		fstest.MapFS{"index.html": {Data: []byte("console")}},
		"test",
		slog.New(slog.DiscardHandler),
	)
	front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { handler.ServeHTTP(w, r) }))
	t.Cleanup(front.Close)
	srv.Provider = &server.Provider{Issuer: at.URL, Client: "gatemap", Claim: claim, Address: front.URL}
	handler = srv.Handler()
	return &signing{at.URL, front.URL}
}

// browser chooses at the provider to be someone. Where held is said it stops on the way
// back, and says where to.
func (s *signing) browser(t *testing.T, named string, held *string) *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar, CheckRedirect: func(r *http.Request, _ []*http.Request) error {
		if strings.HasPrefix(r.URL.Path, "/authorize") {
			r.URL.RawQuery += "&as=" + named
		}
		if held != nil && strings.HasSuffix(r.URL.Path, "/sign-in/return") {
			*held = r.URL.String()
			return http.ErrUseLastResponse
		}
		return nil
	}}
}

// as signs someone in, in a browser of their own.
func (s *signing) as(t *testing.T, named string) int {
	t.Helper()
	return fetched(t, s.browser(t, named, nil), s.address+"/api/v1/sign-in/provider")
}

func fetched(t *testing.T, c *http.Client, address string) int {
	t.Helper()
	response, err := c.Get(address)
	require.NoError(t, err)
	response.Body.Close()
	return response.StatusCode
}

// Ten thousand sign-ins that others begin push nobody's out, and what the browser keeps of
// one is of use for that one alone.
func TestSignInsThatOthersBegin(t *testing.T) {
	r := start(t)
	at := signingIn(t, r, "", provider.Person{Name: "edda"})
	_, err := r.service.Operators.Set(ctx, operator.Service, "edda", 0, answer.OperatorChange{Issuer: &at.issuer})
	require.NoError(t, err)
	var back string
	browser := at.browser(t, "edda", &back)
	fetched(t, browser, at.address+"/api/v1/sign-in/provider")
	require.NotEmpty(t, back)
	flood := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for range 10_500 {
		require.Equal(t, 303, fetched(t, flood, at.address+"/api/v1/sign-in/provider"))
	}
	assert.Equal(t, 403, fetched(t, flood, back), "another browser has nothing of it")
	kept := browser.Jar.Cookies(
		&url.URL{Scheme: "http", Host: strings.TrimPrefix(at.address, "http://"), Path: "/api/v1/sign-in/return"},
	)
	require.Len(t, kept, 1)
	forged := *kept[0]
	forged.Value = forged.Value[:20] + "AAAA" + forged.Value[24:]
	request, err := http.NewRequest("GET", back, nil)
	require.NoError(t, err)
	request.AddCookie(&forged)
	response, err := flood.Do(request)
	require.NoError(t, err)
	response.Body.Close()
	assert.Equal(t, 403, response.StatusCode, "nor is a changed one taken")
	browser.CheckRedirect = nil
	assert.Equal(t, 200, fetched(t, browser, back))
}

// A manager of groups is tied to an account of the provider at the first sign-in: who takes
// on the name there later is not let in.
func TestManagersAreTied(t *testing.T) {
	r := start(t)
	at := signingIn(t, r, "",
		provider.Person{Name: "greta", Claims: map[string]any{"preferred_username": "greta.falk"}},
		provider.Person{Name: "eve", Claims: map[string]any{"preferred_username": "greta.falk"}},
		provider.Person{Name: "greta", Claims: map[string]any{"preferred_username": "greta.falk"}})
	assert.Equal(t, 200, at.as(t, "greta"))
	assert.Equal(t, 403, at.as(t, "eve"))
	assert.Equal(t, 200, at.as(t, "greta"))
	status := r.status(t, "DELETE", "/api/v1/managers/cindervale/greta.falk", r.token, "")
	require.Equal(t, 204, status)
	assert.Equal(t, 404, r.status(t, "DELETE", "/api/v1/managers/cindervale/greta.falk", r.token, ""))
	assert.Equal(t, 200, at.as(t, "eve"), "an admin untied them")
	assert.Equal(t, 403, at.as(t, "greta"))
	log, err := r.service.Audit.List(ctx, store.Asked{Object: "cindervale/greta.falk"}, 10, "")
	require.NoError(t, err)
	assert.Len(t, log.Entries, 3)
}

// Whom an ID token names is who is signed in, where the token is for this service and the
// provider vouches for the name.
func TestWhomAProviderSignsIn(t *testing.T) {
	const mail = "edda@cindervale.example"
	for _, c := range []struct {
		name, claim string
		claims      map[string]any
		want        int
	}{
		{"a name", "", nil, 200},
		{"for this client", "", map[string]any{"azp": "gatemap"}, 200},
		{"for another client", "", map[string]any{"azp": "other"}, 502},
		{"for several, and none in particular", "", map[string]any{"aud": []string{"gatemap", "other"}}, 502},
		{"for several, and this one in particular", "", map[string]any{"aud": []string{"gatemap", "other"}, "azp": "gatemap"}, 200},
		{"an address of mail", "email", map[string]any{"email": mail, "email_verified": true}, 200},
		{"an address that nobody verified", "email", map[string]any{"email": mail}, 502},
		{"an address that is not verified", "email", map[string]any{"email": mail, "email_verified": false}, 502},
		{"an address that is verified in words", "email", map[string]any{"email": mail, "email_verified": "true"}, 502},
		{"a name that is such an address", "", map[string]any{"email": mail, "preferred_username": mail}, 502},
		{"no name", "nickname", nil, 502},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := start(t)
			at := signingIn(t, r, c.claim, provider.Person{Name: "edda", Claims: c.claims})
			for _, name := range []string{"edda", mail} {
				_, err := r.service.Operators.Set(ctx, operator.Service, name, 0, answer.OperatorChange{Issuer: &at.issuer})
				require.NoError(t, err)
			}
			assert.Equal(t, c.want, at.as(t, "edda"))
			log, err := r.service.Audit.List(ctx, store.Asked{Actor: "provider"}, 10, "")
			require.NoError(t, err)
			if c.want == 200 {
				assert.Empty(t, log.Entries)
			} else {
				assert.Len(t, log.Entries, 1, "what is refused is in the audit")
			}
		})
	}
}
