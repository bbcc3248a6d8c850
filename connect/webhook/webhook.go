// Package webhook sends notices as CloudEvents 1.0 over HTTP, in the structured content mode of its
// JSON format, signed by HTTP Message Signatures (RFC 9421) with a secret that both ends have.
package webhook

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"

	"gatemap/connect"
	"gatemap/connect/web"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// timeout is how long an answer is waited for where the map does not say otherwise.
const timeout = 10 * time.Second

// Document says where notices are sent.
type Document struct {
	Place   place.Place     `yaml:"-"`
	URL     Address         `yaml:"url,required" doc:"Where each notice is sent by POST, such as https://hooks.cindervale.example/night."`
	Secret  *connect.Secret `yaml:"secret" doc:"Where the secret is by which requests are signed (RFC 9421, hmac-sha256). Missing: they are not signed."`
	TLS     *connect.TLS    `yaml:"tls" doc:"Who vouches for the server. Missing: those that this machine trusts; http:// is for addresses of this machine only."`
	Timeout directory.Span  `yaml:"timeout" doc:"How long an answer is waited for. Missing: 10s."`
}

// Address is where notices are sent: https://HOST/PATH, or http:// on this machine.
type Address string

// UnmarshalText sees that notices can be sent to an address.
func (a *Address) UnmarshalText(text []byte) error {
	at, err := url.Parse(string(text))
	switch {
	case err != nil || at.Hostname() == "" || at.Scheme != "https" && at.Scheme != "http":
		return fmt.Errorf("%q is no address: it is written https://HOST/PATH", text)
	case at.Scheme == "http" && !connect.Loopback(at.Hostname()):
		return fmt.Errorf("%s is another machine, and notices would go there in the clear: write https://", at.Hostname())
	}
	*a = Address(text)
	return nil
}

func (a Address) parsed() *url.URL {
	at, _ := url.Parse(string(a)) // it is an address
	return at
}

// Connector is this kind, in the table of connectors.
var Connector = connect.Connector{
	Name: "webhook", Doc: "A receiver of notices over HTTP: CloudEvents 1.0, signed (RFC 9421).",
	Notify: func() connect.Notifier { return &Document{} },
}

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Recipient is who gets the notices.
func (d *Document) Recipient() string { return string(d.URL) }

// Targets are what it connects to and reads on the host.
func (d *Document) Targets() []string {
	return append([]string{"webhook " + string(d.URL)}, connect.Told(d.TLS, d.Secret)...)
}

// Send sends each notice by a request, or with digest all in one.
func (d *Document) Send(ctx context.Context, m *connect.Message) (arrived int, err error) {
	s, err := d.sender(m.Host)
	if err != nil {
		return 0, err
	}
	defer s.client.CloseIdleConnections()
	events := make([]event, len(m.Notices))
	for i := range m.Notices {
		events[i] = eventOf(&m.Notices[i], m.Map)
	}
	if m.Digest {
		return connect.AllOrNone(len(events), s.post(ctx, "application/cloudevents-batch+json", events))
	}
	for i := range events {
		if err := s.post(ctx, "application/cloudevents+json", &events[i]); err != nil {
			return i, err
		}
	}
	return len(events), nil
}

// sender sends requests.
type sender struct {
	url    string
	client *http.Client
	key    string // "": requests are not signed
}

func (d *Document) sender(host connect.Host) (*sender, error) {
	client, err := web.Client(d.URL.parsed(), d.TLS, host)
	if err != nil {
		return nil, connect.At(d.Place, err)
	}
	client.Timeout = d.Timeout.Or(timeout)
	s := &sender{url: string(d.URL), client: client}
	if d.Secret != nil {
		if s.key, err = host.Secret(d.Secret); err != nil {
			return nil, place.Errorf(d.Place, "%v", err)
		}
	}
	return s, nil
}

// post sends a body; an answer of 2xx says that it arrived.
func (s *sender) post(ctx context.Context, typ string, body any) error {
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, s.url, bytes.NewReader(raw))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", typ)
	r.Header.Set("Content-Digest", digest(raw))
	if s.key != "" {
		sign(r, s.key, time.Now())
	}
	answer, err := s.client.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(answer.Body, 64<<10)) // what it says does not matter
	if answer.StatusCode < 200 || answer.StatusCode > 299 {
		return fmt.Errorf("%s answered %s", s.url, answer.Status)
	}
	return nil
}
