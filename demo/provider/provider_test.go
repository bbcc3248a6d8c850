package provider_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/oauth2"

	"gatemap/demo/provider"
)

// A code is good for one ID token, for who has the verifier that goes with it.
func TestACodeIsUsedOnceAndWithItsVerifier(t *testing.T) {
	var p *provider.Provider
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { p.ServeHTTP(w, r) }))
	defer s.Close()
	var err error
	p, err = provider.New(s.URL, "gatemap", []provider.Person{{Name: "ilse.okonjo", Display: "Ilse Okonjo"}})
	require.NoError(t, err)
	found, err := oidc.NewProvider(t.Context(), s.URL)
	require.NoError(t, err)
	config := oauth2.Config{
		ClientID:    "gatemap",
		Endpoint:    found.Endpoint(),
		RedirectURL: "http://127.0.0.1:1/return",
		Scopes:      []string{"openid"},
	}
	code := func(verifier string) string {
		c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		response, err := c.Get(
			config.AuthCodeURL("state", oidc.Nonce("n"), oauth2.S256ChallengeOption(verifier)) + "&as=ilse.okonjo",
		)
		require.NoError(t, err)
		response.Body.Close()
		back, err := url.Parse(response.Header.Get("Location"))
		require.NoError(t, err)
		assert.Equal(t, "state", back.Query().Get("state"))
		return back.Query().Get("code")
	}
	verifier := oauth2.GenerateVerifier()
	first := code(verifier)
	token, err := config.Exchange(t.Context(), first, oauth2.VerifierOption(verifier))
	require.NoError(t, err)
	id, err := found.Verifier(&oidc.Config{ClientID: "gatemap"}).Verify(t.Context(), token.Extra("id_token").(string))
	require.NoError(t, err)
	assert.Equal(t, "person-ilse.okonjo", id.Subject)
	assert.Equal(t, "n", id.Nonce)
	_, err = config.Exchange(t.Context(), first, oauth2.VerifierOption(verifier))
	assert.Error(t, err, "a second time")
	_, err = config.Exchange(t.Context(), code(verifier), oauth2.VerifierOption(oauth2.GenerateVerifier()))
	assert.Error(t, err, "another verifier")
}
