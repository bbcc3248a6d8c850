package server_test

import (
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
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
			var p http.Handler
			at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { p.ServeHTTP(w, r) }))
			defer at.Close()
			p, err := provider.New(at.URL, "gatemap", []provider.Person{{Name: "edda", Claims: c.claims}})
			require.NoError(t, err)
			for _, name := range []string{"edda", mail} {
				_, err = r.service.SetOperator(ctx, operator.Service, name, 0, answer.OperatorChange{Issuer: &at.URL})
				require.NoError(t, err)
			}
			srv := server.New(r.service, fstest.MapFS{"index.html": {Data: []byte("console")}}, "test", slog.New(slog.DiscardHandler))
			var handler http.Handler
			front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { handler.ServeHTTP(w, r) }))
			defer front.Close()
			srv.Provider = &server.Provider{Issuer: at.URL, Client: "gatemap", Claim: c.claim, Address: front.URL}
			handler = srv.Handler()

			jar, err := cookiejar.New(nil)
			require.NoError(t, err)
			browser := &http.Client{Jar: jar, CheckRedirect: func(r *http.Request, _ []*http.Request) error {
				if strings.HasPrefix(r.URL.Path, "/authorize") { // she chooses who she is
					r.URL.RawQuery += "&as=edda"
				}
				return nil
			}}
			response, err := browser.Get(front.URL + "/api/v1/sign-in/provider")
			require.NoError(t, err)
			response.Body.Close()
			assert.Equal(t, c.want, response.StatusCode)
			log, err := r.service.Audit(ctx, store.Asked{Actor: "provider"}, 10, "")
			require.NoError(t, err)
			if c.want == 200 {
				assert.Empty(t, log.Entries)
			} else {
				assert.Len(t, log.Entries, 1, "what is refused is in the audit")
			}
		})
	}
}
