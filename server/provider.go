package server

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/oauth2"

	"gatemap/edge"
	"gatemap/operator"
	"gatemap/service/access"
	"gatemap/workspace"
)

// Provider signs operators in by OpenID Connect: the code flow (OpenID Connect Core
// 1.0 section 3.1) with PKCE (RFC 7636).
type Provider struct {
	Issuer  string // its address
	Client  string // what it knows this service by
	Secret  string // "" for a public client
	Claim   string // which claim is the operator's name; "": preferred_username
	Address string // of this service, as browsers see it

	once  sync.Mutex
	found *oidc.Provider
	aead  cipher.AEAD // for what a browser keeps; of this process
}

// pending is a sign-in that has begun. The browser keeps it, so that it takes no room
// here, encrypted, so that it is of use in no other way.
type pending struct {
	State, Nonce, Verifier string
	Until                  time.Time
}

const (
	signInLength = 10 * time.Minute
	signInCookie = "gatemap_signin"
)

// returnPath is where the provider sends the browser back to.
const returnPath = "/api/v1/sign-in/return"

// config finds the provider, once it answers.
func (p *Provider) config(ctx context.Context) (*oauth2.Config, *oidc.Provider, error) {
	p.once.Lock()
	defer p.once.Unlock()
	if p.found == nil {
		found, err := oidc.NewProvider(context.WithoutCancel(ctx), p.Issuer)
		if err != nil {
			return nil, nil, fmt.Errorf("the provider %s does not answer as OpenID Connect Discovery 1.0 has it: %w", p.Issuer,
				err)
		}
		key := make([]byte, 32)
		_, _ = rand.Read(key) // never fails (crypto/rand)
		block, err := aes.NewCipher(key)
		if err == nil {
			p.aead, err = cipher.NewGCMWithRandomNonce(block)
		}
		if err != nil {
			return nil, nil, err
		}
		p.found = found
	}
	scopes := []string{oidc.ScopeOpenID, "profile"}
	if p.Claim == "email" {
		scopes = append(scopes, "email")
	}
	return &oauth2.Config{
		ClientID: p.Client, ClientSecret: p.Secret, Endpoint: p.found.Endpoint(),
		RedirectURL: strings.TrimSuffix(p.Address, "/") + returnPath,
		Scopes:      scopes,
	}, p.found, nil
}

// begin begins a sign-in: the address to which the browser goes, and what it keeps.
func (p *Provider) begin(ctx context.Context) (to, kept string, err error) {
	config, _, err := p.config(ctx)
	if err != nil {
		return "", "", err
	}
	x := pending{rand.Text(), rand.Text(), oauth2.GenerateVerifier(), time.Now().Add(signInLength)}
	raw, err := json.Marshal(x)
	if err != nil {
		return "", "", err
	}
	kept = base64.RawURLEncoding.EncodeToString(p.aead.Seal(nil, nil, raw, nil))
	return config.AuthCodeURL(x.State, oidc.Nonce(x.Nonce), oauth2.S256ChallengeOption(x.Verifier)), kept, nil
}

// begun is the sign-in that a browser kept, if it is the one of a state and not too old.
func (p *Provider) begun(kept, state string) (x pending, ok bool) {
	raw, err := base64.RawURLEncoding.DecodeString(kept)
	if err == nil {
		raw, err = p.aead.Open(nil, nil, raw, nil)
	}
	if err == nil {
		err = json.Unmarshal(raw, &x)
	}
	return x, err == nil && time.Now().Before(x.Until) && subtle.ConstantTimeCompare([]byte(x.State), []byte(state)) == 1
}

var errSignIn = errors.New("this sign-in was not begun in this browser, or too long ago: begin again")

// end ends a sign-in: who it is.
func (p *Provider) end(ctx context.Context, state, code, kept string) (subject, named string, err error) {
	config, found, err := p.config(ctx)
	if err != nil {
		return "", "", err
	}
	x, ok := p.begun(kept, state)
	if !ok {
		return "", "", errSignIn
	}
	token, err := config.Exchange(ctx, code, oauth2.VerifierOption(x.Verifier))
	if err != nil {
		return "", "", fmt.Errorf("the provider does not take the code: %w", err)
	}
	sent, ok := token.Extra("id_token").(string)
	if !ok {
		return "", "", errors.New("the provider sent no ID token")
	}
	id, err := found.Verifier(&oidc.Config{ClientID: p.Client}).Verify(ctx, sent)
	if err != nil {
		return "", "", fmt.Errorf("the ID token does not hold: %w", err)
	}
	if subtle.ConstantTimeCompare([]byte(id.Nonce), []byte(x.Nonce)) != 1 {
		return "", "", errSignIn
	}
	var claims map[string]any
	if err := id.Claims(&claims); err != nil {
		return "", "", fmt.Errorf("the ID token cannot be read: %w", err)
	}
	if named, err = p.identity(id.Audience, claims); err != nil {
		return "", "", err
	}
	return id.Subject, named, nil
}

// identity is the name of the operator whom an ID token is about. The token must be for
// this client (OpenID Connect Core 1.0 section 3.1.3.7, rules 4 and 5), and an address of
// mail names someone only where the provider has verified it (section 5.1).
func (p *Provider) identity(audience []string, claims map[string]any) (string, error) {
	if party, there := claims["azp"]; there && party != p.Client || !there && len(audience) > 1 {
		return "", errors.New("the ID token does not hold: it is for another client")
	}
	claim := p.Claim
	if claim == "" {
		claim = "preferred_username"
	}
	named, ok := claims[claim].(string)
	if !ok || named == "" {
		return "", fmt.Errorf("the ID token has no claim %s, which names the operator", claim)
	}
	if verified, _ := claims["email_verified"].(bool); !verified && (claim == "email" || named == claims["email"]) {
		return "", fmt.Errorf("the claim %s names the operator by an address of mail that the provider has not verified",
			claim)
	}
	return named, nil
}

// redirect sends a browser elsewhere.
type redirect struct {
	Status   int
	Location string        `header:"Location"`
	Cookies  []http.Cookie `header:"Set-Cookie"`
}

// signInKept is the cookie that keeps a sign-in which has begun; with "" it goes. The
// browser comes back from another site, so the cookie is sent then, too.
func signInKept(value string, secure bool) http.Cookie {
	age := int(signInLength.Seconds())
	if value == "" {
		age = -1
	}
	return http.Cookie{Name: signInCookie, Value: value, Path: returnPath, MaxAge: age, HttpOnly: true, Secure: secure,
		SameSite: http.SameSiteLaxMode}
}

// byProvider are the calls by which a provider signs someone in.
func byProvider(api huma.API, s *workspace.Service, p *Provider) {
	open := func(path, id, summary string) huma.Operation {
		o := operation(http.MethodGet, path, id, summary, "", http.StatusSeeOther)
		o.Security = []map[string][]string{}
		return o
	}
	failed := func(err error) error {
		return &problem{Title: "Not signed in", Status: http.StatusBadGateway, Detail: err.Error()}
	}
	none := &problem{Title: "No provider", Status: http.StatusNotFound,
		Detail: "this service signs nobody in by OpenID Connect; gatemap serve --help says how to set that up"}
	huma.Register(api, open("/sign-in/provider", "provider", "Sign in to the console by OpenID Connect"),
		func(ctx context.Context, in *struct{ From }) (*redirect, error) {
			if p == nil {
				return nil, none
			}
			to, kept, err := p.begin(ctx)
			if err != nil {
				return nil, failed(err)
			}
			return &redirect{http.StatusSeeOther, to, []http.Cookie{signInKept(kept, in.secure)}}, nil
		})
	huma.Register(api, open("/sign-in/return", "provider-return",
		"Where a provider of OpenID Connect sends the browser back to"), func(ctx context.Context, in *struct {
		From
		State string `query:"state"`
		Code  string `query:"code"`
		Error string `query:"error"`
		Said  string `query:"error_description"`
		Kept  string `cookie:"gatemap_signin"`
	}) (*redirect, error) {
		if p == nil {
			return nil, none
		}
		if in.Error != "" {
			return nil, failed(fmt.Errorf("the provider says %s: %s", in.Error, in.Said))
		}
		subject, named, err := p.end(ctx, in.State, in.Code, in.Kept)
		if err != nil {
			s.Audit.Refused(ctx, operator.Actor{Name: "provider", Origin: in.address}, "sign-in", err.Error())
		}
		if errors.Is(err, errSignIn) {
			return nil, &problem{Title: "Not signed in", Status: http.StatusForbidden, Detail: err.Error()}
		} else if err != nil {
			return nil, failed(err)
		}
		session, err := s.Sessions.SignInBy(ctx, p.Issuer, subject, named, in.address)
		if err != nil {
			return nil, edge.Problem(err)
		}
		return &redirect{http.StatusSeeOther, "/", []http.Cookie{sessionCookie(session, int(access.SessionLength.Seconds()),
			in.secure), signInKept("", in.secure)}}, nil
	})
}
