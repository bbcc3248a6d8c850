package webhook

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// digest is the field Content-Digest of a body (RFC 9530 section 2).
func digest(body []byte) string {
	sum := sha256.Sum256(body)
	return "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
}

// signed are the components of a request that its signature covers.
var signed = []string{"@method", "@target-uri", "content-type", "content-digest"}

// sign signs a request by hmac-sha256 (RFC 9421 section 3.3.3).
func sign(r *http.Request, key string, now time.Time) {
	params := fmt.Sprintf(
		`("%s");created=%d;keyid="gatemap";alg="hmac-sha256"`,
		strings.Join(signed, `" "`),
		now.Unix(),
	)
	r.Header.Set("Signature-Input", "gatemap="+params)
	r.Header.Set("Signature", "gatemap=:"+signature(base(r, signed, params), key)+":")
}

// base is what is signed (RFC 9421 section 2.5).
func base(r *http.Request, components []string, params string) string {
	var b strings.Builder
	for _, c := range components {
		fmt.Fprintf(&b, "%q: %s\n", c, component(r, c))
	}
	return b.String() + `"@signature-params": ` + params
}

// component is the value of a component (RFC 9421 section 2).
func component(r *http.Request, name string) string {
	switch name {
	case "@method":
		return r.Method
	case "@authority":
		return strings.ToLower(r.URL.Host)
	case "@target-uri":
		return (&url.URL{Scheme: r.URL.Scheme, Host: strings.ToLower(r.URL.Host), Path: r.URL.Path, RawPath: r.URL.RawPath,
			RawQuery: r.URL.RawQuery}).String()
	}
	return strings.Join(r.Header.Values(name), ", ")
}

func signature(base, key string) string {
	mac := hmac.New(sha256.New, []byte(key))
	mac.Write([]byte(base))
	return base64.StdEncoding.EncodeToString(mac.Sum(nil))
}
