package mail_test

import (
	"context"
	"crypto/tls"
	"errors"
	"io"
	"mime"
	"net"
	stdmail "net/mail"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/mail"
	"gatemap/core/notice"
	"gatemap/core/place"
	"gatemap/tools/slapd"
)

// server is a mail server that keeps what it gets.
type server struct {
	mu     sync.Mutex
	got    []string
	to     []string
	secure bool
}

type session struct {
	*server
	conn   *smtp.Conn
	signed bool
}

func (s *server) NewSession(c *smtp.Conn) (smtp.Session, error) {
	return &session{server: s, conn: c}, nil
}
func (s *session) AuthMechanisms() []string { return []string{sasl.Plain} }
func (s *session) Auth(string) (sasl.Server, error) {
	return sasl.NewPlainServer(func(_, user, password string) error {
		if user != "map" || password != "only-here" {
			return errors.New("no")
		}
		s.signed = true
		return nil
	}), nil
}
func (s *session) Mail(string, *smtp.MailOptions) error {
	if _, isTLS := s.conn.TLSConnectionState(); s.secure && (!isTLS || !s.signed) {
		return errors.New("only over TLS, and signed in")
	}
	return nil
}
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	if strings.HasPrefix(to, "nobody") {
		return &smtp.SMTPError{Code: 550, Message: "there is nobody"}
	}
	s.mu.Lock()
	s.to = append(s.to, to)
	s.mu.Unlock()
	return nil
}
func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	s.mu.Lock()
	s.got = append(s.got, string(raw))
	s.mu.Unlock()
	return err
}
func (s *session) Reset()        {}
func (s *session) Logout() error { return nil }

func start(t *testing.T, config *tls.Config, secure bool) (*server, string) {
	t.Helper()
	s := &server{secure: secure}
	smtpd := smtp.NewServer(s)
	smtpd.AllowInsecureAuth, smtpd.TLSConfig, smtpd.Domain = true, config, "mail.cindervale.example"
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = smtpd.Serve(l) }()
	t.Cleanup(func() { _ = smtpd.Close() })
	return s, l.Addr().String()
}

func document(server string, to ...mail.Mailbox) *mail.Document {
	return &mail.Document{Server: mail.Server(server), From: "gatemap@cindervale.example", To: to}
}

func message(texts ...string) *connect.Message {
	at := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	m := &connect.Message{Map: "Cindervale Observatory"}
	for _, text := range texts {
		m.Notices = append(
			m.Notices,
			notice.Notice{
				ID:       "id-1",
				Receiver: "night",
				Topic:    notice.Guarantee,
				Turn:     notice.Began,
				Text:     text,
				Fix:      "See who.",
				Since:    at,
				At:       at,
			},
		)
	}
	return m
}

func TestAMail(t *testing.T) {
	s, address := start(t, nil, false)
	d := document("smtp://"+address, "night@cindervale.example", "ida@cindervale.example")
	require.NoError(
		t,
		sends(t.Context(), d, message("Größe: a guarantee\r\nBcc: eve@cindervale.example is broken", "another")),
	)
	assert.Equal(t, []string{"night@cindervale.example", "ida@cindervale.example"}, s.to)
	require.Len(t, s.got, 1)
	m, err := stdmail.ReadMessage(strings.NewReader(s.got[0]))
	require.NoError(t, err)
	subject, err := new(mime.WordDecoder).DecodeHeader(m.Header.Get("Subject"))
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(subject, "[Cindervale Observatory] 2 notices: Größe: a guarantee"), subject)
	assert.Empty(t, m.Header.Get("Bcc"), "what is told makes no field of its own")
	assert.Equal(
		t,
		[]string{"auto-generated", "<id-1@gatemap>"},
		[]string{m.Header.Get("Auto-Submitted"), m.Header.Get("Message-ID")},
	)
	body, err := io.ReadAll(m.Body)
	require.NoError(t, err)
	assert.Contains(t, string(body), "another\r\n  See who.\r\n  2026-07-01 12:00:00 UTC")
}

func TestAMailOverTLS(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_MAIL", "only-here")
	dir := t.TempDir()
	require.NoError(t, slapd.Certify(dir, time.Now().Add(time.Hour), "127.0.0.1"))
	pair, err := tls.LoadX509KeyPair(dir+"/server.pem", dir+"/server.key")
	require.NoError(t, err)
	s, address := start(t, &tls.Config{Certificates: []tls.Certificate{pair}}, true)
	d := document("smtp://"+address, "night@cindervale.example")
	d.StartTLS, d.User, d.Secret = true, "map", &connect.Secret{Env: "GATEMAP_SECRET_MAIL"}
	m := message("broken")
	m.Host = connect.Host{Files: os.DirFS(dir)}
	assert.ErrorContains(t, sends(t.Context(), d, m), "certificate", "a server that nobody vouches for gets nothing")
	d.TLS = &connect.TLS{CA: place.Text{Value: "ca.pem"}}
	require.NoError(t, sends(t.Context(), d, m))
	assert.Len(t, s.got, 1)
	t.Setenv("GATEMAP_SECRET_MAIL", "another")
	assert.Error(t, sends(t.Context(), d, m))
	assert.Len(t, s.got, 1)
}

func TestAMailThatCannotBeSent(t *testing.T) {
	_, address := start(t, nil, false)
	for server, want := range map[string]string{
		"smtp://" + address:              "nobody",
		"smtp://127.0.0.1:1":             "connection refused",
		"smtp://mail.cindervale.example": "notices would go there in the clear",
	} {
		d := document(server, "nobody@cindervale.example")
		assert.ErrorContains(t, sends(t.Context(), d, message("x")), want, server)
	}
}

func TestAddressesOfMail(t *testing.T) {
	for _, text := range []string{
		"mail.cindervale.example", "smtp://127.0.0.1:1/of/some/path", "smtps://mail.cindervale.example:-1", "https://mail.cindervale.example",
	} {
		assert.ErrorContains(t, new(mail.Server).UnmarshalText([]byte(text)), "is no mail server", text)
	}
	for _, text := range []string{"", "ida", "Ida <ida@cindervale.example>", "ida@cindervale.example\r\nBcc: eve@cindervale.example"} {
		assert.ErrorContains(t, new(mail.Mailbox).UnmarshalText([]byte(text)), "is no address of mail", text)
	}
	assert.NoError(t, new(mail.Server).UnmarshalText([]byte("smtps://mail.cindervale.example:2465")))
	assert.NoError(t, new(mail.Mailbox).UnmarshalText([]byte("ida@cindervale.example")))
}

func sends(ctx context.Context, d *mail.Document, m *connect.Message) error {
	_, err := d.Send(ctx, m)
	return err
}
