package webhook

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/core/notice"
)

// The example of RFC 9421, appendix B.2.5.
func TestTheExampleOfTheStandard(t *testing.T) {
	key, err := base64.StdEncoding.DecodeString(
		"uzvJfB4u3N0Jy4T7NZ75MDVcr8zSTInedJtkgcu46YW4XByzNJjxBdtjUkdJPBtbmHhIDi6pcl8jsasjlTMtDQ==",
	)
	require.NoError(t, err)
	r := httptest.NewRequest(http.MethodPost, "https://example.com/foo?param=Value&Pet=dog", nil)
	r.Header.Set("Date", "Tue, 20 Apr 2021 02:07:55 GMT")
	r.Header.Set("Content-Type", "application/json")
	text := base(
		r,
		[]string{"date", "@authority", "content-type"},
		`("date" "@authority" "content-type");created=1618884473;keyid="test-shared-secret"`,
	)
	assert.Equal(t, "pxcQw6G3AjtMBQjwo8XzkZf/bws5LelbaMk5rGIGtE8=", signature(text, string(key)))
}

// got is a request as a receiver checks it, by the text of the standard alone.
type got struct {
	header http.Header
	body   []byte
	uri    string
}

func (g *got) genuine(t *testing.T, key string) {
	t.Helper()
	sum := sha256.Sum256(g.body)
	assert.Equal(t, "sha-256=:"+base64.StdEncoding.EncodeToString(sum[:])+":", g.header.Get("Content-Digest"))
	params := strings.TrimPrefix(g.header.Get("Signature-Input"), "gatemap=")
	require.Regexp(
		t,
		regexp.MustCompile(
			`^\("@method" "@target-uri" "content-type" "content-digest"\);created=\d+;keyid="gatemap";alg="hmac-sha256"$`,
		),
		params,
	)
	mac := hmac.New(sha256.New, []byte(key))
	_, _ = io.WriteString(
		mac,
		"\"@method\": POST\n\"@target-uri\": "+g.uri+"\n\"content-type\": "+g.header.Get("Content-Type")+
			"\n\"content-digest\": "+g.header.Get("Content-Digest")+"\n\"@signature-params\": "+params,
	)
	assert.Equal(t, "gatemap=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":", g.header.Get("Signature"))
}

func notices() []notice.Notice {
	at := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	return []notice.Notice{
		{
			ID:       "id-1",
			Receiver: "night",
			Topic:    notice.Guarantee,
			Turn:     notice.Began,
			Text:     "The guarantee no-one is broken: 1 person.",
			Fix:      "See.",
			Since:    at,
			At:       at,
		},
		{
			ID:       "id-2",
			Receiver: "night",
			Topic:    notice.Drift,
			Turn:     notice.Over,
			Of:       "ledger",
			Text:     "eve is in ops there",
			Since:    at,
			At:       at.Add(time.Hour),
		},
	}
}

func receiver(t *testing.T, status int) (*Document, *[]got) {
	t.Helper()
	t.Setenv("GATEMAP_SECRET_HOOK", "only-here")
	var all []got
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		all = append(all, got{r.Header.Clone(), body, "http://" + r.Host + r.RequestURI})
		w.WriteHeader(status)
	}))
	t.Cleanup(s.Close)
	return &Document{
		URL:    Address(s.URL + "/hooks/night%20desk?of=map"),
		Secret: &connect.Secret{Env: "GATEMAP_SECRET_HOOK"},
	}, &all
}

func TestEventsAreSentAndSigned(t *testing.T) {
	d, all := receiver(t, http.StatusAccepted)
	require.NoError(t, sends(t.Context(), d, &connect.Message{Map: "Cindervale Observatory", Notices: notices()}))
	require.Len(t, *all, 2)
	for i := range *all {
		(*all)[i].genuine(t, "only-here")
		assert.Equal(t, "application/cloudevents+json", (*all)[i].header.Get("Content-Type"))
	}
	assert.JSONEq(
		t,
		`{"specversion":"1.0","id":"id-2","source":"gatemap:Cindervale%20Observatory","type":"gatemap.drift.over","subject":"ledger",
		"time":"2026-07-01T13:00:00Z","datacontenttype":"application/json",
		"data":{"receiver":"night","text":"eve is in ops there","since":"2026-07-01T12:00:00Z"}}`,
		string((*all)[1].body),
	)
	source, err := url.Parse("gatemap:Cindervale%20Observatory")
	require.NoError(t, err, "a source is a URI reference")
	assert.Equal(t, "gatemap", source.Scheme)
}

func TestADigestIsOneRequest(t *testing.T) {
	d, all := receiver(t, http.StatusOK)
	require.NoError(t, sends(t.Context(), d, &connect.Message{Map: "x", Notices: notices(), Digest: true}))
	require.Len(t, *all, 1)
	(*all)[0].genuine(t, "only-here")
	assert.Equal(t, "application/cloudevents-batch+json", (*all)[0].header.Get("Content-Type"))
	var events []map[string]any
	require.NoError(t, json.Unmarshal((*all)[0].body, &events))
	assert.Len(t, events, 2)
}

func TestWhatDoesNotArriveIsAnError(t *testing.T) {
	d, all := receiver(t, http.StatusFound)
	assert.ErrorContains(t, sends(t.Context(), d, &connect.Message{Notices: notices()}), "answered 302 Found")
	assert.Len(t, *all, 1, "no redirect is followed, and nothing is sent after what did not arrive")
	away := &Document{URL: "https://127.0.0.1:1/"}
	assert.ErrorContains(t, sends(t.Context(), away, &connect.Message{Notices: notices()}), "connection refused")
	for address, want := range map[string]string{
		"http://hooks.cindervale.example/": "notices would go there in the clear",
		"ftp://hooks.cindervale.example/":  "is no address",
		"hooks.cindervale.example":         "is no address",
	} {
		assert.ErrorContains(t, new(Address).UnmarshalText([]byte(address)), want)
	}
	d.Secret = &connect.Secret{Env: "GATEMAP_SECRET_NONE"}
	assert.ErrorContains(t, sends(t.Context(), d, &connect.Message{Notices: notices()}), "GATEMAP_SECRET_NONE")
}

func sends(ctx context.Context, d *Document, m *connect.Message) error {
	_, err := d.Send(ctx, m)
	return err
}
