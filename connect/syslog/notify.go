package syslog

import (
	"context"
	"crypto/tls"
	"fmt"
	"net"
	"net/url"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/notice"
	"gatemap/core/place"
)

// Document says where notices are sent.
type Document struct {
	Place   place.Place  `yaml:"-"`
	Address Address      `yaml:"address,required" doc:"The receiver: tls://HOST:6514, tcp://HOST:PORT or udp://HOST:514."`
	TLS     *connect.TLS `yaml:"tls" doc:"Who vouches for the server. Missing: those that this machine trusts."`
}

// Address is a receiver: tls://HOST:PORT, tcp://HOST:PORT or udp://HOST:PORT.
type Address string

// UnmarshalText sees that an address is one.
func (a *Address) UnmarshalText(text []byte) error {
	at, err := url.Parse(string(text))
	if err != nil || at.Hostname() == "" || at.Port() == "" || strings.Trim(at.Path, "/") != "" ||
		!slices.Contains([]string{"tls", "tcp", "udp"}, at.Scheme) {
		return fmt.Errorf("%q is no receiver: it is written tls://HOST:PORT, tcp://HOST:PORT or udp://HOST:PORT", text)
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
	Name: "syslog", Doc: "A receiver of notices as messages of the system log (RFC 5424).",
	Notify: func() connect.Notifier { return &Document{} },
}

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Recipient is who gets the messages.
func (d *Document) Recipient() string { return string(d.Address) }

// Targets are what it connects to and reads on the host.
func (d *Document) Targets() []string {
	return append([]string{"syslog " + string(d.Address)}, connect.Told(d.TLS, nil)...)
}

// Send sends each notice as a message. What a stream takes and then loses is not known: where it ends
// with an error, none counts as arrived.
func (d *Document) Send(ctx context.Context, m *connect.Message) (arrived int, err error) {
	return connect.AllOrNone(len(m.Notices), d.send(ctx, m))
}

func (d *Document) send(ctx context.Context, m *connect.Message) error {
	at := d.Address.parsed()
	var config *tls.Config
	if at.Scheme == "tls" {
		var err error
		if config, err = d.TLS.Must(m.Host, at.Hostname()); err != nil {
			return connect.At(d.Place, err)
		}
	}
	conn, err := Dial(ctx, at.Scheme, net.JoinHostPort(at.Hostname(), at.Port()), config)
	if err != nil {
		return err
	}
	for i := range m.Notices {
		if err := conn.Write(messageOf(&m.Notices[i])); err != nil {
			_ = conn.Close()
			return err
		}
	}
	return conn.Close()
}

// messageOf is the message of a notice. What stands is a warning, what is over is not.
func messageOf(n *notice.Notice) *Message {
	m := &Message{
		Facility: Daemon,
		Severity: Warning,
		At:       n.At,
		ID:       "notice",
		Data:     "notice",
		Text:     n.Words(),
		Params: [][2]string{
			{"id", n.ID}, {"turn", string(n.Turn)},
		},
	}
	if n.Turn == notice.Over || n.Turn == notice.Test {
		m.Severity = Informational
	}
	for _, p := range [][2]string{{"topic", string(n.Topic)}, {"of", n.Of}, {"fix", n.Fix}} {
		if p[1] != "" {
			m.Params = append(m.Params, p)
		}
	}
	return m
}
