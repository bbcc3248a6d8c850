// Package provider is a stand-in for a provider of OpenID Connect (OpenID Connect
// Core 1.0, Discovery 1.0): it signs in whoever is chosen from a list, without a
// password. It is for the demo and for tests, on this machine alone.
package provider

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// Person can be signed in.
type Person struct {
	Name, Display, Note string
	Claims              map[string]any // more claims of the ID token, also in the place of the usual ones
}

// Provider signs people in.
type Provider struct {
	issuer string
	client string
	people []Person
	signer jose.Signer
	keys   jose.JSONWebKeySet

	mu    sync.Mutex
	codes map[string]grant
}

// grant is a code that was given out.
type grant struct {
	person, nonce, challenge, redirect string
	until                              time.Time
}

// New makes a provider at an address, for one client.
func New(issuer, client string, people []Person) (*Provider, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, fmt.Errorf("making a key: %w", err)
	}
	signer, err := jose.NewSigner(
		jose.SigningKey{Algorithm: jose.ES256, Key: jose.JSONWebKey{Key: key, KeyID: "1"}},
		(&jose.SignerOptions{}).WithType("JWT"),
	)
	if err != nil {
		return nil, fmt.Errorf("making a signer: %w", err)
	}
	return &Provider{
		issuer: issuer, client: client, people: people, signer: signer, codes: map[string]grant{},
		keys: jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: key.Public(), KeyID: "1", Algorithm: "ES256", Use: "sig"}}},
	}, nil
}

// ServeHTTP answers as a provider does.
func (p *Provider) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/.well-known/openid-configuration":
		send(w, map[string]any{
			"issuer": p.issuer, "authorization_endpoint": p.issuer + "/authorize", "token_endpoint": p.issuer + "/token",
			"jwks_uri": p.issuer + "/keys",
			"response_types_supported": []string{
				"code",
			}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"ES256"},
			"code_challenge_methods_supported": []string{"S256"},
		})
	case "/keys":
		send(w, p.keys)
	case "/authorize":
		p.authorize(w, r)
	case "/token":
		p.token(w, r)
	default:
		http.NotFound(w, r)
	}
}

func send(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v)
}

var page = template.Must(
	template.New("").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Who are you?</title>
<body style="font: 16px/1.5 system-ui, sans-serif; max-width: 32rem; margin: 4rem auto; padding: 0 1rem">
<h1 style="font-size: 1.3rem">Cindervale Observatory: who are you?</h1>
<p>This stand-in signs in whomever you choose, without a password.</p>
<ul>{{range .People}}<li><a href="{{$.Query}}&amp;as={{.Name}}">{{.Display}}</a> <small>{{.Note}}</small></li>{{end}}</ul></body></html>`),
)

// authorize lets someone choose who to be, and sends the browser back with a code.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	back, err := url.Parse(q.Get("redirect_uri"))
	switch {
	case err != nil || back.Hostname() != "127.0.0.1" && back.Hostname() != "localhost":
		http.Error(w, "this stand-in sends browsers back to this machine only", http.StatusBadRequest)
		return
	case q.Get("client_id") != p.client || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256":
		http.Error(w, "the code flow with PKCE (S256), for the client "+p.client, http.StatusBadRequest)
		return
	}
	as := q.Get("as")
	if !slices.ContainsFunc(p.people, func(x Person) bool { return x.Name == as }) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, map[string]any{"People": p.people, "Query": "?" + r.URL.RawQuery})
		return
	}
	code := rand.Text()
	p.mu.Lock()
	p.codes[code] = grant{as, q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri"), time.Now().Add(time.Minute)}
	p.mu.Unlock()
	answer := back.Query()
	answer.Set("code", code)
	answer.Set("state", q.Get("state"))
	back.RawQuery = answer.Encode()
	http.Redirect(w, r, back.String(), http.StatusSeeOther)
}

// token gives an ID token for a code.
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	code := r.PostFormValue("code")
	p.mu.Lock()
	g, known := p.codes[code]
	delete(p.codes, code)
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !known || time.Now().After(g.until) || g.redirect != r.PostFormValue("redirect_uri") ||
		base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge {
		w.WriteHeader(http.StatusBadRequest)
		send(w, map[string]string{"error": "invalid_grant"})
		return
	}
	claims := map[string]any{"nonce": g.nonce, "preferred_username": g.person}
	for _, x := range p.people {
		if x.Name == g.person {
			maps.Copy(claims, x.Claims)
		}
	}
	now := time.Now()
	id, err := jwt.Signed(p.signer).Claims(jwt.Claims{
		Issuer: p.issuer, Subject: "person-" + g.person, Audience: jwt.Audience{p.client}, IssuedAt: jwt.NewNumericDate(now),
		Expiry: jwt.NewNumericDate(now.Add(5 * time.Minute)),
	}).Claims(claims).Serialize()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	send(w, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 300, "id_token": id})
}
