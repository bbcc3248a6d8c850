// Package mail sends notices by mail (RFC 5321, RFC 5322): all that are sent at once in one message.
package mail

import (
	"cmp"
	"context"
	"fmt"
	netmail "net/mail"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/wneessen/go-mail"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/notice"
	"gatemap/core/place"
)

// timeout is how long a server is waited for where the map does not say otherwise.
const timeout = 30 * time.Second

// Document says how a mail server is reached, and who gets the mail.
type Document struct {
	Place    place.Place     `yaml:"-"`
	Server   Server          `yaml:"server,required" doc:"The mail server: smtps://HOST (TLS from the start, RFC 8314) or smtp://HOST, with a port where it is not the usual one (465, 587)."`
	StartTLS bool            `yaml:"starttls" doc:"true: connections to smtp:// turn to TLS before anything is sent (RFC 3207)."`
	TLS      *connect.TLS    `yaml:"tls" doc:"Who vouches for the server. Missing: those that this machine trusts."`
	User     string          `yaml:"user" doc:"Who signs in. Missing: nobody."`
	Secret   *connect.Secret `yaml:"secret" doc:"Where the password of user is; it is never in the map."`
	From     Mailbox         `yaml:"from,required" doc:"The sender's address."`
	To       []Mailbox       `yaml:"to,required" doc:"Who gets the mail."`
	Timeout  directory.Span  `yaml:"timeout" doc:"How long the server is waited for. Missing: 30s."`
}

// Server is a mail server: smtps://HOST or smtp://HOST, with a port where it is not the usual one.
type Server string

// UnmarshalText sees that an address is one of a mail server.
func (s *Server) UnmarshalText(text []byte) error {
	at, err := url.Parse(string(text))
	if err != nil || at.Hostname() == "" || at.Scheme != "smtp" && at.Scheme != "smtps" ||
		strings.Trim(at.Path, "/") != "" {
		return fmt.Errorf("%q is no mail server: it is written smtps://HOST or smtp://HOST", text)
	}
	*s = Server(text)
	return nil
}

func (s Server) parsed() *url.URL {
	at, _ := url.Parse(string(s)) // it is an address
	return at
}

// Mailbox is an address of mail (RFC 5322 section 3.4.1).
type Mailbox string

// UnmarshalText sees that an address is one of mail.
func (m *Mailbox) UnmarshalText(text []byte) error {
	if at, err := netmail.ParseAddress(string(text)); err != nil || at.Address != string(text) {
		return fmt.Errorf("%q is no address of mail: it is written NAME@DOMAIN", text)
	}
	*m = Mailbox(text)
	return nil
}

// Connector is this kind, in the table of connectors.
var Connector = connect.Connector{
	Name: "mail", Doc: "A mail server that hands notices on (SMTP).",
	Notify: func() connect.Notifier { return &Document{} },
}

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Recipient is who gets the mail.
func (d *Document) Recipient() string {
	to := make([]string, len(d.To))
	for i, t := range d.To {
		to[i] = string(t)
	}
	return strings.Join(to, ", ")
}

// Targets are what it connects to and reads on the host.
func (d *Document) Targets() []string {
	targets := []string{
		"mail " + string(d.Server),
		fmt.Sprintf("starttls %t", d.StartTLS),
		"user " + d.User,
		"from " + string(d.From),
		"to " + d.Recipient(),
	}
	return append(targets, connect.Told(d.TLS, d.Secret)...)
}

// Send sends one mail.
func (d *Document) Send(ctx context.Context, m *connect.Message) (arrived int, err error) {
	client, err := d.client(m.Host)
	if err != nil {
		return 0, err
	}
	message, err := d.message(m)
	if err != nil {
		return 0, err
	}
	return connect.AllOrNone(len(m.Notices), client.DialAndSendWithContext(ctx, message))
}

func (d *Document) client(host connect.Host) (*mail.Client, error) {
	at := d.Server.parsed()
	secure := at.Scheme == "smtps"
	port, _ := strconv.Atoi(cmp.Or(at.Port(), map[bool]string{true: "465", false: "587"}[secure])) // it is a port
	options := []mail.Option{
		mail.WithPort(port),
		mail.WithTimeout(d.Timeout.Or(timeout)),
		mail.WithTLSPolicy(mail.NoTLS),
	}
	if secure || d.StartTLS {
		config, err := d.TLS.Must(host, at.Hostname())
		if err != nil {
			return nil, connect.At(d.Place, err)
		}
		options = append(options, mail.WithTLSConfig(config))
	}
	switch {
	case secure:
		options = append(options, mail.WithSSL())
	case d.StartTLS:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	case !connect.Loopback(at.Hostname()):
		return nil, place.Errorf(
			d.Place,
			"%s is another machine, and notices would go there in the clear: write smtps://, or starttls: true",
			at.Hostname(),
		)
	}
	if d.User != "" {
		secret, err := host.Secret(d.Secret)
		if err != nil {
			return nil, place.Errorf(d.Place, "%v", err)
		}
		options = append(
			options,
			mail.WithSMTPAuth(mail.SMTPAuthPlain),
			mail.WithUsername(d.User),
			mail.WithPassword(secret),
		)
		if !secure && !d.StartTLS { // it stays on this machine
			options = append(options, mail.WithSMTPAuth(mail.SMTPAuthPlainNoEnc))
		}
	}
	return mail.NewClient(at.Hostname(), options...)
}

func (d *Document) message(m *connect.Message) (*mail.Msg, error) {
	message := mail.NewMsg()
	if err := message.From(string(d.From)); err != nil {
		return nil, err
	}
	for _, to := range d.To {
		if err := message.AddTo(string(to)); err != nil {
			return nil, err
		}
	}
	first := &m.Notices[0]
	subject := name.Line(first.Words())
	if more := len(m.Notices) - 1; more > 0 {
		subject = fmt.Sprintf("%d notices: %s", more+1, subject)
	}
	message.Subject("[" + name.Line(m.Map) + "] " + name.Short(subject, 119))
	// What is sent again after a lost answer is the same message.
	message.SetMessageIDWithValue(first.ID + "@gatemap")
	message.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834 section 5
	message.SetDateWithValue(m.Notices[len(m.Notices)-1].At)
	message.SetBodyString(mail.TypeTextPlain, body(m.Notices))
	return message, nil
}

// body tells each notice, with what to do about it and since when it stands.
func body(notices []notice.Notice) string {
	var b strings.Builder
	for i := range notices {
		n := &notices[i]
		if i > 0 {
			b.WriteString("\n")
		}
		fmt.Fprintf(&b, "%s\n", name.Line(n.Words()))
		if n.Fix != "" {
			fmt.Fprintf(&b, "  %s\n", name.Line(n.Fix))
		}
		switch n.Turn {
		case notice.Over, notice.Changed:
			fmt.Fprintf(&b, "  since %s, %s %s\n", moment(n.Since), n.Turn, moment(n.At))
		default:
			fmt.Fprintf(&b, "  %s\n", moment(n.At))
		}
	}
	return b.String()
}

func moment(t time.Time) string { return t.UTC().Format("2006-01-02 15:04:05 UTC") }
